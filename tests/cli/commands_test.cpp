#include "cli/commands.h"

#include <gmock/gmock.h>

#include "acoustics/enclosure/driver_circuit.h"
#include "acoustics/signal/sweep.h"
#include "cli/cli_support.h"
#include "exchange/audio_file.h"
#include "support/support.h"

namespace lalometer {
namespace {

using nlohmann::json;
using test::Outcome;
using test::run;
using test::TemporaryFolder;
using ::testing::HasSubstr;

TEST(Cli, WrongUsageGivesTwoAndSaysSoOnStandardError) {
  for (const std::vector<std::string>& words : {std::vector<std::string>{},
                                                {"unknown"},
                                                {"response"},
                                                {"box-impedance", "x.zma"},
                                                {"import", "x.frd"},
                                                {"response", "x.frd", "--gate-ms", "-1"}}) {
    const Outcome outcome = run(words);
    EXPECT_EQ(outcome.status, 2);
    EXPECT_FALSE(outcome.err.empty());
    EXPECT_TRUE(outcome.out.empty());
  }
  EXPECT_EQ(run({"--help"}).status, 0);
}

TEST(Cli, UnusableInputGivesThreeAndNamesFilePlaceAndReason) {
  const TemporaryFolder folder;
  test::write(folder / "bad.frd", "100 80\n200 oops\n");
  const Outcome outcome = run({"response", (folder / "bad.frd").string(), "--json"});
  EXPECT_EQ(outcome.status, 3);
  EXPECT_TRUE(outcome.out.empty());
  EXPECT_THAT(outcome.err, HasSubstr("bad.frd:2"));
  EXPECT_THAT(outcome.err, HasSubstr("oops"));
  EXPECT_EQ(run({"response", (folder / "none.frd").string()}).status, 3);
}

TEST(Cli, ResponseOfAFileGivesItsRowsOneForOne) {
  const TemporaryFolder folder;
  test::write(folder / "a.frd", "20.125 71.3 10.7\n100 80.123456789 -179.99\n1000 90 400\n");
  const json j = run({"response", (folder / "a.frd").string(), "--json"}).parsed();
  EXPECT_EQ(j["frequency_hz"], json({20.125, 100.0, 1000.0}));
  EXPECT_EQ(j["level_db"], json({71.3, 80.123456789, 90.0}));
  EXPECT_EQ(j["phase_deg"], json({10.7, -179.99, 400.0}));
  EXPECT_EQ(j["valid_from_hz"], 20.125);
  EXPECT_TRUE(j["arrival_s"].is_null());
}

TEST(Cli, ResponseWithoutPhaseHasNullPhases) {
  const TemporaryFolder folder;
  test::write(folder / "a.frd", "20 71\n100 80\n");
  EXPECT_TRUE(
      run({"response", (folder / "a.frd").string(), "--json"}).parsed()["phase_deg"][0].is_null());
}

TEST(Cli, ResponseOfAnImpulseFileIsGatedAndFindsTheReflection) {
  const TemporaryFolder folder;
  std::vector<double> h(9600, 0.0);
  h[300] = 0.5;
  h[300 + 240] = 0.2;  // 5 ms later
  ASSERT_TRUE(
      write_file(folder / "ir.wav", *audio_bytes({48000.0, {h}, ""}, AudioFormat::kWavFloat32))
          .has_value());
  const json j =
      run({"response", (folder / "ir.wav").string(), "--gate-ms", "4.5", "--json"}).parsed();
  EXPECT_NEAR(j["valid_from_hz"].get<double>(), 1000.0 / 4.5, 0.1);
  EXPECT_NEAR(j["arrival_s"].get<double>(), 300.0 / 48000.0, 2e-6);
  EXPECT_NEAR(j["first_reflection_s"].get<double>(), 540.0 / 48000.0, 2e-5);
  for (std::size_t i = 0; i < j["level_db"].size(); ++i) {
    ASSERT_GE(j["frequency_hz"][i].get<double>(), 222.2);
    ASSERT_NEAR(j["level_db"][i].get<double>(), -6.0206, 0.01);
    ASSERT_NEAR(j["phase_deg"][i].get<double>(), 0.0, 1.0);
  }
}

// exchange contract: arrival counts from the sweep's start, the lead-in is not counted.
TEST(Cli, ResponseOfASetsSweepCountsTheArrivalFromTheSweepsStart) {
  const TemporaryFolder folder;
  const auto spec = SweepSpec::make({10.0, 22000.0, 1.0, 48000.0});
  const std::vector<double> sweep = exponential_sweep(*spec);
  std::vector<double> x(12000 + sweep.size() + 9600, 0.0);
  for (std::size_t i = 0; i < sweep.size(); ++i) x[12000 + 431 + i] += 0.5 * 0.3 * sweep[i];
  ASSERT_TRUE(
      write_file(folder / "sw.wav", *audio_bytes({48000.0, {x}, ""}, AudioFormat::kWavFloat32))
          .has_value());
  test::write(
      folder / "set.json",
      R"({"format": "lalometer-set", "version": 1, "subject": {"name": "s", "kind": "loudspeaker"}, "takes": [
    {"id": "sw", "kind": "sweep", "file": "sw.wav", "channel": 0, "stimulus": {"type": "exponential-sweep", "start_hz": 10,
     "stop_hz": 22000, "duration_s": 1.0, "lead_in_s": 0.25, "amplitude": 0.5}}]})");
  const json j = run({"response", folder.path().string(), "--gate-ms", "4", "--json"}).parsed();
  EXPECT_NEAR(j["arrival_s"].get<double>(), 431.0 / 48000.0, 2e-6);
  for (std::size_t i = 0; i < j["level_db"].size(); ++i) {
    const double f = j["frequency_hz"][i].get<double>();
    if (f < 18000.0) {
      ASSERT_NEAR(j["level_db"][i].get<double>(), 20.0 * std::log10(0.3), 0.1) << f;
    }
  }
}

