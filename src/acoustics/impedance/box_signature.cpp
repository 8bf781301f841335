#include "acoustics/impedance/box_signature.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include "base/constants.h"

namespace lalometer {
namespace {

/// Top (or bottom) of the parabola through three points of magnitude over log f, around index i.
std::pair<double, double> refined_extreme(const Response& z, std::size_t i) {
  if (i == 0 || i + 1 >= z.size()) return {z.axis()[i], z.magnitude(i)};
  const double x0 = std::log(z.axis()[i - 1] / z.axis()[i]);
  const double x2 = std::log(z.axis()[i + 1] / z.axis()[i]);
  const double y0 = z.magnitude(i - 1) - z.magnitude(i);
  const double y2 = z.magnitude(i + 1) - z.magnitude(i);
  const double bend = (y2 / x2 - y0 / x0) / (x2 - x0);
  if (bend == 0.0) return {z.axis()[i], z.magnitude(i)};
  const double slope = y0 / x0 - bend * x0;
  const double x = std::clamp(-slope / (2.0 * bend), x0, x2);
  return {z.axis()[i] * std::exp(x), z.magnitude(i) + slope * x + bend * x * x};
}

/// Frequency between points a and b where a rising or falling quantity passes zero, linear over log
/// f.
double crossing(double fa, double fb, double ya, double yb) {
  return fa * std::pow(fb / fa, ya / (ya - yb));
}

/// Frequencies on both sides of a peak where the magnitude passes a level.
std::optional<std::pair<double, double>> flanks(const Response& z, std::size_t peak, double level) {
  std::optional<double> low;
  std::optional<double> high;
  for (std::size_t i = peak; i > 0 && !low; --i) {
    if (z.magnitude(i - 1) <= level) {
      low = crossing(z.axis()[i - 1], z.axis()[i], z.magnitude(i - 1) - level,
                     z.magnitude(i) - level);
    }
  }
  for (std::size_t i = peak; i + 1 < z.size() && !high; ++i) {
    if (z.magnitude(i + 1) <= level) {
      high = crossing(z.axis()[i], z.axis()[i + 1], z.magnitude(i) - level,
                      z.magnitude(i + 1) - level);
    }
  }
  if (!low || !high) return std::nullopt;
  return std::pair{*low, *high};
}

}  // namespace

std::vector<ImpedancePeak> impedance_peaks(const Response& z, double least_prominence) {
  std::vector<ImpedancePeak> peaks;
  const std::size_t n = z.size();
  for (std::size_t i = 1; i + 1 < n; ++i) {
    if (!(z.magnitude(i) > z.magnitude(i - 1) && z.magnitude(i) >= z.magnitude(i + 1))) continue;
    // Walk down both sides until something higher stands in the way; the higher valley is the base.
    // Of two rows of equal height on one top, as rounded lists have them, the first is the peak.
    const auto valley = [&](std::ptrdiff_t step) {
      double lowest = z.magnitude(i);
      for (auto j = static_cast<std::ptrdiff_t>(i) + step;
           j >= 0 && j < static_cast<std::ptrdiff_t>(n); j += step) {
        const double m = z.magnitude(static_cast<std::size_t>(j));
        if (m > z.magnitude(i) || (step < 0 && m == z.magnitude(i))) break;
        lowest = std::min(lowest, m);
      }
      return lowest;
    };
    const double base = std::max(valley(-1), valley(+1));
    const double prominence = z.magnitude(i) / base - 1.0;
    if (prominence < least_prominence) continue;
    const auto [f, magnitude] = refined_extreme(z, i);
    peaks.push_back({f, magnitude, prominence});
  }
  return peaks;
}

std::optional<ImpedanceMinimum> impedance_minimum(const Response& z, double low_hz,
                                                  double high_hz) {
  std::optional<std::size_t> best;
  for (std::size_t i = 0; i < z.size(); ++i) {
    if (z.axis()[i] < low_hz || z.axis()[i] > high_hz || !z.valid().contains(z.axis()[i])) continue;
    if (!best || z.magnitude(i) < z.magnitude(*best)) best = i;
  }
  if (!best) return std::nullopt;
  const bool inside = *best > 0 && *best + 1 < z.size() &&
                      z.magnitude(*best) <= z.magnitude(*best - 1) &&
                      z.magnitude(*best) <= z.magnitude(*best + 1);
  if (!inside) return ImpedanceMinimum{z.magnitude(*best), z.axis()[*best]};
  const auto [f, magnitude] = refined_extreme(z, *best);
  return ImpedanceMinimum{magnitude, f};
}

std::optional<double> nominal_impedance_ohm(double minimum_ohm) {
  std::optional<double> nominal;
  for (const double candidate : {2.0, 4.0, 6.0, 8.0, 16.0, 32.0}) {
    if (minimum_ohm >= 0.8 * candidate) nominal = candidate;
  }
  return nominal;
}

double estimated_re_ohm(const Response& z) {
  double lowest = std::numeric_limits<double>::infinity();
  for (std::size_t i = 0; i < z.size(); ++i) {
    if (z.valid().contains(z.axis()[i]) && z.axis()[i] < 2000.0)
      lowest = std::min(lowest, z.value(i).real());
  }
  return std::isfinite(lowest) ? lowest : z.value(0).real();
}

std::optional<VentedSignature> vented_signature(const Response& z, std::optional<double> re_ohm,
                                                const std::optional<ClosedSignature>& free_air) {
  std::vector<ImpedancePeak> peaks = impedance_peaks(z, 0.1);
  // The impedance peaks of a bass system lie below a few hundred hertz; a crossover's bump is not
  // one.
  std::erase_if(peaks, [](const ImpedancePeak& p) { return p.frequency_hz > 400.0; });
  if (peaks.size() < 2) return std::nullopt;
  std::sort(peaks.begin(), peaks.end(),
            [](auto& a, auto& b) { return a.prominence > b.prominence; });
  const auto [low, high] = std::minmax(peaks[0].frequency_hz, peaks[1].frequency_hz);
  const std::size_t from = z.axis().bracket(low);
  const std::size_t to = z.axis().bracket(high) + 1;
  std::size_t valley = from;
  for (std::size_t i = from; i <= to; ++i) {
    if (z.magnitude(i) < z.magnitude(valley)) valley = i;
  }
  double tuning = refined_extreme(z, valley).first;
  // The phase passes zero at the tuning (Small 1973); the inductance moves it a little, the minimum
  // less sharply defined moves more. Taken where the crossing lies within a sixth of the way around
  // the minimum.
  for (std::size_t i = from; i < to; ++i) {
    const double a = z.value(i).imag();
    const double b = z.value(i + 1).imag();
    if (a < 0.0 && b >= 0.0) tuning = crossing(z.axis()[i], z.axis()[i + 1], a, b);
  }
  VentedSignature s{low, tuning, high, std::abs(value_at(z, tuning)), std::nullopt};
  if (!free_air) return s;
  const double r = s.at_tuning_ohm / re_ohm.value_or(estimated_re_ohm(z));
  // Compliance ratio and driver resonance from the three frequencies alone (Small 1973, part IV).
  const double alpha =
      (high * high - tuning * tuning) * (tuning * tuning - low * low) / (high * high * low * low);
  const double h = tuning * tuning / (low * high);
  if (alpha > 0.0 && r > 1.0) {
    const double ql = h / alpha * (1.0 / (free_air->qes * (r - 1.0)) - 1.0 / free_air->qms);
    if (ql > 0.0) s.ql = ql;
  }
  return s;
}

std::optional<ClosedSignature> closed_signature(const Response& z, std::optional<double> re_ohm) {
  std::vector<ImpedancePeak> peaks = impedance_peaks(z, 0.15);
  if (peaks.empty()) return std::nullopt;
  const auto highest = std::max_element(peaks.begin(), peaks.end(), [](auto& a, auto& b) {
    return a.magnitude_ohm < b.magnitude_ohm;
  });
  const double re = re_ohm.value_or(estimated_re_ohm(z));
  const double r0 = highest->magnitude_ohm / re;
  if (!(r0 > 1.05)) return std::nullopt;
  std::size_t at = z.axis().bracket(highest->frequency_hz);
  if (at + 1 < z.size() && z.magnitude(at + 1) > z.magnitude(at)) ++at;
  const auto sides = flanks(z, at, re * std::sqrt(r0));
  if (!sides) return std::nullopt;
  const double qms = highest->frequency_hz * std::sqrt(r0) / (sides->second - sides->first);
  const double qes = qms / (r0 - 1.0);
  return ClosedSignature{highest->frequency_hz, highest->magnitude_ohm, qms, qes,
                         qms * qes / (qms + qes)};
}

double peak_dissipation_resistance_ohm(std::complex<double> impedance) {
  const double magnitude = std::abs(impedance);
  const double phi = std::arg(impedance);
  // Upper device: v = sin(x), i = sin(x - phi)/|Z| while i > 0; dissipation (1 - v) i. A coarse
  // scan and one golden-section-like refinement give the maximum to 1e-7.
  const auto dissipation = [&](double x) { return (1.0 - std::sin(x)) * std::sin(x - phi); };
  double best = phi;
  double step = kPi / 180.0;
  for (double x = phi; x <= phi + kPi; x += step) {
    if (dissipation(x) > dissipation(best)) best = x;
  }
  for (; step > 1e-7; step *= 0.5) {
    if (dissipation(best - step) > dissipation(best))
      best -= step;
    else if (dissipation(best + step) > dissipation(best))
      best += step;
  }
  return magnitude / (4.0 * dissipation(best));
}

std::optional<PeakDissipation> lowest_peak_dissipation(const Response& z, double low_hz,
                                                       double high_hz) {
  std::optional<PeakDissipation> lowest;
  for (std::size_t i = 0; i < z.size(); ++i) {
    if (z.axis()[i] < low_hz || z.axis()[i] > high_hz || !z.valid().contains(z.axis()[i])) continue;
    const double r = peak_dissipation_resistance_ohm(z.value(i));
    if (!lowest || r < lowest->resistance_ohm) lowest = PeakDissipation{r, z.axis()[i]};
  }
  return lowest;
}

}  // namespace lalometer
