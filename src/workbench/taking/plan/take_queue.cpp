#include "workbench/taking/plan/take_queue.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "workbench/taking/by_sound.h"
#include "workbench/taking/level/drive_guard.h"
#include "workbench/taking/level/level_setting.h"
#include "workbench/taking/level/tones_runner.h"

namespace lalometer {
namespace {

/// Two sweeps of one thing differ by less, in a room that is not loud.
constexpr double kRepeat_db = 0.35;
/// Where the table's place is compared: a loudspeaker's level changes fast with the angle there.
constexpr double kCompared_deg = 60.0;

bool turns(const PlannedTake& take) {
  return take.request.kind == TakeKind::kResponse;
}
double table_angle(const TakeRequest& r) {
  return r.vertical_deg != 0.0 ? r.vertical_deg : r.horizontal_deg;
}

class Runner {
 public:
  Runner(AudioDevice& device, Turntable* table, const RigCalibration& rig,
         const MeasuringPlan& plan, std::vector<PlanStatus> standing, const std::string& drawing,
         const QueueSettings& settings, const QueueHooks& hooks, std::stop_token stop)
      : device_(device),
        table_(table),
        rig_(rig),
        plan_(plan),
        standing_(std::move(standing)),
        drawing_(drawing),
        settings_(settings),
        hooks_(hooks),
        stop_(std::move(stop)) {}

  Result<QueueSummary> run() {
    for (std::size_t i = 0; i < plan_.takes.size(); ++i) {
      if (!wanted(i)) continue;
      if (auto done = one(i); !done) return tl::unexpected(done.error());
      // A half orbit is over where the next one turns back, or where nothing turns any more.
      if (table_ != nullptr && settings_.check_table && ends_a_half(i)) {
        if (auto checked = check_half(); !checked) return tl::unexpected(checked.error());
      }
    }
    summary_.finished = true;
    return summary_;
  }

 private:
  [[nodiscard]] bool wanted(std::size_t i) const {
    return standing_[i].state == PlanState::kMissing || standing_[i].state == PlanState::kStale;
  }
  void tell(std::size_t i, QueueStage stage, double done, double left_s) const {
    if (hooks_.progress) hooks_.progress(i, stage, done, left_s);
  }

  Result<void> home() {
    homed_ = true;
    since_home_.clear();
    return table_->prepare(stop_);
  }

  /// Brings loudspeaker and microphone to where the take wants them.
  Result<void> stand(std::size_t i, bool again) {
    const PlannedTake& take = plan_.takes[i];
    tell(i, QueueStage::kMove, 0.0, 0.0);
    const bool by_table = table_ != nullptr && turns(take);
    if (!again && (!take.instruction.empty() || !by_table) && hooks_.ready) {
      if (auto ready = hooks_.ready(i, take, stop_); !ready) return ready;
    }
    if (!by_table) return {};
    const bool laid_down = take.request.vertical_deg != 0.0;
    if (!homed_ || laid_down != laid_down_) {
      laid_down_ = laid_down;
      if (auto ready = home(); !ready) return ready;
    }
    return table_->turn_to(table_angle(take.request), stop_);
  }

  Result<void> level_for(std::size_t i, TakeRequest& request) {
    if (!settings_.set_level || !(is_pressure(request.kind) || plays_tones(request.kind)))
      return {};
    const std::string situation =
        fmt::format("{} {} {} {} {} {}", static_cast<int>(request.kind), request.condition,
                    request.source, request.distance_m, request.drive_v, request.target_spl_db);
    if (situation != levelled_) {
      tell(i, QueueStage::kCountdown, 0.0, 1.0);
      auto level = set_level(device_, rig_, request, stop_);
      if (!level) return tl::unexpected(level.error());
      levelled_ = situation;
      level_v_ = level->drive_v;
      level_remarks_ = level->remarks;
    }
    request.drive_v = std::min(request.drive_v, level_v_);
    return {};
  }

