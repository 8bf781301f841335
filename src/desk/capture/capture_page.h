#pragma once

#include <QWidget>

#include "desk/capture/capture_controller.h"
#include "desk/parts/desk_part.h"
#include "workbench/taking/plan/measuring_plan.h"

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QFormLayout;
class QLabel;
class QLineEdit;
class QProgressBar;
class QPushButton;
class QSpinBox;
class QVBoxLayout;

namespace lalometer {

/// Where a take is set up, started, stopped, judged.
class CapturePage : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  CapturePage(BookSession& session, CaptureController& controller, QWidget* parent = nullptr);

  void take();
  void takeImpedance();
  void takeResponse();
  /// Impedance of a driver alone.
  void takeFreeAir();
  /// While a queue runs: what it takes, in place of the form of a single take; null afterwards.
  void showQueued(const PlannedTake* planned);
  /// On the practice bench: the loudspeaker that is chosen here, of that subject where it is to
  /// stand as drawn. Room and mishaps stay.
  void standOnBench(qint64 subject);

 signals:
  void rigAsked();

 private:
  void makeForm(QVBoxLayout* layout);
  void makeFigures(QFormLayout* form);
  void makeRun(QVBoxLayout* layout);
  void makeBench(QWidget* inside);
  void wire();
  void fillTargets();
  void followKind();
  void showState();
  void showProgress(double done, double left_s, int stage);
  [[nodiscard]] TakeRequest request() const;
  [[nodiscard]] QString freeName(const QString& wanted, Id variant) const;
  /// False where the bench cannot play what is asked; the reason stands where the stage is told.
  [[nodiscard]] bool applyBench();
  /// What "On the bench" says, for a subject.
  [[nodiscard]] Result<PracticeSpeaker> chosenSpeaker(Id subject) const;
  void newVariant();
  QWidget* makeRigBox(QWidget* parent);
  void showRig();
  void fillSamples();

  BookSession& session_;
  CaptureController& controller_;
  QComboBox* target_;
  QComboBox* kind_;
  QComboBox* condition_;
  QComboBox* driver_;
  QDoubleSpinBox* drive_;
  QDoubleSpinBox* start_;
  QDoubleSpinBox* distance_;
  QSpinBox* repeats_;
  QLineEdit* name_;
  QComboBox* sample_;
  QDoubleSpinBox* full_scale_;
  QDoubleSpinBox* resistor_;
  QLabel* correction_;
  QPushButton* no_correction_;
  QLabel* caution_;
  QPushButton* go_;
  QPushButton* stop_;
  QPushButton* again_;
  QPushButton* keep_;
  QProgressBar* progress_;
  QLabel* stage_;
  QVBoxLayout* cards_;
  QComboBox* walls_;
  QComboBox* mishap_;
  QWidget* bench_box_;
  QWidget* single_;
  QLabel* queue_card_;
};

}  // namespace lalometer
