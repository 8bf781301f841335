#include "exchange/set/measurement_set.h"

#include <gmock/gmock.h>

#include <nlohmann/json.hpp>

#include "book/json.h"
#include "exchange/audio_file.h"
#include "support/books.h"

namespace lalometer {
namespace {

using nlohmann::json;
using test::TemporaryFolder;
using ::testing::HasSubstr;

json valid_set() {
  return json::parse(R"({
    "format": "lalometer-set", "version": 1, "colour_of_the_door": "green",
    "subject": {"name": "Kiosk two-way", "kind": "loudspeaker", "loading": "vented", "box": {"net_volume_l": 14}, "odd": [1, 2]},
    "variants": [{"id": "bare", "changed": "no damping"}],
    "takes": [
      {"id": "z", "kind": "impedance", "file": "z.zma", "condition": "in-box", "variant": "bare"},
      {"id": "h000", "kind": "response", "file": "h.frd", "distance_m": 1.5, "gate_ms": 4.5, "variant": "bare", "shelf_mark": 7},
      {"id": "nf", "kind": "near-field", "file": "h.frd", "source": "woofer", "distance_mm": 8, "drive_v": 0.28},
      {"id": "m10", "kind": "impedance", "file": "z.zma", "condition": "added-mass", "added_mass_g": 10, "sample": "A"},
      {"id": "ir", "kind": "impulse-response", "file": "ir.wav", "t0_s": 0.01, "horizontal_deg": 30, "polarity_flipped": "tweeter"},
      {"id": "ls", "kind": "level-step", "file": "h.frd", "drive_v": 8, "spl_db": 96},
      {"id": "mt", "kind": "multitone", "file": "ir.wav", "tones_hz": [31.5, 97.1], "spl_db": 86, "vertical_deg": -10},
      {"id": "tilt", "kind": "tilt", "file": "h.frd", "slope": {"deep": [3]}, "variant": "bare"}]})");
}

void put(const TemporaryFolder& folder, const json& set) {
  test::write(folder / "set.json", set.dump());
  test::write(folder / "z.zma", "20 6 10\n200 8 0\n2000 9 30\n");
  test::write(folder / "h.frd", "200 80 0\n2000 81 -10\n");
  const auto wav =
      audio_bytes({48000.0, {std::vector<double>(2000, 0.1)}, ""}, AudioFormat::kWavFloat32);
  ASSERT_TRUE(write_file(folder / "ir.wav", *wav).has_value());
}

TEST(MeasurementSet, ANumberThatNoComputerHoldsIsAnError) {
  const TemporaryFolder folder;
  test::write(folder / "set.json",
              R"({"format": "lalometer-set", "version": 1, "subject": {"x": -91e308}, "takes": []})");
  const auto set = read_set(folder.path());
  ASSERT_FALSE(set.has_value());
  EXPECT_THAT(set.error().text(), HasSubstr("too large"));
  EXPECT_THAT(set.error().text(), HasSubstr("set.json"));
}

TEST(MeasurementSet, IsReadWithWhatItSays) {
  const TemporaryFolder folder;
  put(folder, valid_set());
  const auto set = read_set(folder.path());
  ASSERT_TRUE(set.has_value()) << set.error().text();
  EXPECT_EQ(set->subject.name, "Kiosk two-way");
  EXPECT_THAT(to_json(set->subject.description), HasSubstr("odd"));
  ASSERT_EQ(set->variants.size(), 1U);
  EXPECT_EQ(set->variants[0].second.changed, "no damping");
  ASSERT_EQ(set->takes.size(), 8U);
  EXPECT_EQ(set->takes[0].take.kind(), TakeKind::kImpedance);
  EXPECT_EQ(condition_of(set->takes[0].take), "in-box");
  EXPECT_EQ(place_of(set->takes[1].take).distance_m, 1.5);
  EXPECT_NEAR(set->takes[1].take.conditions.gate_s, 0.0045, 1e-12);
  EXPECT_EQ(set->takes[1].take.conditions.more_json.at("shelf_mark"), "7");
  EXPECT_EQ(set->takes[2].take.setup, TakeSetup(NearFieldSetup{"woofer", 8.0}));
  EXPECT_EQ(set->takes[3].take.setup, TakeSetup(ImpedanceSetup{"added-mass", 10.0, 0.0}));
  EXPECT_EQ(set->takes[4].take.conditions.polarity_flipped, "tweeter");
  EXPECT_EQ(set->takes[5].take.kind(), TakeKind::kLevelStep);
  EXPECT_EQ(set->takes[5].take.conditions.spl_db, 96.0);
  EXPECT_EQ(set->takes[6].take.setup,
            TakeSetup(MultitoneSetup{{1.0, 0.0, -10.0, ""}, {31.5, 97.1}}));
  EXPECT_EQ(set->takes[7].take.kind(), TakeKind::kUnknown);
  ASSERT_EQ(set->notes.size(), 1U);
  EXPECT_THAT(set->notes[0], HasSubstr("tilt"));
}

TEST(MeasurementSet, WritingThenReadingGivesBackTheSame) {
  const TemporaryFolder folder;
  put(folder, valid_set());
  const auto set = read_set(folder / "set.json");
  ASSERT_TRUE(set.has_value());
  ASSERT_TRUE(write_set(*set, folder / "copy").has_value());
  const auto back = read_set(folder / "copy");
  ASSERT_TRUE(back.has_value()) << back.error().text();
  ASSERT_EQ(back->takes.size(), set->takes.size());
  for (std::size_t i = 0; i < set->takes.size(); ++i) {
    EXPECT_EQ(back->takes[i].id, set->takes[i].id);
    EXPECT_EQ(back->takes[i].raw.bytes, set->takes[i].raw.bytes);
    EXPECT_EQ(back->takes[i].take.setup, set->takes[i].take.setup);
    EXPECT_EQ(to_json(back->takes[i].take.conditions), to_json(set->takes[i].take.conditions));
    EXPECT_EQ(back->takes[i].take.conditions.sample, set->takes[i].take.conditions.sample);
  }
  EXPECT_EQ(back->subject.description, set->subject.description);
  EXPECT_FALSE(write_set(*set, folder / "copy").has_value()) << "an existing set is left as it is";
}

struct Flaw {
  const char* what;
  void (*spoil)(json&);
  const char* said;
};

class Flaws : public ::testing::TestWithParam<Flaw> {};

TEST_P(Flaws, AreErrorsThatNameTheTakeAndTheReason) {
  const TemporaryFolder folder;
  json set = valid_set();
  GetParam().spoil(set);
  put(folder, set);
  const auto read = read_set(folder.path());
  ASSERT_FALSE(read.has_value());
  EXPECT_THAT(read.error().text(), HasSubstr(GetParam().said));
}

INSTANTIATE_TEST_SUITE_P(
    MeasurementSet, Flaws,
    ::testing::Values(
        Flaw{"format", [](json& s) { s["format"] = "other"; }, "lalometer-set"},
        Flaw{"version", [](json& s) { s["version"] = 2; }, "version"},
        Flaw{"no subject", [](json& s) { s.erase("subject"); }, "subject"},
        Flaw{"loading", [](json& s) { s["subject"]["loading"] = "leaky"; }, "leaky"},
        Flaw{"no takes", [](json& s) { s.erase("takes"); }, "takes"},
        Flaw{"missing file", [](json& s) { s["takes"][0]["file"] = "none.zma"; }, "none.zma"},
        Flaw{"wrong kind of file", [](json& s) { s["takes"][0]["kind"] = "sweep"; }, "z.zma"},
        Flaw{"distance", [](json& s) { s["takes"][1]["distance_m"] = 0; }, "distance_m"},
        Flaw{"text for a number", [](json& s) { s["takes"][1]["distance_m"] = "far"; }, "\"h000\""},
        Flaw{"two angles",
             [](json& s) {
               s["takes"][1]["horizontal_deg"] = 10;
               s["takes"][1]["vertical_deg"] = 10;
             },
             "angles"},
        Flaw{"angle", [](json& s) { s["takes"][1]["horizontal_deg"] = 190; }, "180"},
        Flaw{"variant", [](json& s) { s["takes"][1]["variant"] = "gone"; }, "gone"},
        Flaw{"same id", [](json& s) { s["takes"][1]["id"] = "z"; }, "Two takes"}),
    test::name_of_case);

TEST(MeasurementSet, BrokenJsonNamesTheLine) {
  const TemporaryFolder folder;
  test::write(folder / "set.json", "{\n\"format\": \"lalometer-set\",\n\"version\": 1,,\n}");
  const auto read = read_set(folder.path());
  ASSERT_FALSE(read.has_value());
  EXPECT_THAT(read.error().where, HasSubstr("set.json:3"));
}

TEST(MeasurementSet, ASweepShorterThanItsStimulusIsRefused) {
  const TemporaryFolder folder;
  const AudioData audio{48000.0, {std::vector<double>(4800, 0.1)}, ""};
  ASSERT_TRUE(write_file(folder / "s.wav", *audio_bytes(audio, AudioFormat::kWav24)).has_value());
  json set = valid_set();
  set["takes"] = json::parse(R"([{"id": "sw", "kind": "sweep", "file": "s.wav",
    "stimulus": {"start_hz": 10, "stop_hz": 20000, "duration_s": 1.0, "lead_in_s": 0.25}}])");
  put(folder, set);
  const auto read = read_set(folder.path());
  ASSERT_FALSE(read.has_value());
  EXPECT_THAT(read.error().text(), HasSubstr("lasts"));
}

