#include <gmock/gmock.h>

#include "acoustics/enclosure/driver_circuit.h"
#include "acoustics/signal/sweep.h"
#include "cli/cli_support.h"
#include "cli/commands.h"
#include "exchange/audio_file.h"
#include "support/support.h"

namespace lalometer {
namespace {

using nlohmann::json;
using test::Outcome;
using test::run;
using test::TemporaryFolder;
using ::testing::HasSubstr;

TEST(CliDesign, DiffractionOfASetGivesRippleEdgesAndStep) {
  const TemporaryFolder folder;
  test::write(folder / "set.json",
              R"({"format": "lalometer-set", "version": 1, "takes": [], "subject": {"name": "K",
    "drivers": [{"id": "dome", "role": "tweeter", "sd_cm2": 7.5, "y_mm": 60}],
    "baffle": {"width_mm": 210, "height_mm": 380, "depth_mm": 300, "left_mm": 105, "top_mm": 150}}})");
  const json j =
      run({"diffraction", folder.path().string(), "--driver", "dome", "--json"}).parsed();
  EXPECT_EQ(j["frequency_hz"].size(), j["level_db"].size());
  // tests/reference/baffle_bem.py 0.21 0.38 0.30 0.105 0.29 0.0155 1.0 0 20
  EXPECT_NEAR(j["level_db"][0].get<double>(), -5.181, 0.1);
  ASSERT_EQ(j["edges"].size(), 4U);
  EXPECT_EQ(j["edges"][0]["name"], "top");
  EXPECT_NEAR(j["edges"][0]["distance_mm"].get<double>(), 90.0, 1e-9);
  EXPECT_NEAR(j["edges"][0]["first_dip_hz"].get<double>(), 343.0 / 0.09, 1e-6);
  EXPECT_NEAR(j["baffle_step_hz"].get<double>(), 547.6, 0.1);
  const json tried =
      run({"diffraction", folder.path().string(), "--try-positions", "--json"}).parsed();
  EXPECT_LT(tried["best_position"]["ripple_db"].get<double>(),
            tried["best_position"]["ripple_here_db"].get<double>());
  EXPECT_LT(std::abs(tried["best_position"]["x_mm"].get<double>()), 105.0)
      << "re the baffle's origin";
  const Outcome missing = run({"diffraction", folder.path().string(), "--driver", "woofer"});
  EXPECT_EQ(missing.status, 3);
  EXPECT_THAT(missing.err, HasSubstr("woofer"));
  EXPECT_THAT(run({"diffraction", folder.path().string()}).out,
              ::testing::ContainsRegex("baffle_step_hz +[0-9.]+ Hz"));
}

TEST(CliDesign, EnclosureGivesThePortWithoutADriverAndCurvesWithOne) {
  const TemporaryFolder folder;
  const json box = run({"enclosure", "--volume-l", "14", "--tuning-hz", "45", "--port-diameter-mm",
                        "50", "--json"})
                       .parsed();
  EXPECT_NEAR(box["fb_hz"].get<double>(), 45.0, 1e-6);
  EXPECT_NEAR(box["port_length_mm"].get<double>(), 170.0, 1.0);
  EXPECT_TRUE(box["f3_hz"].is_null());
  // Qes 0.3827 without other losses in a box of Vas / sqrt 2 tuned to fs: Butterworth, f3 = fs
  // (Thiele 1971).
  test::write(
      folder / "d.json",
      R"({"fs_hz": {"value": 40, "uncertainty": 0.2}, "qms": 1e6, "qes": 0.38268, "vas_l": 50, "sd_cm2": 200,
    "re_ohm": 6, "xmax_mm": 5, "power_w": 50})");
  const Outcome outcome = run({"enclosure", "--volume-l", "35.3553", "--tuning-hz", "40", "--ql",
                               "0", "--driver-json", (folder / "d.json").string(), "--json"});
  ASSERT_EQ(outcome.status, 0) << outcome.err;
  const json j = outcome.parsed();
  EXPECT_NEAR(j["f3_hz"].get<double>(), 40.0, 0.15);
  for (const char* key : {"response_db", "excursion_mm", "impedance_ohm", "port_velocity_m_s",
                          "group_delay_ms", "highest_level_db"}) {
    EXPECT_EQ(j[key].size(), j["frequency_hz"].size()) << key;
  }
  const json sealed = run({"enclosure", "--volume-l", "50", "--loading", "sealed", "--driver-json",
                           (folder / "d.json").string(), "--json"})
                          .parsed();
  EXPECT_NEAR(sealed["fc_hz"].get<double>(), 40.0 * std::sqrt(2.0), 0.01);
  EXPECT_NEAR(sealed["qtc"].get<double>(), 0.38268 * std::sqrt(2.0), 0.001);
}

