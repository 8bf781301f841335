#pragma once

#include <QWidget>

#include "desk/parts/theme.h"
#include "desk/score/score_state.h"
#include "desk/session/book_session.h"
#include "workbench/spin/angle_set.h"

namespace lalometer {

/// Levels over the angle at the cursor's frequency: straight ahead is up, the horizontal circle as
/// seen from above, the vertical one with up at the right. It follows the cursor; dragging round it
/// turns the listening axis.
class RoseView : public QWidget {
  Q_OBJECT
 public:
  RoseView(BookSession& session, ScoreState& state, QWidget* parent = nullptr);
  void setTheme(const Theme& theme);
  [[nodiscard]] QSize sizeHint() const override { return {260, 270}; }
  [[nodiscard]] bool hasHeightForWidth() const override { return true; }
  [[nodiscard]] int heightForWidth(int width) const override { return width + 6; }
  /// Where an angle and a level re the axis are drawn, for tests.
  [[nodiscard]] QPointF placeOf(double degrees, double level_db) const;
  /// One line a curve: its name and how many rays it joins, for tests and screen readers.
  [[nodiscard]] QStringList texts() const;

 signals:
  /// The listening axis is dragged to so many degrees; `done` where the hand lets go.
  void axisDragged(double degrees, bool done);

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;

 private:
  struct Curve {
    QString name;
    int style;
    bool thin;
    std::shared_ptr<const AngleReading> reading;  ///< keeps the map alive
    const CircleReading* circle;
  };
  void fetch();
  [[nodiscard]] double radius() const;
  [[nodiscard]] QPointF middle() const;
  [[nodiscard]] double degreesAt(QPointF at) const;
  void drawRings(QPainter& painter) const;
  void drawCurve(QPainter& painter, const Curve& curve) const;

  BookSession& session_;
  ScoreState& state_;
  Theme theme_ = Theme::light();
  std::vector<Curve> curves_;
  bool dragging_ = false;
  double turned_at_start_ = 0.0;  ///< the axis when the hand took hold
  double grabbed_at_ = 0.0;
};

}  // namespace lalometer
