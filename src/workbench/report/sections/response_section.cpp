#include <fmt/format.h>

#include "acoustics/spectrum/figures.h"
#include "base/text.h"
#include "workbench/report/sections/report_sections.h"
#include "workbench/telling/response_told.h"

/// Response on the axis and the bass.
namespace lalometer::sections {
namespace {

/// "F3 49 ± 1 Hz, F6 …" of what could be determined.
std::string lower_limits(ReportWriter& w, const std::string& command, const Told& told) {
  std::string text;
  for (const auto& [key, name] :
       {std::pair{"f3_hz", "F3"}, std::pair{"f6_hz", "F6"}, std::pair{"f10_hz", "F10"}})
    if (const auto value = w.state(command, told, key))
      text += fmt::format("{}{} {}", text.empty() ? "" : ", ", name, *value);
  return text;
}

/// How low a response by itself reaches, and where it ends and why.
void put_reach(ReportWriter& w, const ReportMaterial& m) {
  if (m.ahead == nullptr) return;
  if (m.angles)
    if (const std::string limits = lower_limits(w, "spin", m.angles.told); !limits.empty())
      w.say("response.limits", limits + ", re the mean of 300 Hz to 3 kHz.");
  const Response& r = *m.ahead->curve;
  const double from = std::max(r.valid().low_hz, r.axis().front());
  const bool gated = m.ahead->stage != nullptr || m.ahead->take.conditions.gate_s > 0.0;
  w.say("response.valid",
        fmt::format("Nothing is stated below {}: {}.", frequency_text(from),
                    gated && from > 1.01 * r.axis().front() ? "the gate resolves no more"
                                                            : "the take begins there"));
}

/// Of the first near field.
std::string under(const ReportMaterial& m) {
  for (const ImportItem& item : m.preview.items)
    if (item.take.kind() == TakeKind::kNearField) return conditions_of(item) + ".";
  return {};
}

}  // namespace

void put_response(ReportWriter& w, const SectionInput& in) {
  const ReportMaterial& m = in.material;
  w.begin("response", "Response on the axis");
  if (m.ahead == nullptr && !m.splice) {
    w.missing("The response of the whole loudspeaker on the axis was not measured.");
    return w.end();
  }
  LaneContent level = level_lane_of("On the axis", "dB re 20 µPa");
  std::string caption;
  if (m.splice) {
    add_level(level, m.splice.value->joined.curve, "near and far field joined", 0, true);
    if (m.ahead != nullptr) add_level(level, *m.ahead->curve, "far field alone", 7, false);
    caption = fmt::format("Near field joined at {}. ",
                          frequency_text(m.splice.value->joined.joined_at_hz));
  } else {
    add_level(level, *m.ahead->curve, "on the axis", 0, true);
  }
  fit_levels(level);
  if (m.ahead != nullptr) caption += "Far field: " + conditions_of(*m.ahead) + ".";
  w.picture({"on-axis", std::move(level), caption});
  if (m.angles) {
    if (const auto value = w.state("spin", m.angles.told, "sensitivity_db")) {
      // A bare file tells neither drive nor distance.
      const bool told = m.preview.subject.has_value();
      w.say(
          "response.sensitivity",
          told ? fmt::format("Sensitivity {} at 2.83 V and 1 m, mean of 300 Hz to 3 kHz.", *value)
               : fmt::format("Mean level {} from 300 Hz to 3 kHz: its sensitivity, if it was taken "
                             "at 2.83 V and 1 m.",
                             *value));
      w.card(told ? "Sensitivity" : "Mean level", value,
             told ? "2.83 V, 1 m, mean of 300 Hz to 3 kHz" : "300 Hz to 3 kHz");
    } else {
      w.say("response.sensitivity",
            "No sensitivity is stated: the response is not valid from 300 Hz to 3 kHz.");
    }
    const ValidRange over = m.angles.value->spin.deviation_over;
    if (const auto value = w.state("spin", m.angles.told, "deviation_db")) {
      const std::string band =
          fmt::format("{} to {}", frequency_text(over.low_hz), frequency_text(over.high_hz));
      w.say("response.deviation",
            fmt::format("On the axis it departs by {} to each side of its middle from {}.", *value,
                        band));
      w.card("On the axis, to each side", value, band);
    }
  } else if (m.ahead != nullptr) {
    // A set without angles: the figure is the response's own.
    const Response& r = *m.ahead->curve;
    const auto mean = sensitivity_db(r);
    const double drive_v = m.ahead->take.conditions.drive_v;
    if (mean && drive_v > 0.0) {
      Told own;
      const double at_1m = *mean + to_level_db(2.83 / drive_v, 1.0) +
                           to_level_db(place_of(m.ahead->take).distance_m, 1.0);
      own.put("sensitivity_db", at_1m);
      if (const auto value = w.state("response", own, "sensitivity_db")) {
        w.say("response.sensitivity",
              fmt::format("Sensitivity {} at 2.83 V and 1 m, mean of 300 Hz to 3 kHz.", *value));
        w.card("Sensitivity", value, "2.83 V, 1 m, mean of 300 Hz to 3 kHz");
      }
    } else {
      w.say(
          "response.sensitivity",
          "No sensitivity is stated: the response is not valid from 300 Hz to 3 kHz, or its drive "
          "is not told.");
    }
  }
  if (!m.splice) put_reach(w, m);
  w.end();
}

void put_bass(ReportWriter& w, const SectionInput& in) {
  const ReportMaterial& m = in.material;
  w.begin("bass", "Bass");
  if (!m.near) {
    w.missing("How low it plays was not measured: " + capitalised(m.near.why_not));
    return w.end();
  }
  w.picture({"near-field", report_lane(in.score, "near-field", in.score.bass),
             "Cones and port a few millimetres before each, and their sum by volume velocity. " +
                 under(m)});
  const NearFields& near = m.near.value->near;
  LaneContent spaces = level_lane_of("What it makes at 1 m", "dB re 20 µPa");
  add_level(spaces, near.half_space, "half space", 2, false);
  if (near.full_space)
    add_level(spaces, *near.full_space, "full space, by the cabinet's edges", 0, true);
  fit_levels(spaces);
  w.picture({"bass", std::move(spaces),
             fmt::format("Of the near fields' sum at {} V.", three_digits(near.drive_v))});
  const std::string limits = lower_limits(w, "near-field", m.near.told);
  if (!limits.empty()) {
    w.say("bass.limits",
          limits + ", half space, re the near fields' own mean level (near field only).");
    w.card("F3, half space", w.state("near-field", m.near.told, "f3_hz"), "near field alone");
  } else {
    w.say("bass.limits", "F3 could not be determined from these near fields.");
  }
  if (m.splice) {
    const std::string joined = lower_limits(w, "splice", m.splice.told);
    if (!joined.empty()) {
      const auto at = w.state("splice", m.splice.told, "joined_at_hz");
      w.say("bass.joined",
            fmt::format("{} re the mean of 300 Hz to 3 kHz, free field, near field joined at {}.",
                        joined, at.value_or("the best place")));
      w.card("F6, free field", w.state("splice", m.splice.told, "f6_hz"),
             "re the mean of 300 Hz to 3 kHz, joined");
    }
  } else {
    w.missing("Near and far field were not joined: " + capitalised(m.splice.why_not));
  }
  if (const auto fb = w.state("near-field", m.near.told, "fb_hz")) {
    w.say("bass.tuning", fmt::format("Tuned to {} by cone and port.", *fb));
    w.card("Tuning", fb, "by cone and port");
  }
  if (const auto off = w.state("near-field", m.near.told, "missing_output_db"))
    w.say("bass.missing", fmt::format("{} less than the box of these figures should give.", *off));
  ReportTable rings{{"Port resonance", "below the port's top"}, {}, "What else the port plays."};
  for (const StandingOut& one : near.port_resonances)
    if (near.port_top)
      rings.rows.push_back({frequency_text(one.frequency_hz),
                            fmt::format("{:.1f} dB", near.port_top->level_db - one.level_db)});
  w.table(std::move(rings));
  std::vector<std::string> notes = near.notes;
  std::erase_if(notes, [](const std::string& n) { return n.find('_') != std::string::npos; });
  w.say_all("bass.notes", notes);
  w.end();
}

}  // namespace lalometer::sections
