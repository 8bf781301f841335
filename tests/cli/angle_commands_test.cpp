// spin, directivity, equalise through the command line, on sets that were written out here: two
// pistons one above the other (2 J1(x) / x, Beranek) with crossover filters in closed form.
#include <gmock/gmock.h>

#include <complex>
#include <functional>
#include <nlohmann/json.hpp>

#include "acoustics/directivity/piston.h"
#include "cli/cli_support.h"
#include "support/small_box.h"

namespace lalometer {
namespace {

using json = nlohmann::json;
using Complex = std::complex<double>;
using test::run;
using test::TemporaryFolder;
using testing::HasSubstr;

constexpr double kC = 343.2;

/// Woofer 0.09 m below the tweeter, Linkwitz-Riley of 4th order at 2.2 kHz, on axis flat.
Complex at(bool vertical, double degrees, double f) {
  const double a = degrees * kPi / 180.0;
  const Complex s(0.0, f / 2200.0);
  const Complex half = 1.0 + std::sqrt(2.0) * s + s * s;
  const Complex low = 1.0 / (half * half);
  const Complex high = std::pow(s, 4) / (half * half);
  const double behind = std::abs(degrees) > 90.0 ? 0.3 : 1.0;
  const double path = vertical ? 0.045 * std::sin(a) : 0.0;
  const double k = 2.0 * kPi * f / kC;
  const Complex deep(0.0, f / 45.0);
  const Complex box = deep * deep / (1.0 + deep / 0.7 + deep * deep);
  const double folded = std::abs(degrees) > 90.0 ? kPi - std::abs(a) : a;
  return 0.4 * behind * box *
         (low * piston_directivity(0.065, folded, f, kC) * std::polar(1.0, -k * path) +
          high * piston_directivity(0.0125, folded, f, kC) * std::polar(1.0, k * path));
}

std::string rows(
    bool vertical, double degrees,
    const std::function<double(double)>& added_db = [](double) { return 0.0; }) {
  std::string text;
  for (double f = 20.0; f < 20001.0; f *= std::exp2(1.0 / 24.0)) {
    const Complex p = at(vertical, degrees, f);
    text += fmt::format("{:.4f} {:.5f} {:.4f}\n", f,
                        20.0 * std::log10(std::abs(p) / 20e-6) + added_db(f),
                        std::arg(p) * 180.0 / kPi);
  }
  return text;
}

json whole_set(const TemporaryFolder& folder) {
  json set = json::parse(R"({"format": "lalometer-set", "version": 1, "subject": {"name": "Kiosk",
    "kind": "loudspeaker", "loading": "sealed"}, "takes": []})");
  for (const bool vertical : {false, true})
    for (int d = -170; d <= 180; d += 10) {
      if (vertical && (d == 0 || d == 180)) continue;
      const std::string name = fmt::format("{}{:+04d}.frd", vertical ? "v" : "h", d);
      test::write(folder / name, rows(vertical, d));
      set["takes"].push_back({{"id", name},
                              {"kind", "response"},
                              {"file", name},
                              {"horizontal_deg", vertical ? 0 : d},
                              {"vertical_deg", vertical ? d : 0},
                              {"distance_m", 1.0},
                              {"drive_v", 2.83}});
    }
  test::write(folder / "set.json", set.dump());
  return set;
}

