#include "workbench/spin/set_comparison.h"

#include <cmath>

namespace lalometer {

SetComparison compared(const AngleReading& own, const AngleReading& other) {
  SetComparison c;
  const auto put = [&](const char* name, const char* unit, int decimals,
                       const std::optional<Estimate>& a, const std::optional<Estimate>& b) {
    if (!a || !b) return;
    c.figures.push_back({name, unit, decimals, a->value, b->value, a->value - b->value,
                         std::hypot(a->half_width, b->half_width)});
  };
  const SpinReading& a = own.spin;
  const SpinReading& b = other.spin;
  put("sensitivity", "dB", 1, a.sensitivity_db, b.sensitivity_db);
  put("F3", "Hz", 1, a.f3_hz, b.f3_hz);
  put("F6", "Hz", 1, a.f6_hz, b.f6_hz);
  put("F10", "Hz", 1, a.f10_hz, b.f10_hz);
  put("within ±", "dB", 1, a.deviation_db, b.deviation_db);
  put("slope in room", "dB an octave", 2, a.slope_db_per_octave, b.slope_db_per_octave);
  put("preference rating", "", 2, a.score, b.score);
  return c;
}

}  // namespace lalometer
