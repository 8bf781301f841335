// Reading impedances, against the bare transforms of deconvolve_bench.cpp in the same run. Wanted:
// a fit in 30 ms, a series of 20 variants read and ranked in 1 s; where the transforms take 12.4 ms
// these are ratios of 2.4 and 81.
#include <benchmark/benchmark.h>

#include "acoustics/enclosure/driver_circuit.h"
#include "acoustics/impedance/fit/box_fit.h"
#include "acoustics/impedance/wiggles.h"
#include "base/constants.h"
#include "workbench/studies/comparison.h"

namespace {

using namespace lalometer;

/// A woofer in a vented box with a loop, 96 points an octave and a noise that repeats.
Response curve(double ql) {
  const DriverParameters d = elements_of({42.0, 4.2, 0.46, 0.0215, 0.0132, 5.6, 0.4e-3});
  const BoxLoad box{
      .kind = BoxLoad::Kind::kVented, .volume_m3 = 0.014, .ql = ql, .tuning_hz = 47.0};
  const FrequencyAxis axis = FrequencyAxis::logarithmic(8.0, 20000.0, 96.0);
  std::vector<std::complex<double>> z;
  for (std::size_t i = 0; i < axis.size(); ++i) {
    const double f = axis[i];
    const double n = std::sin(12.9898 * static_cast<double>(i + 1)) * 43758.5453;
    const double m = std::sin(78.233 * static_cast<double>(i + 1)) * 12543.123;
    z.push_back(
        (solve_driver(d, box, f).impedance_ohm +
         0.4 / std::complex<double>(1.0, 30.0 * (f / 490.0 - 490.0 / f))) *
        (1.0 + 0.006 * std::complex<double>(n - std::floor(n) - 0.5, m - std::floor(m) - 0.5)));
  }
  return *Response::make(axis, z, Quantity::kImpedance, {}, true);
}

/// The same box behind a low-pass, with a tweeter's branch beside it; noise in millionths.
Response two_way(double noise, BoxLoad::Kind kind) {
  using Complex = std::complex<double>;
  const DriverParameters d = elements_of({42.0, 4.2, 0.46, 0.0215, 0.0132, 5.6, 0.4e-3});
  const BoxLoad box{.kind = kind, .volume_m3 = 0.014, .ql = 7.0, .tuning_hz = 47.0};
  const FrequencyAxis axis = FrequencyAxis::logarithmic(10.0, 20000.0, 104.0);
  std::vector<Complex> z;
  for (std::size_t i = 0; i < axis.size(); ++i) {
    const double f = axis[i];
    const Complex s(0.0, 2.0 * kPi * f);
    const Complex across = 1.0 / (s * 12e-6) + 5.6;
    const Complex woofer = solve_driver(d, box, f).impedance_ohm;
    const Complex low = s * 0.9e-3 + 1.0 / (1.0 / woofer + 1.0 / across);
    const Complex dome = 5.2 + s * 0.04e-3 + 4.0 / Complex(1.0, 2.5 * (f / 900.0 - 900.0 / f));
    const Complex high = 1.0 / (s * 6.8e-6) + 1.0 / (1.0 / (s * 0.35e-3) + 1.0 / dome);
    const double n = std::sin(12.9898 * static_cast<double>(i + 1)) * 43758.5453;
    const double m = std::sin(78.233 * static_cast<double>(i + 1)) * 12543.123;
    z.push_back(1.0 / (1.0 / low + 1.0 / high) *
                (1.0 + noise * Complex(n - std::floor(n) - 0.5, m - std::floor(m) - 0.5)));
  }
  return *Response::make(axis, z, Quantity::kImpedance, {}, true);
}

Response bare() {
  const DriverParameters d = elements_of({42.0, 4.2, 0.46, 0.0215, 0.0132, 5.6, 0.4e-3});
  const FrequencyAxis axis = FrequencyAxis::logarithmic(8.0, 20000.0, 96.0);
  std::vector<std::complex<double>> z;
  for (std::size_t i = 0; i < axis.size(); ++i) {
    const double n = std::sin(12.9898 * static_cast<double>(i + 1)) * 43758.5453;
    const double m = std::sin(78.233 * static_cast<double>(i + 1)) * 12543.123;
    z.push_back(
        solve_driver(d, {}, axis[i]).impedance_ohm *
        (1.0 + 0.006 * std::complex<double>(n - std::floor(n) - 0.5, m - std::floor(m) - 0.5)));
  }
  return *Response::make(axis, z, Quantity::kImpedance, {}, true);
}

void FitDriver(benchmark::State& state) {
  const Response z = bare();
  for (auto _ : state) benchmark::DoNotOptimize(fit_driver(z));
}
BENCHMARK(FitDriver)->Unit(benchmark::kMillisecond);

void FitVentedBox(benchmark::State& state) {
  const Response z = curve(7.0);
  for (auto _ : state) benchmark::DoNotOptimize(fit_box(z, BackLoad::kVented));
}
BENCHMARK(FitVentedBox)->Unit(benchmark::kMillisecond);

/// With its crossover; noise in millionths of the impedance.
void FitTwoWay(benchmark::State& state) {
  const Response z = two_way(1e-6 * static_cast<double>(state.range(0)), BoxLoad::Kind::kVented);
  for (auto _ : state) benchmark::DoNotOptimize(fit_box(z, BackLoad::kVented));
}
BENCHMARK(FitTwoWay)->Arg(0)->Arg(1000)->Arg(6000)->Unit(benchmark::kMillisecond);

void FitClosedTwoWay(benchmark::State& state) {
  const Response z = two_way(1e-6 * static_cast<double>(state.range(0)), BoxLoad::Kind::kSealed);
  DriverFitWishes wishes;
  wishes.in_closed_box = true;
  for (auto _ : state) benchmark::DoNotOptimize(fit_driver(z, wishes));
}
BENCHMARK(FitClosedTwoWay)->Arg(0)->Arg(1000)->Arg(6000)->Unit(benchmark::kMillisecond);

void FindWiggles(benchmark::State& state) {
  const Response z = curve(7.0);
  const auto fit = fit_box(z, BackLoad::kVented);
  for (auto _ : state) benchmark::DoNotOptimize(find_wiggles(z, &fit->motor));
}
BENCHMARK(FindWiggles)->Unit(benchmark::kMillisecond);

void SeriesOfTwenty(benchmark::State& state) {
  std::vector<ComparedMember> members;
  for (int i = 0; i < 20; ++i)
    members.push_back({std::to_string(i), std::to_string(i), {}, {curve(4.0 + 0.5 * i)}});
  for (auto _ : state) benchmark::DoNotOptimize(compared(members, ImpedanceRole::kVented));
}
BENCHMARK(SeriesOfTwenty)->Unit(benchmark::kMillisecond);

}  // namespace
