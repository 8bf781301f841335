#include "workbench/taking/stimulus_file.h"

#include <cmath>

#include "acoustics/signal/sweep.h"
#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

constexpr double kSilence_s = 2.0;
constexpr double kLongest_s = 3600.0;

/// `sound` added from a moment that may lie between samples; `make` gets what is left of one.
template <class Make>
void add_at(std::vector<double>& to, double at_samples, double amplitude, const Make& make) {
  const std::vector<double> sound = make(at_samples - std::floor(at_samples));
  const auto first = static_cast<std::size_t>(at_samples);
  for (std::size_t k = 0; k < sound.size() && first + k < to.size(); ++k)
    to[first + k] += amplitude * sound[k];
}

Result<void> checked_amplitude(double amplitude, double lead_in_s, int count_in) {
  if (!(amplitude > 0.0 && amplitude <= 1.0))
    return bad_input("The amplitude is a peak above 0 and not above full scale, 1.");
  if (!(lead_in_s >= 0.0)) return bad_input("The silence before the sweep is not below 0 s.");
  if (count_in < 0 || count_in > 60) return bad_input("A count-in has up to 60 tones.");
  return {};
}

/// Pips of 60 ms at 800 Hz, a second apart and 12 dB under the stimulus, then a second of silence.
void count_in(AudioData& sound, int pips, double amplitude) {
  if (pips < 1) return;
  constexpr double kPip_s = 0.06;
  constexpr double kPip_hz = 800.0;
  const double rate = sound.sample_rate_hz;
  std::vector<double> front(static_cast<std::size_t>(std::llround(pips * rate)), 0.0);
  std::vector<double> pip(static_cast<std::size_t>(kPip_s * rate));
  for (std::size_t i = 0; i < pip.size(); ++i)
    pip[i] = 0.25 * amplitude * std::sin(2.0 * kPi * kPip_hz * static_cast<double>(i) / rate);
  apply_fades(pip, pip.size() / 8, pip.size() / 8);
  for (int k = 0; k < pips; ++k) {
    const auto at = static_cast<std::size_t>(std::llround(k * rate));
    std::copy(pip.begin(), pip.end(), front.begin() + static_cast<std::ptrdiff_t>(at));
  }
  for (std::size_t c = 0; c < sound.channels.size(); ++c) {
    const std::vector<double> silence(front.size(), 0.0);
    const std::vector<double>& before = c == 0 ? front : silence;
    sound.channels[c].insert(sound.channels[c].begin(), before.begin(), before.end());
  }
}

}  // namespace

std::vector<std::vector<double>> played_samples(const Stimulus& s, double rate, double silence_s,
                                                std::size_t channels) {
  const auto spec = SweepSpec::make({s.start_hz, s.stop_hz, s.duration_s, rate});
  const double length_s = s.lead_in_s + (s.repeats - 1) * s.period_s + s.duration_s +
                          std::max(silence_s, s.chirps.count > 0 ? s.chirps.length_s() + 0.5 : 0.0);
  std::vector<std::vector<double>> sound(
      channels, std::vector<double>(static_cast<std::size_t>(std::llround(length_s * rate)), 0.0));
  if (!spec) return sound;
  for (int i = 0; i < s.repeats; ++i) {
    const double start_s = s.lead_in_s + i * s.period_s;
    add_at(sound.front(), start_s * rate, s.amplitude,
           [&](double offset) { return exponential_sweep(*spec, offset); });
    for (const double due_s : chirp_starts_s(s.chirps, s.duration_s))
      add_at(sound.back(), (start_s + due_s) * rate, s.amplitude,
             [&](double offset) { return chirp(s.chirps, rate, offset); });
  }
  return sound;
}