  /// One sweep as the plan wants it; refused ones come back as they are.
  Result<TakeOutcome> sweep(std::size_t i) {
    TakeRequest request = plan_.takes[i].request;
    request.plan_item = plan_item(plan_, plan_.takes[i]);
    request.drawing = drawing_;
    if (hooks_.stands) hooks_.stands(request);
    if (hooks_.aim) hooks_.aim(request);
    if (auto level = level_for(i, request); !level) return tl::unexpected(level.error());
    if (settings_.countdown_s > 0.0) {
      tell(i, QueueStage::kCountdown, 0.0, settings_.countdown_s);
      if (auto ready = device_.prepare(stream_of(rig_, request.kind, request.sample_rate_hz));
          !ready)
        return tl::unexpected(ready.error());
      // Tones' peaks stand higher over their drive: the pips stay as soft.
      const auto pips = countdown_signal(settings_.countdown_s, limited(request).request.drive_v,
                                         rig_, request.sample_rate_hz);
      if (auto heard = device_.run(pips, stop_, {}); !heard) return tl::unexpected(heard.error());
    }
    return run_take(device_, rig_, request, stop_,
                    [&](const TakeProgress& p) {
                      tell(i,
                           p.stage == TakeProgress::Stage::kCheck ? QueueStage::kCheck
                                                                  : QueueStage::kSweep,
                           p.done, p.left_s);
                    })
        .map([&](TakeOutcome outcome) {
          if (outcome.accepted)
            outcome.take.remarks.insert(outcome.take.remarks.end(), level_remarks_.begin(),
                                        level_remarks_.end());
          return outcome;
        });
  }

  void not_kept(std::size_t i, const std::vector<Remark>& why) {
    ++summary_.refused;
    if (hooks_.refused) hooks_.refused(i, why);
  }

  Result<void> keep(std::size_t i, const TakeOutcome& outcome, std::optional<TakeSketch> sketch) {
    const auto id = hooks_.keep(i, outcome);
    if (!id) return tl::unexpected(id.error());
    ++summary_.kept;
    standing_[i].state = PlanState::kDone;
    look_on(i, outcome);
    if (sketch) {
      sketches_.push_back(std::move(*sketch));
      if (turns(plan_.takes[i])) since_home_.push_back({i, sketches_.back()});
    }
    return {};
  }

  /// Takes that differ from it in their drive alone are one series with it.
  [[nodiscard]] std::string series_of(std::size_t i) const {
    const TakeRequest& r = plan_.takes[i].request;
    return fmt::format("{} {} {} {} {} {} {} {}", static_cast<int>(r.kind), r.condition, r.source,
                       r.sample, r.variant_id, r.distance_m, r.horizontal_deg, r.vertical_deg);
  }

  /// Of a series of drives: whether one that was played is enough for this one.
  [[nodiscard]] bool spared(std::size_t i) {
    if (!settings_.stop_early || enough_.empty() || series_of(i) != series_ ||
        plan_.takes[i].request.drive_v <= enough_v_ * 1.001 ||
        plan_.takes[i].request.target_spl_db > 0.0)
      return false;
    standing_[i].state = PlanState::kSkipped;
    ++summary_.left_out;
    if (hooks_.left_out)
      hooks_.left_out(i,
                      {Remark::Weight::kNote, "enough",
                       fmt::format("{} was not played: {}", plan_.takes[i].request.name, enough_),
                       "Take it by hand if you want it all the same."});
    return true;
  }

