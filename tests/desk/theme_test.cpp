#include "desk/parts/theme.h"

#include <gtest/gtest.h>

#include <array>
#include <cmath>

#include "desk/score/picture/map_picture.h"

namespace lalometer {
namespace {

double linear(int channel) {
  const double c = channel / 255.0;
  return c <= 0.04045 ? c / 12.92 : std::pow((c + 0.055) / 1.055, 2.4);
}

/// Relative luminance and contrast ratio, WCAG 2.1 (definitions of "relative luminance" and
/// "contrast ratio").
double luminance(const QColor& c) {
  return 0.2126 * linear(c.red()) + 0.7152 * linear(c.green()) + 0.0722 * linear(c.blue());
}
double contrast(const QColor& a, const QColor& b) {
  const double x = luminance(a);
  const double y = luminance(b);
  return (std::max(x, y) + 0.05) / (std::min(x, y) + 0.05);
}

using Triple = std::array<double, 3>;

/// CIE L*a*b* of linear sRGB, D65 white.
Triple lab(const Triple& rgb) {
  const Triple xyz = {(0.4124 * rgb[0] + 0.3576 * rgb[1] + 0.1805 * rgb[2]) / 0.9505,
                      0.2126 * rgb[0] + 0.7152 * rgb[1] + 0.0722 * rgb[2],
                      (0.0193 * rgb[0] + 0.1192 * rgb[1] + 0.9505 * rgb[2]) / 1.089};
  const auto f = [](double t) { return t > 0.008856 ? std::cbrt(t) : 7.787 * t + 16.0 / 116.0; };
  return {116.0 * f(xyz[1]) - 16.0, 500.0 * (f(xyz[0]) - f(xyz[1])),
          200.0 * (f(xyz[1]) - f(xyz[2]))};
}

/// Linear sRGB as a dichromat sees it. Source: F. Vienot, H. Brettel, J. D. Mollon, Color Res.
/// Appl. 24 (1999) 243: matrices in linear RGB (from memory).
Triple dichromat(const QColor& c, bool protan) {
  const double r = linear(c.red());
  const double g = linear(c.green());
  const double b = linear(c.blue());
  const double mixed = protan ? 0.11238 * r + 0.88762 * g : 0.29275 * r + 0.70725 * g;
  const double blue = protan ? 0.00401 * r - 0.00401 * g + b : -0.02234 * r + 0.02234 * g + b;
  return {mixed, mixed, std::clamp(blue, 0.0, 1.0)};
}

TEST(Theme, TextIsReadable) {
  for (const Theme& theme : {Theme::light(), Theme::night()}) {
    for (const QColor& ground : {theme.paper, theme.sheet}) {
      EXPECT_GT(contrast(theme.ink, ground), 7.0);
      EXPECT_GT(contrast(theme.quiet, ground), 4.5);
      EXPECT_GT(contrast(theme.refuse, ground), 4.5);
      EXPECT_GT(contrast(theme.accent, ground), 4.5);
    }
  }
}

TEST(CurveStyles, StayApartForDichromatsByColourOrDash) {
  for (const bool dark : {false, true}) {
    for (int i = 0; i < 8; ++i) {
      for (int j = i + 1; j < 8; ++j) {
        const CurveStyle a = curve_style(i, dark);
        const CurveStyle b = curve_style(j, dark);
        // Two of one dash must differ by far in colour, two of one hue by dash: colour is never the
        // only code.
        const double least = a.dash_px == b.dash_px ? 15.0 : 4.0;
        for (const bool protan : {false, true}) {
          const Triple x = lab(dichromat(a.colour, protan));
          const Triple y = lab(dichromat(b.colour, protan));
          EXPECT_GT(std::hypot(x[0] - y[0], x[1] - y[1], x[2] - y[2]), least)
              << i << " " << j << (dark ? " dark" : " light");
        }
      }
    }
  }
}

TEST(CurveStyles, AreAllDifferentUpToTheirCount) {
  for (int i = 0; i < kCurveStyleCount; ++i) {
    for (int j = i + 1; j < kCurveStyleCount; ++j) {
      const CurveStyle a = curve_style(i, false);
      const CurveStyle b = curve_style(j, false);
      EXPECT_TRUE(a.colour != b.colour || a.dash_px != b.dash_px) << i << " " << j;
    }
  }
  EXPECT_EQ(curve_style(kCurveStyleCount, false).colour, curve_style(0, false).colour);
}

TEST(MapColours, RiseEvenlyInLightness) {
  for (const bool dark : {false, true}) {
    double before = -1.0;
    for (int i = 0; i <= 10; ++i) {
      const QColor c(map_colour(i / 10.0, dark));
      const double lightness = lab({linear(c.red()), linear(c.green()), linear(c.blue())})[0];
      if (i > 0) {
        EXPECT_GT(lightness - before, 3.0) << i;
        EXPECT_LT(lightness - before, 14.0) << i;
      }
      before = lightness;
    }
  }
}

}  // namespace
}  // namespace lalometer
