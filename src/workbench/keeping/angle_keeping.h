#pragma once

#include <string>

#include "workbench/spin/angle_view.h"

namespace lalometer {

struct EqualiseAdvice;

/// How sets of angles are looked at and equalised, as the book's view keeps it.
struct KeptAngles {
  AngleView view;
  MapLook look;
  EqualiseWish wish;
};
[[nodiscard]] std::string to_json(const KeptAngles& kept);
/// What is missing or cannot be is as at first.
[[nodiscard]] KeptAngles angles_from_json(const std::string& text);

/// Filters as text, a line each, and as JSON with their coefficients.
[[nodiscard]] std::string filters_text(const EqualiseAdvice& advice, double sample_rate_hz);

}  // namespace lalometer
