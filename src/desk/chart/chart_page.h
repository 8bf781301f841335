#pragma once

#include "desk/chart/chart_desk.h"

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QLineEdit;
class QPushButton;
class QSpinBox;

namespace lalometer {

/// Beside it: the scales' values, what the sheet tells, and keeping.
class ChartDeskPage : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  ChartDeskPage(BookSession& session, ChartDesk& desk, QWidget* parent = nullptr);
  void shown() override { show(); }

 private:
  void makeScales(class QVBoxLayout* layout, QWidget* inside);
  void makeSheet(class QVBoxLayout* layout, QWidget* inside);
  void show();
  void tellAxes();
  [[nodiscard]] ChartDesk::Told told() const;

  BookSession& session_;
  ChartDesk& desk_;
  QSpinBox* page_;
  QDoubleSpinBox* hz_[2];
  QDoubleSpinBox* level_[2];
  QCheckBox* log_hz_;
  QCheckBox* log_level_;
  QComboBox* what_;
  QLineEdit* name_;
  QComboBox* smoothing_;
  QCheckBox* drive_told_;
  QDoubleSpinBox* drive_;
  QDoubleSpinBox* distance_;
  QLabel* state_;
  QPushButton* keep_;
};

}  // namespace lalometer
