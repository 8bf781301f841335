#include "desk/score/picture/map_picture.h"

#include <array>
#include <cmath>

namespace lalometer {
namespace {

/// Contour lines by walking the cells; each crossing of a level is a short straight piece between
/// two edges.
void draw_contours(QPainter& painter, const ValueMap& map, double step, const LaneGeometry& g,
                   const Theme& theme) {
  const std::size_t columns = map.x.size();
  const auto at = [&](std::size_t r, std::size_t c) {
    return static_cast<double>(map.values[r * columns + c]);
  };
  std::vector<double> px(columns);
  for (std::size_t c = 0; c < columns; ++c) px[c] = g.across.px(map.x[c]);
  QColor pen = theme.ink;
  pen.setAlpha(90);
  painter.setPen(QPen(pen, 0));
  painter.setRenderHint(QPainter::Antialiasing, false);
  QList<QLineF> lines;
  for (double level = std::ceil(map.low / step) * step; level < map.high; level += step) {
    for (std::size_t r = 0; r + 1 < map.rows.size(); ++r) {
      const double y0 = g.up.px(map.rows[r]);
      const double y1 = g.up.px(map.rows[r + 1]);
      for (std::size_t c = 0; c + 1 < columns; ++c) {
        const double v[4] = {at(r, c) - level, at(r, c + 1) - level, at(r + 1, c + 1) - level,
                             at(r + 1, c) - level};
        if (!std::isfinite(v[0] + v[1] + v[2] + v[3])) continue;
        const bool above = v[0] > 0;
        if ((v[1] > 0) == above && (v[2] > 0) == above && (v[3] > 0) == above) continue;
        const QPointF corner[4] = {{px[c], y0}, {px[c + 1], y0}, {px[c + 1], y1}, {px[c], y1}};
        QPointF hits[4];
        int count = 0;
        for (int e = 0; e < 4; ++e) {
          const int f = (e + 1) % 4;
          if ((v[e] > 0) != (v[f] > 0))
            hits[count++] = corner[e] + (corner[f] - corner[e]) * (v[e] / (v[e] - v[f]));
        }
        if (count >= 2) lines.push_back({hits[0], hits[1]});
        if (count == 4) lines.push_back({hits[2], hits[3]});
      }
    }
  }
  painter.drawLines(lines);
}

}  // namespace

QRgb map_colour(double share, bool dark) {
  // Lightness falls evenly from paper to deep teal ink; five anchors chosen at equal steps of CIE
  // lightness.
  static const std::array<QColor, 5> light = {QColor(16, 42, 67), QColor(26, 91, 112),
                                              QColor(84, 141, 137), QColor(168, 191, 158),
                                              QColor(249, 243, 224)};
  static const std::array<QColor, 5> night = {QColor(12, 18, 26), QColor(22, 58, 78),
                                              QColor(46, 106, 116), QColor(116, 160, 146),
                                              QColor(226, 220, 190)};
  const auto& anchors = dark ? night : light;
  const double at = std::clamp(share, 0.0, 1.0) * 4.0;
  const auto i = std::min(static_cast<std::size_t>(at), std::size_t{3});
  const double t = at - static_cast<double>(i);
  const auto mix = [&](int a, int b) { return static_cast<int>(std::lround(a + t * (b - a))); };
  return qRgb(mix(anchors[i].red(), anchors[i + 1].red()),
              mix(anchors[i].green(), anchors[i + 1].green()),
              mix(anchors[i].blue(), anchors[i + 1].blue()));
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
    painter.fillRect(QRectF(QPointF(g.across.left_px, g.up.top_px),
                            QPointF(g.across.right_px, g.up.bottom_px)),
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
