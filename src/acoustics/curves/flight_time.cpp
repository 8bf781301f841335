#include "acoustics/curves/flight_time.h"

#include <algorithm>
#include <cmath>

#include "base/constants.h"

namespace lalometer {
namespace {

constexpr double kEarliest_s = -0.002;
constexpr double kLatest_s = 0.080;
/// Sums that differ by less than this share of the steps do alike.
constexpr double kAlike = 0.01;

struct Step {
  double turn;   ///< rad, wrapped
  double width;  ///< rad/s
};

double agreement(const std::vector<Step>& steps, double delay_s) {
  double sum = 0.0;
  for (const Step& s : steps) sum += std::cos(s.turn + delay_s * s.width);
  return sum / static_cast<double>(steps.size());
}

}  // namespace

double flight_time_in(const Response& curve) {
  if (!curve.has_phase() || curve.size() < 4) return 0.0;
  std::vector<Step> steps;
  double widest = 0.0;
  bool wild = false;
  for (std::size_t i = 0; i + 1 < curve.size(); ++i) {
    const auto product = curve.value(i + 1) * std::conj(curve.value(i));
    if (std::abs(product) <= 0.0) continue;
    const double width = 2.0 * kPi * (curve.axis()[i + 1] - curve.axis()[i]);
    steps.push_back({std::arg(product), width});
    widest = std::max(widest, width);
    wild = wild || std::abs(steps.back().turn) > 0.5 * kPi;
  }
  if (!wild) return 0.0;
  const double stride = std::max(0.3 / widest, 1e-6);
  struct Candidate {
    double delay_s;
    double agreement;
  };
  std::vector<Candidate> tops;
  double before = -2.0;
  double at = agreement(steps, kEarliest_s);
  for (double t = kEarliest_s; t < kLatest_s; t += stride) {
    const double after = agreement(steps, t + stride);
    if (at >= before && at > after) tops.push_back({t, at});
    before = at;
    at = after;
  }
  tops.push_back({0.0, agreement(steps, 0.0)});
  for (Candidate& top : tops) {
    double low = top.delay_s - stride;
    double high = top.delay_s + stride;
    if (top.delay_s == 0.0) continue;
    for (int i = 0; i < 30; ++i) {
      const double a = low + (high - low) / 3.0;
      const double b = high - (high - low) / 3.0;
      (agreement(steps, a) < agreement(steps, b) ? low : high) =
          agreement(steps, a) < agreement(steps, b) ? a : b;
    }
    top = {0.5 * (low + high), agreement(steps, 0.5 * (low + high))};
  }
  double best = -2.0;
  for (const Candidate& top : tops) best = std::max(best, top.agreement);
  double chosen = 1e9;
  for (const Candidate& top : tops)
    if (top.agreement > best - kAlike && std::abs(top.delay_s) < std::abs(chosen))
      chosen = top.delay_s;
  return chosen;
}

}  // namespace lalometer
