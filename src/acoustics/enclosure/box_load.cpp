#include "acoustics/enclosure/box_load.h"

#include <cmath>

#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

/// Impedance of the opening and how much more its outer end moves than its inner one.
struct Opening {
  Complex impedance;
  Complex outer_over_inner;
};

Opening opening_of(const BoxLoad& box, double w) {
  if (box.kind == BoxLoad::Kind::kPassiveRadiator && box.radiator) {
    const PassiveRadiator& r = *box.radiator;
    const Complex mechanical(r.rms_kg_per_s, w * r.mms_kg - 1.0 / (w * r.cms_m_per_n));
    return {mechanical / (r.sd_m2 * r.sd_m2), 1.0};
  }
  const double wb = 2.0 * kPi * box.tuning_hz;
  if (box.pipe) {
    const Complex k = w / kSpeedOfSound20_m_s * Complex(1.0, box.qp > 0.0 ? -1.0 / box.qp : 0.0);
    const Complex angle = k * box.pipe->acoustic_length_m;
    const double plane = kAirDensity_kg_m3 * kSpeedOfSound20_m_s / box.pipe->area_m2;
    return {Complex(0.0, 1.0) * plane * std::tan(angle), 1.0 / std::cos(angle)};
  }
  const double mass = 1.0 / (wb * wb * acoustic_compliance(box.volume_m3));
  return {Complex(box.qp > 0.0 ? wb * mass / box.qp : 0.0, w * mass), 1.0};
}

}  // namespace

double PassiveRadiator::fs_hz() const {
  return 1.0 / (2.0 * kPi * std::sqrt(mms_kg * cms_m_per_n));
}

double acoustic_compliance(double volume_m3) {
  return volume_m3 / (kAirDensity_kg_m3 * kSpeedOfSound20_m_s * kSpeedOfSound20_m_s);
}

BoxState solve_box(const BoxLoad& box, double frequency_hz) {
  if (box.kind == BoxLoad::Kind::kFreeAir) return {0.0, 0.0};
  const double w = 2.0 * kPi * frequency_hz;
  const double wb = 2.0 * kPi * box.tuning_hz;
  const double ca = acoustic_compliance(box.volume_m3);
  const double absorption = box.qa > 0.0 ? 1.0 / (wb * ca * box.qa) : 0.0;
  const double leak = box.ql > 0.0 ? wb * ca / box.ql : 0.0;
  // The air of the box, losses in it: the zeroth mode.
  const Complex air = 1.0 / (1.0 / Complex(absorption, -1.0 / (w * ca)) + leak);

  Complex cone_cone = air;
  Complex cone_port = air;
  Complex port_port = air;
  if (box.waves) {
    const BoxWaves& v = *box.waves;
    // The field's own zeroth term is the lossless compliance, which `air` stands for.
    const auto waves = [&](const BoxPlace& a, const BoxPlace& b) {
      return air + v.field->waves_pa_s_m3(a, b, frequency_hz);
    };
    cone_cone = waves(v.cone, v.cone);
    cone_port = waves(v.cone, v.port);
    port_port = waves(v.port, v.port);
  }
  if (box.kind == BoxLoad::Kind::kSealed) return {cone_cone, 0.0, air * leak};
  const Opening opening = opening_of(box, w);
  Complex loop = opening.impedance + port_port;
  // Without any loss the tuning is a pole; a trillionth of loss keeps it a number.
  if (std::abs(loop) < 1e-12 * std::abs(port_port)) loop = 1e-12 * std::abs(port_port);
  const Complex inner_share = cone_port / loop;
  return {cone_cone - cone_port * inner_share, inner_share * opening.outer_over_inner,
          air * (1.0 - inner_share) * leak};
}

}  // namespace lalometer
