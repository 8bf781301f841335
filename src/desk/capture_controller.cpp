#include "desk/capture_controller.h"

#include <QFutureWatcher>
#include <QThreadPool>
#include <QtConcurrent>

#include "book/json.h"
#include "workbench/calibrating.h"

namespace lalometer {

struct CaptureController::Run {
  Result<TakeOutcome> outcome = cancelled();
};

CaptureController::CaptureController(BookSession& session, BenchRig& bench, QObject* parent)
    : QObject(parent), session_(session), bench_(bench) {
  connect(&session_, &BookSession::rowsChanged, this, &CaptureController::readRig);
}

void CaptureController::readRig() {
  if (!session_.isOpen() || rig_of_ == session_.book().path()) return;
  rig_of_ = session_.book().path();
  // A refused take belongs to the book it was taken for.
  discardRefused();
  const std::string kept = session_.book().view("rig");
  rig_ = kept.empty() ? RigCalibration{} : rig_from_json(kept);
  emit rigChanged();
}

void CaptureController::setRig(const RigCalibration& rig) {
  rig_ = rig;
  if (session_.isOpen() && !session_.book().read_only()) {
    if (auto kept = session_.book().set_view("rig", to_json(rig_)); !kept)
      emit failed(QString::fromStdString(kept.error().text()));
  }
  emit rigChanged();
}

void CaptureController::setMicrophoneCorrection(const std::string& name,
                                                const Response& correction) {
  RigCalibration rig = rig_;
  rig.microphone_correction = correction;
  rig.microphone_correction_name = name;
  rig.taken_at[calibration::kMicrophone] = utc_now();
  setRig(rig);
}

CaptureController::~CaptureController() {
  stop();
  QThreadPool::globalInstance()->waitForDone();
}

void CaptureController::start(TakeRequest request) {
  if (running_ || !session_.isOpen() || !bench_.claim()) return;
  running_ = true;
  refused_.reset();
  remarks_.clear();
  stop_ = std::stop_source();
  emit stateChanged();
  auto* watcher = new QFutureWatcher<std::shared_ptr<Run>>(this);
  connect(watcher, &QFutureWatcherBase::finished, this, [this, watcher] {
    watcher->deleteLater();
    finish(watcher->result());
  });
  // The bench is used by this run only: running_ keeps everybody else away from it.
  watcher->setFuture(QtConcurrent::run(
      [this, request, bench = &bench_.device(), rig = rig_, token = stop_.get_token()] {
        auto run = std::make_shared<Run>();
        run->outcome = run_take(*bench, rig, request, token, [this](const TakeProgress& p) {
          emit progressed(p.done, p.left_s, static_cast<int>(p.stage));
        });
        return run;
      }));
}

void CaptureController::stop() {
  stop_.request_stop();
}

void CaptureController::finish(const std::shared_ptr<Run>& run) {
  running_ = false;
  bench_.release();
  if (!run->outcome) {
    if (run->outcome.error().code != ErrorCode::kCancelled)
      emit failed(QString::fromStdString(run->outcome.error().text()));
    emit stateChanged();
    return;
  }
  remarks_ = run->outcome->take.remarks;
  if (!run->outcome->accepted) {
    refused_ = std::make_unique<TakeOutcome>(std::move(*run->outcome));
    emit stateChanged();
    return;
  }
  const auto id = keep_take(session_.book(), *run->outcome, rig_);
  if (!id) {
    // It could not be kept (disk full, say): it stays in memory, and keeping can be tried again.
    refused_ = std::make_unique<TakeOutcome>(std::move(*run->outcome));
    emit failed(QString::fromStdString(id.error().text()));
    emit stateChanged();
    return;
  }
  session_.reload();
  session_.setLaid(*id, true);
  session_.chooseTake(*id);
  emit taken(*id);
  emit stateChanged();
}

void CaptureController::keepRefused() {
  if (!refused_) return;
  const auto id = keep_take(session_.book(), *refused_, rig_);
  if (!id) {
    emit failed(QString::fromStdString(id.error().text()));
    return;
  }
  refused_.reset();
  session_.reload();
  emit taken(*id);
  emit stateChanged();
}

void CaptureController::discardRefused() {
  refused_.reset();
  remarks_.clear();
  emit stateChanged();
}

}  // namespace lalometer
