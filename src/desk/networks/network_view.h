#pragma once

#include <QWidget>

#include "desk/parts/desk_part.h"
#include "workbench/networks/network_edits.h"

namespace lalometer {

/// The network as a drawing: a ladder from the amplifier to each driver. An element is chosen by a
/// click or the arrow keys, and its value changes by dragging up and down, by the wheel, or by Up
/// and Down.
class NetworkView : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  explicit NetworkView(QWidget* parent = nullptr);
  void setTheme(const Theme& theme) override;
  void setNetwork(const DesignedNetwork& network, const std::optional<NetworkPlace>& chosen);
  /// Where an element stands on the widget; nothing where it is not drawn.
  [[nodiscard]] QRectF placeOf(const NetworkPlace& place) const;
  [[nodiscard]] QSize sizeHint() const override { return {600, 220}; }

 signals:
  void chosen(const NetworkPlace& place);
  /// @param done  the hand has let go: keep it
  void valueAsked(const NetworkPlace& place, double value, bool done);
  void removeAsked(const NetworkPlace& place);

 protected:
  bool event(QEvent* event) override;
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void wheelEvent(QWheelEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;

 private:
  struct Drawn {
    NetworkPlace place;
    QRectF rect;
    bool upright = false;  ///< stands across: its leads are above and below
    bool off = false;
  };
  struct Wire {
    QPointF from, to;
  };
  void lay();
  /// Lays a part from a point on; returns how far it reaches along its direction.
  double layPart(const LadderPart& part, NetworkPlace place, QPointF at, bool upright, bool off);
  [[nodiscard]] static QSizeF sizeOf(const LadderPart& part, bool upright);
  void paintElement(QPainter& painter, const Drawn& one) const;
  [[nodiscard]] const Drawn* elementAt(QPointF at) const;
  void step(double factor, bool done);
  void chooseNext(int by);

  Theme theme_ = Theme::light();
  DesignedNetwork network_;
  std::optional<NetworkPlace> chosen_;
  std::vector<Drawn> drawn_;
  std::vector<Wire> wires_;
  std::vector<QPointF> dots_;
  std::vector<std::pair<QRectF, QString>> ends_;  ///< amplifier and drivers
  QPointF pressed_;
  double pressed_value_ = 0.0;
  bool dragging_ = false;
};

}  // namespace lalometer
