#pragma once

#include <QObject>
#include <memory>

#include "desk/capture/wired_rig.h"
#include "desk/session/book_session.h"
#include "workbench/taking/take_runner.h"

namespace lalometer {

/// Runs takes on a worker, which keeps an accepted one in the book it was taken for the moment it
/// is recorded; a refused one waits for the user's word.
class CaptureController : public QObject {
  Q_OBJECT
 public:
  CaptureController(BookSession& session, WiredRig& rig, QObject* parent = nullptr);

  /// The practice bench; may be changed between takes.
  [[nodiscard]] PracticeBenchSetup& practiceSetup() { return wired_.practiceSetup(); }
  [[nodiscard]] WiredRig& wired() { return wired_; }
  [[nodiscard]] BookSession& session() { return session_; }
  /// The rig as it is known: what takes are analysed with. The practice bench has its own, true
  /// one. Changes are kept in the book and hold for the takes after them.
  [[nodiscard]] const RigCalibration& rig() const { return rig_; }
  void setRig(const RigCalibration& rig);
  /// The calibration that the book keeps of another rig; a fresh one where it knows none.
  void useRig(const std::string& name);
  /// @param pa_per_unit  the sensitivity that its file tells; nothing leaves the rig's own.
  void setMicrophoneCorrection(const std::string& name, const Response& correction,
                               std::optional<double> pa_per_unit = std::nullopt);
  [[nodiscard]] bool running() const { return running_; }
  [[nodiscard]] const TakeOutcome* refused() const { return refused_.get(); }
  [[nodiscard]] const std::vector<Remark>& remarks() const { return remarks_; }

  void start(TakeRequest request);
  void stop();
  /// Keeps the refused take all the same, with its remarks, marked as refused.
  void keepRefused();
  void discardRefused();

 signals:
  void rigChanged();
  void progressed(double done, double left_s, int stage);
  void stateChanged();
  void taken(qint64 take);
  void failed(const QString& message);

 private:
  struct Run;
  void finish(Result<std::shared_ptr<Run>> run);
  void readRig();
  void showTaken(Id id);

  BookSession& session_;
  WiredRig& wired_;
  RigCalibration rig_;
  WorkId work_id_ = 0;
  std::shared_ptr<const TakeOutcome> refused_;
  RigCalibration refused_rig_;  ///< the rig it was taken on
  std::vector<Remark> remarks_;
  bool running_ = false;
};

}  // namespace lalometer
