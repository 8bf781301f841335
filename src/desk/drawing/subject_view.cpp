#include "desk/drawing/subject_view.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

namespace lalometer {
namespace {

constexpr double kMargin_px = 46.0;
constexpr double kGap_px = 54.0;
/// How near the hand must be to take an edge.
constexpr double kReach_px = 6.0;

}  // namespace

SubjectView::SubjectView(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("subjectView"));
  setMouseTracking(true);
  setFocusPolicy(Qt::StrongFocus);
  setMinimumSize(320, 260);
}

void SubjectView::setTheme(const Theme& theme) {
  theme_ = theme;
  update();
}

void SubjectView::setSubject(const DrawnSubject& subject) {
  const bool frozen = grip_.has_value() && subject_.has_baffle;
  subject_ = subject;
  if (chosen_ && *chosen_ >= subject_.parts.size()) chosen_.reset();
  // While an edge is dragged the scale stays, so that the hand stays on it.
  if (!frozen) {
    layOut();
  } else {
    const QPointF left_bottom(front_.left(), front_.bottom());
    const bool moves_left = grip_->kind == DrawingGrip::Kind::kLeft;
    const bool moves_top = grip_->kind == DrawingGrip::Kind::kTop;
    const double w = subject_.width_mm * scale_;
    const double h = subject_.height_mm * scale_;
    front_ = QRectF(moves_left ? front_.right() - w : left_bottom.x(),
                    moves_top ? left_bottom.y() - h : front_.top(), w, h);
    side_ = QRectF(side_.left(), front_.top(), subject_.depth_mm * scale_, h);
    const bool above = top_.bottom() < front_.top();
    const double d = subject_.depth_mm * scale_;
    top_ = above ? QRectF(front_.left(), top_.bottom() - d, w, d)
                 : QRectF(top_.left(), top_.top(), w, d);
  }
  update();
}

void SubjectView::setRipple(std::optional<RippleMap> map) {
  ripple_ = std::move(map);
  update();
}

void SubjectView::setChosen(std::optional<std::size_t> part) {
  chosen_ = part;
  update();
}

void SubjectView::resizeEvent(QResizeEvent*) {
  layOut();
}

void SubjectView::layOut() {
  if (!subject_.has_baffle) return;
  const double wide = subject_.width_mm;
  const double tall = subject_.height_mm;
  const double deep = subject_.depth_mm;
  const double room_x = width() - 2.0 * kMargin_px;
  const double room_y = height() - 2.0 * kMargin_px;
  // The top view stands above the front as in a workshop drawing, or beside it where that leaves
  // more room for all three.
  const double above =
      std::min((room_x - kGap_px) / (wide + deep), (room_y - kGap_px) / (tall + deep));
  const double beside =
      std::min((room_x - 2.0 * kGap_px) / (2.0 * wide + deep), room_y / std::max(tall, deep));
  const bool in_row = beside > above;
  scale_ = std::max(0.02, std::max(above, beside));
  const double w = wide * scale_;
  const double h = tall * scale_;
  const double d = deep * scale_;
  if (in_row) {
    const double left = kMargin_px + 0.5 * (room_x - 2.0 * kGap_px - 2.0 * w - d);
    const double top = kMargin_px + 0.5 * (room_y - std::max(h, d));
    front_ = QRectF(left, top, w, h);
    side_ = QRectF(left + w + kGap_px, top, d, h);
    top_ = QRectF(side_.right() + kGap_px, top, w, d);
    return;
  }
  const double left = kMargin_px + 0.5 * (room_x - kGap_px - w - d);
  const double top = kMargin_px + 0.5 * (room_y - kGap_px - h - d);
  top_ = QRectF(left, top, w, d);
  front_ = QRectF(left, top + d + kGap_px, w, h);
  side_ = QRectF(left + w + kGap_px, front_.top(), d, h);
}

QPointF SubjectView::frontPoint(double x_mm, double y_mm) const {
  return {front_.left() + (subject_.left_mm + x_mm) * scale_,
          front_.top() + (subject_.top_mm - y_mm) * scale_};
}

