#pragma once

#include <cstdint>
#include <random>

#include "rig/turntable.h"

namespace lalometer {

/// How a table that counts its steps goes wrong without knowing.
struct TableFaults {
  double backlash_deg = 0.0;     ///< play of the gear: lost at each change of direction
  double missed_per_move = 0.0;  ///< chance that a move falls short
  double missed_deg = 0.0;       ///< by so much
  double slip_at_deg = 1e9;      ///< once, on passing this angle, the loudspeaker slips on it
  double slip_deg = 0.0;
  bool stuck = false;  ///< the motor hums and nothing turns: found by a sensor
};

/// The practice bench's own table: says where it should be and knows where it is.
class PracticeTurntable final : public Turntable {
 public:
  explicit PracticeTurntable(TableFaults faults = {}, double seconds_per_degree = 0.0,
                             std::uint64_t seed = 1);

  [[nodiscard]] TurntableAbility ability() const override;
  [[nodiscard]] Result<void> prepare(std::stop_token stop) override;
  [[nodiscard]] Result<void> turn_to(double angle_deg, std::stop_token stop) override;
  [[nodiscard]] double position_deg() const override { return told_deg_; }
  void stop() override { moving_ = false; }

  /// Where the loudspeaker truly stands: for the bench that plays it.
  [[nodiscard]] double true_deg() const { return motor_deg_ + play_deg_ + offset_deg_; }
  [[nodiscard]] TableFaults& faults() { return faults_; }

 private:
  TableFaults faults_;
  double seconds_per_degree_;
  std::mt19937_64 engine_;
  double told_deg_ = 0.0;    ///< by its counter
  double motor_deg_ = 0.0;   ///< of the motor's shaft
  double play_deg_ = 0.0;    ///< the table's lag within the gear's play
  double offset_deg_ = 0.0;  ///< what slipped
  bool slipped_ = false;
  bool moving_ = false;
};

}  // namespace lalometer
