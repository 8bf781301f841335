#include "desk/level/slice_view.h"

#include <QPainter>
#include <algorithm>
#include <cmath>

#include "workbench/reading/lane_content.h"

namespace lalometer {
namespace {

constexpr double kDeep_db = 45.0;
constexpr double kGrid_db = 15.0;
constexpr double kMargin_px = 30.0;
constexpr double kFoot_px = 16.0;
constexpr double kHead_px = 18.0;

}  // namespace

SliceView::SliceView(BookSession& session, ScoreState& state, QWidget* parent)
    : QWidget(parent), session_(session), state_(state) {
  setObjectName(QStringLiteral("slices"));
  setMinimumHeight(150);
  setToolTip(
      tr("What is left of each laid decay at the time cursor; faint: the whole response. Press on "
         "the decay's map, or move the slider."));
  connect(&session_, &BookSession::laidChanged, this, &SliceView::fetch);
  connect(&session_, &BookSession::resultsChanged, this, &SliceView::fetch);
  connect(&state_, &ScoreState::timeMoved, this, qOverload<>(&QWidget::update));
  connect(&state_, &ScoreState::cursorMoved, this, qOverload<>(&QWidget::update));
  fetch();
}

void SliceView::setTheme(const Theme& theme) {
  theme_ = theme;
  update();
}

void SliceView::fetch() {
  curves_.clear();
  const std::vector<LaidTake> laid = session_.laid();
  top_db_ = -1e9;
  last_ms_ = 0.0;
  low_hz_ = 1e9;
  high_hz_ = 0.0;
  for (const LaidTake& one : laid) {
    if (!one.time || !one.time->cumulative) continue;
    const DecayMap& map = one.time->cumulative->map;
    if (map.time.size() < 2) continue;
    curves_.push_back({QString::fromStdString(series_label(one, laid)), one.take.colour,
                       one.take.id == session_.chosenTake(), one.time, &map});
    for (const double v : map.level_db.front()) top_db_ = std::max(top_db_, v);
    last_ms_ = std::max(last_ms_, 1e3 * map.time.back());
    low_hz_ = std::min(low_hz_, map.axis.front());
    high_hz_ = std::max(high_hz_, map.axis.back());
  }
  // The chosen one over the others.
  std::stable_sort(curves_.begin(), curves_.end(),
                   [](const Curve& a, const Curve& b) { return !a.chosen && b.chosen; });
  top_db_ = std::ceil(top_db_ / 5.0) * 5.0;
  emit fetched();
  update();
}

QRectF SliceView::plot() const {
  return QRectF(rect()).adjusted(kMargin_px, kHead_px, -6.0, -kFoot_px);
}

namespace {

/// Level at a time between two slices; below what is resolved there is none.
double level_at(const DecayMap& map, double ms, std::size_t i) {
  const double t = ms / 1e3;
  if (t > map.time.back()) return std::nan("");
  const auto after = std::lower_bound(map.time.begin(), map.time.end(), t);
  const auto k = static_cast<std::size_t>(std::max<std::ptrdiff_t>(after - map.time.begin(), 1));
  if (map.axis[i] < map.resolved_from_hz[k]) return std::nan("");
  const double share =
      std::clamp((t - map.time[k - 1]) / (map.time[k] - map.time[k - 1]), 0.0, 1.0);
  return map.level_db[k - 1][i] + share * (map.level_db[k][i] - map.level_db[k - 1][i]);
}

}  // namespace

QStringList SliceView::texts() const {
  QStringList lines;
  for (const Curve& c : curves_) {
    const double f = std::clamp(state_.cursorHz(), c.map->axis.front(), c.map->axis.back());
    lines.push_back(
        QStringLiteral("%1: %2 dB")
            .arg(c.name)
            .arg(level_at(*c.map, state_.cursorMs(), c.map->axis.bracket(f)), 0, 'f', 1));
  }
  return lines;
}

void SliceView::drawCurve(QPainter& painter, const Curve& curve, double ms, const QColor& colour,
                          double width) const {
  const QRectF area = plot();
  painter.setPen(QPen(colour, width));
  QPolygonF line;
  for (std::size_t i = 0; i < curve.map->axis.size(); ++i) {
    const double level = level_at(*curve.map, ms, i);
    if (!std::isfinite(level)) {
      painter.drawPolyline(line);
      line.clear();
      continue;
    }
    const double x = area.left() + area.width() * std::log(curve.map->axis[i] / low_hz_) /
                                       std::log(high_hz_ / low_hz_);
    line.push_back({x, area.top() + area.height() * (top_db_ - level) / kDeep_db});
  }
  painter.drawPolyline(line);
}

void SliceView::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  const QRectF area = plot();
  painter.fillRect(area, theme_.sheet);
  painter.setFont(text_font(10));
  if (curves_.empty()) {
    painter.setPen(theme_.quiet);
    painter.drawText(area, Qt::AlignCenter | Qt::TextWordWrap, tr("No decay lies on the score."));
    return;
  }
  for (double down = 0.0; down <= kDeep_db; down += kGrid_db) {
    const double y = area.top() + area.height() * down / kDeep_db;
    painter.setPen(QPen(theme_.faint, 1.0));
    painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y));
    painter.setPen(theme_.quiet);
    painter.drawText(QRectF(0, y - 8, kMargin_px - 4, 16), Qt::AlignRight | Qt::AlignVCenter,
                     QString::number(top_db_ - down, 'f', 0).replace(u'-', QChar(0x2212)));
  }
  const auto x_of = [&](double f) {
    return area.left() + area.width() * std::log(f / low_hz_) / std::log(high_hz_ / low_hz_);
  };
  for (const double f : {20.0, 50.0, 100.0, 200.0, 500.0, 1e3, 2e3, 5e3, 1e4, 2e4}) {
    if (f < low_hz_ * 0.999 || f > high_hz_ * 1.001) continue;
    painter.setPen(QPen(theme_.faint, 1.0));
    painter.drawLine(QPointF(x_of(f), area.top()), QPointF(x_of(f), area.bottom()));
    painter.setPen(theme_.quiet);
    const QString text = f >= 1e3 ? QStringLiteral("%1k").arg(f / 1e3) : QString::number(f);
    painter.drawText(QRectF(x_of(f) - 20, area.bottom() + 1, 40, 14), Qt::AlignCenter, text);
  }
  painter.setPen(theme_.ink);
  painter.setFont(text_font(11, true));
  painter.drawText(
      QRectF(area.left(), 0, area.width(), kHead_px), Qt::AlignLeft | Qt::AlignVCenter,
      tr("%1 ms after the arrival, dB").arg(QString::number(state_.cursorMs(), 'f', 2)));
  painter.setClipRect(area);
  QColor faint = theme_.quiet;
  faint.setAlpha(110);
  drawCurve(painter, curves_.back(), 0.0, faint, 1.0);
  for (const Curve& curve : curves_)
    drawCurve(painter, curve, state_.cursorMs(), curve_style(curve.style, theme_.dark).colour,
              curve.chosen ? 2.0 : 1.3);
  const double f = state_.cursorHz();
  if (f >= low_hz_ && f <= high_hz_) {
    painter.setPen(QPen(theme_.accent, 1.0));
    painter.drawLine(QPointF(x_of(f), area.top()), QPointF(x_of(f), area.bottom()));
  }
}

}  // namespace lalometer
