// Angles in file names, and AES69 files written and read back.
#include <gmock/gmock.h>

#include "exchange/angles/angle_names.h"
#include "exchange/angles/sofa_file.h"
#include "support/support.h"

namespace lalometer {
namespace {

using testing::HasSubstr;

TEST(AngleNames, TheUsualHabitsAreUnderstood) {
  const std::tuple<const char*, bool, double> names[] = {
      {"h30.frd", false, 30.0},         {"H-030.txt", false, -30.0},
      {"hor_30.frd", false, 30.0},      {"v+10.frd", true, 10.0},
      {"ver -10.frd", true, -10.0},     {"30deg.frd", false, 30.0},
      {"kiosk_30.frd", false, 30.0},    {"kiosk hor 150.frd", false, 150.0},
      {"h+000.frd", false, 0.0},        {"on axis 0.frd", false, 0.0},
      {"h180.frd", false, 180.0},       {"h-180.frd", false, 180.0},
      {"h330.frd", false, -30.0},       {"h30 v0.frd", false, 30.0},
      {"h0 v-20.frd", true, -20.0},     {"Kiosk 2 h40.frd", false, 40.0},
      {"vertical_-40.frd", true, -40.0}};
  for (const auto& [name, vertical, degrees] : names) {
    const auto angle = angle_of_name(name);
    ASSERT_TRUE(angle) << name;
    EXPECT_EQ(angle->vertical, vertical) << name;
    EXPECT_EQ(angle->degrees, degrees) << name;
  }
}

TEST(AngleNames, NothingIsGuessed) {
  for (const char* name : {"kiosk.frd", "h30 v20.frd", "take 3 of 12.frd", "12000.frd"})
    EXPECT_FALSE(angle_of_name(name)) << name;
}

SofaSet some_set() {
  SofaSet set;
  set.title = "Kiosk";
  const FrequencyAxis axis = FrequencyAxis::logarithmic(50.0, 20000.0, 12.0);
  for (const auto& [h, v] : {std::pair(0.0, 0.0),
                             {30.0, 0.0},
                             {-150.0, 0.0},
                             {180.0, 0.0},
                             {0.0, 40.0},
                             {0.0, -120.0}}) {
    std::vector<std::complex<double>> values;
    for (const double f : axis.hz()) values.push_back(std::polar(0.2 + 0.001 * h, -0.001 * f + v));
    SofaDirection d;
    d.horizontal_deg = h;
    d.vertical_deg = v;
    d.distance_m = 2.0;
    d.response =
        *Response::make(axis, std::move(values), Quantity::kPressure, {50.0, 20000.0}, true);
    set.directions.push_back(std::move(d));
  }
  return set;
}

TEST(Sofa, WritingThenReadingGivesTheSameBack) {
  const test::TemporaryFolder folder;
  const SofaSet set = some_set();
  ASSERT_TRUE(write_sofa(set, folder / "kiosk.sofa"));
  const auto back = read_sofa(folder / "kiosk.sofa");
  ASSERT_TRUE(back) << back.error().text();
  EXPECT_EQ(back->convention, "FreeFieldDirectivityTF");
  EXPECT_EQ(back->title, "Kiosk");
  ASSERT_EQ(back->directions.size(), set.directions.size());
  for (std::size_t k = 0; k < set.directions.size(); ++k) {
    EXPECT_NEAR(back->directions[k].horizontal_deg, set.directions[k].horizontal_deg, 1e-9);
    EXPECT_NEAR(back->directions[k].vertical_deg, set.directions[k].vertical_deg, 1e-9);
    EXPECT_NEAR(back->directions[k].distance_m, 2.0, 1e-9);
    const Response& a = *set.directions[k].response;
    const Response& b = *back->directions[k].response;
    ASSERT_EQ(a.size(), b.size());
    for (std::size_t i = 0; i < a.size(); ++i) EXPECT_LT(std::abs(a.value(i) - b.value(i)), 1e-12);
  }
  const auto again = write_sofa(set, folder / "kiosk.sofa");
  ASSERT_FALSE(again);
  EXPECT_THAT(again.error().text(), HasSubstr("there already"));
}

TEST(Sofa, WhatIsNoneSaysSo) {
  const test::TemporaryFolder folder;
  test::write(folder / "text.sofa", "20 80 0\n");
  const auto none = read_sofa(folder / "text.sofa");
  ASSERT_FALSE(none);
  EXPECT_THAT(none.error().text(), HasSubstr("no AES69 file"));
  EXPECT_FALSE(write_sofa({}, folder / "empty.sofa"));
}

}  // namespace
}  // namespace lalometer
