#include <gmock/gmock.h>

#include <nlohmann/json.hpp>

#include "support/descriptions.h"
#include "support/support.h"

namespace lalometer {
namespace {

using ::testing::HasSubstr;
using json = nlohmann::json;

/// Every member of the files' subject once, and one more at each level that nobody knows.
const char* const kWhole = R"({
  "loading": "vented", "made_by": "the workshop",
  "drivers": [{"id": "woofer", "role": "woofer", "diameter_mm": 165, "sd_cm2": 132, "x_mm": 1, "y_mm": -95.5,
    "z_mm": 2, "re_ohm": 5.6, "fs_hz": 42, "qms": 4.2, "qes": 0.46, "qts": 0.41, "vas_l": 21.5, "le_mh": 0.3,
    "mms_g": 15, "bl_tm": 7, "sensitivity_db_2v83_1m": 88, "xmax_mm": 4.5, "power_w": 40, "breakup_hz": 4000,
    "delay_ms": 0.1, "inverted": true, "glue": "white",
    "ladder": [{"place": "series", "ohm": 0.25, "mh": 0.68, "maker": "own"}, {"place": "shunt", "uf": 9.1}],
    "waveguide": {"throat_mm": 25, "mouth_mm": 150, "half_angle_deg": 45, "wood": "oak"},
    "sheet": {"fs_hz": 40, "qts": 0.43, "page": 3}}],
  "baffle": {"width_mm": 210, "height_mm": 380, "depth_mm": 300, "left_mm": 105, "top_mm": 150,
             "edge_radius_mm": 0, "edge_chamfer_mm": 12, "veneer": "beech"},
  "box": {"net_volume_l": 14, "inner_width_mm": 178, "inner_height_mm": 348, "inner_depth_mm": 262,
          "damping": "lined", "ql": 9, "qa": 12, "qp": 60, "tuning_hz": 45, "braces": 2},
  "ports": [{"id": "port", "panel": "back", "diameter_mm": 50, "length_mm": 130, "count": 1, "slot_height_mm": 12,
             "flare_radius_mm": 5, "x_mm": 0, "y_mm": -120, "foam": false}],
  "passive_radiators": [{"id": "pr", "panel": "back", "diameter_mm": 200, "sd_cm2": 210, "moving_mass_g": 60,
                         "fs_hz": 18, "qms": 8, "x_mm": 0, "y_mm": 10, "plate": "steel"}],
  "wings": {"left_mm": 50, "right_mm": 80, "hinged": true},
  "crossovers": [{"low": "woofer", "high": "tweeter", "frequency_hz": 2200, "order": 2, "kind": "passive"}]})";

TEST(DescriptionText, LosesNothingOfWhatItIsTold) {
  const Description d = described(kWhole);
  EXPECT_EQ(json::parse(to_json(d)), json::parse(kWhole));
  EXPECT_EQ(described(to_json(d)), d);
  ASSERT_EQ(d.drivers.size(), 1U);
  EXPECT_EQ(d.drivers[0].sheet.fs_hz, 40.0);
  EXPECT_EQ(d.drivers[0].figures.fs_hz, 42.0) << "measured and quoted are told apart";
  EXPECT_THAT(to_json(d), HasSubstr(R"("length_mm":130,)")) << "as people write whole numbers";
}

TEST(DescriptionText, KeepsAWordWhereANumberShouldBeAndDoesNotReadIt) {
  const Description d =
      described(R"({"baffle": {"width_mm": "wide", "height_mm": null}, "ports": "two"})");
  EXPECT_FALSE(d.baffle->width_mm);
  EXPECT_TRUE(d.ports.empty());
  EXPECT_EQ(json::parse(to_json(d)),
            json::parse(R"({"baffle": {"width_mm": "wide", "height_mm": null}, "ports": "two"})"));
  Description told = d;
  told.baffle->width_mm = 210.0;
  EXPECT_EQ(json::parse(to_json(told))["baffle"]["width_mm"], 210) << "what is told now counts";
}

TEST(DescriptionText, NamesThePlaceOfWhatIsNoDriverOrPort) {
  for (const auto& [text, place] : {std::pair{R"({"drivers": [{}, 7]})", "drivers[1]"},
                                    {R"({"drivers": [{"ladder": [[]]}]})", "drivers[0].ladder[0]"},
                                    {R"([1])", "JSON object"},
                                    {R"({"ports")", "JSON object"}}) {
    const auto read = description_from_json(text, "kiosk.json");
    ASSERT_FALSE(read.has_value()) << text;
    EXPECT_THAT(read.error().text(), HasSubstr(place));
    EXPECT_THAT(read.error().text(), HasSubstr("kiosk.json"));
  }
}

// Tables and files call a figure by one name; the names lead to different figures, all of them.
TEST(DescriptionText, FiguresAreFoundByTheNamesThatFilesUse) {
  DriverFigures figures;
  double value = 1.0;
  for (const char* key : {"re_ohm", "fs_hz", "qms", "qes", "qts", "vas_l", "le_mh", "mms_g",
                          "bl_tm", "sensitivity_db_2v83_1m"}) {
    const auto figure = figure_named(key);
    ASSERT_NE(figure, nullptr) << key;
    EXPECT_FALSE(figures.*figure) << key << " is another one's too";
    figures.*figure = value++;
  }
  EXPECT_EQ(figures.sensitivity_db_2v83_1m, 10.0);
  EXPECT_EQ(figure_named("xmax_mm"), nullptr);
  EXPECT_EQ(figure_named(""), nullptr);
}

TEST(DescriptionText, NameAndKindAreTheSubjectsOwn) {
  EXPECT_EQ(described(R"({"name": "Kiosk", "kind": "driver"})"), Description{});
}

}  // namespace
}  // namespace lalometer
