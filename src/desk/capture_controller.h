#pragma once

#include <QElapsedTimer>
#include <QObject>
#include <memory>
#include <stop_token>

#include "desk/bench/bench_rig.h"
#include "desk/book_session.h"
#include "workbench/take_runner.h"

namespace lalometer {

/// Runs takes on a worker and brings their outcome to the book. An accepted take is kept the moment
/// it is recorded; a refused one waits for the user's word.
class CaptureController : public QObject {
  Q_OBJECT
 public:
  CaptureController(BookSession& session, BenchRig& bench, QObject* parent = nullptr);
  ~CaptureController() override;

  /// The bench; may be changed between takes.
  [[nodiscard]] PracticeBenchSetup& benchSetup() { return bench_.benchSetup(); }
  [[nodiscard]] BenchRig& bench() { return bench_; }
  /// The rig as it is known: what takes are worked out with. The bench has its own, true one.
  /// Changes are kept in the book and hold for the takes after them.
  [[nodiscard]] const RigCalibration& rig() const { return rig_; }
  void setRig(const RigCalibration& rig);
  void setMicrophoneCorrection(const std::string& name, const Response& correction);
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
  void finish(const std::shared_ptr<Run>& run);
  void readRig();

  BookSession& session_;
  BenchRig& bench_;
  RigCalibration rig_;
  std::filesystem::path rig_of_;  ///< book whose rig is in rig_
  std::stop_source stop_;
  std::unique_ptr<TakeOutcome> refused_;
  std::vector<Remark> remarks_;
  bool running_ = false;
};

}  // namespace lalometer
