#include <fmt/format.h>
#include <gmock/gmock.h>

#include <nlohmann/json.hpp>

#include "support/support.h"
#include "workbench/answers/bass_answer.h"
#include "workbench/answers/impedance_answer.h"
#include "workbench/answers/level_answer.h"
#include "workbench/sharing/sources.h"

namespace lalometer {
namespace {

using nlohmann::json;
using ::testing::HasSubstr;

/// Which takes stand for a question: one rule for commands, window and reports.
class Answers : public ::testing::Test {
 protected:
  json impedance(const char* id, const char* condition, double ohm) {
    std::string text;
    for (double f = 20.0; f < 20000.0; f *= 1.05) text += fmt::format("{:.4f} {} 0\n", f, ohm);
    test::write(folder_ / fmt::format("{}.zma", id), text);
    json take = {{"id", id}, {"kind", "impedance"}, {"file", fmt::format("{}.zma", id)}};
    if (*condition != '\0') take["condition"] = condition;
    return take;
  }
  json near(const char* id, const char* source, const char* variant) {
    std::string text;
    for (double f = 20.0; f < 2000.0; f *= 1.05)
      text += fmt::format("{:.4f} {:.3f} 0\n", f,
                          100.0 - 10.0 * std::log10(1.0 + std::pow(50.0 / f, 4)));
    test::write(folder_ / fmt::format("{}.frd", id), text);
    return {{"id", id},
            {"kind", "near-field"},
            {"source", source},
            {"variant", variant},
            {"file", fmt::format("{}.frd", id)},
            {"drive_v", 0.283}};
  }
  ImportPreview read(json takes, json subject = {{"name", "Weir"}, {"kind", "loudspeaker"}}) {
    const json set = {
        {"format", "lalometer-set"},
        {"version", 1},
        {"subject", std::move(subject)},
        {"variants", {{{"id", "a"}, {"name", "Bare"}}, {{"id", "b"}, {"name", "Felt"}}}},
        {"takes", std::move(takes)}};
    test::write(folder_ / "set.json", set.dump());
    return read_source(folder_.path(), {}, {});
  }
  const test::TemporaryFolder folder_;
};

TEST_F(Answers, AnImpedanceIsTakenByItsCondition) {
  const ImportPreview all = read({impedance("free", "free-air", 5.0),
                                  impedance("box", "in-box", 6.0), impedance("unsaid", "", 7.0)});
  const auto ohm = [&](const char* condition) {
    const auto z = impedance_in(all, condition, "here");
    return z ? z->curve.magnitude(0) : 0.0;
  };
  EXPECT_NEAR(ohm("free-air"), 5.0, 1e-9);
  EXPECT_NEAR(ohm("in-box"), 6.0, 1e-9);
  EXPECT_NEAR(ohm("added-mass"), 7.0, 1e-9) << "one that does not say may be it";
  const ImportPreview said = read({impedance("free", "free-air", 5.0)});
  EXPECT_NEAR(impedance_in(said, "in-box", "here")->curve.magnitude(0), 5.0, 1e-9)
      << "else the first there is";
  const auto none = impedance_in(ImportPreview{}, "in-box", "here");
  ASSERT_FALSE(none.has_value());
  EXPECT_EQ(none.error().where, "here");
}

const json kBox = {{"name", "Weir"},
                   {"kind", "loudspeaker"},
                   {"loading", "sealed"},
                   {"drivers", {{{"id", "woofer"}, {"role", "woofer"}, {"sd_cm2", 132}}}}};

TEST_F(Answers, NearFieldsAreOfOneVariant) {
  const ImportPreview both = read({near("na", "woofer", "a"), near("nb", "woofer", "b")}, kBox);
  const auto unsaid = bass_material(both, {}, "here");
  ASSERT_FALSE(unsaid.has_value());
  EXPECT_THAT(unsaid.error().message, HasSubstr("say --variant"));
  EXPECT_TRUE(bass_material(both, "Felt", "here").has_value()) << "by name";
  EXPECT_TRUE(bass_material(both, "b", "here").has_value()) << "or id";
  const auto other = bass_material(both, "Wool", "here");
  ASSERT_FALSE(other.has_value());
  EXPECT_THAT(other.error().message, HasSubstr("\"Wool\""));
  const ImportPreview one = read({near("na", "woofer", "a")}, kBox);
  const auto material = bass_material(one, {}, "here");
  ASSERT_TRUE(material.has_value()) << material.error().text();
  EXPECT_EQ((*material)->near.size(), 1U);
  // Without a far field there is nothing to join.
  const auto splice = splice_answer(**material, 0.0, "here");
  ASSERT_FALSE(splice.has_value());
  EXPECT_THAT(splice.error().message, HasSubstr("No far field"));
  Placement far;
  far.distance_m = kFarAway_m;
  const auto near = near_answer(**material, far, "here");
  ASSERT_TRUE(near.has_value()) << near.error().text();
  EXPECT_NE(near->told.find("f3_hz"), nullptr);
  EXPECT_FALSE(bass_material(ImportPreview{}, {}, "here").has_value());
}

/// Sweeps of a made-up loudspeaker by their takes alone: what is picked is told by angle and drive.
TEST_F(Answers, DecayIsOfTheSoundNearestTheAxis) {
  ImportPreview preview;
  const auto add = [&](double degrees, const char* driver, bool near_field) {
    ImportItem item;
    item.stage = std::make_shared<const ImpulseStage>();
    item.take.conditions.driver = driver;
    if (near_field) {
      item.take.setup = NearFieldSetup{.source = "port"};
    } else {
      FarFieldSetup setup;
      setup.place.horizontal_deg = degrees;
      item.take.setup = setup;
    }
    preview.items.push_back(std::move(item));
  };
  EXPECT_EQ(decay_item(preview, {}, {}), nullptr);
  add(0.0, "", true);
  EXPECT_EQ(decay_item(preview, {}, {}), &preview.items[0])
      << "a near field is better than nothing";
  add(40.0, "", false);
  add(-10.0, "", false);
  add(0.0, "tweeter", false);
  EXPECT_EQ(decay_item(preview, {}, {}), &preview.items[2]);
  EXPECT_EQ(decay_item(preview, "tweeter", {}), &preview.items[3]);
  EXPECT_EQ(decay_item(preview, {}, "port"), &preview.items[0]);
  EXPECT_EQ(decay_item(preview, {}, "cone"), nullptr);
  preview.items[2].calibration = true;
  EXPECT_EQ(decay_item(preview, {}, {}), &preview.items[1]);
  EXPECT_TRUE(level_answer(preview, {}, {})->items.empty()) << "no sweep was recorded";
}

}  // namespace
}  // namespace lalometer
