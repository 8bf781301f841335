#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

#include "desk/drawing/subject_view.h"

/// How the subject's three views are drawn.
namespace lalometer {
namespace {

constexpr double kTitle_px = 20.0;
constexpr double kBoard_mm = 18.0;

QString mm_text(double mm) {
  return QString::number(mm, 'f', std::abs(mm - std::round(mm)) < 0.05 ? 0 : 1);
}

/// A line between two ends with small ticks, and its length on it, `label_at` of the way along.
void draw_distance(QPainter& p, const Theme& theme, QPointF a, QPointF b, const QString& text,
                   double label_at = 0.5) {
  p.setPen(QPen(theme.quiet, 1.0));
  p.drawLine(a, b);
  const QPointF along = b - a;
  const double length = std::hypot(along.x(), along.y());
  if (length < 1.0) return;
  const QPointF across(-along.y() / length * 4.0, along.x() / length * 4.0);
  for (const QPointF& end : {a, b}) p.drawLine(end - across, end + across);
  p.setFont(text_font(11));
  const QRectF box = p.fontMetrics().boundingRect(text).adjusted(-3, -1, 3, 1);
  QRectF label(0, 0, box.width(), box.height());
  label.moveCenter(a + label_at * along);
  p.fillRect(label, theme.sheet);
  p.setPen(theme.ink);
  p.drawText(label, Qt::AlignCenter, text);
}

}  // namespace

QColor SubjectView::colourOf(std::size_t part) const {
  if (!subject_.parts[part].problems.empty()) return theme_.refuse;
  return chosen_ == part ? theme_.accent : theme_.ink;
}

void SubjectView::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.fillRect(rect(), theme_.sheet);
  painter.setRenderHint(QPainter::Antialiasing);
  if (!subject_.has_baffle) {
    painter.setFont(text_font(13));
    painter.setPen(theme_.quiet);
    painter.drawText(rect().adjusted(60, 60, -60, -60), Qt::AlignCenter | Qt::TextWordWrap,
                     tr("This subject has no sizes yet. Draw a box for it with the button at the "
                        "right, or bring a measurement set that tells them."));
    return;
  }
  paintTop(painter);
  paintSide(painter);
  paintFront(painter);
  paintDistances(painter);
  paintNames(painter);
  paintProblems(painter);
  painter.setFont(text_font(12, true));
  painter.setPen(theme_.quiet);
  const auto title = [&](const QRectF& r, const QString& text) {
    painter.drawText(QRectF(r.left(), r.top() - kTitle_px, 200, kTitle_px - 4),
                     Qt::AlignLeft | Qt::AlignBottom, text);
  };
  title(front_, tr("Front"));
  title(side_, tr("Side, from the right"));
  title(top_, tr("Top"));
}

void SubjectView::paintFront(QPainter& p) {
  const double edge = subject_.edge_mm * scale_;
  QPainterPath outline;
  outline.addRect(front_);
  p.setPen(QPen(subject_.problems.empty() ? theme_.ink : theme_.refuse, 1.6));
  p.setBrush(theme_.paper);
  p.drawPath(outline);
  p.setBrush(Qt::NoBrush);
  paintRipple(p);
  if (edge > 0.0) {
    p.setPen(QPen(theme_.line, 1.0));
    p.drawRect(front_.adjusted(edge, edge, -edge, -edge));
  }
  // Centre lines through the origin, where the 0 degree axis meets the front.
  p.setPen(QPen(theme_.line, 1.0, Qt::DashDotLine));
  const QPointF origin = frontPoint(0.0, 0.0);
  p.drawLine(QPointF(origin.x(), front_.top()), QPointF(origin.x(), front_.bottom()));
  p.drawLine(QPointF(front_.left(), origin.y()), QPointF(front_.right(), origin.y()));
  for (std::size_t i = 0; i < subject_.parts.size(); ++i) {
    const DrawnPart& part = subject_.parts[i];
    if (part.panel != "front" && part.panel != "back") continue;
    const bool hidden = part.panel == "back";
    const QColor colour = colourOf(i);
    p.setPen(QPen(colour, chosen_ == i ? 2.2 : 1.4, hidden ? Qt::DashLine : Qt::SolidLine));
    QColor wash = colour;
    wash.setAlphaF(chosen_ == i ? 0.16F : 0.06F);
    p.setBrush(hidden ? QBrush(Qt::NoBrush) : QBrush(wash));
    const QPointF at = frontPoint(part.x_mm, part.y_mm);
    const double rx = std::max(part.radius_mm * scale_, 3.0);
    if (part.height_mm > 0.0) {
      const double ry = std::max(0.5 * part.height_mm * scale_, 1.5);
      p.drawRect(QRectF(at.x() - rx, at.y() - ry, 2.0 * rx, 2.0 * ry));
    } else {
      p.drawEllipse(at, rx, rx);
      if (part.kind != DrawnPart::Kind::kPort) p.drawEllipse(at, 0.28 * rx, 0.28 * rx);
    }
  }
}

