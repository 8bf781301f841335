#include <gtest/gtest.h>

#include "workbench/keeping/box_keeping.h"
#include "workbench/keeping/lane_keeping.h"

/// What the book's documents and views hold as text, and what is made of text that is damaged.
namespace lalometer {
namespace {

TEST(Keeping, LanesComeBackAndDamageIsFitted) {
  const std::vector<KeptLane> lanes = {{"level", 1.5, false, 40.0, 95.0}, {"phase"}};
  EXPECT_EQ(lanes_from_json(to_json(lanes)), lanes);
  EXPECT_TRUE(lanes_from_json("").empty());
  EXPECT_TRUE(lanes_from_json(R"({"kind": "level"})").empty());
  const auto odd = lanes_from_json(
      R"([7, {"weight": 2}, {"kind": "level", "weight": 900, "fitted": false, "low": 5, "high": 5}])");
  ASSERT_EQ(odd.size(), 1U) << "what names no kind is no lane";
  EXPECT_EQ(odd[0].weight, 8.0);
  EXPECT_TRUE(odd[0].fitted) << "a range of nothing is none";
}

TEST(Keeping, BoxesComeBackAndTakeTheRestFromTheFirst) {
  BoxCandidate c;
  c.name = "B";
  c.kind = BoxCandidate::Kind::kPassiveRadiator;
  c.volume_l = 22.5;
  c.radiator_mass_g = 61.0;
  c.port_count = 2;
  c.series_ohm = 0.3;
  const KeptBoxes back = boxes_from_json(to_json(KeptBoxes{35.0, {c}}), {});
  EXPECT_EQ(back.power_w, 35.0);
  ASSERT_EQ(back.candidates.size(), 1U);
  EXPECT_EQ(back.candidates[0].name, "B");
  EXPECT_EQ(back.candidates[0].kind, BoxCandidate::Kind::kPassiveRadiator);
  EXPECT_EQ(back.candidates[0].volume_l, 22.5);
  EXPECT_EQ(back.candidates[0].radiator_mass_g, 61.0);
  EXPECT_EQ(back.candidates[0].port_count, 2);
  EXPECT_EQ(back.candidates[0].series_ohm, 0.3);
  BoxCandidate first;
  first.ql = 5.5;
  const KeptBoxes partly =
      boxes_from_json(R"({"candidates": [{"name": "A", "kind": 77}, 3]})", first);
  EXPECT_EQ(partly.power_w, 20.0);
  ASSERT_EQ(partly.candidates.size(), 1U);
  EXPECT_EQ(partly.candidates[0].ql, 5.5);
  EXPECT_EQ(partly.candidates[0].kind, BoxCandidate::Kind::kPassiveRadiator)
      << "the nearest there is";
}

}  // namespace
}  // namespace lalometer
