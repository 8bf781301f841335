#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "workbench/reading/lane_parts.h"
#include "workbench/reading/lanes/lanes.h"
#include "workbench/spin/angle_set.h"

/// The averages of CTA-2034-A, their indices on a scale of their own, and the in-room estimate.
namespace lalometer {
namespace {

struct Named {
  const char* label;
  SpatialAverage Spinorama::*values;
  int style;
};
constexpr Named kAverages[] = {
    {"on axis", &Spinorama::on_axis_db, 0},
    {"window", &Spinorama::listening_window_db, 2},
    {"reflections", &Spinorama::early_reflections_db, 4},
    {"power", &Spinorama::sound_power_db, 1},
    {"in room", &Spinorama::predicted_in_room_db, 3},
};

void put_trend(LaneContent& content, const LaidTake& one) {
  const AngleReading& r = *one.set->reading;
  if (!r.spin.slope_db_per_octave) return;
  const Orbit& orbit = r.material->orbit;
  const double low = std::max({100.0, orbit.valid().low_hz, orbit.axis().front()});
  const double high = std::min({16000.0, orbit.valid().high_hz, orbit.axis().back()});
  const auto trend = trend_of(orbit.axis(), r.spin.spin.predicted_in_room_db, low, high);
  if (!trend) return;
  Series s;
  s.take_id = one.take.id;
  s.label = fmt::format("{:+.1f} dB an octave", trend->slope_db_per_octave);
  s.style = kModelStyle;
  for (const double f : {low, high}) {
    s.x.push_back(f);
    s.y.push_back(trend->level_at_1k_db + trend->slope_db_per_octave * std::log2(f / 1000.0));
  }
  content.add_curves().push_back(std::move(s));
}

LaneContent build_spin(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "Spinorama";
  content.left = {.quantity = AxisQuantity::kLevel,
                  .scale = AxisScale::kDecibel,
                  .unit = "dB",
                  .low = 50.0,
                  .high = 100.0};
  content.right = {.quantity = AxisQuantity::kLevel, .unit = "dB", .low = -5.0, .high = 45.0};
  content.empty_text = no_set_text(laid);
  const auto sets = shown_sets(laid, chosen);
  if (sets.empty()) return content;
  const LaidTake& one = *sets.front();
  const AngleReading& r = *one.set->reading;
  const Spinorama& spin = r.spin.spin;
  for (const Named& average : kAverages) {
    if ((spin.*average.values).empty()) continue;
    Series s = set_series(one, spin.*average.values, average.label, average.style);
    s.chosen = average.style == 0;
    content.add_curves().push_back(std::move(s));
  }
  if (content.curves().empty()) {
    content.empty_text = "There is no response at 0°, and no average has all its angles.";
    return content;
  }
  const auto range = extent(content.curves());
  put_trend(content, one);
  for (const auto& [values, label, style] :
       {std::tuple{&spin.early_reflections_di_db, "index, early", 4},
        std::tuple{&spin.sound_power_di_db, "index, power", 1}})
    if (!values->empty())
      content.add_curves(Side::kRight).push_back(set_series(one, *values, label, style));
  hatch_invalid(content);
  content.subtitle = set_label(one) + ", CTA-2034-A";
  if (!r.material->calibrated) content.subtitle += ", relative";
  if (spin.sound_power_db.empty())
    content.subtitle += fmt::format("; {} of the 70 angles are missing", spin.missing.size());
  if (!spin.mirrored.empty())
    content.subtitle += fmt::format("; {} angles mirrored", spin.mirrored.size());
  if (r.material->extended_below_hz)
    content.subtitle +=
        fmt::format("; near fields below {}", frequency_text(*r.material->extended_below_hz));
  if (sets.size() > 1) content.subtitle += "; the chosen take's set";
  if (range) fit_level_scale(content.left, *range);
  // As many dB high as the left one, with the indices in its lower third.
  content.right.high = content.right.low + (content.left.high - content.left.low);
  return content;
}

void put(std::vector<KeyFigure>& all, const char* name, const std::optional<Estimate>& e,
         const char* unit, int decimals, std::string basis) {
  if (!e) return;
  all.push_back({name,
                 fmt::format("{:.{}f} ± {:.{}f}{}{}", e->value, decimals,
                             std::max(e->half_width, 0.5 * std::pow(10.0, -decimals)), decimals,
                             *unit == '\0' ? "" : " ", unit),
                 std::move(basis)});
}

std::vector<KeyFigure> figures(const LaidTake& laid) {
  std::vector<KeyFigure> all;
  if (!laid.set || !laid.set->reading) return all;
  const AngleReading& r = *laid.set->reading;
  const SpinReading& s = r.spin;
  put(all, "Sensitivity, axis", s.sensitivity_db, "dB", 1, "2.83 V, 1 m; mean of 300 Hz to 3 kHz");
  put(all, "F3, axis", s.f3_hz, "Hz", 1, "");
  put(all, "F6, axis", s.f6_hz, "Hz", 1, "");
  put(all, "F10, axis", s.f10_hz, "Hz", 1, "");
  if (s.deviation_db)
    all.push_back({"Within, axis",
                   fmt::format("± {:.1f} ± {:.1f} dB", s.deviation_db->value,
                               std::max(s.deviation_db->half_width, 0.05)),
                   fmt::format("{} to {}", frequency_text(s.deviation_over.low_hz),
                               frequency_text(s.deviation_over.high_hz))});
  put(all, "Slope in room", s.slope_db_per_octave, "dB/oct", 2, "of the predicted response");
  if (s.preference.score)
    put(all, "Preference rating", s.score, "", 1,
        fmt::format("with a subwoofer {:.1f}; nothing of output, distortion, taste",
                    s.preference.score_with_subwoofer.value_or(*s.preference.score)));
  else if (s.preference.score_with_subwoofer)
    all.push_back({"Preference rating", fmt::format("{:.1f}", *s.preference.score_with_subwoofer),
                   "with a subwoofer; alone it is not known"});
  return all;
}

/// The averages at the cursor, of the take that stands for the set.
std::string at_cursor(const LaidTake& laid, double f, std::complex<double>) {
  if (!laid.set || !laid.set->reading) return "–";
  const AngleReading& r = *laid.set->reading;
  const FrequencyAxis& axis = r.material->orbit.axis();
  if (f < axis.front() || f > axis.back()) return "–";
  std::string text;
  for (const auto& [name, values] : {std::pair{"LW", &r.spin.spin.listening_window_db},
                                     std::pair{"ER", &r.spin.spin.early_reflections_db},
                                     std::pair{"SP", &r.spin.spin.sound_power_db}}) {
    if (values->empty()) continue;
    text +=
        fmt::format("{}{} {:.1f}", text.empty() ? "" : "  ", name, value_between(axis, *values, f));
  }
  return text.empty() ? "–" : text;
}

}  // namespace

LaneKind lanes::spinorama() {
  return {.id = "spinorama",
          .title = "Spinorama",
          .explained =
              "Listening window, early reflections and sound power: what arrives straight, "
              "by the walls, and in all directions; the indices say how far they part.",
          .usual_weight = 1.2,
          .build = build_spin,
          .needs = is_of_set,
          .at_cursor = at_cursor,
          .figures = figures,
          .shown_at_first = false,
          .wants_angles = true};
}

}  // namespace lalometer
