#include "acoustics/signal/fft.h"

#include <fftw3.h>

#include <algorithm>
#include <cstdlib>
#include <map>
#include <memory>
#include <mutex>
#include <type_traits>

namespace lalometer {
namespace {

struct PlanDeleter {
  void operator()(fftw_plan plan) const { fftw_destroy_plan(plan); }
};
using Plan = std::unique_ptr<std::remove_pointer_t<fftw_plan>, PlanDeleter>;

struct PlanPair {
  Plan forward;
  Plan inverse;
};

/// Owns all plans for the life of the process. FFTW's planner is not thread-safe, so the mutex
/// guards both the map and every planner call.
std::mutex guard;
bool learned = false;  ///< plans were made that no wisdom held

const PlanPair& plans_for(std::size_t size) {
  static std::map<std::size_t, PlanPair> plans;
  const std::scoped_lock lock(guard);
  if (const auto found = plans.find(size); found != plans.end()) return found->second;
  Samples time(size);
  Spectrum bins(size / 2 + 1);
  auto* raw_bins = reinterpret_cast<fftw_complex*>(bins.data());
  const int n = static_cast<int>(size);
  // A map never moves its values, so the reference stays good.
  PlanPair& pair = plans[size];
  const auto forward = [&](unsigned flags) {
    pair.forward.reset(fftw_plan_dft_r2c_1d(n, time.data(), raw_bins, flags | FFTW_PRESERVE_INPUT));
  };
  const auto inverse = [&](unsigned flags) {
    pair.inverse.reset(fftw_plan_dft_c2r_1d(n, raw_bins, time.data(), flags | FFTW_DESTROY_INPUT));
  };
  forward(FFTW_ESTIMATE | FFTW_WISDOM_ONLY);
  inverse(FFTW_ESTIMATE | FFTW_WISDOM_ONLY);
  if (!pair.forward || !pair.inverse) {
    learned = true;
    forward(FFTW_ESTIMATE);
    inverse(FFTW_ESTIMATE);
  }
  return pair;
}

}  // namespace

void use_transform_wisdom(const std::string& wisdom) {
  const std::scoped_lock lock(guard);
  (void)fftw_import_wisdom_from_string(wisdom.c_str());
}

std::optional<std::string> new_transform_wisdom() {
  const std::scoped_lock lock(guard);
  if (!learned) return std::nullopt;
  learned = false;
  const std::unique_ptr<char, void (*)(void*)> text(fftw_export_wisdom_to_string(), std::free);
  return text ? std::optional<std::string>(text.get()) : std::nullopt;
}

RealTransform::RealTransform(std::size_t size) : size_(size) {
  const PlanPair& pair = plans_for(size);
  forward_plan_ = pair.forward.get();
  inverse_plan_ = pair.inverse.get();
}

void RealTransform::forward(const Samples& in, Spectrum& out) const {
  // The plan preserves its input, so the const_cast never leads to a write.
  fftw_execute_dft_r2c(static_cast<fftw_plan>(forward_plan_), const_cast<double*>(in.data()),
                       reinterpret_cast<fftw_complex*>(out.data()));
}

void RealTransform::inverse_unscaled(Spectrum& in, Samples& out) const {
  fftw_execute_dft_c2r(static_cast<fftw_plan>(inverse_plan_),
                       reinterpret_cast<fftw_complex*>(in.data()), out.data());
}

void RealTransform::inverse(Spectrum& in, Samples& out) const {
  inverse_unscaled(in, out);
  const double scale = 1.0 / static_cast<double>(size_);
  for (double& sample : out) sample *= scale;
}

std::size_t fast_length(std::size_t n) {
  std::size_t best = 1;
  while (best < n) best *= 2;
  for (std::size_t p7 = 1; p7 < best; p7 *= 7) {
    for (std::size_t p5 = p7; p5 < best; p5 *= 5) {
      for (std::size_t p3 = p5; p3 < best; p3 *= 3) {
        std::size_t candidate = p3;
        while (candidate < n) candidate *= 2;
        best = std::min(best, candidate);
      }
    }
  }
  return best;
}

Spectrum real_spectrum(std::span<const double> x, std::size_t n) {
  Samples padded(n, 0.0);
  std::copy_n(x.begin(), std::min(x.size(), n), padded.begin());
  const RealTransform transform(n);
  Spectrum bins(transform.bin_count());
  transform.forward(padded, bins);
  return bins;
}

}  // namespace lalometer
