#include "acoustics/spectrum/unit_turn.h"

namespace lalometer {

const std::array<std::complex<double>, kTurnSteps> kUnitTurns = [] {
  // Longer than a double: else an angle near a whole turn is rounded by more than its small sine.
  constexpr long double kStep = 2.0L * 3.14159265358979323846264338327950288L / kTurnSteps;
  std::array<std::complex<double>, kTurnSteps> turns{};
  for (int k = 0; k < kTurnSteps; ++k)
    turns[static_cast<std::size_t>(k)] = {static_cast<double>(std::cos(kStep * k)),
                                          static_cast<double>(std::sin(kStep * k))};
  return turns;
}();

}  // namespace lalometer
