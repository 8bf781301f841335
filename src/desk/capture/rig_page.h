#pragma once

#include <QWidget>
#include <functional>

#include "desk/capture/capture_controller.h"
#include "desk/parts/desk_part.h"
#include "rig/serial/serial_line.h"
#include "workbench/taking/calibrating.h"

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
class RigPage : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  RigPage(BookSession& session, CaptureController& capture, QWidget* parent = nullptr);
  /// Looks for interfaces on a worker.
  void lookAround();
  void shown() override { lookAround(); }
  [[nodiscard]] bool busy() const { return busy_ || looking_; }

 signals:
  void monitorAsked();
  void failed(const QString& message);

 private:
  void makeInterface(QVBoxLayout* layout);
  void makeTable(QVBoxLayout* layout);
  void makeCalibration(QVBoxLayout* layout);
  void makeSteps(QVBoxLayout* layout);
  /// A button that does one step of the calibration.
  void addStep(QVBoxLayout* layout, const QString& text, const char* name, const QString& tip,
               void (RigPage::*step)());
  void followWiring();
  void showLines(const std::vector<SerialPortInfo>& lines);
  void showWiring();
  void showCalibration();
  void changeWiring();
  struct Calibrated;
  using CalibrationWork =
      std::function<Result<Calibrated>(AudioDevice&, RigCalibration, const WorkContext&)>;
  [[nodiscard]] static Calibrated calibrated(RigCalibration rig);
  /// Work with the device on a worker, which holds values only.
  void calibrate(const QString& doing, CalibrationWork calibration);
  void takeJig(int state);
  void findLoopback();
  void tryTable();
  void haltTable();
  void readCalibrator();
  void playTone();
  void setAmplifier();
  void compareInputs();
  void mendTakes();

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
  QComboBox* line_;
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
  QList<QPushButton*> steps_of_calibration_;
  std::optional<Response> jig_states_[3];
  double tone_amplitude_ = 0.0;
  std::optional<ToneReading> tone_heard_;
  WorkId work_id_ = 0;
  bool busy_ = false;
  bool looking_ = false;
  bool filling_ = false;
};

}  // namespace lalometer
