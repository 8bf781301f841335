#include "workbench/level/rub_study.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/text.h"

namespace lalometer {
namespace {

constexpr double kNaN = std::numeric_limits<double>::quiet_NaN();
/// What lies lower nobody hears beside the tone (common practice, no source).
constexpr double kMatters_db = -60.0;
constexpr double kRepeats = 0.35;
constexpr double kLeastSilence_s = 0.05;

double db(double ratio) {
  return 20.0 * std::log10(std::max(ratio, 1e-30));
}

std::string band_text(double low_hz, double high_hz) {
  return high_hz > 1.02 * low_hz
             ? fmt::format("from {} to {}", frequency_text(low_hz), frequency_text(high_hz))
             : fmt::format("at {}", frequency_text(low_hz));
}

}  // namespace

std::vector<double> RubReading::share_db() const {
  std::vector<double> all;
  for (std::size_t i = 0; i < residue.frequency_hz.size(); ++i)
    all.push_back(residue.heard(i) ? db(residue.rms[i] / residue.sweep[i]) : kNaN);
  return all;
}

std::vector<double> RubReading::noise_db() const {
  std::vector<double> all;
  for (std::size_t i = 0; i < residue.frequency_hz.size(); ++i)
    all.push_back(residue.noise[i] > 0.0 ? db(residue.noise[i] / residue.sweep[i]) : kNaN);
  return all;
}

Result<RubReading> rub_reading(const AnalysisInput& input, const ImpulseStage& stage,
                               std::stop_token stop) {
  if (!holds_sweep(input.take))
    return bad_input(
        "Rub and buzz need the recorded sweep; this is an impulse response or a curve "
        "alone.",
        input.take.name);
  const auto sound = swept_sound(input, stage, stop);
  if (!sound) return tl::unexpected(sound.error());
  const double rate = sound->spec.sample_rate_hz();
  if (static_cast<double>(sound->silence_count) < kLeastSilence_s * rate)
    return bad_input(
        "No silence of 50 ms stands before the sweep: what is noise of the room cannot be told.",
        input.take.name);
  const std::span<const double> all(sound->measured);
  RubReading r{.residue = residue_of(all, sound->spec, sound->arrives_at,
                                     all.subspan(sound->silence_from, sound->silence_count)),
               .drive_v = input.take.conditions.drive_v};
  if (r.residue.frequency_hz.empty())
    return bad_input("The sweep is too short or begins too high to look above its tenth order.",
                     input.take.name);
  if (sound->spec.rate_s() < 0.6)
    r.notes.emplace_back(
        "The sweep is fast for this: one of 6 s and more has enough periods in the bass.");
  return r;
}

namespace {

/// Neighbouring stretches that tell the same.
struct Range {
  double low_hz = 0.0;
  double high_hz = 0.0;
  double most_db = -1e9;
  double at_hz = 0.0;
  double repeats = 0.0;  ///< mean of those with periods enough
  int told = 0;          ///< how many have
};

template <class Tells>
std::vector<Range> ranges_of(const Residue& r, const Tells& tells) {
  constexpr double kEnoughPeriods = 6.0;
  constexpr double kGap = 1.3;
  std::vector<Range> all;
  bool open = false;
  for (std::size_t i = 0; i < r.frequency_hz.size(); ++i) {
    const double share = db(r.rms[i] / r.sweep[i]);
    const bool now = share > kMatters_db && tells(i);
    // A single stretch between two that tell it does not part them.
    if (now && !open && (all.empty() || r.frequency_hz[i] > kGap * all.back().high_hz))
      all.push_back({.low_hz = r.frequency_hz[i]});
    open = now;
    if (!now) continue;
    Range& range = all.back();
    range.high_hz = r.frequency_hz[i];
    if (r.periods[i] >= kEnoughPeriods) {
      ++range.told;
      range.repeats += (r.repeats[i] - range.repeats) / range.told;
    }
    if (share > range.most_db) {
      range.most_db = share;
      range.at_hz = r.frequency_hz[i];
    }
  }
  return all;
}

std::string capital(std::string text) {
  if (!text.empty() && text[0] >= 'a' && text[0] <= 'z')
    text[0] = static_cast<char>(text[0] - 'a' + 'A');
  return text;
}

}  // namespace

std::vector<std::string> spoken(const RubReading& reading) {
  const Residue& r = reading.residue;
  std::vector<std::string> all;
  for (const Range& range : ranges_of(r, [&](std::size_t i) { return r.in_peaks(i); })) {
    std::string text = fmt::format(
        "{} there are sharp peaks beside the sweep, up to {:.0f} dB "
        "under it at {}",
        capital(band_text(range.low_hz, range.high_hz)), -range.most_db,
        frequency_text(range.at_hz));
    if (range.told >= 2 && range.repeats > kRepeats)
      text +=
          ": in each period alike, as a coil that rubs, a stop that is hit or an amplifier that "
          "clips";
    else if (range.told >= 2)
      text += ": not alike from period to period, as something loose";
    else
      text += "; a slower sweep would tell whether they come in each period";
    all.push_back(text + ".");
  }
  for (const Range& range : ranges_of(r, [&](std::size_t i) {
         return r.heard(i) && !r.in_peaks(i) && r.repeats[i] > kRepeats;
       })) {
    if (range.high_hz < 1.2 * range.low_hz) continue;
    all.push_back(
        fmt::format("{} it hisses in step with the cone, up to {:.0f} dB under the sweep "
                    "at {}: a leak, or air that rushes.",
                    capital(band_text(range.low_hz, range.high_hz)), -range.most_db,
                    frequency_text(range.at_hz)));
  }
  if (all.empty())
    all.push_back(fmt::format("Nothing touches, rattles or hisses between {} and {} at {} V.",
                              frequency_text(r.frequency_hz.front()),
                              frequency_text(r.frequency_hz.back()),
                              three_digits(reading.drive_v)));
  return all;
}

std::vector<std::string> spoken(const ResidueChange& change, const std::string& good) {
  std::vector<std::string> all;
  for (const ResidueChange::Worse& w : change.worse)
    all.push_back(
        fmt::format("Above its tenth order it is up to {:.0f} dB over {} {} (most at {}): "
                    "{}.",
                    w.most_db, good, band_text(w.low_hz, w.high_hz), frequency_text(w.at_hz),
                    w.in_peaks ? "in peaks; something touches or rattles"
                               : "a hiss; a leak, or air that rushes"));
  if (all.empty() && !change.frequency_hz.empty())
    all.push_back(fmt::format("Above its tenth order it is like {} from {} to {}.", good,
                              frequency_text(change.frequency_hz.front()),
                              frequency_text(change.frequency_hz.back())));
  return all;
}

std::optional<AirNoise> port_noise(const std::vector<PortStep>& steps, double radius_m) {
  std::vector<AirNoisePoint> points;
  for (const PortStep& step : steps) {
    if (!step.distortion->calibrated) continue;
    const Residue& r = step.rub->residue;
    const Harmonics& h = step.distortion->harmonics;
    const Harmonic& first = h.order(1);
    std::vector<double> magnitude;
    for (const auto& v : first.value) magnitude.push_back(std::abs(v));
    AirNoisePoint fastest{.drive_v = step.distortion->drive_v};
    for (std::size_t i = 0; i < r.frequency_hz.size(); ++i) {
      const double f = r.frequency_hz[i];
      // Above, the mouth is no small piston any more, and the port is done.
      if (!first.valid.contains(f) || f * radius_m > 30.0 || f < h.axis.front() || f > 200.0)
        continue;
      const double pa = value_between(h.axis, magnitude, f);
      const double speed = port_air_speed_m_s(pa, f, radius_m, step.distance_m);
      if (speed <= fastest.speed_m_s) continue;
      fastest = {.drive_v = step.distortion->drive_v,
                 .frequency_hz = f,
                 .speed_m_s = speed,
                 .noise_pa = r.rms[i] / r.sweep[i] * pa,
                 .background_pa = r.noise[i] / r.sweep[i] * pa,
                 .fundamental_pa = pa};
    }
    if (fastest.speed_m_s > 0.0) points.push_back(fastest);
  }
  if (points.empty()) return std::nullopt;
  return air_noise_of(std::move(points));
}

std::vector<std::string> spoken(const AirNoise& noise) {
  std::vector<std::string> all;
  const AirNoisePoint& fastest = noise.points.back();
  if (!noise.heard_from_m_s) {
    all.push_back(fmt::format("The port's air makes no noise up to {:.0f} m/s (peak, {} V at {}).",
                              fastest.speed_m_s, three_digits(fastest.drive_v),
                              frequency_text(fastest.frequency_hz)));
    return all;
  }
  std::string text =
      fmt::format("The port's air is heard from about {:.0f} m/s on", *noise.heard_from_m_s);
  if (noise.power)
    text += fmt::format(", and its noise grows with the speed to the power {:.1f}", *noise.power);
  all.push_back(text + ".");
  all.push_back(
      fmt::format("At {} V its air reaches {:.0f} m/s at {}, and its noise lies {:.0f} dB "
                  "under the port's tone.",
                  three_digits(fastest.drive_v), fastest.speed_m_s,
                  frequency_text(fastest.frequency_hz), fastest.under_db()));
  return all;
}

}  // namespace lalometer
