#include "desk/capture/capture_controller.h"

#include "book/json.h"
#include "workbench/taking/calibrating.h"

namespace lalometer {

/// What a worker hands back: what was recorded, and what became of it in the book.
struct CaptureController::Run {
  TakeOutcome outcome;
  Result<Id> kept = Id{0};  ///< 0: refused, and not kept
};

CaptureController::CaptureController(BookSession& session, WiredRig& rig, QObject* parent)
    : QObject(parent), session_(session), wired_(rig) {
  connect(&session_, &BookSession::bookChanged, this, [this] {
    // A refused take belongs to the book it was taken for.
    discardRefused();
    readRig();
  });
  // Undone, or changed by another window.
  connect(&session_, &BookSession::rowsChanged, this, &CaptureController::readRig);
}

void CaptureController::readRig() {
  if (!session_.isOpen()) return;
  const std::string kept = session_.document(0, "rig");
  const RigCalibration rig = kept.empty() ? RigCalibration{} : rig_from_json(kept);
  if (to_json(rig) == to_json(rig_)) return;
  rig_ = rig;
  emit rigChanged();
}

void CaptureController::setRig(const RigCalibration& rig) {
  rig_ = rig;
  session_.setDocument(0, "rig", to_json(rig_), "Change the rig");
  emit rigChanged();
}

void CaptureController::useRig(const std::string& name) {
  if (name == rig_.rig_name || !session_.isOpen()) return;
  session_.setDocument(0, "rig of " + rig_.rig_name, to_json(rig_), "Change the rig");
  const std::string kept = session_.document(0, "rig of " + name);
  RigCalibration rig = kept.empty() ? RigCalibration{} : rig_from_json(kept);
  rig.rig_name = name;
  if (kept.empty()) {
    // What nobody calibrated is relative, and says so. The practice bench knows itself.
    rig.level_known = wired_.isPractice();
    rig.time = wired_.device().one_clock() ? TimeBase::kLoopback : TimeBase::kNone;
  }
  setRig(rig);
}

void CaptureController::setMicrophoneCorrection(const std::string& name, const Response& correction,
                                                std::optional<double> pa_per_unit) {
  RigCalibration rig = rig_;
  rig.microphone_correction = correction;
  rig.microphone_correction_name = name;
  rig.taken_at[calibration::kMicrophone] = utc_now();
  if (pa_per_unit) {
    rig.input_pa_per_unit = *pa_per_unit;
    rig.taken_at[calibration::kSensitivity] = utc_now();
    rig.calibrator_hz.reset();  // the file's own, at its 0 dB
    rig.level_known = rig.level_known || rig.taken_at.contains(calibration::kAmplifier);
  }
  setRig(rig);
}

void CaptureController::start(TakeRequest request) {
  if (running_ || !session_.isOpen() || !wired_.claim()) return;
  running_ = true;
  refused_.reset();
  remarks_.clear();
  emit stateChanged();
  // The device is used by this run only: the claim keeps everybody else away from it.
  work_id_ = session_.work().start<std::shared_ptr<Run>>(
      this, {WorkKind::kDevice, WorkScope::kBook, {}},
      [request, device = &wired_.device(), rig = rig_, writer = session_.writer(),
       self = QPointer<CaptureController>(this)](
          const WorkContext& context) -> Result<std::shared_ptr<Run>> {
        auto outcome = run_take(*device, rig, request, context.stop, [&](const TakeProgress& p) {
          context.tell([self, p] {
            if (self) emit self->progressed(p.done, p.left_s, static_cast<int>(p.stage));
          });
        });
        if (!outcome) return tl::unexpected(outcome.error());
        auto run = std::make_shared<Run>();
        run->outcome = std::move(*outcome);
        // Kept here, in the book it was taken for, whatever is open when it ends.
        if (run->outcome.accepted) {
          run->kept = writer->run([&](Book& book) { return keep_take(book, run->outcome, rig); });
        }
        return run;
      },
      [this, rig = rig_](Result<std::shared_ptr<Run>> run) {
        refused_rig_ = rig;
        finish(std::move(run));
      });
}

void CaptureController::stop() {
  session_.work().stop(work_id_);
}

void CaptureController::showTaken(Id id) {
  {
    const BookSession::Together together(session_);
    session_.reload();
    session_.setLaid(id, true);
    session_.chooseTake(id);
  }
  emit taken(id);
}

void CaptureController::finish(Result<std::shared_ptr<Run>> result) {
  running_ = false;
  wired_.release();
  if (!result) {
    if (result.error().code != ErrorCode::kCancelled)
      emit failed(QString::fromStdString(result.error().text()));
    emit stateChanged();
    return;
  }
  Run& run = **result;
  remarks_ = run.outcome.take.remarks;
  if (run.kept && *run.kept != 0) {
    showTaken(*run.kept);
  } else {
    // Refused, or it could not be kept (disk full, say): it stays in memory, and keeping can be
    // tried again.
    refused_ = std::make_shared<const TakeOutcome>(std::move(run.outcome));
    if (!run.kept) emit failed(QString::fromStdString(run.kept.error().text()));
  }
  emit stateChanged();
}

void CaptureController::keepRefused() {
  if (!refused_) return;
  session_.edit<Id>([outcome = refused_,
                     rig = refused_rig_](Book& book) { return keep_take(book, *outcome, rig); },
                    [this](const Result<Id>& id) {
                      if (!id) return;
                      refused_.reset();
                      emit taken(*id);
                      emit stateChanged();
                    });
}

void CaptureController::discardRefused() {
  refused_.reset();
  remarks_.clear();
  emit stateChanged();
}

}  // namespace lalometer
