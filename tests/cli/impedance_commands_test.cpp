#include <fmt/format.h>
#include <gmock/gmock.h>

#include "acoustics/enclosure/driver_circuit.h"
#include "cli/cli_support.h"
#include "support/support.h"

namespace lalometer {
namespace {

using nlohmann::json;
using test::run;
using test::TemporaryFolder;
using ::testing::HasSubstr;

DriverParameters woofer() {
  return elements_of({42.0, 4.2, 0.46, 0.0215, 0.0132, 5.6, 0.4e-3});
}

/// Text columns as other programs write them: rounded, with a comment.
std::string columns(const DriverParameters& driver, const BoxLoad& load, double low = 10.0,
                    double offset_ohm = 0.0) {
  std::string text = "* made up\n";
  for (double f = low; f < 20000.0; f *= 1.0145) {
    const auto z = solve_driver(driver, load, f).impedance_ohm + offset_ohm;
    text += fmt::format("{:.3f} {:.4f} {:.3f}\n", f, std::abs(z), std::arg(z) * 180.0 / kPi);
  }
  return text;
}
BoxLoad closed(double litres) {
  return {.kind = BoxLoad::Kind::kSealed, .volume_m3 = litres * 1e-3};
}

double value(const json& j, const char* key) {
  return j[key]["value"].get<double>();
}

TEST(CliThieleSmall, GivesEveryKeyOfTheContractWithUncertainty) {
  const TemporaryFolder folder;
  DriverParameters heavy = woofer();
  heavy.mms_kg += 0.010;
  test::write(folder / "free.zma", columns(woofer(), {}));
  test::write(folder / "mass.zma", columns(heavy, {}));
  const json j = run({"thiele-small", (folder / "free.zma").string(), "--sd-cm2", "132",
                      "--added-mass", (folder / "mass.zma").string(), "--mass-g", "10", "--json"})
                     .parsed();
  EXPECT_NEAR(value(j, "re_ohm"), 5.6, 0.01);
  EXPECT_NEAR(value(j, "fs_hz"), 42.0, 0.02);
  EXPECT_NEAR(value(j, "qms"), 4.2, 0.01);
  EXPECT_NEAR(value(j, "qes"), 0.46, 0.002);
  EXPECT_NEAR(value(j, "qts"), 4.2 * 0.46 / 4.66, 0.002);
  EXPECT_NEAR(value(j, "vas_l"), 21.5, 0.1);
  EXPECT_NEAR(value(j, "mms_g"), woofer().mms_kg * 1e3, 0.05);
  EXPECT_NEAR(value(j, "bl_tm"), woofer().bl_tm, 0.02);
  EXPECT_NEAR(value(j, "cms_mm_per_n"), woofer().cms_m_per_n * 1e3, 0.005);
  EXPECT_NEAR(value(j, "rms_kg_per_s"), woofer().rms_kg_per_s, 0.01);
  EXPECT_NEAR(value(j, "le_mh"), 0.4, 0.002);
  EXPECT_NEAR(value(j, "reference_efficiency_percent"), 100.0 * reference_efficiency(woofer()),
              0.003);
  EXPECT_NEAR(value(j, "sensitivity_db_2v83_1m"), 88.95, 0.1);
  for (const char* key : {"re_ohm", "fs_hz", "qms", "vas_l", "bl_tm"})
    EXPECT_GT(j[key]["uncertainty"].get<double>(), 0.0) << key;
  EXPECT_NEAR(j["three_frequency_check"]["fs_hz"].get<double>(), 42.0, 0.5);
}

// Noise-free curves: what is left of an interval is what the options say. Vas goes as Sd^2 / m at
// a given pair of resonances (Small 1972): 2 x 3 % and 2 %, independent of one another.
TEST(CliThieleSmall, CountsWhatWasPutInByHandAndNamesIt) {
  const TemporaryFolder folder;
  DriverParameters heavy = woofer();
  heavy.mms_kg += 0.010;
  test::write(folder / "free.zma", columns(woofer(), {}));
  test::write(folder / "mass.zma", columns(heavy, {}));
  const auto share = [&](std::vector<std::string> options, const char* key) {
    std::vector<std::string> words = {
        "thiele-small", (folder / "free.zma").string(), "--sd-cm2", "132",
        "--added-mass", (folder / "mass.zma").string(), "--mass-g", "10",
        "--json"};
    words.insert(words.end(), options.begin(), options.end());
    const json j = run(words).parsed();
    return j[key]["uncertainty"].get<double>() / value(j, key);
  };
  const std::vector<std::string> no_rig = {"--calibration-uncertainty", "0"};
  EXPECT_NEAR(share(no_rig, "vas_l"), std::hypot(0.06, 0.02), 0.003);
  EXPECT_NEAR(share(no_rig, "mms_g"), 0.02, 0.002);
  EXPECT_NEAR(
      share({"--sd-uncertainty", "1", "--mass-uncertainty", "0", "--calibration-uncertainty", "0"},
            "vas_l"),
      0.02, 0.002);
  EXPECT_LT(
      share({"--sd-uncertainty", "0", "--mass-uncertainty", "0", "--calibration-uncertainty", "0"},
            "vas_l"),
      0.003);
  EXPECT_GT(share({}, "re_ohm"), 3.0 * share(no_rig, "re_ohm"));
  const json told =
      run({"thiele-small", (folder / "free.zma").string(), "--sd-cm2", "132", "--added-mass",
           (folder / "mass.zma").string(), "--mass-g", "10", "--json"})
          .parsed();
  for (const char* term : {"3 % for the effective area", "2 % for the added mass",
                           "1 % for a smooth error of the rig"})
    EXPECT_THAT(told["notes"].dump(), HasSubstr(term));
}

TEST(CliThieleSmall, OneCurveLeavesTheMechanicalSideNullWithItsReason) {
  const TemporaryFolder folder;
  test::write(folder / "free.zma", columns(woofer(), {}));
  const json j =
      run({"thiele-small", (folder / "free.zma").string(), "--sd-cm2", "132", "--json"}).parsed();
  EXPECT_TRUE(j["vas_l"].is_null());
  EXPECT_TRUE(j["bl_tm"].is_null());
  EXPECT_THAT(j["notes"].dump(), HasSubstr("--added-mass"));
}

TEST(CliThieleSmall, ATestBoxServesToo) {
  const TemporaryFolder folder;
  test::write(folder / "free.zma", columns(woofer(), {}));
  test::write(folder / "box.zma", columns(woofer(), closed(10.0)));
  const json j = run({"thiele-small", (folder / "free.zma").string(), "--sd-cm2", "132",
                      "--test-box", (folder / "box.zma").string(), "--volume-l", "10", "--json"})
                     .parsed();
  EXPECT_NEAR(value(j, "vas_l"), 21.5, 0.2);
}

TEST(CliThieleSmall, RefusesWhatCannotBeFittedAndNamesTheFile) {
  const TemporaryFolder folder;
  test::write(folder / "cut.zma", columns(woofer(), {}, 300.0));
  test::write(folder / "jig.zma", columns(woofer(), {}, 10.0, -7.0));
  test::write(
      folder / "vented.zma",
      columns(woofer(),
              {.kind = BoxLoad::Kind::kVented, .volume_m3 = 0.014, .ql = 7.0, .tuning_hz = 45.0}));
  for (const auto& [file, reason] : {std::pair{"cut.zma", "No resonance peak"},
                                     {"jig.zma", "jig was not calibrated"},
                                     {"vented.zma", "vented box"}}) {
    const auto outcome =
        run({"thiele-small", (folder / file).string(), "--sd-cm2", "132", "--json"});
    EXPECT_EQ(outcome.status, 3) << file;
    EXPECT_TRUE(outcome.out.empty());
    EXPECT_THAT(outcome.err, HasSubstr(file));
    EXPECT_THAT(outcome.err, HasSubstr(reason));
  }
  // A mass without its file, both ways at once, no area: wrong usage.
  EXPECT_EQ(run({"thiele-small", "a.zma", "--sd-cm2", "132", "--mass-g", "10"}).status, 2);
  EXPECT_EQ(run({"thiele-small", "a.zma"}).status, 2);
}

TEST(CliBoxImpedance, SealedAndVentedFiguresComeFromTheFit) {
  const TemporaryFolder folder;
  test::write(folder / "s.zma", columns(woofer(), closed(10.0)));
  const json sealed =
      run({"box-impedance", (folder / "s.zma").string(), "--loading", "sealed", "--json"}).parsed();
  const double rise = std::sqrt(1.0 + 21.5 / 10.0);
  EXPECT_NEAR(sealed["fc_hz"].get<double>(), 42.0 * rise, 0.1);
  EXPECT_NEAR(sealed["qtc"].get<double>(), woofer().qts() * rise, 0.005);
  test::write(
      folder / "v.zma",
      columns(woofer(),
              {.kind = BoxLoad::Kind::kVented, .volume_m3 = 0.014, .ql = 6.0, .tuning_hz = 45.0}));
  const json vented =
      run({"box-impedance", (folder / "v.zma").string(), "--loading", "vented", "--json"}).parsed();
  EXPECT_NEAR(vented["fb_hz"].get<double>(), 45.0, 0.1);
  EXPECT_NEAR(vented["ql"].get<double>(), 6.0, 0.1);
  EXPECT_EQ(vented["ql_means"], "usual");
  EXPECT_TRUE(vented["wiggles"].empty());
}

/// The practice bench's kiosk, bare and lined, with the driver alone: a set as somebody hands it
/// over.
struct KioskSet {
  TemporaryFolder folder;
  std::string path = (folder / "set").string();
  KioskSet() {
    test::write(folder / "k.json", R"({"subject": {"name": "K", "loading": "vented",
 "drivers": [{"id": "woofer", "role": "woofer", "sd_cm2": 132, "x_mm": 0, "y_mm": -95}],
 "baffle": {"width_mm": 210, "height_mm": 380, "depth_mm": 300, "left_mm": 105, "top_mm": 150},
 "box": {"net_volume_l": 14, "inner_width_mm": 178, "inner_height_mm": 348, "inner_depth_mm": 262},
 "ports": [{"id": "p", "panel": "back", "diameter_mm": 50, "length_mm": 130, "x_mm": 0, "y_mm": -120}]},
 "variants": [{"id": "bare"}, {"id": "lined", "subject": {"box": {"damping": "lined"}}}],
 "takes": [{"kind": "impedance", "id": "a", "variant": "bare", "condition": "in-box"},
  {"kind": "impedance", "id": "b", "variant": "lined", "condition": "in-box"},
  {"kind": "response", "id": "c", "variant": "bare", "gate_ms": 4.5},
  {"kind": "response", "id": "d", "variant": "lined", "gate_ms": 4.5},
  {"kind": "impedance", "id": "f", "condition": "free-air", "driver": "woofer"}]})");
    EXPECT_EQ(run({"simulate", (folder / "k.json").string(), path}).status, 0);
  }
};

