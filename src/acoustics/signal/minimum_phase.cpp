#include "acoustics/signal/minimum_phase.h"

#include <cmath>

namespace lalometer {

Spectrum minimum_phase(const std::vector<double>& magnitude) {
  const std::size_t n = 2 * (magnitude.size() - 1);
  const RealTransform transform(n);
  Spectrum bins(magnitude.size());
  for (std::size_t k = 0; k < bins.size(); ++k) bins[k] = std::log(magnitude[k]);
  Samples cepstrum(n);
  transform.inverse(bins, cepstrum);
  // Folding the anticausal half onto the causal one leaves the magnitude and makes the phase
  // minimal.
  for (std::size_t i = 1; i < n / 2; ++i) {
    cepstrum[i] *= 2.0;
    cepstrum[n - i] = 0.0;
  }
  transform.forward(cepstrum, bins);
  for (auto& bin : bins) bin = std::polar(std::exp(bin.real()), bin.imag());
  return bins;
}

}  // namespace lalometer
