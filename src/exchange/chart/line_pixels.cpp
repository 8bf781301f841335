#include "exchange/chart/line_pixels.h"

#include <algorithm>
#include <cmath>

namespace lalometer {
namespace {

constexpr double kRim = 0.12;
/// Colours may be so far off the mix of ground and line, of 255.
constexpr double kOffMix = 32.0;

}  // namespace

Colour pixel(const ChartPixels& p, int x, int y) {
  const auto at = static_cast<std::size_t>(3 * (y * p.width + x));
  return {static_cast<double>(p.rgb[at]), static_cast<double>(p.rgb[at + 1]),
          static_cast<double>(p.rgb[at + 2])};
}

double distance(const Colour& a, const Colour& b) {
  return std::hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
}

Colour ground_of(const ChartPixels& p) {
  struct Cell {
    Colour sum{};
    int count = 0;
  };
  std::vector<Cell> cells(32U * 32U * 32U);
  for (int y = 0; y < p.height; y += 2)
    for (int x = 0; x < p.width; x += 2) {
      const auto at = static_cast<std::size_t>(3 * (y * p.width + x));
      const auto of = [&](std::size_t k) { return static_cast<std::size_t>(p.rgb[at + k]); };
      Cell& cell = cells[(of(0) / 8 * 32 + of(1) / 8) * 32 + of(2) / 8];
      for (std::size_t k = 0; k < 3; ++k) cell.sum[k] += static_cast<double>(of(k));
      ++cell.count;
    }
  const Cell& most = *std::max_element(
      cells.begin(), cells.end(), [](const Cell& a, const Cell& b) { return a.count < b.count; });
  Colour mean = most.sum;
  for (double& v : mean) v /= std::max(1, most.count);
  return mean;
}

Coverage::Coverage(const ChartPixels& pixels, const Colour& ground, const Colour& line)
    : pixels_(pixels), ground_(ground) {
  for (std::size_t k = 0; k < 3; ++k) step_[k] = line[k] - ground[k];
  square_ = step_[0] * step_[0] + step_[1] * step_[1] + step_[2] * step_[2];
}

double Coverage::at(int x, int y) const {
  const Colour c = pixel(pixels_, x, y);
  double along = 0.0;
  for (std::size_t k = 0; k < 3; ++k) along += (c[k] - ground_[k]) * step_[k];
  along /= square_;
  double off = 0.0;
  for (std::size_t k = 0; k < 3; ++k) {
    const double d = c[k] - ground_[k] - along * step_[k];
    off += d * d;
  }
  if (std::sqrt(off) > kOffMix) return 0.0;
  return std::clamp(along, 0.0, 1.0);
}

Rules rules_of(const ChartPixels& p, const Coverage& line, int start_x, int start_y) {
  Rules rules{std::vector<bool>(static_cast<std::size_t>(p.height), false),
              std::vector<bool>(static_cast<std::size_t>(p.width), false)};
  // Straight over most of the picture: no curve does that by chance.
  constexpr double kMost = 0.55;
  for (int y = 0; y < p.height; ++y) {
    if (std::abs(y - start_y) <= 2) continue;
    int count = 0;
    for (int x = 0; x < p.width; ++x) count += line.at(x, y) > kCore ? 1 : 0;
    rules.rows[static_cast<std::size_t>(y)] = count > kMost * p.width;
  }
  for (int x = 0; x < p.width; ++x) {
    if (std::abs(x - start_x) <= 1) continue;
    int count = 0;
    for (int y = 0; y < p.height; ++y) count += line.at(x, y) > kCore ? 1 : 0;
    rules.columns[static_cast<std::size_t>(x)] = count > kMost * p.height;
  }
  return rules;
}

std::vector<Run> runs_of(const ChartPixels& p, const Coverage& line, const Rules& rules, int x) {
  std::vector<Run> runs;
  if (rules.columns[static_cast<std::size_t>(x)]) return runs;
  for (int y = 0; y < p.height; ++y) {
    if (rules.rows[static_cast<std::size_t>(y)] || line.at(x, y) < kCore) continue;
    int end = y;
    // A hole of one pixel is a grid line over the curve.
    while (end + 1 < p.height &&
           (line.at(x, end + 1) >= kCore || (end + 2 < p.height && line.at(x, end + 2) >= kCore)) &&
           !rules.rows[static_cast<std::size_t>(end + 1)])
      ++end;
    int from = y;
    int to = end;
    if (from > 0 && line.at(x, from - 1) > kRim) --from;
    if (to + 1 < p.height && line.at(x, to + 1) > kRim) ++to;
    double sum = 0.0;
    double weight = 0.0;
    for (int k = from; k <= to; ++k) {
      const double w = line.at(x, k);
      if (w < kRim) continue;
      sum += w * (k + 0.5);
      weight += w;
    }
    runs.push_back({static_cast<double>(y), end + 1.0, weight > 0.0 ? sum / weight : y + 0.5});
    y = end;
  }
  return runs;
}

}  // namespace lalometer
