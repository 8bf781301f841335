#include "workbench/taking/plan/asked_takes.h"

#include <gmock/gmock.h>

#include "support/descriptions.h"
#include "workbench/keeping/plan_keeping.h"

namespace lalometer {
namespace {

Subject kiosk() {
  return {7, "Kiosk", SubjectKind::kLoudspeaker, described(R"({"loading": "vented",
  "drivers": [{"id": "woofer", "role": "woofer", "diameter_mm": 165, "sd_cm2": 132, "x_mm": 0, "y_mm": -95},
              {"id": "tweeter", "role": "tweeter", "diameter_mm": 28, "sd_cm2": 7.5, "x_mm": 0, "y_mm": 60}],
  "baffle": {"width_mm": 210, "height_mm": 380, "depth_mm": 300, "left_mm": 105, "top_mm": 150},
  "ports": [{"id": "port", "panel": "back", "diameter_mm": 50, "length_mm": 130, "x_mm": 0, "y_mm": -120}],
  "crossovers": [{"low": "woofer", "high": "tweeter", "frequency_hz": 2200, "order": 2}]})")};
}

TEST(AskedTakesTest, EachCodeBringsTheTakesThatTheDiagnosisCanRead) {
  const auto asked = [](const char* code) {
    auto plan = plan_with_asked(std::nullopt, code, kiosk(), 3);
    EXPECT_TRUE(plan.has_value()) << code;
    return plan ? plan->takes : std::vector<PlannedTake>();
  };
  EXPECT_EQ(asked("side").size(), 4U);
  for (const PlannedTake& t : asked("vertical")) {
    EXPECT_NE(t.request.vertical_deg, 0.0);
    EXPECT_EQ(t.request.variant_id, 3);
    EXPECT_FALSE(t.request.plan_item.empty()) << "it comes back into the case by that";
  }
  ASSERT_EQ(asked("alone").size(), 2U);
  EXPECT_EQ(asked("alone")[1].request.source, "tweeter");
  ASSERT_EQ(asked("flipped").size(), 1U);
  EXPECT_EQ(asked("flipped")[0].request.flipped, "tweeter");
  EXPECT_EQ(asked("large-baffle")[0].request.condition, "large-baffle");
  EXPECT_EQ(asked("free-air-impedance")[0].request.condition, "free-air");
  EXPECT_EQ(asked("near-back")[1].request.source, "port");
}

TEST(AskedTakesTest, APlanKeepsWhatItHoldsAndTakesNothingTwice) {
  const auto first = plan_with_asked(std::nullopt, "box-impedance", kiosk(), 3);
  ASSERT_TRUE(first.has_value());
  const auto second = plan_with_asked(*first, "flipped", kiosk(), 3);
  ASSERT_TRUE(second.has_value());
  EXPECT_EQ(second->stamp, first->stamp);
  EXPECT_EQ(second->takes.size(), 2U);
  EXPECT_EQ(plan_with_asked(*second, "box-impedance", kiosk(), 3)->takes.size(), 2U);
  EXPECT_EQ(plan_with_asked(*second, "box-impedance", kiosk(), 4)->takes.size(), 3U)
      << "of another state it is another take";
  const auto kept = plan_from_json(to_json(*second));
  ASSERT_TRUE(kept.has_value());
  EXPECT_EQ(kept->takes[1].request.flipped, "tweeter");
}

TEST(AskedTakesTest, AStepThatIsNoTakeIsRefused) {
  EXPECT_FALSE(plan_with_asked(std::nullopt, "damped", kiosk(), 3).has_value());
  Subject bare = kiosk();
  bare.description = described(R"({"drivers": [{"id": "cone", "role": "fullrange"}]})");
  EXPECT_FALSE(plan_with_asked(std::nullopt, "flipped", bare, 3).has_value());
  EXPECT_FALSE(plan_with_asked(std::nullopt, "alone", bare, 3).has_value());
}

}  // namespace
}  // namespace lalometer
