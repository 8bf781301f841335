#pragma once

#include <QElapsedTimer>
#include <QWidget>
#include <memory>
#include <mutex>
#include <stop_token>

#include "desk/capture_controller.h"
#include "desk/theme.h"
#include "workbench/live_meter.h"

class QButtonGroup;
class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QPushButton;
class QTimer;

namespace lalometer {

/// What an interface hears, live: spectrum in sixths of octaves, level, both inputs' peaks with
/// hold, the driven tone.
class MonitorDesk : public QWidget {
  Q_OBJECT
 public:
  explicit MonitorDesk(CaptureController& capture, QWidget* parent = nullptr);
  ~MonitorDesk() override;
  void setTheme(const Theme& theme);

  [[nodiscard]] bool running() const { return running_; }
  /// Plays and watches until stop(); starting again with another source changes over.
  void start(const LiveSource& source, Hookup hookup);
  void stop();
  [[nodiscard]] const LiveReading& reading() const { return reading_; }

 signals:
  void stateChanged();
  void read();
  void failed(const QString& message);

 protected:
  void paintEvent(QPaintEvent* event) override;

 private:
  struct Shared;
  void look();
  void begin();

  CaptureController& capture_;
  Theme theme_ = Theme::light();
  LiveReading reading_;
  std::shared_ptr<Shared> shared_;
  LiveSource source_;
  Hookup hookup_ = Hookup::kMicrophone;
  std::stop_source stop_;
  QTimer* timer_;
  bool running_ = false;
  bool again_ = false;
};

/// Beside it: what is played, and the figures.
class MonitorPage : public QWidget {
  Q_OBJECT
 public:
  MonitorPage(CaptureController& capture, MonitorDesk& desk, QWidget* parent = nullptr);

 private:
  void show();
  void play();
  void checkPolarity();

  CaptureController& capture_;
  MonitorDesk& desk_;
  QComboBox* signal_;
  QComboBox* hookup_;
  QDoubleSpinBox* frequency_;
  QDoubleSpinBox* drive_;
  QPushButton* start_;
  QPushButton* stop_;
  QPushButton* down_;
  QPushButton* up_;
  QPushButton* polarity_;
  QLabel* figures_;
  QLabel* caution_;
};

}  // namespace lalometer
