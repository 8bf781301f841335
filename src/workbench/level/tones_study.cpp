#include "workbench/level/tones_study.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "acoustics/signal/recording/recording_checks.h"
#include "base/constants.h"
#include "base/text.h"
#include "exchange/audio_file.h"
#include "workbench/results/corrections.h"

namespace lalometer {
namespace {

constexpr double kNaN = std::numeric_limits<double>::quiet_NaN();

std::string name_of(const Take& take) {
  return take.raw_name.empty() ? take.name : take.raw_name;
}

Result<AudioData> read_channels(const Take& take, std::span<const std::byte> raw) {
  return read_audio(raw, name_of(take)).and_then([&](AudioData&& audio) -> Result<AudioData> {
    const int needed = std::max({take.conditions.channel, take.conditions.loopback_channel, 0});
    if (static_cast<std::size_t>(needed) >= audio.channels.size())
      return fail(ErrorCode::kNotFound, fmt::format("There is no channel {}.", needed),
                  name_of(take));
    return std::move(audio);
  });
}

const std::vector<double>& channel_of(const AudioData& audio, int channel) {
  return audio.channels[static_cast<std::size_t>(std::max(channel, 0))];
}

/// Pascals (rms) of 1 (rms) of the recording; 0: not told.
double pa_per_unit(const Take& take, const RigCalibration* rig) {
  if (rig != nullptr && take.rig_id != 0) return rig->level_known ? rig->input_pa_per_unit : 0.0;
  return take.conditions.pa_per_unit;
}

/// The same over the volts that the loopback heard.
double pa_per_v(const Take& take, const RigCalibration* rig) {
  if (rig != nullptr && take.rig_id != 0)
    return rig->level_known ? rig->input_pa_per_unit / rig->loopback_v_per_unit : 0.0;
  return take.conditions.pa_per_v;
}

double gain_at(const Response& correction, double f) {
  return std::max(std::abs(value_at(correction, std::clamp(f, correction.axis().front(),
                                                           correction.axis().back()))),
                  1e-6);
}

std::vector<Response> corrections_of(const RigCalibration* rig, std::vector<std::string>& notes) {
  std::vector<Response> all;
  if (rig == nullptr) return all;
  if (auto microphone = applied_correction(*rig, notes)) all.push_back(*std::move(microphone));
  if (rig->inputs) all.push_back(*rig->inputs);
  return all;
}

std::optional<std::size_t> place_of_tone(const MultitoneReading& r, double f) {
  for (std::size_t i = 0; i < r.tones_hz.size(); ++i)
    if (std::abs(r.tones_hz[i] / f - 1.0) < 1e-5) return i;
  return std::nullopt;
}

double mean_tone_db(const MultitoneReading& r, const std::vector<double>& common) {
  double sum = 0.0;
  for (const double f : common)
    if (const auto i = place_of_tone(r, f)) sum += 20.0 * std::log10(std::max(r.tone[*i], 1e-30));
  return sum / static_cast<double>(common.size());
}

/// @param fallen  power of all that falls, re the mean common tone.
void tell_modulation(MultitoneChange& change, const MultitoneReading& part,
                     const MultitoneReading& whole, double fallen) {
  if (part.sidebands.empty() || whole.sidebands.empty() ||
      change.common_hz.back() < 4.0 * change.left_out_low_hz)
    return;
  double sum = 0.0;
  double count = 0.0;
  for (const double f : change.common_hz) {
    if (f < 4.0 * change.left_out_low_hz) continue;
    const auto i = place_of_tone(part, f);
    const auto k = place_of_tone(whole, f);
    if (!i || !k || !(part.tone[*i] > 0.0 && whole.tone[*k] > 0.0)) continue;
    sum += std::pow(whole.sidebands[*k] / whole.tone[*k], 2) -
           std::pow(part.sidebands[*i] / part.tone[*i], 2);
    count += 1.0;
  }
  change.modulation_share = 0.0;
  if (!(sum > 0.0)) return;
  change.modulation_db = 10.0 * std::log10(sum / count);
  if (fallen > 0.0) change.modulation_share = std::min(sum / fallen, 1.0);
}

std::string spoken_modulation(const MultitoneChange& c) {
  if (!c.modulation_share) return {};
  if (!std::isfinite(c.modulation_db))
    return "No sidebands at those tones' distance are heard: what falls the left out band adds by "
           "itself.";
  return fmt::format("Sidebands at those tones' distance lie {:.0f} dB under the common tones: {}.",
                     -c.modulation_db,
                     *c.modulation_share > 0.5
                         ? "what falls is mostly modulation, as by a cone that moves them"
                     : *c.modulation_share > 0.2 ? "modulation is a part of what falls"
                                                 : "modulation is little of what falls");
}

}  // namespace

double MultitoneStudy::level_db(double rms) const {
  return unit_pa > 0.0 ? to_level_db(rms * unit_pa, kReferencePressure_pa) : to_level_db(rms, 1.0);
}

double MultitoneStudy::tones_db() const {
  double sum = 0.0;
  for (const double t : reading.tone) sum += t * t;
  return level_db(std::sqrt(sum));
}

Result<MultitoneStudy> multitone_study(const Take& take, std::span<const std::byte> raw,
                                       std::vector<double> tones_hz, const RigCalibration* rig) {
  const auto audio = read_channels(take, raw);
  if (!audio) return tl::unexpected(audio.error());
  const Conditions& c = take.conditions;
  if (const auto* setup = std::get_if<MultitoneSetup>(&take.setup); setup && tones_hz.empty())
    tones_hz = setup->tones_hz;
  const std::vector<double>& signal = channel_of(*audio, c.channel);
  auto reading = read_multitone(signal, audio->sample_rate_hz, std::move(tones_hz));
  if (!reading) return bad_input(reading.error().message, name_of(take));
  MultitoneStudy study{.reading = *std::move(reading), .drive_v = c.drive_v, .notes = audio->notes};
  for (const Response& correction : corrections_of(rig, study.notes)) {
    MultitoneReading& r = study.reading;
    for (std::size_t i = 0; i < r.tone.size(); ++i) {
      const double gain = gain_at(correction, r.tones_hz[i]);
      r.tone[i] /= gain;
      if (!r.sidebands.empty()) r.sidebands[i] /= gain;
    }
    for (std::size_t i = 0; i < r.rest.size(); ++i) r.rest[i] /= gain_at(correction, r.band_hz[i]);
  }
  const Clipping clipping = find_clipping(signal);
  if (clipping.clipped_count > 0)
    study.notes.push_back(fmt::format("{} samples are clipped: what they add is in the floor.",
                                      clipping.clipped_count));
  if (const double unit = pa_per_unit(take, rig); unit > 0.0) {
    study.unit_pa = unit;
  } else if (c.spl_db > 0.0) {
    double sum = 0.0;
    for (const double t : study.reading.tone) sum += t * t;
    study.unit_pa = kReferencePressure_pa * std::pow(10.0, c.spl_db / 20.0) / std::sqrt(sum);
    study.notes.emplace_back("Levels stand on the SPL that was told for the take.");
  } else {
    study.notes.emplace_back("Nothing tells the level: figures are dB re full scale.");
  }
  if (std::abs(study.reading.recorder_rate - 1.0) > 2e-6)
    study.notes.push_back(
        fmt::format("Recorder and player differ by {:.0f} ppm; the tones were "
                    "looked for there.",
                    (study.reading.recorder_rate - 1.0) * 1e6));
  study.notes.emplace_back("Noise of the room and the rig is in the floor.");
  return study;
}

Result<MultitoneChange> multitone_change(const MultitoneStudy& first,
                                         const MultitoneStudy& second) {
  MultitoneChange change;
  change.second_is_part = second.reading.tones_hz.size() < first.reading.tones_hz.size();
  const MultitoneReading& part = change.second_is_part ? second.reading : first.reading;
  const MultitoneReading& whole = change.second_is_part ? first.reading : second.reading;
  const auto played = [](const MultitoneReading& r, double f) {
    return std::any_of(r.tones_hz.begin(), r.tones_hz.end(),
                       [&](double t) { return std::abs(t / f - 1.0) < 1e-5; });
  };
  for (const double f : part.tones_hz)
    if (!played(whole, f))
      return bad_input(
          "Two multitones are compared where one has only a part of the other's tones; these have "
          "different ones.");
  change.common_hz = part.tones_hz;
  change.left_out_low_hz = 1e12;
  for (const double f : whole.tones_hz) {
    if (played(part, f)) continue;
    change.left_out_low_hz = std::min(change.left_out_low_hz, f);
    change.left_out_high_hz = std::max(change.left_out_high_hz, f);
  }
  if (change.left_out_high_hz == 0.0)
    return bad_input("Both multitones have the same tones: nothing was left out.");
  const double part_db = mean_tone_db(part, change.common_hz);
  const double whole_db = mean_tone_db(whole, change.common_hz);
  change.tones_db = part_db - whole_db;
  double part_power = 0.0;
  double whole_power = 0.0;
  for (std::size_t i = 0; i < part.band_hz.size(); ++i) {
    const double f = part.band_hz[i];
    if (f < change.common_hz.front() / 1.01 || f > change.common_hz.back() * 1.01) continue;
    const auto other = std::find_if(whole.band_hz.begin(), whole.band_hz.end(),
                                    [&](double g) { return std::abs(g / f - 1.0) < 0.01; });
    if (other == whole.band_hz.end()) continue;
    const double a = part.rest[i];
    const double b = whole.rest[static_cast<std::size_t>(other - whole.band_hz.begin())];
    change.band_hz.push_back(f);
    if (!(std::isfinite(a) && std::isfinite(b) && a > 0.0 && b > 0.0)) {
      change.rest_db.push_back(kNaN);
      continue;
    }
    const double fall = 20.0 * std::log10(a / b) - change.tones_db;
    change.rest_db.push_back(fall);
    part_power += a * a * std::pow(10.0, -part_db / 10.0);
    whole_power += b * b * std::pow(10.0, -whole_db / 10.0);
    if (fall < change.most_db) {
      change.most_db = fall;
      change.most_at_hz = f;
    }
  }
  if (!(part_power > 0.0 && whole_power > 0.0))
    return bad_input("Between the common tones no band tells what is no tone.");
  change.mean_db = 10.0 * std::log10(part_power / whole_power);
  tell_modulation(change, part, whole, whole_power - part_power);
  return change;
}

Result<DistortionReading> steady_study(const Take& take, std::span<const std::byte> raw,
                                       const HarmonicsWish& wish, const RigCalibration* rig) {
  const auto audio = read_channels(take, raw);
  if (!audio) return tl::unexpected(audio.error());
  const auto* setup = std::get_if<SteadyTonesSetup>(&take.setup);
  if (setup == nullptr || setup->tones_hz.size() < 2)
    return bad_input("Say which tones were played one after the other (tones_hz).", name_of(take));
  const Conditions& c = take.conditions;
  const double rate = audio->sample_rate_hz;
  // The player's rate shapes the schedule; where nobody tells it is the recording's.
  const auto tones =
      steady_schedule(setup->tones_hz, take.sample_rate_hz > 0.0 ? take.sample_rate_hz : rate);
  if (!tones) return bad_input(tones.error().message, name_of(take));
  const std::vector<double>& signal = channel_of(*audio, c.channel);
  const bool wired = c.loopback_channel >= 0;
  const std::vector<double> none;
  const std::vector<double>& loopback = wired ? channel_of(*audio, c.loopback_channel) : none;
  const SteadyStart start = find_steady_tones(wired ? loopback : signal, rate, *tones);
  if (start.likeness < 0.3)
    return bad_input("The tones are hardly found in the recording: check which were played.",
                     name_of(take));
  std::vector<std::string> notes = audio->notes;
  const double flight_s = place_of(take).distance_m / speed_of_sound_m_s(c.temperature_c);
  // Re the loopback a value is per volt there, and is brought to the drive.
  const double pa =
      wired ? pa_per_v(take, rig) * c.drive_v : pa_per_unit(take, rig) / std::sqrt(2.0);
  const bool calibrated = pa > 0.0;
  const double unit = calibrated ? pa : 1.0;
  HarmonicsWish own = wish;
  if (!calibrated) own.microphone_ratio_per_unit = 0.0;
  auto reading = read_steady_tones({.measured = signal,
                                    .loopback = loopback,
                                    .sample_rate_hz = rate,
                                    .starts_at = start.at + (wired ? flight_s * rate : 0.0),
                                    .flight_s = flight_s,
                                    .recorder_rate = wired ? 1.0 : start.recorder_rate},
                                   *tones, corrections_of(rig, notes), unit, own);
  if (!reading) return bad_input(reading.error().message, name_of(take));
  double most = 0.0;
  double most_hz = 0.0;
  for (std::size_t i = 0; i < reading->drift_db.size(); ++i)
    if (std::abs(reading->drift_db[i]) > std::abs(most)) {
      most = reading->drift_db[i];
      most_hz = reading->harmonics.axis[i];
    }
  if (std::abs(most) > 0.2)
    notes.push_back(fmt::format(
        "The tone at {} moved by {:.1f} dB while it was read: it had not settled, or the voice "
        "coil grows warm.",
        frequency_text(most_hz), most));
  DistortionReading r =
      reading_of(take, std::move(reading->harmonics), calibrated, own, std::move(notes));
  r.per_volt = !calibrated && wired;
  return r;
}

std::optional<SteadyCheck> steady_check(const DistortionReading& sweep,
                                        const DistortionReading& steady) {
  const Harmonics& a = sweep.harmonics;
  const Harmonics& b = steady.harmonics;
  SteadyCheck check;
  double first = 0.0;
  double others = 0.0;
  double first_count = 0.0;
  double others_count = 0.0;
  for (std::size_t k = 0; k < b.axis.size(); ++k) {
    const double f = b.axis[k];
    if (f < a.axis.front() || f > a.axis.back()) continue;
    for (int n = 1; n <= 3; ++n) {
      const Harmonic& own = a.order(n);
      const std::size_t i = a.axis.bracket(f);
      if (!own.heard(i, f) || !b.order(n).heard(k, f)) continue;
      std::vector<double> magnitude;
      for (const auto& v : own.value) magnitude.push_back(std::abs(v));
      const double off = 20.0 * std::log10(std::abs(b.order(n).value[k]) /
                                           std::max(value_between(a.axis, magnitude, f), 1e-30));
      (n == 1 ? first : others) += off * off;
      (n == 1 ? first_count : others_count) += 1.0;
      if (std::abs(off) > std::abs(check.worst_db)) {
        check.worst_db = off;
        check.worst_at_hz = f;
      }
    }
  }
  if (first_count < 1.0) return std::nullopt;
  check.fundamental_db = std::sqrt(first / first_count);
  check.harmonics_db = others_count > 0.0 ? std::sqrt(others / others_count) : 0.0;
  check.points = static_cast<std::size_t>(first_count);
  return check;
}

std::vector<std::string> spoken(const MultitoneStudy& s) {
  // Common practice, no source: 60 dB at 95 dB, 70 dB at 85 dB.
  std::vector<std::string> all;
  const double range = s.reading.range_db();
  if (!std::isfinite(range)) return all;
  all.push_back(fmt::format("What is no tone lies {:.0f} dB under the tones at most.", range));
  if (s.unit_pa > 0.0) {
    const double wanted = std::clamp(70.0 - (s.tones_db() - 85.0), 50.0, 80.0);
    all.push_back(fmt::format("At {:.0f} dB one wants {:.0f} dB (common practice): {}.",
                              s.tones_db(), wanted, range >= wanted ? "reached" : "not reached"));
  }
  return all;
}

std::vector<std::string> spoken(const MultitoneChange& c) {
  const std::string without =
      fmt::format("Without the tones from {} to {}", frequency_text(c.left_out_low_hz),
                  frequency_text(c.left_out_high_hz));
  std::vector<std::string> all;
  const std::string band = fmt::format("between {} and {}", frequency_text(c.common_hz.front()),
                                       frequency_text(c.common_hz.back()));
  if (c.mean_db < -1.0)
    all.push_back(fmt::format("{} what is no tone falls by {:.0f} dB {}, most at {} ({:.0f} dB).",
                              without, -c.mean_db, band, frequency_text(c.most_at_hz), -c.most_db));
  else
    all.push_back(fmt::format("{} what is no tone stays as it was {} ({:+.1f} dB).", without, band,
                              c.mean_db));
  if (c.mean_db < -1.0 && c.left_out_high_hz < c.common_hz.front())
    all.emplace_back(c.common_hz.front() > 500.0
                         ? "So much the lower band brings into the upper one."
                         : "So much a high-pass with a subwoofer below would win.");
  if (const auto sentence = spoken_modulation(c); !sentence.empty() && c.mean_db < -1.0)
    all.push_back(sentence);
  if (std::abs(c.tones_db) > 0.5)
    all.push_back(fmt::format(
        "The common tones themselves are {:.1f} dB {} then; the figures are re those tones.",
        std::abs(c.tones_db), c.tones_db > 0.0 ? "louder" : "softer"));
  return all;
}

std::string spoken(const SteadyCheck& c) {
  return fmt::format(
      "Single tones and sweep agree within {:.1f} dB (fundamental) and {:.1f} dB (orders 2 and 3) "
      "rms over {} tones; the most is {:+.1f} dB at {}.",
      c.fundamental_db, c.harmonics_db, c.points, c.worst_db, frequency_text(c.worst_at_hz));
}

}  // namespace lalometer
