// A full set of angles, against the bare transforms of the same 70 impulses of 2^16 samples on the
// same threads. Wanted: all curves, maps and figures in 1.5 times those; from curves that are there
// in 25 ms; a turned axis in 16 ms.
#include <benchmark/benchmark.h>
#include <fftw3.h>

#include <memory>

#include "base/constants.h"
#include "base/work_owner.h"
#include "exchange/audio_file.h"
#include "workbench/results/analysis.h"
#include "workbench/results/impulse_stage.h"
#include "workbench/spin/angle_set.h"

namespace {

using namespace lalometer;

constexpr std::size_t kLength = 65536;

/// A band-pass that loses its treble to the side, with an arrival after 6 ms.
std::vector<double> impulse(double degrees) {
  std::vector<double> samples(kLength, 0.0);
  const double width = 1.0 + std::abs(degrees) / 20.0;
  for (std::size_t i = 288; i < 288 + 2000; ++i) {
    const double t = static_cast<double>(i - 288);
    samples[i] = std::exp(-t / (3.0 * width)) * std::sin(0.9 * (t + 1.0) / width) +
                 0.02 * std::exp(-t / 150.0) * std::sin(0.012 * t);
  }
  return samples;
}

struct Set {
  std::vector<Take> takes;
  std::vector<AnalysisInput> inputs;
};
const Set& set() {
  static const Set made = [] {
    Set s;
    for (const bool vertical : {false, true})
      for (int degrees = -170; degrees <= 180; degrees += 10) {
        if (vertical && (degrees == 0 || degrees == 180)) continue;
        FarFieldSetup setup;
        (vertical ? setup.place.vertical_deg : setup.place.horizontal_deg) = degrees;
        Take take;
        take.setup = setup;
        take.form = RawForm::kImpulseFile;
        take.sample_rate_hz = 48000.0;
        s.takes.push_back(take);
        s.inputs.push_back(
            {take, *audio_bytes({48000.0, {impulse(degrees)}, ""}, AudioFormat::kWavFloat32),
             RigCalibration{}, usual_recipe(TakeRole::kFarField)});
      }
    return s;
  }();
  return made;
}

std::shared_ptr<const OrbitMaterial> material_of(const std::vector<Analysis>& read,
                                                 const Parallel& parallel) {
  AngleTakes takes;
  for (std::size_t i = 0; i < read.size(); ++i)
    takes.far.push_back({&set().takes[i], &read[i].curve, read[i].origin, read[i].calibrated});
  return std::make_shared<const OrbitMaterial>(
      *orbit_material(takes, std::nullopt, OrbitWish{}, "benchmark", {}, parallel));
}

std::vector<Analysis> read_all(const Parallel& parallel) {
  std::vector<std::optional<Analysis>> made(set().takes.size());
  parallel(made.size(), [&](std::size_t i) { made[i] = *analysed(set().inputs[i]); });
  std::vector<Analysis> all;
  for (auto& one : made) all.push_back(*std::move(one));
  return all;
}

void BareTransformsOfAngles(benchmark::State& state) {
  std::vector<std::vector<double>> in(set().takes.size(), impulse(30.0));
  std::vector<std::vector<std::complex<double>>> out(
      in.size(), std::vector<std::complex<double>>(kLength / 2 + 1));
  const fftw_plan plan =
      fftw_plan_dft_r2c_1d(static_cast<int>(kLength), in[0].data(),
                           reinterpret_cast<fftw_complex*>(out[0].data()), FFTW_MEASURE);
  const Parallel parallel = on_threads();
  for (auto _ : state)
    parallel(in.size(), [&](std::size_t i) {
      fftw_execute_dft_r2c(plan, in[i].data(), reinterpret_cast<fftw_complex*>(out[i].data()));
    });
  fftw_destroy_plan(plan);
}
BENCHMARK(BareTransformsOfAngles)->Unit(benchmark::kMillisecond)->UseRealTime();

void AnglesFromImpulses(benchmark::State& state) {
  const Parallel parallel = on_threads();
  for (auto _ : state)
    benchmark::DoNotOptimize(
        angle_reading(material_of(read_all(parallel), parallel), {}, {}, parallel));
}
BENCHMARK(AnglesFromImpulses)->Unit(benchmark::kMillisecond)->UseRealTime();

void AnglesFromCurves(benchmark::State& state) {
  const Parallel parallel = on_threads();
  const std::vector<Analysis> read = read_all(parallel);
  for (auto _ : state)
    benchmark::DoNotOptimize(angle_reading(material_of(read, parallel), {}, {}, parallel));
}
BENCHMARK(AnglesFromCurves)->Unit(benchmark::kMillisecond)->UseRealTime();

void AnglesTurned(benchmark::State& state) {
  const Parallel parallel = on_threads();
  const auto material = material_of(read_all(parallel), parallel);
  AngleView view;
  view.draft = true;
  for (auto _ : state) {
    view.horizontal_axis_deg = view.horizontal_axis_deg < 30.0 ? view.horizontal_axis_deg + 1.0 : 1;
    benchmark::DoNotOptimize(angle_reading(material, view, {}, parallel));
  }
}
BENCHMARK(AnglesTurned)->Unit(benchmark::kMillisecond)->UseRealTime();

}  // namespace
