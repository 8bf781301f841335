#include "workbench/taking/plan/level_plans.h"

#include <algorithm>
#include <cmath>

namespace lalometer {
namespace {

constexpr double kLongSweep_s = 2.7;

/// One step of a series, in volts or as a level at 1 m.
struct LevelWanted {
  std::string name;
  double drive_v = 0.0;
  double target_spl_db = 0.0;

  void put(TakeRequest& r) const {
    r.drive_v = drive_v;
    r.target_spl_db = target_spl_db;
  }
};

/// The softest first.
std::vector<LevelWanted> steps_of(const PlanOptions& w) {
  std::vector<LevelWanted> steps;
  std::vector<double> levels = w.levels_db.empty() ? w.levels_v : w.levels_db;
  std::sort(levels.begin(), levels.end());
  for (const double level : levels) {
    if (!(level > 0.0)) continue;
    if (w.levels_db.empty())
      steps.push_back({fmt::format("{} V", three_digits(level)), level, 0.0});
    else
      steps.push_back({fmt::format("{} dB", shortest(level)), w.highest_v, level});
  }
  return steps;
}

void fill_drives(PlanMaker& make, const std::vector<LevelWanted>& levels) {
  const auto add = [&](const LevelWanted& level, const char* more, const char* instruction) {
    TakeRequest& r = make.response(0.0, false, instruction);
    r.name = "On axis, " + level.name + more;
    level.put(r);
    r.duration_s = kLongSweep_s;
  };
  for (const LevelWanted& level : levels) add(level, "", &level == &levels.front() ? kOnAxis : "");
  // The softest once more: what warmth has changed meanwhile.
  if (levels.size() > 1) add(levels.front(), ", again", "");
}

/// All tones, those that a subwoofer leaves, and the upper driver's alone: each tone as loud in all
/// three.
void fill_multitones(PlanMaker& make, const std::vector<LevelWanted>& levels) {
  constexpr double kLow_hz = 20.0;
  constexpr double kHigh_hz = 20000.0;
  const PlanOptions& w = make.wishes();
  const double upper_hz = w.upper_from_hz > 0.0 ? w.upper_from_hz : make.highest_crossover_hz();
  std::vector<double> starts = {kLow_hz};
  for (const double from : {w.subwoofer_from_hz, upper_hz})
    if (from > starts.back()) starts.push_back(from);
  for (const LevelWanted& level : levels)
    for (const double from_hz : starts) {
      const bool first = &level == &levels.front() && from_hz == kLow_hz;
      const std::string name = from_hz == kLow_hz
                                   ? std::string("Multitone, ")
                                   : fmt::format("Multitone from {}, ", frequency_text(from_hz));
      TakeRequest& r = make.add(TakeKind::kMultitone, fmt::format("tones-{:.0f}", from_hz),
                                name + level.name, first ? kOnAxis : "");
      level.put(r);
      r.start_hz = from_hz;
      r.stop_hz = kHigh_hz;
      r.duration_s = 12.0;
      r.repeats = 1;
      r.tones_per_octave = w.tones_per_octave;
      // Fewer tones of the same strength have less together.
      if (r.target_spl_db <= 0.0)
        r.drive_v *= std::sqrt(std::log2(kHigh_hz / from_hz) / std::log2(kHigh_hz / kLow_hz));
    }
}

void fill_steady(PlanMaker& make) {
  make.response(0.0, false, kOnAxis).duration_s = kLongSweep_s;
  TakeRequest& r = make.add(TakeKind::kSteadyTones, "steady", "Tones one by one", "");
  r.stop_hz = 10000.0;
  r.start_hz = 20.0;
  r.repeats = 1;
  r.tones_per_octave = make.wishes().tones_per_octave;
}

}  // namespace

Result<void> fill_levels(PlanMaker& make, Purpose purpose) {
  const PlanOptions& w = make.wishes();
  if (purpose == Purpose::kSteadyTones) {
    fill_steady(make);
    return {};
  }
  if (purpose == Purpose::kNearLevels) {
    std::vector<double> drives = w.levels_v;
    std::sort(drives.begin(), drives.end());
    if (drives.empty()) return bad_input("No level is told.");
    if (!make.near_fields(drives))
      return bad_input("The drawing names no cone or port to hold a microphone to.");
    return {};
  }
  const std::vector<LevelWanted> levels = steps_of(w);
  if (levels.empty()) return bad_input("No level is told.");
  if (purpose == Purpose::kMultitone)
    fill_multitones(make, levels);
  else
    fill_drives(make, levels);
  return {};
}

void fill_rub(PlanMaker& make) {
  TakeRequest& r = make.response(
      0.0, false, "Microphone on the axis and near, 0.3 m or less; nothing loose on the bench.");
  r.name = "Slow sweep";
  r.duration_s = 8.0;
  r.repeats = 1;
}

}  // namespace lalometer