void SubjectView::paintNames(QPainter& p) {
  p.setFont(text_font(11));
  p.setBrush(Qt::NoBrush);
  for (std::size_t i = 0; i < subject_.parts.size(); ++i) {
    const DrawnPart& part = subject_.parts[i];
    if (part.panel != "front" && part.panel != "back") continue;
    const bool hidden = part.panel == "back";
    const QString name = QString::fromStdString(part.id) + (hidden ? tr(" (behind)") : QString());
    const QPointF at = frontPoint(part.x_mm, part.y_mm);
    const double half = (part.height_mm > 0.0 ? 0.5 * part.height_mm : part.radius_mm) * scale_;
    const QSizeF size = p.fontMetrics().size(0, name);
    // Across its upper part where there is room, else beside it, on paper of its own.
    const bool inside = !hidden && size.width() + 10.0 < 1.6 * half;
    QRectF label(0, 0, size.width() + 6, size.height());
    if (inside)
      label.moveCenter(at - QPointF(0, 0.55 * half));
    else if (hidden)
      label.moveCenter(at + QPointF(0, half + 9));
    else
      label.moveTopLeft({at.x() + part.radius_mm * scale_ + 5, at.y() - 0.5 * size.height() - 9});
    if (!inside) p.fillRect(label, theme_.paper);
    p.setPen(hidden ? theme_.quiet : colourOf(i));
    p.drawText(label, Qt::AlignCenter, name);
  }
}

void SubjectView::paintSide(QPainter& p) {
  const bool open = subject_.loading == "open-baffle";
  p.setPen(QPen(theme_.ink, 1.6));
  p.setBrush(theme_.paper);
  // Seen from the right the front is at the left hand.
  if (open) {
    p.drawRect(QRectF(side_.left(), side_.top(), kBoard_mm * scale_, side_.height()));
    p.setBrush(Qt::NoBrush);
    if (subject_.right_wing_mm > 0.0)
      p.drawRect(
          QRectF(side_.left(), side_.top(), subject_.right_wing_mm * scale_, side_.height()));
  } else {
    p.drawRect(side_);
  }
  p.setBrush(Qt::NoBrush);
  if (!open && subject_.inner_depth_mm > 0.0 && subject_.inner_height_mm > 0.0) {
    p.setPen(QPen(theme_.line, 1.0, Qt::DashLine));
    QRectF inside(0, 0, subject_.inner_depth_mm * scale_, subject_.inner_height_mm * scale_);
    inside.moveCenter(side_.center());
    p.drawRect(inside);
  }
  for (std::size_t i = 0; i < subject_.parts.size(); ++i) {
    const DrawnPart& part = subject_.parts[i];
    if (part.panel != "front" && part.panel != "back") continue;
    const double y = frontPoint(part.x_mm, part.y_mm).y();
    const double half = (part.height_mm > 0.0 ? 0.5 * part.height_mm : part.radius_mm) * scale_;
    const bool front = part.panel == "front";
    const double face = front ? side_.left() : side_.right();
    const double inward = front ? 1.0 : -1.0;
    p.setPen(QPen(colourOf(i), chosen_ == i ? 2.2 : 1.2, Qt::DashLine));
    if (part.kind == DrawnPart::Kind::kPort) {
      const double end = face + inward * part.length_mm * scale_;
      p.drawRect(
          QRectF(QPointF(std::min(face, end), y - half), QPointF(std::max(face, end), y + half)));
    } else {
      // Its depth is not specified: a cone of the usual proportion stands for it.
      const double deep = 0.7 * half;
      const QPointF shape[] = {{face, y - half},
                               {face + inward * deep, y - 0.35 * half},
                               {face + inward * deep, y + 0.35 * half},
                               {face, y + half}};
      p.drawPolyline(shape, 4);
    }
  }
}

