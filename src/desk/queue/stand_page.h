#pragma once

#include "desk/queue/plan_desk.h"

class QFormLayout;

namespace lalometer {

/// Beside it: what is wanted, the stand's numbers and what they allow.
class StandPage : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  StandPage(BookSession& session, QueueController& queue, PlanDesk& desk,
            QWidget* parent = nullptr);

 private:
  void makeWishes(QVBoxLayout* layout);
  void makeRoom(QVBoxLayout* layout);
  void show();
  void makePlan();
  QDoubleSpinBox* wall(const QString& name, const QString& tip);
  [[nodiscard]] Stand typed() const;

  BookSession& session_;
  QueueController& queue_;
  PlanDesk& desk_;
  QComboBox* purpose_;
  QLabel* answers_;
  QFormLayout* wishes_;
  QDoubleSpinBox* drive_;
  QSpinBox* repeats_;
  QLineEdit* samples_;
  QLineEdit* levels_;
  QComboBox* level_unit_;
  QDoubleSpinBox* highest_;
  QDoubleSpinBox* tones_;
  QDoubleSpinBox* upper_;
  QDoubleSpinBox* step_;
  QComboBox* plane_;
  QDoubleSpinBox* mass_;
  QDoubleSpinBox* box_;
  QDoubleSpinBox* distance_;
  QDoubleSpinBox* speaker_;
  QDoubleSpinBox* microphone_;
  QDoubleSpinBox* ceiling_;
  QDoubleSpinBox* left_;
  QDoubleSpinBox* right_;
  QDoubleSpinBox* behind_;
  QDoubleSpinBox* beyond_;
  QCheckBox* ground_;
  QLabel* allows_;
  QLabel* trouble_;
  bool filling_ = false;
};

}  // namespace lalometer
