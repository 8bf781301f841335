#include "workbench/spin/equalise_study.h"

#include <algorithm>
#include <cmath>

#include "acoustics/curves/difference.h"
#include "acoustics/near_field/bass_figures.h"
#include "acoustics/spectrum/figures.h"
#include "base/text.h"
#include "diagnosis/view/sound/features.h"
#include "workbench/design/baffle_prediction.h"
#include "workbench/spin/cone_travel.h"

namespace lalometer {
namespace {

constexpr double kShared = 0.5;

/// Dips that the edges make on the axis, within a tenth of an octave of the feature.
bool edges_make(const OrbitMaterial& m, double f) {
  if (!m.geometry || !m.geometry->baffle) return false;
  for (const SubjectDriver& d : m.geometry->drivers) {
    const auto p = predict_diffraction(*m.geometry, d.id, m.distance_m, m.orbit.axis());
    if (!p) continue;
    for (const Departure& dip : departures(p->frequency_hz, p->level_db, 1.0))
      if (dip.level_db < 0.0 && std::abs(std::log2(dip.frequency_hz / f)) < 0.15) return true;
  }
  return false;
}

std::vector<LeftAlone> left_alone(const OrbitMaterial& m, const std::vector<double>& own,
                                  double low, double high) {
  const Orbit& orbit = m.orbit;
  const auto near_h = outstanding_at(orbit, Plane::kHorizontal, 10.0, 30.0);
  const auto wide_h = outstanding_at(orbit, Plane::kHorizontal, 40.0, 60.0);
  const auto near_v = outstanding_at(orbit, Plane::kVertical, 10.0, 30.0);
  std::vector<LeftAlone> alone;
  for (const CurveFeature& f : features_of(orbit.axis(), own, low, high)) {
    const double at = f.at_hz;
    const double h = 0.5 * (shared_by(f, own, near_h) + shared_by(f, own, wide_h));
    const double v = shared_by(f, own, near_v);
    const char* what = f.height_db < 0.0 ? "dip" : "peak";
    const LeftAlone range{orbit.axis()[f.from], orbit.axis()[f.to - 1], {}};
    std::string reason;
    if (h < kShared && v < kShared && !near_v.empty())
      reason = f.height_db < 0.0 && edges_make(m, at)
                   ? "the cabinet's edges make this dip, and other angles do not have it"
                   : fmt::format(
                         "this {} changes with the angle: interference, not the driver's "
                         "response",
                         what);
    else if (h < kShared)
      reason = f.height_db < 0.0 && edges_make(m, at)
                   ? "the cabinet's edges make this dip, and the sides do not have it"
                   : fmt::format("this {} is not there at the sides", what);
    else if (v < kShared && !near_v.empty())
      reason = fmt::format("this {} stands in the horizontal plane only", what);
    if (reason.empty()) continue;
    const char* word = reason.find("edges") != std::string::npos ? "edges"
                       : h < kShared && v < kShared              ? "interference"
                                                                 : "one plane";
    alone.push_back({range.low_hz, range.high_hz, std::move(reason), word});
  }
  return alone;
}

/// What "flat" is: the mean of dB over log f from 300 Hz to 3 kHz; of what does not play there,
/// over what stands within 6 dB of its loudest third of an octave.
double middle_of(const Orbit& orbit, const std::vector<double>& level) {
  const Response curve = of_levels(orbit.axis(), level, Quantity::kRatio, orbit.valid());
  if (const auto mean = mean_level_db(curve, 300.0, 3000.0)) return *mean;
  const Response run = level_run(curve, 3);
  double top = -1e9;
  for (std::size_t i = 0; i < run.size(); ++i)
    if (orbit.valid().contains(orbit.axis()[i])) top = std::max(top, run.level_db(i));
  double sum = 0.0;
  double octaves = 0.0;
  for (std::size_t i = 0; i + 1 < run.size(); ++i) {
    if (!orbit.valid().contains(orbit.axis()[i]) || run.level_db(i) < top - 6.0) continue;
    const double step = std::log2(orbit.axis()[i + 1] / orbit.axis()[i]);
    sum += step * level[i];
    octaves += step;
  }
  return octaves > 0.0 ? sum / octaves : top;
}

/// The ends of the range where the curve falls off its target for good: a filter there drives the
/// cone or the dome, and the next octave is gone all the same. What lies low but level (the
/// baffle's step, a tilt) is no roll-off.
void leave_roll_offs(std::vector<LeftAlone>& alone, const FrequencyAxis& axis,
                     const std::vector<double>& level, const std::vector<double>& target,
                     double from, double to, bool from_f3) {
  constexpr double kFallen_db = 0.5;
  constexpr double kSteep_db = 2.0;  // an octave
  const Response run = level_run(of_levels(axis, level, Quantity::kRatio, {0.0, 1e12}), 6);
  const auto fallen = [&](std::size_t i) { return run.level_db(i) < target[i] - kFallen_db; };
  // Steeper than the target over the third of an octave toward the end of the range.
  const auto falls = [&](std::size_t i, double outward) {
    const std::size_t there = axis.bracket(axis[i] * std::exp2(outward / 3.0));
    const double octaves = std::abs(std::log2(axis[there] / axis[i]));
    if (octaves < 0.05) return true;
    return (run.level_db(i) - target[i] - run.level_db(there) + target[there]) / octaves >
           kSteep_db;
  };
  std::size_t low = 0;
  while (low + 1 < axis.size() && axis[low] < from) ++low;
  std::size_t high = axis.size() - 1;
  while (high > 0 && axis[high] > to) --high;
  std::size_t up = low;
  while (up < high && fallen(up) && falls(up, -1.0)) ++up;
  // Its shoulder belongs to it.
  constexpr double kShoulder = 1.41421356;
  const double low_end = axis[up] * kShoulder;
  while (up > low && up < high && fallen(up) && axis[up] < low_end) ++up;
  // Half an octave over F3 any box still falls, whatever ripple lies over it.
  while (from_f3 && up < high && axis[up] < from * kShoulder) ++up;
  if (up > low)
    alone.push_back(
        {axis[low], axis[up], "here the roll-off begins: it is the box's to mend", "roll-off"});
  std::size_t down = high;
  while (down > up && fallen(down) && falls(down, 1.0)) --down;
  const double high_end = axis[down] / kShoulder;
  while (down < high && down > up && fallen(down) && axis[down] > high_end) --down;
  if (down < high)
    alone.push_back({axis[down], axis[high], "here it falls off at the top for good", "top"});
}

/// Rms off a straight line over log f.
double off_line(const FrequencyAxis& axis, const std::vector<double>& level, double from,
                double to) {
  const auto trend = trend_of(axis, level, from, to);
  if (!trend) return 0.0;
  double square = 0.0;
  double octaves = 0.0;
  for (std::size_t i = 0; i + 1 < axis.size(); ++i) {
    if (axis[i] < from || axis[i] > to) continue;
    const double step = std::log2(axis[i + 1] / axis[i]);
    square += step * std::pow(level[i] - trend->level_at_1k_db -
                                  trend->slope_db_per_octave * std::log2(axis[i] / 1000.0),
                              2);
    octaves += step;
  }
  return octaves > 0.0 ? std::sqrt(square / octaves) : 0.0;
}

/// What the filters do to every average, and to headroom.
void tell_effects(EqualiseAdvice& out, const FrequencyAxis& axis, const Spinorama& spin) {
  std::vector<double> gain(out.before_db.size());
  for (std::size_t i = 0; i < gain.size(); ++i) {
    gain[i] = out.equalisation.after_db[i] - out.before_db[i];
    out.headroom_db = std::max(out.headroom_db, gain[i]);
  }
  for (const auto& [what, level] : {std::pair{"on axis", &spin.on_axis_db},
                                    std::pair{"listening window", &spin.listening_window_db},
                                    std::pair{"early reflections", &spin.early_reflections_db},
                                    std::pair{"sound power", &spin.sound_power_db},
                                    std::pair{"in room, predicted", &spin.predicted_in_room_db}}) {
    if (level->empty()) continue;
    std::vector<double> after = *level;
    for (std::size_t i = 0; i < after.size(); ++i) after[i] += gain[i];
    out.effects.push_back({what, off_line(axis, *level, out.from_hz, out.to_hz),
                           off_line(axis, after, out.from_hz, out.to_hz)});
  }
}

/// Where the loudspeaker adds more than 3 % already.
void leave_strained(EqualiseAdvice& out, const OrbitMaterial& m) {
  if (!m.strained) return;
  for (const Strain& s : *m.strained)
    if (s.high_hz > out.from_hz && s.low_hz < out.to_hz)
      out.refused.push_back(
          {std::max(s.low_hz, out.from_hz), std::min(s.high_hz, out.to_hz),
           fmt::format("THD is up to {:.0f} % here at {} V: more level adds more of it",
                       s.thd_percent, three_digits(s.drive_v)),
           "distortion"});
}

/// Where the cone is past its Xmax at the rated power as it is.
void leave_excursion(EqualiseAdvice& out, const FrequencyAxis& axis, const ConeTravel& travel) {
  std::size_t from = axis.size();
  for (std::size_t i = 0; i <= axis.size(); ++i) {
    const bool past = i < axis.size() && axis[i] >= out.from_hz && axis[i] <= out.to_hz &&
                      travel.peak_m[i] > travel.xmax_m;
    if (past && from == axis.size()) from = i;
    if (past || from == axis.size()) continue;
    const double widest = *std::max_element(
        travel.peak_m.begin() + static_cast<std::ptrdiff_t>(from),
        travel.peak_m.begin() + static_cast<std::ptrdiff_t>(std::min(i, axis.size())));
    out.refused.push_back(
        {axis[from], axis[i - 1],
         fmt::format("at its rated power ({} V) {} travels {:.1f} ± {:.1f} mm here by the measured "
                     "level, its Xmax is {:.1f} mm: there is no more to be had",
                     three_digits(travel.rated_v), travel.drivers, widest * 1e3,
                     kTravelWithin * widest * 1e3, travel.xmax_m * 1e3),
         "excursion"});
    from = axis.size();
  }
}

/// What the filters leave of the drive before a cone is at its Xmax.
void tell_excursion(EqualiseAdvice& out, const FrequencyAxis& axis,
                    const std::optional<ConeTravel>& travel) {
  const auto before = travel ? travel->limit(axis, {}) : std::nullopt;
  if (travel && !before) {
    out.notes.push_back(fmt::format(
        "Excursion was not looked at: from {} to {}, where {} plays the bass, nothing was "
        "measured.",
        frequency_text(travel->low_hz), frequency_text(travel->high_hz), travel->drivers));
    return;
  }
  if (!before) {
    out.notes.emplace_back(
        "Excursion was not looked at: it needs absolute levels and xmax_mm, power_w, re_ohm and "
        "size of what plays the bass, in a box.");
    return;
  }
  std::vector<double> gain(axis.size());
  for (std::size_t i = 0; i < gain.size(); ++i)
    gain[i] = out.equalisation.after_db[i] - out.before_db[i];
  const auto after = travel->limit(axis, gain);
  std::string said =
      fmt::format("From {} up {} reaches its Xmax at {} V near {} (within {:.0f} %)",
                  frequency_text(travel->low_hz), travel->drivers, three_digits(before->volts),
                  frequency_text(before->at_hz), 100.0 * kTravelWithin);
  if (std::abs(after->volts / before->volts - 1.0) > 0.01)
    said += fmt::format("; with these filters at {} V near {}", three_digits(after->volts),
                        frequency_text(after->at_hz));
  out.notes.push_back(said + ".");
}

}  // namespace

std::optional<EqualiseFor> equalise_for(std::string_view word) {
  if (word == "on-axis") return EqualiseFor::kOnAxis;
  if (word == "listening-window") return EqualiseFor::kListeningWindow;
  if (word == "predicted-in-room") return EqualiseFor::kPredictedInRoom;
  return std::nullopt;
}

Result<EqualiseAdvice> equalise_advice(const OrbitMaterial& m, const EqualiseWish& wish,
                                       const std::string& where) {
  const Orbit& orbit = m.orbit;
  const Spinorama spin = spinorama(orbit);
  const std::vector<double>& level = wish.of == EqualiseFor::kOnAxis ? spin.on_axis_db
                                     : wish.of == EqualiseFor::kListeningWindow
                                         ? spin.listening_window_db
                                         : spin.predicted_in_room_db;
  if (level.empty())
    return bad_input(wish.of == EqualiseFor::kOnAxis
                         ? "There is no response at 0°."
                         : "An angle that this curve needs is missing (--for on-axis needs one; "
                           "--mirror takes one side for the other).",
                     where);
  EqualiseAdvice out;
  out.before_db = level;
  const double middle = middle_of(orbit, level);
  const Response curve = of_levels(orbit.axis(), level, Quantity::kRatio, orbit.valid());
  const double valid_from = std::max(orbit.axis().front(), orbit.valid().low_hz);
  double from = valid_from;
  if (const auto f3 = fall_off_hz(level_run(curve, 12), middle, 3.0, 0.1))
    from = std::max(from, f3->value);
  out.from_hz = wish.from_hz.value_or(from);
  out.to_hz = std::min({wish.to_hz.value_or(16000.0), orbit.axis().back(), orbit.valid().high_hz});
  if (!(out.to_hz > 2.0 * out.from_hz))
    return bad_input(fmt::format("From {} to {} there is less than an octave to mend.",
                                 frequency_text(out.from_hz), frequency_text(out.to_hz)),
                     where);
  const auto trend = trend_of(orbit.axis(), level, std::max(out.from_hz, 100.0), out.to_hz);
  std::vector<double> told;
  if (wish.target_axis)
    for (const double f : orbit.axis().hz())
      told.push_back(value_between(*wish.target_axis, wish.target_db, f));
  const double told_middle = told.empty() ? 0.0 : middle_of(orbit, told);
  for (std::size_t i = 0; i < orbit.axis().size(); ++i) {
    const double f = orbit.axis()[i];
    if (!told.empty())
      out.target_db.push_back(told[i] - told_middle + middle);
    else if (wish.slope && trend)
      out.target_db.push_back(trend->level_at_1k_db +
                              trend->slope_db_per_octave * std::log2(f / 1000.0));
    else
      out.target_db.push_back(middle);
  }
  out.refused = left_alone(m, outstanding(orbit.axis(), level), out.from_hz, out.to_hz);
  leave_roll_offs(out.refused, orbit.axis(), level, out.target_db, out.from_hz, out.to_hz,
                  !wish.from_hz && out.from_hz > valid_from * 1.01);
  leave_strained(out, m);
  const auto travel = cone_travel(m, out.from_hz);
  if (travel) leave_excursion(out, orbit.axis(), *travel);
  std::stable_sort(out.refused.begin(), out.refused.end(),
                   [](const LeftAlone& a, const LeftAlone& b) { return a.low_hz < b.low_hz; });
  EqualiseLimits limits{.from_hz = out.from_hz,
                        .to_hz = out.to_hz,
                        .filters = wish.filters,
                        .max_boost_db = wish.max_boost_db,
                        .sample_rate_hz = wish.sample_rate_hz};
  out.equalisation = equalised(orbit.axis(), level, out.target_db, out.refused, limits);
  tell_effects(out, orbit.axis(), spin);
  if (out.from_hz > orbit.axis().front() * 1.05) {
    LeftAlone below{orbit.axis().front(), out.from_hz, {}};
    below.what = out.from_hz > valid_from * 1.01 ? "below F3" : "below the gate";
    below.reason = std::string(out.from_hz > valid_from * 1.01
                                   ? "below F3: lifting the roll-off drives the cone, not the level"
                                   : "below the gate's limit nothing is known");
    std::vector<LeftAlone> all;
    all.push_back(std::move(below));
    for (LeftAlone& one : out.refused) all.push_back(std::move(one));
    out.refused = std::move(all);
  }
  tell_excursion(out, orbit.axis(), travel);
  out.notes.emplace_back(
      m.strained ? "Distortion was looked at only at the drive of the sweep on the axis: where it "
                   "stands in the way, less boost still."
                 : "Distortion was not looked at (no sweep straight ahead): where it stands in the "
                   "way, less boost still.");
  return out;
}

}  // namespace lalometer