  /// What a kept take says of louder ones.
  void look_on(std::size_t i, const TakeOutcome& outcome) {
    if (!settings_.stop_early || !is_pressure(plan_.takes[i].request.kind)) return;
    const bool more = std::any_of(plan_.takes.begin(), plan_.takes.end(), [&](const auto& t) {
      const auto k = static_cast<std::size_t>(&t - plan_.takes.data());
      return wanted(k) && series_of(k) == series_of(i) &&
             t.request.drive_v > 1.001 * plan_.takes[i].request.drive_v;
    });
    if (series_of(i) != series_) {
      series_ = series_of(i);
      enough_.clear();
      lowest_.reset();
    }
    if (!lowest_) lowest_ = outcome;
    if (!more || !enough_.empty()) return;
    if (const auto why = enough(*lowest_, outcome, rig_)) {
      enough_ = *why;
      enough_v_ = outcome.take.conditions.drive_v;
    }
  }

  Result<void> one(std::size_t i) {
    if (spared(i)) return {};
    if (auto stood = stand(i, false); !stood) return stood;
    std::optional<TakeSketch> earlier_try;
    std::vector<Remark> why;
    for (int attempt = 1; attempt <= settings_.tries; ++attempt) {
      auto outcome = sweep(i);
      if (!outcome) return tl::unexpected(outcome.error());
      if (!outcome->accepted) {
        why = outcome->take.remarks;
        not_kept(i, why);
        continue;
      }
      auto sketch = sketch_of(*outcome, rig_, plan_.takes[i].request.gate_s);
      const std::vector<Remark> odd =
          sketch ? suspicions(*sketch, sketches_) : std::vector<Remark>();
      // Taken twice and the same twice: then it is so, and worth a note only.
      const bool same = earlier_try && sketch && difference_db(*earlier_try, *sketch) < kRepeat_db;
      if (odd.empty() || same) {
        for (Remark remark : odd) {
          remark.weight = Remark::Weight::kNote;
          remark.text += " Taken again, it was the same.";
          outcome->take.remarks.push_back(std::move(remark));
        }
        return keep(i, *outcome, std::move(sketch));
      }
      why = odd;
      not_kept(i, why);
      earlier_try = std::move(sketch);
      if (table_ != nullptr && turns(plan_.takes[i])) {
        const auto spoiled = since_home_;
        if (auto ready = home(); !ready) return ready;
        // The takes before it since the last home stay; check_half() looks at them.
        since_home_ = spoiled;
        if (auto stood = stand(i, true); !stood) return stood;
      }
    }
    return fail(ErrorCode::kDevice,
                fmt::format("Taken {} times and refused each time: {} The queue waits here.",
                            settings_.tries, why.empty() ? "" : why.front().text),
                plan_.takes[i].request.name);
  }

  [[nodiscard]] bool ends_a_half(std::size_t i) const {
    if (!turns(plan_.takes[i]) || since_home_.size() < 2) return false;
    for (std::size_t next = i + 1; next < plan_.takes.size(); ++next) {
      if (!wanted(next)) continue;
      const TakeRequest& a = plan_.takes[i].request;
      const TakeRequest& b = plan_.takes[next].request;
      return !turns(plan_.takes[next]) || std::abs(table_angle(b) - table_angle(a)) > 90.0 ||
             (a.vertical_deg != 0.0) != (b.vertical_deg != 0.0);
    }
    return true;
  }

  /// A sweep that is not kept, at an angle of the table, with the conditions of a planned take.
  Result<TakeSketch> looked_at(std::size_t like, double angle_deg) {
    TakeRequest request = plan_.takes[like].request;
    (request.vertical_deg != 0.0 ? request.vertical_deg : request.horizontal_deg) = angle_deg;
    if (auto turned = table_->turn_to(angle_deg, stop_); !turned)
      return tl::unexpected(turned.error());
    for (int attempt = 1; attempt <= settings_.tries; ++attempt) {
      if (hooks_.aim) hooks_.aim(request);
      request.drive_v = std::min(request.drive_v, level_v_);
      auto outcome = run_take(device_, rig_, request, stop_, [&](const TakeProgress& p) {
        tell(like, QueueStage::kCheck, p.done, p.left_s);
      });
      if (!outcome) return tl::unexpected(outcome.error());
      if (!outcome->accepted) {
        not_kept(like, outcome->take.remarks);
        continue;
      }
      if (auto sketch = sketch_of(*outcome, rig_, request.gate_s)) return *sketch;
    }
    return fail(ErrorCode::kDevice,
                "The table's place could not be compared: every sweep was refused.",
                plan_.takes[like].request.name);
  }