TEST(Cli, ClippedRecordingsAreSaidSo) {
  const TemporaryFolder folder;
  const auto spec = SweepSpec::make({20.0, 20000.0, 1.0, 48000.0});
  std::vector<double> x = exponential_sweep(*spec);
  for (double& v : x) v = std::clamp(1.4 * v, -1.0, 1.0);
  x.resize(60000, 0.0);
  ASSERT_TRUE(write_file(folder / "sw.wav", *audio_bytes({48000.0, {x}, ""}, AudioFormat::kWav24))
                  .has_value());
  const json j =
      run({"response", (folder / "sw.wav").string(), "--stimulus", "20,20000,1.0,0", "--json"})
          .parsed();
  EXPECT_THAT(j["notes"].dump(), HasSubstr("clipped"));
}

TEST(Cli, BoxImpedanceGivesPeaksMinimumAndTuning) {
  const TemporaryFolder folder;
  const DriverParameters d = elements_of({.fs_hz = 40.0,
                                          .qms = 5.0,
                                          .qes = 0.4,
                                          .vas_m3 = 0.03,
                                          .sd_m2 = 0.0132,
                                          .re_ohm = 5.6,
                                          .le_h = 0.0003});
  const BoxLoad box{
      .kind = BoxLoad::Kind::kVented, .volume_m3 = 0.02, .ql = 10.0, .tuning_hz = 41.0};
  std::string text;
  const FrequencyAxis axis = FrequencyAxis::logarithmic(10.0, 20000.0, 48.0);
  for (const double f : axis.hz()) {
    const auto z = solve_driver(d, box, f).impedance_ohm;
    text += fmt::format("{} {} {}\n", f, std::abs(z), std::arg(z) * 180.0 / kPi);
  }
  test::write(folder / "b.zma", text);
  const json j =
      run({"box-impedance", (folder / "b.zma").string(), "--loading", "vented", "--json"}).parsed();
  EXPECT_NEAR(j["fb_hz"].get<double>(), 41.0, 0.5);
  EXPECT_LT(j["fl_hz"].get<double>(), 41.0);
  EXPECT_GT(j["fh_hz"].get<double>(), 41.0);
  EXPECT_NEAR(j["minimum_ohm"].get<double>(), 5.9, 0.3);
  EXPECT_TRUE(j["wiggles"].is_array());
  EXPECT_GT(j["uncertainty"]["fb_hz"].get<double>(), 0.0);
  EXPECT_EQ(j["peaks"].size(), 2U);
}

