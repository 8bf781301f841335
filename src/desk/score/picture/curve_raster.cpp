#include "desk/score/picture/curve_raster.h"

#include <algorithm>
#include <cmath>

namespace lalometer {

CurveRaster::CurveRaster(QImage& image)
    : image_(image),
      width_(image.width()),
      height_(image.height()),
      coverage_(static_cast<std::size_t>(width_) * static_cast<std::size_t>(height_), 0),
      top_(static_cast<std::size_t>(width_), height_),
      bottom_(static_cast<std::size_t>(width_), -1) {}

void CurveRaster::cover(PixelPoint a, PixelPoint b, float radius) {
  const float reach = radius + 0.5F;
  const float dx = b.x - a.x;
  const float dy = b.y - a.y;
  const float length_squared = dx * dx + dy * dy;
  const float per_length = length_squared > 0.0F ? 1.0F / length_squared : 0.0F;
  // Inside this distance the pixel is full: most need no root.
  const float full = std::max(radius - 0.5F, 0.0F);
  const int first = std::max(static_cast<int>(std::floor(a.x - reach)), 0);
  const int last = std::min(static_cast<int>(std::ceil(b.x + reach)), width_ - 1);
  for (int column = first; column <= last; ++column) {
    const float x = static_cast<float>(column) + 0.5F;
    // Rows of this column that the pen can reach: the piece of the segment within reach of it,
    // widened.
    float low = a.y;
    float high = b.y;
    if (dx > 1e-6F) {
      const float slope = dy / dx;
      low = a.y + slope * (std::clamp(x - reach, a.x, b.x) - a.x);
      high = a.y + slope * (std::clamp(x + reach, a.x, b.x) - a.x);
    }
    if (low > high) std::swap(low, high);
    if (high + reach < 0.0F || low - reach > static_cast<float>(height_)) continue;
    const int from = std::max(static_cast<int>(std::floor(std::max(low - reach, -1.0F))), 0);
    const int to =
        std::min(static_cast<int>(std::ceil(std::min(high + reach, static_cast<float>(height_)))),
                 height_ - 1);
    if (from > to) continue;
    const auto c = static_cast<std::size_t>(column);
    top_[c] = std::min(top_[c], from);
    bottom_[c] = std::max(bottom_[c], to);
    unsigned char* plane = coverage_.data() + c * static_cast<std::size_t>(height_);
    for (int row = from; row <= to; ++row) {
      const float y = static_cast<float>(row) + 0.5F;
      const float t = std::clamp(((x - a.x) * dx + (y - a.y) * dy) * per_length, 0.0F, 1.0F);
      const float ex = x - a.x - t * dx;
      const float ey = y - a.y - t * dy;
      const float squared = ex * ex + ey * ey;
      if (squared >= reach * reach) continue;
      const float share =
          squared <= full * full ? 1.0F : std::min(reach - std::sqrt(squared), 1.0F);
      plane[row] = std::max(plane[row], static_cast<unsigned char>(share * 255.0F));
    }
  }
}

void CurveRaster::blend(const QColor& colour) {
  const auto red = static_cast<unsigned>(colour.red());
  const auto green = static_cast<unsigned>(colour.green());
  const auto blue = static_cast<unsigned>(colour.blue());
  const auto alpha = static_cast<unsigned>(colour.alpha());
  const auto stride = static_cast<std::size_t>(image_.bytesPerLine()) / sizeof(QRgb);
  auto* pixels = reinterpret_cast<QRgb*>(image_.bits());
  for (int column = 0; column < width_; ++column) {
    const auto c = static_cast<std::size_t>(column);
    unsigned char* plane = coverage_.data() + c * static_cast<std::size_t>(height_);
    for (int row = top_[c]; row <= bottom_[c]; ++row) {
      const unsigned a = plane[row] * alpha / 255U;
      plane[row] = 0;
      if (a == 0) continue;
      QRgb& pixel = pixels[static_cast<std::size_t>(row) * stride + c];
      const unsigned rest = 255U - a;
      const auto mix = [&](unsigned over, int under) {
        return static_cast<int>((over * a + static_cast<unsigned>(under) * rest + 127U) / 255U);
      };
      pixel = qRgba(mix(red, qRed(pixel)), mix(green, qGreen(pixel)), mix(blue, qBlue(pixel)),
                    mix(255U, qAlpha(pixel)));
    }
    top_[c] = height_;
    bottom_[c] = -1;
  }
}

void CurveRaster::draw(std::span<const PixelPoint> points, double width_px, const QColor& colour,
                       std::span<const double> dash_px) {
  const auto radius = static_cast<float>(0.5 * width_px);
  const auto far = static_cast<float>(4 * height_ + 4096);
  std::size_t piece = 0;
  double left = dash_px.empty() ? 0.0 : dash_px[0];
  for (std::size_t i = 1; i < points.size(); ++i) {
    PixelPoint a = points[i - 1];
    PixelPoint b = points[i];
    if (!std::isfinite(a.y) || !std::isfinite(b.y)) continue;
    if (b.x < -4.0F || a.x > static_cast<float>(width_ + 4)) continue;
    a.y = std::clamp(a.y, -far, far);
    b.y = std::clamp(b.y, -far, far);
    if (dash_px.empty()) {
      cover(a, b, radius);
      continue;
    }
    const double length =
        std::hypot(static_cast<double>(b.x - a.x), static_cast<double>(b.y - a.y));
    double done = 0.0;
    while (length - done > 1e-6) {
      const double step = std::min(left, length - done);
      if (piece % 2 == 0) {
        const auto at = [&](double s) {
          const auto t = static_cast<float>(s / length);
          return PixelPoint{a.x + t * (b.x - a.x), a.y + t * (b.y - a.y)};
        };
        cover(at(done), at(done + step), radius);
      }
      done += step;
      left -= step;
      if (left <= 1e-6) {
        piece = (piece + 1) % dash_px.size();
        left = dash_px[piece];
      }
    }
  }
  blend(colour);
}

/// Coverage of one column between two heights, soft at both ends.
void CurveRaster::cover_column(int column, float low, float high) {
  low = std::max(low, 0.0F);
  high = std::min(high, static_cast<float>(height_));
  if (high <= low) return;
  const int from = static_cast<int>(low);
  const int to = std::min(static_cast<int>(high), height_ - 1);
  const auto c = static_cast<std::size_t>(column);
  top_[c] = std::min(top_[c], from);
  bottom_[c] = std::max(bottom_[c], to);
  unsigned char* plane = coverage_.data() + c * static_cast<std::size_t>(height_);
  for (int row = from; row <= to; ++row) {
    const float share =
        std::min(high, static_cast<float>(row + 1)) - std::max(low, static_cast<float>(row));
    plane[row] = std::max(plane[row], static_cast<unsigned char>(share * 255.0F));
  }
}

void CurveRaster::draw_by_columns(std::span<const PixelPoint> points, double width_px,
                                  const QColor& colour, std::span<const double> dash_px) {
  const auto radius = static_cast<float>(0.5 * width_px);
  const auto far = static_cast<float>(4 * height_ + 4096);
  std::size_t piece = 0;
  float left = dash_px.empty() ? 0.0F : static_cast<float>(dash_px[0]);
  for (std::size_t i = 1; i < points.size(); ++i) {
    PixelPoint a = points[i - 1];
    PixelPoint b = points[i];
    if (!std::isfinite(a.y) || !std::isfinite(b.y)) continue;
    a.y = std::clamp(a.y, -far, far);
    b.y = std::clamp(b.y, -far, far);
    const float dx = b.x - a.x;
    const float slope = dx > 1e-6F ? (b.y - a.y) / dx : 0.0F;
    const float thick = radius * std::sqrt(1.0F + slope * slope);
    const int first = std::max(static_cast<int>(std::floor(a.x)), 0);
    const int last = std::min(static_cast<int>(std::floor(b.x)), width_ - 1);
    for (int column = first; column <= last; ++column) {
      const float x0 = std::max(a.x, static_cast<float>(column));
      const float x1 = std::min(b.x, static_cast<float>(column + 1));
      const float y0 = dx > 1e-6F ? a.y + slope * (x0 - a.x) : a.y;
      const float y1 = dx > 1e-6F ? a.y + slope * (x1 - a.x) : b.y;
      bool on = true;
      if (!dash_px.empty()) {
        on = piece % 2 == 0;
        left -= std::hypot(x1 - x0, y1 - y0);
        while (left <= 0.0F) {
          piece = (piece + 1) % dash_px.size();
          left += static_cast<float>(dash_px[piece]);
        }
      }
      if (!on) continue;
      // The pen's height at the middle, but not beyond the segment's own span and half a pen.
      const float middle = 0.5F * (y0 + y1);
      const float low = std::min({y0, y1, std::max(middle - thick, std::min(y0, y1) - radius)});
      const float high = std::max({y0, y1, std::min(middle + thick, std::max(y0, y1) + radius)});
      cover_column(column, low, high);
    }
  }
  blend(colour);
}

std::vector<PixelPoint> thinned(std::span<const PixelPoint> points) {
  std::vector<PixelPoint> kept;
  kept.reserve(points.size());
  std::size_t i = 0;
  while (i < points.size()) {
    std::size_t end = i + 1;
    const float column = std::floor(points[i].x);
    if (std::isfinite(points[i].y)) {
      while (end < points.size() && std::floor(points[end].x) == column &&
             std::isfinite(points[end].y))
        ++end;
    }
    if (end - i <= 4) {
      kept.insert(kept.end(), points.begin() + static_cast<std::ptrdiff_t>(i),
                  points.begin() + static_cast<std::ptrdiff_t>(end));
    } else {
      const auto first = points.begin() + static_cast<std::ptrdiff_t>(i);
      const auto last = points.begin() + static_cast<std::ptrdiff_t>(end);
      auto [low, high] =
          std::minmax_element(first, last, [](auto& a, auto& b) { return a.y < b.y; });
      if (low > high) std::swap(low, high);
      kept.push_back(*first);
      kept.push_back(*low);
      kept.push_back(*high);
      kept.push_back(*(last - 1));
    }
    i = end;
  }
  return kept;
}

}  // namespace lalometer
