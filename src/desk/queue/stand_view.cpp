#include "desk/queue/stand_view.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

#include "base/constants.h"

namespace lalometer {
namespace {

constexpr double kMargin = 34.0;
/// Drawn where a wall is not specified: room to move things.
constexpr double kOpen_m = 1.0;
constexpr double kOpenHeight_m = 2.4;

}  // namespace

StandView::StandView(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("standView"));
  setMinimumHeight(210);
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(true);
  setAccessibleName(tr("Stand, from the side and from above"));
}

void StandView::setTheme(const Theme& theme) {
  theme_ = theme;
  update();
}

void StandView::setStand(const Stand& stand, double box_height_m, double box_depth_m,
                         double axis_above_foot_m) {
  stand_ = stand;
  box_height_m_ = box_height_m;
  box_depth_m_ = box_depth_m;
  axis_above_foot_m_ = axis_above_foot_m;
  update();
}

double StandView::sideWidth() const {
  return stand_.left_m || stand_.right_m ? 0.64 * width() : width();
}

double StandView::scale() const {
  const double behind = stand_.behind_speaker_m.value_or(kOpen_m);
  const double wide = behind + stand_.distance_m + stand_.behind_microphone_m.value_or(kOpen_m);
  const double high = stand_.ceiling_m.value_or(
      std::max(kOpenHeight_m, std::max(stand_.speaker_height_m, stand_.microphone_height_m) + 0.6));
  return std::min((sideWidth() - 2.0 * kMargin) / wide, (height() - 2.0 * kMargin) / high);
}

QPointF StandView::at(double along_m, double height_m) const {
  const double s = scale();
  const double wide = stand_.behind_speaker_m.value_or(kOpen_m) + stand_.distance_m +
                      stand_.behind_microphone_m.value_or(kOpen_m);
  const double left =
      0.5 * (sideWidth() - wide * s) + stand_.behind_speaker_m.value_or(kOpen_m) * s;
  return {left + along_m * s, height() - kMargin - height_m * s};
}

QPointF StandView::speakerPoint() const {
  return at(0.0, stand_.ground_plane ? 0.0 : stand_.speaker_height_m);
}
QPointF StandView::microphonePoint() const {
  return at(stand_.distance_m, stand_.ground_plane ? 0.0 : stand_.microphone_height_m);
}

void StandView::paintReflections(QPainter& p, double left, double right) const {
  const QPointF speaker = speakerPoint();
  const QPointF microphone = microphonePoint();
  // Only the first of them limits; the others are faint.
  const auto found = reflections_of(stand_, kSpeedOfSound20_m_s);
  for (std::size_t i = found.size(); i-- > 0;) {
    const SurfaceReflection& r = found[i];
    QPointF bounce;
    const double along = r.along * stand_.distance_m;
    if (r.surface == "floor")
      bounce = at(along, 0.0);
    else if (r.surface == "ceiling")
      bounce = at(along, *stand_.ceiling_m);
    else if (r.surface == "wall behind the loudspeaker")
      bounce = QPointF(left, 0.5 * (speaker.y() + microphone.y()));
    else if (r.surface == "wall behind the microphone")
      bounce = QPointF(right, 0.5 * (speaker.y() + microphone.y()));
    else
      continue;
    QPen pen(i == 0 ? theme_.warn : theme_.line, i == 0 ? 1.6 : 1.0);
    pen.setDashPattern({6, 4});
    p.setPen(pen);
    p.drawPolyline(QPolygonF({speaker, bounce, microphone}));
    if (i > 0) continue;
    const QString text = tr("%1: %2 ms later")
                             .arg(QString::fromStdString(r.surface))
                             .arg(r.delay_s * 1e3, 0, 'f', 2);
    p.setPen(theme_.warn);
    const bool below = r.surface == "floor";
    p.drawText(QRectF(bounce.x() - 130, bounce.y() + (below ? 4 : -20), 260, 16), Qt::AlignCenter,
               text);
  }
}

