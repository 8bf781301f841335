#pragma once

#include <complex>
#include <cstddef>
#include <cstdlib>
#include <new>
#include <optional>
#include <span>
#include <string>
#include <vector>

/// Discrete Fourier transforms by FFTW, with the convention of the whole project:
/// forward X[k] = sum x[n] exp(-j 2 pi k n / N), no scaling; inverse carries 1/N, so
/// inverse(forward(x)) is x. A real signal of N samples has the one-sided spectrum k = 0 .. N/2,
/// bins not doubled.
namespace lalometer {

/// Memory aligned for FFTW's vector code; its plans are made for this alignment only.
template <class T>
struct AlignedAllocator {
  using value_type = T;
  AlignedAllocator() = default;
  template <class U>
  explicit AlignedAllocator(const AlignedAllocator<U>&) {}
  [[nodiscard]] T* allocate(std::size_t n) {
    return static_cast<T*>(::operator new (n * sizeof(T), std::align_val_t{64}));
  }
  void deallocate(T* p, std::size_t) { ::operator delete (p, std::align_val_t{64}); }
  template <class U>
  bool operator==(const AlignedAllocator<U>&) const {
    return true;
  }
};
using Samples = std::vector<double, AlignedAllocator<double>>;
using Spectrum = std::vector<std::complex<double>, AlignedAllocator<std::complex<double>>>;

/// A real transform of one length. Plans are made once per length for the whole process and shared;
/// making them is serialised, running them is safe from any thread.
class RealTransform {
 public:
  /// @param size  N >= 1.
  explicit RealTransform(std::size_t size);

  [[nodiscard]] std::size_t size() const { return size_; }
  [[nodiscard]] std::size_t bin_count() const { return size_ / 2 + 1; }

  /// out must hold bin_count() values; in holds size() samples and is kept.
  void forward(const Samples& in, Spectrum& out) const;
  /// out must hold size() samples; in is destroyed (FFTW's real inverse works in place on it).
  void inverse(Spectrum& in, Samples& out) const;
  /// The same without the 1/N, for callers that have put it into the spectrum already.
  void inverse_unscaled(Spectrum& in, Samples& out) const;

 private:
  std::size_t size_;
  void* forward_plan_;
  void* inverse_plan_;
};

/// Smallest 2^a 3^b 5^c 7^d >= n: lengths that transform quickly.
[[nodiscard]] std::size_t fast_length(std::size_t n);

/// One-sided spectrum of x padded with zeros (or cut) to n samples.
[[nodiscard]] Spectrum real_spectrum(std::span<const double> x, std::size_t n);

/// How transforms of a length are best done is found anew by every program, and costs more than a
/// transform. Doors may keep it: whatever text (also of another machine) is taken or ignored.
void use_transform_wisdom(const std::string& wisdom);
/// Nothing where nothing was learned since.
[[nodiscard]] std::optional<std::string> new_transform_wisdom();

}  // namespace lalometer
