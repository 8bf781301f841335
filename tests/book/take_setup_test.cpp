#include "book/take_setup.h"

#include <gtest/gtest.h>

namespace lalometer {
namespace {

TEST(TakeSetupTest, EveryKindComesBackFromItsText) {
  const TakeSetup all[] = {
      FarFieldSetup{{2.0, 30.0, 0.0, {}}, "large-baffle"},
      FarFieldSetup{{2.5, 0.0, -10.0, "seat"}, {}},
      NearFieldSetup{"port", 7.5},
      ImpedanceSetup{"added-mass", 10.0, 0.0},
      ImpedanceSetup{"test-box", 0.0, 8.5},
      LevelStepSetup{{1.0, 0.0, 15.0, {}}},
      MultitoneSetup{{1.0, 0.0, 0.0, {}}, {50.0, 120.0, 900.0}},
  };
  for (const TakeSetup& setup : all)
    EXPECT_EQ(setup_from_json(kind_word(setup), to_json(setup)), setup) << kind_word(setup);
}

TEST(TakeSetupTest, AKindOfALaterVersionIsKeptWordForWord) {
  const std::string json = R"({"laser_um": 12, "grid": [1, 2]})";
  const TakeSetup setup = setup_from_json("cone-scan", json);
  EXPECT_EQ(kind_of(setup), TakeKind::kUnknown);
  EXPECT_EQ(kind_word(setup), "cone-scan");
  EXPECT_EQ(to_json(setup), json);
  EXPECT_FALSE(is_pressure(kind_of(setup)));
  EXPECT_FALSE(take_kind_of("unknown")) << "nobody may name that kind";
}

TEST(TakeSetupTest, MissingOrSpoiltFieldsTakeTheirDefaults) {
  EXPECT_EQ(setup_from_json("response", "{}"), TakeSetup(FarFieldSetup{}));
  EXPECT_EQ(setup_from_json("response", "not json"), TakeSetup(FarFieldSetup{}));
  EXPECT_EQ(setup_from_json("near-field", R"({"source": 5, "distance_mm": "near"})"),
            TakeSetup(NearFieldSetup{"", 5.0}));
  EXPECT_EQ(setup_from_json("impedance", "[1]"), TakeSetup(ImpedanceSetup{}));
}

TEST(TakeSetupTest, WordsAndKindsBelongTogether) {
  for (const TakeKind kind : {TakeKind::kResponse, TakeKind::kNearField, TakeKind::kImpedance,
                              TakeKind::kLevelStep, TakeKind::kMultitone}) {
    EXPECT_EQ(take_kind_of(word_of(kind)), kind);
    EXPECT_EQ(kind_of(setup_from_json(std::string(word_of(kind)), "{}")), kind);
  }
  EXPECT_EQ(role_of(TakeKind::kNearField), TakeRole::kNearField);
  EXPECT_EQ(role_of(TakeKind::kLevelStep), TakeRole::kFarField);
}

TEST(TakeSetupTest, PlaceAndConditionAreAskedOfAnyKind) {
  EXPECT_DOUBLE_EQ(place_of(NearFieldSetup{"woofer", 8.0}).distance_m, 0.008);
  EXPECT_DOUBLE_EQ(place_of(LevelStepSetup{{1.5, 45.0, 0.0, {}}}).horizontal_deg, 45.0);
  EXPECT_EQ(condition_of(ImpedanceSetup{"free-air", 0.0, 0.0}), "free-air");
  EXPECT_EQ(condition_of(NearFieldSetup{"woofer", 8.0}), "near-field");
  EXPECT_EQ(condition_of(MultitoneSetup{}), "");
}

}  // namespace
}  // namespace lalometer