TEST(CliSpin, PrintsTheStandardsCurvesAndFigures) {
  const TemporaryFolder folder;
  whole_set(folder);
  const auto answer = run({"spin", folder.path().string(), "--json"});
  ASSERT_EQ(answer.status, 0) << answer.err;
  const json told = answer.parsed();
  const std::size_t n = told["frequency_hz"].size();
  for (const char* key :
       {"on_axis_db", "listening_window_db", "early_reflections_db", "sound_power_db",
        "sound_power_di_db", "early_reflections_di_db", "predicted_in_room_db"})
    EXPECT_EQ(told[key].size(), n) << key;
  for (const char* key :
       {"floor_db", "ceiling_db", "front_wall_db", "side_wall_db", "rear_wall_db"})
    EXPECT_EQ(told["bounces"][key].size(), n) << key;
  EXPECT_TRUE(told["angles"]["missing"].empty());
  EXPECT_TRUE(told["extended_below_hz"].is_null());
  // On the axis Linkwitz and Riley's sum is flat: 20 lg (0.4 / 20 uPa).
  EXPECT_NEAR(told["sensitivity_db"].get<double>(), 86.02, 0.1);
  EXPECT_GT(told["uncertainty"]["sensitivity_db"].get<double>(), 0.3);
  // Second order of Q 0.7 at 45 Hz: -3 dB at 45.6 Hz.
  EXPECT_NEAR(told["f3_hz"].get<double>(), 45.6, 0.7);
  EXPECT_GT(told["preference"]["score"].get<double>(), 2.0);
  EXPECT_LT(told["preference"]["score"].get<double>(), 9.0);
  EXPECT_LT(told["predicted_in_room_slope_db_per_octave"].get<double>(), -0.2);
}

TEST(CliSpin, HalfASetIsMirroredOnlyWhenAsked) {
  const TemporaryFolder folder;
  json set = whole_set(folder);
  json half = json::array();
  for (const json& take : set["takes"])
    if (take["horizontal_deg"] >= 0) half.push_back(take);
  set["takes"] = half;
  test::write(folder / "set.json", set.dump());
  const json bare = run({"spin", folder.path().string(), "--json"}).parsed();
  EXPECT_TRUE(bare["sound_power_db"].is_null());
  EXPECT_EQ(bare["angles"]["missing"].size(), 17U);
  EXPECT_THAT(bare["notes"].dump(), HasSubstr("an angle it needs is missing"));
  const json mirrored = run({"spin", folder.path().string(), "--json", "--mirror"}).parsed();
  EXPECT_EQ(mirrored["angles"]["mirrored"].size(), 17U);
  EXPECT_TRUE(mirrored["sound_power_db"].is_array());
}

TEST(CliSpin, AnAngleThatWasTakenTwiceIsSaid) {
  const TemporaryFolder folder;
  json set = whole_set(folder);
  const auto said = [&] {
    return run({"spin", folder.path().string(), "--json"}).parsed()["notes"].dump();
  };
  EXPECT_THAT(said(), testing::Not(HasSubstr("the first counts")));
  for (json again : {set["takes"][3], set["takes"][40]}) {
    again["id"] = again["id"].get<std::string>() + " again";
    set["takes"].push_back(again);
  }
  test::write(folder / "set.json", set.dump());
  EXPECT_THAT(said(), HasSubstr("2 takes of an angle that is there already: the first counts"));
}

TEST(CliSpin, FoldersByNameAndAes69GiveTheSame) {
  const TemporaryFolder folder;
  whole_set(folder);
  const json set = run({"spin", folder.path().string(), "--json"}).parsed();
  const TemporaryFolder other;
  const std::string sofa = (other / "kiosk.sofa").string();
  const auto exported = run({"export", folder.path().string(), sofa});
  ASSERT_EQ(exported.status, 0) << exported.err;
  const json by_sofa = run({"spin", sofa, "--json"}).parsed();
  std::filesystem::remove(folder / "set.json");
  const json by_name = run({"spin", folder.path().string(), "--json"}).parsed();
  for (const char* key : {"listening_window_db", "sound_power_db", "predicted_in_room_db"})
    for (std::size_t i = 0; i < set[key].size(); i += 7) {
      EXPECT_NEAR(by_name[key][i].get<double>(), set[key][i].get<double>(), 1e-6) << key;
      EXPECT_NEAR(by_sofa[key][i].get<double>(), set[key][i].get<double>(), 1e-6) << key;
    }
}

