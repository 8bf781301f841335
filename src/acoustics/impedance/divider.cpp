#include "acoustics/impedance/divider.h"

#include <functional>

#include "base/text.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

Result<Response> pointwise(
    const Response& ratio, ValidRange valid,
    const std::function<std::pair<Complex, Complex>(std::size_t)>& fraction) {
  std::vector<Complex> z(ratio.size());
  for (std::size_t i = 0; i < ratio.size(); ++i) {
    const auto [numerator, denominator] = fraction(i);
    if (std::abs(denominator) < 1e-9) {
      return bad_input(fmt::format(
          "At {} the jig cannot tell the load from an open circuit; check that the test "
          "leads are connected and which channel is which.",
          frequency_text(ratio.axis()[i])));
    }
    z[i] = numerator / denominator;
  }
  return Response::make(ratio.axis(), std::move(z), Quantity::kImpedance, valid, true);
}

}  // namespace

Result<Response> impedance_by_divider(const Response& ratio, double reference_ohm,
                                      double cable_ohm) {
  return pointwise(ratio, ratio.valid(), [&](std::size_t i) {
    const Complex m = ratio.value(i);
    return std::pair{reference_ohm * m - cable_ohm * (1.0 - m), 1.0 - m};
  });
}

Result<Response> impedance_by_calibration(const Response& ratio, const JigCalibration& c) {
  const Response open = resampled(c.open, ratio.axis());
  const Response shorted = resampled(c.shorted, ratio.axis());
  const Response known = resampled(c.known, ratio.axis());
  const ValidRange valid =
      intersect(intersect(ratio.valid(), open.valid()), intersect(shorted.valid(), known.valid()));
  return pointwise(ratio, valid, [&](std::size_t i) {
    const Complex m = ratio.value(i);
    return std::pair{c.known_ohm * (m - shorted.value(i)) * (open.value(i) - known.value(i)),
                     (known.value(i) - shorted.value(i)) * (open.value(i) - m)};
  });
}

}  // namespace lalometer
