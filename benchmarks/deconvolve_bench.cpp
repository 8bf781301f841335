// Deconvolution of a two-channel take of 2^18 samples, against the bare FFTW transforms it cannot
// do without: two forward, one inverse, of the same length, planned the same way. The wanted ratio
// is at most 1.5.
#include <benchmark/benchmark.h>
#include <fftw3.h>

#include <cmath>
#include <vector>

#include "acoustics/signal/deconvolve.h"
#include "base/memory.h"

namespace {

constexpr int kSize = 1 << 18;

void BareTransforms(benchmark::State& state) {
  double* time = fftw_alloc_real(kSize);
  fftw_complex* first = fftw_alloc_complex(kSize / 2 + 1);
  fftw_complex* second = fftw_alloc_complex(kSize / 2 + 1);
  fftw_plan forward = fftw_plan_dft_r2c_1d(kSize, time, first, FFTW_ESTIMATE | FFTW_PRESERVE_INPUT);
  fftw_plan inverse = fftw_plan_dft_c2r_1d(kSize, first, time, FFTW_ESTIMATE | FFTW_DESTROY_INPUT);
  for (int i = 0; i < kSize; ++i) time[i] = std::sin(0.001 * i);
  for (auto _ : state) {
    fftw_execute_dft_r2c(forward, time, first);
    fftw_execute_dft_r2c(forward, time, second);
    fftw_execute_dft_c2r(inverse, first, time);
    benchmark::DoNotOptimize(time[0]);
    time[0] = 1.0;
  }
  fftw_destroy_plan(forward);
  fftw_destroy_plan(inverse);
  fftw_free(time);
  fftw_free(first);
  fftw_free(second);
}
BENCHMARK(BareTransforms)->Unit(benchmark::kMillisecond);

void Deconvolve(benchmark::State& state) {
  std::vector<double> recording(kSize);
  std::vector<double> reference(kSize);
  for (std::size_t i = 0; i < recording.size(); ++i) {
    const auto t = static_cast<double>(i);
    reference[i] = std::sin(1e-6 * t * t);
    recording[i] = 0.5 * std::sin(1e-6 * t * t - 0.3);
  }
  for (auto _ : state) {
    auto h = lalometer::deconvolve(recording, reference, 48000.0, {10.0, 22000.0});
    benchmark::DoNotOptimize(h.samples.data());
  }
}
BENCHMARK(Deconvolve)->Unit(benchmark::kMillisecond);

}  // namespace

int main(int argc, char** argv) {
  lalometer::keep_freed_memory();  // as the programs do
  benchmark::Initialize(&argc, argv);
  benchmark::RunSpecifiedBenchmarks();
}
