#include "desk/score/picture/curve_raster.h"

#include <gtest/gtest.h>

#include <cmath>

#include "desk/score/picture/lane_picture.h"

namespace lalometer {
namespace {

QImage white(int width, int height) {
  QImage image(width, height, QImage::Format_RGB32);
  image.fill(Qt::white);
  return image;
}

/// Ink of a column: how much black was laid, in pixels.
double ink(const QImage& image, int column) {
  double sum = 0.0;
  for (int y = 0; y < image.height(); ++y) sum += 1.0 - qRed(image.pixel(column, y)) / 255.0;
  return sum;
}

TEST(CurveRaster, LaysALevelLineOfItsWidth) {
  for (const double width : {1.0, 1.5, 2.5}) {
    QImage image = white(100, 40);
    const PixelPoint line[] = {{0.0F, 20.25F}, {100.0F, 20.25F}};
    CurveRaster(image).draw(line, width, Qt::black, {});
    for (const int column : {10, 50, 90}) EXPECT_NEAR(ink(image, column), width, 0.1) << width;
  }
}

TEST(CurveRaster, LaysASteepLineOfItsWidthAcross) {
  QImage image = white(60, 200);
  const PixelPoint line[] = {{10.0F, 0.0F}, {50.0F, 200.0F}};
  CurveRaster(image).draw(line, 1.5, Qt::black, {});
  // Area is width times length.
  double sum = 0.0;
  for (int x = 0; x < 60; ++x) sum += ink(image, x);
  EXPECT_NEAR(sum, 1.5 * std::hypot(40.0, 200.0), 0.04 * sum);
}

TEST(CurveRaster, JointsAreNotDarkerThanTheLine) {
  QImage image = white(100, 40);
  std::vector<PixelPoint> line;
  for (int i = 0; i <= 400; ++i) line.push_back({static_cast<float>(i) * 0.25F, 20.5F});
  CurveRaster(image).draw(line, 1.5, QColor(0, 0, 0, 128), {});
  for (int x = 2; x < 98; ++x) EXPECT_NEAR(qRed(image.pixel(x, 20)), 127, 3) << x;
}

TEST(CurveRaster, BreaksAtNaNAndStaysInside) {
  QImage image = white(100, 40);
  const PixelPoint line[] = {
      {-50.0F, 20.0F}, {30.0F, 20.0F}, {50.0F, std::nanf("")}, {70.0F, 20.0F}, {200.0F, -1e9F}};
  CurveRaster(image).draw(line, 1.5, Qt::black, {});
  EXPECT_GT(ink(image, 10), 1.0);
  EXPECT_EQ(ink(image, 50), 0.0);
}

TEST(CurveRaster, DashesLeaveGaps) {
  QImage image = white(100, 40);
  const PixelPoint line[] = {{0.0F, 20.5F}, {100.0F, 20.5F}};
  const double dash[] = {10.0, 10.0};
  CurveRaster(image).draw(line, 1.5, Qt::black, dash);
  EXPECT_GT(ink(image, 5), 1.0);
  EXPECT_LT(ink(image, 15), 0.1);
  EXPECT_GT(ink(image, 25), 1.0);
}

TEST(Thinned, KeepsTheExtremesOfEveryColumn) {
  std::vector<PixelPoint> many;
  for (int i = 0; i < 10000; ++i)
    many.push_back(
        {static_cast<float>(i) * 0.01F, i == 5050 ? 999.0F : std::sin(static_cast<float>(i))});
  const std::vector<PixelPoint> few = thinned(many);
  EXPECT_LE(few.size(), 400U);
  bool spike = false;
  for (const PixelPoint& p : few) spike = spike || p.y == 999.0F;
  EXPECT_TRUE(spike) << "a peak of one point must not vanish";
}

TEST(LanePicture, DrawsAnInvalidRangeFainterThanAValidOne) {
  LaneContent content;
  content.title = "Level";
  Series s{.take_id = 1,
           .label = "a",
           .style = 0,
           .chosen = false,
           .x = {},
           .y = {},
           .valid_low = 1000.0,
           .valid_high = 1e9};
  for (double f = 20.0; f < 20000.0; f *= 1.01) {
    s.x.push_back(f);
    s.y.push_back(0.5);
  }
  content.add_curves() = {s};
  const LanePictureInput in{content,
                            lane_geometry(content, 800, 200, {}, {0.0, 1.0}),
                            Theme::light(),
                            1.0,
                            1.5,
                            PictureQuality::kFine};
  const QImage image = lane_picture(in);
  // Ink on a stretch of the curve over what the same stretch holds without it (grid, hatch).
  const auto ink = [&](double f) {
    const int x = static_cast<int>(in.geometry.across.px(f));
    int sum = 0;
    for (int dx = -12; dx <= 12; ++dx) {
      const int middle = static_cast<int>(in.geometry.up.px(0.5));
      for (int y = middle - 5; y <= middle + 5; ++y)
        sum += qRed(image.pixel(x + dx, y - 35)) - qRed(image.pixel(x + dx, y));
    }
    return sum;
  };
  EXPECT_GT(ink(150.0), 0);
  EXPECT_LT(ink(150.0), 0.5 * ink(4000.0));
}

TEST(LanePicture, TheIntervalOfTheChosenCurveIsAPaleBand) {
  LaneContent content;
  Series s{.take_id = 1, .label = "a", .style = 0, .chosen = true, .x = {}, .y = {}};
  for (double f = 20.0; f < 20000.0; f *= 1.01) {
    s.x.push_back(f);
    s.y.push_back(0.5);
    s.spread.push_back(f < 1000.0 ? 0.2 : 0.0);
  }
  content.add_curves() = {s};
  const LanePictureInput in{content,
                            lane_geometry(content, 800, 200, {}, {0.0, 1.0}),
                            Theme::light(),
                            1.0,
                            1.5,
                            PictureQuality::kFine};
  const QImage image = lane_picture(in);
  const auto red = [&](double f, double y) {
    return qRed(image.pixel(static_cast<int>(in.geometry.across.px(f)) + 3,
                            static_cast<int>(in.geometry.up.px(y))));
  };
  EXPECT_LT(red(250.0, 0.62), red(4000.0, 0.62)) << "inside the band";
  EXPECT_GT(red(250.0, 0.62), red(250.0, 0.5)) << "paler than the curve";
  EXPECT_EQ(red(250.0, 0.82), red(4000.0, 0.82)) << "outside of it";
}

TEST(LanePicture, ManyCurvesOrAMapAskForAFinerPictureLater) {
  LaneContent content;
  content.add_curves().resize(8);
  EXPECT_FALSE(coarse_differs(content)) << "few curves are drawn finely at once";
  content.add_curves(Side::kRight).resize(1);
  EXPECT_TRUE(coarse_differs(content));
  LaneContent with_map;
  with_map.layer<ValueMap>();
  EXPECT_TRUE(coarse_differs(with_map));
}

TEST(CurveRaster, ByColumnsPutsTheSameInkInTheSamePlaces) {
  std::vector<PixelPoint> wave;
  for (int i = 0; i <= 400; ++i)
    wave.push_back({static_cast<float>(i), static_cast<float>(100.0 + 40.0 * std::sin(0.04 * i))});
  const auto ink_of = [&](bool by_columns) {
    QImage image(400, 200, QImage::Format_RGB32);
    image.fill(Qt::white);
    CurveRaster raster(image);
    if (by_columns)
      raster.draw_by_columns(wave, 1.5, Qt::black, {});
    else
      raster.draw(wave, 1.5, Qt::black, {});
    std::vector<double> columns(400, 0.0);
    std::vector<double> heights(400, 0.0);
    for (int x = 0; x < 400; ++x) {
      for (int y = 0; y < 200; ++y) {
        const double ink = 255 - qRed(image.pixel(x, y));
        columns[static_cast<std::size_t>(x)] += ink / 255.0;
        heights[static_cast<std::size_t>(x)] += ink / 255.0 * (y + 0.5);
      }
    }
    for (std::size_t x = 0; x < 400; ++x) heights[x] /= columns[x];
    return std::pair{columns, heights};
  };
  const auto exact = ink_of(false);
  const auto quick = ink_of(true);
  for (std::size_t x = 2; x < 398; ++x) {
    EXPECT_NEAR(quick.second[x], exact.second[x], 0.6) << "height of the curve in column " << x;
    EXPECT_NEAR(quick.first[x] / exact.first[x], 1.0, 0.5) << "width of the pen in column " << x;
  }
}

TEST(CurveRaster, ByColumnsDashesAndBreaksToo) {
  QImage image(200, 40, QImage::Format_RGB32);
  image.fill(Qt::white);
  CurveRaster raster(image);
  const std::vector<PixelPoint> line = {
      {0.0F, 20.0F}, {100.0F, 20.0F}, {101.0F, std::nanf("")}, {120.0F, 20.0F}, {199.0F, 20.0F}};
  const double dash[] = {10.0, 10.0};
  raster.draw_by_columns(line, 2.0, Qt::black, dash);
  const auto dark = [&](int x) { return qRed(image.pixel(x, 19)) < 128; };
  EXPECT_TRUE(dark(4));
  EXPECT_FALSE(dark(14));
  EXPECT_TRUE(dark(24));
  EXPECT_FALSE(dark(110)) << "a NaN breaks the line";
}

}  // namespace
}  // namespace lalometer
