// What comes back from a recorder with a clock of its own, through the command line.
#include <gmock/gmock.h>

#include <array>
#include <cstdlib>
#include <nlohmann/json.hpp>
#include <random>

#include "cli/cli_support.h"
#include "exchange/audio_file.h"
#include "support/support.h"
#include "support/two_clocks.h"
#include "workbench/keeping/plan_keeping.h"
#include "workbench/sharing/by_plan.h"

namespace lalometer {
namespace {

using json = nlohmann::json;
using test::run;
using test::Section;
using test::TemporaryFolder;
using testing::HasSubstr;

const std::vector<Section> kTwoWay = {{true, 60.0}, {false, 18000.0}};
constexpr const char* kStimulus = "20,20000,1,0.5";
constexpr const char* kRepeats = "20,20000,1,0.5,3,1.6";

std::string kept(const TemporaryFolder& folder, const std::string& name, double rate,
                 std::vector<double> samples) {
  const auto bytes = *audio_bytes({rate, {std::move(samples)}, ""}, AudioFormat::kWavFloat32);
  EXPECT_TRUE(write_file(folder / name, bytes).has_value());
  return (folder / name).string();
}

std::vector<double> sweeps(int count, const test::Recorder& r, double later_s = 0.0) {
  const auto one = test::sweep_of(20.0, 20000.0, 1.0);
  return test::recorded(
      [&](double t) {
        double sum = 0.0;
        for (int i = 0; i < count; ++i) sum += 0.3 * one(t - later_s - 0.5 - 1.6 * i);
        return sum;
      },
      later_s + 0.5 + 1.6 * count, kTwoWay, r);
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
  const auto sweep = test::sweep_of(20.0, 20000.0, 2.0);
  const auto bare = [&](double drift_ppm) {
    return test::recorded([&](double t) { return 0.3 * sweep(t - 0.5); }, 3.2, kTwoWay,
                          {.drift_ppm = drift_ppm});
  };
  const std::string one = kept(folder, "one.wav", 48000.0, bare(0.0));
  const std::string drifting = kept(folder, "drifting.wav", 48000.0, bare(250.0));
  const std::vector<std::string> options = {"--stimulus", "20,20000,2,0.5", "--gate-ms", "8",
                                            "--json"};
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
  const auto one = test::sweep_of(20.0, 20000.0, 1.0);
  const auto x = test::recorded(
      [&](double t) { return 0.4 * one(t - 4.5) + 0.2 * one(t - 6.9) + 0.4 * one(t - 9.0); }, 11.0,
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

/// A sweep `late_s` behind its reference chirps, which a loudspeaker of their own plays.
std::vector<double> with_chirps(double late_s, const test::Recorder& r) {
  const auto sweep = test::sweep_of(20.0, 20000.0, 1.0);
  const auto chirps = test::chirps_around(1.0);
  return test::recorded([&](double t) { return 0.3 * (sweep(t - 2.0 - late_s) + chirps(t - 2.0)); },
                        5.0, kTwoWay, r);
}

TEST(CliRecorder, ReferenceChirpsMakeTwoClocksOneAndTakesShareTheirTime) {
  const TemporaryFolder folder;
  const auto asked = [&](double late_s, const test::Recorder& r, std::vector<std::string> more) {
    const std::string file = kept(folder, "x.wav", r.rate_hz, with_chirps(late_s, r));
    std::vector<std::string> words = {"response", file,        "--stimulus", "20,20000,1,2.0",
                                      "--chirps", "--gate-ms", "8",          "--json"};
    words.insert(words.end(), more.begin(), more.end());
    return run(words).parsed();
  };
  const json want = asked(0.0, {48000.0, 0.0, 0.0}, {});
  EXPECT_EQ(want["time_origin"], "reference");
  EXPECT_TRUE(want["arrival_s"].is_null()) << "the chirps' distance is not told";
  for (const test::Recorder& r :
       {test::Recorder{48000.0, 300.0, 0.031}, {44100.0, -300.0, 0.004}}) {
    const json got = asked(0.0, r, {});
    EXPECT_NEAR(got["drift_ppm"]["value"].get<double>(), r.drift_ppm, 1.0);
    EXPECT_LT(got["drift_ppm"]["uncertainty"].get<double>(), 1.0);
    const Apart most = apart(want, got, 150.0, 10000.0);
    EXPECT_LT(most.level_db, 0.05) << r.rate_hz;
    EXPECT_LT(most.phase_deg, 2.0) << r.rate_hz;
  }
  // Another take, 0.4 ms farther, on another day's clock: 5 us are 1.8 degrees at 1 kHz.
  const json late = asked(0.0004, {48000.0, -80.0, 0.019}, {});
  for (std::size_t i = 0; i < late["frequency_hz"].size(); ++i) {
    const double f = late["frequency_hz"][i];
    if (f < 900.0 || f > 1100.0) continue;
    const double turned = late["phase_deg"][i].get<double>() - want["phase_deg"][i].get<double>() +
                          360.0 * f * 0.0004;
    EXPECT_NEAR(std::remainder(turned, 360.0) / (360.0 * f), 0.0, 5e-6);
  }
  // With the chirps' own distance told, arrival is flight and nothing else.
  const json told = asked(2.5 / 343.2, {48000.0, 60.0, 0.05}, {"--chirp-distance-m", "0.5"});
  EXPECT_NEAR(told["arrival_s"].get<double>(), 3.0 / 343.2, 4e-5);
}

TEST(CliRecorder, LostSamplesOfAChirpedSweepAreNamed) {
  const TemporaryFolder folder;
  std::vector<double> x = with_chirps(0.0, {48000.0, 25.0, 0.01, 0.0005});
  x.erase(x.begin() + 120000, x.begin() + 120003);
  const auto told = run({"response", kept(folder, "x.wav", 48000.0, std::move(x)), "--stimulus",
                         "20,20000,1,2.0", "--chirps", "--json"})
                        .parsed();
  EXPECT_THAT(told["notes"].dump(), HasSubstr("3 samples are missing in the sweep"));
  EXPECT_TRUE(told["phase_deg"][300].is_null());
}

// A session by hand: six sweeps with talk and a door between them, the recorder 90 ppm off.
TEST(CliRecorder, ASessionInOneFileBecomesATakeEach) {
  const TemporaryFolder folder;
  const auto one = test::sweep_of(20.0, 20000.0, 1.0);
  std::mt19937_64 engine(12);
  std::uniform_real_distribution<double> pause(1.9, 2.6);
  std::vector<double> at;
  for (double t = 2.5; at.size() < 6; t += 1.0 + pause(engine)) at.push_back(t);
  auto x = test::recorded(
      [&](double t) {
        double sum = 0.0;
        for (std::size_t i = 0; i < at.size(); ++i)
          sum += (i % 2 == 0 ? 0.3 : 0.15) * one(t - at[i]);
        return sum;
      },
      at.back() + 3.0, kTwoWay, {.rate_hz = 44100.0, .drift_ppm = 90.0, .noise = 0.0003});
  std::normal_distribution<double> normal;
  double low = 0.0;
  for (std::size_t i = 0; i < 30000; ++i) {
    low += 0.2 * (normal(engine) - low);
    x[static_cast<std::size_t>((at[1] + 1.3) * 44100.0) + i] +=
        0.15 * low * std::pow(std::sin(2.0 * kPi * 4.0 * static_cast<double>(i) / 44100.0), 2);
    x[static_cast<std::size_t>((at[3] + 1.4) * 44100.0) + i] +=
        0.5 * std::exp(-static_cast<double>(i) / 5000.0) *
        std::sin(2.0 * kPi * 55.0 * static_cast<double>(i) / 44100.0);
  }
  const std::string file = kept(folder, "sluice.wav", 44100.0, std::move(x));
  const std::string book = (folder / "session.lalo").string();
  const json taken =
      run({"import", file, "--book", book, "--stimulus", "20,20000,1,0.5", "--json"}).parsed();
  ASSERT_EQ(taken["items"].size(), 6U);
  EXPECT_EQ(taken["items"][3]["name"], "sluice 4");
  EXPECT_EQ(taken["items"][3]["understood"], "sweep 4 of 6 in one recording, 44100 Hz");
  ASSERT_EQ(taken["take_ids"].size(), 6U);
  std::vector<double> level;
  for (const json& id : taken["take_ids"]) {
    const json j =
        run({"response", book, "--take", std::to_string(id.get<int>()), "--gate-ms", "6", "--json"})
            .parsed();
    level.push_back(j["level_db"][j["level_db"].size() / 2].get<double>());
  }
  for (std::size_t i = 1; i < level.size(); ++i)
    EXPECT_NEAR(level[0] - level[i], i % 2 == 0 ? 0.0 : 6.02, 0.1) << i;
}

TEST(CliRecorder, LostSamplesBetweenRepeatsAreNamed) {
  const TemporaryFolder folder;
  auto x = sweeps(4, {.drift_ppm = -120.0});
  x.erase(x.begin() + 247000, x.begin() + 247003);  // before the fourth
  const std::string file = kept(folder, "lost.wav", 48000.0, std::move(x));
  const json j = run({"response", file, "--stimulus", "20,20000,1,0.5,4,1.6", "--json"}).parsed();
  EXPECT_THAT(j["notes"].dump(), HasSubstr("3 samples are missing between sweeps 3 and 4"));
  EXPECT_NEAR(j["drift_ppm"]["value"].get<double>(), -120.0, 1.0);
}

// Three sweeps beside their loopback: together they would have a comb for a spectrum.
TEST(CliRecorder, RepeatsWithALoopbackEqualOneSweep) {
  const TemporaryFolder folder;
  const auto loop = test::sweep_of(20.0, 20000.0, 1.0);
  const auto pair = [&](const std::string& name, int count) {
    const auto wire = test::recorded(
        [&](double t) {
          double sum = 0.0;
          for (int i = 0; i < count; ++i) sum += 0.3 * loop(t - 0.5 - 1.6 * i);
          return sum;
        },
        0.5 + 1.6 * count, {}, {.latency_s = 0.01});
    const auto bytes =
        *audio_bytes({48000.0, {sweeps(count, {}), wire}, ""}, AudioFormat::kWavFloat32);
    EXPECT_TRUE(write_file(folder / name, bytes).has_value());
    return (folder / name).string();
  };
  const auto asked = [&](const std::string& file, const char* stimulus) {
    return run({"response", file, "--stimulus", stimulus, "--loopback-channel", "1", "--gate-ms",
                "8", "--json"})
        .parsed();
  };
  const Apart most = apart(asked(pair("one.wav", 1), kStimulus),
                           asked(pair("three.wav", 3), kRepeats), 150.0, 15000.0);
  EXPECT_LT(most.level_db, 0.02);
  EXPECT_LT(most.phase_deg, 0.5);
}

// 40 samples between two sweeps are 520 ppm that neither of them shows by itself.
TEST(CliRecorder, TwoSweepsThatDisagreeWithThemselvesAreSaid) {
  const TemporaryFolder folder;
  auto x = sweeps(2, {.drift_ppm = 20.0});
  x.erase(x.begin() + 90000, x.begin() + 90040);
  const std::string file = kept(folder, "gap.wav", 48000.0, std::move(x));
  const json j = run({"response", file, "--stimulus", "20,20000,1,0.5,2,1.6", "--json"}).parsed();
  EXPECT_THAT(j["notes"].dump(), HasSubstr("missing or doubled between them"));
  EXPECT_NEAR(j["drift_ppm"]["value"].get<double>(), 20.0,
              j["drift_ppm"]["uncertainty"].get<double>());
}

// Sweeps of a set's take are chosen as those of a file are; the key is not kept twice.
TEST(CliRecorder, ASetsRecordingTellsTheSweepThatIsAskedFor) {
  const TemporaryFolder folder;
  kept(folder, "rec.wav", 48000.0, sweeps(3, {}));
  test::write(folder / "set.json", R"({"format": "lalometer-set", "version": 1,
    "subject": {"name": "s", "kind": "loudspeaker"},
    "takes": [{"id": "a", "kind": "sweep", "file": "rec.wav", "sweep": 2, "stimulus":
      {"type": "exponential-sweep", "start_hz": 20, "stop_hz": 20000, "duration_s": 1,
       "lead_in_s": 0.5, "amplitude": 1}}]})");
  const std::string set = folder.path().string();
  EXPECT_EQ(run({"response", set, "--json"}).parsed()["sweeps_found"], 3);
  EXPECT_EQ(run({"response", set, "--sweep", "4"}).status, 3);
  EXPECT_TRUE(run({"response", set, "--sweep", "1", "--json"}).parsed()["arrival_s"].is_number());
  EXPECT_TRUE(run({"response", set, "--json"}).parsed()["arrival_s"].is_null());
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

// A sweep up to half the recorder's rate, whose clock runs slow: half of its rate lies below.
TEST(CliRecorder, ASweepToHalfTheRateComesBackFromASlowClock) {
  const TemporaryFolder folder;
  const auto one = test::sweep_of(20.0, 22050.0, 1.0);
  const auto x = test::recorded([&](double t) { return 0.3 * (one(t - 0.5) + one(t - 2.1)); }, 3.6,
                                kTwoWay, {.rate_hz = 44100.0, .drift_ppm = -250.0});
  const std::string file = kept(folder, "slow.wav", 44100.0, x);
  const json j = run({"response", file, "--stimulus", "20,22050,1,0.5,2,1.6", "--json"}).parsed();
  EXPECT_NEAR(j["drift_ppm"]["value"].get<double>(), -250.0, 1.0);
  const json missing =
      run({"response", file, "--stimulus", "20,22050,1,0.5,3,1.6", "--json"}).parsed();
  EXPECT_THAT(missing["notes"].dump(), HasSubstr("holds 2 of 3 sweeps"));
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

/// Talk: noise of 100 Hz to 3 kHz in syllables. A door: a thump that rings at 60 Hz.
void add_talk_and_door(std::vector<double>& x, double rate, double talk_s, double door_s,
                       std::mt19937_64& engine) {
  std::normal_distribution<double> normal;
  double low = 0.0;
  const auto talk = static_cast<std::size_t>(talk_s * rate);
  for (std::size_t i = 0; i < static_cast<std::size_t>(rate) && talk + i < x.size(); ++i) {
    low += 0.2 * (normal(engine) - low);
    x[talk + i] += 0.2 * low * std::pow(std::sin(8.0 * kPi * static_cast<double>(i) / rate), 2);
  }
  const auto door = static_cast<std::size_t>(door_s * rate);
  for (std::size_t i = 0; i < static_cast<std::size_t>(rate) && door + i < x.size(); ++i)
    x[door + i] += 0.4 * std::exp(-8.0 * static_cast<double>(i) / rate) *
                   std::sin(120.0 * kPi * static_cast<double>(i) / rate);
}

// Six sweeps through a room (RT 0.1 to 0.6 s), each at its own level, with talk and a door between
// them, the recorder 90 ppm off at 44.1 kHz. All 30: LALOMETER_SESSIONS=all.
TEST(CliRecorder, SessionsAreSplitAndNamedByThePlan) {
  constexpr double kRate = 44100.0;
  const int sessions = std::getenv("LALOMETER_SESSIONS") != nullptr ? 30 : 2;
  const auto one = test::sweep_of(20.0, 20000.0, 1.0);
  const std::vector<std::string> want = {"0°",        "15° right", "30° right",
                                         "45° right", "60° right", "90° right"};
  for (int s = 0; s < sessions; ++s) {
    std::mt19937_64 engine(100 + static_cast<unsigned>(s));
    std::uniform_real_distribution<double> share(0.0, 1.0);
    std::vector<double> at;
    for (double t = 1.0 + 3.0 * share(engine); at.size() < 6; t += 2.6 + 2.0 * share(engine))
      at.push_back(t);
    std::vector<double> level;
    for (int k = 0; k < 6; ++k) level.push_back(0.05 + 0.25 * share(engine));
    auto x = test::recorded(
        [&](double t) {
          double sum = 0.0;
          for (std::size_t k = 0; k < 6; ++k) sum += level[k] * one(t - at[k]);
          return sum;
        },
        at.back() + 2.0, kTwoWay,
        {kRate, s % 2 == 0 ? 90.0 : -90.0, 0.0, 0.0005, static_cast<std::uint64_t>(s)});
    x = test::in_a_room(x, kRate, 0.1 + 0.5 * share(engine), engine);
    for (std::size_t k = 0; k + 1 < 6; k += 2)
      add_talk_and_door(x, kRate, at[k] + 1.1, at[k + 1] + 1.3, engine);
    const TemporaryFolder folder;
    const std::string book_path = (folder / "day.lalo").string();
    constexpr std::array kAngles = {0.0, 15.0, 30.0, 45.0, 60.0, 90.0};
    {
      auto book = *Book::create(book_path);
      const Id subject = *book.add_subject({.name = "Kiosk two-way"});
      const Id variant = *book.add_variant({0, subject, "As it is", "", ""});
      MeasuringPlan plan{
          .purpose = Purpose::kQuickSet, .subject_id = subject, .stamp = "s1", .takes = {}};
      for (std::size_t k = 0; k < 6; ++k) {
        PlannedTake planned;
        planned.id = "t" + std::to_string(k);
        planned.request.name = want[k];
        planned.request.subject_id = subject;
        planned.request.variant_id = variant;
        planned.request.horizontal_deg = kAngles.at(k);
        plan.takes.push_back(planned);
      }
      ASSERT_TRUE(keep_plan(book, plan));
    }
    const std::string file = kept(folder, "session.wav", kRate, std::move(x));
    const json told =
        run({"import", file, "--book", book_path, "--by-plan", "--stimulus", kStimulus, "--json"})
            .parsed();
    ASSERT_EQ(told["items"].size(), 6U) << s;
    EXPECT_TRUE(told["problems"].empty());
    const auto book = *Book::open(book_path);
    const auto takes = *book.takes();
    ASSERT_EQ(takes.size(), 6U);
    for (std::size_t k = 0; k < 6; ++k) {
      EXPECT_EQ(takes[k].name, want[k]);
      EXPECT_EQ(takes[k].conditions.sweep, static_cast<int>(k) + 1);
      EXPECT_EQ(place_of(takes[k]).horizontal_deg, kAngles.at(k));
      EXPECT_EQ(takes[k].plan_item, "s1/t" + std::to_string(k));
    }
    EXPECT_TRUE(wanted_of(book, takes[0].subject_id).empty()) << "the plan is fulfilled";
  }
}

}  // namespace
}  // namespace lalometer
