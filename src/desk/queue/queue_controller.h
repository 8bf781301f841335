#pragma once

#include <QObject>
#include <condition_variable>
#include <memory>
#include <mutex>

#include "desk/capture/wired_rig.h"
#include "desk/session/book_session.h"
#include "workbench/taking/plan/take_queue.h"

namespace lalometer {

/// The plan of the chosen subject and its run on a worker, which keeps each take the moment it is
/// accepted; it is shown here then.
class QueueController : public QObject {
  Q_OBJECT
 public:
  QueueController(BookSession& session, WiredRig& rig, QObject* parent = nullptr);

  /// Nothing where the chosen subject has no plan.
  [[nodiscard]] const std::optional<MeasuringPlan>& plan() const { return plan_; }
  [[nodiscard]] const std::vector<PlanStatus>& status() const { return status_; }
  /// Keeps it in the book; also after an edit.
  void setPlan(const MeasuringPlan& plan);
  /// What the takes are analysed with.
  void setCalibration(const RigCalibration& rig) { calibration_ = rig; }

  enum class Advance { kByKey, kByTimer };
  /// How takes that need a hand go on. A run keeps what it was started with.
  struct Options {
    Advance advance = Advance::kByKey;
    double timer_s = 8.0;
    bool pips = true;
  };
  [[nodiscard]] const Options& options() const { return options_; }
  void setOptions(const Options& options) { options_ = options; }

  [[nodiscard]] bool running() const { return running_; }
  /// Goes on with what is missing.
  void start();
  void pause();
  /// The take that waits for a hand stands as told.
  void goOn();
  /// The last kept take is not good after all: the queue takes it again.
  void takeAgain();

  /// Where it is, for the large view.
  struct Place {
    int index = -1;  ///< in the plan; -1: none
    QueueStage stage = QueueStage::kMove;
    double done = 0.0;
    double left_s = 0.0;
    bool waits = false;  ///< for a hand
    double timer_left_s = 0.0;
    std::vector<Remark> refused;  ///< why the last try was not kept
  };
  [[nodiscard]] const Place& place() const { return place_; }
  [[nodiscard]] bool byTable() const { return rig_.wiring().table != RigWiring::Table::kByHand; }
  /// Emergency stop of the table; the queue pauses.
  void halt();
  [[nodiscard]] double minutesLeft() const;
  [[nodiscard]] QString lastError() const { return error_; }
  /// Why takes of the last run were not played; empty: all were.
  [[nodiscard]] QString leftOut() const;
  [[nodiscard]] const QueueSummary& summary() const { return summary_; }

 signals:
  /// The rig is taken; whatever simulates it stands the subject up now.
  void starting(qint64 subject);
  void planChanged();
  void placeChanged();
  void stateChanged();
  void taken(qint64 take);
  void failed(const QString& message);

 private:
  void readPlan();
  void readByPlansGate();
  struct Hand;
  void showKept(Id id);
  void strikeLeftOut();
  void finish(const Result<QueueSummary>& result);

  BookSession& session_;
  WiredRig& rig_;
  RigCalibration calibration_;
  std::optional<MeasuringPlan> plan_;
  std::vector<PlanStatus> status_;
  Options options_;
  Place place_;
  QueueSummary summary_;
  QString error_;
  std::vector<std::pair<std::size_t, Remark>> left_out_;  ///< of this run
  WorkId work_id_ = 0;
  std::shared_ptr<Hand> hand_;  ///< shared with the worker
  bool running_ = false;
};

}  // namespace lalometer
