#include "acoustics/enclosure/enclosure_model.h"

#include <algorithm>
#include <cmath>

#include "acoustics/open_baffle/thin_panel.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

/// @param panel  of an open back: front minus rear over the front alone in a wall.
Complex pressure_at(const EnclosureDesign& d, const DriverSolution& s, double f, Complex panel) {
  if (d.load.kind == BoxLoad::Kind::kOpenBack && d.panel) {
    return half_space_pressure_pa(s.cone_volume_velocity_m3_s_per_v, f, 1.0) * d.drive_v * panel;
  }
  const Complex out = s.cone_volume_velocity_m3_s_per_v + s.port_volume_velocity_m3_s_per_v +
                      s.leak_volume_velocity_m3_s_per_v;
  return half_space_pressure_pa(out, f, 1.0) * d.drive_v;
}

/// Of the panel at each frequency, a little below and above it; ones without a panel.
std::vector<Complex> panel_factors(const EnclosureDesign& d, const FrequencyAxis& axis,
                                   double step) {
  if (d.load.kind != BoxLoad::Kind::kOpenBack || !d.panel)
    return std::vector<Complex>(3 * axis.size(), 1.0);
  std::vector<double> around;
  for (const double f : axis.hz())
    for (const double by : {1.0 - step, 1.0, 1.0 + step}) around.push_back(f * by);
  const BafflePoint at{d.panel->driver_x_m, d.panel->driver_y_m, kPanelDistance_m};
  return solved_panel(*d.panel, kSpeedOfSound20_m_s)
      ->response(at, std::sqrt(d.driver.sd_m2 / kPi), *FrequencyAxis::make(std::move(around)));
}

/// Of unlike ports the one in which the air is fastest: its share of the flow over its area.
double fastest_share(const BoxLoad& load, double f) {
  const std::vector<Complex> shares = pipe_shares(load, f);
  double fastest = std::abs(shares[0]) / load.pipe->area_m2;
  for (std::size_t i = 1; i < shares.size(); ++i)
    fastest = std::max(fastest, std::abs(shares[i]) / load.more_pipes[i - 1].area_m2);
  return fastest;
}

double level_db(Complex pressure_pa) {
  return 20.0 * std::log10(std::max(std::abs(pressure_pa), 1e-30) / kReferencePressure_pa);
}

}  // namespace

EnclosureCurves solve_enclosure(const EnclosureDesign& d, const FrequencyAxis& axis) {
  EnclosureCurves curves{axis, {}, {}, {}, {}, {}, {}};
  const double peak = std::sqrt(2.0) * d.drive_v;
  // A step of a ten-thousandth: far above rounding, far below any feature.
  constexpr double kStep = 1e-4;
  const std::vector<Complex> panel = panel_factors(d, axis, kStep);
  for (std::size_t i = 0; i < axis.size(); ++i) {
    const double f = axis[i];
    const double w = 2.0 * kPi * f;
    const DriverSolution s = solve_driver(d.driver, d.load, f, d.series_ohm);
    curves.pressure_pa.push_back(pressure_at(d, s, f, panel[3 * i + 1]));
    curves.impedance_ohm.push_back(s.impedance_ohm);
    curves.excursion_m.push_back(peak * std::abs(s.cone_velocity_m_s_per_v) / w);
    const double port = peak * std::abs(s.port_volume_velocity_m3_s_per_v);
    curves.port_speed_m_s.push_back(d.port_area_m2 > 0.0 ? port / d.port_area_m2 : 0.0);
    if (!d.load.more_pipes.empty() && d.port_area_m2 > 0.0)
      curves.port_speed_m_s.back() = port * fastest_share(d.load, f);
    curves.radiator_excursion_m.push_back(d.load.radiator ? port / d.load.radiator->sd_m2 / w
                                                          : 0.0);
    const auto phase_at = [&](double at, std::size_t which) {
      return pressure_at(d, solve_driver(d.driver, d.load, at, d.series_ohm), at,
                         panel[3 * i + which]);
    };
    const Complex turn = phase_at(f * (1.0 + kStep), 2) / phase_at(f * (1.0 - kStep), 0);
    curves.group_delay_s.push_back(-std::arg(turn) / (2.0 * kStep * w));
  }
  return curves;
}

