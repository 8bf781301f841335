#include "workbench/reading/scale/contours.h"

#include <cmath>

namespace lalometer {

std::vector<ContourPiece> contour_pieces(const ValueMap& map, double step,
                                         const std::vector<double>& px,
                                         const std::vector<double>& py) {
  struct Point {
    double x = 0.0, y = 0.0;
  };
  const std::size_t columns = map.x.size();
  const auto at = [&](std::size_t r, std::size_t c) {
    return static_cast<double>(map.values[r * columns + c]);
  };
  std::vector<ContourPiece> pieces;
  for (double level = std::ceil(map.low / step) * step; level < map.high; level += step) {
    for (std::size_t r = 0; r + 1 < map.rows.size(); ++r) {
      for (std::size_t c = 0; c + 1 < columns; ++c) {
        const double v[4] = {at(r, c) - level, at(r, c + 1) - level, at(r + 1, c + 1) - level,
                             at(r + 1, c) - level};
        if (!std::isfinite(v[0] + v[1] + v[2] + v[3])) continue;
        const bool above = v[0] > 0;
        if ((v[1] > 0) == above && (v[2] > 0) == above && (v[3] > 0) == above) continue;
        const Point corner[4] = {
            {px[c], py[r]}, {px[c + 1], py[r]}, {px[c + 1], py[r + 1]}, {px[c], py[r + 1]}};
        Point hits[4];
        int count = 0;
        for (int e = 0; e < 4; ++e) {
          const int f = (e + 1) % 4;
          if ((v[e] > 0) == (v[f] > 0)) continue;
          const double share = v[e] / (v[e] - v[f]);
          hits[count++] = {corner[e].x + (corner[f].x - corner[e].x) * share,
                           corner[e].y + (corner[f].y - corner[e].y) * share};
        }
        if (count >= 2) pieces.push_back({hits[0].x, hits[0].y, hits[1].x, hits[1].y});
        if (count == 4) pieces.push_back({hits[2].x, hits[2].y, hits[3].x, hits[3].y});
      }
    }
  }
  return pieces;
}

}  // namespace lalometer
