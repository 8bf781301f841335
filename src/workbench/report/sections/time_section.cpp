#include <fmt/format.h>

#include "base/text.h"
#include "workbench/report/sections/report_sections.h"

/// Decay and distortion.
namespace lalometer::sections {

void put_decay(ReportWriter& w, const SectionInput& in) {
  const ReportMaterial& m = in.material;
  w.begin("decay", "Decay");
  if (!m.decay) {
    w.missing("How it dies away was not measured: " + capitalised(m.decay.why_not));
    return w.end();
  }
  const DecayReading& r = *m.decay.value;
  w.picture({"decay", report_lane(in.score, "decay", in.score.ahead),
             "The spectrum of what is left as time goes on (apodised, Bunton and Small 1982)." +
                 (m.ahead == nullptr ? std::string() : " " + conditions_of(*m.ahead) + ".")});
  ReportTable table{
      {"Rings at", "20 dB down after", "periods"}, {}, "What rings on, by a matrix pencil."};
  for (const Ridge& ridge : r.ridges)
    table.rows.push_back(
        {stated_text(ridge.frequency_hz.value, ridge.frequency_hz.half_width, "Hz"),
         stated_text(1e3 * ridge.decay_s.value, 1e3 * ridge.decay_s.half_width, "ms"),
         fmt::format("{:.0f}", ridge.decay_periods())});
  if (table.rows.empty())
    w.say("decay.ridges",
          fmt::format("Nothing rings on within the {:.1f} ms that can be looked at.",
                      1e3 * r.span.length_s));
  w.table(std::move(table));
  w.say_all("decay.notes", r.notes);
  w.end();
}

void put_distortion(ReportWriter& w, const SectionInput& in) {
  const ReportMaterial& m = in.material;
  w.begin("distortion", "Distortion and level");
  if (!m.levels) {
    w.missing("Distortion was not measured: " + capitalised(m.levels.why_not));
    return w.end();
  }
  const Told& t = m.levels.told;
  const auto drive = w.state("distortion", t, "drive_v");
  const auto spl = w.state("distortion", t, "spl_db");
  w.picture({"harmonics", report_lane(in.score, "harmonics", in.score.ahead),
             fmt::format("Harmonics of the sweep at {}{}.", drive.value_or("its drive"),
                         spl ? ", " + *spl + " SPL" : std::string())});
  for (const auto& [key, per_cent] : {std::pair{"thresholds.3", 3}, std::pair{"thresholds.10", 10}})
    if (const auto from = w.state("distortion", t, key))
      w.say(fmt::format("distortion.under{}", per_cent),
            fmt::format("Total harmonic distortion stays under {} % above {} at {}.", per_cent,
                        *from, drive.value_or("this drive")));
  if (const auto last = w.state("distortion", t, "last_good_drive_v"))
    w.say("distortion.last", fmt::format("The highest drive that was found sound: {}.", *last));
  w.say_all("distortion.levels", spoken(*m.levels.value));
  w.end();
}

}  // namespace lalometer::sections
