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

Opening pipe_of(const PortPipe& pipe, double qp, double w) {
  const Complex k = w / kSpeedOfSound20_m_s * Complex(1.0, qp > 0.0 ? -1.0 / qp : 0.0);
  const Complex angle = k * pipe.acoustic_length_m;
  const double plane = kAirDensity_kg_m3 * kSpeedOfSound20_m_s / pipe.area_m2;
  const Complex j(0.0, 1.0);
  if (pipe.mouth_radius_m > 0.0) {
    const Complex x = 0.613 * j * (w / kSpeedOfSound20_m_s * pipe.mouth_radius_m);
    const Complex end = 1.5 * x / (1.5 + x);
    const Complex turn = std::cos(angle) + j * end * std::sin(angle);
    return {plane * (end * std::cos(angle) + j * std::sin(angle)) / turn, 1.0 / turn};
  }
  return {j * plane * std::tan(angle), 1.0 / std::cos(angle)};
}

std::vector<Opening> pipes_of(const BoxLoad& box, double w) {
  std::vector<Opening> all;
  if (box.pipe) all.push_back(pipe_of(*box.pipe, box.qp, w));
  for (const PortPipe& pipe : box.more_pipes) all.push_back(pipe_of(pipe, box.qp, w));
  return all;
}

Complex radiator_of(const PassiveRadiator& r, double w) {
  return Complex(r.rms_kg_per_s, w * r.mms_kg - 1.0 / (w * r.cms_m_per_n)) / (r.sd_m2 * r.sd_m2);
}

/// Nothing where the box has no opening.
std::optional<Opening> opening_of(const BoxLoad& box, double w) {
  if (box.kind == BoxLoad::Kind::kSealed) return std::nullopt;
  if (box.kind == BoxLoad::Kind::kPassiveRadiator && box.radiator)
    return Opening{radiator_of(*box.radiator, w), 1.0};
  if (box.pipe) {
    // Side by side: one pressure within, the flows add.
    Complex within = 0.0;
    Complex out = 0.0;
    for (const Opening& one : pipes_of(box, w)) {
      within += 1.0 / one.impedance;
      out += one.outer_over_inner / one.impedance;
    }
    return Opening{1.0 / within, out / within};
  }
  const double wb = 2.0 * kPi * box.tuning_hz;
  const double mass = 1.0 / (wb * wb * acoustic_compliance(box.volume_m3));
  return Opening{Complex(box.qp > 0.0 ? wb * mass / box.qp : 0.0, w * mass), 1.0};
}

/// Without any loss the tuning is a pole; a trillionth of loss keeps it a number.
Complex kept_from_zero(Complex loop, Complex scale) {
  return std::abs(loop) < 1e-12 * std::abs(scale) ? 1e-12 * std::abs(scale) : loop;
}

}  // namespace

BoxWaves::BoxWaves(std::shared_ptr<const BoxField> field, const BoxPlace& cone,
                   const BoxPlace& port, const BoxPlace& panel)
    : field_(std::move(field)), places_{cone, port, panel} {
  for (std::size_t i = 0; i < kSpots; ++i) shapes_[i] = field_->shapes(places_[i]);
}

std::complex<double> BoxWaves::between(Spot at, Spot from, double frequency_hz) const {
  return field_->waves_pa_s_m3(shapes_[at], shapes_[from], frequency_hz);
}

BoxWaves BoxWaves::undamped() const {
  BoxWaves bare(std::make_shared<BoxField>(field_->undamped()), places_[kCone], places_[kPort],
                places_[kPanel]);
  bare.cones = cones;
  return bare;
}

double PassiveRadiator::fs_hz() const {
  return 1.0 / (2.0 * kPi * std::sqrt(mms_kg * cms_m_per_n));
}

double acoustic_compliance(double volume_m3) {
  return volume_m3 / (kAirDensity_kg_m3 * kSpeedOfSound20_m_s * kSpeedOfSound20_m_s);
}

std::vector<std::complex<double>> pipe_shares(const BoxLoad& box, double frequency_hz) {
  std::vector<Complex> shares;
  Complex sum = 0.0;
  for (const Opening& one : pipes_of(box, 2.0 * kPi * frequency_hz)) {
    shares.push_back(one.outer_over_inner / one.impedance);
    sum += shares.back();
  }
  for (Complex& share : shares) share /= sum;
  return shares;
}

BoxState solve_box(const BoxLoad& box, double frequency_hz) {
  if (box.kind == BoxLoad::Kind::kFreeAir) return {0.0, 0.0};
  const double w = 2.0 * kPi * frequency_hz;
  if (box.kind == BoxLoad::Kind::kOpenBack) {
    if (!box.pipe) return {0.0, 1.0};
    const Opening duct = pipe_of(*box.pipe, box.qp, w);
    return {duct.impedance, duct.outer_over_inner};
  }
  const double wb = 2.0 * kPi * box.tuning_hz;
  const double ca = acoustic_compliance(box.volume_m3);
  const double absorption = box.qa > 0.0 ? 1.0 / (wb * ca * box.qa) : 0.0;
  const double leak = box.ql > 0.0 ? wb * ca / box.ql : 0.0;
  // The air of the box, losses in it: the zeroth mode.
  const Complex air = 1.0 / (1.0 / Complex(absorption, -1.0 / (w * ca)) + leak);
  // The field's own zeroth term is the lossless compliance, which `air` stands for.
  const auto field = [&](BoxWaves::Spot a, BoxWaves::Spot b) {
    return box.waves ? air + box.waves->cones * box.waves->between(a, b, frequency_hz) : air;
  };
  const Complex cone_cone = field(BoxWaves::kCone, BoxWaves::kCone);
  const std::optional<Opening> port = opening_of(box, w);
  if (!port && !box.panel) return {cone_cone, 0.0, air * leak};

  // Volume velocities out of the openings for one into the box at the cone: the pressure at each is
  // what the cone makes there less what both take away.
  const Complex cone_port = port ? field(BoxWaves::kCone, BoxWaves::kPort) : 0.0;
  const Complex cone_panel = box.panel ? field(BoxWaves::kCone, BoxWaves::kPanel) : 0.0;
  Complex port_out = 0.0;
  Complex panel_out = 0.0;
  if (port && box.panel) {
    const Complex port_port = field(BoxWaves::kPort, BoxWaves::kPort);
    const Complex between = field(BoxWaves::kPort, BoxWaves::kPanel);
    const Complex port_loop = port->impedance + port_port;
    const Complex panel_loop =
        radiator_of(*box.panel, w) + field(BoxWaves::kPanel, BoxWaves::kPanel);
    const Complex determinant =
        kept_from_zero(port_loop * panel_loop - between * between, port_port * port_port);
    port_out = (cone_port * panel_loop - cone_panel * between) / determinant;
    panel_out = (cone_panel * port_loop - cone_port * between) / determinant;
  } else if (port) {
    const Complex port_port = field(BoxWaves::kPort, BoxWaves::kPort);
    port_out = cone_port / kept_from_zero(port->impedance + port_port, port_port);
  } else {
    const Complex panel_panel = field(BoxWaves::kPanel, BoxWaves::kPanel);
    panel_out = cone_panel / kept_from_zero(radiator_of(*box.panel, w) + panel_panel, panel_panel);
  }
  return {cone_cone - cone_port * port_out - cone_panel * panel_out,
          port ? port_out * port->outer_over_inner : 0.0, air * (1.0 - port_out - panel_out) * leak,
          panel_out};
}

}  // namespace lalometer
