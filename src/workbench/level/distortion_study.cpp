#include "workbench/level/distortion_study.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>

#include "acoustics/signal/checks/noise_floor.h"
#include "acoustics/signal/recording/recording_checks.h"
#include "base/constants.h"
#include "base/text.h"
#include "exchange/audio_file.h"

namespace lalometer {
namespace {

/// The stretch of the impulse response that holds nothing but noise: the second half of what comes
/// after the arrival.
std::optional<Response> noise_of(const ImpulseStage& stage, std::vector<std::string>& notes) {
  if (stage.noise) return stage.noise;
  const ImpulseResponse& h = *stage.impulse;
  const double end_s = h.time_s(h.samples.size());
  const double half_s = 0.5 * (end_s - stage.arrival_s);
  notes.emplace_back(
      "No silence stands before the sweep: the noise was taken from the end of the response, where "
      "a long decay would count as noise.");
  return noise_within(h, stage.arrival_s + half_s, end_s - 0.02 * half_s,
                      stage.calibrated ? Quantity::kPressure : Quantity::kRatio);
}

/// Mean level of the fundamental over log f from 300 Hz to 3 kHz, dB re 1; of what does not play
/// all of that, over where it is within 10 dB of its loudest.
double mean_level_db(const Harmonics& h) {
  ValidRange band = own_band(h, 10.0);
  if (band.low_hz <= 300.0 && band.high_hz >= 3000.0) band = {300.0, 3000.0};
  double sum = 0.0;
  double count = 0.0;
  for (std::size_t i = 0; i < h.axis.size(); ++i) {
    if (!band.contains(h.axis[i])) continue;
    sum += to_level_db(std::abs(h.order(1).value[i]), 1.0);
    count += 1.0;
  }
  return count > 0.0 ? sum / count : -400.0;
}

std::string threshold_note(const Threshold& t, const char* percent) {
  switch (t.why) {
    case Threshold::Why::kCrossed:
      return {};
    case Threshold::Why::kNeverOver:
      return fmt::format("THD stays under {} % from {} on, as far down as this take tells.",
                         percent, frequency_text(t.seen_from_hz));
    case Threshold::Why::kNeverUnder:
      return fmt::format("THD is over {} % up to the highest frequency this take tells.", percent);
    case Threshold::Why::kNoise:
      return fmt::format("Below {} noise hides whether THD is under {} %.",
                         frequency_text(t.seen_from_hz), percent);
  }
  return {};
}

}  // namespace

bool holds_sweep(const Take& take) {
  const Stimulus& s = take.conditions.stimulus;
  return is_pressure(take) &&
         (take.form == RawForm::kRecording || take.form == RawForm::kSweepFile) &&
         s.duration_s > 0.0 && s.start_hz > 0.0 && s.stop_hz > s.start_hz;
}

Result<DistortionReading> distortion_reading(const Take& take, const ImpulseStage& stage,
                                             const HarmonicsWish& wish) {
  if (!holds_sweep(take))
    return bad_input(
        "Harmonics need the recorded sweep; this is an impulse response or a curve alone.",
        take.raw_name.empty() ? take.name : take.raw_name);
  const Stimulus& s = take.conditions.stimulus;
  std::vector<std::string> notes = stage.notes;
  const auto spec =
      SweepSpec::make({s.start_hz, s.stop_hz, s.duration_s, stage.impulse->sample_rate_hz});
  if (!spec) return tl::unexpected(spec.error());
  const auto noise = noise_of(stage, notes);
  if (!noise)
    return bad_input("The recording is too short to tell its noise.",
                     take.raw_name.empty() ? take.name : take.raw_name);
  HarmonicsWish own = wish;
  if (!stage.calibrated) own.microphone_ratio_per_unit = 0.0;
  auto harmonics = harmonics_of(*stage.impulse, stage.arrival_s, *spec, *noise, own);
  if (!harmonics) return tl::unexpected(harmonics.error());
  if (take.form == RawForm::kSweepFile && take.conditions.loopback_channel < 0)
    notes.emplace_back(fmt::format(
        "Nothing heard what was played: below {} harmonics hold only if the sweep began without a "
        "fade.",
        frequency_text(4.0 * s.start_hz)));
  DistortionReading r =
      reading_of(take, *std::move(harmonics), stage.calibrated, wish, std::move(notes));
  r.per_volt = !stage.calibrated &&
               (take.form == RawForm::kRecording || take.conditions.loopback_channel >= 0);
  return r;
}

HarmonicsWish with_microphone(HarmonicsWish wish, const RigCalibration& rig) {
  if (rig.microphone_thd_percent > 0.0 && rig.microphone_thd_db_spl > 0.0)
    wish.microphone_ratio_per_unit =
        rig.microphone_thd_percent / 100.0 /
        (kReferencePressure_pa * std::pow(10.0, rig.microphone_thd_db_spl / 20.0));
  return wish;
}

DistortionReading reading_of(const Take& take, Harmonics harmonics, bool calibrated,
                             const HarmonicsWish& wish, std::vector<std::string> notes) {
  DistortionReading r{.harmonics = std::move(harmonics),
                      .drive_v = take.conditions.drive_v,
                      .calibrated = calibrated,
                      .three_percent = {},
                      .ten_percent = {}};
  const auto* tones = std::get_if<SteadyTonesSetup>(&take.setup);
  const bool near =
      take.kind() == TakeKind::kNearField || (tones != nullptr && !tones->source.empty());
  if (!near) r.distance_m = place_of(take).distance_m;
  if (take.conditions.spl_db > 0.0)
    r.spl_db = take.conditions.spl_db;
  else if (calibrated)
    r.spl_db = mean_level_db(r.harmonics) - 20.0 * std::log10(kReferencePressure_pa);
  r.three_percent = threshold_of(r.harmonics, 3.0);
  r.ten_percent = threshold_of(r.harmonics, 10.0);
  r.notes = std::move(notes);
  for (const std::string& note :
       {threshold_note(r.three_percent, "3"), threshold_note(r.ten_percent, "10")})
    if (!note.empty()) r.notes.push_back(note);
  if (wish.microphone_ratio <= 0.0 && (wish.microphone_ratio_per_unit <= 0.0 || !calibrated))
    r.notes.emplace_back("The microphone's own distortion is not told, and is not taken off.");
  return r;
}

std::vector<Strain> strained_ranges(const DistortionReading& r, double percent) {
  constexpr double kNarrowest = 1.122462;  // a sixth of an octave
  std::vector<Strain> all;
  const FrequencyAxis& axis = r.harmonics.axis;
  bool open = false;
  for (std::size_t i = 0; i < axis.size(); ++i) {
    const Thd& t = r.harmonics.thd[i];
    const bool over = t.known && 100.0 * t.ratio >= percent;
    if (over && !open) all.push_back({axis[i], axis[i], 0.0, r.drive_v});
    if (over) {
      all.back().high_hz = axis[i];
      all.back().thd_percent = std::max(all.back().thd_percent, 100.0 * t.ratio);
    }
    open = over;
  }
  std::erase_if(all, [](const Strain& s) { return s.high_hz < kNarrowest * s.low_hz; });
  return all;
}

std::vector<LevelStep> LevelsReading::level_steps() const {
  std::vector<LevelStep> all;
  for (const auto& step : steps) all.push_back(level_step(*step));
  return all;
}

LevelsReading levels_reading(std::vector<std::shared_ptr<const DistortionReading>> readings) {
  LevelsReading r;
  // The first at each drive counts; a later one tells what has changed meanwhile.
  for (const auto& each : readings) {
    const auto same = std::find_if(r.steps.begin(), r.steps.end(), [&](const auto& step) {
      return std::abs(step->drive_v / each->drive_v - 1.0) < 1e-3;
    });
    if (same == r.steps.end()) {
      r.steps.push_back(each);
      continue;
    }
    const std::vector<LevelStep> pair = {level_step(**same), level_step(*each)};
    const Compression change = compression_of(pair, 1);
    const ValidRange judged = judged_band(pair);
    const FrequencyAxis& axis = (*same)->harmonics.axis;
    double sum = 0.0;
    double squares = 0.0;
    double count = 0.0;
    for (std::size_t i = 0; i < axis.size(); ++i) {
      if (!judged.contains(axis[i]) || !std::isfinite(change.level_db[i])) continue;
      sum += change.level_db[i];
      squares += std::pow(change.half_width[i], 2);
      count += 1.0;
    }
    // Neighbours share their noise: a sixth of an octave each tells its own.
    if (count > 0.0)
      r.drift_db = Estimate{sum / count, std::sqrt(squares / count / std::max(count / 8.0, 1.0))};
  }
  std::stable_sort(r.steps.begin(), r.steps.end(),
                   [](const auto& a, const auto& b) { return a->drive_v < b->drive_v; });
  const std::vector<LevelStep> steps = r.level_steps();
  for (std::size_t k = 0; k < steps.size(); ++k) r.compression.push_back(compression_of(steps, k));
  r.growth = growth_of(steps);
  r.clean = clean_levels(steps, 3.0);
  r.judged = judged_band(steps);
  r.last_good = last_good_step(steps, r.judged);
  if (steps.size() > 1 && !r.drift_db)
    r.notes.emplace_back(
        "No drive was taken twice: compression at once and a voice coil that grew warm meanwhile "
        "are not told apart. Take the lowest drive once more at the end.");
  return r;
}

bool same_level_place(const Take& a, const Take& b) {
  const auto near = [](const Take& t) {
    const auto* s = std::get_if<NearFieldSetup>(&t.setup);
    return s == nullptr ? std::string() : s->source;
  };
  const Placement pa = place_of(a);
  const Placement pb = place_of(b);
  return holds_sweep(a) && holds_sweep(b) && near(a) == near(b) &&
         (a.kind() == TakeKind::kNearField) == (b.kind() == TakeKind::kNearField) &&
         std::abs(pa.distance_m - pb.distance_m) < 1e-4 * std::max(pa.distance_m, 0.01) &&
         pa.horizontal_deg == pb.horizontal_deg && pa.vertical_deg == pb.vertical_deg &&
         a.conditions.driver == b.conditions.driver && a.conditions.sample == b.conditions.sample &&
         a.variant_id == b.variant_id;
}

std::vector<std::size_t> level_group(const std::vector<const Take*>& takes, const LevelWish& wish) {
  std::vector<std::size_t> best;
  double best_rank = -1e9;
  for (std::size_t i = 0; i < takes.size(); ++i) {
    const Take& t = *takes[i];
    if (!holds_sweep(t) || t.conditions.driver != wish.driver) continue;
    const auto* near = std::get_if<NearFieldSetup>(&t.setup);
    if ((near != nullptr) != !wish.source.empty()) continue;
    if (near != nullptr && near->source != wish.source) continue;
    std::vector<std::size_t> group;
    std::map<long, int> drives;
    for (std::size_t k = 0; k < takes.size(); ++k)
      if (same_level_place(t, *takes[k])) {
        group.push_back(k);
        ++drives[std::lround(1e4 * takes[k]->conditions.drive_v)];
      }
    const Placement place = place_of(t);
    const double rank = static_cast<double>(drives.size()) * 1e3 - std::abs(place.horizontal_deg) -
                        std::abs(place.vertical_deg);
    if (group.empty() || rank <= best_rank) continue;
    best_rank = rank;
    best = std::move(group);
  }
  return best;
}

std::vector<std::string> spoken(const LevelsReading& r) {
  std::vector<std::string> all;
  const auto drive_text = [&](std::size_t k) {
    std::string text = fmt::format("{} V", three_digits(r.steps[k]->drive_v));
    if (r.steps[k]->spl_db) text += fmt::format(" ({:.0f} dB)", *r.steps[k]->spl_db);
    return text;
  };
  if (r.steps.size() > 1) {
    const std::string where = fmt::format("between {} and {}", frequency_text(r.judged.low_hz),
                                          frequency_text(r.judged.high_hz));
    if (!r.last_good)
      all.push_back(
          fmt::format("Even at {} THD passes 3 % or something touches {}.", drive_text(0), where));
    else if (*r.last_good + 1 == r.steps.size())
      all.push_back(
          fmt::format("Clean up to {}, the highest that was taken: THD under 3 % and less "
                      "than 1 dB lost {}.",
                      drive_text(*r.last_good), where));
    else
      all.push_back(
          fmt::format("The last good level is {}: beyond it THD passes 3 %, 1 dB is lost, "
                      "or something touches {}.",
                      drive_text(*r.last_good), where));
    const Compression& last = r.compression.back();
    double most = 0.0;
    double most_off = 0.0;
    double at = 0.0;
    const FrequencyAxis& axis = r.steps.front()->harmonics.axis;
    for (std::size_t i = 0; i < axis.size(); ++i)
      if (r.judged.contains(axis[i]) && last.level_db[i] + last.half_width[i] < most) {
        most = last.level_db[i];
        most_off = last.half_width[i];
        at = axis[i];
      }
    if (most < -0.3)
      all.push_back(fmt::format("At {} it loses {:.1f} ± {:.1f} dB at {}.",
                                drive_text(r.steps.size() - 1), -most, most_off,
                                frequency_text(at)));
  }
  for (const Growth& g : r.growth)
    if (g.jump_at && r.judged.contains(g.frequency_hz)) {
      all.push_back(
          fmt::format("Harmonic {} jumps at {} near {}: something touches there, or a stop is hit.",
                      g.order, drive_text(*g.jump_at), frequency_text(g.frequency_hz)));
      if (all.size() > 5) break;
    }
  if (r.drift_db && std::abs(r.drift_db->value) > r.drift_db->half_width &&
      std::abs(r.drift_db->value) > 0.05)
    all.push_back(
        r.drift_db->value < 0.0
            ? fmt::format(
                  "The same drive gave {:.2f} ± {:.2f} dB less at the end: the voice coil grew "
                  "warm, and that much of the compression came with time.",
                  -r.drift_db->value, r.drift_db->half_width)
            : fmt::format("The same drive gave {:.2f} ± {:.2f} dB more at the end: no warmth does "
                          "that; something was moved.",
                          r.drift_db->value, r.drift_db->half_width));
  const DistortionReading& top = *r.steps.back();
  if (top.three_percent.frequency_hz) {
    const double f = top.three_percent.frequency_hz->value;
    const char* then = r.judged.high_hz < 400.0 ? "no lower does it play cleanly"
                       : f > 300.0              ? "cross it over no lower than that"
                                                : "below it needs a subwoofer, or a high-pass";
    all.push_back(fmt::format("At {} THD stays under 3 % above {}: {}.",
                              drive_text(r.steps.size() - 1), frequency_text(f), then));
  }
  return all;
}

std::optional<double> clean_from_hz(const Take& take, const ImpulseStage& stage) {
  const auto reading = distortion_reading(take, stage);
  if (!reading) return std::nullopt;
  const Threshold& t = reading->three_percent;
  if (!t.frequency_hz && t.why != Threshold::Why::kNeverOver) return std::nullopt;
  return t.frequency_hz ? t.frequency_hz->value : 0.0;
}

}  // namespace lalometer
