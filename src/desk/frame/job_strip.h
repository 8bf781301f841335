#pragma once

#include <QFrame>

#include "desk/session/work.h"

class QLabel;
class QProgressBar;

namespace lalometer {

/// Long work that blocks nothing: its name, how far it is, and a stop button. One job at a time.
class JobStrip : public QFrame {
  Q_OBJECT
 public:
  explicit JobStrip(Work& work, QWidget* parent = nullptr);

  /// Runs `job` (Result<T>(const WorkContext&), with values of its own) on a worker and gives its
  /// outcome to `deliver` (void(Result<T>)): done, failed or stopped. A failure is told here as
  /// well. False where another job still runs; then nothing is started.
  template <class T, class Job, class Deliver>
  [[nodiscard]] bool start(const QString& title, WorkScope scope, Job job, Deliver deliver) {
    if (running()) return false;
    begin(title);
    id_ = work_.start<T>(this, {WorkKind::kJob, scope, [this](double share) { showShare(share); }},
                         std::move(job),
                         [this, deliver = std::move(deliver)](Result<T> outcome) mutable {
                           end(outcome ? nullptr : &outcome.error());
                           deliver(std::move(outcome));
                         });
    return true;
  }
  [[nodiscard]] bool running() const { return running_; }
  void stop() { work_.stop(id_); }

 signals:
  void failed(const QString& message);

 private:
  void begin(const QString& title);
  void showShare(double share);
  void end(const Error* problem);

  Work& work_;
  QLabel* title_;
  QProgressBar* bar_;
  WorkId id_ = 0;
  bool running_ = false;
};

}  // namespace lalometer
