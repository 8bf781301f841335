#pragma once

#include <complex>
#include <optional>
#include <span>
#include <vector>

namespace lalometer {

/// What coils, capacitors, resistors and voice coils make of an impedance: a rational function of
/// j omega with broad poles only, so that it follows a crossover's humps and valleys and leaves
/// the narrow loops of cones and boxes standing. Narrow zeros are free (a trap's valley).
class NetworkGround {
 public:
  NetworkGround(std::vector<std::complex<double>> poles, std::vector<std::complex<double>> residues,
                double constant, double slope, double unit_hz);
  /// ohm, at j 2 pi f
  [[nodiscard]] std::complex<double> at(double frequency_hz) const;
  [[nodiscard]] std::size_t order() const { return poles_.size(); }

 private:
  std::vector<std::complex<double>> poles_;  ///< of s over 2 pi unit_hz; in pairs or real
  std::vector<std::complex<double>> residues_;
  double constant_, slope_, unit_hz_;
};

/// Fits such a ground by relative departures; points that lie far off the rest weigh less. As many
/// poles as the Bayesian information criterion bears, none sharper than `most_q`; three times as
/// sharp where one is taller than a quarter of the magnitude.
/// @param frequency_hz  rising, at least 16, else nothing comes out
/// Source of the method: B. Gustavsen, A. Semlyen, "Rational approximation of frequency domain
/// responses by vector fitting", IEEE Trans. Power Delivery 14 (1999) 1052; the limit of Q is ours.
[[nodiscard]] std::optional<NetworkGround> network_ground(
    std::span<const double> frequency_hz, std::span<const std::complex<double>> impedance,
    double most_q);

}  // namespace lalometer