double reference_level_db(const EnclosureDesign& d) {
  const double pa = kAirDensity_kg_m3 * d.driver.bl_tm * d.driver.sd_m2 * d.drive_v /
                    (2.0 * kPi * (d.driver.re_ohm + d.series_ohm) * d.driver.mms_kg);
  return level_db(pa);
}

std::optional<double> lower_limit_hz(const EnclosureCurves& curves, double reference_db,
                                     double below_db) {
  const double limit = reference_db - below_db;
  // From the pass band's highest point below 500 Hz downward: ripple above does not count.
  std::size_t top = 0;
  for (std::size_t i = 0; i < curves.axis.size() && curves.axis[i] < 500.0; ++i) {
    if (level_db(curves.pressure_pa[i]) > level_db(curves.pressure_pa[top])) top = i;
  }
  for (std::size_t i = top; i > 0; --i) {
    const double above = level_db(curves.pressure_pa[i]);
    const double below = level_db(curves.pressure_pa[i - 1]);
    if (above >= limit && below < limit) {
      const double t = (limit - below) / (above - below);
      return curves.axis[i - 1] * std::pow(curves.axis[i] / curves.axis[i - 1], t);
    }
  }
  return std::nullopt;
}

HighestLevel highest_level(const EnclosureDesign& d, const EnclosureCurves& curves,
                           const EnclosureLimits& limits) {
  HighestLevel result;
  const double power_v = std::sqrt(limits.power_w * d.driver.re_ohm);
  for (std::size_t i = 0; i < curves.axis.size(); ++i) {
    double most = limits.xmax_m / curves.excursion_m[i];
    LevelLimit by = LevelLimit::kExcursion;
    const auto limit = [&](double at, LevelLimit kind) {
      if (at >= most) return;
      most = at;
      by = kind;
    };
    limit(power_v / d.drive_v, LevelLimit::kPower);
    if (limits.port_speed_m_s > 0.0 && curves.port_speed_m_s[i] > 0.0)
      limit(limits.port_speed_m_s / curves.port_speed_m_s[i], LevelLimit::kPortSpeed);
    if (limits.radiator_xmax_m > 0.0 && curves.radiator_excursion_m[i] > 0.0)
      limit(limits.radiator_xmax_m / curves.radiator_excursion_m[i], LevelLimit::kRadiator);
    result.by.push_back(by);
    result.level_db.push_back(level_db(curves.pressure_pa[i]) + 20.0 * std::log10(most));
  }
  return result;
}

BoxLoad vented_load(double volume_m3, const std::vector<PortGeometry>& ports, double ql, double qa,
                    double qp) {
  BoxLoad load;
  load.kind = BoxLoad::Kind::kVented;
  load.volume_m3 = volume_m3;
  load.ql = ql;
  load.qa = qa;
  load.qp = qp;
  load.tuning_hz = helmholtz_hz(volume_m3, ports, kSpeedOfSound20_m_s);
  for (const PortGeometry& port : ports) {
    const PortPipe pipe{port.area_m2(), acoustic_length_m(port)};
    if (!load.pipe)
      load.pipe = pipe;
    else
      load.more_pipes.push_back(pipe);
  }
  return load;
}

BoxLoad open_back_load(const OpenBaffle& panel, double duct_q) {
  BoxLoad load;
  load.kind = BoxLoad::Kind::kOpenBack;
  load.qp = duct_q;
  const double shallow = std::min(panel.left_wing_m, panel.right_wing_m);
  const double deep = std::max(panel.left_wing_m, panel.right_wing_m);
  // One wing alone, or two very different ones, leave a corner rather than a duct.
  if (shallow > 0.0 && deep <= 1.5 * shallow) {
    const double area = panel.width_m * panel.height_m;
    load.pipe = PortPipe{area, 0.5 * (shallow + deep), std::sqrt(area / kPi)};
  }
  return load;
}

double radiator_tuning_hz(double volume_m3, const PassiveRadiator& r) {
  const double ca = acoustic_compliance(volume_m3);
  const double cap = r.cms_m_per_n * r.sd_m2 * r.sd_m2;
  const double mass = r.mms_kg / (r.sd_m2 * r.sd_m2);
  const double together = ca * cap / (ca + cap);
  return 1.0 / (2.0 * kPi * std::sqrt(mass * together));
}

}  // namespace lalometer
