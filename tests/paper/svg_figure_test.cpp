#include "paper/figure/svg_figure.h"

#include <gmock/gmock.h>

#include <cmath>
#include <limits>
#include <set>

#include "paper/figure/png_image.h"
#include "paper/page/pdf_page.h"

namespace lalometer {
namespace {

using ::testing::HasSubstr;

LaneContent one_curve() {
  LaneContent content;
  content.title = "Level <of> a & b";
  content.left = {.quantity = AxisQuantity::kLevel,
                  .scale = AxisScale::kDecibel,
                  .unit = "dB",
                  .low = 50.0,
                  .high = 100.0};
  Series s;
  s.label = "sum";
  s.chosen = true;
  for (double f = 20.0; f <= 20000.0; f *= 10.0) {
    s.x.push_back(f);
    s.y.push_back(80.0);
  }
  content.add_curves().push_back(s);
  return content;
}

/// Numbers of an attribute that stand apart by commas, after its first word.
std::vector<double> numbers(const std::string& svg, const std::string& name) {
  const auto from = svg.find(name + "=\"") + name.size() + 2;
  std::string text = svg.substr(from, svg.find('"', from) - from);
  std::vector<double> all;
  for (auto at = text.find(','); at != std::string::npos; at = text.find(',', at + 1))
    all.push_back(std::stod(text.substr(at + 1)));
  return all;
}

std::string path_of(const std::string& svg) {
  const auto curve = svg.find("class=\"curve\"");
  const auto from = svg.find(" d=\"", curve) + 4;
  return svg.substr(from, svg.find('"', from) - from);
}

TEST(SvgFigure, StandsWhereItsScalesSay) {
  const std::string svg = svg_figure(one_curve(), {});
  const auto y = numbers(svg, "data-y");  // low, high, from, to
  ASSERT_EQ(y.size(), 4U);
  const std::string d = path_of(svg);
  const double at = std::stod(d.substr(d.find(' ') + 1));
  EXPECT_NEAR(y[0] + (y[1] - y[0]) * (at - y[2]) / (y[3] - y[2]), 80.0, 0.05);
  EXPECT_THAT(svg, HasSubstr("Level &lt;of&gt; a &amp; b"));
  // Its own name alone looks like an address.
  EXPECT_EQ(svg.find("http", svg.find("http") + 1), std::string::npos);
  EXPECT_EQ(svg, svg_figure(one_curve(), {}));
}

// A straight run needs its two ends alone; what bends keeps its points.
TEST(SvgFigure, DropsPointsThatNobodySees) {
  LaneContent content = one_curve();
  Series& s = content.add_curves().front();
  s.x.clear();
  s.y.clear();
  for (int i = 0; i <= 1000; ++i) {
    s.x.push_back(20.0 * std::pow(1000.0, i / 1000.0));
    s.y.push_back(70.0 + (i < 500 ? 0.0 : 0.02 * (i - 500)));
  }
  const std::string d = path_of(svg_figure(content, {}));
  EXPECT_LT(std::count(d.begin(), d.end(), 'L'), 8);
  EXPECT_GE(std::count(d.begin(), d.end(), 'L'), 2) << "the bend is there";
}

TEST(SvgFigure, BreaksWhereNothingIsKnownAndIsFaintWhereItIsNotValid) {
  LaneContent content = one_curve();
  Series& s = content.add_curves().front();
  s.y[1] = std::numeric_limits<double>::quiet_NaN();
  const std::string d = path_of(svg_figure(content, {}));
  EXPECT_EQ(std::count(d.begin(), d.end(), 'M'), 2);
  s.y[1] = 80.0;
  s.valid_low = 300.0;
  const std::string svg = svg_figure(content, {});
  EXPECT_THAT(svg, HasSubstr("stroke-dasharray=\"1.5 3.5\""));
  EXPECT_EQ(std::count(svg.begin(), svg.end(), '\0'), 0);
}

// IEC 60263: one decade of frequency as long as 25 dB.
TEST(SvgFigure, KeepsTheStandardsProportions) {
  const std::string svg = svg_figure(one_curve(), {.db_per_decade = 25.0});
  const auto x = numbers(svg, "data-x"), y = numbers(svg, "data-y");
  const double decade = (x[3] - x[2]) / std::log10(x[1] / x[0]);
  EXPECT_NEAR(25.0 * (y[2] - y[3]) / (y[1] - y[0]), decade, 0.5);
}

TEST(SvgFigure, AMapIsAPixelAValue) {
  LaneContent content = one_curve();
  content.layers.clear();
  ValueMap map;
  for (int i = 0; i < 40; ++i) map.x.push_back(20.0 * std::pow(1000.0, i / 39.0));
  for (int r = 0; r < 7; ++r) map.rows.push_back(50.0 + 8.0 * r);
  for (int i = 0; i < 280; ++i) map.values.push_back(static_cast<float>(-i % 30));
  content.layers.emplace_back(map);
  content.layers.emplace_back(ContourLayer{3.0});
  const std::string svg = svg_figure(content, {});
  EXPECT_THAT(svg, HasSubstr("data:image/png;base64,iVBORw0KGgo")) << "a PNG: nothing is lost";
  const auto png = png_of(std::vector<Rgb>(280), 40, 7);
  // In a page the same bytes are escaped one by one.
  const std::string escaped = escaped_address(png);
  EXPECT_TRUE(escaped.starts_with("data:image/png,%89%50%4E%47%0D%0A%1A%0A"))
      << escaped.substr(0, 40);
  EXPECT_EQ(escaped.size(), 15 + 3 * png.size());
  FigureWish page;
  page.ink = FigureInk::of_page();
  EXPECT_THAT(svg_figure(content, page), HasSubstr("data:image/png,%89%50"));
  EXPECT_EQ(std::to_integer<int>(png[19]), 40) << "width, in the first chunk";
  EXPECT_EQ(std::to_integer<int>(png[23]), 7);
  // And it can be drawn by others.
  EXPECT_TRUE(png_of_svg(svg, 360).has_value());
}

TEST(SvgFigure, EveryDashAndEveryColourOfTheFirstEightDiffers) {
  LaneContent content = one_curve();
  const Series first = content.curves().front();
  for (int i = 1; i < 8; ++i) {
    Series s = first;
    s.style = i;
    s.label = std::to_string(i);
    content.add_curves().push_back(s);
  }
  const std::string svg = svg_figure(content, {});
  std::set<std::string> looks;
  for (auto at = svg.find("class=\"curve\""); at != std::string::npos;
       at = svg.find("class=\"curve\"", at + 1)) {
    const auto style = svg.find("style=", at);
    looks.insert(svg.substr(style, svg.find("/>", style) - style));
  }
  EXPECT_EQ(looks.size(), 8U) << "readable in black and white";
}

TEST(Pictures, WhatIsNoSvgIsRefused) {
  EXPECT_FALSE(png_of_svg("no picture", 100).has_value());
  EXPECT_FALSE(pdf_of_svg("<svg").has_value());
}

}  // namespace
}  // namespace lalometer
