#pragma once

#include <functional>
#include <stop_token>

#include "rig/turntable.h"
#include "workbench/keeping/plan_keeping.h"
#include "workbench/taking/plan/measuring_plan.h"
#include "workbench/taking/plan/plan_status.h"
#include "workbench/taking/plan/take_suspicions.h"

namespace lalometer {

struct QueueSettings {
  int tries = 4;             ///< of one take, before the queue stops and asks
  double countdown_s = 0.0;  ///< hands-free: pips through the loudspeaker before each sweep
  bool set_level = true;     ///< a low-level sweep first; the drive is lowered where it would clip
  bool stop_early = true;    ///< of a series of drives the louder ones, once one is enough
  bool check_table = true;   ///< after each half orbit the table is homed and compared
};

enum class QueueStage { kMove, kCountdown, kSweep, kCheck };

/// What a queue asks of those who run it. All are called on the queue's thread.
struct QueueHooks {
  /// Everything stands as this take wants it: shows the instruction, waits for a key or a timer.
  /// Called where the table cannot do it alone. An error ends the run.
  std::function<Result<void>(std::size_t index, const PlannedTake& take, std::stop_token stop)>
      ready;
  /// Keeps an accepted take.
  std::function<Result<Id>(std::size_t index, const TakeOutcome& outcome)> keep;
  std::function<void(std::size_t index, QueueStage stage, double done, double left_s)> progress =
      {};
  /// A try that was not kept, and why.
  std::function<void(std::size_t index, const std::vector<Remark>& why)> refused = {};
  /// A take that is not played any more, and why: what was played before it was enough.
  std::function<void(std::size_t index, const Remark& why)> left_out = {};
  /// What a take stands (TakeRequest::stands_v), by its subject's drawing.
  std::function<void(TakeRequest& request)> stands = {};
  /// Tells a simulated stand what a real one has by itself; before every sweep.
  std::function<void(const TakeRequest& request)> aim = {};
};

struct QueueSummary {
  std::size_t kept = 0;
  std::size_t refused = 0;   ///< tries that were not kept
  std::size_t left_out = 0;  ///< takes that were not played: the ones before were enough
  bool finished = false;     ///< nothing of the plan is missing any more
};

/// Takes what a plan misses (missing and stale ones), in its order. A refused or suspicious take is
/// taken again; where it comes out the same, it is real and kept with a note. A table that lost its
/// place is homed, and what it spoiled since its last home is taken again. Stops within 100 ms of a
/// stop request (pause); what was kept stays, and the next run goes on with what is missing.
///
/// @param drawing  mark of the subject's drawing, kept with each take.
/// @param table    nothing: everything is moved by hand.
[[nodiscard]] Result<QueueSummary> run_queue(AudioDevice& device, Turntable* table,
                                             const RigCalibration& rig, const MeasuringPlan& plan,
                                             const std::vector<PlanStatus>& standing,
                                             const std::string& drawing,
                                             const QueueSettings& settings, const QueueHooks& hooks,
                                             std::stop_token stop);

}  // namespace lalometer
