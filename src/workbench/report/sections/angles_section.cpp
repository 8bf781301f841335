#include <fmt/format.h>

#include "base/text.h"
#include "workbench/report/sections/report_sections.h"

namespace lalometer::sections {
namespace {

/// Under which conditions the response on the axis was taken, and with it the angles.
std::string under(const SectionInput& in) {
  return in.material.ahead == nullptr ? std::string() : conditions_of(*in.material.ahead) + ".";
}

void put_circle(ReportWriter& w, const SectionInput& in, Plane plane) {
  const bool across = plane == Plane::kHorizontal;
  const CircleReading& circle = in.material.angles.value->circle(plane);
  if (!circle.map || circle.map->degrees.size() < 3) {
    w.missing(fmt::format("Angles {} were not measured.",
                          across ? "to the sides" : "upward and downward"));
    return;
  }
  const std::string name = across ? "horizontal" : "vertical";
  w.picture(
      {"angles-" + name, report_lane(in.score, "angles-" + name, in.score.ahead),
       fmt::format("{} circle, {} angles, dB re the axis, lines every 3 dB. {}",
                   across ? "Horizontal" : "Vertical", circle.map->degrees.size(), under(in))});
  if (circle.coverage)
    w.say("angles.coverage-" + name,
          fmt::format("{}, it covers {:.0f}° to {:.0f} dB under the axis, held from {} to {}.",
                      across ? "To the sides" : "Upward and downward", circle.coverage->degrees,
                      circle.fall_db, frequency_text(circle.coverage->from_hz),
                      frequency_text(circle.coverage->to_hz)));
  std::vector<std::string> changes;
  for (const BeamChange& change : circle.changes)
    changes.push_back(capitalised(name) + ": " + spoken(change));
  w.say_all("angles.changes-" + name, changes);
}

}  // namespace

void put_angles(ReportWriter& w, const SectionInput& in) {
  const ReportMaterial& m = in.material;
  w.begin("angles", "Directivity");
  if (!m.angles) {
    w.missing("Directivity was not measured: " + capitalised(m.angles.why_not));
    return w.end();
  }
  const Told& t = m.angles.told;
  const AngleReading& r = *m.angles.value;
  const Orbit& orbit = r.material->orbit;
  if (orbit.rays(Plane::kHorizontal).size() + orbit.rays(Plane::kVertical).size() < 3) {
    w.missing("Directivity was not measured: there are no angles beside the axis.");
    return w.end();
  }
  w.picture({"spinorama", report_lane(in.score, "spinorama", in.score.ahead),
             "Averages of CTA-2034-A with their indices at the right; power means of the angles. " +
                 under(in)});
  if (const auto slope = w.state("spin", t, "predicted_in_room_slope_db_per_octave"))
    w.say("angles.slope",
          fmt::format("In a usual room it should fall by {} an octave (predicted in-room "
                      "response, 100 Hz to 16 kHz).",
                      *slope + " dB"));
  if (const auto score = w.state("spin", t, "preference.score")) {
    const auto sub = w.state("spin", t, "preference.score_with_subwoofer");
    w.say("angles.rating",
          fmt::format("Preference rating {}{} (Olive 2004; it tells nothing of output, distortion "
                      "or taste).",
                      *score, sub ? ", with a subwoofer " + *sub : std::string()));
    w.card("Preference rating", score, "Olive 2004");
  } else {
    w.say("angles.rating", "No preference rating is stated: it needs the 70 angles and the bass.");
  }
  put_circle(w, in, Plane::kHorizontal);
  put_circle(w, in, Plane::kVertical);
  if (const CircleReading& c = r.horizontal; c.map && c.map->degrees.size() >= 3) {
    w.picture({"beamwidth", report_lane(in.score, "beamwidth", in.score.ahead),
               "Full angle between the places 6 dB under the axis. " + under(in)});
    for (const auto& [key, command] :
         {std::pair{"coverage_deg", "directivity"}, std::pair{"coverage_from_hz", "directivity"},
          std::pair{"coverage_to_hz", "directivity"}})
      (void)w.state(command, m.horizontal, key);
  }
  std::vector<std::string> features;
  for (const IndexFeature& f : r.features) features.push_back(spoken(f));
  w.say_all("angles.index", features);
  for (std::size_t i = 0; i < r.lobes.size(); ++i)
    w.say(fmt::format("angles.lobe.{}", i + 1), capitalised(spoken(r.lobes[i])) + ".");
  // What names keys is for scripts; of a rating that is not stated nothing more is told.
  const bool rated = ReportWriter::number(t, "preference.score").has_value();
  std::vector<std::string> notes = r.spin.notes;
  std::erase_if(notes, [&](const std::string& n) {
    return n.find('_') != std::string::npos ||
           (!rated && n.find("preference") != std::string::npos);
  });
  w.say_all("angles.notes", notes);
  w.end();
}

}  // namespace lalometer::sections
