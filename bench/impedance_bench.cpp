// Reading impedances, against the bare transforms of deconvolve_bench.cpp in the same run. Wanted:
// a fit in 30 ms, a series of 20 variants read and ranked in 1 s; where the transforms take 12.4 ms
// these are ratios of 2.4 and 81.
#include <benchmark/benchmark.h>

#include "acoustics/enclosure/driver_circuit.h"
#include "acoustics/impedance/box_fit.h"
#include "acoustics/impedance/wiggles.h"
#include "workbench/comparison.h"

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
