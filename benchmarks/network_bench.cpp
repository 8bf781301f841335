// Dragging a part of a network over 71 angles, against the bare complex products and sums of the
// same rows (two drivers, 71 angles, 677 rows). Wanted: sum, lanes, loads and facts within the
// 16 ms of a picture.
#include <benchmark/benchmark.h>

#include <cmath>

#include "base/constants.h"
#include "workbench/networks/network_study.h"
#include "workbench/networks/sum_bumps.h"

namespace {

using namespace lalometer;
using Complex = std::complex<double>;

const std::vector<NetworkDriver>& drivers() {
  static const std::vector<NetworkDriver> made = [] {
    std::vector<NetworkDriver> all;
    const FrequencyAxis axis = FrequencyAxis::logarithmic(20.0, 20000.0, 67.8);
    for (const bool high : {false, true}) {
      const auto curve = [&](double degrees, Quantity quantity) {
        std::vector<Complex> values;
        for (const double f : axis.hz()) {
          const Complex s(0.0, f / (high ? 900.0 : 4000.0));
          const double beam = 1.0 / (1.0 + std::pow(f * degrees / (high ? 9e5 : 2e5), 2));
          values.push_back(quantity == Quantity::kImpedance
                               ? Complex(6.0, f * 1e-3)
                               : beam * (high ? s * s : Complex(1.0)) / (1.0 + 1.4 * s + s * s));
        }
        return *Response::make(axis, std::move(values), quantity, {20.0, 20000.0}, true);
      };
      NetworkDriver d{high ? "tweeter" : "woofer", {}, curve(0.0, Quantity::kImpedance)};
      for (int degrees = -170; degrees <= 180; degrees += 10) {
        d.responses.emplace(NetworkAngle{static_cast<double>(degrees), 0.0},
                            curve(degrees, Quantity::kPressure));
        d.responses.emplace(NetworkAngle{0.0, static_cast<double>(degrees)},
                            curve(degrees, Quantity::kPressure));
      }
      d.motor = {.bl_tm = 6.0, .re_ohm = 5.6, .le_h = 0.2e-3, .xmax_m = 4e-3};
      all.push_back(std::move(d));
    }
    return all;
  }();
  return made;
}

DesignedNetwork dragged(int step) {
  using Place = LadderPart::Place;
  const double mh = 1e-3 * (1.0 + 0.001 * step);
  return {
      .branches = {{.driver = "woofer",
                    .ladder = {{.place = Place::kSeries, .resistance_ohm = 0.3, .inductance_h = mh},
                               {.place = Place::kShunt, .capacitance_f = 10e-6}}},
                   {.driver = "tweeter",
                    .ladder = {{.place = Place::kSeries, .capacitance_f = 6.8e-6},
                               {.place = Place::kShunt, .inductance_h = 0.4e-3},
                               {.place = Place::kSeries, .resistance_ohm = 2.0}}}}};
}

void bare_products(benchmark::State& state) {
  for (auto _ : state) {
    for (const auto& [angle, low] : drivers()[0].responses) {
      const auto& high = drivers()[1].responses.at(angle);
      std::vector<Complex> sum(low.size());
      for (std::size_t i = 0; i < sum.size(); ++i)
        sum[i] = low.value(i) * Complex(0.3, 0.4) + high.value(i) * Complex(0.6, -0.2);
      benchmark::DoNotOptimize(sum.data());
    }
  }
}
BENCHMARK(bare_products)->Unit(benchmark::kMillisecond);

void drag_step(benchmark::State& state) {
  int step = 0;
  for (auto _ : state) {
    const DesignedNetwork n = dragged(++step % 100);
    const auto sum = network_sum(n, drivers());
    NetworkExtras extras;
    extras.network = &n;
    extras.drivers = &drivers();
    auto lanes = network_lanes(*sum, extras);
    benchmark::DoNotOptimize(lanes.data());
  }
}
BENCHMARK(drag_step)->Unit(benchmark::kMillisecond);

void drag_facts(benchmark::State& state) {
  int step = 0;
  for (auto _ : state) {
    const DesignedNetwork n = dragged(++step % 100);
    state.PauseTiming();
    const auto sum = network_sum(n, drivers());
    state.ResumeTiming();
    benchmark::DoNotOptimize(part_loads(n, drivers(), 10.0).data());
    benchmark::DoNotOptimize(driver_loads(n, drivers(), 10.0).data());
    benchmark::DoNotOptimize(sum_bumps(*sum).data());
  }
}
BENCHMARK(drag_facts)->Unit(benchmark::kMillisecond);

}  // namespace
