#include <QElapsedTimer>
#include <QPainter>
#include <QPainterPath>
#include <QTimer>
#include <cmath>

#include "base/text.h"
#include "desk/score/picture/mark_layout.h"
#include "desk/score/score_view.h"

/// What the score paints itself: lanes' cached pictures, axis, cursor, thread, handles.
namespace lalometer {
namespace {

constexpr std::size_t kNoLane = static_cast<std::size_t>(-1);
constexpr qint64 kFrame_ms = 4;

}  // namespace

void ScoreView::updateCursorStrip() {
  const int x = static_cast<int>(std::lround(across().px(state_.cursorHz())));
  // The flag at the axis is wider than the line; everything else under it stays as it is.
  const int flag = 44;
  for (const int at : {last_cursor_x_, x}) {
    if (at < 0) continue;
    update(at - 2, 0, 5, height());
    update(at - flag, height() - static_cast<int>(kFrequencyAxis_px), 2 * flag,
           static_cast<int>(kFrequencyAxis_px));
  }
  last_cursor_x_ = x;
}

void ScoreView::drawCursor(QPainter& painter) {
  const double x = std::floor(across().px(state_.cursorHz())) + 0.5;
  last_cursor_x_ = static_cast<int>(x);
  if (x < plotLeft() - 1 || x > plotRight() + 1) return;
  painter.setRenderHint(QPainter::Antialiasing, false);
  painter.setPen(QPen(theme_.accent, 1));
  for (std::size_t i = 0; i < lanes_.size(); ++i) {
    if (!lanes_[i].content.over_frequency()) continue;
    const QRectF rect = laneRect(i);
    painter.drawLine(QPointF(x, rect.top() + kHeading_px), QPointF(x, rect.bottom()));
  }
  painter.setRenderHint(QPainter::Antialiasing, true);
  painter.setFont(text_font(12, true));
  const QString text = QString::fromStdString(frequency_text(state_.cursorHz()));
  const QRectF flag(x - 38, height() - kFrequencyAxis_px + 8, 76, 20);
  painter.setPen(Qt::NoPen);
  painter.setBrush(theme_.accent);
  QPainterPath path;
  path.addRoundedRect(flag, 3, 3);
  path.moveTo(x - 5, flag.top());
  path.lineTo(x, flag.top() - 5);
  path.lineTo(x + 5, flag.top());
  painter.drawPath(path);
  painter.setPen(theme_.sheet);
  painter.drawText(flag, Qt::AlignCenter, text);
}

/// A thread through all lanes, as wide as what is pointed at.
void ScoreView::drawHeld(QPainter& painter) {
  const FrequencyRange held = state_.held();
  if (!(held.low_hz > 0.0) || held.high_hz < held.low_hz) return;
  const double left = std::max(across().px(held.low_hz), plotLeft());
  const double right = std::min(std::max(across().px(held.high_hz), left + 3.0), plotRight());
  if (right <= left) return;
  QColor wash = theme_.accent;
  wash.setAlphaF(0.16F);
  painter.setRenderHint(QPainter::Antialiasing, false);
  for (std::size_t i = 0; i < lanes_.size(); ++i) {
    if (!lanes_[i].content.over_frequency()) continue;
    const QRectF rect = laneRect(i);
    painter.fillRect(QRectF(QPointF(left, rect.top() + kHeading_px), QPointF(right, rect.bottom())),
                     wash);
  }
}

bool ScoreView::showsTime(std::size_t lane) const {
  const LaneContent& content = lanes_[lane].content;
  return content.left.quantity == AxisQuantity::kTime && content.find<ValueMap>() != nullptr;
}

void ScoreView::drawTimeCursor(QPainter& painter) {
  painter.setRenderHint(QPainter::Antialiasing, false);
  for (std::size_t i = 0; i < lanes_.size(); ++i) {
    if (!showsTime(i)) continue;
    const LaneContent& content = lanes_[i].content;
    const double at = content.left.unit == "periods" ? state_.cursorPeriods() : state_.cursorMs();
    const QRectF rect = laneRect(i);
    const double y = std::floor(rect.top() + geometryOf(i).up.px(at)) + 0.5;
    if (at <= 0.0 || y < rect.top() + kHeading_px || y > rect.bottom()) continue;
    painter.setPen(QPen(theme_.accent, 1));
    painter.drawLine(QPointF(plotLeft(), y), QPointF(plotRight(), y));
  }
}

void ScoreView::drawAxis(QPainter& painter) {
  const AcrossMapping map = across();
  painter.setFont(text_font(11));
  painter.setPen(theme_.quiet);
  const double y = height() - kFrequencyAxis_px;
  for (const Tick& tick : frequency_ticks(map.low, map.high, map.right_px - map.left_px)) {
    if (tick.label.empty()) continue;
    painter.drawText(QRectF(map.px(tick.value) - 24, y + 8, 48, 20), Qt::AlignCenter,
                     QString::fromStdString(tick.label));
  }
  painter.drawText(QRectF(map.right_px + 14, y + 8, 16, 20), Qt::AlignVCenter | Qt::AlignLeft,
                   tr("Hz"));
}

QRectF ScoreView::addRect() const {
  if (!arrangeable_) return {};
  return {4.0, height() - kFrequencyAxis_px + 9.0, 18.0, 18.0};
}

QRectF ScoreView::hideRect(std::size_t lane) const {
  if (!arrangeable_) return {};
  return {width() - 20.0, laneRect(lane).top() + 2.0, 16.0, 16.0};
}

/// Marks that can be clicked: add a lane, and hide the one under the mouse.
void ScoreView::drawHandles(QPainter& painter) {
  if (!arrangeable_) return;
  painter.setRenderHint(QPainter::Antialiasing, true);
  painter.setFont(text_font(11));
  painter.setPen(theme_.accent);
  // A small plus beside the axis: where the next lane would stand.
  painter.setPen(QPen(theme_.accent, 1.6));
  painter.setBrush(Qt::NoBrush);
  painter.drawRoundedRect(addRect().adjusted(0.5, 0.5, -0.5, -0.5), 4, 4);
  const QPointF middle = addRect().center();
  painter.drawLine(middle - QPointF(4, 0), middle + QPointF(4, 0));
  painter.drawLine(middle - QPointF(0, 4), middle + QPointF(0, 4));
  if (hovered_ >= lanes_.size()) return;
  const QRectF box = hideRect(hovered_).adjusted(4, 4, -4, -4);
  painter.setPen(QPen(theme_.quiet, 1.4));
  painter.drawLine(box.topLeft(), box.bottomRight());
  painter.drawLine(box.topRight(), box.bottomLeft());
}

const LaneMark* ScoreView::markAt(QPointF at) const {
  const std::size_t lane = laneAt(at);
  if (lane == kNoLane) return nullptr;
  // What the curves themselves tell runs through the other lanes just so.
  if (const auto* flags = lanes_[lane].content.find<FlagLayer>();
      flags != nullptr && lanes_[lane].content.over_frequency()) {
    constexpr double kNear_px = 4.0;
    for (const LaneMark& flag : flags->flags)
      if (std::abs(geometryOf(lane).across.px(flag.centre_hz()) - at.x()) <= kNear_px) return &flag;
  }
  if (lanes_[lane].content.marks().empty()) return nullptr;
  const QPointF inside = at - QPointF(0.0, laneRect(lane).top());
  for (const PlacedMark& placed : placed_marks(lanes_[lane].content, geometryOf(lane))) {
    if (placed.bar.adjusted(-3, -3, 3, 3).contains(inside) || placed.name.contains(inside))
      return &lanes_[lane].content.marks()[placed.index];
  }
  return nullptr;
}

/// The hovered mark through every lane over frequency: what stands there in each of them?
void ScoreView::drawThread(QPainter& painter) {
  if (!thread_) return;
  const AcrossMapping map = across();
  const QColor colour = curve_style(thread_->style, theme_.dark).colour;
  const double low = std::clamp(map.px(thread_->low_hz), plotLeft(), plotRight());
  const double high = std::clamp(map.px(thread_->high_hz), plotLeft(), plotRight());
  for (std::size_t i = 0; i < lanes_.size(); ++i) {
    if (!lanes_[i].content.over_frequency()) continue;
    const QRectF rect = laneRect(i);
    if (high - low > 3.0) {
      QColor wash = colour;
      wash.setAlpha(38);
      painter.fillRect(QRectF(low, rect.top(), high - low, rect.height()), wash);
      continue;
    }
    painter.setPen(QPen(colour, 1.2, Qt::DashLine));
    const double x = 0.5 * (low + high);
    painter.drawLine(QPointF(x, rect.top() + kHeading_px), QPointF(x, rect.bottom()));
  }
}

void ScoreView::paintEvent(QPaintEvent* event) {
  QPainter painter(this);
  painter.fillRect(event->rect(), theme_.paper);
  if (lanes_.empty()) {
    painter.setPen(theme_.quiet);
    painter.drawText(rect(), Qt::AlignCenter,
                     tr("No lanes. Add one with the list of actions (Ctrl+Space)."));
    return;
  }
  pictures_.resize(lanes_.size());
  stale_.resize(lanes_.size(), false);
  QElapsedTimer spent;
  spent.start();
  for (std::size_t i = 0; i < lanes_.size(); ++i) {
    const QRectF rect = laneRect(i);
    if (!rect.intersects(event->rect())) continue;
    // Lanes whose contents changed may wait for the next round, so that mouse and keys get in
    // between.
    const bool late = spent.elapsed() > kFrame_ms;
    if (pictures_[i].isNull() || (stale_[i] && !late)) {
      advanced_ = true;
      refresh(i, PictureQuality::kCoarse);
    }
    if (stale_[i])
      painter.drawImage(rect, pictures_[i]);
    else
      painter.drawImage(rect.topLeft(), pictures_[i]);
    if (i == chosen_ && hasFocus())
      painter.fillRect(QRectF(0, rect.top(), 3, rect.height()), theme_.accent);
  }
  const auto waiting = std::find(stale_.begin(), stale_.end(), true);
  if (waiting != stale_.end()) {
    const auto next = static_cast<std::size_t>(waiting - stale_.begin());
    QTimer::singleShot(0, this, [this, next] {
      if (next < lanes_.size()) update(laneRect(next).toAlignedRect());
    });
  }
  drawAxis(painter);
  drawHandles(painter);
  drawThread(painter);
  drawHeld(painter);
  drawTimeCursor(painter);
  drawCursor(painter);
  if (drop_line_y_ >= 0.0)
    painter.fillRect(QRectF(plotLeft(), drop_line_y_ - 1.5, plotRight() - plotLeft(), 3),
                     theme_.accent);
}

QImage ScoreView::picture(QSize size, double device_ratio) {
  // A hidden twin draws at the wanted size, so that the view on screen is not disturbed.
  ScoreState state;
  state.setRange(state_.range());
  state.setCursorHz(1.0);
  ScoreView twin(work_, state);
  twin.theme_ = theme_;
  twin.curve_width_px_ = curve_width_px_;
  twin.resize(size);
  twin.lanes_ = lanes_;
  twin.pictures_.resize(lanes_.size());
  for (std::size_t i = 0; i < lanes_.size(); ++i) {
    LanePictureInput input = twin.pictureInput(i, PictureQuality::kFine);
    input.device_ratio = device_ratio;
    twin.pictures_[i] = lane_picture(input);
  }
  QImage image(size * device_ratio, QImage::Format_RGB32);
  image.setDevicePixelRatio(device_ratio);
  twin.render(&image);
  return image;
}

}  // namespace lalometer