  /// The same angle by the counter and after a fresh home: where they differ, the table lost steps,
  /// and the first take that it spoiled is found by halving.
  Result<void> check_half() {
    const auto taken = since_home_;
    const std::size_t last = taken.back().first;
    const double side = table_angle(plan_.takes[last].request) < 0.0 ? -1.0 : 1.0;
    const auto counted = looked_at(last, side * kCompared_deg);
    if (!counted) return tl::unexpected(counted.error());
    if (auto ready = home(); !ready) return ready;
    const auto fresh = looked_at(last, side * kCompared_deg);
    if (!fresh) return tl::unexpected(fresh.error());
    if (difference_db(*counted, *fresh) < kRepeat_db) return {};
    std::size_t low = 0;
    std::size_t high = taken.size();
    while (low < high) {
      const std::size_t middle = (low + high) / 2;
      const auto [i, kept] = taken[middle];
      const auto again = looked_at(i, table_angle(plan_.takes[i].request));
      if (!again) return tl::unexpected(again.error());
      if (difference_db(kept, *again) < kRepeat_db)
        low = middle + 1;
      else
        high = middle;
    }
    for (std::size_t spoiled = low; spoiled < taken.size(); ++spoiled) {
      const std::size_t i = taken[spoiled].first;
      not_kept(i, {{Remark::Weight::kDoubt, "table-lost-steps",
                    "The table had lost steps when this was taken.", "It is taken again."}});
      std::erase_if(sketches_, [&](const TakeSketch& s) {
        return s.angle_deg == taken[spoiled].second.angle_deg &&
               s.vertical == taken[spoiled].second.vertical;
      });
    }
    for (std::size_t spoiled = low; spoiled < taken.size(); ++spoiled) {
      if (auto stood = stand(taken[spoiled].first, true); !stood) return stood;
      if (auto done = one_more(taken[spoiled].first); !done) return done;
    }
    return {};
  }
  /// Takes a spoiled one again; the new take is the one that counts.
  Result<void> one_more(std::size_t i) {
    standing_[i].state = PlanState::kStale;
    return one(i);
  }

  AudioDevice& device_;
  Turntable* table_;
  const RigCalibration& rig_;
  const MeasuringPlan& plan_;
  std::vector<PlanStatus> standing_;
  std::string drawing_;
  const QueueSettings& settings_;
  const QueueHooks& hooks_;
  std::stop_token stop_;
  QueueSummary summary_;
  std::vector<TakeSketch> sketches_;
  std::vector<std::pair<std::size_t, TakeSketch>> since_home_;
  bool homed_ = false;
  bool laid_down_ = false;
  std::string levelled_;
  double level_v_ = 1e9;
  std::string series_;
  std::optional<TakeOutcome> lowest_;  ///< the first of the series
  std::string enough_;                 ///< why no louder one is played; empty: go on
  double enough_v_ = 0.0;
  std::vector<Remark> level_remarks_;
};

}  // namespace

Result<QueueSummary> run_queue(AudioDevice& device, Turntable* table, const RigCalibration& rig,
                               const MeasuringPlan& plan, const std::vector<PlanStatus>& standing,
                               const std::string& drawing, const QueueSettings& settings,
                               const QueueHooks& hooks, std::stop_token stop) {
  if (standing.size() != plan.takes.size() || !hooks.keep)
    return bad_input("The plan and its standing do not belong together.");
  return Runner(device, table, rig, plan, standing, drawing, settings, hooks, std::move(stop))
      .run();
}

}  // namespace lalometer
