#pragma once

#include <optional>
#include <string>
#include <vector>

#include "acoustics/impedance/wiggles.h"
#include "book/description/subject_geometry.h"

namespace lalometer {

/// What else is known beside a curve's loops.
struct WiggleContext {
  const SubjectGeometry* geometry = nullptr;
  /// Loops of the same driver in free air; nothing: it was not taken.
  std::optional<std::vector<Wiggle>> free_air = std::nullopt;
  /// Loops of the same box in other states, each with what was changed.
  struct Other {
    std::string variant;
    bool damping_changed = false;
    bool port_changed = false;
    std::vector<Wiggle> wiggles;
  };
  std::vector<Other> others = {};
};

/// A cause by the product's word list, the likeliest first, with what speaks for and against it.
struct WiggleCause {
  std::string cause;  ///< "cabinet-standing-wave", "port-pipe-resonance", "suspension-resonance",
                      ///< "driver-breakup", "panel-resonance"
  double weight;      ///< of all causes of this wiggle they sum to 1
  std::vector<std::string> evidence;
  std::vector<std::string> against;
};
struct ExplainedWiggle {
  Wiggle wiggle;
  std::string name;  ///< "box height wave", "port pipe", "in the driver itself", "not predicted"
  std::vector<WiggleCause> causes;
};

/// Matches each loop with the box's standing waves (first to third order and their combinations),
/// the port's pipe, the driver's own loops in free air, and its fate in other variants. A match in
/// frequency counts by its distance against 4 % (waves: the inner sizes are not that well known)
/// and against how many candidates lie around, since in a crowd of modes something always fits.
[[nodiscard]] std::vector<ExplainedWiggle> explained(const std::vector<Wiggle>& wiggles,
                                                     const WiggleContext& context);

/// The same loop in another curve: within 3 % in frequency and half a decade in Q.
[[nodiscard]] const Wiggle* same_wiggle(const Wiggle& wiggle, const std::vector<Wiggle>& others);

}  // namespace lalometer
