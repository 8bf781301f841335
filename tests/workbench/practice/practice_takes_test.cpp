#include "workbench/practice/practice_takes.h"

#include <gmock/gmock.h>

#include <nlohmann/json.hpp>

#include "exchange/audio_file.h"
#include "support/support.h"
#include "workbench/practice/demo_book.h"
#include "workbench/practice/files/simulation_file.h"

namespace lalometer {
namespace {

using ::testing::HasSubstr;
using json = nlohmann::json;

PracticeTake one(const char* text) {
  const auto takes = practice_takes_of(text, "plan");
  EXPECT_TRUE(takes.has_value()) << takes.error().text();
  return takes->front();
}

SimulatedTake made(const char* text, const PracticeBenchSetup& bench = demo_bench(false)) {
  auto take = simulated_take(bench, one(text), 48000.0, {});
  EXPECT_TRUE(take.has_value()) << take.error().text();
  return std::move(*take);
}

AudioData sound(const SimulatedTake& take) {
  return *read_audio(take.item.raw.bytes, "x.wav");
}

TEST(PracticeTakes, RefusesWhatMeansNothing) {
  for (const auto& [text, words] :
       {std::pair{R"({"kind": "hologram"})", "hologram"},
        {R"({"kind": "sweep", "horizontal_deg": 10, "vertical_deg": 10})", "is 0"},
        {R"({"kind": "impedance", "condition": "added-mass"})", "added_mass_g"},
        {R"({"kind": "impedance", "condition": "test-box"})", "test_box_l"},
        {R"({"kind": "sweep", "distance_m": -1})", "range"},
        {R"({"kind": "impulse-response", "length": 3})", "range"},
        {R"({"kind": "impulse-response", "orbit": "round"})", "orbit"},
        {R"({"kind": "impulse-response", "orbit": "both", "step_deg": 7})", "divides"},
        {"[]", "object"}}) {
    const auto takes = practice_takes_of(text, "plan: takes[3]");
    ASSERT_FALSE(takes.has_value()) << text;
    EXPECT_THAT(takes.error().text(), HasSubstr(words));
    EXPECT_THAT(takes.error().text(), HasSubstr("takes[3]"));
  }
  EXPECT_FALSE(
      simulated_take(demo_bench(false), one(R"({"kind": "sweep", "driver": "x"})"), 48000.0, {})
          .has_value());
}

// CTA-2034-A: 36 angles round each orbit, the two that both have taken once.
TEST(PracticeTakes, OrbitsHaveEveryAngleOnce) {
  const auto both = *practice_takes_of(R"({"kind": "impulse-response", "orbit": "both"})", "p");
  EXPECT_EQ(both.size(), 70U);
  std::set<std::pair<double, double>> angles;
  std::set<std::string> ids;
  for (const PracticeTake& t : both) {
    EXPECT_TRUE(angles.insert({t.horizontal_deg, t.vertical_deg}).second);
    EXPECT_TRUE(ids.insert(t.id).second);
    EXPECT_TRUE(t.horizontal_deg == 0.0 || t.vertical_deg == 0.0);
  }
  EXPECT_TRUE(angles.contains({180.0, 0.0}));
  EXPECT_EQ(
      practice_takes_of(R"({"kind": "response", "orbit": "vertical", "step_deg": 5})", "p")->size(),
      72U);
}

// The impulse response against the field's own transfer function: a discrete Fourier transform by
// hand at a few frequencies.
TEST(PracticeTakes, ImpulseResponseIsTheFieldsTransferFunction) {
  PracticeBenchSetup bench = demo_bench(true);
  bench.microphone_noise_pa = 0.0;
  const AudioData h = sound(made(R"({"kind": "impulse-response", "horizontal_deg": 30})", bench));
  ASSERT_EQ(h.channels[0].size(), 65536U);
  PracticeRoom room = bench.room;
  room.horizontal_deg = 30.0;
  const PracticeField field(bench.speaker, room);
  for (const double f : {100.0, 1000.0, 7000.0}) {
    std::complex<double> sum = 0.0;
    for (std::size_t i = 0; i < h.channels[0].size(); ++i)
      sum += h.channels[0][i] * std::polar(1.0, -2.0 * kPi * f * static_cast<double>(i) / 48000.0);
    const PracticeOutput out = field.at(f);
    const auto want = 2.83 * (out.direct_pa_per_v + out.reflected_pa_per_v);
    EXPECT_NEAR(std::abs(sum / want - 1.0), 0.0, 0.003) << f;
  }
}

TEST(PracticeTakes, NothingArrivesBeforeTheSoundCan) {
  const AudioData h = sound(made(R"({"kind": "impulse-response", "length": 8192})"));
  const auto arrival = static_cast<std::size_t>(48000.0 / 343.0);
  double before = 0.0;
  double after = 0.0;
  // The converter's fade near half the rate rings a little ahead of the arrival.
  for (std::size_t i = 0; i + 24 < arrival; ++i)
    before = std::max(before, std::abs(h.channels[0][i]));
  for (std::size_t i = arrival; i < arrival + 100; ++i)
    after = std::max(after, std::abs(h.channels[0][i]));
  EXPECT_LT(before, 0.01 * after);
}

TEST(PracticeTakes, NearFieldOfThePortPeaksAtTheTuning) {
  const SimulatedTake port = made(R"({"kind": "near-field", "source": "port"})");
  const json truth = json::parse(json_text(port.truth));
  std::size_t peak = 0;
  for (std::size_t i = 0; i < truth["frequency_hz"].size(); ++i) {
    if (truth["frequency_hz"][i].get<double>() < 200.0 &&
        truth["level_db"][i].get<double>() > truth["level_db"][peak].get<double>())
      peak = i;
  }
  EXPECT_NEAR(truth["frequency_hz"][peak].get<double>(), 50.0, 8.0);
  EXPECT_EQ(port.item.take.kind(), TakeKind::kNearField);
}

TEST(PracticeTakes, MultitoneHoldsItsTones) {
  const AudioData m =
      sound(made(R"({"kind": "multitone", "tones_hz": [200, 1500], "duration_s": 1})"));
  ASSERT_EQ(m.channels.size(), 2U) << "the loopback comes along";
  const auto level = [&](double hz) {
    std::complex<double> sum = 0.0;
    for (std::size_t i = 24000; i < 48000; ++i)
      sum += m.channels[0][i] * std::polar(1.0, -2.0 * kPi * hz * static_cast<double>(i) / 48000.0);
    return std::abs(sum);
  };
  EXPECT_GT(level(200.0), 100.0 * level(330.0));
  EXPECT_GT(level(1500.0), 100.0 * level(1100.0));
  EXPECT_FALSE(simulated_take(demo_bench(false),
                              one(R"({"kind": "multitone", "tones_hz": [90000]})"), 48000.0, {})
                   .has_value());
}

TEST(PracticeTakes, AStopGivesNothing) {
  std::stop_source stop;
  stop.request_stop();
  EXPECT_EQ(
      simulated_take(demo_bench(false), one(R"({"kind": "sweep"})"), 48000.0, stop.get_token())
          .error()
          .code,
      ErrorCode::kCancelled);
}

}  // namespace
}  // namespace lalometer
