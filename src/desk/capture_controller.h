#pragma once

#include <QElapsedTimer>
#include <QObject>
#include <memory>
#include <stop_token>

#include "desk/book_session.h"
#include "rig/practice/practice_bench.h"
#include "workbench/take_runner.h"

namespace lalometer {

/// Runs takes on a worker and brings their outcome to the book. An accepted take is kept the moment
/// it is recorded; a refused one waits for the user's word.
class CaptureController : public QObject {
  Q_OBJECT
 public:
  CaptureController(BookSession& session, QObject* parent = nullptr);
  ~CaptureController() override;

  /// The bench; may be changed between takes.
  [[nodiscard]] PracticeBenchSetup& benchSetup() { return bench_->setup(); }
  [[nodiscard]] bool running() const { return running_; }
  [[nodiscard]] const TakeOutcome* refused() const { return refused_.get(); }
  [[nodiscard]] const std::vector<Remark>& remarks() const { return remarks_; }

  void start(TakeRequest request);
  void stop();
  /// Keeps the refused take all the same, with its remarks, marked as refused.
  void keepRefused();
  void discardRefused();

 signals:
  void progressed(double done, double left_s, int stage);
  void stateChanged();
  void taken(qint64 take);
  void failed(const QString& message);

 private:
  struct Run;
  void finish(const std::shared_ptr<Run>& run);

  BookSession& session_;
  std::unique_ptr<PracticeBench> bench_;
  std::stop_source stop_;
  std::unique_ptr<TakeOutcome> refused_;
  std::vector<Remark> remarks_;
  bool running_ = false;
};

}  // namespace lalometer
