#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "desk/score/picture/lane_picture.h"
#include "desk/score/picture/map_picture.h"

/// Lanes whose axes are not frequency and level: drawn from what the axes say of themselves.
namespace lalometer {
namespace {

using ::testing::ElementsAre;

std::vector<double> strong(const std::vector<Tick>& ticks) {
  std::vector<double> values;
  for (const Tick& t : ticks)
    if (t.strong) values.push_back(t.value);
  return values;
}

std::vector<double> labelled(const std::vector<Tick>& ticks) {
  std::vector<double> values;
  for (const Tick& t : ticks)
    if (!t.label.empty()) values.push_back(t.value);
  return values;
}

QImage drawn(const LaneContent& content, const LaneGeometry& geometry,
             PictureQuality quality = PictureQuality::kFine) {
  return lane_picture({content, geometry, Theme::light(), 1.0, 1.5, quality});
}

TEST(LaneAxes, TicksFollowTheScale) {
  LaneAxis decibel{.quantity = AxisQuantity::kLevel, .scale = AxisScale::kDecibel, .unit = "dB"};
  EXPECT_THAT(strong(axis_ticks(decibel, 62.0, 91.0, 200.0, 26.0)), ElementsAre(70.0, 80.0, 90.0));
  LaneAxis angle{.quantity = AxisQuantity::kAngle, .unit = "°"};
  EXPECT_THAT(labelled(axis_ticks(angle, -180.0, 180.0, 300.0, 26.0)),
              ElementsAre(-180, -135, -90, -45, 0, 45, 90, 135, 180))
      << "parts of a turn, not steps of 50";
  LaneAxis ohm{.scale = AxisScale::kLogarithmic, .unit = "ohm"};
  EXPECT_THAT(strong(axis_ticks(ohm, 2.0, 200.0, 150.0, 26.0)), ElementsAre(10.0, 100.0));
}

TEST(LaneAxes, ZoomingAndMovingALogarithmicScaleKeepsItsRatios) {
  const LaneRange zoom = zoomed({1.0, 100.0}, AxisScale::kLogarithmic, 10.0, 0.5);
  EXPECT_NEAR(zoom.low, std::sqrt(10.0), 1e-9);
  EXPECT_NEAR(zoom.high, 10.0 * std::sqrt(10.0), 1e-9);
  const LaneRange moved = shifted({1.0, 100.0}, AxisScale::kLogarithmic, 0.5);
  EXPECT_NEAR(moved.low, 10.0, 1e-9);
  EXPECT_NEAR(moved.high, 1000.0, 1e-9);
  const LaneRange line = shifted({-10.0, 10.0}, AxisScale::kDecibel, 0.25);
  EXPECT_EQ(line.low, -5.0);
  EXPECT_EQ(line.high, 15.0);
}

// Impedance over the level of a series, both logarithmic: nothing in it is frequency or dB.
TEST(LaneAxes, ACurveOverLevelStandsWhereBothAxesSay) {
  LaneContent content;
  content.across = {.quantity = AxisQuantity::kLevel,
                    .scale = AxisScale::kLogarithmic,
                    .unit = "V",
                    .low = 0.1,
                    .high = 10.0};
  content.left = {.scale = AxisScale::kLogarithmic, .unit = "ohm", .low = 1.0, .high = 100.0};
  Series s;
  for (double x = 0.1; x < 10.0; x *= 1.02) {
    s.x.push_back(x);
    s.y.push_back(10.0);
  }
  s.chosen = true;
  const QImage without = drawn(content, lane_geometry(content, 600, 200, {}, {1.0, 100.0}));
  content.add_curves() = {s};
  const LaneGeometry g = lane_geometry(content, 600, 200, {}, {1.0, 100.0});
  const double middle = 0.5 * (g.up.top_px + g.up.bottom_px);
  EXPECT_NEAR(g.up.px(10.0), middle, 1e-9) << "half of two decades";
  EXPECT_EQ(g.across.low, 0.1) << "not the score's frequencies";
  EXPECT_LT(g.up.bottom_px, 200.0 - 10.0) << "with an axis of its own under it";
  const QImage image = drawn(content, g);
  const int x = static_cast<int>(g.across.px(0.37));
  EXPECT_NE(image.pixel(x, static_cast<int>(middle)), without.pixel(x, static_cast<int>(middle)));
  EXPECT_EQ(image.pixel(x, static_cast<int>(middle) + 20),
            without.pixel(x, static_cast<int>(middle) + 20));
}

TEST(LaneAxes, AKeptRangeBelowZeroDoesNotReachALogarithmicScale) {
  LaneContent content;
  content.left = {.scale = AxisScale::kLogarithmic, .low = 1.0, .high = 50.0};
  const LaneGeometry g = lane_geometry(content, 600, 200, {}, {-3.0, 40.0});
  EXPECT_EQ(g.up.low, 1.0);
  EXPECT_EQ(g.up.high, 50.0);
}

// Decay: periods across, an angle up, contours on demand.
TEST(LaneAxes, AMapStandsOnTheLanesOwnAxesAndContoursAreALayer) {
  LaneContent content;
  content.across = {.quantity = AxisQuantity::kTime, .unit = "ms", .low = 0.0, .high = 40.0};
  content.left = {.quantity = AxisQuantity::kAngle, .unit = "°", .low = 0.0, .high = 90.0};
  auto& map = content.layer<ValueMap>();
  for (int i = 0; i <= 40; ++i) map.x.push_back(i);
  for (int r = 0; r <= 18; ++r) map.rows.push_back(5.0 * r);
  for (const double row : map.rows)
    for (const double x : map.x) {
      (void)row;
      map.values.push_back(x < 20.0 ? 0.0F : -30.0F);
    }
  const LaneGeometry g = lane_geometry(content, 600, 220, {}, {0.0, 90.0});
  const QImage plain = drawn(content, g);
  const auto pixel = [&](const QImage& image, double x, double row) {
    return image.pixel(static_cast<int>(g.across.px(x)), static_cast<int>(g.up.px(row)));
  };
  EXPECT_EQ(pixel(plain, 13.2, 38.0), map_colour(1.0, false));
  EXPECT_EQ(pixel(plain, 33.2, 38.0), map_colour(0.0, false));
  content.layer<ContourLayer>().step = 6.0;
  EXPECT_NE(plain, drawn(content, g));
  EXPECT_EQ(drawn(content, g, PictureQuality::kCoarse),
            drawn(
                [&] {
                  LaneContent bare = content;
                  std::erase_if(bare.layers, [](const LaneLayer& l) {
                    return std::holds_alternative<ContourLayer>(l);
                  });
                  return bare;
                }(),
                g, PictureQuality::kCoarse))
      << "while something moves, without contours";
}

}  // namespace
}  // namespace lalometer