TEST(CliDesign, EnclosureSaysWhatIsImpossible) {
  const TemporaryFolder folder;
  const Outcome port =
      run({"enclosure", "--volume-l", "14", "--tuning-hz", "200", "--port-diameter-mm", "50"});
  EXPECT_EQ(port.status, 3);
  EXPECT_THAT(port.err, HasSubstr("larger box"));
  test::write(folder / "d.json", R"({"fs_hz": 40, "qms": 4})");
  const Outcome driver = run({"enclosure", "--volume-l", "14", "--loading", "sealed",
                              "--driver-json", (folder / "d.json").string()});
  EXPECT_EQ(driver.status, 3);
  EXPECT_THAT(driver.err, HasSubstr("qes"));
  const Outcome negative = run({"enclosure", "--volume-l", "-3"});
  EXPECT_EQ(negative.status, 2);
  EXPECT_THAT(negative.err, HasSubstr("-3 is not a number above 0"));
}

// First peak and dip as the panel is solved, which is not the rule's c/2D and c/D; a box volume
// means nothing here.
TEST(CliDesign, EnclosureKnowsTheOpenBaffle) {
  const TemporaryFolder folder;
  test::write(folder / "d.json",
              R"({"fs_hz": 40, "qms": 4, "qes": 0.5, "vas_l": 60, "sd_cm2": 220, "re_ohm": 6})");
  const auto result =
      run({"enclosure", "--loading", "open-baffle", "--baffle-width-mm", "500",
           "--baffle-height-mm", "900", "--driver-json", (folder / "d.json").string(), "--json"});
  ASSERT_EQ(result.status, 0);
  const json out = result.parsed();
  const double ratio = out["dipole_null_hz"].get<double>() / out["dipole_peak_hz"].get<double>();
  EXPECT_GT(ratio, 1.5);
  EXPECT_LT(ratio, 3.0);
  const auto level = [&](double hz) {
    std::size_t i = 0;
    while (i + 1 < out["frequency_hz"].size() && out["frequency_hz"][i].get<double>() < hz) ++i;
    return out["response_db"][i].get<double>();
  };
  // A panel of this size at 2 m falls by 8 to 10 dB from the octave under its peak to the next one.
  EXPECT_NEAR(level(100.0) - level(200.0), -9.0, 1.5);
  EXPECT_EQ(run({"enclosure", "--loading", "sealed"}).status, 2) << "a box needs its volume";
  EXPECT_EQ(run({"enclosure", "--loading", "open-baffle"}).status, 3);
}

TEST(CliDesign, EnclosureTunesToALowestNoteAndDiffractionMapsEveryPlace) {
  const json box = run({"enclosure", "--volume-l", "40", "--lowest-note", "E1",
                        "--port-diameter-mm", "70", "--json"})
                       .parsed();
  EXPECT_NEAR(box["fb_hz"].get<double>(), 41.2, 0.05);
  EXPECT_EQ(run({"enclosure", "--volume-l", "40", "--lowest-note", "X"}).status, 3);
  const TemporaryFolder folder;
  std::filesystem::create_directories(folder / "set");
  test::write(folder / "set" / "set.json", R"({"format": "lalometer-set", "version": 1, "subject": {
    "drivers": [{"id": "dome", "sd_cm2": 7.5, "y_mm": 60}, {"id": "cone", "sd_cm2": 132, "y_mm": -95}],
    "baffle": {"width_mm": 210, "height_mm": 380, "depth_mm": 300, "left_mm": 105, "top_mm": 150}},
    "takes": []})");
  const json out = run({"diffraction", (folder / "set").string(), "--driver", "dome",
                        "--try-positions", "--json"})
                       .parsed();
  const json& map = out["position_map"];
  EXPECT_EQ(map["ripple_db"].size(), map["x_mm"].size() * map["y_mm"].size());
  double least = 1e9;
  int blocked = 0;
  for (const json& ripple : map["ripple_db"]) {
    blocked += ripple.is_null() ? 1 : 0;
    if (!ripple.is_null()) least = std::min(least, ripple.get<double>());
  }
  EXPECT_EQ(least, out["best_position"]["ripple_db"].get<double>());
  EXPECT_GT(blocked, 20) << "the cone is in the way";
}

}  // namespace
}  // namespace lalometer
