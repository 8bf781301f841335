#include "workbench/taking/level/drive_guard.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "acoustics/spectrum/bands.h"
#include "base/constants.h"
#include "base/text.h"
#include "workbench/level/distortion_study.h"
#include "workbench/practice/practice_subject.h"
#include "workbench/taking/level/tones_runner.h"

namespace lalometer {
namespace {

/// Linear travel is told; the suspension's end is about so much farther (common practice).
constexpr double kTravel = 1.5;
constexpr double kMultitonePeak = 3.0;
constexpr double kThd = 0.10;
constexpr double kLost_db = 3.0;

struct Stress {
  double travel_m_per_v = 0.0;  ///< peak, per volt rms at the amplifier
  double travel_hz = 0.0;
  double power_w_per_v2 = 0.0;
  double power_hz = 0.0;
};

Stress stress_of(const PracticeWay& way, const TakeRequest& r) {
  Stress worst;
  const double high_hz = std::min(r.stop_hz, 0.45 * r.sample_rate_hz);
  double travel_square = 0.0;
  double power = 0.0;
  double tones = 0.0;
  const double per_octave = r.kind == TakeKind::kMultitone ? r.tones_per_octave : 24.0;
  for (double f = std::max(r.start_hz, 1.0); f <= high_hz; f *= std::exp2(1.0 / per_octave)) {
    const WayState state = solve_way(way, f);
    const double travel = std::abs(state.cone_velocity) / (2.0 * kPi * f);
    const double watt = std::norm(state.ladder) / std::max(way.driver.re_ohm, 0.1);
    travel_square += travel * travel;
    power += watt;
    tones += 1.0;
    if (std::sqrt(2.0) * travel > worst.travel_m_per_v) {
      worst.travel_m_per_v = std::sqrt(2.0) * travel;
      worst.travel_hz = f;
    }
    if (watt > worst.power_w_per_v2) {
      worst.power_w_per_v2 = watt;
      worst.power_hz = f;
    }
  }
  if (r.kind == TakeKind::kMultitone && tones > 0.0) {
    worst.travel_m_per_v = kMultitonePeak * std::sqrt(travel_square / tones);
    worst.power_w_per_v2 = power / tones;
  }
  return worst;
}

std::optional<DistortionReading> read(const TakeOutcome& outcome, const RigCalibration& rig) {
  if (!holds_sweep(outcome.take)) return std::nullopt;
  AnalysisInput input;
  input.take = outcome.take;
  input.raw = raw_of(outcome).bytes;
  input.rig = rig;
  const auto stage = impulse_stage(input, {});
  if (!stage) return std::nullopt;
  auto reading = distortion_reading(outcome.take, *stage);
  return reading ? std::optional(*std::move(reading)) : std::nullopt;
}

}  // namespace

std::optional<DriveLimit> drive_limit(const Description& description, const TakeRequest& request) {
  if (request.kind == TakeKind::kImpedance) return std::nullopt;
  const auto speaker = practice_speaker_of(description, "");
  if (!speaker) return std::nullopt;
  std::optional<DriveLimit> lowest;
  const auto limit = [&](double volts, const std::string& why) {
    if (!lowest || volts < lowest->highest_v) lowest = DriveLimit{volts, why};
  };
  for (const DescribedDriver& told : description.drivers) {
    const PracticeWay* way = speaker->way(told.id);
    if (way == nullptr) continue;
    const Stress stress = stress_of(*way, request);
    if (told.xmax_mm.value_or(0.0) > 0.0 && stress.travel_m_per_v > 0.0) {
      const double most_mm = kTravel * *told.xmax_mm;
      limit(most_mm / 1e3 / stress.travel_m_per_v,
            fmt::format("beyond it the cone of {} passes {} mm near {}", told.id, shortest(most_mm),
                        frequency_text(stress.travel_hz)));
    }
    if (told.power_w.value_or(0.0) > 0.0 && stress.power_w_per_v2 > 0.0)
      limit(std::sqrt(*told.power_w / stress.power_w_per_v2),
            fmt::format("beyond it {} takes more than its {} W", told.id, shortest(*told.power_w)));
  }
  return lowest;
}

std::optional<std::string> enough(const TakeOutcome& lowest, const TakeOutcome& now,
                                  const RigCalibration& rig) {
  const auto first = read(lowest, rig);
  const auto last = read(now, rig);
  if (!first || !last) return std::nullopt;
  const std::vector<LevelStep> steps = {level_step(*first), level_step(*last)};
  const ValidRange judged = judged_band(steps);
  const Harmonics& h = last->harmonics;
  const std::string drive = three_digits(now.take.conditions.drive_v);
  const Compression lost = compression_of(steps, 1);
  for (const Band& band : fractional_octave_bands(judged.low_hz, judged.high_hz, 3)) {
    double thd = 0.0;
    double fall = 0.0;
    double count = 0.0;
    for (std::size_t i = 0; i < h.axis.size(); ++i) {
      if (h.axis[i] < band.low_hz || h.axis[i] >= band.high_hz || !h.thd[i].known) continue;
      thd += h.thd[i].ratio * h.thd[i].ratio;
      if (i < lost.level_db.size() && std::isfinite(lost.level_db[i])) fall += lost.level_db[i];
      count += 1.0;
    }
    if (count < 1.0) continue;
    if (std::sqrt(thd / count) > kThd)
      return fmt::format("At {} V THD is {:.0f} % around {}.", drive,
                         100.0 * std::sqrt(thd / count), frequency_text(band.centre_hz));
    if (fall / count < -kLost_db)
      return fmt::format("At {} V {:.1f} dB are lost around {}.", drive, -fall / count,
                         frequency_text(band.centre_hz));
  }
  return std::nullopt;
}

}  // namespace lalometer
