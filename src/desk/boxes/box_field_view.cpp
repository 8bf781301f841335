#include "desk/boxes/box_field_view.h"

#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "workbench/reading/scale/mapping.h"

namespace lalometer {
namespace {

AcrossMapping across(const QRectF& plot) {
  return {BoxFieldView::kLowest_l, BoxFieldView::kHighest_l, plot.left(), plot.right(), true};
}

/// Tuning upward: the same mapping, bottom to top.
AcrossMapping upward(const QRectF& plot) {
  return {BoxFieldView::kLowest_hz, BoxFieldView::kHighest_hz, plot.bottom(), plot.top(), true};
}

}  // namespace

BoxFieldView::BoxFieldView(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("boxField"));
  setMinimumHeight(150);
  setCursor(Qt::CrossCursor);
  setToolTip(
      tr("Volume across, tuning up. Drag a candidate; the lines join boxes that reach "
         "equally low (F3)."));
}

void BoxFieldView::setTheme(const Theme& theme) {
  theme_ = theme;
  lines_ = {};
  update();
}

void BoxFieldView::setField(BoxField2d field) {
  field_ = std::move(field);
  lines_ = {};
  update();
}

void BoxFieldView::setCandidates(const std::vector<BoxCandidate>& candidates, std::size_t chosen) {
  candidates_ = candidates;
  chosen_ = chosen;
  update();
}

QRectF BoxFieldView::plot() const {
  return QRectF(50, 10, std::max(width() - 70, 60), std::max(height() - 40, 40));
}

QPointF BoxFieldView::pointOf(const BoxCandidate& c) const {
  const QRectF r = plot();
  const bool vented = c.kind == BoxCandidate::Kind::kVented;
  return {across(r).px(std::clamp(c.volume_l, kLowest_l, kHighest_l)),
          vented ? upward(r).px(std::clamp(c.tuning_hz, kLowest_hz, kHighest_hz)) : r.bottom()};
}

void BoxFieldView::resizeEvent(QResizeEvent*) {
  lines_ = {};
}

/// Contours by marching along each cell's edges.
void BoxFieldView::paintLines(QPainter& p) {
  const QRectF r = plot();
  const AcrossMapping x = across(r);
  const AcrossMapping y = upward(r);
  const std::size_t columns = field_.volume_l.size();
  const std::size_t rows = field_.tuning_hz.size();
  p.setFont(text_font(11));
  for (const double level : {25.0, 30.0, 35.0, 40.0, 50.0, 60.0, 80.0, 100.0}) {
    QPointF label(-1, -1);
    p.setPen(QPen(theme_.quiet, 1.0));
    for (std::size_t j = 0; j + 1 < rows; ++j) {
      for (std::size_t i = 0; i + 1 < columns; ++i) {
        const std::size_t at[4][2] = {{i, j}, {i + 1, j}, {i + 1, j + 1}, {i, j + 1}};
        std::vector<QPointF> crossings;
        for (int e = 0; e < 4; ++e) {
          const auto* a = at[e];
          const auto* b = at[(e + 1) % 4];
          const double va = field_.f3_hz[a[1] * columns + a[0]] - level;
          const double vb = field_.f3_hz[b[1] * columns + b[0]] - level;
          if (!std::isfinite(va) || !std::isfinite(vb) || (va < 0.0) == (vb < 0.0)) continue;
          const double t = va / (va - vb);
          const QPointF pa(x.px(field_.volume_l[a[0]]), y.px(field_.tuning_hz[a[1]]));
          const QPointF pb(x.px(field_.volume_l[b[0]]), y.px(field_.tuning_hz[b[1]]));
          crossings.push_back(pa + t * (pb - pa));
        }
        if (crossings.size() == 2) {
          p.drawLine(crossings[0], crossings[1]);
          if (label.x() < 0 && j > rows / 3) label = 0.5 * (crossings[0] + crossings[1]);
        }
      }
    }
    if (label.x() >= 0) {
      const QString text = QStringLiteral("%1 Hz").arg(level);
      QRectF box(p.fontMetrics().boundingRect(text).adjusted(-3, 0, 3, 0));
      box.moveCenter(label);
      p.fillRect(box, theme_.sheet);
      p.setPen(theme_.quiet);
      p.drawText(box, Qt::AlignCenter, text);
    }
  }
}

