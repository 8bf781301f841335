// Level and time through the command line, on sets written out here.
#include <fmt/format.h>
#include <gmock/gmock.h>

#include <complex>
#include <nlohmann/json.hpp>
#include <numbers>

#include "acoustics/level/multitone.h"
#include "cli/cli_support.h"
#include "exchange/audio_file.h"
#include "support/support.h"
#include "support/swept.h"

namespace lalometer {
namespace {

using json = nlohmann::json;
using test::run;
using test::TemporaryFolder;
using testing::HasSubstr;

constexpr double kRate = 48000.0;

void write_sound(const std::filesystem::path& path, std::vector<double> x) {
  const AudioData audio{.sample_rate_hz = kRate, .channels = {std::move(x)}, .format = {}};
  ASSERT_TRUE(write_file(path, *audio_bytes(audio, AudioFormat::kWavFloat32)));
}

json set_of(json takes) {
  return {
      {"format", "lalometer-set"},
      {"version", 1},
      {"subject", {{"name", "Sluice box"}, {"kind", "loudspeaker"}, {"drivers", json::array()}}},
      {"takes", std::move(takes)}};
}

json sweep_take(const std::string& id, double drive_v) {
  return {{"id", id},
          {"kind", "sweep"},
          {"file", id + ".wav"},
          {"distance_m", 1.0},
          {"drive_v", drive_v},
          {"pa_per_v", 1.0},
          {"stimulus",
           {{"type", "exponential-sweep"},
            {"start_hz", 20},
            {"stop_hz", 20000},
            {"duration_s", 1.5},
            {"lead_in_s", 0.25},
            {"amplitude", 1.0}}}};
}

/// A loudspeaker of 0.1 Pa for each volt, with a bend that grows with the drive; recorded in units
/// of the drive, as sets hold sweeps.
void write_sweep(const TemporaryFolder& folder, const std::string& id, double drive_v,
                 double square, double cube, double lost = 1.0) {
  const auto spec = *SweepSpec::make(
      {.start_hz = 20, .stop_hz = 20000, .duration_s = 1.5, .sample_rate_hz = kRate});
  std::vector<double> x(12000, 0.0);
  test::Normals normal(5);
  const double peak = drive_v * std::numbers::sqrt2;
  for (const double s : exponential_sweep(spec)) {
    const double v = peak * s;
    // sin^2 and sin^3 by their formulas would need the phase; the products above 24 kHz that fold
    // back here lie above the tests' range.
    x.push_back(0.1 * lost * (v + square * v * v + cube * v * v * v) / peak);
  }
  x.resize(x.size() + 24000, 0.0);
  for (double& v : x) v += 1e-6 * normal();
  write_sound(folder / (id + ".wav"), std::move(x));
}

TEST(CliDistortion, LevelsOfASetTellHarmonicsAndWhatIsLost) {
  const TemporaryFolder folder;
  const double square = 2e-3;
  const double cube = 1e-3;
  json takes;
  for (const auto& [id, drive, lost] :
       {std::tuple("quiet", 1.0, 1.0), std::tuple("usual", 2.83, 1.0),
        std::tuple("loud", 8.0, 0.9)}) {
    write_sweep(folder, id, drive, square, cube, lost);
    takes.push_back(sweep_take(id, drive));
  }
  test::write(folder / "set.json", set_of(takes).dump());
  const auto answer = run({"distortion", folder.path().string(), "--json"});
  ASSERT_EQ(answer.status, 0) << answer.err;
  const json told = answer.parsed();
  EXPECT_DOUBLE_EQ(told["drive_v"].get<double>(), 2.83) << "the usual drive stands for all";
  ASSERT_EQ(told["levels"].size(), 3U);
  for (const json& level : told["levels"]) {
    const double v = level["drive_v"].get<double>() * std::numbers::sqrt2;
    const double lost = v > 10.0 ? 0.9 : 1.0;
    const double spl = [&](double ratio) {
      return 20.0 * std::log10(0.1 * lost * v / std::numbers::sqrt2 * ratio / 20e-6);
    }(1.0);
    const double first = 1.0 + 0.75 * cube * v * v;
    EXPECT_NEAR(level["spl_db"].get<double>(), spl + 20.0 * std::log10(first), 0.05);
    for (std::size_t i = 0; i < level["frequency_hz"].size(); ++i) {
      const double f = level["frequency_hz"][i];
      if (f < 80.0 || f > 3000.0) continue;
      EXPECT_NEAR(level["h2_db"][i].get<double>(), spl + 20.0 * std::log10(0.5 * square * v), 0.5)
          << f;
      EXPECT_NEAR(level["h3_db"][i].get<double>(), spl + 20.0 * std::log10(0.25 * cube * v * v),
                  0.5)
          << f;
      const double thd = 100.0 * std::hypot(0.5 * square * v, 0.25 * cube * v * v) / first;
      EXPECT_NEAR(level["thd_percent"][i].get<double>() / thd, 1.0, 0.04) << f;
      const double quiet = 1.0 + 0.75 * cube * 2.0;
      EXPECT_NEAR(level["compression_db"][i].get<double>(), 20.0 * std::log10(lost * first / quiet),
                  0.05)
          << f;
    }
  }
  EXPECT_DOUBLE_EQ(told["levels"][0]["drive_v"].get<double>(), 1.0);
  EXPECT_TRUE(told["thresholds"]["3"].is_null());
  EXPECT_THAT(told["notes"].dump(), HasSubstr("stays under 3 %"));
  EXPECT_THAT(told["notes"].dump(), HasSubstr("No drive was taken twice"));
}

TEST(CliDistortion, AnImpulseResponseAloneTellsNoHarmonicAndSaysSo) {
  const TemporaryFolder folder;
  std::vector<double> x(4800, 0.0);
  x[100] = 1.0;
  write_sound(folder / "ir.wav", x);
  const auto answer = run({"distortion", (folder / "ir.wav").string(), "--json"});
  EXPECT_EQ(answer.status, 3);
  EXPECT_THAT(answer.err, HasSubstr("recorded sweep"));
  EXPECT_THAT(answer.err, HasSubstr("ir.wav"));
}

TEST(CliDistortion, AMultitoneOfASetStandsOnTheLevelThatWasTold) {
  const TemporaryFolder folder;
  const auto m =
      multitone({.low_hz = 40, .high_hz = 16000, .tones_per_octave = 2, .period_s = 2.0});
  ASSERT_TRUE(m);
  std::vector<double> x;
  for (int k = 0; k < 2; ++k) x.insert(x.end(), m->period.begin(), m->period.end());
  for (std::size_t i = 0; i < x.size(); ++i)
    x[i] += 1e-3 * std::sin(2.0 * kPi * 733.0 * static_cast<double>(i) / kRate);
  write_sound(folder / "mt.wav", x);
  test::write(folder / "set.json", set_of(json::array({{{"id", "mt"},
                                                        {"kind", "multitone"},
                                                        {"file", "mt.wav"},
                                                        {"tones_hz", m->tones_hz},
                                                        {"spl_db", 86}}}))
                                       .dump());
  const auto answer = run({"distortion", folder.path().string(), "--json"});
  ASSERT_EQ(answer.status, 0) << answer.err;
  const json told = answer.parsed()["multitone"];
  double power = 0.0;
  for (const json& tone : told["tone_db"]) power += std::pow(10.0, tone.get<double>() / 10.0);
  EXPECT_NEAR(10.0 * std::log10(power), 86.0, 0.05);
  // One tone's amplitude by the crest factor: rms of all = 1 / crest, each of n has that over root
  // n.
  const double tone =
      std::numbers::sqrt2 / m->crest / std::sqrt(static_cast<double>(m->tones_hz.size()));
  EXPECT_NEAR(told["range_db"].get<double>(), 20.0 * std::log10(tone / 1e-3), 0.3);
  EXPECT_EQ(told["band_hz"].size(), told["floor_db"].size());
}

/// A sweep with a wide dip of 4 dB at 1 kHz, and a third harmonic of `third` about there.
void write_dipped(const TemporaryFolder& folder, double third) {
  const auto spec = *SweepSpec::make(
      {.start_hz = 20, .stop_hz = 20000, .duration_s = 1.5, .sample_rate_hz = kRate});
  std::vector<double> x(12000, 0.0);
  for (std::size_t i = 0; i < spec.sample_count(); ++i) {
    const double t = static_cast<double>(i) / kRate;
    const double f = sweep_frequency_hz(spec, t);
    const double phase = 2.0 * kPi * 20.0 * spec.rate_s() * std::expm1(t / spec.rate_s());
    const double about = std::exp(-std::pow(std::log2(f / 1000.0) / 0.5, 2));
    x.push_back(0.1 * (std::pow(10.0, -0.2 * about) * std::sin(phase) +
                       third * about * std::sin(3.0 * phase)));
  }
  x.resize(x.size() + 24000, 0.0);
  test::Normals normal(4);
  for (double& v : x) v += 1e-6 * normal();
  write_sound(folder / "ahead.wav", std::move(x));
}

// A dip that stands alike at all angles is the loudspeaker's, and a filter may mend it; where the
// loudspeaker adds five per cent there, it may not.
TEST(CliDistortion, TonesOneByOneAreWrittenAndReadAgain) {
  const TemporaryFolder folder;
  const std::string file = (folder / "tones.wav").string();
  const json told = json::parse(
      run({"stimulus", file, "--in-turn", "3", "--start-hz", "100", "--stop-hz", "2000", "--json"})
          .out);
  std::string tones;
  for (const json& f : told["stimulus"]["tones_hz"])
    tones += (tones.empty() ? "" : ",") + fmt::format("{:.10g}", f.get<double>());
  // x + 0.1 x^2 of a half: 2.5 % of second order.
  auto audio = read_audio(*file_bytes(file), file);
  std::vector<double> x = audio->channels.front();
  test::Normals normal(2);
  for (double& v : x) v += 0.1 * v * v + 1e-5 * normal();
  write_sound(folder / "bent.wav", std::move(x));
  const auto answer =
      run({"distortion", (folder / "bent.wav").string(), "--in-turn", "--tones", tones, "--json"});
  ASSERT_EQ(answer.status, 0) << answer.err;
  const json d = json::parse(answer.out);
  ASSERT_EQ(d["frequency_hz"].size(), told["stimulus"]["tones_hz"].size());
  for (const json& thd : d["thd_percent"]) EXPECT_NEAR(thd.get<double>(), 2.5, 0.01);
  EXPECT_NE(run({"distortion", file, "--in-turn", "--tones", "50,3000", "--json"}).status, 0);
}

TEST(CliDistortion, WhatTouchesIsToldAgainstAGoodOne) {
  const TemporaryFolder folder;
  for (const bool rubs : {false, true}) {
    const std::string id = rubs ? "bad" : "good";
    std::filesystem::create_directories(folder / id);
    const auto spec = *SweepSpec::make(
        {.start_hz = 20, .stop_hz = 20000, .duration_s = 1.5, .sample_rate_hz = kRate});
    std::vector<double> x(12000, 0.0);
    test::Normals normal(5);
    double before = 0.0;
    double tick = 0.0;
    const auto sweep = exponential_sweep(spec);
    for (std::size_t i = 0; i < sweep.size(); ++i) {
      const double f = sweep_frequency_hz(spec, static_cast<double>(i) / kRate);
      const double travel = sweep[i] / (1.0 + std::pow(f / 60.0, 2));
      if (rubs && travel > 0.4 && before <= 0.4) tick = 0.01;
      before = travel;
      tick *= -0.8;
      x.push_back(0.1 * sweep[i] + tick);
    }
    x.resize(x.size() + 24000, 0.0);
    for (double& v : x) v += 1e-6 * normal();
    write_sound(folder / id / "s.wav", std::move(x));
    test::write(folder / id / "set.json", set_of(json::array({sweep_take("s", 2.83)})).dump());
  }
  const auto answer = run(
      {"distortion", (folder / "bad").string(), "--good", (folder / "good").string(), "--json"});
  ASSERT_EQ(answer.status, 0) << answer.err;
  const json d = json::parse(answer.out);
  ASSERT_EQ(d["against_good"]["worse"].size(), 1U);
  EXPECT_TRUE(d["against_good"]["worse"][0]["in_peaks"].get<bool>());
  EXPECT_THAT(d["rub"]["notes"].dump(), HasSubstr("sharp peaks"));
  const json good =
      json::parse(run({"distortion", (folder / "good").string(), "--rub", "--json"}).out);
  EXPECT_THAT(good["rub"]["notes"].dump(), HasSubstr("Nothing touches"));
  EXPECT_FALSE(good.contains("against_good"));
}

TEST(CliEqualise, DistortionStandsInTheWayOfABoost) {
  for (const double third : {0.001, 0.05}) {
    const TemporaryFolder folder;
    write_dipped(folder, third);
    json takes = json::array({sweep_take("ahead", 2.83)});
    takes[0]["gate_ms"] = 20;
    for (int d = -60; d <= 60; d += 10) {
      if (d == 0) continue;
      std::string rows;
      for (double f = 40.0; f < 19000.0; f *= std::exp2(1.0 / 48.0))
        rows += fmt::format("{} {} 0\n", f,
                            20.0 * std::log10(0.1 * 2.83 / 20e-6) -
                                4.0 * std::exp(-std::pow(std::log2(f / 1000.0) / 0.5, 2)));
      const std::string file = fmt::format("h{:+d}.frd", d);
      test::write(folder / file, rows);
      takes.push_back({{"id", file},
                       {"kind", "response"},
                       {"file", file},
                       {"horizontal_deg", d},
                       {"distance_m", 1.0},
                       {"drive_v", 2.83}});
    }
    test::write(folder / "set.json", set_of(takes).dump());
    const auto answer =
        run({"equalise", folder.path().string(), "--for", "on-axis", "--from", "100", "--json"});
    ASSERT_EQ(answer.status, 0) << answer.err;
    const json told = answer.parsed();
    bool refused = false;
    for (const json& r : told["refused"])
      refused = refused || (r["reason"].get<std::string>().find("THD") != std::string::npos &&
                            r["low_hz"] < 1000.0 && r["high_hz"] > 1000.0);
    EXPECT_EQ(refused, third > 0.03) << told["refused"].dump();
    for (std::size_t i = 0; i < told["frequency_hz"].size(); ++i) {
      const double f = told["frequency_hz"][i];
      if (f < 950.0 || f > 1050.0) continue;
      const double lift = told["after_db"][i].get<double>() - told["before_db"][i].get<double>();
      if (third > 0.03) {
        EXPECT_LT(lift, 0.5) << f;
      } else {
        EXPECT_GT(lift, 1.5) << f << told["refused"].dump();
      }
    }
  }
}

TEST(CliDecay, RidgesOfAFileInAllThreeKinds) {
  const TemporaryFolder folder;
  std::vector<double> x(24000, 0.0);
  x[240] = 1.0;
  for (std::size_t i = 240; i < x.size(); ++i) {
    const double t = static_cast<double>(i - 240) / kRate;
    x[i] += 0.02 * std::exp(-t * std::numbers::ln10 / 0.06) * std::cos(2.0 * kPi * 150.0 * t);
    x[i] += 0.05 * std::exp(-t * std::numbers::ln10 / 0.005) * std::cos(2.0 * kPi * 2100.0 * t);
  }
  write_sound(folder / "ir.wav", x);
  for (const std::string kind : {"cumulative", "burst", "bass"}) {
    const auto answer = run({"decay", (folder / "ir.wav").string(), "--kind", kind, "--json"});
    ASSERT_EQ(answer.status, 0) << answer.err;
    const json told = answer.parsed();
    const std::string axis = kind == "burst" ? "cycles" : "time_ms";
    EXPECT_EQ(told["level_db"].size(), told[axis].size());
    EXPECT_EQ(told["level_db"][0].size(), told["frequency_hz"].size());
    ASSERT_EQ(told["ridges"].size(), kind == "bass" ? 1U : 2U) << kind;
    EXPECT_NEAR(told["ridges"][0]["frequency_hz"].get<double>(), 150.0, 1.0);
    EXPECT_NEAR(told["ridges"][0]["decay_ms"].get<double>(), 60.0, 3.0);
    EXPECT_NEAR(told["ridges"][0]["decay_cycles"].get<double>(), 9.0, 0.5);
    if (kind == "bass") continue;
    EXPECT_NEAR(told["ridges"][1]["decay_ms"].get<double>(), 5.0, 0.25);
  }
  const auto curve = run({"decay", (folder / "none.wav").string()});
  EXPECT_EQ(curve.status, 3);
}

}  // namespace
}  // namespace lalometer
