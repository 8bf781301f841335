#include "desk/frame/route_strip.h"

#include <QHelpEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

namespace lalometer {
namespace {

constexpr double kFirst_px = 250.0;
constexpr double kStep_px = 104.0;

QString station_name(int station) {
  switch (station) {
    case RouteStrip::kPlan:
      return RouteStrip::tr("Plan");
    case RouteStrip::kCapture:
      return RouteStrip::tr("Capture");
    case RouteStrip::kRead:
      return RouteStrip::tr("Read");
    case RouteStrip::kCase:
      return RouteStrip::tr("Case");
    default:
      return RouteStrip::tr("Report");
  }
}

QString station_tip(int station) {
  switch (station) {
    case RouteStrip::kPlan:
      return RouteStrip::tr("What this subject has, and what is missing.");
    case RouteStrip::kCapture:
      return RouteStrip::tr("Take sweeps.");
    case RouteStrip::kRead:
      return RouteStrip::tr("Read all data under one cursor.");
    case RouteStrip::kCase:
      return RouteStrip::tr("Notes and doubts about this subject.");
    default:
      return RouteStrip::tr("Pictures and open files.");
  }
}

}  // namespace

RouteStrip::RouteStrip(BookSession& session, QWidget* parent) : QWidget(parent), session_(session) {
  setObjectName(QStringLiteral("route"));
  setFixedHeight(44);
  setMouseTracking(true);
  connect(&session_, &BookSession::rowsChanged, this, qOverload<>(&QWidget::update));
  connect(&session_, &BookSession::laidChanged, this, qOverload<>(&QWidget::update));
}

void RouteStrip::setTheme(const Theme& theme) {
  theme_ = theme;
  update();
}

void RouteStrip::setStation(Station station) {
  station_ = station;
  update();
}

QRectF RouteStrip::bookRect() const {
  return {10, 6, 150, 32};
}

QRectF RouteStrip::stationRect(Station station) const {
  return {kFirst_px + static_cast<int>(station) * kStep_px - 14, 4, kStep_px - 8, 36};
}

bool RouteStrip::ready(Station station) const {
  switch (station) {
    case kPlan:
      return !session_.subjects().empty();
    case kCapture:
      return !session_.takes().empty();
    case kRead:
      return !session_.laid().empty();
    case kCase: {
      const Id subject = session_.chosenSubject();
      return subject != 0 && session_.isOpen();
    }
    case kReport:
      return !session_.laid().empty();
  }
  return false;
}

void RouteStrip::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  painter.fillRect(rect(), theme_.sheet);
  painter.fillRect(QRectF(0, height() - 1, width(), 1), theme_.line);
  painter.setFont(text_font(17, true));
  painter.setPen(theme_.accent);
  painter.drawText(bookRect().adjusted(6, 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter,
                   QStringLiteral("lalometer"));
  // A small downward mark says that the name opens the book's menu.
  painter.setPen(QPen(theme_.accent, 1.6));
  painter.drawPolyline(QPolygonF({{100, 20}, {104, 24.5}, {108, 20}}));
  for (int i = 0; i < kStationCount; ++i) {
    const double x = kFirst_px + i * kStep_px;
    const bool here = i == station_;
    const bool is_ready = ready(static_cast<Station>(i));
    if (i > 0) {
      painter.setPen(QPen(is_ready ? theme_.accent : theme_.line, 1.4));
      painter.drawLine(QPointF(x - 34, 22), QPointF(x - 8, 22));
    }
    painter.setPen(QPen(is_ready || here ? theme_.accent : theme_.line, 1.6));
    painter.setBrush(here ? theme_.accent : is_ready ? theme_.accent_soft : theme_.sheet);
    const double radius = here ? 6.5 : 4.5;
    painter.drawEllipse(QPointF(x, 22), radius, radius);
    painter.setFont(text_font(13, here));
    painter.setPen(here ? theme_.ink : theme_.quiet);
    painter.drawText(QRectF(x + 12, 4, 70, 36), Qt::AlignLeft | Qt::AlignVCenter, station_name(i));
  }
  const Subject* subject = session_.subject(session_.chosenSubject());
  if (subject == nullptr) return;
  painter.setFont(text_font(13, true));
  painter.setPen(theme_.ink);
  const QRectF place(kFirst_px + kStationCount * kStep_px, 4,
                     width() - kFirst_px - kStationCount * kStep_px - 14, 19);
  painter.drawText(
      place, Qt::AlignRight | Qt::AlignVCenter,
      painter.fontMetrics().elidedText(QString::fromStdString(subject->name), Qt::ElideLeft,
                                       static_cast<int>(place.width())));
  painter.setFont(text_font(11));
  painter.setPen(theme_.quiet);
  const QString state =
      session_.isOpen() && session_.book().read_only() ? tr("read-only") : tr("all kept");
  painter.drawText(
      place.translated(0, 17), Qt::AlignRight | Qt::AlignVCenter,
      QStringLiteral("%1 · %2 · %3")
          .arg(QString::fromStdString(session_.book().path().filename().string()),
               count_text(static_cast<qsizetype>(session_.takes().size()), tr("take"), tr("takes")),
               state));
}

void RouteStrip::mousePressEvent(QMouseEvent* event) {
  if (bookRect().contains(event->position()) && menu_ != nullptr) {
    menu_->popup(mapToGlobal(QPoint(10, height())));
    return;
  }
  for (int i = 0; i < kStationCount; ++i) {
    if (stationRect(static_cast<Station>(i)).contains(event->position())) emit stationChosen(i);
  }
}

bool RouteStrip::event(QEvent* event) {
  if (event->type() == QEvent::ToolTip) {
    const auto* help = static_cast<QHelpEvent*>(event);
    for (int i = 0; i < kStationCount; ++i) {
      if (stationRect(static_cast<Station>(i)).contains(help->pos()))
        QToolTip::showText(help->globalPos(),
                           station_tip(i) + QStringLiteral("  Alt+%1").arg(i + 1));
    }
    return true;
  }
  return QWidget::event(event);
}

}  // namespace lalometer
