// What comes back from a recorder with a clock of its own, through the command line.
#include <gmock/gmock.h>

#include <nlohmann/json.hpp>

#include "cli/cli_support.h"
#include "exchange/audio_file.h"
#include "support/support.h"
#include "support/two_clocks.h"

namespace lalometer {
namespace {

using json = nlohmann::json;
using test::run;
using test::Section;
using test::TemporaryFolder;
using testing::HasSubstr;

const std::vector<Section> kTwoWay = {{true, 60.0}, {false, 18000.0}};
constexpr const char* kStimulus = "20,20000,2,0.5";
constexpr const char* kRepeats = "20,20000,2,0.5,3,3";

std::string kept(const TemporaryFolder& folder, const std::string& name, double rate,
                 std::vector<double> samples) {
  const auto bytes = *audio_bytes({rate, {std::move(samples)}, ""}, AudioFormat::kWavFloat32);
  EXPECT_TRUE(write_file(folder / name, bytes).has_value());
  return (folder / name).string();
}

std::vector<double> sweeps(int count, const test::Recorder& r, double later_s = 0.0) {
  const auto one = test::sweep_of(20.0, 20000.0, 2.0);
  return test::recorded(
      [&](double t) {
        double sum = 0.0;
        for (int i = 0; i < count; ++i) sum += 0.3 * one(t - later_s - 0.5 - 3.0 * i);
        return sum;
      },
      later_s + 0.3 + 3.0 * count, kTwoWay, r);
}

/// Largest differences between two answers over a range.
struct Apart {
  double level_db = 0.0;
  double phase_deg = 0.0;
};
Apart apart(const json& a, const json& b, double low, double high) {
  Apart most;
  for (std::size_t i = 0, k = 0; i < a["frequency_hz"].size(); ++i) {
    const double f = a["frequency_hz"][i];
    while (k + 1 < b["frequency_hz"].size() && b["frequency_hz"][k].get<double>() < 0.9999 * f) ++k;
    if (f < low || f > high || std::abs(b["frequency_hz"][k].get<double>() / f - 1.0) > 1e-4)
      continue;
    most.level_db = std::max(
        most.level_db, std::abs(a["level_db"][i].get<double>() - b["level_db"][k].get<double>()));
    if (a["phase_deg"][i].is_number() && b["phase_deg"][k].is_number())
      most.phase_deg =
          std::max(most.phase_deg,
                   std::abs(std::remainder(
                       a["phase_deg"][i].get<double>() - b["phase_deg"][k].get<double>(), 360.0)));
  }
  return most;
}

TEST(CliRecorder, RepeatsThroughTwoClocksEqualOneClock) {
  const TemporaryFolder folder;
  const std::string one = kept(folder, "one.wav", 48000.0, sweeps(1, {}));
  const json want =
      run({"response", one, "--stimulus", kStimulus, "--gate-ms", "8", "--json"}).parsed();
  EXPECT_EQ(want["sweeps_found"], 1);
  for (const test::Recorder& r : {test::Recorder{48000.0, 300.0}, {44100.0, -300.0}}) {
    const std::string file = kept(folder, "three.wav", r.rate_hz, sweeps(3, r));
    const json got =
        run({"response", file, "--stimulus", kRepeats, "--gate-ms", "8", "--json"}).parsed();
    EXPECT_EQ(got["sweeps_found"], 3);
    EXPECT_NEAR(got["drift_ppm"]["value"].get<double>(), r.drift_ppm, 1.0);
    EXPECT_LT(got["drift_ppm"]["uncertainty"].get<double>(), 1.0);
    const Apart most = apart(want, got, 150.0, 10000.0);
    EXPECT_LT(most.level_db, 0.05) << r.rate_hz;
    EXPECT_LT(most.phase_deg, 2.0) << r.rate_hz;
    EXPECT_NEAR(got["arrival_s"].get<double>(), want["arrival_s"].get<double>(), 1e-5);
  }
}

TEST(CliRecorder, OneBareSweepOfTwoClocksKeepsItsLevelAndClaimsNoPhase) {
  const TemporaryFolder folder;
  const std::string one = kept(folder, "one.wav", 48000.0, sweeps(1, {}));
  const std::string drifting =
      kept(folder, "drifting.wav", 48000.0, sweeps(1, {.drift_ppm = 250.0}));
  const std::vector<std::string> options = {"--stimulus", kStimulus, "--gate-ms", "8", "--json"};
  const auto asked = [&](const std::string& file) {
    std::vector<std::string> words = {"response", file};
    words.insert(words.end(), options.begin(), options.end());
    return run(words).parsed();
  };
  const json want = asked(one);
  const json got = asked(drifting);
  EXPECT_NEAR(got["drift_ppm"]["value"].get<double>(), 250.0,
              got["drift_ppm"]["uncertainty"].get<double>());
  EXPECT_LT(apart(want, got, 150.0, 15000.0).level_db, 0.1);
  EXPECT_TRUE(got["phase_deg"][100].is_null());
  EXPECT_TRUE(want["phase_deg"][100].is_number()) << "no drift is seen: one clock";
  EXPECT_THAT(got["notes"].dump(), HasSubstr("no phase is told"));
}

TEST(CliRecorder, OfSeveralSweepsTheOneThatIsAskedForIsTold) {
  const TemporaryFolder folder;
  // The second is 6 dB softer; the recorder was started 4 s before the player.
  const auto one = test::sweep_of(20.0, 20000.0, 2.0);
  const auto x = test::recorded(
      [&](double t) { return 0.4 * one(t - 4.5) + 0.2 * one(t - 9.1) + 0.4 * one(t - 13.0); }, 16.0,
      kTwoWay, {.drift_ppm = 40.0});
  const std::string file = kept(folder, "by hand.wav", 48000.0, x);
  const auto told = [&](std::vector<std::string> more) {
    std::vector<std::string> words = {"response",  file, "--stimulus", kStimulus,
                                      "--gate-ms", "8",  "--json"};
    words.insert(words.end(), more.begin(), more.end());
    return run(words).parsed();
  };
  const json first = told({});
  EXPECT_EQ(first["sweeps_found"], 3);
  EXPECT_TRUE(first["arrival_s"].is_null()) << "nobody knows when it was played";
  EXPECT_THAT(first["notes"].dump(), HasSubstr("this is the first"));
  const json second = told({"--sweep", "2"});
  EXPECT_NEAR(first["level_db"][300].get<double>() - second["level_db"][300].get<double>(), 6.02,
              0.02);
  const auto none = run({"response", file, "--stimulus", kStimulus, "--sweep", "5"});
  EXPECT_EQ(none.status, 3);
  EXPECT_THAT(none.err, HasSubstr("holds 3 such sweeps"));
}

TEST(CliRecorder, LostSamplesBetweenRepeatsAreNamed) {
  const TemporaryFolder folder;
  auto x = sweeps(4, {.drift_ppm = -120.0});
  x.erase(x.begin() + 439000, x.begin() + 439003);  // before the fourth
  const std::string file = kept(folder, "lost.wav", 48000.0, std::move(x));
  const json j = run({"response", file, "--stimulus", "20,20000,2,0.5,4,3", "--json"}).parsed();
  EXPECT_THAT(j["notes"].dump(), HasSubstr("3 samples are missing between sweeps 3 and 4"));
  EXPECT_NEAR(j["drift_ppm"]["value"].get<double>(), -120.0, 1.0);
}

TEST(CliRecorder, AStimulusFileIsItsOwnReference) {
  const TemporaryFolder folder;
  const std::string file = (folder / "play.flac").string();
  const json told =
      run({"stimulus", file, "--duration-s", "1.5", "--repeats", "2", "--json"}).parsed();
  const json& s = told["stimulus"];
  const json played = run({"response", file, "--stimulus",
                           fmt::format("20,20000,{},{},2,{}", s["duration_s"].get<double>(),
                                       s["lead_in_s"].get<double>(), s["period_s"].get<double>()),
                           "--json"})
                          .parsed();
  EXPECT_EQ(played["sweeps_found"], 2);
  EXPECT_NEAR(played["drift_ppm"]["value"].get<double>(), 0.0, 0.5);
  for (std::size_t i = 0; i < played["level_db"].size(); ++i) {
    const double f = played["frequency_hz"][i];
    if (f < 30.0 || f > 18000.0) continue;
    ASSERT_NEAR(played["level_db"][i].get<double>(), -6.02, 0.05) << f;  // peak: half of full scale
    ASSERT_NEAR(played["phase_deg"][i].get<double>(), 0.0, 2.0) << f;
  }
}

TEST(CliRecorder, StimuliThatCannotBeAreRefused) {
  const TemporaryFolder folder;
  EXPECT_EQ(run({"stimulus", (folder / "a.mp3").string()}).status, 3);
  EXPECT_EQ(run({"stimulus", (folder / "a.wav").string(), "--stop-hz", "30000"}).status, 3);
  EXPECT_EQ(
      run({"stimulus", (folder / "a.wav").string(), "--repeats", "2", "--period-s", "1"}).status,
      3);
  EXPECT_EQ(run({"response", (folder / "a.wav").string(), "--stimulus", "20,20000,2,0.5,3"}).status,
            2);
}

}  // namespace
}  // namespace lalometer
