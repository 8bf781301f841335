#pragma once

#include <QWidget>

#include "desk/drawing/drawing_desk.h"
#include "desk/parts/desk_part.h"

class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QPushButton;
class QVBoxLayout;

namespace lalometer {

/// Beside the drawing: its numbers to type, live figures, what is wrong.
class DrawingPage : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  explicit DrawingPage(DrawingDesk& desk, QWidget* parent = nullptr);
  void setTheme(const Theme& theme) override;

 signals:
  /// Look for the place of this driver with the least ripple.
  void bestPlaceAsked(const QString& driver);

 private:
  void wire();
  void show();
  QDoubleSpinBox* field(const QString& name, const QString& unit, double highest, int digits,
                        const QString& tip);
  void changePart(PartFigure figure, double value);

  DrawingDesk& desk_;
  QVBoxLayout* layout_;
  QComboBox* part_;
  QDoubleSpinBox* x_;
  QDoubleSpinBox* y_;
  QDoubleSpinBox* size_;
  QDoubleSpinBox* length_;
  QDoubleSpinBox* width_;
  QDoubleSpinBox* height_;
  QDoubleSpinBox* depth_;
  QComboBox* edge_kind_;
  QDoubleSpinBox* edge_;
  QDoubleSpinBox* volume_;
  QPushButton* best_;
  QPushButton* first_;
  QLabel* figures_;
  QColor quiet_ = Theme::light().quiet;
  QColor refuse_ = Theme::light().refuse;
  bool filling_ = false;
};

}  // namespace lalometer
