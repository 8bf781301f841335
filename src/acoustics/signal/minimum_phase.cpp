#include "acoustics/signal/minimum_phase.h"

#include <cmath>

namespace lalometer {

Spectrum minimum_phase(const std::vector<double>& magnitude) {
  std::vector<double> logs(magnitude.size());
  for (std::size_t k = 0; k < logs.size(); ++k) logs[k] = std::log(magnitude[k]);
  Spectrum bins = minimum_phase_logs(logs);
  for (auto& bin : bins) bin = std::polar(std::exp(bin.real()), bin.imag());
  return bins;
}

Spectrum minimum_phase_logs(const std::vector<double>& log_magnitude) {
  const std::size_t n = 2 * (log_magnitude.size() - 1);
  const RealTransform transform(n);
  Spectrum bins(log_magnitude.begin(), log_magnitude.end());
  Samples cepstrum(n);
  transform.inverse(bins, cepstrum);
  // Folding the anticausal half onto the causal one leaves the magnitude and makes the phase
  // minimal.
  for (std::size_t i = 1; i < n / 2; ++i) {
    cepstrum[i] *= 2.0;
    cepstrum[n - i] = 0.0;
  }
  transform.forward(cepstrum, bins);
  return bins;
}

}  // namespace lalometer
