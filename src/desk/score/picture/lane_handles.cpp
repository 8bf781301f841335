#include "desk/score/picture/lane_handles.h"

#include <QPainter>

#include "base/text.h"
#include "desk/score/picture/mark_layout.h"

namespace lalometer {
namespace {

/// A line through the plot with its text beside it; one that can be dragged has a grip.
void draw_line(QPainter& painter, const LanePictureInput& in, double x, const QString& text,
               const QColor& colour, bool handle, double label_y) {
  const QRectF plot = plot_rect(in.geometry);
  if (x < plot.left() || x > plot.right()) return;
  painter.setRenderHint(QPainter::Antialiasing, true);
  painter.setFont(text_font(11, true));
  painter.setPen(QPen(colour, handle ? 2.0 : 1.0, handle ? Qt::SolidLine : Qt::DotLine));
  painter.drawLine(QPointF(x, plot.top()), QPointF(x, plot.bottom()));
  if (handle) {
    painter.setBrush(colour);
    painter.drawRoundedRect(QRectF(x - 4, plot.center().y() - 11, 8, 22), 3, 3);
    painter.setPen(QPen(in.theme.sheet, 1));
    for (const double dy : {-4.0, 0.0, 4.0})
      painter.drawLine(QPointF(x - 2, plot.center().y() + dy),
                       QPointF(x + 2, plot.center().y() + dy));
  }
  const double width = QFontMetricsF(painter.font()).horizontalAdvance(text) + 8;
  const bool left = x + width + 8 > plot.right();
  const QRectF box(left ? x - width - 5 : x + 5, label_y, width, 15);
  painter.fillRect(box, in.theme.sheet);
  painter.setPen(colour);
  painter.drawText(box, Qt::AlignCenter, text);
}

void draw_gate(QPainter& painter, const LanePictureInput& in) {
  const auto* gate = in.content.find<GateLayer>();
  if (gate == nullptr) return;
  const LaneGeometry& g = in.geometry;
  const QRectF plot = plot_rect(g);
  const auto mark = [&](double at_ms, const QString& text, const QColor& colour, bool handle,
                        double label_y) {
    draw_line(painter, in, g.across.px(at_ms), text, colour, handle, label_y);
  };
  if (gate->reflection_ms) {
    mark(*gate->reflection_ms,
         QStringLiteral("first reflection %1 ms").arg(*gate->reflection_ms, 0, 'f', 2),
         in.theme.warn, false, plot.bottom() - 19);
  }
  mark(gate->end_ms,
       QStringLiteral("gate %1 ms, valid from %2 Hz")
           .arg(gate->end_ms, 0, 'f', 2)
           .arg(1e3 / gate->end_ms, 0, 'f', 0),
       in.theme.accent, true, plot.top() + 3);
}

/// Where near and far field are joined, over the range that both know.
void draw_join(QPainter& painter, const LanePictureInput& in) {
  const auto* join = in.content.find<JoinLayer>();
  if (join == nullptr) return;
  const LaneGeometry& g = in.geometry;
  const QRectF plot = plot_rect(g);
  const double low = std::clamp(g.across.px(join->low_hz), plot.left(), plot.right());
  const double high = std::clamp(g.across.px(join->high_hz), plot.left(), plot.right());
  QColor wash = in.theme.accent;
  wash.setAlpha(22);
  painter.fillRect(QRectF(low, plot.top(), high - low, plot.height()), wash);
  draw_line(
      painter, in, g.across.px(join->at_hz),
      QStringLiteral("near | far, %1").arg(QString::fromStdString(frequency_text(join->at_hz))),
      in.theme.accent, true, plot.bottom() - 19);
}

/// Thin lines with names that step down, so that neighbours can be read.
void draw_flags(QPainter& painter, const LanePictureInput& in) {
  const auto* layer = in.content.find<FlagLayer>();
  if (layer == nullptr) return;
  const LaneGeometry& g = in.geometry;
  const QRectF plot = plot_rect(g);
  painter.setRenderHint(QPainter::Antialiasing, true);
  painter.setFont(text_font(11));
  const QFontMetricsF metrics(painter.font());
  double taken_to = -1e9;
  int step = 0;
  for (const LaneMark& flag : layer->flags) {
    const double x = g.across.px(flag.centre_hz());
    if (x < plot.left() || x > plot.right()) continue;
    QColor colour = curve_style(flag.style, in.theme.dark).colour;
    const double low = g.across.px(flag.low_hz);
    const double high = g.across.px(flag.high_hz);
    if (high - low > 2.0) {
      QColor wash = colour;
      wash.setAlpha(40);
      painter.fillRect(QRectF(low, plot.top(), high - low, plot.height()), wash);
    }
    painter.setPen(QPen(colour, 1.0, flag.name.empty() ? Qt::DotLine : Qt::DashLine));
    painter.drawLine(QPointF(x, plot.top()), QPointF(x, plot.bottom()));
    if (flag.name.empty()) continue;
    const QString text = QString::fromStdString(flag.name);
    const double width = metrics.horizontalAdvance(text) + 6;
    step = x < taken_to ? (step + 1) % 3 : 0;
    taken_to = std::max(taken_to, x + width + 6);
    const bool left = x + width + 4 > plot.right();
    const QRectF box(left ? x - width - 3 : x + 3, plot.top() + 3 + 15.0 * step, width, 14);
    QColor ground = in.theme.sheet;
    ground.setAlpha(215);
    painter.fillRect(box, ground);
    painter.setPen(colour);
    painter.drawText(box, Qt::AlignCenter, text);
  }
}

void draw_marks(QPainter& painter, const LanePictureInput& in) {
  painter.setRenderHint(QPainter::Antialiasing, true);
  painter.setFont(text_font(11));
  for (const PlacedMark& placed : placed_marks(in.content, in.geometry)) {
    const QColor colour = curve_style(in.content.marks()[placed.index].style, in.theme.dark).colour;
    painter.setPen(Qt::NoPen);
    painter.setBrush(colour);
    painter.drawRoundedRect(placed.bar, 2, 2);
    if (placed.name.isEmpty()) continue;
    painter.setPen(in.theme.ink);
    painter.drawText(placed.name, Qt::AlignLeft | Qt::AlignVCenter,
                     QString::fromStdString(in.content.marks()[placed.index].name));
  }
}

}  // namespace

void draw_handles(QPainter& painter, const LanePictureInput& in) {
  draw_flags(painter, in);
  draw_join(painter, in);
  draw_gate(painter, in);
  draw_marks(painter, in);
}

}  // namespace lalometer
