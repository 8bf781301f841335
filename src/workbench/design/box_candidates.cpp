#include "workbench/design/box_candidates.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/constants.h"
#include "base/text.h"
#include "book/description/driver_parameters.h"
#include "book/description/subject_geometry.h"

namespace lalometer {
namespace {

PortGeometry port_of(const BoxCandidate& c, double length_m) {
  return {.diameter_m = c.port_diameter_mm / 1e3, .length_m = length_m, .count = c.port_count};
}

double level_db(std::complex<double> pa) {
  return 20.0 * std::log10(std::max(std::abs(pa), 1e-12) / kReferencePressure_pa);
}

/// Load of a candidate; problems where it cannot be.
std::optional<EnclosureDesign> design_of(const BoxDriver& driver, BoxOutcome& out) {
  const BoxCandidate& c = out.candidate;
  if (!(c.volume_l > 0.0)) {
    out.problems.emplace_back("The volume must be above 0.");
    return std::nullopt;
  }
  EnclosureDesign d{.driver = driver.driver, .load = {}, .series_ohm = c.series_ohm};
  d.load.volume_m3 = c.volume_l / 1e3;
  d.load.ql = c.ql;
  d.load.qa = c.qa;
  d.load.qp = c.qp;
  switch (c.kind) {
    case BoxCandidate::Kind::kSealed:
      d.load.kind = BoxLoad::Kind::kSealed;
      d.load.tuning_hz =
          driver.driver.fs_hz() * std::sqrt(1.0 + driver.driver.vas_m3() / d.load.volume_m3);
      break;
    case BoxCandidate::Kind::kPassiveRadiator: {
      const double mass = c.radiator_mass_g / 1e3;
      const double w = 2.0 * kPi * c.radiator_fs_hz;
      if (!(mass > 0.0 && w > 0.0 && c.radiator_sd_cm2 > 0.0)) {
        out.problems.emplace_back("A passive radiator needs an area, a mass and a resonance.");
        return std::nullopt;
      }
      d.load.kind = BoxLoad::Kind::kPassiveRadiator;
      d.load.radiator =
          PassiveRadiator{c.radiator_sd_cm2 / 1e4, mass, 1.0 / (w * w * mass), w * mass / 8.0};
      d.load.tuning_hz = radiator_tuning_hz(d.load.volume_m3, *d.load.radiator);
      break;
    }
    case BoxCandidate::Kind::kVented: {
      if (!(c.tuning_hz > 0.0 && c.port_diameter_mm > 0.0)) {
        out.problems.emplace_back("A vented box needs a tuning and a port.");
        return std::nullopt;
      }
      d.load.kind = BoxLoad::Kind::kVented;
      d.load.tuning_hz = c.tuning_hz;
      d.port_area_m2 = port_of(c, 1.0).area_m2();
      const auto length =
          port_length_for(c.tuning_hz, d.load.volume_m3, port_of(c, 1.0), kSpeedOfSound20_m_s);
      if (!length) {
        // The curves still hold for a port that would do it.
        out.problems.push_back(length.error().message);
        break;
      }
      out.port_length_mm = *length * 1e3;
      d.load.pipe = PortPipe{d.port_area_m2, acoustic_length_m(port_of(c, *length))};
      if (driver.inner_depth_m) {
        if (const auto problem = clearance_problem(port_of(c, *length), *driver.inner_depth_m))
          out.problems.push_back(*problem + " (bend it, or take another wall)");
      }
      const double taken_l = 1e3 * d.port_area_m2 * *length;
      if (taken_l > 0.15 * c.volume_l) {
        out.problems.push_back(
            fmt::format("The port alone takes {} l of the box.", three_digits(taken_l)));
      }
      break;
    }
  }
  out.tuning_hz = d.load.tuning_hz;
  return d;
}

void say(BoxOutcome& o, const BoxDriver& driver, double power_w) {
  const auto limit = [](const std::optional<double>& f) {
    return f ? frequency_text(*f) : std::string("not reached");
  };
  o.words.push_back(
      fmt::format("Reaches down to {} (−3 dB), {} (−10 dB); {:.1f} dB at 2.83 V, 1 m.",
                  limit(o.f3_hz), limit(o.f10_hz), o.reference_db));
  const double travel = o.largest_excursion_m / driver.xmax_m;
  o.words.push_back(fmt::format(
      "At {} W the cone moves {:.1f} mm at {}, {} of its {:.1f} mm.", three_digits(power_w),
      o.largest_excursion_m * 1e3, frequency_text(o.largest_excursion_hz),
      travel > 1.0 ? fmt::format("{:.1f} times as much as is good", travel)
                   : fmt::format("{:.0f} %", travel * 100.0),
      driver.xmax_m * 1e3));
  if (o.too_far_below_hz) {
    o.words.push_back(fmt::format(
        "Below {} it has no hold on the cone: keep such tones away from it at that power.",
        frequency_text(*o.too_far_below_hz)));
  }
  if (o.candidate.kind == BoxCandidate::Kind::kVented) {
    o.words.push_back(fmt::format(
        "The air in the port moves at {:.0f} m/s at {}{}", o.fastest_air_m_s,
        frequency_text(o.fastest_air_hz),
        o.fastest_air_m_s > kUsualPortSpeed_m_s
            ? fmt::format(": over the usual limit of {:.0f} m/s, it will be heard. Take more area.",
                          kUsualPortSpeed_m_s)
            : std::string(", quiet enough.")));
  }
  // Walls of 18 mm round a box of usual proportions.
  const double side = std::cbrt(o.candidate.volume_l * 1.12 / 1e3);
  o.words.push_back(
      fmt::format("Takes about {} l outside.", three_digits(std::pow(side + 0.036, 3) * 1e3)));
}

}  // namespace

Result<BoxDriver> box_driver_of(const Description& description) {
  for (const DescribedDriver& told : description.drivers) {
    const std::string role = role_or_woofer(told);
    if (is_high_driver(role)) continue;
    const auto parameters = parameters_of(told, "");
    if (!parameters) return tl::unexpected(parameters.error());
    BoxDriver driver{told.id.empty() ? role : told.id,
                     parameters->elements,
                     parameters->xmax_m,
                     parameters->power_w,
                     parameters->usual,
                     std::nullopt};
    if (description.box && description.box->inner_depth_mm.value_or(0.0) > 0.0)
      driver.inner_depth_m = *description.box->inner_depth_mm / 1e3;
    return driver;
  }
  return bad_input("The subject names no driver that works into a box. Draw one first.");
}

BoxCandidate first_candidate(const Description& description, const BoxDriver& driver) {
  BoxCandidate c;
  c.name = "A";
  // A box of the driver's own stiffness and resonance: a start that is never far off.
  c.volume_l = std::clamp(0.7 * driver.driver.vas_m3() * 1e3, 1.0, 500.0);
  c.tuning_hz = std::clamp(driver.driver.fs_hz(), 15.0, 150.0);
  c.port_diameter_mm = 2e3 * std::sqrt(driver.driver.sd_m2 * 0.15 / kPi);
  const auto g = geometry_of(description, "");
  if (!g) return c;
  if (g->net_volume_m3) c.volume_l = *g->net_volume_m3 * 1e3;
  if (g->loading == "sealed") {
    c.kind = BoxCandidate::Kind::kSealed;
    c.ql = 0.0;
  }
  if (!g->ports.empty() && g->ports[0].geometry && g->ports[0].geometry->slot_height_m <= 0.0) {
    const PortGeometry& port = *g->ports[0].geometry;
    c.port_diameter_mm = port.diameter_m * 1e3;
    c.port_count = port.count;
    c.tuning_hz = helmholtz_hz(c.volume_l / 1e3, {port}, kSpeedOfSound20_m_s);
  }
  if (g->loading == "passive-radiator" && !description.passive_radiators.empty()) {
    const DescribedRadiator& told = description.passive_radiators[0];
    c.kind = BoxCandidate::Kind::kPassiveRadiator;
    for (const auto& [from, to] : {std::pair{told.sd_cm2, &c.radiator_sd_cm2},
                                   {told.moving_mass_g, &c.radiator_mass_g},
                                   {told.fs_hz, &c.radiator_fs_hz}}) {
      if (from.value_or(0.0) > 0.0) *to = *from;
    }
  }
  return c;
}

BoxOutcome box_outcome(const BoxDriver& driver, const BoxCandidate& candidate, double power_w) {
  BoxOutcome o{.candidate = candidate,
               .curves = {FrequencyAxis::logarithmic(10.0, 2000.0, 24.0), {}, {}, {}, {}, {}, {}},
               .highest_level_db = {}};
  auto design = design_of(driver, o);
  if (!design) return o;
  design->drive_v = std::sqrt(power_w * driver.driver.re_ohm);
  o.drive_v = design->drive_v;
  o.curves = solve_enclosure(*design, o.curves.axis);
  o.reference_db = reference_level_db(*design) + 20.0 * std::log10(2.83 / o.drive_v);
  const double reference = reference_level_db(*design);
  o.f3_hz = lower_limit_hz(o.curves, reference, 3.0);
  o.f6_hz = lower_limit_hz(o.curves, reference, 6.0);
  o.f10_hz = lower_limit_hz(o.curves, reference, 10.0);
  o.highest_level_db =
      highest_level(*design, o.curves, {.xmax_m = driver.xmax_m, .power_w = driver.power_w})
          .level_db;
  const double from = o.f10_hz.value_or(20.0);
  for (std::size_t i = 0; i < o.curves.axis.size(); ++i) {
    if (o.curves.axis[i] < from && o.curves.excursion_m[i] > driver.xmax_m)
      o.too_far_below_hz = o.curves.axis[i];
    if (o.curves.axis[i] >= from && o.curves.excursion_m[i] > o.largest_excursion_m) {
      o.largest_excursion_m = o.curves.excursion_m[i];
      o.largest_excursion_hz = o.curves.axis[i];
    }
    if (o.curves.port_speed_m_s[i] > o.fastest_air_m_s) {
      o.fastest_air_m_s = o.curves.port_speed_m_s[i];
      o.fastest_air_hz = o.curves.axis[i];
    }
  }
  say(o, driver, power_w);
  return o;
}

std::string in_words(const BoxOutcome& o) {
  const BoxCandidate& c = o.candidate;
  switch (c.kind) {
    case BoxCandidate::Kind::kSealed:
      return fmt::format("sealed, {} l, resonance {}", three_digits(c.volume_l),
                         frequency_text(o.tuning_hz));
    case BoxCandidate::Kind::kPassiveRadiator:
      return fmt::format("passive radiator {} g on {} cm², {} l at {}",
                         three_digits(c.radiator_mass_g), three_digits(c.radiator_sd_cm2),
                         three_digits(c.volume_l), frequency_text(o.tuning_hz));
    case BoxCandidate::Kind::kVented:
      break;
  }
  const std::string port =
      o.port_length_mm
          ? fmt::format(", {}port {} × {} mm",
                        c.port_count > 1 ? fmt::format("{} of ", c.port_count) : "",
                        three_digits(c.port_diameter_mm), three_digits(*o.port_length_mm))
          : std::string();
  return fmt::format("vented, {} l at {}{}", three_digits(c.volume_l), frequency_text(c.tuning_hz),
                     port);
}

std::vector<std::pair<std::string, LaneContent>> box_lanes(const std::vector<BoxOutcome>& outcomes,
                                                           std::size_t chosen,
                                                           const BoxDriver& driver) {
  const auto lane = [&](const char* title, std::string subtitle, const char* unit, double low,
                        double high, auto value) {
    LaneContent content;
    content.title = title;
    content.subtitle = std::move(subtitle);
    const bool db = std::string_view(unit) == "dB";
    content.left = {.quantity = db ? AxisQuantity::kLevel : AxisQuantity::kOther,
                    .scale = db ? AxisScale::kDecibel : AxisScale::kLinear,
                    .unit = unit,
                    .low = low,
                    .high = high};
    content.empty_text = "Nothing can be computed for these figures.";
    for (std::size_t k = 0; k < outcomes.size(); ++k) {
      const BoxOutcome& o = outcomes[k];
      if (o.curves.pressure_pa.empty()) continue;
      Series s;
      s.label = o.candidate.name;
      s.style = static_cast<int>(k);
      s.chosen = k == chosen;
      s.x.assign(o.curves.axis.hz().begin(), o.curves.axis.hz().end());
      for (std::size_t i = 0; i < s.x.size(); ++i) s.y.push_back(value(o, i));
      content.add_curves().push_back(std::move(s));
    }
    return content;
  };
  const auto highest = [](const LaneContent& content) {
    double top = 0.0;
    for (const Series& s : content.curves())
      for (const double y : s.y) top = std::max(top, y);
    return top;
  };
  const double reference = outcomes.empty() ? 90.0 : outcomes[chosen].reference_db;
  const double top = std::ceil((reference + 6.0) / 5.0) * 5.0;
  std::vector<std::pair<std::string, LaneContent>> lanes;
  lanes.emplace_back("box-level", lane("Level", "2.83 V, 1 m, half space", "dB", top - 30.0, top,
                                       [](const BoxOutcome& o, std::size_t i) {
                                         return level_db(o.curves.pressure_pa[i]) +
                                                20.0 * std::log10(2.83 / o.drive_v);
                                       }));
  lanes.emplace_back(
      "box-excursion",
      lane("Excursion", fmt::format("mm peak; the driver has {:.1f}", driver.xmax_m * 1e3), "mm",
           0.0, 2.0 * driver.xmax_m * 1e3,
           [](const BoxOutcome& o, std::size_t i) { return o.curves.excursion_m[i] * 1e3; }));
  LaneContent speed = lane("Air in the port", "m/s peak; 17 is a usual limit", "m/s", 0.0, 30.0,
                           [](const BoxOutcome& o, std::size_t i) {
                             return o.candidate.kind == BoxCandidate::Kind::kVented
                                        ? o.curves.port_speed_m_s[i]
                                        : std::numeric_limits<double>::quiet_NaN();
                           });
  speed.left.high = std::max(20.0, std::ceil(highest(speed) / 10.0 + 0.2) * 10.0);
  lanes.emplace_back("box-air", std::move(speed));
  LaneContent impedance =
      lane("Impedance", "ohm", "ohm", 0.0, 50.0,
           [](const BoxOutcome& o, std::size_t i) { return std::abs(o.curves.impedance_ohm[i]); });
  impedance.left.high = std::ceil(highest(impedance) / 10.0 + 0.1) * 10.0;
  lanes.emplace_back("box-impedance", std::move(impedance));
  lanes.emplace_back(
      "box-highest",
      lane("Highest level", "before excursion or power ends, 1 m", "dB", top - 10.0, top + 25.0,
           [](const BoxOutcome& o, std::size_t i) { return o.highest_level_db[i]; }));
  LaneContent delay =
      lane("Group delay", "ms", "ms", 0.0, 30.0,
           [](const BoxOutcome& o, std::size_t i) { return o.curves.group_delay_s[i] * 1e3; });
  delay.left.high = std::ceil(highest(delay) / 10.0 + 0.1) * 10.0;
  lanes.emplace_back("box-delay", std::move(delay));
  return lanes;
}

BoxField2d f3_field(const BoxDriver& driver, const BoxCandidate& candidate, double lowest_l,
                    double highest_l, double lowest_hz, double highest_hz) {
  constexpr int kColumns = 28;
  constexpr int kRows = 18;
  BoxField2d field;
  for (int i = 0; i < kColumns; ++i)
    field.volume_l.push_back(lowest_l * std::pow(highest_l / lowest_l, i / (kColumns - 1.0)));
  for (int i = 0; i < kRows; ++i)
    field.tuning_hz.push_back(lowest_hz * std::pow(highest_hz / lowest_hz, i / (kRows - 1.0)));
  const FrequencyAxis axis = FrequencyAxis::logarithmic(10.0, 500.0, 8.0);
  for (const double tuning : field.tuning_hz) {
    for (const double volume : field.volume_l) {
      EnclosureDesign d{.driver = driver.driver, .load = {}, .series_ohm = candidate.series_ohm};
      d.load = {.kind = BoxLoad::Kind::kVented,
                .volume_m3 = volume / 1e3,
                .ql = candidate.ql,
                .qa = candidate.qa,
                .qp = candidate.qp,
                .tuning_hz = tuning};
      const auto f3 = lower_limit_hz(solve_enclosure(d, axis), reference_level_db(d), 3.0);
      field.f3_hz.push_back(f3.value_or(std::numeric_limits<double>::quiet_NaN()));
    }
  }
  return field;
}

Description with_candidate(Description d, const BoxOutcome& o) {
  const BoxCandidate& c = o.candidate;
  const auto tidy = [](double value) { return std::round(value * 10.0) / 10.0; };
  if (!d.box) d.box.emplace();
  d.box->net_volume_l = std::round(c.volume_l * 100.0) / 100.0;
  switch (c.kind) {
    case BoxCandidate::Kind::kSealed:
      d.loading = "sealed";
      d.ports.clear();
      break;
    case BoxCandidate::Kind::kVented: {
      d.loading = "vented";
      d.ports.resize(1);
      DescribedPort& port = d.ports[0];
      if (port.id.empty()) {
        port = DescribedPort{};
        port.id = "port";
        port.panel = "back";
        port.x_mm = port.y_mm = 0.0;
      }
      port.slot_height_mm.reset();
      port.diameter_mm = tidy(c.port_diameter_mm);
      port.count = c.port_count;
      if (o.port_length_mm) port.length_mm = tidy(*o.port_length_mm);
      break;
    }
    case BoxCandidate::Kind::kPassiveRadiator: {
      d.loading = "passive-radiator";
      d.ports.clear();
      const bool fresh = d.passive_radiators.empty();
      d.passive_radiators.resize(1);
      DescribedRadiator& radiator = d.passive_radiators[0];
      if (fresh) {
        radiator.id = "radiator";
        radiator.panel = "back";
        radiator.x_mm = radiator.y_mm = 0.0;
      }
      radiator.sd_cm2 = tidy(c.radiator_sd_cm2);
      radiator.moving_mass_g = tidy(c.radiator_mass_g);
      radiator.fs_hz = tidy(c.radiator_fs_hz);
      break;
    }
  }
  return d;
}

}  // namespace lalometer
