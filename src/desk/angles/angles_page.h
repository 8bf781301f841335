#pragma once

#include <QWidget>

#include "desk/angles/rose_view.h"
#include "desk/parts/desk_part.h"

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QPushButton;
class QVBoxLayout;

namespace lalometer {

/// What a set of angles tells: the rose at the cursor, how it is looked at, where to listen, and
/// what stands out; two laid sets held against each other.
class AnglesPage : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  AnglesPage(BookSession& session, ScoreState& state, QWidget* parent = nullptr);
  void setTheme(const Theme& theme) override { rose_->setTheme(theme); }
  void shown() override;
  [[nodiscard]] RoseView* rose() const { return rose_; }

 signals:
  void lanesAsked(bool spinorama);
  void equaliserAsked();

 protected:
  void showEvent(QShowEvent* event) override;
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  void makeLook(QVBoxLayout* layout, QWidget* inside);
  void makeAim(QVBoxLayout* layout, QWidget* inside);
  void wire();
  void turn(double horizontal_deg, double vertical_deg, bool done);
  void showFrequency();
  void showLook();
  void fill();
  void fillReading(const LaidTake& one);
  void fillComparison(const LaidTake& own, const LaidTake& other);
  void addCard(const std::string& text, const std::string& advice, double at_hz, bool doubt);
  void addFigure(const std::string& name, const std::string& value, const std::string& basis);

  BookSession& session_;
  ScoreState& state_;
  RoseView* rose_;
  QLabel* frequency_;
  QLabel* set_;
  QLabel* angles_;
  QComboBox* reference_;
  QDoubleSpinBox* reference_deg_;
  QDoubleSpinBox* fall_;
  QDoubleSpinBox* horizontal_;
  QDoubleSpinBox* vertical_;
  QPushButton* best_;
  QPushButton* ahead_;
  QLabel* aim_;
  QCheckBox* mirror_;
  QCheckBox* extend_;
  QVBoxLayout* figures_;
  QVBoxLayout* cards_;
  QString filled_;  ///< key of what stands there
  bool filling_ = false;
};

}  // namespace lalometer