TEST(Cli, ImportThenExportGivesBackTheSameFileOfACurve) {
  const TemporaryFolder folder;
  test::write(folder / "z.zma", "20 6.5 10\n200 8.25 0\n2000 9 30\n");
  const std::string book = (folder / "b.lalo").string();
  const json imported =
      run({"import", (folder / "z.zma").string(), "--book", book, "--json"}).parsed();
  ASSERT_EQ(imported["take_ids"].size(), 1U);
  EXPECT_EQ(
      run({"export", book, (folder / "out.zma").string(), "--take", imported["take_ids"][0].dump()})
          .status,
      0);
  const json back =
      run({"box-impedance", (folder / "out.zma").string(), "--loading", "sealed", "--json"})
          .parsed();
  EXPECT_NEAR(back["minimum_ohm"].get<double>(), 6.5, 1e-9);
  EXPECT_EQ(run({"validate", book}).status, 0);
}

TEST(Cli, AFailedImportTouchesNothing) {
  const TemporaryFolder folder;
  test::write(folder / "good.frd", "100 80\n200 81\n");
  test::write(folder / "bad.frd", "100 80\n");
  const std::string book = (folder / "b.lalo").string();
  EXPECT_EQ(
      run({"import", (folder / "good.frd").string(), (folder / "bad.frd").string(), "--book", book})
          .status,
      3);
  EXPECT_FALSE(std::filesystem::exists(folder / "b.lalo"));
}

TEST(Cli, SimulateThenValidateThenResponse) {
  const TemporaryFolder folder;
  test::write(folder / "s.json",
              R"({"subject": {"name": "S", "loading": "sealed", "box": {"net_volume_l": 10}}})");
  const std::string out = (folder / "set").string();
  ASSERT_EQ(run({"simulate", (folder / "s.json").string(), out, "--seed", "3"}).status, 0);
  EXPECT_EQ(run({"validate", out, "--json"}).parsed()["takes"], 2);
  const json truth = json::parse(test::slurp(folder / "set" / "truth.json"));
  EXPECT_EQ(truth["frequency_hz"].size(), truth["level_db"].size());
  const json z = run({"box-impedance", out, "--loading", "sealed", "--json"}).parsed();
  EXPECT_GT(z["fc_hz"].get<double>(), 42.0);
  test::write(folder / "h.json", R"({"subject": {"loading": "horn"}})");
  EXPECT_EQ(run({"simulate", (folder / "h.json").string(), (folder / "x").string()}).status, 3);
}

/// A book with a simulated set in it, made once for the tests below.
struct SimulatedBook {
  TemporaryFolder folder;
  std::string book = (folder / "k.lalo").string();
  SimulatedBook() {
    test::write(
        folder / "s.json",
        R"({"subject": {"name": "K", "loading": "sealed", "drivers": [{"role": "woofer"}, {"role": "tweeter"}],
      "box": {"net_volume_l": 14}}})");
    EXPECT_EQ(
        run({"simulate", (folder / "s.json").string(), (folder / "set").string(), "--seed", "3"})
            .status,
        0);
    EXPECT_EQ(run({"import", (folder / "set").string(), "--book", book}).status, 0);
  }
};

TEST(Cli, SimulateIsTheSameForTheSameSeed) {
  const TemporaryFolder folder;
  test::write(folder / "s.json",
              R"({"subject": {"name": "K", "loading": "sealed", "box": {"net_volume_l": 14}}})");
  for (const auto& [name, seed] : {std::pair{"a", "7"}, {"b", "7"}, {"c", "8"}}) {
    ASSERT_EQ(
        run({"simulate", (folder / "s.json").string(), (folder / name).string(), "--seed", seed})
            .status,
        0);
  }
  const auto sound = [&](const char* name) {
    return test::slurp(folder / name / "02-on-axis.wav");
  };
  EXPECT_TRUE(sound("a") == sound("b"));
  EXPECT_FALSE(sound("a") == sound("c"));
}

