#include "desk/score/picture/mark_layout.h"

#include <QFontMetricsF>
#include <algorithm>

namespace lalometer {

namespace {

std::vector<PlacedMark> placed_in_rows(const LaneContent& content, const LaneGeometry& g,
                                       double row_px) {
  const double bar_px = std::min(10.0, row_px - 4.0);
  constexpr double kGap_px = 8.0;
  const QFontMetricsF metrics(text_font(11));
  const double top_px = g.up.top_px + 4.0;
  const int rows = std::max(1, static_cast<int>((g.up.bottom_px - top_px - 2.0) / row_px));
  std::vector<double> taken(static_cast<std::size_t>(rows), -1e9);
  std::vector<PlacedMark> placed;
  for (std::size_t i = 0; i < content.marks().size(); ++i) {
    const LaneMark& mark = content.marks()[i];
    if (mark.high_hz < g.across.low || mark.low_hz > g.across.high) continue;
    const double left =
        std::max(g.across.px(std::max(mark.low_hz, g.across.low)), g.across.left_px);
    const double right =
        std::min(g.across.px(std::min(mark.high_hz, g.across.high)), g.across.right_px);
    const double width = std::max(right - left, 4.0);
    const double x = right - left < 4.0 ? 0.5 * (left + right) - 2.0 : left;
    const double text = metrics.horizontalAdvance(QString::fromStdString(mark.name)) + 2.0;
    // Names stand behind their bars; near the right edge before them.
    const bool before = x + width + 4.0 + text > g.across.right_px;
    const double from = before ? x - 4.0 - text : x;
    const double to = before ? x + width : x + width + 4.0 + text;
    const auto row =
        std::find_if(taken.begin(), taken.end(), [&](double end) { return end + kGap_px <= from; });
    const bool fits = row != taken.end();
    // Marks rise in frequency, so a row's end only moves right.
    // Without room for the name the bar goes where it hides the least.
    const auto r =
        fits ? row - taken.begin() : std::min_element(taken.begin(), taken.end()) - taken.begin();
    const double y = top_px + row_px * static_cast<double>(r);
    PlacedMark one{i, QRectF(x, y + 0.5 * (row_px - bar_px), width, bar_px), QRectF()};
    if (fits) {
      one.name = QRectF(before ? from : x + width + 4.0, y, text, row_px);
      *row = to;
    } else {
      // No name may be written over it.
      double& end = taken[static_cast<std::size_t>(r)];
      end = std::max(end, x + width);
    }
    placed.push_back(one);
  }
  return placed;
}

}  // namespace

std::vector<PlacedMark> placed_marks(const LaneContent& content, const LaneGeometry& g) {
  constexpr double kRow_px = 16.0;
  constexpr double kTightRow_px = 13.0;
  auto placed = placed_in_rows(content, g, kRow_px);
  return unnamed(placed) == 0 ? placed : placed_in_rows(content, g, kTightRow_px);
}

std::size_t unnamed(const std::vector<PlacedMark>& placed) {
  return static_cast<std::size_t>(std::count_if(
      placed.begin(), placed.end(), [](const PlacedMark& one) { return one.name.isEmpty(); }));
}

}  // namespace lalometer
