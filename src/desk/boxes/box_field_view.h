#pragma once

#include <QImage>
#include <QWidget>

#include "desk/parts/theme.h"
#include "workbench/design/box_candidates.h"

namespace lalometer {

/// A field of volume (across) and tuning (up), both logarithmic, with lines of equal F3. Each
/// vented candidate is a dot that a hand moves; sealed ones stand on the lower edge and move
/// across.
class BoxFieldView : public QWidget {
  Q_OBJECT
 public:
  explicit BoxFieldView(QWidget* parent = nullptr);
  void setTheme(const Theme& theme);
  void setField(BoxField2d field);
  void setCandidates(const std::vector<BoxCandidate>& candidates, std::size_t chosen);
  [[nodiscard]] QPointF pointOf(const BoxCandidate& candidate) const;

  static constexpr double kLowest_l = 1.0;
  static constexpr double kHighest_l = 200.0;
  static constexpr double kLowest_hz = 16.0;
  static constexpr double kHighest_hz = 120.0;

 signals:
  void chosenChanged(int candidate);
  void moved(double volume_l, double tuning_hz, bool done);

 protected:
  void paintEvent(QPaintEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;

 private:
  [[nodiscard]] QRectF plot() const;
  void paintLines(QPainter& painter);
  void report(QPointF at, bool done);

  Theme theme_ = Theme::light();
  BoxField2d field_;
  QImage lines_;  ///< drawn anew only with the field or the size
  std::vector<BoxCandidate> candidates_;
  std::size_t chosen_ = 0;
  bool held_ = false;
};

}  // namespace lalometer
