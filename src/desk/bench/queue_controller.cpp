#include "desk/bench/queue_controller.h"

#include <QCoreApplication>
#include <QFutureWatcher>
#include <QTimer>
#include <QtConcurrent>
#include <chrono>
#include <cmath>

#include "desk/background.h"

namespace lalometer {

QueueController::QueueController(BookSession& session, BenchRig& rig, QObject* parent)
    : QObject(parent), session_(session), rig_(rig) {
  connect(&session_, &BookSession::rowsChanged, this, &QueueController::readPlan);
  connect(&session_, &BookSession::laidChanged, this, &QueueController::readPlan);
}

QueueController::~QueueController() {
  pause();
  // The worker may be handing over a take: it has to be let, or both wait for ever.
  while (running_) QCoreApplication::processEvents(QEventLoop::AllEvents, 50);
}

void QueueController::readPlan() {
  if (!session_.isOpen() || running_) return;
  const Id subject = session_.chosenSubject();
  plan_ = kept_plan(session_.book(), subject);
  const Subject* s = session_.subject(subject);
  standing_ = plan_ && s != nullptr ? standing_of(*plan_, session_.takes(), s->description_json)
                                    : std::vector<PlanStanding>();
  emit planChanged();
}

void QueueController::setPlan(const MeasuringPlan& plan) {
  if (running_ || !session_.isOpen()) return;
  if (auto kept = keep_plan(session_.book(), plan); !kept) {
    emit failed(QString::fromStdString(kept.error().text()));
    return;
  }
  place_ = {};
  error_.clear();
  readPlan();
}

double QueueController::minutesLeft() const {
  double minutes = 0.0;
  const bool by_hand = rig_.wiring().table == BenchWiring::Table::kByHand;
  for (std::size_t i = 0; plan_ && i < plan_->takes.size() && i < standing_.size(); ++i) {
    if (standing_[i].state == PlanState::kMissing || standing_[i].state == PlanState::kStale)
      minutes += minutes_of(plan_->takes[i], by_hand);
  }
  return minutes;
}

Result<void> QueueController::waitForHand(std::size_t index, std::stop_token stop) {
  using namespace std::chrono_literals;
  const auto tell = [&](double left_s) {
    QMetaObject::invokeMethod(this, [this, index, left_s] {
      place_ = {static_cast<int>(index), QueueStage::kMove, 0.0, 0.0, true, left_s, place_.refused};
      emit placeChanged();
    });
  };
  const auto begin = std::chrono::steady_clock::now();
  std::unique_lock held(lock_);
  go_on_ = false;
  for (;;) {
    const std::chrono::duration<double> gone = std::chrono::steady_clock::now() - begin;
    const bool timed = manner_.advance == Advance::kByTimer;
    const double left = timed ? manner_.timer_s - gone.count() : 0.0;
    if (go_on_ || (timed && left <= 0.0)) return {};
    if (stop.stop_requested()) return cancelled();
    tell(left);
    gone_on_.wait_for(held, stop, 250ms, [this] { return go_on_; });
  }
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
      const bool of_queue = t != nullptr && t->conditions.more_json.contains(kPlanItemKey);
      if (of_queue && old != laid.back()) session_.setLaid(old, false);
    }
    session_.chooseTake(id);
  }
  place_.refused.clear();
  // The plan's standing in a round of its own, so that mouse and keys get in between.
  QTimer::singleShot(0, this, [this, id] {
    if (!session_.isOpen() || !plan_) return;
    const Subject* s = session_.subject(plan_->subject_id);
    standing_ = standing_of(*plan_, session_.takes(), s == nullptr ? "{}" : s->description_json);
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
  stop_ = std::stop_source();
  error_.clear();
  summary_ = {};
  place_ = {};
  const Subject* s = session_.subject(plan_->subject_id);
  const std::string description = s == nullptr ? "{}" : s->description_json;
  QueueSettings settings;
  settings.countdown_s = manner_.pips && rig_.table() == nullptr ? 3.0 : 0.0;
  QueueHooks hooks;
  hooks.ready = [this](std::size_t index, const PlannedTake&, std::stop_token stop) {
    return waitForHand(index, std::move(stop));
  };
  // The worker keeps takes through a connection of its own: writing to the disk must not stop the
  // window.
  hooks.keep = [this, path = session_.book().path(), rig = calibration_,
                own = std::make_shared<std::optional<Book>>()](std::size_t,
                                                               const TakeOutcome& outcome) {
    if (!*own) {
      auto opened = Book::open(path);
      if (!opened) return Result<Id>(tl::unexpected(opened.error()));
      own->emplace(std::move(*opened));
    }
    auto id = keep_take(**own, outcome, rig);
    if (id) QMetaObject::invokeMethod(this, [this, kept = *id] { showKept(kept); });
    return id;
  };
  hooks.progress = [this, told = std::chrono::steady_clock::time_point(),
                    before = QueueStage::kMove](std::size_t index, QueueStage stage, double done,
                                                double left_s) mutable {
    // Often enough for the eye; more would only keep the window busy.
    const auto now = std::chrono::steady_clock::now();
    if (stage == before && now - told < std::chrono::milliseconds(80)) return;
    told = now;
    before = stage;
    QMetaObject::invokeMethod(this, [this, index, stage, done, left_s] {
      place_ = {static_cast<int>(index), stage, done, left_s, false, 0.0, place_.refused};
      emit placeChanged();
    });
  };
  hooks.refused = [this](std::size_t, const std::vector<Remark>& why) {
    QMetaObject::invokeMethod(this, [this, why] {
      place_.refused.clear();
      for (const Remark& r : why)
        if (r.weight != Remark::Weight::kNote) place_.refused.push_back(r);
      emit placeChanged();
    });
  };
  hooks.aim = [this](const TakeRequest& request) { rig_.aim(request); };
  emit stateChanged();
  auto* watcher = new QFutureWatcher<std::shared_ptr<Result<QueueSummary>>>(this);
  connect(watcher, &QFutureWatcherBase::finished, this, [this, watcher] {
    watcher->deleteLater();
    finish(std::move(*watcher->result()));
  });
  watcher->setFuture(
      QtConcurrent::run([this, hooks, settings, description, plan = *plan_, standing = standing_,
                         rig = calibration_, token = stop_.get_token()] {
        yield_to_window();
        return std::make_shared<Result<QueueSummary>>(run_queue(
            rig_.device(), rig_.table(), rig, plan, standing, description, settings, hooks, token));
      }));
}

void QueueController::finish(Result<QueueSummary> result) {
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
  readPlan();
  emit stateChanged();
}

void QueueController::pause() {
  stop_.request_stop();
  gone_on_.notify_all();
}

void QueueController::halt() {
  if (Turntable* table = rig_.table()) table->stop();
  pause();
}

void QueueController::goOn() {
  {
    const std::lock_guard held(lock_);
    go_on_ = true;
  }
  gone_on_.notify_all();
}

void QueueController::takeAgain() {
  if (running_ || !plan_) return;
  // The last one kept by this plan goes from the shelf (undo brings it back), so that it is
  // missing.
  Id last = 0;
  for (const PlanStanding& s : standing_) last = std::max(last, s.take_id);
  if (last == 0) return;
  session_.apply(session_.book().remove_take(last));
  readPlan();
  start();
}

}  // namespace lalometer
