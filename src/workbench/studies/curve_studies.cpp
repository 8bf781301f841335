#include "workbench/studies/curve_studies.h"

#include <algorithm>
#include <cmath>

#include "base/constants.h"
#include "base/text.h"
#include "workbench/design/baffle_prediction.h"

namespace lalometer {

DriverOffsets driver_offsets(const SubjectGeometry& g, const std::vector<TimedTake>& takes) {
  DriverOffsets out;
  struct Heard {
    const SubjectDriver* driver;
    const TimedTake* take;
    PhaseParts parts;
  };
  std::vector<Heard> heard;
  for (const SubjectDriver& driver : g.drivers) {
    for (const TimedTake& t : takes) {
      const Placement place = place_of(*t.take);
      if (t.take->conditions.driver != driver.id || t.take->kind() != TakeKind::kResponse ||
          place.horizontal_deg != 0.0 || place.vertical_deg != 0.0)
        continue;
      const bool common = is_common_time(t.origin) || t.origin.source == TimeOrigin::Source::kFile;
      auto parts = common ? phase_parts(*t.curve) : std::nullopt;
      if (!parts) {
        out.notes.push_back(
            t.take->name +
            (common ? ": too little of a band, or no phase, to read a delay from."
                    : ": it has no time in common with other takes; a loopback cable gives one."));
        continue;
      }
      heard.push_back({&driver, &t, *std::move(parts)});
      break;
    }
  }
  if (heard.size() < 2) {
    out.notes.emplace_back("An offset needs takes on the axis of two drivers, each playing alone.");
    return out;
  }
  const Heard& last = heard.back();
  const auto told = [](const Heard& h) {
    return HeardDriver{h.parts.delay_s, h.parts.delay_half_width_s,
                       std::hypot(h.driver->x_m, h.driver->y_m)};
  };
  const double distance_m = place_of(*last.take->take).distance_m;
  const double c = speed_of_sound_m_s(last.take->take->conditions.temperature_c);
  for (std::size_t i = 0; i + 1 < heard.size(); ++i) {
    if (place_of(*heard[i].take->take).distance_m != distance_m) {
      out.notes.push_back(fmt::format("{} was taken from another distance than {}.",
                                      heard[i].driver->id, last.driver->id));
      continue;
    }
    const AcousticOffset offset =
        acoustic_offset(told(heard[i]), told(last), distance_m, distance_m / c, c);
    out.offsets.push_back({heard[i].driver->id,
                           last.driver->id,
                           {offset.behind_m, offset.half_width_m},
                           heard[i].parts.inverted != last.parts.inverted});
  }
  return out;
}

std::optional<MeasuredEdges> measured_edges(const SubjectGeometry& g, const std::string& driver,
                                            const Response& in_box, const Response& large_baffle,
                                            double distance_m) {
  constexpr double kFrom_hz = 200.0;
  constexpr double kTo_hz = 10000.0;
  const ValidRange range{kFrom_hz, kTo_hz};
  auto difference = difference_of(in_box.with_valid(intersect(in_box.valid(), range)),
                                  large_baffle.with_valid(intersect(large_baffle.valid(), range)));
  if (!difference || difference->frequency_hz.back() < 2.0 * difference->frequency_hz.front())
    return std::nullopt;
  const auto axis = FrequencyAxis::make(difference->frequency_hz);
  if (!axis) return std::nullopt;
  const auto predicted = predict_diffraction(g, driver, distance_m, *axis);
  if (!predicted) return std::nullopt;
  MeasuredEdges out{.difference = *std::move(difference),
                    .model_db = predicted->level_db,
                    .explained = {},
                    .told = {}};
  out.explained = explained_by(out.difference, out.model_db);
  out.told = fmt::format("edges explain {:.1f} of {:.1f} dB rms, {} to {}; {:.1f} dB are left",
                         out.explained.explained_db, out.explained.total_db,
                         frequency_text(out.difference.frequency_hz.front()),
                         frequency_text(out.difference.frequency_hz.back()), out.explained.left_db);
  return out;
}

}  // namespace lalometer
