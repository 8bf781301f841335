#include "desk/angles/rose_view.h"

#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "base/constants.h"
#include "workbench/reading/lane_parts.h"

namespace lalometer {
namespace {

constexpr double kTop_db = 3.0;
constexpr double kDeep_db = -30.0;
constexpr double kRing_db = 6.0;
constexpr double kMargin_px = 20.0;

QString degrees_text(double d) {
  return QStringLiteral("%1°").arg(static_cast<int>(std::lround(std::abs(d))));
}

}  // namespace

RoseView::RoseView(BookSession& session, ScoreState& state, QWidget* parent)
    : QWidget(parent), session_(session), state_(state) {
  setObjectName(QStringLiteral("rose"));
  setMinimumSize(200, 206);
  QSizePolicy policy(QSizePolicy::Expanding, QSizePolicy::Preferred);
  policy.setHeightForWidth(true);
  setSizePolicy(policy);
  setToolTip(
      tr("Level over the angle at the cursor, in dB below the axis; straight ahead is up. Drag "
         "round it to turn the listening axis."));
  setCursor(Qt::OpenHandCursor);
  connect(&session_, &BookSession::laidChanged, this, &RoseView::fetch);
  connect(&session_, &BookSession::resultsChanged, this, &RoseView::fetch);
  connect(&state_, &ScoreState::cursorMoved, this, qOverload<>(&QWidget::update));
  fetch();
}

void RoseView::setTheme(const Theme& theme) {
  theme_ = theme;
  update();
}

void RoseView::fetch() {
  curves_.clear();
  const std::vector<LaidTake> laid = session_.laid();
  const auto sets = shown_sets(laid, session_.chosenTake());
  for (const LaidTake* one : sets) {
    const auto& reading = one->set->reading;
    for (const Plane plane : {Plane::kVertical, Plane::kHorizontal}) {
      const CircleReading& circle = reading->circle(plane);
      if (!circle.map) continue;
      const bool first = one == sets.front();
      // Of other sets the horizontal circle alone.
      if (!first && plane == Plane::kVertical) continue;
      curves_.push_back({first ? (plane == Plane::kHorizontal ? tr("horizontal") : tr("vertical"))
                               : QString::fromStdString(set_label(*one)),
                         first ? (plane == Plane::kHorizontal ? 0 : 1) : one->take.colour, !first,
                         reading, &circle});
    }
  }
  update();
}

double RoseView::radius() const {
  return std::max(20.0, 0.5 * std::min(width(), height() - 6) - kMargin_px);
}

QPointF RoseView::middle() const {
  return {0.5 * width(), kMargin_px + radius()};
}

QPointF RoseView::placeOf(double degrees, double level_db) const {
  const double share = (std::clamp(level_db, kDeep_db, kTop_db) - kDeep_db) / (kTop_db - kDeep_db);
  const double turn = degrees * kPi / 180.0;
  return middle() + radius() * share * QPointF(std::sin(turn), -std::cos(turn));
}

QStringList RoseView::texts() const {
  QStringList lines;
  for (const Curve& curve : curves_)
    lines.push_back(
        QStringLiteral("%1: %2").arg(curve.name).arg(curve.circle->map->degrees.size()));
  return lines;
}

void RoseView::drawRings(QPainter& painter) const {
  painter.setFont(text_font(10));
  for (double db = kDeep_db + kRing_db; db <= 0.0; db += kRing_db) {
    const double r = std::abs(placeOf(180.0, db).y() - middle().y());
    painter.setPen(QPen(db == 0.0 ? theme_.line : theme_.faint, 1.0));
    painter.setBrush(Qt::NoBrush);
    painter.drawEllipse(middle(), r, r);
  }
  for (int d = 0; d < 360; d += 30) {
    painter.setPen(QPen(d % 90 == 0 ? theme_.line : theme_.faint, 1.0));
    painter.drawLine(middle(), placeOf(d, kTop_db));
    const double shown = d > 180 ? d - 360.0 : d;
    const QString text = degrees_text(shown);
    const QPointF at = middle() + (radius() + 10.0) * QPointF(std::sin(d * kPi / 180.0),
                                                              -std::cos(d * kPi / 180.0));
    painter.setPen(theme_.quiet);
    painter.drawText(QRectF(at - QPointF(18, 8), QSizeF(36, 16)), Qt::AlignCenter, text);
  }
  painter.setPen(theme_.quiet);
  for (double db = kDeep_db + 2.0 * kRing_db; db <= 0.0; db += kRing_db)
    painter.drawText(QRectF(placeOf(0.0, db) + QPointF(2, -7), QSizeF(30, 14)),
                     Qt::AlignLeft | Qt::AlignVCenter,
                     QStringLiteral("%1").arg(static_cast<int>(db)).replace(u'-', QChar(0x2212)));
}

void RoseView::drawCurve(QPainter& painter, const Curve& curve) const {
  const AngleMap& map = *curve.circle->map;
  const FrequencyAxis& axis = curve.reading->material->orbit.axis();
  const double f = state_.cursorHz();
  if (f < axis.front() || f > axis.back()) return;
  const bool valid = curve.reading->material->orbit.valid().contains(f);
  const CurveStyle style = curve_style(curve.style, theme_.dark);
  QColor colour = style.colour;
  if (!valid) colour.setAlpha(90);
  QPen pen(colour, curve.thin ? 1.2 : 2.0);
  if (!style.dash_px.isEmpty() && curve.style != 0) {
    QList<qreal> pattern;
    for (const double d : style.dash_px) pattern.push_back(d / pen.widthF());
    pen.setDashPattern(pattern);
    pen.setCapStyle(Qt::FlatCap);
  }
  painter.setPen(pen);
  painter.setBrush(Qt::NoBrush);
  QPolygonF line;
  for (std::size_t r = 0; r < map.degrees.size(); ++r) {
    // A gap of the circle stays a gap.
    if (r > 0 && map.degrees[r] - map.degrees[r - 1] > 45.5) {
      painter.drawPolyline(line);
      line.clear();
    }
    line.push_back(placeOf(map.degrees[r], value_between(axis, map.level_db[r], f)));
  }
  const bool round =
      map.degrees.size() > 2 && map.degrees.front() + 360.0 - map.degrees.back() < 45.5;
  if (round && !line.isEmpty())
    line.push_back(placeOf(map.degrees.front(), value_between(axis, map.level_db.front(), f)));
  painter.drawPolyline(line);
}

void RoseView::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setPen(Qt::NoPen);
  painter.setBrush(theme_.sheet);
  painter.drawEllipse(middle(), radius(), radius());
  drawRings(painter);
  if (curves_.empty()) {
    painter.setFont(text_font(12));
    painter.setPen(theme_.quiet);
    painter.drawText(rect().adjusted(30, 0, -30, 0), Qt::AlignCenter | Qt::TextWordWrap,
                     tr("No set of angles lies on the score."));
    return;
  }
  for (const Curve& curve : curves_) drawCurve(painter, curve);
  const AngleView& view = session_.angles().kept().view;
  if (view.horizontal_axis_deg != 0.0) {
    // Where straight ahead was before it was turned.
    painter.setPen(QPen(theme_.accent, 1.4, Qt::DashLine));
    painter.drawLine(middle(), placeOf(-view.horizontal_axis_deg, kTop_db));
  }
}

