#pragma once

#include <QWidget>

#include "acoustics/placement/stand.h"
#include "desk/parts/theme.h"

namespace lalometer {

/// The stand to scale, from the side: floor, ceiling, walls behind, loudspeaker and microphone, the
/// direct way and the first reflection; beside it from above, where side walls are told.
/// Loudspeaker and microphone are moved by hand (arrow keys move what is chosen by 1 cm).
class StandView : public QWidget {
  Q_OBJECT
 public:
  explicit StandView(QWidget* parent = nullptr);
  void setTheme(const Theme& theme);
  /// @param box_height_m, box_depth_m, axis_above_foot_m  of the loudspeaker that is drawn.
  void setStand(const Stand& stand, double box_height_m, double box_depth_m,
                double axis_above_foot_m);
  [[nodiscard]] QPointF speakerPoint() const;
  [[nodiscard]] QPointF microphonePoint() const;

 signals:
  void moved(const Stand& stand, bool done);

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;

 private:
  enum Held { kNothing, kSpeaker, kMicrophone };
  [[nodiscard]] double sideWidth() const;  ///< what the view from the side has
  [[nodiscard]] double scale() const;      ///< pixels per metre, from the side
  void paintReflections(QPainter& painter, double left, double right) const;
  void paintFromAbove(QPainter& painter) const;
  [[nodiscard]] QPointF at(double along_m, double height_m) const;
  void drag(QPointF to, bool done);

  Theme theme_ = Theme::light();
  Stand stand_;
  double box_height_m_ = 0.38;
  double box_depth_m_ = 0.3;
  double axis_above_foot_m_ = 0.23;
  Held held_ = kNothing;
  Held chosen_ = kMicrophone;
};

}  // namespace lalometer
