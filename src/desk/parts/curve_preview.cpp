#include "desk/parts/curve_preview.h"

#include <QPainter>
#include <algorithm>
#include <cmath>

#include "desk/score/picture/lane_picture.h"

namespace lalometer {

CurvePreview::CurvePreview(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("curvePreview"));
  setMinimumHeight(180);
}

void CurvePreview::setTheme(const Theme& theme) {
  theme_ = theme;
  update();
}

void CurvePreview::setContent(std::optional<LaneContent> content) {
  content_ = std::move(content);
  update();
}

void CurvePreview::setCompact(double low_hz, double high_hz) {
  compact_ = FrequencyRange{low_hz, high_hz};
  update();
}

void CurvePreview::paintCompact(QPainter& p) const {
  const QRectF plot = QRectF(rect()).adjusted(34, 18, -2, -16);
  const double low = compact_->low_hz;
  const double high = compact_->high_hz;
  const auto x_of = [&](double f) {
    return plot.left() + plot.width() * std::log(f / low) / std::log(high / low);
  };
  const double span = content_->left.high - content_->left.low;
  const auto y_of = [&](double v) {
    return plot.bottom() - plot.height() * std::clamp((v - content_->left.low) / span, -0.05, 1.05);
  };
  p.fillRect(plot, theme_.sheet);
  p.setFont(text_font(11));
  for (double f = 1.0; f <= high; f *= 10.0) {
    if (f < low) continue;
    p.setPen(theme_.line);
    p.drawLine(QPointF(x_of(f), plot.top()), QPointF(x_of(f), plot.bottom()));
    p.setPen(theme_.quiet);
    const QString label = f < 1000.0 ? QString::number(f) : QStringLiteral("%1k").arg(f / 1000.0);
    // The last one would stand half outside.
    if (f * 3.0 > high)
      p.drawText(QRectF(x_of(f) - 60, plot.bottom() + 1, 60, 15), Qt::AlignRight, label);
    else
      p.drawText(QRectF(x_of(f) - 30, plot.bottom() + 1, 60, 15), Qt::AlignCenter, label);
  }
  for (const double share : {0.0, 0.5, 1.0}) {
    const double v = content_->left.low + share * span;
    p.setPen(theme_.faint);
    p.drawLine(QPointF(plot.left(), y_of(v)), QPointF(plot.right(), y_of(v)));
    p.setPen(theme_.quiet);
    p.drawText(QRectF(0, y_of(v) - 8, 30, 16), Qt::AlignRight | Qt::AlignVCenter,
               QString::number(v, 'g', 3));
  }
  p.setPen(theme_.quiet);
  p.drawText(QRectF(0, 0, width(), 16), Qt::AlignLeft | Qt::AlignVCenter,
             QString::fromStdString(
                 content_->title + (content_->subtitle.empty() ? "" : ": ") + content_->subtitle +
                 (content_->subtitle.empty() ? ", " + content_->left.unit : "")));
  p.setRenderHint(QPainter::Antialiasing);
  p.setClipRect(plot);
  for (const Series& s : content_->curves()) {
    const CurveStyle style = curve_style(s.style, theme_.dark);
    QPen pen(style.colour, 1.6);
    QList<qreal> dash;
    for (const double d : style.dash_px) dash.push_back(d / 1.6);
    if (!dash.isEmpty()) pen.setDashPattern(dash);
    p.setPen(pen);
    QPolygonF line;
    for (std::size_t i = 0; i < s.x.size(); ++i) {
      if (s.x[i] >= low && s.x[i] <= high && std::isfinite(s.y[i]))
        line.push_back({x_of(s.x[i]), y_of(s.y[i])});
    }
    p.drawPolyline(line);
  }
}

void CurvePreview::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.fillRect(rect(), theme_.paper);
  if (!content_) return;
  if (compact_) return paintCompact(painter);
  constexpr double kAxis_px = 22.0;
  LanePictureInput input{*content_, {}, theme_, devicePixelRatioF(), 1.5, PictureQuality::kFine};
  input.geometry = lane_geometry(*content_, width(), height() - kAxis_px, {},
                                 {content_->left.low, content_->left.high});
  painter.drawImage(QPointF(0, 0), lane_picture(input));
  painter.setFont(text_font(11));
  painter.setPen(theme_.quiet);
  const AcrossMapping& across = input.geometry.across;
  for (const Tick& tick :
       frequency_ticks(across.low, across.high, across.right_px - across.left_px)) {
    if (tick.label.empty()) continue;
    painter.drawText(QRectF(across.px(tick.value) - 24, height() - kAxis_px + 2, 48, 18),
                     Qt::AlignCenter, QString::fromStdString(tick.label));
  }
}

}  // namespace lalometer
