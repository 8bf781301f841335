#include "workbench/taking/plan/measuring_plan.h"

#include <gmock/gmock.h>

#include <set>

#include "support/books.h"
#include "support/descriptions.h"
#include "workbench/keeping/plan_keeping.h"
#include "workbench/taking/plan/plan_status.h"

namespace lalometer {
namespace {

const Description kKiosk = described(R"({"loading": "vented",
  "drivers": [{"id": "woofer", "role": "woofer", "diameter_mm": 165, "sd_cm2": 132, "x_mm": 0, "y_mm": -95},
              {"id": "tweeter", "role": "tweeter", "diameter_mm": 28, "sd_cm2": 7.5, "x_mm": 0, "y_mm": 60}],
  "baffle": {"width_mm": 210, "height_mm": 380, "depth_mm": 300, "left_mm": 105, "top_mm": 150},
  "ports": [{"id": "port", "panel": "back", "diameter_mm": 50, "length_mm": 130, "x_mm": 0, "y_mm": -120}]})");

Subject kiosk() {
  return {7, "Kiosk", SubjectKind::kLoudspeaker, kKiosk};
}
std::vector<Variant> states() {
  return {{3, 7, "Bare", ""}, {4, 7, "Lined", ""}};
}

std::vector<std::string> ids(const MeasuringPlan& plan) {
  std::vector<std::string> all;
  for (const PlannedTake& t : plan.takes) all.push_back(t.id);
  return all;
}

TEST(MeasuringPlan, TheFullSetIsTheStandardsSeventy) {
  const auto plan = plan_for(Purpose::kFullSet, kiosk(), states(), {.gate_ms = 4.5});
  ASSERT_TRUE(plan.has_value());
  std::set<std::pair<double, double>> angles;
  for (const PlannedTake& t : plan->takes) {
    EXPECT_TRUE(t.request.horizontal_deg == 0.0 || t.request.vertical_deg == 0.0);
    EXPECT_EQ(t.request.variant_id, 3);
    EXPECT_DOUBLE_EQ(t.request.gate_s, 0.0045);
    angles.emplace(t.request.horizontal_deg, t.request.vertical_deg);
  }
  EXPECT_EQ(angles.size(), 70U);
  EXPECT_EQ(plan->takes.size(), 70U);
}

TEST(MeasuringPlan, ABoxCheckHoldsTheMicrophoneToEveryRadiatorButTheTweeter) {
  const auto plan = plan_for(Purpose::kBoxCheck, kiosk(), states(), {});
  ASSERT_TRUE(plan.has_value());
  EXPECT_THAT(ids(*plan), ::testing::ElementsAre("z-box", "near-woofer", "near-port"));
  EXPECT_LT(plan->takes[1].request.distance_m, 0.01);
  EXPECT_EQ(plan->takes[1].request.source, "woofer");
  EXPECT_FALSE(plan_for(Purpose::kBoxCheck, {7, "Box", SubjectKind::kLoudspeaker}, states(), {})
                   .has_value());
}

TEST(MeasuringPlan, ParametersComeByMassOrByBoxForEverySample) {
  const auto mass = plan_for(Purpose::kParameters, kiosk(), states(),
                             {.samples = {"A", "B"}, .added_mass_g = 12.0});
  EXPECT_THAT(ids(*mass), ::testing::ElementsAre("z-free-A", "z-mass-A", "z-free-B", "z-mass-B"));
  EXPECT_EQ(mass->takes[1].request.added_mass_g, 12.0);
  const auto box = plan_for(Purpose::kParameters, kiosk(), states(), {.test_box_l = 20.0});
  EXPECT_EQ(box->takes[1].request.test_box_l, 20.0);
}

TEST(MeasuringPlan, AComparisonTakesEveryStateAndItsRepeatError) {
  const auto plan = plan_for(Purpose::kComparison, kiosk(), states(), {});
  ASSERT_EQ(plan->takes.size(), 10U);
  EXPECT_EQ(plan->takes[0].request.variant_id, 3);
  EXPECT_EQ(plan->takes[5].request.variant_id, 4);
  EXPECT_THAT(plan->takes[5].instruction, ::testing::HasSubstr("Lined"));
}

TEST(MeasuringPlan, EveryPurposeMakesAPlanWithDifferentIds) {
  for (const PurposeText& p : purposes()) {
    const auto plan = plan_for(p.purpose, kiosk(), states(), {});
    ASSERT_TRUE(plan.has_value()) << p.word;
    const auto all = ids(*plan);
    EXPECT_EQ(std::set<std::string>(all.begin(), all.end()).size(), all.size()) << p.word;
    const auto back = plan_from_json(to_json(*plan));
    ASSERT_TRUE(back.has_value());
    EXPECT_EQ(to_json(*back), to_json(*plan)) << p.word;
    EXPECT_GT(minutes_of(plan->takes.front(), true), minutes_of(plan->takes.back(), false) - 1e-9);
  }
}

TEST(MeasuringPlan, SaysWhatCannotBe) {
  EXPECT_FALSE(plan_for(Purpose::kOrbit, kiosk(), states(), {.step_deg = 7.0}).has_value());
  EXPECT_FALSE(plan_for(Purpose::kOrbit, kiosk(), {}, {}).has_value());
  EXPECT_FALSE(plan_for(Purpose::kOrbit, kiosk(), states(), {.distance_m = 0.0}).has_value());
  EXPECT_FALSE(plan_for(Purpose::kLevels, kiosk(), states(), {.levels_v = {}}).has_value());
  EXPECT_FALSE(plan_from_json("[]").has_value());
  EXPECT_FALSE(plan_from_json(R"({"purpose": "flight", "takes": []})").has_value());
  EXPECT_FALSE(plan_from_json(R"({"purpose": "orbit", "takes": [{"id": 4}]})").has_value());
}

TEST(MeasuringPlan, StandsByItsTakesAlone) {
  MeasuringPlan plan = *plan_for(Purpose::kQuickSet, kiosk(), states(), {});
  plan.takes[4].skipped = true;
  const auto taken = [&](std::size_t i) {
    Take t;
    t.id = static_cast<Id>(10 + i);
    t.variant_id = 3;
    t.setup = setup_of(plan.takes[i].request);
    t.conditions.drive_v = 2.83;
    t.plan_item = plan_item(plan, plan.takes[i]);
    t.drawing = "as drawn";
    return t;
  };
  std::vector<Take> takes = {taken(0), taken(1), taken(2)};
  takes[2].accepted = false;
  const auto stands = [&](const std::string& drawing) { return status_of(plan, takes, drawing); };
  EXPECT_EQ(stands("as drawn")[0].state, PlanState::kDone);
  EXPECT_EQ(stands("as drawn")[2].state, PlanState::kMissing) << "a refused take fulfils nothing";
  EXPECT_EQ(stands("as drawn")[3].state, PlanState::kMissing);
  EXPECT_EQ(stands("as drawn")[4].state, PlanState::kSkipped);
  EXPECT_THAT(stands("{}")[0].why, ::testing::HasSubstr("drawing"));
  plan.takes[1].request.distance_m = 2.0;
  EXPECT_EQ(stands("as drawn")[1].state, PlanState::kStale);
  EXPECT_THAT(stands("as drawn")[1].why, ::testing::HasSubstr("2 m are wanted"));
}

TEST(MeasuringPlan, IsKeptAsATemplateForAnotherSubject) {
  const test::TemporaryFolder folder;
  test::SmallBook small(folder / "b.lalo");
  const MeasuringPlan plan = *plan_for(Purpose::kQuickSet, kiosk(), states(), {.distance_m = 1.5});
  ASSERT_TRUE(keep_template(small.book, "my quick set", plan).has_value());
  EXPECT_THAT(template_names(small.book), ::testing::ElementsAre("my quick set"));
  const auto made = plan_from_template(small.book, "my quick set", small.subject, small.variant);
  ASSERT_TRUE(made.has_value());
  EXPECT_EQ(made->takes.size(), 5U);
  EXPECT_EQ(made->takes[3].request.variant_id, small.variant);
  EXPECT_EQ(made->takes[3].request.distance_m, 1.5);
  EXPECT_FALSE(plan_from_template(small.book, "another", 1, 1).has_value());
  EXPECT_FALSE(keep_template(small.book, "", plan).has_value());
}

}  // namespace
}  // namespace lalometer
