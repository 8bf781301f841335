#include "desk/queue/queue_controller.h"

#include <QTimer>
#include <chrono>
#include <cmath>

#include "workbench/taking/level/drive_guard.h"

namespace lalometer {

/// Where a worker waits for a hand. Shared, so that it outlives whoever goes first.
struct QueueController::Hand {
  std::mutex lock;
  std::condition_variable_any gone_on;
  bool go_on = false;

  /// @param told  gets the seconds that are left of the timer, now and then.
  Result<void> wait(const Options& options, const std::stop_token& stop,
                    const std::function<void(double)>& told) {
    using namespace std::chrono_literals;
    const auto begin = std::chrono::steady_clock::now();
    std::unique_lock held(lock);
    go_on = false;
    for (;;) {
      const std::chrono::duration<double> gone = std::chrono::steady_clock::now() - begin;
      const bool timed = options.advance == Advance::kByTimer;
      const double left = timed ? options.timer_s - gone.count() : 0.0;
      if (go_on || (timed && left <= 0.0)) return {};
      if (stop.stop_requested()) return cancelled();
      told(left);
      gone_on.wait_for(held, stop, 250ms, [this] { return go_on; });
    }
  }
  void goOn() {
    {
      const std::lock_guard held(lock);
      go_on = true;
    }
    gone_on.notify_all();
  }
};

QueueController::QueueController(BookSession& session, WiredRig& rig, QObject* parent)
    : QObject(parent), session_(session), rig_(rig), hand_(std::make_shared<Hand>()) {
  connect(&session_, &BookSession::rowsChanged, this, &QueueController::readPlan);
  connect(&session_, &BookSession::laidChanged, this, &QueueController::readPlan);
}

void QueueController::readPlan() {
  if (!session_.isOpen() || running_) return;
  const Id subject = session_.chosenSubject();
  const std::string kept = session_.document(subject, "plan");
  auto plan = kept.empty() ? Result<MeasuringPlan>(cancelled()) : plan_from_json(kept);
  plan_ = plan ? std::optional(std::move(*plan)) : std::nullopt;
  const Subject* s = session_.subject(subject);
  status_ = plan_ && s != nullptr ? status_of(*plan_, session_.takes(), s->drawing_mark)
                                  : std::vector<PlanStatus>();
  emit planChanged();
}

void QueueController::setPlan(const MeasuringPlan& plan) {
  if (running_ || !session_.isOpen()) return;
  session_.setDocument(plan.subject_id, "plan", to_json(plan), "Change the plan");
  place_ = {};
  error_.clear();
  readPlan();
}

double QueueController::minutesLeft() const {
  double minutes = 0.0;
  const bool by_hand = rig_.wiring().table == RigWiring::Table::kByHand;
  for (std::size_t i = 0; plan_ && i < plan_->takes.size() && i < status_.size(); ++i) {
    if (status_[i].state == PlanState::kMissing || status_[i].state == PlanState::kStale)
      minutes += minutes_of(plan_->takes[i], by_hand);
  }
  return minutes;
}

/// Only what just came in and the take before it stay on the score: the live view.
void QueueController::showKept(Id id) {
  if (!session_.isOpen() || !plan_) return;
  std::vector<Id> laid;
  for (const LaidTake& l : session_.laid()) laid.push_back(l.take.id);
  {
    const BookSession::Together together(session_);
    session_.reload();
    session_.setLaid(id, true);
    for (const Id old : laid) {
      const Take* t = session_.take(old);
      const bool of_queue = t != nullptr && !t->plan_item.empty();
      if (of_queue && old != laid.back()) session_.setLaid(old, false);
    }
    session_.chooseTake(id);
  }
  place_.refused.clear();
  // The plan's standing in a round of its own, so that mouse and keys get in between.
  QTimer::singleShot(0, this, [this, id] {
    if (!session_.isOpen() || !plan_) return;
    const Subject* s = session_.subject(plan_->subject_id);
    status_ = status_of(*plan_, session_.takes(), s == nullptr ? "" : s->drawing_mark);
    emit taken(id);
    emit planChanged();
  });
}

/// What a plan was made for is what its takes are read with: its gate becomes the subject's, as one
/// step that can be undone. Curves of one subject share a gate, so that they can be compared.
void QueueController::readByPlansGate() {
  double gate_s = 0.0;
  for (const PlannedTake& take : plan_->takes) {
    if (!take.skipped && take.request.gate_s > 0.0) gate_s = take.request.gate_s;
  }
  Recipe recipe = session_.recipe(plan_->subject_id);
  if (gate_s <= 0.0 || session_.book().read_only() ||
      (recipe.gated && std::abs(recipe.gate_s - gate_s) < 1e-6))
    return;
  recipe.gated = true;
  recipe.gate_s = gate_s;
  session_.commitRecipe(plan_->subject_id, recipe);
}

void QueueController::start() {
  if (running_ || !plan_ || !session_.isOpen() || !rig_.claim()) return;
  emit starting(plan_->subject_id);
  readByPlansGate();
  running_ = true;
  error_.clear();
  summary_ = {};
  place_ = {};
  left_out_.clear();
  const Subject* s = session_.subject(plan_->subject_id);
  const std::string drawing = s == nullptr ? "" : s->drawing_mark;
  // Everything by value, but the devices that are claimed for this run.
  const auto work = [self = QPointer<QueueController>(this), hand = hand_, options = options_,
                     &rig = rig_, by_hand = rig_.table() == nullptr, drawing,
                     description = s == nullptr ? Description{} : s->description, plan = *plan_,
                     status = status_, calibration = calibration_,
                     writer = session_.writer()](const WorkContext& context) {
    QueueSettings settings;
    settings.countdown_s = options.pips && by_hand ? 3.0 : 0.0;
    const auto tell = [&](std::function<void(QueueController&)> message) {
      context.tell([self, message = std::move(message)] {
        if (self) message(*self);
      });
    };
    QueueHooks hooks;
    hooks.ready = [&](std::size_t index, const PlannedTake&, std::stop_token stop) {
      return hand->wait(options, stop, [&](double left_s) {
        tell([index, left_s](QueueController& q) {
          q.place_ = {static_cast<int>(index), QueueStage::kMove, 0.0, 0.0, true, left_s,
                      q.place_.refused};
          emit q.placeChanged();
        });
      });
    };
    // Kept at once, through the window's one writer: writing to the disk must not stop the window.
    hooks.keep = [&](std::size_t, const TakeOutcome& outcome) {
      auto id = writer->run([&](Book& book) { return keep_take(book, outcome, calibration); });
      if (id) tell([kept = *id](QueueController& q) { q.showKept(kept); });
      return id;
    };
    hooks.progress = [&, told = std::chrono::steady_clock::time_point(),
                      before = QueueStage::kMove](std::size_t index, QueueStage stage, double done,
                                                  double left_s) mutable {
      // Often enough for the eye; more would only keep the window busy.
      const auto now = std::chrono::steady_clock::now();
      if (stage == before && now - told < std::chrono::milliseconds(80)) return;
      told = now;
      before = stage;
      tell([index, stage, done, left_s](QueueController& q) {
        q.place_ = {static_cast<int>(index), stage, done, left_s, false, 0.0, q.place_.refused};
        emit q.placeChanged();
      });
    };
    hooks.refused = [&](std::size_t, const std::vector<Remark>& why) {
      tell([why](QueueController& q) {
        q.place_.refused.clear();
        for (const Remark& r : why)
          if (r.weight != Remark::Weight::kNote) q.place_.refused.push_back(r);
        emit q.placeChanged();
      });
    };
    hooks.left_out = [&](std::size_t index, const Remark& why) {
      tell([index, why](QueueController& q) { q.left_out_.emplace_back(index, why); });
    };
    hooks.stands = [&](TakeRequest& request) {
      const auto limit = drive_limit(description, request);
      if (!limit) return;
      request.stands_v = limit->highest_v;
      request.stands_why = limit->why;
    };
    hooks.aim = [&rig](const TakeRequest& request) { rig.aim(request); };
    return run_queue(rig.device(), rig.table(), calibration, plan, status, drawing, settings, hooks,
                     context.stop);
  };
  emit stateChanged();
  work_id_ = session_.work().start<QueueSummary>(
      this, {WorkKind::kDevice, WorkScope::kBook, {}}, work,
      [this](const Result<QueueSummary>& result) { finish(result); });
}

void QueueController::finish(const Result<QueueSummary>& result) {
  running_ = false;
  rig_.release();
  place_.waits = false;
  if (result) {
    summary_ = *result;
    place_.index = -1;
  } else if (result.error().code != ErrorCode::kCancelled) {
    error_ = QString::fromStdString(result.error().text());
    emit failed(error_);
  }
  strikeLeftOut();
  readPlan();
  emit stateChanged();
}

/// What was not played stays so in the plan, with the reason, until somebody takes it in again.
void QueueController::strikeLeftOut() {
  if (left_out_.empty() || !plan_) return;
  MeasuringPlan plan = *plan_;
  for (const auto& [index, why] : left_out_) {
    if (index >= plan.takes.size()) continue;
    plan.takes[index].skipped = true;
    plan.takes[index].instruction = why.text + " " + why.advice;
  }
  session_.setDocument(plan.subject_id, "plan", to_json(plan), "Leave out what is too loud");
}

QString QueueController::leftOut() const {
  return left_out_.empty() ? QString() : QString::fromStdString(left_out_.front().second.text);
}

void QueueController::pause() {
  session_.work().stop(work_id_);
}

void QueueController::halt() {
  if (Turntable* table = rig_.table()) table->stop();
  pause();
}

void QueueController::goOn() {
  hand_->goOn();
}

void QueueController::takeAgain() {
  if (running_ || !plan_) return;
  // The last one kept by this plan goes from the shelf (undo brings it back), so that it is
  // missing.
  Id last = 0;
  for (const PlanStatus& s : status_) last = std::max(last, s.take_id);
  if (last == 0) return;
  session_.edit([last](Book& book) { return book.remove_take(last); },
                [this](bool removed) {
                  readPlan();
                  if (removed) start();
                });
}

}  // namespace lalometer