TEST(CliSpin, AngleFiledUnderAnotherOneAreSuspected) {
  const TemporaryFolder folder;
  whole_set(folder);
  const json clean = run({"spin", folder.path().string(), "--json"}).parsed();
  EXPECT_THAT(clean["notes"].dump(), testing::Not(HasSubstr("look")));
  std::filesystem::rename(folder / "h+040.frd", folder / "x.frd");
  std::filesystem::rename(folder / "h+060.frd", folder / "h+040.frd");
  std::filesystem::rename(folder / "x.frd", folder / "h+060.frd");
  const json swapped = run({"spin", folder.path().string(), "--json"}).parsed();
  EXPECT_THAT(swapped["notes"].dump(), HasSubstr("look swapped"));
  test::write(folder / "h+040.frd", rows(false, 40));
  test::write(folder / "h+060.frd", rows(false, 60));
  test::write(folder / "h+030.frd", rows(false, 55));
  const json slipped = run({"spin", folder.path().string(), "--json"}).parsed();
  EXPECT_THAT(slipped["notes"].dump(), HasSubstr("looks as if it was taken at"));
}

// Near fields of a box in a wall carry all angles below the gate: in the deep bass they are alike.
TEST(CliSpin, NearFieldsCarryTheLowEndOfAllAngles) {
  using namespace test::small_box;  // NOLINT: the tests' own words
  const Box b{.vented = false};
  const TemporaryFolder folder;
  const double a = std::sqrt(b.sd_m2 / kPi);
  test::write(folder / "w.frd", test::small_box::rows(bass_hz(), [&](double f) {
                return before(flows(b, f).first, a, 0.005, f);
              }));
  json set = set_of(b);
  set["subject"].erase("baffle");
  std::vector<double> hz;
  for (double f = 150.0; f < 20000.0; f *= std::exp2(1.0 / 24.0)) hz.push_back(f);
  for (const bool vertical : {false, true})
    for (int d = -170; d <= 180; d += 10) {
      if (vertical && (d == 0 || d == 180)) continue;
      const std::string name = fmt::format("{}{:+04d}.frd", vertical ? "v" : "h", d);
      // A rigid run above 600 Hz, narrower with the angle; 0.5 dB too loud, as a rig may be.
      test::write(folder / name, test::small_box::rows(hz, [&](double f) {
                    const double bundled =
                        1.0 / std::sqrt(1.0 + std::pow(d / 90.0, 2) * std::pow(f / 2000.0, 2));
                    const double at = std::min(f, 600.0);
                    return half_space(b, at) * bundled * std::pow(10.0, 0.5 / 20.0);
                  }));
      set["takes"].push_back({{"id", name},
                              {"kind", "response"},
                              {"file", name},
                              {"horizontal_deg", vertical ? 0 : d},
                              {"vertical_deg", vertical ? d : 0},
                              {"distance_m", 1.0},
                              {"gate_ms", 5.0}});
    }
  test::write(folder / "set.json", set.dump());
  const json told = run({"spin", folder.path().string(), "--json"}).parsed();
  ASSERT_TRUE(told["extended_below_hz"].is_number()) << told["notes"].dump();
  EXPECT_GT(told["extended_below_hz"].get<double>(), 200.0);
  EXPECT_LT(told["frequency_hz"][0].get<double>(), 15.0);
  for (std::size_t i = 0; i < told["frequency_hz"].size(); ++i) {
    const double f = told["frequency_hz"][i];
    if (f < 20.0 || f > 100.0) continue;
    const double want = level(half_space(b, f)) + 0.5;
    EXPECT_NEAR(told["on_axis_db"][i].get<double>(), want, 0.5) << f;
    EXPECT_NEAR(told["sound_power_db"][i].get<double>(), want, 0.7) << f;
  }
  EXPECT_TRUE(told["f3_hz"].is_number());
  EXPECT_TRUE(told["preference"]["lfx"].is_number());
  EXPECT_THAT(told["notes"].dump(), HasSubstr("no measurement off the axis"));
  const json without = run({"spin", folder.path().string(), "--json", "--no-extension"}).parsed();
  EXPECT_TRUE(without["extended_below_hz"].is_null());
  EXPECT_GE(without["valid_from_hz"].get<double>(), 199.0);
  EXPECT_TRUE(without["preference"]["score"].is_null());
}

