#pragma once

#include <QFrame>
#include <functional>
#include <stop_token>

#include "base/result.h"
#include "rig/audio_device.h"

class QLabel;
class QProgressBar;

namespace lalometer {

/// Long work that blocks nothing: its name, how far it is, and a stop button. One job at a time.
class JobStrip : public QFrame {
  Q_OBJECT
 public:
  /// Runs on the pool with values of its own; gives the sentence to show when done.
  using Job = std::function<Result<QString>(std::stop_token, const Progress&)>;

  explicit JobStrip(QWidget* parent = nullptr);
  ~JobStrip() override;
  /// False where another job still runs.
  [[nodiscard]] bool start(const QString& title, Job job);
  [[nodiscard]] bool running() const { return running_; }
  void stop() { stop_.request_stop(); }

 signals:
  void done(const QString& message);
  void failed(const QString& message);
  void progressed(double share);

 private:
  void finish(const Result<QString>& outcome);

  QLabel* title_;
  QProgressBar* bar_;
  std::stop_source stop_;
  bool running_ = false;
};

}  // namespace lalometer
