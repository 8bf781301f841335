#include "acoustics/enclosure/box_load.h"

#include <cmath>

#include "base/constants.h"

namespace lalometer {

double acoustic_compliance(double volume_m3) {
  return volume_m3 / (kAirDensity_kg_m3 * kSpeedOfSound20_m_s * kSpeedOfSound20_m_s);
}

BoxState solve_box(const BoxLoad& box, double frequency_hz) {
  using Complex = std::complex<double>;
  if (box.kind == BoxLoad::Kind::kFreeAir) return {0.0, 0.0};
  const double w = 2.0 * kPi * frequency_hz;
  const double wb = 2.0 * kPi * box.tuning_hz;
  const double ca = acoustic_compliance(box.volume_m3);
  const double absorption = box.qa > 0.0 ? 1.0 / (wb * ca * box.qa) : 0.0;
  Complex admittance = 1.0 / Complex(absorption, -1.0 / (w * ca));
  if (box.ql > 0.0) admittance += wb * ca / box.ql;
  if (box.kind == BoxLoad::Kind::kSealed) return {1.0 / admittance, 0.0};
  const double mass = 1.0 / (wb * wb * ca);
  const double port_loss = box.qp > 0.0 ? wb * mass / box.qp : 0.0;
  const Complex port = 1.0 / Complex(port_loss, w * mass);
  admittance += port;
  return {1.0 / admittance, port / admittance};
}

double tuning_hz(double volume_m3, const Port& port) {
  const double radius = 0.5 * port.diameter_m;
  const double area = port.count * kPi * radius * radius;
  const double effective_length = port.length_m + (0.849 + 0.613) * radius;
  return kSpeedOfSound20_m_s / (2.0 * kPi) * std::sqrt(area / (volume_m3 * effective_length));
}

}  // namespace lalometer