void SubjectView::paintTop(QPainter& p) {
  const bool open = subject_.loading == "open-baffle";
  p.setPen(QPen(theme_.ink, 1.6));
  p.setBrush(theme_.paper);
  // From above, the front is at the bottom.
  if (open) {
    const double board = kBoard_mm * scale_;
    p.drawRect(QRectF(top_.left(), top_.bottom() - board, top_.width(), board));
    for (const bool right : {false, true}) {
      const double wing = (right ? subject_.right_wing_mm : subject_.left_wing_mm) * scale_;
      if (wing > 0.0)
        p.drawRect(
            QRectF(right ? top_.right() - board : top_.left(), top_.bottom() - wing, board, wing));
    }
  } else if (subject_.edge_mm > 0.0) {
    const double e = subject_.edge_mm * scale_;
    QPainterPath path(top_.topLeft());
    path.lineTo(top_.topRight());
    path.lineTo(top_.right(), top_.bottom() - e);
    if (subject_.edge == EdgeShape::kRound)
      path.quadTo(top_.right(), top_.bottom(), top_.right() - e, top_.bottom());
    else
      path.lineTo(top_.right() - e, top_.bottom());
    path.lineTo(top_.left() + e, top_.bottom());
    if (subject_.edge == EdgeShape::kRound)
      path.quadTo(top_.left(), top_.bottom(), top_.left(), top_.bottom() - e);
    else
      path.lineTo(top_.left(), top_.bottom() - e);
    path.closeSubpath();
    p.drawPath(path);
  } else {
    p.drawRect(top_);
  }
  p.setBrush(Qt::NoBrush);
  if (!open && subject_.inner_depth_mm > 0.0 && subject_.inner_width_mm > 0.0) {
    p.setPen(QPen(theme_.line, 1.0, Qt::DashLine));
    QRectF inside(0, 0, subject_.inner_width_mm * scale_, subject_.inner_depth_mm * scale_);
    inside.moveCenter(top_.center());
    p.drawRect(inside);
  }
  for (std::size_t i = 0; i < subject_.parts.size(); ++i) {
    const DrawnPart& part = subject_.parts[i];
    if (part.panel != "front" && part.panel != "back") continue;
    const double x = top_.left() + (subject_.left_mm + part.x_mm) * scale_;
    const double half = part.radius_mm * scale_;
    const double face = part.panel == "front" ? top_.bottom() : top_.top();
    p.setPen(QPen(colourOf(i), chosen_ == i ? 3.0 : 2.0));
    p.drawLine(QPointF(x - half, face), QPointF(x + half, face));
  }
}