TEST(Cli, ExportWritesEveryFormAndTheyReadBack) {
  const SimulatedBook made;
  const auto ask = [&](const std::string& name, const char* take) {
    const std::string target = (made.folder / name).string();
    const Outcome outcome = run({"export", made.book, target, "--take", take});
    EXPECT_EQ(outcome.status, 0) << outcome.err;
    return target;
  };
  const json impedance =
      run({"box-impedance", ask("z.zma", "1"), "--loading", "sealed", "--json"}).parsed();
  EXPECT_GT(impedance["fc_hz"].get<double>(), 30.0);
  EXPECT_EQ(run({"validate", ask("r.frd", "2")}).status, 0);
  EXPECT_EQ(run({"validate", ask("r.csv", "2"), "--kind", "response"}).status, 0);
  const Outcome flac = run({"validate", ask("r.flac", "2"), "--json"});
  EXPECT_EQ(flac.status, 0) << flac.err;
  EXPECT_THAT(run({"export", made.book, (made.folder / "x.wav").string(), "--take", "1"}).err,
              HasSubstr("no sound"));
  EXPECT_EQ(run({"export", made.book, (made.folder / "again").string()}).status, 0)
      << "one subject needs no choice";
  EXPECT_EQ(run({"validate", (made.folder / "again").string()}).status, 0);
}

TEST(Cli, ExportOfABookWithTwoSubjectsAsksWhichOne) {
  const SimulatedBook made;
  ASSERT_EQ(run({"import", (made.folder / "set").string(), "--book", made.book}).status, 0);
  const Outcome outcome = run({"export", made.book, (made.folder / "t").string()});
  EXPECT_EQ(outcome.status, 2);
  EXPECT_THAT(outcome.err, HasSubstr("--subject 2"));
}

TEST(Cli, ValidateReadsABookToItsLastPage) {
  const SimulatedBook made;
  const json sound = run({"validate", made.book, "--json"}).parsed();
  EXPECT_EQ(sound["takes"], 2);
  std::string bytes = test::slurp(made.book);
  test::write(made.folder / "cut.lalo", bytes.substr(0, bytes.size() * 6 / 10));
  const Outcome cut = run({"validate", (made.folder / "cut.lalo").string()});
  EXPECT_EQ(cut.status, 3);
  EXPECT_THAT(cut.err, HasSubstr("cut.lalo"));
}

TEST(Cli, TablesAreShortAndCarryUnits) {
  const SimulatedBook made;
  const Outcome response = run({"response", (made.folder / "set").string(), "--smooth", "6"});
  EXPECT_EQ(response.status, 0);
  EXPECT_THAT(response.out, ::testing::ContainsRegex("valid_from_hz +[0-9.]+ Hz"));
  EXPECT_THAT(response.out, ::testing::ContainsRegex("arrival_s +0.00[0-9]{4} s"));
  const Outcome impedance =
      run({"box-impedance", (made.folder / "set").string(), "--loading", "sealed"});
  EXPECT_THAT(impedance.out,
              ::testing::ContainsRegex("peaks +frequency [0-9.]+ Hz, magnitude [0-9.]+ ohm"));
  EXPECT_THAT(impedance.out, ::testing::ContainsRegex("fc_hz +[0-9.]+ ± [0-9.]+ Hz"));
  EXPECT_THAT(impedance.out, ::testing::ContainsRegex("qtc +[0-9.]+ ± [0-9.]+\n"));
  EXPECT_THAT(impedance.out, ::testing::ContainsRegex("minimum_ohm +[0-9.]+ ohm"));
}

TEST(Cli, MissingSamplesOfARecordingAreSaidSo) {
  const TemporaryFolder folder;
  const auto spec = SweepSpec::make({20.0, 20000.0, 1.0, 48000.0});
  std::vector<double> x = exponential_sweep(*spec);
  for (double& v : x) v *= 0.4;
  x.erase(x.begin() + 30000, x.begin() + 30100);
  x.resize(60000, 0.0);
  ASSERT_TRUE(
      write_file(folder / "gap.wav", *audio_bytes({48000.0, {x}, ""}, AudioFormat::kWavFloat32))
          .has_value());
  const json j =
      run({"response", (folder / "gap.wav").string(), "--stimulus", "20,20000,1.0,0", "--json"})
          .parsed();
  EXPECT_THAT(j["notes"].dump(), HasSubstr("missing"));
}

}  // namespace
}  // namespace lalometer

