#include "acoustics/impedance/fit/fit_points.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "acoustics/impedance/box_signature.h"
#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

/// No loudspeaker stays below it: even two 1 ohm coils in parallel rise above at their resonance.
constexpr double kLowestOhm = 1.5;

double median(std::vector<double> values) {
  auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
  std::nth_element(values.begin(), middle, values.end());
  return *middle;
}

/// Noise of one real part, relative, from the differences of neighbours. A smooth curve hardly has
/// any of a high order, but where points are sparse its own curvature stands in the low ones: the
/// smallest of the orders counts. A difference of order 2m weighs noise with the root of (4m choose
/// 2m).
double noise_of(const std::vector<Complex>& z) {
  double least = 1e300;
  std::vector<Complex> difference = z;
  double gain = 1.0;
  for (std::size_t order = 2; order <= 8 && order + 8 <= z.size(); order += 2) {
    for (int twice = 0; twice < 2; ++twice) {
      for (std::size_t i = 0; i + 1 < difference.size(); ++i)
        difference[i] = difference[i + 1] - difference[i];
      difference.pop_back();
    }
    const auto m = static_cast<double>(order);
    gain *= (2.0 * m) * (2.0 * m - 1.0) * (2.0 * m - 2.0) * (2.0 * m - 3.0) /
            (m * m * (m - 1.0) * (m - 1.0));
    std::vector<double> sizes;
    for (std::size_t i = 0; i < difference.size(); ++i)
      sizes.push_back(std::abs(difference[i]) / std::abs(z[i + order / 2]));
    least = std::min(least, median(sizes) / 1.1774 / std::sqrt(gain));
  }
  return least;
}

/// Of the impedance; below it a model's own departures count for more.
constexpr double kLittleNoise = 5e-4;
constexpr double kDense = 0.6931471805599453 / 48.0;  ///< a 48th of an octave

/// At most 48 points an octave: the mean of those that lie closer. In the range to be kept a mean
/// would flatten a sharp impedance peak: there all stay, or one of each group where there is no
/// noise that the others would help against.
void thin(FitPoints& points, ValidRange kept) {
  const bool noisy = points.noise > kLittleNoise;
  FitPoints out;
  out.noise = points.noise;
  for (std::size_t i = 0; i < points.z.size();) {
    const double first = points.frequency_hz[i];
    const bool within = kept.contains(first);
    std::size_t next = i + 1;
    Complex sum = points.z[i];
    double logs = std::log(first);
    while (next < points.z.size() && kept.contains(points.frequency_hz[next]) == within &&
           !(within && noisy) && std::log(points.frequency_hz[next] / first) < 0.9 * kDense) {
      sum += points.z[next];
      logs += std::log(points.frequency_hz[next]);
      ++next;
    }
    const double n = static_cast<double>(next - i);
    out.frequency_hz.push_back(within ? first : std::exp(logs / n));
    out.z.push_back(within ? points.z[i] : sum / n);
    i = next;
  }
  points = std::move(out);
}

}  // namespace

Result<FitPoints> fit_points(const Response& impedance, double low_hz, double high_hz,
                             ValidRange kept) {
  FitPoints out;
  const ValidRange valid = impedance.valid();
  for (std::size_t i = 0; i < impedance.size(); ++i) {
    const double f = impedance.axis()[i];
    if (f < low_hz || f > high_hz || !valid.contains(f)) continue;
    if (!(std::abs(impedance.value(i)) > 0.0)) {
      return bad_input(
          fmt::format("The impedance at {} is 0: no loudspeaker has that; the test "
                      "leads were shorted, or a column is missing.",
                      frequency_text(f)));
    }
    out.frequency_hz.push_back(f);
    out.z.push_back(impedance.value(i));
  }
  const std::size_t n = out.z.size();
  if (n < 24) {
    return bad_input(
        fmt::format("Only {} points lie in the range that counts; a fit needs at least 24.", n));
  }
  double highest = 0.0;
  for (const Complex& z : out.z) highest = std::max(highest, std::abs(z));
  if (highest < kLowestOhm) {
    return bad_input(fmt::format(
        "The whole curve lies below {} ohm: these are the voltage ratios of a jig that was not "
        "calibrated, not an impedance.",
        three_digits(kLowestOhm)));
  }
  out.noise = noise_of(out.z);
  double negative = 0.0;
  for (const Complex& z : out.z) negative = std::min(negative, z.real() / std::abs(z));
  if (impedance.has_phase() && negative < -0.05 - 4.0 * out.noise) {
    return bad_input(
        "The real part of the impedance goes below 0, which no loudspeaker's does: the jig was not "
        "calibrated, or its two inputs were exchanged.");
  }
  thin(out, kept);
  const std::size_t m = out.z.size();
  for (std::size_t i = 0; i < m; ++i) {
    const double left = i > 0 ? std::log(out.frequency_hz[i] / out.frequency_hz[i - 1]) : 1.0;
    const double right = i + 1 < m ? std::log(out.frequency_hz[i + 1] / out.frequency_hz[i]) : 1.0;
    const double gap = i == 0 ? right : (i + 1 == m ? left : 0.5 * (left + right));
    // Every octave counts alike where points lie densely; sparse points cannot count for more.
    out.weights.push_back(std::min(1.0, gap / kDense));
    out.log_frequency.push_back(std::log(out.frequency_hz[i]));
  }
  return out;
}

CurveFitInput FitPoints::input(bool has_phase, double calibration_percent) const {
  return {.measured = z,
          .weights = weights,
          .has_phase = has_phase,
          .priors = {},
          .noise = std::max(noise, 1e-5),
          .calibration = 0.01 * calibration_percent / kTwoSided95,
          .log_frequency = log_frequency};
}

std::vector<Hump> humps(const FitPoints& points, double least_prominence) {
  const std::size_t n = points.z.size();
  // Smoothed over some points, as far as the noise asks for it.
  const std::size_t reach = points.noise > 0.001 ? 2 : (points.noise > 1e-4 ? 1 : 0);
  std::vector<Complex> smooth(n);
  for (std::size_t i = 0; i < n; ++i) {
    const std::size_t from = i >= reach ? i - reach : 0;
    const std::size_t to = std::min(n - 1, i + reach);
    double magnitude = 0.0;
    for (std::size_t k = from; k <= to; ++k) magnitude += std::abs(points.z[k]);
    smooth[i] = magnitude / static_cast<double>(to - from + 1);
  }
  const auto curve = Response::make(*FrequencyAxis::make(points.frequency_hz), std::move(smooth),
                                    Quantity::kImpedance, {}, false);
  std::vector<Hump> found;
  for (const ImpedancePeak& p :
       impedance_peaks(*curve, std::max(least_prominence, 8.0 * points.noise)))
    found.push_back({p.frequency_hz, p.magnitude_ohm, p.prominence});
  std::sort(found.begin(), found.end(),
            [](const Hump& a, const Hump& b) { return a.prominence > b.prominence; });
  return found;
}

}  // namespace lalometer
