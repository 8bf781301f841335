#pragma once

#include <QWidget>
#include <optional>

#include "desk/parts/theme.h"
#include "workbench/design/subject_drawing.h"

namespace lalometer {

/// The subject to scale: front, side and top, as a workshop draws it. It shows what it is given and
/// reports what the hand does; it changes nothing by itself.
class SubjectView : public QWidget {
  Q_OBJECT
 public:
  explicit SubjectView(QWidget* parent = nullptr);

  void setTheme(const Theme& theme);
  void setSubject(const DrawnSubject& subject);
  void setChosen(std::optional<std::size_t> part);
  [[nodiscard]] std::optional<std::size_t> chosen() const { return chosen_; }

  /// Ripple over the front, for one driver: shown under the parts until the subject changes.
  struct RippleMap {
    std::vector<double> x_mm;
    std::vector<double> y_mm;
    std::vector<double> ripple_db;  ///< row by row; NaN: not possible
  };
  void setRipple(std::optional<RippleMap> map);
  [[nodiscard]] bool showsRipple() const { return ripple_.has_value(); }

  /// Pixels of a place of the front, and back: for the hand and for the tests. x, y from the
  /// baffle's origin.
  [[nodiscard]] QPointF frontPoint(double x_mm, double y_mm) const;
  [[nodiscard]] double pxPerMm() const { return scale_; }
  [[nodiscard]] QRectF frontRect() const { return front_; }
  [[nodiscard]] QRectF sideRect() const { return side_; }

 signals:
  void partChosen(int part);  ///< -1: none
  /// A grip was moved by so much since it was taken, to the right and up; `done` when it is let go.
  void gripMoved(const DrawingGrip& grip, double right_mm, double up_mm, bool done);
  /// The chosen part is to go so far, exactly: a step by the keys.
  void partNudged(double right_mm, double up_mm);
  void gripCancelled();

 protected:
  void paintEvent(QPaintEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  bool event(QEvent* event) override;

 private:
  void layOut();
  [[nodiscard]] std::optional<DrawingGrip> gripAt(QPointF at) const;
  void paintFront(QPainter& painter);
  void paintRipple(QPainter& painter);
  void paintSide(QPainter& painter);
  void paintTop(QPainter& painter);
  void paintDistances(QPainter& painter);
  void paintNames(QPainter& painter);
  void paintProblems(QPainter& painter);
  [[nodiscard]] QColor colourOf(std::size_t part) const;

  Theme theme_ = Theme::light();
  DrawnSubject subject_;
  std::optional<std::size_t> chosen_;
  double scale_ = 1.0;
  QRectF front_;  ///< in pixels
  QRectF side_;
  QRectF top_;
  std::optional<RippleMap> ripple_;
  std::optional<DrawingGrip> grip_;
  std::optional<DrawingGrip> hovered_;
  QPointF start_;
};

}  // namespace lalometer
