#pragma once

#include <QColor>
#include <QImage>
#include <span>
#include <vector>

namespace lalometer {

struct PixelPoint {
  float x;
  float y;
};

/// Antialiased polylines on an image, for curves that run from left to right. Qt's own stroker for
/// pens wider than a pixel costs ten times a whole score (docs/performance.md); here each segment
/// adds its coverage to one plane per curve (the larger of two, so joints do not double), which is
/// then blended once.
class CurveRaster {
 public:
  /// @param image  ARGB32_Premultiplied or RGB32; outlives the raster.
  explicit CurveRaster(QImage& image);

  /// @param points    x not falling; a NaN in y breaks the line.
  /// @param width_px  of the pen, >= 1.
  /// @param dash_px   on, off, ... along the line; empty: solid.
  void draw(std::span<const PixelPoint> points, double width_px, const QColor& colour,
            std::span<const double> dash_px);

  /// The same by whole pixel columns, several times quicker: in each column the pen covers the
  /// curve's own span there, thickened by its slope. Steep flanks come out a little thin. For
  /// pictures of many curves while something moves.
  void draw_by_columns(std::span<const PixelPoint> points, double width_px, const QColor& colour,
                       std::span<const double> dash_px);

 private:
  void cover(PixelPoint a, PixelPoint b, float radius);
  void cover_column(int column, float low, float high);
  void blend(const QColor& colour);

  QImage& image_;
  int width_;
  int height_;
  std::vector<unsigned char> coverage_;  ///< column by column: a curve walks along columns
  std::vector<int> top_;                 ///< touched rows of each column
  std::vector<int> bottom_;
};

/// At most four points per pixel column (first, lowest, highest, last), in order: what the eye gets
/// from thousands.
[[nodiscard]] std::vector<PixelPoint> thinned(std::span<const PixelPoint> points);

}  // namespace lalometer
