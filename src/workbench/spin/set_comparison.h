#pragma once

#include <string>
#include <vector>

#include "workbench/spin/angle_set.h"

namespace lalometer {

/// A figure of two sets, as a difference with its 95 % interval.
struct ComparedFigure {
  std::string name;
  std::string unit;
  int decimals = 1;
  double own = 0.0;
  double other = 0.0;
  double difference = 0.0;
  double half_width = 0.0;
  [[nodiscard]] bool real() const { return difference < -half_width || difference > half_width; }
};
struct SetComparison {
  std::vector<ComparedFigure> figures;
};

/// What is known of both sets, the first less the second; intervals of both in quadrature, as if
/// each had been set up anew.
[[nodiscard]] SetComparison compared(const AngleReading& own, const AngleReading& other);

}  // namespace lalometer
