#pragma once

#include <QWidget>
#include <functional>

#include "desk/capture/capture_controller.h"
#include "desk/parts/desk_part.h"
#include "rig/audio/port_audio_device.h"
#include "rig/serial/serial_line.h"
#include "workbench/taking/calibrating.h"
#include "workbench/taking/rig_trial.h"

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
  void makeName(QVBoxLayout* layout);
  void makeInterface(QVBoxLayout* layout);
  void makeTime(QVBoxLayout* layout);
  void makeTrial(QVBoxLayout* layout);
  void makeTable(QVBoxLayout* layout);
  void makeCalibration(QVBoxLayout* layout);
  void makeSteps(QVBoxLayout* layout);
  /// A button that does one step of the calibration.
  void addStep(QVBoxLayout* layout, const QString& text, const char* name, const QString& tip,
               void (RigPage::*step)());
  void followWiring();
  void showLines(const std::vector<SerialPortInfo>& lines);
  void showInterfaces(const std::vector<AudioInterface>& found);
  /// Where the chosen interface is not there: a kept rig that is.
  void findKeptRig(const std::vector<AudioInterface>& found);
  void showWiring();
  void showCalibration();
  void showAbilities();
  void chooseRig(const QString& name);
  void changeTime();
  void tryRig();
  void showTrial(const RigTrial& trial);
  void changeWiring();
  /// What a worker hands back: the calibration as it should be, and what else the page has to know.
  struct Calibrated {
    RigCalibration rig;
    std::function<void(RigPage&)> then = {};
    /// The last step where it needs what earlier works have left with the page.
    std::function<Result<RigCalibration>(RigPage&, RigCalibration)> finish = {};
  };
  using CalibrationWork =
      std::function<Result<Calibrated>(AudioDevice&, RigCalibration, const WorkContext&)>;
  [[nodiscard]] static Calibrated calibrated(RigCalibration rig);
  /// Work with the device on a worker, which holds values only.
  void calibrate(const QString& doing, CalibrationWork calibration);
  void takeJig(int state);
  void takeLeads(int state);
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
  QComboBox* name_;
  QComboBox* interface_;
  QComboBox* output_interface_;
  QComboBox* rate_;
  QSpinBox* output_;
  QSpinBox* second_;
  QSpinBox* measure_;
  QSpinBox* loopback_;
  QSpinBox* jig_;
  QComboBox* time_;
  QDoubleSpinBox* chirp_distance_;
  QPushButton* find_;
  QVBoxLayout* abilities_;
  QVBoxLayout* trial_;
  std::vector<AudioInterface> interfaces_;  ///< as they were found last
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
  QDoubleSpinBox* microphone_thd_;
  QDoubleSpinBox* microphone_spl_;
  QDoubleSpinBox* calibrator_db_;
  QDoubleSpinBox* volts_;
  QDoubleSpinBox* known_ohm_;
  QList<QPushButton*> steps_of_calibration_;
  std::optional<Response> jig_states_[3];
  std::optional<Response> leads_[2];  ///< as wired, swapped
  double tone_amplitude_ = 0.0;
  std::optional<ToneReading> tone_heard_;
  WorkId work_id_ = 0;
  bool busy_ = false;
  bool looking_ = false;
  bool filling_ = false;
};

}  // namespace lalometer
