#include <gmock/gmock.h>

#include <cmath>

#include "workbench/reading/scale/contours.h"
#include "workbench/reading/scale/palette.h"

namespace lalometer {
namespace {

/// Lightness of CIE 1976, 0 to 100, of a colour of the sRGB screen (IEC 61966-2-1).
double lightness(Rgb c) {
  const auto linear = [](double v) {
    v /= 255.0;
    return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4);
  };
  const double y = 0.2126 * linear(c.red) + 0.7152 * linear(c.green) + 0.0722 * linear(c.blue);
  return y > 0.008856 ? 116.0 * std::cbrt(y) - 16.0 : 903.3 * y;
}

// Equal steps of the map look equally far apart: lightness rises evenly.
TEST(Palette, AMapsLightnessRisesEvenly) {
  for (const bool dark : {false, true}) {
    double smallest = 1e9, largest = 0.0, before = lightness(map_share_colour(0.0, dark));
    for (int i = 1; i <= 8; ++i) {
      const double now = lightness(map_share_colour(i / 8.0, dark));
      smallest = std::min(smallest, now - before);
      largest = std::max(largest, now - before);
      before = now;
    }
    EXPECT_GT(smallest, 0.0) << "never back";
    EXPECT_LT(largest, 2.6 * smallest) << dark;
  }
  EXPECT_EQ(map_share_colour(-1.0, false), map_share_colour(0.0, false));
  EXPECT_EQ(map_share_colour(7.0, false), map_share_colour(1.0, false));
}

// A line is read on its ground: a contrast of three to one (WCAG 2.1, graphical objects).
TEST(Palette, LinesStandOutOfTheirSheet) {
  const auto luminance = [](Rgb c) {
    const double l = lightness(c);
    return l > 8.0 ? std::pow((l + 16.0) / 116.0, 3) : l / 903.3;
  };
  for (const bool dark : {false, true}) {
    const double sheet = luminance(dark ? Rgb{0x1C, 0x24, 0x28} : Rgb{0xFB, 0xF9, 0xF5});
    for (int i = 0; i < kLineColours; ++i) {
      const double line = luminance(line_colour(i, dark));
      const double ratio = (std::max(line, sheet) + 0.05) / (std::min(line, sheet) + 0.05);
      EXPECT_GE(ratio, 3.0) << i << (dark ? " at night" : "");
    }
  }
  EXPECT_EQ(line_colour(8, false), line_colour(0, false));
  EXPECT_NE(line_dash(8), line_dash(0)) << "the ninth has another dash";
  EXPECT_EQ(hex_of({14, 107, 114}), "#0e6b72");
}

ValueMap plane(double across, double up) {
  ValueMap map;
  for (int i = 0; i < 21; ++i) map.x.push_back(i);
  for (int r = 0; r < 11; ++r) map.rows.push_back(r);
  for (int r = 0; r < 11; ++r)
    for (int i = 0; i < 21; ++i) map.values.push_back(static_cast<float>(across * i + up * r));
  map.low = -100.0;
  map.high = 100.0;
  return map;
}

// On a plane a x + b y the contours are its own straight lines, and as long as they cross it.
TEST(Contours, OfAPlaneAreItsLines) {
  const ValueMap map = plane(1.0, 2.0);
  const auto pieces = contour_pieces(map, 5.0, map.x, map.rows);
  ASSERT_FALSE(pieces.empty());
  double length = 0.0;
  for (const ContourPiece& p : pieces) {
    const double a = p.x1 + 2.0 * p.y1, b = p.x2 + 2.0 * p.y2;
    EXPECT_NEAR(a, b, 1e-6);
    EXPECT_NEAR(a / 5.0, std::round(a / 5.0), 1e-6);
    length += std::hypot(p.x2 - p.x1, p.y2 - p.y1);
  }
  // 5, 10, 15, 20 and 25, 30, 35 cut the rectangle of 20 by 10: by hand.
  double wanted = 0.0;
  for (const double level : {5.0, 10.0, 15.0, 20.0, 25.0, 30.0, 35.0}) {
    const double y_low = std::max(0.0, 0.5 * (level - 20.0)), y_high = std::min(10.0, 0.5 * level);
    wanted += (y_high - y_low) * std::sqrt(5.0);
  }
  EXPECT_NEAR(length, wanted, 0.02 * wanted);
}

TEST(Contours, NeverCrossWhatIsNotKnown) {
  ValueMap map = plane(1.0, 0.0);
  for (std::size_t r = 0; r < 11; ++r) map.values[r * 21 + 10] = std::nanf("");
  for (const ContourPiece& p : contour_pieces(map, 1.0, map.x, map.rows)) {
    EXPECT_FALSE(p.x1 > 9.0 && p.x1 < 11.0) << p.x1;
    EXPECT_FALSE(p.x2 > 9.0 && p.x2 < 11.0) << p.x2;
  }
  EXPECT_TRUE(contour_pieces(plane(0.0, 0.0), 7.0, map.x, map.rows).empty()) << "flat";
}

}  // namespace
}  // namespace lalometer
