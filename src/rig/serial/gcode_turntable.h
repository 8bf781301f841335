#pragma once

#include <atomic>
#include <filesystem>
#include <mutex>
#include <optional>
#include <string>

#include "rig/serial/serial_line.h"
#include "rig/turntable.h"

namespace lalometer {

/// How a turntable with a motion controller is wired and driven.
struct GcodeTableSetup {
  std::filesystem::path line = {};  ///< "/dev/ttyUSB0"
  int baud = 115200;
  char axis = 'A';                ///< letter of the turning axis
  double steps_per_degree = 0.0;  ///< told to the controller (M92); 0: it knows its own
  double units_per_degree =
      1.0;  ///< axis units that the controller counts for a degree; may be < 0
  double degrees_per_s = 20.0;
  double settle_s = 0.5;  ///< after a move, until nothing swings any more
  double lowest_deg = -180.0;
  double highest_deg = 180.0;
  bool home_switch = false;  ///< G28 finds home; otherwise home is where the table stands
};

/// A turntable whose controller reads G-code over a serial line (RS-274/ISO 6983-1 words; of the
/// widespread extensions M92, M112, M114, M400, M410) and answers each line with "ok".
///
/// Order of a move: G1, then M400, which is answered when the move is over, then M114 for where the
/// controller says it stands. A controller that does not answer within the time of the move and 5
/// s, one that reports an error, and a line that is pulled out are errors that say so; the table is
/// then told to stop where it still listens.
class GcodeTurntable final : public Turntable {
 public:
  explicit GcodeTurntable(GcodeTableSetup setup);
  ~GcodeTurntable() override;

  [[nodiscard]] TurntableAbility ability() const override;
  [[nodiscard]] Result<void> prepare(std::stop_token stop) override;
  [[nodiscard]] Result<void> turn_to(double angle_deg, std::stop_token stop) override;
  [[nodiscard]] double position_deg() const override { return position_deg_; }
  /// The emergency stop (M112): from any thread, in the middle of a move. The table has to be
  /// prepared again afterwards.
  void stop() override;

 private:
  /// Sends a line and reads until it is acknowledged; what else was answered comes back.
  [[nodiscard]] Result<std::string> ask(const std::string& line, double patience_s,
                                        std::stop_token stop);
  [[nodiscard]] Result<double> asked_position(std::stop_token stop);

  GcodeTableSetup setup_;
  std::mutex writing_;
  std::optional<SerialLine> line_;
  std::atomic<double> position_deg_ = 0.0;
  std::atomic<bool> halted_ = false;
};

}  // namespace lalometer
