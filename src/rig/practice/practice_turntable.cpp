#include "rig/practice/practice_turntable.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <thread>

namespace lalometer {
namespace {

constexpr double kStep_deg = 0.05;

}  // namespace

PracticeTurntable::PracticeTurntable(TableFaults faults, double seconds_per_degree,
                                     std::uint64_t seed)
    : faults_(faults), seconds_per_degree_(seconds_per_degree), engine_(seed) {}

TurntableAbility PracticeTurntable::ability() const {
  return {"Practice turntable", -180.0, 180.0, kStep_deg, false};
}

Result<void> PracticeTurntable::prepare(std::stop_token stop) {
  if (stop.stop_requested()) return cancelled();
  if (faults_.stuck) return fail(ErrorCode::kDevice, "The table does not turn.", ability().name);
  // Home is a switch under the table itself: it knows nothing of a loudspeaker that slipped.
  told_deg_ = motor_deg_ = play_deg_ = 0.0;
  return {};
}

Result<void> PracticeTurntable::turn_to(double angle_deg, std::stop_token stop) {
  const TurntableAbility able = ability();
  if (!(angle_deg >= able.lowest_deg && angle_deg <= able.highest_deg)) {
    return fail(ErrorCode::kDevice,
                fmt::format("{}° is outside the table's range of {}° to {}°.", angle_deg,
                            able.lowest_deg, able.highest_deg),
                able.name);
  }
  if (faults_.stuck) {
    return fail(ErrorCode::kDevice,
                fmt::format("The table stands at {}° and does not turn.", told_deg_), able.name);
  }
  const double from = told_deg_;
  const double target = std::round(angle_deg / kStep_deg) * kStep_deg;
  moving_ = true;
  const double way = std::abs(target - from) * seconds_per_degree_;
  const auto begin = std::chrono::steady_clock::now();
  double share = way > 0.0 ? 0.0 : 1.0;
  while (share < 1.0 && !stop.stop_requested()) {
    std::this_thread::sleep_for(std::chrono::milliseconds(10));
    const std::chrono::duration<double> gone = std::chrono::steady_clock::now() - begin;
    share = std::min(gone.count() / way, 1.0);
  }
  const double reached = from + share * (target - from);
  double turned = reached - told_deg_;
  told_deg_ = reached;
  if (std::abs(turned) > 0.5 * kStep_deg) {
    const double chance = static_cast<double>(engine_() >> 11U) * 0x1.0p-53;
    if (chance < faults_.missed_per_move) turned -= std::copysign(faults_.missed_deg, turned);
    const double before = motor_deg_;
    motor_deg_ += turned;
    // The table follows the shaft once the play is taken up.
    const double half = 0.5 * faults_.backlash_deg;
    play_deg_ = std::clamp(play_deg_ - turned, -half, half);
    const bool passed = (before - faults_.slip_at_deg) * (motor_deg_ - faults_.slip_at_deg) <= 0.0;
    if (!slipped_ && passed) {
      slipped_ = true;
      offset_deg_ += faults_.slip_deg;
    }
  }
  moving_ = false;
  return share < 1.0 ? Result<void>(cancelled()) : Result<void>();
}

}  // namespace lalometer
