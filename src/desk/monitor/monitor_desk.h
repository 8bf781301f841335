#pragma once

#include <QWidget>
#include <memory>

#include "desk/capture/capture_controller.h"
#include "desk/parts/desk_part.h"
#include "desk/parts/theme.h"
#include "workbench/taking/live_meter.h"

class QTimer;

namespace lalometer {

/// What an interface hears, live: spectrum in 1/6-octave bands, level, both inputs' peaks with
/// hold, the driven tone.
class MonitorDesk : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  explicit MonitorDesk(CaptureController& capture, QWidget* parent = nullptr);
  void setTheme(const Theme& theme) override;

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
  [[nodiscard]] Work& work();

  CaptureController& capture_;
  Theme theme_ = Theme::light();
  LiveReading reading_;
  std::shared_ptr<Shared> shared_;
  LiveSource source_;
  Hookup hookup_ = Hookup::kMicrophone;
  WorkId work_id_ = 0;
  QTimer* timer_;
  bool running_ = false;
  bool again_ = false;
};

}  // namespace lalometer
