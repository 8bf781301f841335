#pragma once

#include <cmath>
#include <utility>

namespace lalometer::test {

/// How many of `cases` intervals must and may hold the truth where each does with probability
/// `share`: outside these a sound program falls once in 1 / `false_alarm` on either side. Exact
/// binomial sums. With few cases the upper end is all of them: then only missing ones are an alarm.
inline std::pair<int, int> coverage_limits(int cases, double share = 0.95,
                                           double false_alarm = 1e-3) {
  const auto chance = [&](int k) {
    return std::exp(std::lgamma(cases + 1.0) - std::lgamma(k + 1.0) - std::lgamma(cases - k + 1.0) +
                    k * std::log(share) + (cases - k) * std::log1p(-share));
  };
  int least = 0;
  for (double below = chance(0); below < false_alarm; below += chance(least)) ++least;
  int most = cases;
  for (double above = chance(cases); above < false_alarm; above += chance(most)) --most;
  return {least, most};
}

}  // namespace lalometer::test
