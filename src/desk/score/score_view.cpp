#include "desk/score/score_view.h"

#include <QHelpEvent>
#include <QMimeData>
#include <QPainter>
#include <QPainterPath>
#include <QToolTip>
#include <QUrl>
#include <cmath>

#include "base/text.h"
#include "desk/score/picture/mark_layout.h"

namespace lalometer {
namespace {

constexpr double kTopMargin_px = 8.0;
constexpr int kSettle_ms = 30;
constexpr std::size_t kNoLane = static_cast<std::size_t>(-1);

/// Levels over frequency, whose proportion the standard is about.
bool in_proportion(const LaneContent& content) {
  return content.over_frequency() && content.left.quantity == AxisQuantity::kLevel &&
         content.left.scale == AxisScale::kDecibel && content.find<ValueMap>() == nullptr;
}

double decade_px(const LaneGeometry& g) {
  return (g.across.right_px - g.across.left_px) / std::log10(g.across.high / g.across.low);
}

}  // namespace

ScoreView::ScoreView(Work& work, ScoreState& state, QWidget* parent)
    : QWidget(parent), work_(work), state_(state) {
  setObjectName(QStringLiteral("score"));
  setAccessibleName(tr("Score"));
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(true);
  setAcceptDrops(true);
  setAttribute(Qt::WA_OpaquePaintEvent);
  setMinimumSize(420, 300);
  settle_.setSingleShot(true);
  settle_.setInterval(kSettle_ms);
  connect(&settle_, &QTimer::timeout, this, &ScoreView::startFine);
  connect(&state_, &ScoreState::rangeChanged, this, &ScoreView::invalidate);
  connect(&state_, &ScoreState::cursorMoved, this, &ScoreView::updateCursorStrip);
  connect(&state_, &ScoreState::heldChanged, this, qOverload<>(&QWidget::update));
  connect(&state_, &ScoreState::timeMoved, this, [this] {
    for (std::size_t i = 0; i < lanes_.size(); ++i)
      if (showsTime(i)) update(laneRect(i).toAlignedRect());
  });
}

void ScoreView::setTheme(const Theme& theme) {
  theme_ = theme;
  invalidate();
}

void ScoreView::setLanes(std::vector<Lane> lanes) {
  lanes_ = std::move(lanes);
  chosen_ = std::min(chosen_, lanes_.empty() ? 0 : lanes_.size() - 1);
  for (Lane& lane : lanes_) {
    if (lane.fitted) lane.values = {lane.content.left.low, lane.content.left.high};
  }
  invalidate();
}

void ScoreView::setContent(std::size_t index, LaneContent content) {
  Lane& lane = lanes_[index];
  // Most lanes do not change when one curve comes in, and drawing is what costs.
  if (lane.content == content) return;
  lane.content = std::move(content);
  if (lane.fitted) lane.values = {lane.content.left.low, lane.content.left.high};
  stale_.resize(lanes_.size(), false);
  stale_[index] = true;
  update(laneRect(index).toAlignedRect());
  settle_.start();
}

void ScoreView::setCurveWidth(double px) {
  curve_width_px_ = px;
  invalidate();
}

QRectF ScoreView::laneRect(std::size_t lane) const {
  double whole = 0.0;
  for (const Lane& l : lanes_) whole += l.weight;
  const double room = height() - kFrequencyAxis_px - kTopMargin_px -
                      kLaneGap_px * std::max(static_cast<double>(lanes_.size()) - 1.0, 0.0);
  double top = kTopMargin_px;
  for (std::size_t i = 0; i < lane; ++i)
    top += std::floor(room * lanes_[i].weight / whole) + kLaneGap_px;
  return {0.0, top, static_cast<double>(width()), std::floor(room * lanes_[lane].weight / whole)};
}

LaneGeometry ScoreView::geometryOf(std::size_t lane) const {
  const QRectF rect = laneRect(lane);
  const LaneContent& content = lanes_[lane].content;
  LaneGeometry g =
      lane_geometry(content, rect.width(), rect.height(), state_.range(), lanes_[lane].values);
  if (state_.decadeDb() > 0 && in_proportion(content)) {
    // About the middle of what it shows else.
    const double middle = 0.5 * (g.up.low + g.up.high);
    const double half = 0.5 * state_.decadeDb() * (g.up.bottom_px - g.up.top_px) / decade_px(g);
    g.up.low = middle - half;
    g.up.high = middle + half;
    if (content.right.quantity == AxisQuantity::kLevel) {
      g.right.low = g.up.low;
      g.right.high = g.up.high;
    }
  }
  return g;
}

void ScoreView::tellProportion() {
  for (std::size_t i = 0; i < lanes_.size(); ++i) {
    if (!in_proportion(lanes_[i].content) || lanes_[i].content.blank()) continue;
    const LaneGeometry g = geometryOf(i);
    state_.setShownDecadeDb((g.up.high - g.up.low) / std::max(g.up.bottom_px - g.up.top_px, 1.0) *
                            decade_px(g));
    return;
  }
  state_.setShownDecadeDb(0.0);
}

AcrossMapping ScoreView::across() const {
  return {state_.range().low_hz, state_.range().high_hz, plotLeft(), plotRight(), true};
}

LanePictureInput ScoreView::pictureInput(std::size_t lane, PictureQuality quality) const {
  return {lanes_[lane].content, geometryOf(lane), theme_,
          devicePixelRatioF(),  curve_width_px_,  quality};
}

void ScoreView::invalidate() {
  pictures_.assign(lanes_.size(), QImage());
  stale_.assign(lanes_.size(), false);
  last_cursor_x_ = -1;
  settle_.start();
  update();
}

void ScoreView::refresh(std::size_t lane, PictureQuality quality) {
  pictures_[lane] = lane_picture(pictureInput(lane, quality));
  if (lane < stale_.size()) stale_[lane] = false;
}

void ScoreView::startFine() {
  tellProportion();
  // Lanes have their turns one after the other as long as painting goes on; where nothing is
  // painted (a hidden page, a lane under another sheet) they are drawn here.
  const bool waiting = std::any_of(stale_.begin(), stale_.end(), [](bool stale) { return stale; });
  if (waiting && std::exchange(advanced_, false)) {
    settle_.start();
    update();
    return;
  }
  for (std::size_t i = 0; i < stale_.size() && i < pictures_.size(); ++i) {
    if (stale_[i]) refresh(i, PictureQuality::kCoarse);
  }
  const quint64 generation = ++generation_;
  for (std::size_t i = 0; i < lanes_.size(); ++i) {
    if (!coarse_differs(lanes_[i].content)) continue;
    ++pending_;
    work_.start<QImage>(
        this, {WorkKind::kResult, WorkScope::kProgram, {}},
        [input = pictureInput(i, PictureQuality::kFine)](const WorkContext&) -> Result<QImage> {
          return lane_picture(input);
        },
        [this, generation, i](const Result<QImage>& picture) {
          --pending_;
          if (!picture || generation != generation_ || settle_.isActive() || i >= pictures_.size())
            return;
          pictures_[i] = *picture;
          update(laneRect(i).toAlignedRect());
        });
  }
}

bool ScoreView::event(QEvent* event) {
  if (event->type() != QEvent::ToolTip) return QWidget::event(event);
  const auto* help = static_cast<QHelpEvent*>(event);
  const std::size_t lane = laneAt(help->pos());
  if (addRect().contains(help->pos()))
    QToolTip::showText(help->globalPos(), tr("Add or hide a lane"));
  else if (lane != kNoLane && hideRect(lane).contains(help->pos()))
    QToolTip::showText(help->globalPos(), tr("Hide this lane"));
  else if (const LaneMark* mark = markAt(help->pos()))
    QToolTip::showText(help->globalPos(),
                       tr("%1, %2: %3")
                           .arg(QString::fromStdString(mark->name),
                                QString::fromStdString(frequency_text(mark->centre_hz())),
                                QString::fromStdString(mark->sentence)));
  else if (const LaneKind* kind = lane == kNoLane ? nullptr : lane_kind(lanes_[lane].kind);
           kind != nullptr && help->pos().x() < plotLeft() + 90 &&
           help->pos().y() < laneRect(lane).top() + 20)
    QToolTip::showText(help->globalPos(),
                       QString::fromStdString(kind->explained) + tr(" Drag to move the lane."));
  else
    QToolTip::hideText();
  return true;
}

void ScoreView::resizeEvent(QResizeEvent*) {
  // The pictures there are, stretched, until each lane has its turn: all of them at once would hold
  // up a window that has just changed its pages.
  stale_.assign(lanes_.size(), true);
  last_cursor_x_ = -1;
  settle_.start();
  update();
}

void ScoreView::fit() {
  for (Lane& lane : lanes_) {
    lane.fitted = true;
    lane.values = {lane.content.left.low, lane.content.left.high};
  }
  state_.setRange(FrequencyRange{});
  invalidate();
  arrangementChanged();
}

void ScoreView::zoomAt(double hz, double factor) {
  state_.setRange(zoomed(state_.range(), hz, factor));
}

void ScoreView::pan(double octaves) {
  state_.setRange(shifted(state_.range(), octaves));
}

void ScoreView::chooseLane(std::size_t lane) {
  if (lane == chosen_ || lane >= lanes_.size()) return;
  chosen_ = lane;
  update();
}

void ScoreView::moveLane(std::size_t from, std::size_t to) {
  if (from >= lanes_.size() || to >= lanes_.size() || from == to) return;
  Lane moved = std::move(lanes_[from]);
  lanes_.erase(lanes_.begin() + static_cast<std::ptrdiff_t>(from));
  lanes_.insert(lanes_.begin() + static_cast<std::ptrdiff_t>(to), std::move(moved));
  chosen_ = to;
  invalidate();
  arrangementChanged();
}

void ScoreView::removeLane(std::size_t lane) {
  if (lane >= lanes_.size()) return;
  lanes_.erase(lanes_.begin() + static_cast<std::ptrdiff_t>(lane));
  chosen_ = std::min(chosen_, lanes_.empty() ? 0 : lanes_.size() - 1);
  invalidate();
  arrangementChanged();
}

void ScoreView::resizeLane(std::size_t lane, double weight) {
  if (lane >= lanes_.size()) return;
  lanes_[lane].weight = std::clamp(weight, 0.2, 8.0);
  invalidate();
  arrangementChanged();
}

void ScoreView::arrangementChanged() {
  emit lanesArranged();
}

}  // namespace lalometer