// What somebody else packed must not bring files of this machine into a book.
TEST(MeasurementSet, FilesOutsideItsFolderAreRefused) {
  const TemporaryFolder folder;
  const auto inner = folder / "set";
  std::filesystem::create_directories(inner / "deeper");
  test::write(folder / "secret.frd", "200 80 0\n2000 81 -10\n");
  test::write(inner / "deeper" / "own.frd", "200 80 0\n2000 81 -10\n");
  std::filesystem::create_symlink(folder / "secret.frd", inner / "link.frd");
  const auto read_with = [&](const std::string& file) {
    const json set = {{"format", "lalometer-set"},
                      {"version", 1},
                      {"subject", {{"name", "x"}}},
                      {"takes", {{{"id", "a"}, {"kind", "response"}, {"file", file}}}}};
    test::write(inner / "set.json", set.dump());
    return read_set(inner);
  };
  for (const std::string& file :
       {std::string("../secret.frd"), (folder / "secret.frd").string(), std::string("link.frd"),
        std::string("deeper/../../secret.frd")}) {
    const auto set = read_with(file);
    ASSERT_FALSE(set.has_value()) << file;
    EXPECT_THAT(set.error().message, HasSubstr("outside the set's folder")) << file;
    EXPECT_THAT(set.error().where, HasSubstr("takes[0]"));
  }
  EXPECT_TRUE(read_with("deeper/own.frd").has_value());
}

}  // namespace
}  // namespace lalometer