double RoseView::degreesAt(QPointF at) const {
  const QPointF d = at - middle();
  return std::atan2(d.x(), -d.y()) * 180.0 / kPi;
}

void RoseView::mousePressEvent(QMouseEvent* event) {
  if (event->button() != Qt::LeftButton || curves_.empty()) return;
  dragging_ = true;
  grabbed_at_ = degreesAt(event->position());
  turned_at_start_ = session_.angles().kept().view.horizontal_axis_deg;
  setCursor(Qt::ClosedHandCursor);
}

void RoseView::mouseMoveEvent(QMouseEvent* event) {
  if (!dragging_) return;
  const double moved = wrapped_deg(degreesAt(event->position()) - grabbed_at_);
  // What is turned to the right comes ahead from the left.
  emit axisDragged(std::clamp(std::round(turned_at_start_ - moved), -90.0, 90.0), false);
}

void RoseView::mouseReleaseEvent(QMouseEvent* event) {
  if (!dragging_) return;
  dragging_ = false;
  setCursor(Qt::OpenHandCursor);
  const double moved = wrapped_deg(degreesAt(event->position()) - grabbed_at_);
  emit axisDragged(std::clamp(std::round(turned_at_start_ - moved), -90.0, 90.0), true);
}

}  // namespace lalometer
