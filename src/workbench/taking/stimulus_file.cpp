#include "workbench/taking/stimulus_file.h"

#include <cmath>

#include "acoustics/signal/sweep.h"
#include "base/text.h"

namespace lalometer {

Result<StimulusFile> stimulus_file(const StimulusWish& wish) {
  constexpr double kSilence_s = 2.0;
  constexpr double kLongest_s = 3600.0;
  const auto spec = SweepSpec::make_synchronised(
      {wish.start_hz, wish.stop_hz, wish.duration_s, wish.sample_rate_hz});
  if (!spec) return tl::unexpected(spec.error());
  const double duration_s = spec->duration_s();
  const double period_s = wish.period_s > 0.0 ? wish.period_s : duration_s + kSilence_s;
  if (wish.repeats < 1) return bad_input("A sweep is played at least once.");
  if (wish.repeats > 1 && period_s < duration_s + 0.25) {
    return bad_input(fmt::format(
        "A period of {} s is too short: the sweep lasts {} s, and the room needs a quarter of a "
        "second to die.",
        shortest(period_s), three_digits(duration_s)));
  }
  if (!(wish.amplitude > 0.0 && wish.amplitude <= 1.0))
    return bad_input("The amplitude is a peak above 0 and not above full scale, 1.");
  if (!(wish.lead_in_s >= 0.0)) return bad_input("The silence before the sweep is not below 0 s.");
  const double length_s = wish.lead_in_s + (wish.repeats - 1) * period_s + duration_s + kSilence_s;
  if (length_s > kLongest_s)
    return bad_input(fmt::format("That would last {:.0f} s; an hour is the most.", length_s));
  std::vector<double> sound(static_cast<std::size_t>(std::llround(length_s * wish.sample_rate_hz)),
                            0.0);
  for (int i = 0; i < wish.repeats; ++i) {
    const double at = (wish.lead_in_s + i * period_s) * wish.sample_rate_hz;
    const std::vector<double> sweep = exponential_sweep(*spec, at - std::floor(at));
    const auto first = static_cast<std::size_t>(at);
    for (std::size_t k = 0; k < sweep.size() && first + k < sound.size(); ++k)
      sound[first + k] += wish.amplitude * sweep[k];
  }
  return StimulusFile{
      .sound = {.sample_rate_hz = wish.sample_rate_hz,
                .channels = {std::move(sound)},
                .format = ""},
      .stimulus = {wish.start_hz, wish.stop_hz, duration_s, wish.lead_in_s, wish.amplitude,
                   wish.repeats, wish.repeats > 1 ? period_s : 0.0}};
}

}  // namespace lalometer