std::optional<DrawingGrip> SubjectView::gripAt(QPointF at) const {
  using Kind = DrawingGrip::Kind;
  if (!subject_.has_baffle) return std::nullopt;
  // The smallest part under the hand first: a dome in front of a large cone can still be taken.
  std::optional<std::size_t> best;
  for (std::size_t i = 0; i < subject_.parts.size(); ++i) {
    const DrawnPart& part = subject_.parts[i];
    if (part.panel != "front" && part.panel != "back") continue;
    const QPointF off = at - frontPoint(part.x_mm, part.y_mm);
    const double rx = std::max(part.radius_mm * scale_, 8.0);
    const double ry = part.height_mm > 0.0 ? std::max(0.5 * part.height_mm * scale_, 8.0) : rx;
    if (std::abs(off.x()) > rx || std::abs(off.y()) > ry) continue;
    if (part.height_mm <= 0.0 && std::hypot(off.x(), off.y()) > rx) continue;
    if (!best || part.radius_mm < subject_.parts[*best].radius_mm) best = i;
  }
  if (best) return DrawingGrip{Kind::kPart, *best};
  for (std::size_t i = 0; i < subject_.parts.size(); ++i) {
    const DrawnPart& part = subject_.parts[i];
    if (part.kind != DrawnPart::Kind::kPort || (part.panel != "front" && part.panel != "back"))
      continue;
    const double end = part.panel == "front" ? side_.left() + part.length_mm * scale_
                                             : side_.right() - part.length_mm * scale_;
    const double half = std::max(part.radius_mm * scale_, kReach_px);
    if (std::abs(at.x() - end) < kReach_px &&
        std::abs(at.y() - frontPoint(0.0, part.y_mm).y()) < half)
      return DrawingGrip{Kind::kPortEnd, i};
  }
  const bool beside = at.y() > front_.top() - kReach_px && at.y() < front_.bottom() + kReach_px;
  const bool above = at.x() > front_.left() - kReach_px && at.x() < front_.right() + kReach_px;
  if (beside && std::abs(at.x() - front_.left()) < kReach_px) return DrawingGrip{Kind::kLeft, 0};
  if (beside && std::abs(at.x() - front_.right()) < kReach_px) return DrawingGrip{Kind::kRight, 0};
  if (above && std::abs(at.y() - front_.top()) < kReach_px) return DrawingGrip{Kind::kTop, 0};
  if (above && std::abs(at.y() - front_.bottom()) < kReach_px) return DrawingGrip{Kind::kBottom, 0};
  if (beside && std::abs(at.x() - side_.right()) < kReach_px) return DrawingGrip{Kind::kBack, 0};
  return std::nullopt;
}

void SubjectView::mousePressEvent(QMouseEvent* event) {
  setFocus();
  if (event->button() != Qt::LeftButton) return;
  grip_ = gripAt(event->position());
  start_ = event->position();
  const bool part = grip_ && (grip_->kind == DrawingGrip::Kind::kPart ||
                              grip_->kind == DrawingGrip::Kind::kPortEnd);
  emit partChosen(part ? static_cast<int>(grip_->part) : -1);
}

void SubjectView::mouseMoveEvent(QMouseEvent* event) {
  if (grip_) {
    const QPointF way = (event->position() - start_) / scale_;
    emit gripMoved(*grip_, way.x(), -way.y(), false);
    return;
  }
  hovered_ = gripAt(event->position());
  using Kind = DrawingGrip::Kind;
  if (!hovered_) {
    unsetCursor();
  } else if (hovered_->kind == Kind::kPart) {
    setCursor(Qt::SizeAllCursor);
  } else {
    const bool across = hovered_->kind != Kind::kTop && hovered_->kind != Kind::kBottom;
    setCursor(across ? Qt::SizeHorCursor : Qt::SizeVerCursor);
  }
}

void SubjectView::mouseReleaseEvent(QMouseEvent* event) {
  if (!grip_ || event->button() != Qt::LeftButton) return;
  const DrawingGrip grip = *grip_;
  grip_.reset();
  const QPointF way = (event->position() - start_) / scale_;
  // A click that did not move is a choice, not an edit.
  if (std::hypot(way.x(), way.y()) * scale_ < 2.0) {
    emit gripCancelled();
  } else {
    emit gripMoved(grip, way.x(), -way.y(), true);
  }
  layOut();
  update();
}

bool SubjectView::event(QEvent* event) {
  // Escape lets go of what is held before it means anything to the window.
  if (event->type() == QEvent::ShortcutOverride && grip_ &&
      static_cast<QKeyEvent*>(event)->key() == Qt::Key_Escape) {
    event->accept();
    return true;
  }
  return QWidget::event(event);
}

void SubjectView::keyPressEvent(QKeyEvent* event) {
  if (event->key() == Qt::Key_Escape && grip_) {
    grip_.reset();
    emit gripCancelled();
    layOut();
    update();
    return;
  }
  const double step = event->modifiers().testFlag(Qt::ShiftModifier) ? 10.0 : 1.0;
  const double right = event->key() == Qt::Key_Right  ? step
                       : event->key() == Qt::Key_Left ? -step
                                                      : 0.0;
  const double up = event->key() == Qt::Key_Up ? step : event->key() == Qt::Key_Down ? -step : 0.0;
  if (chosen_ && (right != 0.0 || up != 0.0)) {
    emit partNudged(right, up);
    return;
  }
  QWidget::keyPressEvent(event);
}

}  // namespace lalometer
