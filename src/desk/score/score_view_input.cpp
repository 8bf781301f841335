#include <QMimeData>
#include <QMouseEvent>
#include <QToolTip>
#include <QUrl>
#include <cmath>

#include "base/text.h"
#include "desk/score/picture/mark_layout.h"
#include "desk/score/score_view.h"

/// The score under mouse and keys.
namespace lalometer {
namespace {

constexpr std::size_t kNoLane = static_cast<std::size_t>(-1);
constexpr double kSmallestLane_px = 64.0;

}  // namespace

std::size_t ScoreView::laneAt(QPointF at) const {
  for (std::size_t i = 0; i < lanes_.size(); ++i) {
    if (laneRect(i).contains(at)) return i;
  }
  return kNoLane;
}

ScoreView::Grip ScoreView::gripAt(QPointF at) const {
  Grip grip;
  grip.start = at;
  grip.range = state_.range();
  for (std::size_t i = 0; i + 1 < lanes_.size(); ++i) {
    const double edge = laneRect(i).bottom() + 0.5 * kLaneGap_px;
    if (std::abs(at.y() - edge) > 0.5 * kLaneGap_px + 1.0) continue;
    grip.kind = Grip::Kind::kLaneEdge;
    grip.lane = i;
    grip.weights[0] = lanes_[i].weight;
    grip.weights[1] = lanes_[i + 1].weight;
    return grip;
  }
  grip.lane = laneAt(at);
  if (grip.lane == kNoLane) {
    if (at.y() > height() - kFrequencyAxis_px) grip.kind = Grip::Kind::kCursor;
    return grip;
  }
  const Lane& lane = lanes_[grip.lane];
  const QRectF rect = laneRect(grip.lane);
  grip.values = lane.values;
  if (const auto* gate = lane.content.find<GateLayer>()) {
    const double x = geometryOf(grip.lane).across.px(gate->end_ms);
    if (std::abs(at.x() - x) <= 7.0) {
      grip.kind = Grip::Kind::kGate;
      return grip;
    }
  }
  if (const auto* join = lane.content.find<JoinLayer>()) {
    const double x = geometryOf(grip.lane).across.px(join->at_hz);
    if (std::abs(at.x() - x) <= 6.0) {
      grip.kind = Grip::Kind::kJoin;
      return grip;
    }
  }
  if (at.x() < plotLeft() || at.x() > plotRight()) return grip;
  if (at.y() < rect.top() + 20 && at.x() < plotLeft() + 90) {
    grip.kind = Grip::Kind::kLaneTitle;
    return grip;
  }
  grip.kind = lane.content.over_frequency() ? Grip::Kind::kCursor : Grip::Kind::kNone;
  return grip;
}

void ScoreView::mousePressEvent(QMouseEvent* event) {
  setFocus(Qt::MouseFocusReason);
  if (event->button() == Qt::LeftButton && addRect().contains(event->position())) {
    emit laneMenuAsked(mapToGlobal(addRect().topLeft().toPoint()), -1);
    return;
  }
  if (const std::size_t lane = laneAt(event->position());
      event->button() == Qt::LeftButton && lane != kNoLane &&
      hideRect(lane).contains(event->position())) {
    removeLane(lane);
    return;
  }
  grip_ = gripAt(event->position());
  if (grip_.lane != kNoLane && grip_.lane < lanes_.size() && grip_.kind != Grip::Kind::kLaneEdge)
    chooseLane(grip_.lane);
  const bool pan =
      event->button() == Qt::MiddleButton || event->modifiers().testFlag(Qt::ShiftModifier);
  if (event->button() == Qt::RightButton) {
    grip_.kind = Grip::Kind::kNone;
    return;
  }
  if (pan && grip_.lane != kNoLane) grip_.kind = Grip::Kind::kPan;
  if (grip_.kind == Grip::Kind::kCursor) {
    state_.setCursorHz(across().value(std::clamp(event->position().x(), plotLeft(), plotRight())));
    chooseCurveAt(event->position());
    moveTimeTo(event->position());
  }
}

void ScoreView::moveTimeTo(QPointF at) {
  const std::size_t lane = laneAt(at);
  if (lane == kNoLane || !showsTime(lane)) return;
  const double row = std::max(0.0, geometryOf(lane).up.value(at.y() - laneRect(lane).top()));
  if (lanes_[lane].content.left.unit == "periods")
    state_.setCursorPeriods(row);
  else
    state_.setCursorMs(row);
}

void ScoreView::chooseCurveAt(QPointF at) {
  const std::size_t index = laneAt(at);
  if (index == kNoLane) return;
  const QRectF rect = laneRect(index);
  const LaneGeometry g = geometryOf(index);
  const double x = g.across.value(at.x());
  double nearest = 8.0;
  Id take = 0;
  for (const Series& s : lanes_[index].content.curves()) {
    const auto above = std::upper_bound(s.x.begin(), s.x.end(), x);
    if (above == s.x.end() || above == s.x.begin()) continue;
    const auto i = static_cast<std::size_t>(above - s.x.begin());
    const double distance = std::abs(g.up.px(s.y[i]) + rect.top() - at.y());
    if (distance < nearest) {
      nearest = distance;
      take = s.take_id;
    }
  }
  if (take != 0) emit curveChosen(take);
}

void ScoreView::moveGrip(QPointF at, Qt::KeyboardModifiers modifiers) {
  switch (grip_.kind) {
    case Grip::Kind::kNone:
      break;
    case Grip::Kind::kCursor:
      state_.setCursorHz(across().value(std::clamp(at.x(), plotLeft(), plotRight())));
      moveTimeTo(at);
      break;
    case Grip::Kind::kPan: {
      const double octaves = std::log2(grip_.range.high_hz / grip_.range.low_hz) *
                             (grip_.start.x() - at.x()) / (plotRight() - plotLeft());
      state_.setRange(shifted(grip_.range, octaves));
      Lane& lane = lanes_[grip_.lane];
      if (!modifiers.testFlag(Qt::ControlModifier) && std::abs(at.y() - grip_.start.y()) > 6.0) {
        lane.fitted = false;
        lane.values =
            shifted(grip_.values, lane.content.left.scale,
                    (at.y() - grip_.start.y()) / std::max(laneRect(grip_.lane).height(), 1.0));
        invalidate();
      }
      break;
    }
    case Grip::Kind::kGate: {
      const double ms = std::clamp(geometryOf(grip_.lane).across.value(at.x()), 0.5, 500.0);
      emit gateDragged(ms / 1e3, false);
      break;
    }
    case Grip::Kind::kJoin:
      dragJoin(at.x(), false);
      break;
    case Grip::Kind::kLaneEdge: {
      const double both = grip_.weights[0] + grip_.weights[1];
      const double px = laneRect(grip_.lane).height() + laneRect(grip_.lane + 1).height();
      const double least = std::min(kSmallestLane_px / px, 0.5) * both;
      lanes_[grip_.lane].weight = std::clamp(
          grip_.weights[0] + (at.y() - grip_.start.y()) / px * both, least, both - least);
      lanes_[grip_.lane + 1].weight = both - lanes_[grip_.lane].weight;
      invalidate();
      break;
    }
    case Grip::Kind::kLaneTitle: {
      const std::size_t over = laneAt(at);
      drop_line_y_ = -1.0;
      if (over != kNoLane && over != grip_.lane) {
        drop_line_y_ = over < grip_.lane ? laneRect(over).top() - 0.5 * kLaneGap_px
                                         : laneRect(over).bottom() + 0.5 * kLaneGap_px;
      }
      update();
      break;
    }
  }
}

void ScoreView::dragJoin(double x, bool done) {
  const auto* join =
      grip_.lane < lanes_.size() ? lanes_[grip_.lane].content.find<JoinLayer>() : nullptr;
  if (join == nullptr) return;
  const double hz = geometryOf(grip_.lane).across.value(x);
  emit joinDragged(join->take_id, std::clamp(hz, join->low_hz * 1.001, join->high_hz / 1.001),
                   done);
}

void ScoreView::mouseMoveEvent(QMouseEvent* event) {
  if (event->buttons() != Qt::NoButton) {
    moveGrip(event->position(), event->modifiers());
    return;
  }
  if (const std::size_t lane = laneAt(event->position()); lane != hovered_) {
    for (const std::size_t i : {hovered_, lane}) {
      if (i < lanes_.size()) update(hideRect(i).toAlignedRect());
    }
    hovered_ = lane;
  }
  const LaneMark* mark = markAt(event->position());
  const bool same = mark == nullptr ? !thread_ : thread_ && thread_->name == mark->name;
  if (!same) {
    thread_ = mark == nullptr ? std::nullopt : std::optional(*mark);
    update();
  }
  switch (gripAt(event->position()).kind) {
    case Grip::Kind::kGate:
    case Grip::Kind::kJoin:
      setCursor(Qt::SizeHorCursor);
      break;
    case Grip::Kind::kLaneEdge:
      setCursor(Qt::SizeVerCursor);
      break;
    case Grip::Kind::kLaneTitle:
      setCursor(Qt::OpenHandCursor);
      break;
    default:
      unsetCursor();
      break;
  }
}

void ScoreView::mouseReleaseEvent(QMouseEvent* event) {
  const Grip grip = grip_;
  grip_ = Grip{};
  if (grip.kind == Grip::Kind::kGate) {
    const double ms =
        std::clamp(geometryOf(grip.lane).across.value(event->position().x()), 0.5, 500.0);
    emit gateDragged(ms / 1e3, true);
  } else if (grip.kind == Grip::Kind::kJoin) {
    grip_.lane = grip.lane;
    dragJoin(event->position().x(), true);
    grip_ = Grip{};
  } else if (grip.kind == Grip::Kind::kLaneTitle) {
    drop_line_y_ = -1.0;
    const std::size_t over = laneAt(event->position());
    if (over != kNoLane && over != grip.lane) moveLane(grip.lane, over);
    update();
  } else if (grip.kind == Grip::Kind::kLaneEdge || grip.kind == Grip::Kind::kPan) {
    arrangementChanged();
  }
}

void ScoreView::mouseDoubleClickEvent(QMouseEvent* event) {
  const std::size_t lane = laneAt(event->position());
  if (lane == kNoLane) return;
  lanes_[lane].fitted = true;
  fit();
}

void ScoreView::wheelEvent(QWheelEvent* event) {
  const double notches =
      (event->angleDelta().y() != 0 ? event->angleDelta().y() : event->angleDelta().x()) / 120.0;
  const double factor = std::pow(0.84, notches);
  const std::size_t index = laneAt(event->position());
  if (event->modifiers() == (Qt::ControlModifier | Qt::ShiftModifier)) {
    if (notches != 0.0) emit smoothingAsked(notches > 0.0 ? 1 : -1);
  } else if (event->modifiers().testFlag(Qt::ControlModifier) && index != kNoLane) {
    // Only this lane's scale, around the pointer.
    Lane& lane = lanes_[index];
    const double at = geometryOf(index).up.value(event->position().y() - laneRect(index).top());
    lane.fitted = false;
    lane.values = zoomed(lane.values, lane.content.left.scale, at, factor);
    invalidate();
    arrangementChanged();
  } else if (event->modifiers().testFlag(Qt::ShiftModifier)) {
    pan(-0.25 * notches);
  } else if (index == kNoLane || lanes_[index].content.over_frequency()) {
    zoomAt(across().value(std::clamp(event->position().x(), plotLeft(), plotRight())), factor);
  }
  event->accept();
}

void ScoreView::keyPressEvent(QKeyEvent* event) {
  const bool wide = event->modifiers().testFlag(Qt::ShiftModifier);
  switch (event->key()) {
    case Qt::Key_Left:
      state_.nudgeCursor(wide ? -8 : -1);
      return;
    case Qt::Key_Right:
      state_.nudgeCursor(wide ? 8 : 1);
      return;
    case Qt::Key_Up:
      if (chosen_ > 0) chooseLane(chosen_ - 1);
      return;
    case Qt::Key_Down:
      if (chosen_ + 1 < lanes_.size()) chooseLane(chosen_ + 1);
      return;
    default:
      QWidget::keyPressEvent(event);
  }
}

void ScoreView::contextMenuEvent(QContextMenuEvent* event) {
  const std::size_t lane = laneAt(event->pos());
  emit laneMenuAsked(event->globalPos(), lane == kNoLane ? -1 : static_cast<int>(lane));
}

void ScoreView::leaveEvent(QEvent*) {
  if (hovered_ < lanes_.size()) update(hideRect(hovered_).toAlignedRect());
  hovered_ = kNoLane;
  if (thread_) update();
  thread_.reset();
  unsetCursor();
}

void ScoreView::dragEnterEvent(QDragEnterEvent* event) {
  if (event->mimeData()->hasUrls() || event->mimeData()->hasFormat(QLatin1String(kTakeMime)))
    event->acceptProposedAction();
}

void ScoreView::dropEvent(QDropEvent* event) {
  if (event->mimeData()->hasFormat(QLatin1String(kTakeMime))) {
    emit takeDropped(event->mimeData()->data(QLatin1String(kTakeMime)).toLongLong());
  } else {
    QStringList paths;
    for (const QUrl& url : event->mimeData()->urls()) {
      if (url.isLocalFile()) paths.push_back(url.toLocalFile());
    }
    if (!paths.isEmpty()) emit filesDropped(paths);
  }
  event->acceptProposedAction();
}

}  // namespace lalometer
