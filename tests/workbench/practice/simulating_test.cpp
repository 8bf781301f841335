#include "workbench/practice/simulating.h"

#include <gmock/gmock.h>

#include <nlohmann/json.hpp>

#include "acoustics/impedance/box_signature.h"
#include "exchange/curve_file.h"
#include "exchange/text_table.h"
#include "support/support.h"
#include "workbench/practice/files/simulation_file.h"

namespace lalometer {
namespace {

using ::testing::HasSubstr;
using json = nlohmann::json;

json subject() {
  return json::parse(R"({"name": "Kiosk", "loading": "vented",
    "drivers": [{"id": "woofer", "role": "woofer", "sd_cm2": 132}],
    "box": {"net_volume_l": 14}, "ports": [{"panel": "back", "diameter_mm": 50, "length_mm": 130}]})");
}

Simulation run(const json& root) {
  const auto plan = simulation_plan_of(root.dump(), "plan.json", 7);
  EXPECT_TRUE(plan.has_value()) << plan.error().text();
  auto simulation = simulated(*plan, {}, {});
  EXPECT_TRUE(simulation.has_value()) << simulation.error().text();
  return std::move(*simulation);
}

Response impedance_of(const SetTake& take) {
  return curve_of(*read_text_table(take.raw.bytes, "z.zma", ColumnKind::kImpedance),
                  ColumnKind::kImpedance);
}

TEST(Simulating, VariantsDifferByWhatTheirPatchChanges) {
  const Simulation s =
      run({{"subject", subject()},
           {"variants",
            {{{"id", "short"},
              {"changed", "port cut"},
              {"subject", {{"ports", {{{"diameter_mm", 50}, {"length_mm", 60}}}}}}},
             {{"id", "leaky"}, {"faults", {"box-leak"}}}}},
           {"takes",
            {{{"id", "a"}, {"kind", "impedance"}, {"variant", "short"}},
             {{"id", "b"}, {"kind", "impedance"}, {"variant", "leaky"}}}}});
  ASSERT_EQ(s.set.takes.size(), 2U);
  EXPECT_EQ(s.set.variants[0].second.changed, "port cut");
  EXPECT_EQ(s.set.takes[1].variant_id, "leaky");
  const Response cut = impedance_of(s.set.takes[0]);
  const Response leaky = impedance_of(s.set.takes[1]);
  const auto lowest_peak = [](const Response& z) {
    double best = 0.0;
    for (std::size_t i = 0; i < z.size(); ++i)
      if (z.axis()[i] < 40.0) best = std::max(best, z.magnitude(i));
    return best;
  };
  EXPECT_LT(lowest_peak(leaky), 0.8 * lowest_peak(cut));
}

TEST(Simulating, TruthAtTheTopIsThatOfTheFirstOfAKind) {
  const Simulation s = run({{"subject", subject()},
                            {"takes",
                             {{{"id", "z"}, {"kind", "impedance"}},
                              {{"id", "near"}, {"kind", "response"}, {"distance_m", 0.5}},
                              {{"id", "far"}, {"kind", "response"}, {"distance_m", 2.0}}}}});
  const json truth = json::parse(json_text(s.truth));
  EXPECT_EQ(truth["distance_m"], 0.5);
  EXPECT_EQ(truth["takes"].size(), 3U);
  EXPECT_EQ(truth["level_db"], truth["takes"][1]["level_db"]);
  // Four times the distance: 12 dB (hand calculation), in a large wall.
  const double near = truth["takes"][1]["level_db"][150];
  const double far = truth["takes"][2]["level_db"][150];
  EXPECT_NEAR(near - far, 12.04, 0.1);
  EXPECT_TRUE(truth.contains("impedance_ohm"));
}

TEST(Simulating, SpoiledTakesAreWrittenWithWhatTheChecksSaid) {
  const Simulation s = run({{"subject", subject()},
                            {"faults", {{{"fault", "clipping"}, {"gain", 60}}}},
                            {"takes", {{{"id", "hot"}, {"kind", "sweep"}}}}});
  const json truth = json::parse(json_text(s.truth));
  EXPECT_THAT(truth["takes"][0]["remarks"].dump(), HasSubstr("clipping"));
  EXPECT_EQ(s.set.takes.size(), 1U);
}

TEST(Simulating, TakesAreTheSameWhoeverWorksOnThem) {
  const json root{
      {"subject", subject()},
      {"takes", {{{"kind", "sweep"}, {"id", "one"}}, {{"kind", "sweep"}, {"id", "two"}}}}};
  const Simulation a = run(root);
  const Simulation b = run(root);
  for (std::size_t i = 0; i < 2; ++i)
    EXPECT_TRUE(a.set.takes[i].raw.bytes == b.set.takes[i].raw.bytes);
  EXPECT_FALSE(a.set.takes[0].raw.bytes == a.set.takes[1].raw.bytes) << "each its own noise";
}

TEST(Simulating, BadPlansAreRefusedWithTheirPlace) {
  for (
      const auto& [patch, words] :
      {std::pair{R"({"bench": {"distance_m": -1}})", "bench"},
       {R"({"variants": [{"id": "a"}, {"id": "a"}]})", "variants"},
       {R"({"takes": [{"kind": "sweep", "id": "x"}, {"kind": "sweep", "id": "x"}]})", "takes[1]"},
       {R"({"faults": [{"fault": 3}]})", "faults"},
       {R"({"subject": {"drivers": [{"id": "w", "role": "woofer", "ladder": [{"place": "aside"}]}]}})",
        "ladder"},
       {R"({"subject": {"drivers": [{"id": "w", "role": "woofer", "xmax_mm": -2}]}})", "xmax_mm"},
       {R"({"subject": {"drivers": [{"id": "w", "role": "woofer", "qes": 0}]}})", "qes"}}) {
    json root{{"subject", subject()}};
    root.merge_patch(json::parse(patch));
    const auto plan = simulation_plan_of(root.dump(), "plan.json", 1);
    ASSERT_FALSE(plan.has_value()) << patch;
    EXPECT_THAT(plan.error().text(), HasSubstr(words));
    EXPECT_THAT(plan.error().text(), HasSubstr("plan.json"));
  }
}

}  // namespace
}  // namespace lalometer
