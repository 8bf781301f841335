#include "exchange/set/driver_file.h"

#include <gmock/gmock.h>

#include "support/support.h"

namespace lalometer {
namespace {

using test::TemporaryFolder;
using ::testing::HasSubstr;

constexpr const char* kWhole =
    R"({"fs_hz": 42, "qms": 4.5, "qes": 0.42, "vas_l": 21.5, "sd_cm2": 132, "re_ohm": 5.6)";

TEST(DriverFile, GivesTheFiguresBackAsElements) {
  const TemporaryFolder folder;
  test::write(folder / "d.json",
              std::string(kWhole) + R"(, "le_mh": 0.3, "xmax_mm": 5, "power_w": 60})");
  const auto file = read_driver(folder / "d.json");
  ASSERT_TRUE(file.has_value()) << file.error().text();
  EXPECT_NEAR(file->driver.fs_hz(), 42.0, 1e-9);
  EXPECT_NEAR(file->driver.qms(), 4.5, 1e-9);
  EXPECT_NEAR(file->driver.qes(), 0.42, 1e-9);
  EXPECT_NEAR(file->driver.vas_m3(), 0.0215, 1e-12);
  EXPECT_NEAR(file->driver.le_h, 0.0003, 1e-12);
  EXPECT_NEAR(*file->xmax_m, 0.005, 1e-12);
  EXPECT_EQ(*file->power_w, 60.0);
}

TEST(DriverFile, TakesFiguresWithTheirUncertaintyToo) {
  const TemporaryFolder folder;
  test::write(
      folder / "d.json",
      R"({"fs_hz": {"value": 42, "uncertainty": 0.3}, "qms": {"value": 4.5}, "qes": 0.42, "vas_l": 21.5,
    "sd_cm2": 132, "re_ohm": 5.6})");
  const auto file = read_driver(folder / "d.json");
  ASSERT_TRUE(file.has_value()) << file.error().text();
  EXPECT_NEAR(file->driver.fs_hz(), 42.0, 1e-9);
  EXPECT_FALSE(file->xmax_m.has_value()) << "what is not specified is absent";
}

TEST(DriverFile, NamesFileAndKeyOfWhatIsWrong) {
  const TemporaryFolder folder;
  const auto complaint = [&](const std::string& text) {
    test::write(folder / "d.json", text);
    const auto file = read_driver(folder / "d.json");
    EXPECT_FALSE(file.has_value());
    return file ? std::string() : file.error().text();
  };
  EXPECT_THAT(complaint(R"({"fs_hz": 42})"), HasSubstr("qms"));
  EXPECT_THAT(complaint(R"({"fs_hz": -1, "qms": 4})"), HasSubstr("above 0"));
  EXPECT_THAT(complaint("[1, 2]"), HasSubstr("d.json"));
  EXPECT_THAT(complaint(R"({"fs_hz": "forty"})"), HasSubstr("fs_hz"));
  EXPECT_EQ(read_driver(folder / "none.json").error().code, ErrorCode::kNotFound);
}

}  // namespace
}  // namespace lalometer
