#pragma once

#include <vector>

namespace lalometer {

/// Gauss-Legendre rule on [-1, 1]: int f(x) dx = sum weight[i] f(node[i]), exact for polynomials up
/// to degree 2 n - 1. Nodes rise. @param n  >= 1. Source: Abramowitz and Stegun, 25.4.29; nodes by
/// Newton's method on the Legendre polynomial. Rules are kept per thread.
struct GaussLegendre {
  std::vector<double> node;
  std::vector<double> weight;
};
[[nodiscard]] const GaussLegendre& gauss_legendre(int n);

}  // namespace lalometer
