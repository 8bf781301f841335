#include "acoustics/enclosure/driver_circuit.h"

#include <cmath>

#include "base/constants.h"

namespace lalometer {

double DriverParameters::fs_hz() const {
  return 1.0 / (2.0 * kPi * std::sqrt(mms_kg * cms_m_per_n));
}
double DriverParameters::qms() const {
  return std::sqrt(mms_kg / cms_m_per_n) / rms_kg_per_s;
}
double DriverParameters::qes() const {
  return std::sqrt(mms_kg / cms_m_per_n) * re_ohm / (bl_tm * bl_tm);
}
double DriverParameters::qts() const {
  return qms() * qes() / (qms() + qes());
}
double DriverParameters::vas_m3() const {
  return kAirDensity_kg_m3 * kSpeedOfSound20_m_s * kSpeedOfSound20_m_s * sd_m2 * sd_m2 *
         cms_m_per_n;
}

DriverParameters elements_of(const QuotedParameters& q) {
  const double stiffness_of_air = kAirDensity_kg_m3 * kSpeedOfSound20_m_s * kSpeedOfSound20_m_s;
  const double ws = 2.0 * kPi * q.fs_hz;
  const double cms = q.vas_m3 / (stiffness_of_air * q.sd_m2 * q.sd_m2);
  const double mms = 1.0 / (ws * ws * cms);
  return {.re_ohm = q.re_ohm,
          .le_h = q.le_h,
          .bl_tm = std::sqrt(ws * mms * q.re_ohm / q.qes),
          .mms_kg = mms,
          .cms_m_per_n = cms,
          .rms_kg_per_s = ws * mms / q.qms,
          .sd_m2 = q.sd_m2};
}

DriverSolution solve_driver(const DriverParameters& d, const BoxLoad& box, double frequency_hz,
                            double series_ohm, std::complex<double> front_load_pa_s_m3) {
  using Complex = std::complex<double>;
  const double w = 2.0 * kPi * frequency_hz;
  const BoxState back = solve_box(box, frequency_hz);
  double rigid_mass = d.mms_kg;
  Complex area = d.sd_m2;
  Complex zm(0.0, 0.0);
  for (const ConeMode& mode : d.modes) {
    const double ratio = frequency_hz / mode.frequency_hz;
    const Complex loss(1.0, ratio / mode.q);
    const Complex movement = loss / (loss - ratio * ratio);  // of its mass over the coil's
    rigid_mass -= mode.mass_share * d.mms_kg;
    zm += Complex(0.0, w * mode.mass_share * d.mms_kg) * movement;
    area += mode.area_share * d.sd_m2 * (movement - 1.0);
  }
  zm += Complex(d.rms_kg_per_s, w * rigid_mass - 1.0 / (w * d.cms_m_per_n)) +
        d.sd_m2 * d.sd_m2 * (back.impedance_pa_s_m3 + front_load_pa_s_m3);
  Complex z(d.re_ohm, w * d.le_h);
  if (d.le2_h > 0.0 && d.re2_ohm > 0.0) {
    z += 1.0 / Complex(1.0 / d.re2_ohm, -1.0 / (w * d.le2_h));
  }
  z += d.bl_tm * d.bl_tm / zm;
  const Complex velocity = d.bl_tm / ((z + series_ohm) * zm);
  const Complex into_box = d.sd_m2 * velocity;
  // The cone moving outward takes air in through port, leak and panel.
  return {z,
          velocity,
          area * velocity,
          -into_box * back.port_share,
          -into_box * back.leak_share,
          -into_box * back.panel_share};
}

std::complex<double> half_space_pressure_pa(std::complex<double> volume_velocity_m3_s,
                                            double frequency_hz, double distance_m) {
  return std::complex<double>(0.0, frequency_hz * kAirDensity_kg_m3 / distance_m) *
         volume_velocity_m3_s;
}

double reference_efficiency(const DriverParameters& d) {
  const double c = kSpeedOfSound20_m_s;
  return 4.0 * kPi * kPi * std::pow(d.fs_hz(), 3) * d.vas_m3() / (c * c * c * d.qes());
}

}  // namespace lalometer
