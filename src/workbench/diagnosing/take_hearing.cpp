#include "workbench/diagnosing/take_hearing.h"

#include <algorithm>
#include <cmath>

#include "acoustics/decay/impulse_of.h"
#include "acoustics/signal/recording/disturbance.h"
#include "acoustics/signal/recording/recording_checks.h"
#include "workbench/level/distortion_study.h"
#include "workbench/level/swept_sound.h"

namespace lalometer {
namespace {

constexpr int kBesideVersion = 1;
constexpr int kOnAxisVersion = 1;

std::optional<std::vector<Ridge>> ridges_of(const Response& curve) {
  constexpr double kPeriods = 8.0;  // of the lowest that is valid, at most as long as usual gates
  if (!curve.has_phase()) return std::nullopt;
  const double low = std::max(1.3 * curve.valid().low_hz, 100.0);
  const double high = std::min(curve.valid().high_hz / 1.3, 12000.0);
  if (high < 2.0 * low) return std::nullopt;
  return decay_ridges(impulse_of(curve), {0.0, std::min(kPeriods / low, 0.05)},
                      {.low_hz = low, .high_hz = high});
}

/// A harmonic's level over the frequency at which it is heard, on the longest stretch where it
/// stands out of its noise.
std::optional<Response> heard_harmonic(const Harmonics& all, int order) {
  constexpr double kOverFloor = 2.0;
  const Harmonic& h = all.order(order);
  std::vector<double> hz;
  std::vector<std::complex<double>> values;
  ValidRange longest{0.0, 0.0};
  double begun = 0.0;
  for (std::size_t i = 0; i < all.axis.size(); ++i) {
    const double level = std::abs(h.value[i]);
    hz.push_back(order * all.axis[i]);
    values.emplace_back(std::max(level, 1e-30));
    if (!(level > kOverFloor * h.floor[i]) || !h.valid.contains(all.axis[i])) {
      begun = 0.0;
      continue;
    }
    if (begun == 0.0) begun = hz.back();
    if (longest.low_hz <= 0.0 || hz.back() / begun > longest.high_hz / longest.low_hz)
      longest = {begun, hz.back()};
  }
  auto axis = FrequencyAxis::make(std::move(hz));
  if (!axis || longest.high_hz < 1.5 * longest.low_hz) return std::nullopt;
  auto curve =
      Response::make(*std::move(axis), std::move(values), Quantity::kPressure, longest, false);
  return curve ? std::optional(*std::move(curve)) : std::nullopt;
}

std::size_t bytes_of(const HeardOnAxis& heard) {
  std::size_t bytes = sizeof(heard) + (heard.ridges ? heard.ridges->size() * sizeof(Ridge) : 0);
  for (const Response& h : heard.harmonics) bytes += h.size() * 3 * sizeof(double);
  return bytes;
}

}  // namespace

std::vector<std::string> heard_beside(const AnalysisInput& recording, const ImpulseStage& stage) {
  constexpr double kHum = 0.006;   // 44 dB under the sweep
  constexpr double kNoise = 0.03;  // 30 dB
  std::vector<std::string> heard;
  if (!holds_sweep(recording.take)) return heard;
  const auto sound = swept_sound(recording, stage, {});
  if (!sound) return heard;
  const std::span<const double> all(sound->measured);
  if (find_clipping(all).clipped_count > 0) heard.emplace_back("clipping");
  if (sound->silence_count < 1024) return heard;
  const double rate = sound->spec.sample_rate_hz();
  const auto silence = all.subspan(sound->silence_from, sound->silence_count);
  const auto from =
      std::min(static_cast<std::size_t>(std::max(sound->arrives_at, 0.0)), all.size());
  const double loud =
      rms_of(all.subspan(from, std::min(sound->spec.sample_count(), all.size() - from)));
  const auto hum = find_hum(silence, rate);
  if (hum && hum->level > kHum * loud)
    heard.emplace_back("mains-hum");
  else if (rms_of(silence) > kNoise * loud)
    heard.emplace_back("noise");
  return heard;
}

HeardOnAxis heard_on_axis(const Take& take, const Response& curve, const ImpulseStage* stage,
                          const RigCalibration* rig) {
  HeardOnAxis heard{.ridges = ridges_of(curve)};
  if (stage == nullptr || !holds_sweep(take)) return heard;
  const auto reading =
      distortion_reading(take, *stage, with_microphone({}, rig ? *rig : RigCalibration{}));
  if (!reading) return heard;
  for (const int order : {2, 3})
    if (auto level = heard_harmonic(reading->harmonics, order))
      heard.harmonics.push_back(*std::move(level));
  return heard;
}

Node<std::vector<std::string>> heard_beside_node(const TakeInputs& in) {
  Node<ImpulseStage> impulse = impulse_node(in);
  std::string key = node_key("heard-beside", kBesideVersion, {impulse.key});
  return {std::move(key),
          [impulse = std::move(impulse), in](const Making& making) {
            using Words = std::vector<std::string>;
            return making.store.get(impulse, making)
                .and_then([&](const std::shared_ptr<const ImpulseStage>& stage) -> Result<Words> {
                  if (!holds_sweep(in.take)) return Words{};
                  return loaded(in).map([&](const AnalysisInput& recording) {
                    return heard_beside(recording, *stage);
                  });
                });
          },
          [](const std::vector<std::string>& words) { return 64 * (words.size() + 1); }};
}

Node<HeardOnAxis> heard_on_axis_node(const TakeInputs& in) {
  Node<Analysis> curve = curve_node(in);
  std::string key = node_key("heard-on-axis", kOnAxisVersion, {curve.key});
  return {std::move(key),
          [curve = std::move(curve), in](const Making& making) {
            return making.store.get(curve, making)
                .and_then([&](const std::shared_ptr<const Analysis>& made) -> Result<HeardOnAxis> {
                  if (!has_impulse(in.take))
                    return heard_on_axis(in.take, made->curve, nullptr, nullptr);
                  return making.store.get(impulse_node(in), making)
                      .map([&](const std::shared_ptr<const ImpulseStage>& stage) {
                        return heard_on_axis(in.take, made->curve, stage.get(), in.rig.get());
                      });
                });
          },
          bytes_of};
}

}  // namespace lalometer
