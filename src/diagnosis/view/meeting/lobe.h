#pragma once

#include <algorithm>
#include <optional>

#include "diagnosis/view/view.h"

namespace lalometer {

/// What the levels above and below the axis say of the phase in which two drivers meet: their ways
/// to the microphone differ by a known length at every angle, so that each phase has its own lobe.
struct Lobe {
  /// Upper over lower driver, on the axis, that follows the levels best; -180 to 180.
  double between_deg = 0.0;
  double misfit_db = 0.0;  ///< rms of that
  /// How much likelier the levels are with the drivers a quarter period apart (76 to 120 degrees),
  /// or the wrong way round (132 to 180), than in phase as usual networks have it (up to 60).
  double quarter_ratio = 1.0;
  double reversed_ratio = 1.0;

  /// What it says for the one and the other: less where the other follows the levels better.
  [[nodiscard]] double for_quarter() const { return against(quarter_ratio, reversed_ratio); }
  [[nodiscard]] double for_reversed() const { return against(reversed_ratio, quarter_ratio); }
  static double against(double own, double other) {
    return std::clamp(own * std::min(1.0, own / other), 0.03, 25.0);
  }
};
/// At least three angles up and down within 35 degrees; the levels re the axis about a frequency,
/// both drivers as pistons at their drawn places, their ratio of levels free at each frequency.
/// Nothing where they lie less than a quarter of a wavelength apart, or more than one and a half.
[[nodiscard]] std::optional<Lobe> lobe_of(const CaseView& view, const CaseCrossover& crossing,
                                          double about_hz);

}  // namespace lalometer