Result<StimulusFile> stimulus_file(const StimulusWish& wish) {
  const auto spec = SweepSpec::make_synchronised(
      {wish.start_hz, wish.stop_hz, wish.duration_s, wish.sample_rate_hz});
  if (!spec) return tl::unexpected(spec.error());
  const double duration_s = spec->duration_s();
  const double around_s = wish.chirps.length_s();
  const double shortest_s = duration_s + 2.0 * around_s + 0.25;
  const double period_s =
      wish.period_s > 0.0 ? wish.period_s : duration_s + 2.0 * around_s + kSilence_s;
  if (wish.repeats < 1) return bad_input("A sweep is played at least once.");
  if (wish.repeats > 1 && period_s < shortest_s) {
    return bad_input(fmt::format(
        "A period of {} s is too short: the sweep lasts {} s{}, and the room needs a quarter of a "
        "second to die.",
        shortest(period_s), three_digits(duration_s),
        around_s > 0.0 ? fmt::format(", its chirps {} s", three_digits(2.0 * around_s)) : ""));
  }
  if (wish.chirps.count > 0 && wish.chirps.stop_hz > 0.48 * wish.sample_rate_hz)
    return bad_input("The chirps reach above what this rate carries.");
  if (auto fits = checked_amplitude(wish.amplitude, wish.lead_in_s, wish.count_in); !fits)
    return tl::unexpected(fits.error());
  const double length_s =
      wish.lead_in_s + around_s + (wish.repeats - 1) * period_s + shortest_s + kSilence_s;
  if (length_s > kLongest_s)
    return bad_input(fmt::format("That would last {:.0f} s; an hour is the most.", length_s));
  StimulusFile out{
      .sound = {.sample_rate_hz = wish.sample_rate_hz, .channels = {}, .format = ""},
      .stimulus = {wish.start_hz, wish.stop_hz, duration_s, wish.lead_in_s + around_s,
                   wish.amplitude, wish.repeats, wish.repeats > 1 ? period_s : 0.0, wish.chirps},
      .count_in_s = 1.0 * wish.count_in};
  const bool second = wish.chirps.count > 0 && wish.chirps_by_second;
  out.sound.channels =
      played_samples(out.stimulus, wish.sample_rate_hz, kSilence_s, second ? 2 : 1);
  count_in(out.sound, wish.count_in, wish.amplitude);
  return out;
}

Result<MultitoneFile> multitone_file(const MultitoneFileWish& wish) {
  if (auto fits = checked_amplitude(wish.amplitude, wish.lead_in_s, wish.count_in); !fits)
    return tl::unexpected(fits.error());
  const int periods = static_cast<int>(std::ceil(wish.duration_s / wish.tones.period_s - 1e-9));
  if (periods < 1 || wish.duration_s > kLongest_s)
    return bad_input("A multitone lasts at least one period and at most an hour.");
  return multitone(wish.tones).map([&](Multitone&& tones) {
    const double rate = wish.tones.sample_rate_hz;
    std::vector<double> sound(static_cast<std::size_t>(wish.lead_in_s * rate), 0.0);
    for (int i = 0; i < periods; ++i)
      for (const double v : tones.period) sound.push_back(wish.amplitude * v);
    const auto edge = static_cast<std::size_t>(0.02 * rate);
    std::vector<double> played(sound.begin() + static_cast<std::ptrdiff_t>(wish.lead_in_s * rate),
                               sound.end());
    apply_fades(played, edge, edge);
    std::copy(played.begin(), played.end(),
              sound.begin() + static_cast<std::ptrdiff_t>(wish.lead_in_s * rate));
    sound.resize(sound.size() + static_cast<std::size_t>(kSilence_s * rate), 0.0);
    MultitoneFile out{
        .sound = {.sample_rate_hz = rate, .channels = {std::move(sound)}, .format = ""},
        .tones = std::move(tones),
        .count_in_s = 1.0 * wish.count_in,
        .duration_s = periods * wish.tones.period_s};
    count_in(out.sound, wish.count_in, wish.amplitude);
    return out;
  });
}

Result<SteadyFile> steady_file(const SteadyFileWish& wish) {
  if (auto fits = checked_amplitude(wish.amplitude, wish.lead_in_s, wish.count_in); !fits)
    return tl::unexpected(fits.error());
  return steady_tones(wish.tones).map([&](SteadyTones&& tones) {
    const double rate = wish.tones.sample_rate_hz;
    std::vector<double> sound(static_cast<std::size_t>(wish.lead_in_s * rate), 0.0);
    for (const double v : steady_signal(tones)) sound.push_back(wish.amplitude * v);
    sound.resize(sound.size() + static_cast<std::size_t>(kSilence_s * rate), 0.0);
    SteadyFile out{.sound = {.sample_rate_hz = rate, .channels = {std::move(sound)}, .format = ""},
                   .tones = std::move(tones),
                   .count_in_s = 1.0 * wish.count_in};
    count_in(out.sound, wish.count_in, wish.amplitude);
    return out;
  });
}

}  // namespace lalometer
