#include "desk/curve_preview.h"

#include <QPainter>
#include <cmath>

#include "desk/score/lane_picture.h"

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

void CurvePreview::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.fillRect(rect(), theme_.paper);
  if (!content_) return;
  constexpr double kAxis_px = 22.0;
  LanePictureInput input{*content_, {}, theme_, devicePixelRatioF(), 1.5, PictureQuality::kFine};
  input.geometry = lane_geometry(*content_, width(), height() - kAxis_px, {},
                                 {content_->fit_low, content_->fit_high});
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