void StandView::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.fillRect(rect(), theme_.sheet);
  p.setFont(text_font(11));
  const double floor_y = at(0.0, 0.0).y();
  const double left = at(-stand_.behind_speaker_m.value_or(kOpen_m), 0.0).x();
  const double right =
      at(stand_.distance_m + stand_.behind_microphone_m.value_or(kOpen_m), 0.0).x();
  const double top = at(0.0, stand_.ceiling_m.value_or(kOpenHeight_m)).y();
  p.setPen(QPen(theme_.ink, 1.5));
  p.drawLine(QPointF(left, floor_y), QPointF(right, floor_y));
  if (stand_.ceiling_m) p.drawLine(QPointF(left, top), QPointF(right, top));
  if (stand_.behind_speaker_m) p.drawLine(QPointF(left, floor_y), QPointF(left, top));
  if (stand_.behind_microphone_m) p.drawLine(QPointF(right, floor_y), QPointF(right, top));

  const std::string trouble = trouble_of(stand_);
  const QPointF speaker = speakerPoint();
  const QPointF microphone = microphonePoint();
  const double s = scale();
  if (trouble.empty()) {
    paintReflections(p, left, right);
    p.setPen(QPen(theme_.accent, 1.8));
    p.drawLine(speaker, microphone);
    const QPointF middle = 0.5 * (speaker + microphone);
    p.drawText(QRectF(middle.x() - 60, middle.y() - 19, 120, 16), Qt::AlignCenter,
               QStringLiteral("%1 m").arg(stand_.distance_m, 0, 'f', 2));
  }
  // Stands, then what stands on them.
  p.setPen(QPen(theme_.quiet, 2.0));
  const QRectF box(speaker.x() - box_depth_m_ * s,
                   speaker.y() - (box_height_m_ - axis_above_foot_m_) * s, box_depth_m_ * s,
                   box_height_m_ * s);
  if (!stand_.ground_plane) {
    p.drawLine(QPointF(box.center().x(), box.bottom()), QPointF(box.center().x(), floor_y));
    p.drawLine(microphone, QPointF(microphone.x(), floor_y));
  }
  p.setPen(QPen(chosen_ == kSpeaker && hasFocus() ? theme_.accent : theme_.ink, 1.4));
  p.setBrush(theme_.paper);
  p.drawRect(box);
  p.setPen(QPen(chosen_ == kMicrophone && hasFocus() ? theme_.accent : theme_.ink, 1.4));
  p.drawRoundedRect(QRectF(microphone.x(), microphone.y() - 3.0, 26.0, 6.0), 3.0, 3.0);
  p.setPen(theme_.quiet);
  const auto height_text = [](double h) { return QStringLiteral("%1 m").arg(h, 0, 'f', 2); };
  if (!stand_.ground_plane) {
    p.drawText(QRectF(box.left() - 54, floor_y - 40, 50, 16), Qt::AlignRight,
               height_text(stand_.speaker_height_m));
    p.drawText(QRectF(microphone.x() + 8, floor_y - 40, 60, 16), Qt::AlignLeft,
               height_text(stand_.microphone_height_m));
  }
  if (stand_.left_m || stand_.right_m) paintFromAbove(p);
  if (!trouble.empty()) {
    p.setPen(theme_.refuse);
    p.setFont(text_font(12, true));
    p.drawText(QRectF(kMargin, 6, width() - 2 * kMargin, 20), Qt::AlignLeft,
               QString::fromStdString(trouble));
  }
}

