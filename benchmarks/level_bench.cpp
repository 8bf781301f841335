// Level and time, each against the bare transforms of its data. Wanted: a sweep of 2^18 samples to
// all harmonics and THD in 1.5 times those; a decay map of 100 slices and 500 frequencies in twice.
#include <benchmark/benchmark.h>

#include <algorithm>
#include <cmath>

#include "acoustics/decay/decay_map.h"
#include "acoustics/decay/ridges.h"
#include "acoustics/level/harmonics.h"
#include "acoustics/signal/deconvolve.h"
#include "acoustics/signal/fft.h"

namespace {

using namespace lalometer;

constexpr std::size_t kLength = 1U << 18U;

struct Swept {
  SweepSpec spec = *SweepSpec::make(
      {.start_hz = 10, .stop_hz = 22000, .duration_s = 4.6, .sample_rate_hz = 48000});
  std::vector<double> reference, recording;
  Response noise = *Response::make(FrequencyAxis::logarithmic(20, 20000, 3),
                                   std::vector<std::complex<double>>(30, 1e-6), Quantity::kRatio,
                                   {20, 20000}, false);
};
const Swept& swept() {
  static const Swept made = [] {
    Swept s;
    s.reference.assign(12000, 0.0);
    for (const double x : exponential_sweep(s.spec)) s.reference.push_back(x);
    s.reference.resize(kLength, 0.0);
    s.recording = s.reference;
    for (double& x : s.recording) x += 0.01 * x * x + 0.01 * x * x * x;
    return s;
  }();
  return made;
}

ImpulseResponse response() {
  return deconvolve(swept().recording, swept().reference, 48000, {10, 22000},
                    swept().spec.rate_s() * std::log(10.0) + 0.04);
}

void BareTransformsOfASweep(benchmark::State& state) {
  const RealTransform transform(kLength);
  Samples time(kLength, 0.5);
  Spectrum bins(transform.bin_count());
  for (auto _ : state) {
    transform.forward(time, bins);
    transform.forward(time, bins);
    transform.inverse(bins, time);
    benchmark::DoNotOptimize(time.data());
  }
}
BENCHMARK(BareTransformsOfASweep)->Unit(benchmark::kMillisecond);

/// All that the reading of ten orders transforms besides: the response with its soft edge there and
/// back, and the stretch of each order, padded fourfold (twofold from the sixth on).
void BareTransformsOfAllOrders(benchmark::State& state) {
  const double pace = swept().spec.rate_s();
  struct One {
    RealTransform transform;
    Samples time;
    Spectrum bins;
  };
  const auto one = [](double seconds, std::size_t padding) {
    std::size_t n = fast_length(static_cast<std::size_t>(48000.0 * seconds) * padding);
    const RealTransform t(n);
    return One{t, Samples(n, 0.5), Spectrum(t.bin_count())};
  };
  std::vector<One> orders;
  for (int n = 1; n <= kHighestOrder; ++n) {
    const double to_higher = pace * std::log((n + 1.0) / n);
    const double to_lower = n > 1 ? pace * std::log(n / (n - 1.0)) : 1.0;
    orders.push_back(
        one(std::min(0.25 * to_higher, 0.075) + std::min(0.75 * to_lower, 0.3), n <= 5 ? 4 : 2));
  }
  One soft = one(pace * std::log(11.0) + 0.6, 1);
  const RealTransform transform(kLength);
  Samples time(kLength, 0.5);
  Spectrum bins(transform.bin_count());
  for (auto _ : state) {
    transform.forward(time, bins);
    transform.forward(time, bins);
    transform.inverse(bins, time);
    soft.transform.forward(soft.time, soft.bins);
    soft.transform.inverse(soft.bins, soft.time);
    for (One& each : orders) each.transform.forward(each.time, each.bins);
    benchmark::DoNotOptimize(time.data());
  }
}
BENCHMARK(BareTransformsOfAllOrders)->Unit(benchmark::kMillisecond);

void SweepToAllHarmonics(benchmark::State& state) {
  for (auto _ : state) {
    const auto found = harmonics_of(response(), 0.0, swept().spec, swept().noise);
    benchmark::DoNotOptimize(found->thd.data());
  }
}
BENCHMARK(SweepToAllHarmonics)->Unit(benchmark::kMillisecond);

void HarmonicsOfAResponse(benchmark::State& state) {
  const ImpulseResponse h = response();
  for (auto _ : state)
    benchmark::DoNotOptimize(harmonics_of(h, 0.0, swept().spec, swept().noise)->thd.data());
}
BENCHMARK(HarmonicsOfAResponse)->Unit(benchmark::kMillisecond);

ImpulseResponse ringing() {
  std::vector<double> x(48000, 0.0);
  x[480] = 1.0;
  for (std::size_t i = 480; i < x.size(); ++i) {
    const double t = static_cast<double>(i - 480) / 48000.0;
    x[i] += 0.02 * std::exp(-200.0 * t) * std::cos(5000.0 * t);
  }
  return {.samples = x, .sample_rate_hz = 48000, .zero_at = 0.0, .excited = {10, 22000}};
}

const FrequencyAxis& map_axis() {
  static const FrequencyAxis axis = FrequencyAxis::logarithmic(50, 20000, 57.8);
  return axis;
}

void BareTransformsOfADecay(benchmark::State& state) {
  const std::size_t n = fast_length(4 * (960 + 48));
  const RealTransform transform(n);
  Samples time(n, 0.5);
  Spectrum bins(transform.bin_count());
  for (auto _ : state)
    for (int k = 0; k < 100; ++k) {
      transform.forward(time, bins);
      benchmark::DoNotOptimize(bins.data());
    }
}
BENCHMARK(BareTransformsOfADecay)->Unit(benchmark::kMillisecond);

void DecayMapOfAHundredSlices(benchmark::State& state) {
  const ImpulseResponse h = ringing();
  for (auto _ : state)
    benchmark::DoNotOptimize(cumulative_decay(h, {0.01, 0.02}, map_axis()).level_db.data());
}
BENCHMARK(DecayMapOfAHundredSlices)->Unit(benchmark::kMillisecond);

void DecayBurstMap(benchmark::State& state) {
  const ImpulseResponse h = ringing();
  for (auto _ : state)
    benchmark::DoNotOptimize(burst_decay(h, {0.01, 0.5}, map_axis()).level_db.data());
}
BENCHMARK(DecayBurstMap)->Unit(benchmark::kMillisecond);

void DecayRidgesOfTwentyMilliseconds(benchmark::State& state) {
  const ImpulseResponse h = ringing();
  for (auto _ : state) benchmark::DoNotOptimize(decay_ridges(h, {0.01, 0.02}).data());
}
BENCHMARK(DecayRidgesOfTwentyMilliseconds)->Unit(benchmark::kMillisecond);

}  // namespace
