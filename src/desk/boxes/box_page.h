#pragma once

#include <QWidget>

#include "desk/boxes/box_desk.h"
#include "desk/parts/desk_part.h"

class QComboBox;
class QDoubleSpinBox;
class QHBoxLayout;
class QLabel;
class QLineEdit;
class QPushButton;
class QSlider;
class QVBoxLayout;

namespace lalometer {

/// Beside the boxes: the candidates, the chosen one's figures as sliders and numbers, and what it
/// means in words.
class BoxPage : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  explicit BoxPage(BoxDesk& desk, QWidget* parent = nullptr);
  void setTheme(const Theme& theme) override;

 private:
  void changeKind(int row);
  /// A figure by slider (logarithmic) and by number.
  struct Knob {
    QWidget* row;
    QSlider* slider;
    QDoubleSpinBox* number;
    double low;
    double high;
    double BoxCandidate::*figure;
  };
  void addKnob(const QString& name, const QString& unit, const QString& tip, double low,
               double high, int digits, double BoxCandidate::*figure);
  void show();
  void showCandidates();

  BoxDesk& desk_;
  Theme theme_ = Theme::light();
  QVBoxLayout* layout_;
  QHBoxLayout* tabs_;
  QLabel* basis_;
  QComboBox* kind_;
  std::vector<Knob> knobs_;
  QLineEdit* note_ = nullptr;
  QDoubleSpinBox* power_;
  QLabel* words_;
  QPushButton* variant_;
  QPushButton* drawing_;
  std::vector<QPushButton*> tab_buttons_;
  bool filling_ = false;
};

}  // namespace lalometer