/// Left of the axis is up: the loudspeaker looks to the right, as in the view from the side.
void StandView::paintFromAbove(QPainter& p) const {
  const QRectF area(sideWidth() + 8.0, 24.0, width() - sideWidth() - 8.0 - kMargin,
                    height() - 24.0 - kMargin);
  const double behind = stand_.behind_speaker_m.value_or(0.5 * kOpen_m);
  const double beyond = stand_.behind_microphone_m.value_or(0.5 * kOpen_m);
  const double to_left = stand_.left_m.value_or(kOpen_m);
  const double to_right = stand_.right_m.value_or(kOpen_m);
  const double wide = behind + stand_.distance_m + beyond;
  const double s = std::min(area.width() / wide, area.height() / (to_left + to_right));
  const QPointF origin(area.center().x() + (behind - 0.5 * wide) * s,
                       area.center().y() + 0.5 * (to_left - to_right) * s);
  const auto place = [&](double along_m, double left_m) {
    return QPointF(origin.x() + along_m * s, origin.y() - left_m * s);
  };
  const QPointF near_left = place(-behind, to_left);
  const QPointF far_right = place(stand_.distance_m + beyond, -to_right);
  p.setPen(theme_.quiet);
  p.drawText(QRectF(area.left(), 4.0, area.width(), 16.0), Qt::AlignCenter, tr("from above"));
  p.setPen(QPen(theme_.ink, 1.5));
  if (stand_.left_m) p.drawLine(near_left, QPointF(far_right.x(), near_left.y()));
  if (stand_.right_m) p.drawLine(QPointF(near_left.x(), far_right.y()), far_right);
  if (stand_.behind_speaker_m) p.drawLine(near_left, QPointF(near_left.x(), far_right.y()));
  if (stand_.behind_microphone_m) p.drawLine(QPointF(far_right.x(), near_left.y()), far_right);
  const QPointF speaker = place(0.0, 0.0);
  const QPointF microphone = place(stand_.distance_m, 0.0);
  if (trouble_of(stand_).empty()) {
    const auto found = reflections_of(stand_, kSpeedOfSound20_m_s);
    for (std::size_t i = found.size(); i-- > 0;) {
      const bool left = found[i].surface == "left wall";
      if (!left && found[i].surface != "right wall") continue;
      QPen pen(i == 0 ? theme_.warn : theme_.line, i == 0 ? 1.6 : 1.0);
      pen.setDashPattern({6, 4});
      p.setPen(pen);
      const QPointF bounce = place(found[i].along * stand_.distance_m, left ? to_left : -to_right);
      p.drawPolyline(QPolygonF({speaker, bounce, microphone}));
      p.setPen(i == 0 ? theme_.warn : theme_.quiet);
      p.drawText(QRectF(bounce.x() - 60, bounce.y() + (left ? 3 : -18), 120, 16), Qt::AlignCenter,
                 tr("%1 ms later").arg(found[i].delay_s * 1e3, 0, 'f', 2));
    }
  }
  p.setPen(QPen(theme_.accent, 1.8));
  p.drawLine(speaker, microphone);
  p.setPen(QPen(theme_.ink, 1.4));
  p.setBrush(theme_.paper);
  p.drawRect(QRectF(speaker.x() - box_depth_m_ * s, speaker.y() - 0.5 * box_depth_m_ * s,
                    box_depth_m_ * s, box_depth_m_ * s));
  p.drawRoundedRect(QRectF(microphone.x(), microphone.y() - 2.5, 20.0, 5.0), 2.5, 2.5);
}

void StandView::mousePressEvent(QMouseEvent* event) {
  const QPointF to = event->position();
  const auto distance = [&](QPointF p) { return std::hypot(p.x() - to.x(), p.y() - to.y()); };
  const double reach = std::max(30.0, 0.7 * box_height_m_ * scale());
  held_ = distance(microphonePoint()) < 30.0 ? kMicrophone
          : distance(speakerPoint()) < reach ? kSpeaker
                                             : kNothing;
  if (held_ != kNothing) chosen_ = held_;
  setFocus();
  update();
}

void StandView::drag(QPointF to, bool done) {
  const double s = scale();
  const QPointF origin = at(0.0, 0.0);
  const auto centimetres = [](double m) { return std::round(m * 100.0) / 100.0; };
  const double height = centimetres(std::clamp((origin.y() - to.y()) / s, 0.05, 6.0));
  if (held_ == kMicrophone) {
    stand_.distance_m = centimetres(std::clamp((to.x() - origin.x()) / s, 0.05, 12.0));
    stand_.microphone_height_m = height;
  } else if (held_ == kSpeaker) {
    stand_.speaker_height_m = height;
  } else {
    return;
  }
  emit moved(stand_, done);
  update();
}

void StandView::mouseMoveEvent(QMouseEvent* event) {
  drag(event->position(), false);
}

void StandView::mouseReleaseEvent(QMouseEvent* event) {
  drag(event->position(), true);
  held_ = kNothing;
}

void StandView::keyPressEvent(QKeyEvent* event) {
  constexpr double kStep_m = 0.01;
  double& height = chosen_ == kSpeaker ? stand_.speaker_height_m : stand_.microphone_height_m;
  switch (event->key()) {
    case Qt::Key_Up:
      height += kStep_m;
      break;
    case Qt::Key_Down:
      height = std::max(0.05, height - kStep_m);
      break;
    case Qt::Key_Right:
      stand_.distance_m += kStep_m;
      break;
    case Qt::Key_Left:
      stand_.distance_m = std::max(0.05, stand_.distance_m - kStep_m);
      break;
    default:
      return QWidget::keyPressEvent(event);
  }
  emit moved(stand_, true);
  update();
}

}  // namespace lalometer
