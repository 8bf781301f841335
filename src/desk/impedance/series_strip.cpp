#include "desk/impedance/series_strip.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>

namespace lalometer {
namespace {

constexpr double kGap_px = 8.0;
constexpr double kHead_px = 18.0;
constexpr double kFoot_px = 14.0;
/// What a driver in a box shows of itself.
constexpr double kLow_hz = 10.0;
constexpr double kHigh_hz = 2000.0;

}  // namespace

SeriesStrip::SeriesStrip(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("seriesStrip"));
  setMinimumHeight(150);
  setFocusPolicy(Qt::StrongFocus);
  setAccessibleName(tr("Impedance of each, small"));
}

void SeriesStrip::setTheme(const Theme& theme) {
  theme_ = theme;
  update();
}

void SeriesStrip::setStudy(const SeriesStudy* study, std::size_t reference, std::size_t looked_at) {
  study_ = study;
  reference_ = reference;
  looked_at_ = looked_at;
  update();
}

QRectF SeriesStrip::panel(std::size_t member) const {
  const std::size_t n = study_ == nullptr ? 0 : study_->impedances.size();
  if (n == 0) return {};
  // As many rows as keep the panels wider than high.
  std::size_t rows = 1;
  while (rows < 4 && (width() / std::ceil(static_cast<double>(n) / static_cast<double>(rows))) <
                         1.1 * height() / static_cast<double>(rows))
    ++rows;
  const std::size_t columns = (n + rows - 1) / rows;
  const double w =
      (width() - kGap_px * static_cast<double>(columns - 1)) / static_cast<double>(columns);
  const double h = (height() - kGap_px * static_cast<double>(rows - 1)) / static_cast<double>(rows);
  const double wide = std::min(w, 2.4 * h);
  return {static_cast<double>(member % columns) * (wide + kGap_px),
          static_cast<double>(member / columns) * (h + kGap_px), wide, h};
}

void SeriesStrip::paintPanel(QPainter& p, std::size_t member) const {
  const QRectF rect = panel(member);
  const bool looked = member == looked_at_;
  p.setPen(QPen(looked ? theme_.accent : theme_.line, looked ? 1.8 : 1.0));
  p.setBrush(theme_.sheet);
  p.drawRect(rect.adjusted(0.5, 0.5, -0.5, -0.5));
  const MemberFigures& figures = study_->comparison.members[member];
  p.setFont(text_font(12, looked));
  p.setPen(theme_.ink);
  const QString title = QString::fromStdString(figures.name) +
                        (member == reference_ ? tr(" (reference)") : QString());
  p.drawText(
      rect.adjusted(7, 2, -7, 0), Qt::AlignLeft | Qt::AlignTop,
      p.fontMetrics().elidedText(title, Qt::ElideRight, static_cast<int>(rect.width()) - 14));
  const QRectF plot = rect.adjusted(6, kHead_px + 2, -6, -kFoot_px);
  const double top = study_->overlay.left.high;
  const auto x_of = [&](double f) {
    return plot.left() + plot.width() * std::log(f / kLow_hz) / std::log(kHigh_hz / kLow_hz);
  };
  p.setFont(text_font(10));
  for (const double f : {10.0, 100.0, 1000.0}) {
    p.setPen(theme_.faint);
    p.drawLine(QPointF(x_of(f), plot.top()), QPointF(x_of(f), plot.bottom()));
    p.setPen(theme_.quiet);
    p.drawText(QRectF(x_of(f) - 2, plot.bottom(), 40, kFoot_px), Qt::AlignLeft | Qt::AlignVCenter,
               f < 1000 ? QString::number(f) : QStringLiteral("1k"));
  }
  const auto line = [&](const Response& z, const QColor& colour, double width_px) {
    QPolygonF points;
    for (std::size_t i = 0; i < z.size(); ++i) {
      const double f = z.axis()[i];
      if (f < kLow_hz || f > kHigh_hz) continue;
      points.push_back(
          {x_of(f), plot.bottom() - plot.height() * std::min(1.0, z.magnitude(i) / top)});
    }
    p.setPen(QPen(colour, width_px));
    p.drawPolyline(points);
  };
  p.save();
  p.setRenderHint(QPainter::Antialiasing);
  if (const auto& behind = study_->impedances[reference_]; behind && member != reference_)
    line(*behind, theme_.line, 2.6);
  if (const auto& own = study_->impedances[member])
    line(*own, curve_style(static_cast<int>(member), theme_.dark).colour, 1.7);
  else
    p.drawText(plot, Qt::AlignCenter, tr("no impedance"));
  p.setPen(QPen(theme_.warn, 1.4));
  for (const Wiggle& w : figures.wiggles) {
    const double x = x_of(std::clamp(w.frequency_hz.value, kLow_hz, kHigh_hz));
    p.drawLine(QPointF(x, plot.top()), QPointF(x, plot.top() + 3.0 + w.height_percent));
  }
  p.restore();
}

void SeriesStrip::paintEvent(QPaintEvent*) {
  QPainter p(this);
  if (study_ == nullptr) return;
  for (std::size_t i = 0; i < study_->impedances.size(); ++i) paintPanel(p, i);
}

void SeriesStrip::mousePressEvent(QMouseEvent* event) {
  if (study_ == nullptr) return;
  for (std::size_t i = 0; i < study_->impedances.size(); ++i) {
    if (!panel(i).contains(event->position())) continue;
    if (event->modifiers().testFlag(Qt::ControlModifier))
      emit referenceAsked(static_cast<int>(i));
    else
      emit looked(static_cast<int>(i));
  }
}

void SeriesStrip::keyPressEvent(QKeyEvent* event) {
  if (study_ == nullptr) return QWidget::keyPressEvent(event);
  const int n = static_cast<int>(study_->impedances.size());
  const int now = static_cast<int>(looked_at_);
  if (event->key() == Qt::Key_Right)
    emit looked((now + 1) % n);
  else if (event->key() == Qt::Key_Left)
    emit looked((now + n - 1) % n);
  else
    QWidget::keyPressEvent(event);
}

}  // namespace lalometer
