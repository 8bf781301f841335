#include "workbench/telling/told.h"

#include <gmock/gmock.h>

#include <cmath>
#include <nlohmann/json.hpp>

namespace lalometer {
namespace {

using ::testing::ContainsRegex;
using ::testing::HasSubstr;
using json = nlohmann::json;

Told sample() {
  Told told;
  told.put("fs_hz", Estimate{42.04, 0.06}, 1.0);
  told.put_apart("qtc", {0.71, 0.02});
  told.put("f3_hz", std::optional<double>());
  told.put("repeats", 3);
  told.put("name", "woofer");
  told.put("level_db", Told::Value(std::vector<double>{90.0, std::nan(""), 88.5}));
  told.put("peaks", std::vector<Told>{Told().put("frequency_hz", 65.0).put("magnitude_ohm", 30.5)});
  told.put("coil", Told().put("model", "semi-inductance"));
  return told.note("f3_hz: not within 5 Hz to 500 Hz.");
}

TEST(Told, IsOneJsonObjectWithNullWhereNothingIsKnown) {
  const json j = json::parse(json_text(sample()));
  EXPECT_EQ(j["fs_hz"], (json{{"value", 42.04}, {"uncertainty", 0.06}}));
  EXPECT_EQ(j["qtc"], 0.71);
  EXPECT_EQ(j["uncertainty"], (json{{"qtc", 0.02}}));
  EXPECT_TRUE(j["f3_hz"].is_null());
  EXPECT_TRUE(j["repeats"].is_number_integer());
  EXPECT_EQ(j["level_db"], (json{90.0, nullptr, 88.5}))
      << "what is not a number is not told as one";
  EXPECT_EQ(j["peaks"][0]["magnitude_ohm"], 30.5);
  EXPECT_EQ(j["coil"]["model"], "semi-inductance");
  EXPECT_EQ(j["notes"].size(), 1U);
  EXPECT_FALSE(json::parse(json_text(Told().put("x", 1))).contains("notes"));
}

TEST(Told, IsATableWithUnitsIntervalsRowsAndNotes) {
  const std::string text = table_text(sample());
  EXPECT_THAT(text, ContainsRegex("fs_hz +42.04 ± 0.06 Hz\n"));
  EXPECT_THAT(text, ContainsRegex("qtc +0.71 ± 0.02\n"));
  EXPECT_THAT(text, ContainsRegex("peaks +frequency 65.0 Hz, magnitude 30.5 ohm\n"));
  EXPECT_THAT(text, ContainsRegex("coil +semi-inductance\n"));
  EXPECT_THAT(text, HasSubstr("note: f3_hz: not within"));
  EXPECT_THAT(text, ::testing::Not(HasSubstr("88.50")))
      << "columns stand there only where asked for";
  EXPECT_THAT(table_text(sample().columns_every(1)), HasSubstr("88.50"));
}

TEST(Told, APutAgainReplacesInPlace) {
  Told told;
  told.put("a", 1).put("b", 2).put("a", 3);
  EXPECT_EQ(json_text(told), R"({"a":3,"b":2})");
}

TEST(Told, UnitsComeFromTheNames) {
  EXPECT_EQ(unit_of("le_mh"), "mH");
  EXPECT_EQ(unit_of("sensitivity_db_2v83_1m"), "dB");
  EXPECT_EQ(unit_of("peak_dissipation_at_hz"), "Hz");
  EXPECT_EQ(unit_of("qts"), "");
  EXPECT_EQ(unit_of("s"), "") << "a name alone is no unit";
}

// A response's first milliseconds decide a gate: three digits of a second would be 34 cm.
TEST(Told, MomentsKeepTheirMicroseconds) {
  EXPECT_THAT(table_text(Told().put("arrival_s", 0.002918)), HasSubstr("0.002918 s"));
  EXPECT_THAT(table_text(Told().put("real", true).put("place", 2)), HasSubstr("yes"));
  EXPECT_EQ(json_text(Told().put("ids", std::vector<std::int64_t>{3, 4})), R"({"ids":[3,4]})");
  EXPECT_EQ(json_text(Told().put("none", nullptr)), R"({"none":null})");
}

}  // namespace
}  // namespace lalometer
