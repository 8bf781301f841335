#pragma once

#include <QWidget>

#include "desk/parts/desk_part.h"
#include "desk/queue/queue_controller.h"
#include "desk/queue/stand_view.h"

class QComboBox;
class QDoubleSpinBox;
class QCheckBox;
class QLabel;
class QLineEdit;
class QPushButton;
class QSpinBox;
class QTableWidget;
class QVBoxLayout;

namespace lalometer {

/// The takes of a purpose as a list to edit, over the stand they are taken on.
class PlanDesk : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  PlanDesk(BookSession& session, QueueController& queue, QWidget* parent = nullptr);
  void setTheme(const Theme& theme) override;

  [[nodiscard]] const Stand& stand() const { return stand_; }
  void setStand(const Stand& stand, bool keep);
  /// The loudspeaker's largest side, by its drawing; 0.4 m where it has none.
  [[nodiscard]] double largest_m() const { return largest_m_; }

 signals:
  void standChanged();
  void captureAsked();

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void makeTable(QVBoxLayout* column);
  void makeButtons(QVBoxLayout* column);
  void keepAsTemplate();
  void show();
  void fillTable();
  void readSubject();
  void change(int row, int column);
  void changeChosen(const std::function<bool(MeasuringPlan&, const std::vector<int>&)>& edit);
  [[nodiscard]] std::vector<int> chosenRows() const;
  void useTemplate(int index);

  BookSession& session_;
  QueueController& queue_;
  Stand stand_;
  double largest_m_ = 0.4;
  Id subject_ = 0;
  QLabel* title_;
  QLabel* sum_;
  QTableWidget* table_;
  QPushButton* start_;
  QPushButton* skip_;
  QPushButton* up_;
  QPushButton* down_;
  QPushButton* remove_;
  QPushButton* keep_;
  QComboBox* templates_;
  StandView* view_;
  QLabel* empty_;
  bool filling_ = false;
};

}  // namespace lalometer
