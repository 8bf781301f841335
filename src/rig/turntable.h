#pragma once

#include <functional>
#include <stop_token>
#include <string>

#include "base/result.h"

namespace lalometer {

struct TurntableAbility {
  std::string name;
  double lowest_deg;
  double highest_deg;
  double smallest_step_deg;
  bool by_hand;  ///< somebody turns it and says when it stands
};

/// What carries the loudspeaker, as four verbs like every device. Angles are those of the
/// microphone as seen from the loudspeaker, degrees, 0 where home is.
class Turntable {
 public:
  Turntable() = default;
  Turntable(const Turntable&) = delete;
  Turntable& operator=(const Turntable&) = delete;
  virtual ~Turntable() = default;

  [[nodiscard]] virtual TurntableAbility ability() const = 0;
  /// Finds home. Blocks; kCancelled on a stop request.
  [[nodiscard]] virtual Result<void> prepare(std::stop_token stop) = 0;
  /// Turns to an angle and waits until it has settled. An angle outside the limits, a table that
  /// does not answer or does not arrive is an error. Where it says it is afterwards is position().
  [[nodiscard]] virtual Result<void> turn_to(double angle_deg, std::stop_token stop) = 0;
  [[nodiscard]] virtual double position_deg() const = 0;
  /// Stands still at once. Safe to call at any time, also twice.
  virtual void stop() = 0;
};

}  // namespace lalometer
