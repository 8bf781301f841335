#pragma once

#include <QWidget>
#include <functional>

#include "desk/capture_controller.h"
#include "workbench/calibrating.h"

class QComboBox;
class QCheckBox;
class QDoubleSpinBox;
class QLabel;
class QLineEdit;
class QPushButton;
class QSpinBox;
class QVBoxLayout;

namespace lalometer {

/// Interface, channels, turntable and calibration: what a rig is, and what is old or missing of it.
class RigPage : public QWidget {
  Q_OBJECT
 public:
  RigPage(BookSession& session, CaptureController& capture, QWidget* parent = nullptr);
  /// Looks for interfaces on a worker.
  void lookAround();
  [[nodiscard]] bool busy() const { return busy_ || looking_; }

 signals:
  void monitorAsked();
  void failed(const QString& message);

 private:
  void showWiring();
  void showCalibration();
  void changeWiring();
  /// Work with the device on a worker; what comes back is the calibration as it should be.
  void calibrate(
      const QString& doing,
      std::function<Result<RigCalibration>(AudioDevice&, RigCalibration, std::stop_token)> work);
  void takeJig(int state);

  BookSession& session_;
  CaptureController& capture_;
  QComboBox* interface_;
  QComboBox* rate_;
  QSpinBox* output_;
  QSpinBox* measure_;
  QSpinBox* loopback_;
  QSpinBox* jig_;
  QPushButton* find_;
  QComboBox* table_;
  QLineEdit* line_;
  QDoubleSpinBox* steps_;
  QDoubleSpinBox* settle_;
  QDoubleSpinBox* lowest_;
  QDoubleSpinBox* highest_;
  QCheckBox* home_;
  QPushButton* try_table_;
  QPushButton* halt_;
  QLabel* stage_;
  QVBoxLayout* parts_;
  QComboBox* incidence_;
  QDoubleSpinBox* calibrator_db_;
  QDoubleSpinBox* volts_;
  QDoubleSpinBox* known_ohm_;
  QPushButton* tone_;
  QList<QPushButton*> works_;
  std::optional<Response> jig_states_[3];
  double tone_amplitude_ = 0.0;
  std::optional<ToneReading> tone_heard_;
  std::stop_source stop_;
  bool busy_ = false;
  bool looking_ = false;
  bool filling_ = false;
};

}  // namespace lalometer