TEST(CliDirectivity, TellsOnePlane) {
  const TemporaryFolder folder;
  whole_set(folder);
  const json h = run({"directivity", folder.path().string(), "--json"}).parsed();
  ASSERT_TRUE(h["map"]["level_db"].is_array());
  EXPECT_EQ(h["map"]["angle_deg"].size(), 36U);
  EXPECT_EQ(h["map"]["level_db"][0].size(), h["frequency_hz"].size());
  EXPECT_TRUE(h["separation_hz"]["30"].is_number());
  EXPECT_LT(h["separation_hz"]["60"].get<double>(), h["separation_hz"]["30"].get<double>() + 1.0);
  EXPECT_NEAR(h["asymmetry_db"][100].get<double>(), 0.0, 1e-6);
  const json v =
      run({"directivity", folder.path().string(), "--json", "--plane", "vertical"}).parsed();
  // Crossover lobes narrow the vertical plane near 2.2 kHz.
  bool narrow = false;
  for (const json& n : v["narrowing"])
    narrow = narrow || (n["at_hz"] > 1400.0 && n["at_hz"] < 3200.0);
  EXPECT_TRUE(narrow) << v["narrowing"].dump();
}

TEST(CliEqualise, RefusesWhatChangesWithTheAngle) {
  const TemporaryFolder folder;
  json set = whole_set(folder);
  // A dip at 4 kHz on the axis and next to it only, and a bump at 400 Hz everywhere.
  for (const json& take : set["takes"]) {
    const double d = std::abs(take["horizontal_deg"].get<double>()) +
                     std::abs(take["vertical_deg"].get<double>());
    const double move = std::exp(-std::pow(d / 18.0, 2));
    const bool vertical = take["vertical_deg"] != 0;
    const double angle = take[vertical ? "vertical_deg" : "horizontal_deg"];
    test::write(folder / take["file"].get<std::string>(), rows(vertical, angle, [&](double f) {
                  return 4.0 * std::exp(-std::pow(std::log2(f / 400.0) / 0.4, 2)) -
                         6.0 * move * std::exp(-std::pow(std::log2(f / 4000.0) / 0.2, 2));
                }));
  }
  const json told =
      run({"equalise", folder.path().string(), "--json", "--for", "on-axis"}).parsed();
  ASSERT_TRUE(told["filters"].is_array());
  bool cut = false;
  for (const json& f : told["filters"]) {
    EXPECT_LE(f["gain_db"].get<double>(), 3.0);
    EXPECT_EQ(f["a"][0].get<double>(), 1.0);
    cut = cut || (f["gain_db"] < -2.0 && std::abs(f["frequency_hz"].get<double>() - 400.0) < 80.0);
  }
  EXPECT_TRUE(cut) << told["filters"].dump();
  bool refused = false;
  for (const json& r : told["refused"])
    refused = refused || (r["low_hz"] < 4000.0 && r["high_hz"] > 4000.0);
  EXPECT_TRUE(refused) << told["refused"].dump();
  for (std::size_t i = 0; i < told["frequency_hz"].size(); ++i) {
    const double f = told["frequency_hz"][i];
    if (f > 3600.0 && f < 4400.0) {
      EXPECT_LT(told["after_db"][i].get<double>() - told["before_db"][i].get<double>(), 0.6) << f;
    }
  }
  EXPECT_LT(told["deviation_after_db"].get<double>(), told["deviation_before_db"].get<double>());
}

TEST(CliEqualise, LeavesASoundLoudspeakerAlone) {
  // Flat by Linkwitz and Riley's sum, of second order below 45 Hz: there is nothing to mend, and
  // the low end may not be lifted where the level falls for good.
  const TemporaryFolder folder;
  whole_set(folder);
  const json told =
      run({"equalise", folder.path().string(), "--json", "--for", "on-axis"}).parsed();
  for (const json& f : told["filters"])
    EXPECT_LT(std::abs(f["gain_db"].get<double>()), 1.0) << f.dump();
  for (std::size_t i = 0; i < told["frequency_hz"].size(); ++i) {
    const double f = told["frequency_hz"][i];
    if (f > 100.0) break;
    EXPECT_LT(told["after_db"][i].get<double>() - told["before_db"][i].get<double>(), 0.5) << f;
  }
  bool low_end = false;
  for (const json& r : told["refused"]) low_end = low_end || r["high_hz"] < 100.0;
  EXPECT_TRUE(low_end) << "says that the roll-off is left: " << told["refused"].dump();
}

