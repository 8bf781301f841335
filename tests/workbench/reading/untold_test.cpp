// What a take cannot tell, no lane and no command prints: absolute time without a loopback or
// chirps, absolute level without a calibration.
#include <gmock/gmock.h>

#include <nlohmann/json.hpp>

#include "cli/cli_support.h"
#include "exchange/audio_file.h"
#include "support/two_clocks.h"
#include "workbench/reading/lane_content.h"
#include "workbench/results/analysis.h"
#include "workbench/sharing/importing.h"

namespace lalometer {
namespace {

using test::run;

/// A session of two sweeps, by a recorder that nobody calibrated.
std::vector<std::byte> recorded_bytes() {
  const auto one = test::sweep_of(20.0, 20000.0, 1.0);
  auto x = test::recorded([&](double t) { return 0.3 * (one(t - 3.0) + one(t - 5.5)); }, 7.5,
                          {{true, 60.0}, {false, 18000.0}}, {.drift_ppm = 20.0, .noise = 0.0003});
  return *audio_bytes({48000.0, {std::move(x)}, ""}, AudioFormat::kWavFloat32);
}

Take recorded_take() {
  Take take;
  take.id = 1;
  take.name = "by hand";
  take.form = RawForm::kSweepFile;
  take.raw_name = "by hand.wav";
  take.setup = FarFieldSetup{};
  take.sample_rate_hz = 48000.0;
  take.colour = 0;
  take.conditions.distance_told = false;
  take.conditions.stimulus = {20.0, 20000.0, 1.0, 0.5};
  return take;
}

TEST(Untold, NoLanePrintsADistanceOrASoundPressure) {
  LaidTake laid;
  laid.take = recorded_take();
  auto result = analysed({laid.take, recorded_bytes(), {}, {.smoothing = 0}}, {});
  ASSERT_TRUE(result) << result.error().text();
  laid.analysis = std::make_shared<const Analysis>(*std::move(result));
  for (const LaneKind& kind : lane_kinds()) {
    std::string all;
    const LaneContent content = kind.build({laid}, 1);
    all += content.subtitle + "\n";
    if (kind.figures != nullptr && kind.needs(laid))
      for (const KeyFigure& figure : kind.figures(laid))
        all += figure.name + ": " + figure.value + " " + figure.basis + "\n";
    if (kind.at_cursor != nullptr && kind.needs(laid))
      all += kind.at_cursor(laid, 1000.0, value_at(laid.analysis->curve, 1000.0));
    for (const char* claim : {"20 µPa", "SPL", " m at ", "2.83 V"})
      EXPECT_THAT(all, testing::Not(testing::HasSubstr(claim))) << kind.id;
  }
}

TEST(Untold, PhasesOfTakesWithoutOneTimeAreMarked) {
  const Response curve = *Response::make(*FrequencyAxis::make({100.0, 1000.0}), {1.0, 1.0},
                                         Quantity::kPressure, {100.0, 1000.0}, true);
  const auto subtitle = [&](TimeOrigin::Source a, TimeOrigin::Source b) {
    std::vector<LaidTake> laid(2);
    for (std::size_t i = 0; i < 2; ++i) {
      laid[i].take = recorded_take();
      laid[i].take.id = static_cast<Id>(i) + 1;
      laid[i].analysis = std::make_shared<const Analysis>(
          Analysis{.curve = curve, .origin = {0.0, i == 0 ? a : b}, .notes = {}});
    }
    return lane_kind("phase")->build(laid, 1).subtitle;
  };
  using Source = TimeOrigin::Source;
  EXPECT_THAT(subtitle(Source::kOnset, Source::kOnset), testing::HasSubstr("not to be added"));
  EXPECT_THAT(subtitle(Source::kReference, Source::kOnset), testing::HasSubstr("not to be added"));
  EXPECT_THAT(subtitle(Source::kReference, Source::kReference),
              testing::HasSubstr("by reference chirps"));
  EXPECT_THAT(subtitle(Source::kTape, Source::kReference),
              testing::HasSubstr("flight time removed"));
}

TEST(Untold, NoCommandPrintsADistanceOrASoundPressure) {
  const test::TemporaryFolder folder;
  const std::string file = (folder / "by hand.wav").string();
  ASSERT_TRUE(write_file(folder / "by hand.wav", recorded_bytes()));
  const std::string book = (folder / "day.lalo").string();
  const std::vector<std::string> stimulus = {"--stimulus", "20,20000,1,0.5", "--json"};
  const auto told = [&](std::vector<std::string> words) {
    words.insert(words.end(), stimulus.begin(), stimulus.end());
    const auto answer = run(words);
    EXPECT_EQ(answer.status, 0) << answer.err;
    return answer.parsed();
  };
  const auto response = told({"response", file});
  EXPECT_TRUE(response["arrival_s"].is_null());
  EXPECT_TRUE(response["first_reflection_s"].is_null());
  EXPECT_EQ(response["time_origin"], "onset");
  EXPECT_FALSE(response.contains("time_origin_s"));
  EXPECT_THAT(response["notes"].dump(), testing::HasSubstr("levels are re the stimulus"));
  const auto imported = told({"import", file, "--book", book});
  EXPECT_EQ(imported["take_ids"].size(), 2U);
  EXPECT_THAT(imported["items"].dump(), testing::Not(testing::HasSubstr("arrival at")));
  // Out of the book, and as a set again.
  const auto kept = run({"response", book, "--take", "1", "--json"}).parsed();
  EXPECT_TRUE(kept["arrival_s"].is_null());
  const std::string set = (folder / "set").string();
  ASSERT_EQ(run({"export", book, set, "--subject", "1"}).status, 0);
  const auto again = run({"response", set, "--json"}).parsed();
  EXPECT_TRUE(again["arrival_s"].is_null());
  EXPECT_THAT(again["notes"].dump(), testing::HasSubstr("levels are re the stimulus"));
  const std::string curve = (folder / "one.txt").string();
  ASSERT_EQ(run({"export", book, curve, "--take", "1"}).status, 0);
  const auto bytes = *file_bytes(folder / "one.txt");
  const std::string text(reinterpret_cast<const char*>(bytes.data()), bytes.size());
  EXPECT_THAT(text, testing::Not(testing::HasSubstr("20 uPa")));
}

}  // namespace
}  // namespace lalometer
