#pragma once

#include <QWidget>

#include "desk/parts/desk_part.h"
#include "desk/parts/theme.h"
#include "desk/session/book_session.h"

class QMenu;

namespace lalometer {

/// The thin strip along the top: the stations of the work, where one is, what is ready.
class RouteStrip : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  enum Station { kPlan, kCapture, kRead, kCase, kReport };
  static constexpr int kStationCount = 5;

  explicit RouteStrip(BookSession& session, QWidget* parent = nullptr);
  void setTheme(const Theme& theme) override;
  void setStation(Station station);
  [[nodiscard]] Station station() const { return station_; }
  void setBookMenu(QMenu* menu) { menu_ = menu; }
  [[nodiscard]] QRectF stationRect(Station station) const;

 signals:
  void stationChosen(int station);
  void finderAsked();

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  bool event(QEvent* event) override;

 private:
  [[nodiscard]] QRectF bookRect() const;
  [[nodiscard]] bool ready(Station station) const;
  BookSession& session_;
  Theme theme_ = Theme::light();
  Station station_ = kRead;
  QMenu* menu_ = nullptr;
};

}  // namespace lalometer