void BoxFieldView::paintEvent(QPaintEvent*) {
  const QRectF r = plot();
  if (lines_.isNull()) {
    lines_ = QImage(size() * devicePixelRatioF(), QImage::Format_RGB32);
    lines_.setDevicePixelRatio(devicePixelRatioF());
    lines_.fill(theme_.paper);
    QPainter p(&lines_);
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(r, theme_.sheet);
    p.setFont(text_font(11));
    for (const double l : {1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0, 200.0}) {
      const double px = across(r).px(l);
      p.setPen(theme_.faint);
      p.drawLine(QPointF(px, r.top()), QPointF(px, r.bottom()));
      p.setPen(theme_.quiet);
      p.drawText(QRectF(px - 30, r.bottom() + 4, 60, 16), Qt::AlignCenter,
                 l == 200.0 ? tr("200 l") : QString::number(l));
    }
    for (const double hz : {20.0, 30.0, 40.0, 60.0, 80.0, 120.0}) {
      const double px = upward(r).px(hz);
      p.setPen(theme_.faint);
      p.drawLine(QPointF(r.left(), px), QPointF(r.right(), px));
      p.setPen(theme_.quiet);
      p.drawText(QRectF(0, px - 8, 44, 16), Qt::AlignRight | Qt::AlignVCenter,
                 hz == 120.0 ? tr("120 Hz") : QString::number(hz));
    }
    p.setPen(theme_.line);
    p.drawRect(r);
    p.setClipRect(r);
    if (!field_.f3_hz.empty()) paintLines(p);
    const QString title = tr("Tuning over volume; lines of equal F3");
    const QRectF box(r.left() + 1, r.top() + 1, p.fontMetrics().horizontalAdvance(title) + 16, 18);
    p.fillRect(box, theme_.sheet);
    p.setPen(theme_.quiet);
    p.drawText(box.adjusted(7, 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter, title);
  }
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.drawImage(QPointF(0, 0), lines_);
  p.setFont(text_font(12, true));
  for (std::size_t k = 0; k < candidates_.size(); ++k) {
    const QPointF at = pointOf(candidates_[k]);
    const QColor colour = curve_style(static_cast<int>(k), theme_.dark).colour;
    p.setPen(QPen(colour, 2.0));
    p.setBrush(k == chosen_ ? colour : theme_.sheet);
    p.drawEllipse(at, 10.0, 10.0);
    p.setPen(k == chosen_ ? theme_.sheet : colour);
    p.drawText(QRectF(at.x() - 10, at.y() - 10, 20, 20), Qt::AlignCenter,
               QString::fromStdString(candidates_[k].name).left(2));
  }
}

void BoxFieldView::report(QPointF at, bool done) {
  const QRectF r = plot();
  emit moved(std::clamp(across(r).value(at.x()), kLowest_l, kHighest_l),
             std::clamp(upward(r).value(at.y()), kLowest_hz, kHighest_hz), done);
}

void BoxFieldView::mousePressEvent(QMouseEvent* event) {
  if (event->button() != Qt::LeftButton) return;
  for (std::size_t k = 0; k < candidates_.size(); ++k) {
    const QPointF off = event->position() - pointOf(candidates_[k]);
    if (std::hypot(off.x(), off.y()) > 12.0) continue;
    held_ = true;
    if (k != chosen_) emit chosenChanged(static_cast<int>(k));
    return;
  }
}

void BoxFieldView::mouseMoveEvent(QMouseEvent* event) {
  if (held_) report(event->position(), false);
}

void BoxFieldView::mouseReleaseEvent(QMouseEvent* event) {
  if (!held_ || event->button() != Qt::LeftButton) return;
  held_ = false;
  report(event->position(), true);
}

}  // namespace lalometer