void SubjectView::paintDistances(QPainter& p) {
  draw_distance(p, theme_, front_.bottomLeft() + QPointF(0, 22),
                front_.bottomRight() + QPointF(0, 22), mm_text(subject_.width_mm));
  draw_distance(p, theme_, side_.topRight() + QPointF(22, 0), side_.bottomRight() + QPointF(22, 0),
                mm_text(subject_.height_mm));
  draw_distance(p, theme_, side_.bottomLeft() + QPointF(0, 22),
                side_.bottomRight() + QPointF(0, 22), mm_text(subject_.depth_mm));
  if (!chosen_) return;
  const DrawnPart& part = subject_.parts[*chosen_];
  if (part.panel != "front" && part.panel != "back") return;
  // From the chosen part to the four edges: what the edge model works with.
  const QPointF at = frontPoint(part.x_mm, part.y_mm);
  const double x = subject_.left_mm + part.x_mm;
  const double down = subject_.top_mm - part.y_mm;
  const auto [half_x, half_y] =
      std::pair{part.radius_mm, part.height_mm > 0.0 ? 0.5 * part.height_mm : part.radius_mm};
  const auto edge = [&](QPointF end, double mm) {
    const double half = end.x() == at.x() ? half_y : half_x;
    if (mm <= 0.0) return;
    // Near the box's edge, where no other part is, but not on the part itself.
    const double near_edge = 1.0 - 20.0 / std::max(mm * scale_, 40.0);
    const double between = mm > half ? 0.5 * (mm + half) / mm : 0.5;
    draw_distance(p, theme_, at, end, mm_text(mm), std::max(near_edge, between));
  };
  edge({front_.left(), at.y()}, x);
  edge({front_.right(), at.y()}, subject_.width_mm - x);
  edge({at.x(), front_.top()}, down);
  edge({at.x(), front_.bottom()}, subject_.height_mm - down);
}

void SubjectView::paintProblems(QPainter& p) {
  p.setFont(text_font(12, true));
  double y = 6.0;
  const auto say = [&](const QString& text) {
    const QRectF box(10, y, width() - 20, 18);
    p.fillRect(box.adjusted(-4, 0, 4, 1), theme_.sheet);
    p.setPen(theme_.refuse);
    p.drawText(box, Qt::AlignLeft | Qt::AlignVCenter, text);
    y += 18.0;
  };
  for (const std::string& problem : subject_.problems) say(QString::fromStdString(problem));
  for (const DrawnPart& part : subject_.parts) {
    for (const std::string& problem : part.problems)
      say(QStringLiteral("%1: %2").arg(QString::fromStdString(part.id),
                                       QString::fromStdString(problem)));
  }
}

/// One hue, deeper where the ripple is less, and the range in numbers: no rainbow. Cells are as
/// large as the steps that were tried.
void SubjectView::paintRipple(QPainter& p) {
  if (!ripple_ || ripple_->x_mm.size() < 2 || ripple_->y_mm.size() < 2) return;
  const RippleMap& m = *ripple_;
  double low = 1e300;
  double high = 0.0;
  for (const double r : m.ripple_db) {
    if (!std::isfinite(r)) continue;
    low = std::min(low, r);
    high = std::max(high, r);
  }
  if (!(high > low)) return;
  const double dx = (m.x_mm[1] - m.x_mm[0]) * scale_;
  const double dy = (m.y_mm[1] - m.y_mm[0]) * scale_;
  p.setPen(Qt::NoPen);
  for (std::size_t i = 0; i < m.ripple_db.size(); ++i) {
    if (!std::isfinite(m.ripple_db[i])) continue;
    QColor wash = theme_.accent;
    wash.setAlphaF(static_cast<float>(0.55 * (high - m.ripple_db[i]) / (high - low)));
    const QPointF at = frontPoint(m.x_mm[i % m.x_mm.size()], m.y_mm[i / m.x_mm.size()]);
    p.fillRect(QRectF(at.x() - 0.5 * dx, at.y() - 0.5 * dy, dx, dy), wash);
  }
  p.setFont(text_font(11));
  p.setPen(theme_.quiet);
  p.drawText(
      QRectF(front_.left(), front_.bottom() + 34, 340, 16), Qt::AlignLeft | Qt::AlignTop,
      tr("ripple by place: deep %1 dB, pale %2 dB").arg(low, 0, 'f', 2).arg(high, 0, 'f', 2));
}

}  // namespace lalometer