// Half a wavelength in 348 mm is 493 Hz, in 262 mm 655 Hz: the bare box shows them as loops, the
// lining shrinks them, the driver alone has none.
TEST(CliBoxImpedance, StandingWavesShowAsWigglesThatALiningTakesAway) {
  const KioskSet set;
  const json j = run({"box-impedance", set.path, "--loading", "vented", "--free-air",
                      set.path + "/f.zma", "--json"})
                     .parsed();
  std::vector<double> at;
  for (const json& w : j["wiggles"]) {
    at.push_back(w["frequency_hz"].get<double>());
    EXPECT_FALSE(w["in_driver"].get<bool>());
  }
  EXPECT_THAT(at, testing::Contains(testing::DoubleNear(494.0, 8.0)));
  EXPECT_THAT(at, testing::Contains(testing::DoubleNear(657.0, 10.0)));
}

TEST(CliCompare, TellsVariantsApartAndRanksThem) {
  const KioskSet set;
  const std::string csv = (set.folder / "t.csv").string();
  const json j = run({"compare", set.path, "--by", "variant", "--csv", csv, "--json"}).parsed();
  ASSERT_EQ(j["members"].size(), 2U);
  ASSERT_EQ(j["pairs"].size(), 1U);
  EXPECT_THAT(j["pairs"][0]["changes"].dump(), HasSubstr("loop at 65"));
  EXPECT_EQ(j["ranking"].size(), 2U);
  EXPECT_FALSE(j["repeatability_measured"].get<bool>());
  EXPECT_GT(j["members"][0]["output_db"].get<double>(), 80.0);
  EXPECT_TRUE(j["members"][0]["figures"].contains("fb_hz"));
  EXPECT_THAT(test::slurp(csv), HasSubstr("bare,fb_hz,"));
  EXPECT_FALSE(run({"compare", set.path, "--by", "variant"}).out.empty());
  const auto by_sample = run({"compare", set.path, "--by", "sample", "--json"});
  EXPECT_EQ(by_sample.status, 3);
  EXPECT_THAT(by_sample.err, HasSubstr("at least two"));
}

}  // namespace
}  // namespace lalometer