/// A dip of 2.4 dB about 170 Hz at all angles, which a filter may lift, and a woofer of 132 cm^2 in a
/// closed box that may take so many watts.
json equalised_with(const std::string& of_woofer) {
  const TemporaryFolder folder;
  json set = whole_set(folder);
  set["subject"]["drivers"] = json::array(
      {json::parse(R"({"id": "w", "role": "woofer", "sd_cm2": 132)" + of_woofer + "}")});
  for (const json& take : set["takes"]) {
    const bool vertical = take["vertical_deg"] != 0;
    const double angle = take[vertical ? "vertical_deg" : "horizontal_deg"];
    test::write(folder / take["file"].get<std::string>(), rows(vertical, angle, [](double f) {
                  return -2.4 * std::exp(-std::pow(std::log2(f / 170.0) / 0.35, 2));
                }));
  }
  test::write(folder / "set.json", set.dump());
  return run({"equalise", folder.path().string(), "--json", "--for", "on-axis"}).parsed();
}

double lift_at(const json& told, double hz) {
  std::size_t i = 0;
  while (told["frequency_hz"][i] < hz) ++i;
  return told["after_db"][i].get<double>() - told["before_db"][i].get<double>();
}

TEST(CliEqualise, LiftsNothingWhereTheConeIsPastItsTravelAtItsPower) {
  // A source in the whole space radiates 2 pi^3 rho f^4 Vd^2 / c for a peak volume of Vd (Small,
  // "Closed-box loudspeaker systems", JAES 20 (1972), part I: twice that into the half space).
  const json strong = equalised_with(R"(, "xmax_mm": 1.2, "power_w": 40, "re_ohm": 5.6)");
  const double volts = std::sqrt(40.0 * 1.25 * 5.6);
  const double pascal = 0.4 * volts / 2.83;
  const double watt = 4.0 * kPi * pascal * pascal / (1.204 * kC);
  const double vd = 132e-4 * 1.2e-3;
  const double until = std::pow(watt * kC / (2.0 * std::pow(kPi, 3) * 1.204 * vd * vd), 0.25);
  double told_until = 0.0;
  for (const json& r : strong["refused"])
    if (r["reason"].get<std::string>().find("Xmax") != std::string::npos) told_until = r["high_hz"];
  // The dip takes half a dB away there, and rows are a 24th of an octave apart.
  EXPECT_NEAR(told_until, until, 0.05 * until) << strong["refused"].dump();
  EXPECT_LT(lift_at(strong, 170.0), 0.5);

  const json weak = equalised_with(R"(, "xmax_mm": 1.2, "power_w": 1, "re_ohm": 5.6)");
  EXPECT_GT(lift_at(weak, 170.0), 1.0);
  EXPECT_THAT(weak["notes"].dump(), HasSubstr("w reaches its Xmax at"));

  const json unknown = equalised_with("");
  EXPECT_GT(lift_at(unknown, 170.0), 1.0);
  EXPECT_THAT(unknown["notes"].dump(), HasSubstr("Excursion was not looked at"));
}

TEST(CliSpin, IntervalsTellWhatARigLeavesToChance) {
  // A list without noise leaves nothing to chance but the rig. Second order of Q 0.7 falls by
  // 0.19 dB per Hz at F3 (derivative of its closed form), so that 0.1 dB rms is 0.5 Hz.
  const TemporaryFolder folder;
  whole_set(folder);
  const json told = run({"spin", folder.path().string(), "--json"}).parsed();
  const double f3 = told["uncertainty"]["f3_hz"];
  EXPECT_GT(f3, 0.5);
  EXPECT_LT(f3, 5.0);
}

}  // namespace
}  // namespace lalometer
