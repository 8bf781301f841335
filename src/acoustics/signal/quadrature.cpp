#include "acoustics/signal/quadrature.h"

#include <cmath>
#include <map>

#include "base/constants.h"

namespace lalometer {

const GaussLegendre& gauss_legendre(int n) {
  thread_local std::map<int, GaussLegendre> rules;
  GaussLegendre& rule = rules[n];
  if (!rule.node.empty()) return rule;
  rule.node.resize(static_cast<std::size_t>(n));
  rule.weight.resize(static_cast<std::size_t>(n));
  for (int i = 0; i < n; ++i) {
    double x = -std::cos(kPi * (i + 0.75) / (n + 0.5));
    double slope = 1.0;
    for (int step = 0; step < 100; ++step) {
      double p = 1.0;
      double before = 0.0;
      for (int j = 1; j <= n; ++j) {
        const double older = before;
        before = p;
        p = ((2.0 * j - 1.0) * x * before - (j - 1.0) * older) / j;
      }
      slope = n * (x * p - before) / (x * x - 1.0);
      const double move = p / slope;
      x -= move;
      if (std::abs(move) < 1e-15) break;
    }
    rule.node[static_cast<std::size_t>(i)] = x;
    rule.weight[static_cast<std::size_t>(i)] = 2.0 / ((1.0 - x * x) * slope * slope);
  }
  return rule;
}

}  // namespace lalometer
