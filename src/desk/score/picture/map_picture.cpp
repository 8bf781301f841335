#include "desk/score/picture/map_picture.h"

#include <cmath>

#include "workbench/reading/scale/contours.h"
#include "workbench/reading/scale/palette.h"

namespace lalometer {
namespace {

void draw_contours(QPainter& painter, const ValueMap& map, double step, const LaneGeometry& g,
                   const Theme& theme) {
  std::vector<double> px, py;
  for (const double x : map.x) px.push_back(g.across.px(x));
  for (const double y : map.rows) py.push_back(g.up.px(y));
  QColor pen = theme.ink;
  pen.setAlpha(90);
  painter.setPen(QPen(pen, 0));
  painter.setRenderHint(QPainter::Antialiasing, false);
  QList<QLineF> lines;
  for (const ContourPiece& c : contour_pieces(map, step, px, py))
    lines.push_back({c.x1, c.y1, c.x2, c.y2});
  painter.drawLines(lines);
}

}  // namespace

QRgb map_colour(double share, bool dark) {
  const Rgb c = map_share_colour(share, dark);
  return qRgb(c.red, c.green, c.blue);
}

void draw_map(QPainter& painter, const ValueMap& map, const ContourLayer* contours,
              const LaneGeometry& g, const Theme& theme, PictureQuality quality) {
  const auto columns = map.x.size();
  const auto rows = map.rows.size();
  if (columns < 2 || rows < 2 || map.values.size() != rows * columns) return;
  std::array<QRgb, 256> table{};
  for (std::size_t i = 0; i < table.size(); ++i)
    table[i] = map_colour(static_cast<double>(i) / 255.0, theme.dark);
  QImage cells(static_cast<int>(columns), static_cast<int>(rows),
               QImage::Format_ARGB32_Premultiplied);
  bool holes = false;
  for (std::size_t r = 0; r < rows; ++r) {
    auto* line = reinterpret_cast<QRgb*>(cells.scanLine(static_cast<int>(rows - 1 - r)));
    for (std::size_t c = 0; c < columns; ++c) {
      const auto value = static_cast<double>(map.values[r * columns + c]);
      if (!std::isfinite(value)) {
        holes = true;
        line[c] = 0;
        continue;
      }
      const double share = (value - map.low) / (map.high - map.low);
      line[c] = table[static_cast<std::size_t>(std::clamp(share, 0.0, 1.0) * 255.0)];
    }
  }
  // Cells are centred on their values, so the picture reaches half a cell beyond.
  const double half_x = 0.5 * (g.across.px(map.x.back()) - g.across.px(map.x.front())) /
                        static_cast<double>(columns - 1);
  const double half_y =
      0.5 * (g.up.px(map.rows.front()) - g.up.px(map.rows.back())) / static_cast<double>(rows - 1);
  const QRectF target(
      QPointF(g.across.px(map.x.front()) - half_x, g.up.px(map.rows.back()) - half_y),
      QPointF(g.across.px(map.x.back()) + half_x, g.up.px(map.rows.front()) + half_y));
  painter.save();
  painter.setClipRect(
      QRectF(QPointF(g.across.left_px, g.up.top_px), QPointF(g.across.right_px, g.up.bottom_px)));
  if (holes) {
    // Where nothing is known the paper is hatched, as beside a curve.
    QColor line = theme.quiet;
    line.setAlpha(70);
    painter.fillRect(
        QRectF(QPointF(g.across.left_px, g.up.top_px), QPointF(g.across.right_px, g.up.bottom_px)),
        QBrush(line, Qt::BDiagPattern));
  }
  painter.setRenderHint(QPainter::SmoothPixmapTransform, quality == PictureQuality::kFine);
  painter.drawImage(target, cells);
  if (quality == PictureQuality::kFine && contours != nullptr && contours->step > 0.0)
    draw_contours(painter, map, contours->step, g, theme);
  painter.restore();
}

double draw_map_legend(QPainter& painter, const ValueMap& map, QPointF right, const Theme& theme) {
  constexpr double kBar_px = 84.0;
  painter.setFont(text_font(11));
  painter.setPen(theme.quiet);
  const QFontMetricsF metrics(painter.font());
  const auto text_of = [](double value) {
    return QStringLiteral("%1").arg(std::lround(value)).replace(u'-', QChar(0x2212));
  };
  const QString high = text_of(map.high) + QChar(0x202F) + QString::fromStdString(map.unit);
  const QString low = text_of(map.low);
  double x = right.x() - metrics.horizontalAdvance(high);
  painter.drawText(QPointF(x, right.y()), high);
  x -= kBar_px + 5.0;
  for (int i = 0; i < static_cast<int>(kBar_px); ++i) {
    painter.fillRect(QRectF(x + i, right.y() - 9.0, 1.5, 8.0),
                     QColor::fromRgb(map_colour(i / (kBar_px - 1.0), theme.dark)));
  }
  x -= metrics.horizontalAdvance(low) + 5.0;
  painter.drawText(QPointF(x, right.y()), low);
  return right.x() - x + 12.0;
}

}  // namespace lalometer
