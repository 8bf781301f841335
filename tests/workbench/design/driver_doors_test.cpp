#include <gmock/gmock.h>

#include "exchange/audio_file.h"
#include "exchange/set/driver_file.h"
#include "support/descriptions.h"
#include "support/support.h"
#include "workbench/design/box_candidates.h"
#include "workbench/practice/practice_subject.h"

namespace lalometer {
namespace {

using ::testing::HasSubstr;

/// The same driver by every door: what boxes weigh, what the practice bench plays, what a file of
/// its own tells.
TEST(DriverParameters, AreTheSameForBoxesBenchAndFiles) {
  const char* const figures = R"("sd_cm2": 132, "fs_hz": 42, "qms": 4.2, "qes": 0.46, "vas_l": 21.5,
    "re_ohm": 5.6, "le_mh": 0.31, "xmax_mm": 5)";
  const Description d = described(fmt::format(
      R"({{"loading": "sealed", "drivers": [{{"id": "w", "role": "woofer", {}}}]}})", figures));
  const auto boxed = box_driver_of(d);
  const auto played = practice_speaker_of(d, "");
  const test::TemporaryFolder folder;
  ASSERT_TRUE(write_file(folder / "w.json", fmt::format("{{{}}}", figures)).has_value());
  const auto file = read_driver(folder / "w.json");
  ASSERT_TRUE(boxed && played && file);
  const DriverParameters& own = boxed->driver;
  for (const DriverParameters* other : {&played->ways.front().driver, &file->driver}) {
    EXPECT_DOUBLE_EQ(other->fs_hz(), own.fs_hz());
    EXPECT_DOUBLE_EQ(other->bl_tm, own.bl_tm);
    EXPECT_DOUBLE_EQ(other->mms_kg, own.mms_kg);
    EXPECT_DOUBLE_EQ(other->rms_kg_per_s, own.rms_kg_per_s);
    EXPECT_DOUBLE_EQ(other->le_h, own.le_h);
    EXPECT_DOUBLE_EQ(other->le2_h, own.le2_h);
  }
  EXPECT_EQ(file->xmax_m, boxed->xmax_m);
  EXPECT_FALSE(boxed->usual);
}

TEST(DriverParameters, AreRefusedWhereTheyCannotBe) {
  for (const auto& [figures, word] : {std::pair{R"("fs_hz": -40)", "fs_hz"},
                                      {R"("qes": 0)", "qes"},
                                      {R"("sd_cm2": 0)", "sd_cm2"},
                                      {R"("xmax_mm": -1)", "xmax_mm"},
                                      {R"("le_mh": -0.1)", "le_mh"}}) {
    const auto read =
        box_driver_of(described(fmt::format(R"({{"drivers": [{{"id": "w", {}}}]}})", figures)));
    ASSERT_FALSE(read.has_value()) << figures;
    EXPECT_THAT(read.error().text(), HasSubstr(word));
    EXPECT_THAT(read.error().text(), HasSubstr("\"w\""));
  }
}

}  // namespace
}  // namespace lalometer
