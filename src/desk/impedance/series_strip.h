#pragma once

#include <QWidget>

#include "desk/parts/theme.h"
#include "workbench/studies/impedance_studies.h"

namespace lalometer {

/// Small multiples: each member's impedance in a panel of its own, the reference grey behind it,
/// its loops as ticks. A click makes a member the one that is looked at; with Ctrl the reference.
class SeriesStrip : public QWidget {
  Q_OBJECT
 public:
  explicit SeriesStrip(QWidget* parent = nullptr);
  void setTheme(const Theme& theme);
  void setStudy(const SeriesStudy* study, std::size_t reference, std::size_t looked_at);
  [[nodiscard]] QRectF panel(std::size_t member) const;

 signals:
  void looked(int member);
  void referenceAsked(int member);

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;

 private:
  void paintPanel(QPainter& painter, std::size_t member) const;
  Theme theme_ = Theme::light();
  const SeriesStudy* study_ = nullptr;
  std::size_t reference_ = 0;
  std::size_t looked_at_ = 0;
};

}  // namespace lalometer
