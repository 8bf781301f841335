#include "acoustics/curves/means.h"

#include <cmath>

namespace lalometer {

using Complex = std::complex<double>;

Result<Response> mean_of(const std::vector<Response>& curves, MeanHow how) {
  if (curves.size() < 2) return bad_input("A mean needs at least two curves.", "");
  const Response& first = curves.front();
  ValidRange valid = first.valid();
  std::vector<Response> alike;
  for (const Response& curve : curves) {
    if (curve.quantity() != first.quantity())
      return bad_input("Only curves of one kind and scale have a mean.", "");
    if (how == MeanHow::kComplex && !curve.has_phase())
      return bad_input("A complex mean needs the phase of every curve.", "");
    alike.push_back(resampled(curve, first.axis()));
    valid = intersect(valid, alike.back().valid());
  }
  if (!(valid.high_hz > valid.low_hz))
    return bad_input("There is no frequency at which all of these are valid.", "");
  const auto count = static_cast<double>(curves.size());
  std::vector<Complex> values(first.size());
  std::vector<double> spread(first.size());
  for (std::size_t i = 0; i < first.size(); ++i) {
    Complex sum = 0.0;
    double power = 0.0;
    for (const Response& curve : alike) {
      sum += curve.value(i);
      power += std::norm(curve.value(i));
    }
    values[i] = how == MeanHow::kComplex ? sum / count : Complex(std::sqrt(power / count), 0.0);
    double square = 0.0;
    for (const Response& curve : alike)
      square += how == MeanHow::kComplex ? std::norm(curve.value(i) - values[i])
                                         : std::pow(curve.magnitude(i) - std::abs(values[i]), 2);
    spread[i] = std::sqrt(square / (count - 1.0) / count) / std::max(std::abs(values[i]), 1e-30);
  }
  return Response::make(first.axis(), std::move(values), first.quantity(), valid,
                        how == MeanHow::kComplex)
      .map([&](const Response& mean) { return mean.with_spread(spread); });
}

}  // namespace lalometer
