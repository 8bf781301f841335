#pragma once

#include "desk/monitor/monitor_desk.h"
#include "desk/parts/desk_part.h"

class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QPushButton;

namespace lalometer {

/// Beside it: what is played, and the figures.
class MonitorPage : public QWidget, public DeskPart {
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