namespace lalometer {
namespace {

const char* const kTakesPlan = R"({"subject": {"name": "Kiosk", "loading": "vented",
  "drivers": [{"id": "woofer", "role": "woofer", "sd_cm2": 132, "y_mm": -95},
              {"id": "tweeter", "role": "tweeter", "sd_cm2": 7.5, "y_mm": 60}],
  "baffle": {"width_mm": 210, "height_mm": 380, "depth_mm": 300, "left_mm": 105, "top_mm": 150},
  "box": {"net_volume_l": 14}, "ports": [{"panel": "back", "diameter_mm": 50, "length_mm": 130}]},
  "faults": ["box-leak"],
  "takes": [{"id": "free", "kind": "impedance", "condition": "free-air"},
            {"id": "axis", "kind": "response"},
            {"id": "side", "kind": "impulse-response", "horizontal_deg": 40, "length": 8192},
            {"id": "cone", "kind": "near-field", "source": "woofer"},
            {"id": "tones", "kind": "multitone", "tones_hz": [50, 900], "duration_s": 0.4}]})";

TEST(Cli, SimulateWritesAnyKindOfTakeWithItsTruth) {
  const TemporaryFolder folder;
  test::write(folder / "s.json", kTakesPlan);
  ASSERT_EQ(run({"simulate", (folder / "s.json").string(), (folder / "set").string()}).status, 0);
  const json set = json::parse(test::slurp(folder / "set" / "set.json"));
  const json truth = json::parse(test::slurp(folder / "set" / "truth.json"));
  ASSERT_EQ(set["takes"].size(), 5U);
  ASSERT_EQ(truth["takes"].size(), 5U);
  EXPECT_EQ(truth["faults"], json::array({"box-leak"}));
  EXPECT_NEAR(truth["takes"][0]["driver"]["fs_hz"].get<double>(), 42.0, 1e-6);
  const char* kinds[] = {"impedance", "response", "impulse-response", "near-field", "multitone"};
  for (std::size_t i = 0; i < 5; ++i) {
    EXPECT_EQ(set["takes"][i]["kind"], kinds[i]);
    EXPECT_TRUE(
        std::filesystem::exists(folder / "set" / set["takes"][i]["file"].get<std::string>()));
  }
  EXPECT_EQ(set["takes"][3]["source"], "woofer");
  // The gated curve of the response take against the truth of the same take.
  const auto got = run({"response", (folder / "set" / "axis.frd").string(), "--json"}).parsed();
  const json& want = truth["takes"][1];
  for (std::size_t i = 0; i < want["frequency_hz"].size(); ++i) {
    const double f = want["frequency_hz"][i];
    if (f < 2500.0 || f > 18000.0) continue;
    const auto& axis = got["frequency_hz"];
    std::size_t j = 0;
    while (j + 1 < axis.size() && axis[j].get<double>() < f) ++j;
    EXPECT_NEAR(got["level_db"][j].get<double>(), want["level_db"][i].get<double>(), 0.3) << f;
  }
  test::write(folder / "bad.json", R"({"subject": {"loading": "sealed"}, "faults": ["gremlin"]})");
  const auto refused = run({"simulate", (folder / "bad.json").string(), (folder / "x").string()});
  EXPECT_EQ(refused.status, 3);
  EXPECT_FALSE(std::filesystem::exists(folder / "x" / "set.json"));
}

TEST(Cli, TheLogTellsTheCommandAndWhatWentWrong) {
  const TemporaryFolder folder;
  const std::string log = (folder / "cli.log").string();
  const std::string missing = (folder / "missing.frd").string();
  EXPECT_EQ(run({"--log", log, "response", missing}).status, 3);
  const std::string text = test::slurp(log);
  EXPECT_THAT(text, HasSubstr("response " + missing));
  EXPECT_THAT(text, ::testing::ContainsRegex("W .*missing.frd"));
  EXPECT_THAT(text, HasSubstr("status 3"));
}

}  // namespace
}  // namespace lalometer
