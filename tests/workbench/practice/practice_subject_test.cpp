#include "workbench/practice/practice_subject.h"

#include <gmock/gmock.h>

#include <nlohmann/json.hpp>

#include "acoustics/impedance/box_signature.h"
#include "support/descriptions.h"
#include "support/support.h"
#include "workbench/practice/files/simulation_file.h"
#include "workbench/practice/practice_faults.h"
#include "workbench/practice/simulating.h"

namespace lalometer {
namespace {

using ::testing::HasSubstr;
using json = nlohmann::json;

const char* const kKiosk = R"({"name": "Kiosk", "loading": "vented",
  "drivers": [{"id": "woofer", "role": "woofer", "sd_cm2": 132, "y_mm": -95},
              {"id": "tweeter", "role": "tweeter", "sd_cm2": 7.5, "y_mm": 60}],
  "baffle": {"width_mm": 210, "height_mm": 380, "depth_mm": 300, "left_mm": 105, "top_mm": 150},
  "box": {"net_volume_l": 14, "inner_width_mm": 178, "inner_height_mm": 348, "inner_depth_mm": 262},
  "ports": [{"id": "port", "panel": "back", "diameter_mm": 50, "length_mm": 130, "y_mm": -120}],
  "crossovers": [{"low": "woofer", "high": "tweeter", "frequency_hz": 2200, "order": 2}]})";

Description changed(const char* patch) {
  json subject = json::parse(kKiosk);
  subject.merge_patch(json::parse(patch));
  return described(subject.dump());
}

PracticeBenchSetup bench(const char* patch = "{}") {
  PracticeBenchSetup b;
  auto speaker = practice_speaker_of(changed(patch), "k.json");
  EXPECT_TRUE(speaker.has_value()) << speaker.error().text();
  b.speaker = *speaker;
  return b;
}

PracticeBenchSetup faulty(const std::string& fault) {
  PracticeBenchSetup b = bench();
  const auto added = add_fault(b, fault_from_json(fault), "k.json");
  EXPECT_TRUE(added.has_value()) << added.error().text();
  return b;
}

/// Largest change of a quantity between two benches over a band, dB.
template <class Quantity>
double change_db(const PracticeBenchSetup& a, const PracticeBenchSetup& b, double low, double high,
                 Quantity quantity) {
  double most = 0.0;
  const auto qa = quantity(a);
  const auto qb = quantity(b);
  for (double f = low; f < high; f *= 1.004)
    most = std::max(most, std::abs(20.0 * std::log10(std::abs(qb(f)) / std::abs(qa(f)))));
  return most;
}

auto impedance(const PracticeBenchSetup& b) {
  return [speaker = b.speaker](double f) { return practice_impedance_ohm(speaker, f); };
}
/// Of the woofer in its box without the crossover.
auto woofer_impedance(const PracticeBenchSetup& b) {
  return [way = b.speaker.ways[0]](double f) {
    return solve_driver(way.driver, way.box, f).impedance_ohm;
  };
}
auto far_field(const PracticeBenchSetup& b) {
  return
      [field = PracticeField(b.speaker, b.room)](double f) { return field.at(f).direct_pa_per_v; };
}
auto near_field(const PracticeBenchSetup& b) {
  PracticeRoom near = b.room;
  near.near_source = "woofer";
  return [field = PracticeField(b.speaker, near)](double f) { return field.at(f).direct_pa_per_v; };
}

// The point of the bench: one fault shows in every kind of take that it touches in life, and in
// none other.
TEST(Faults, ShowInEveryTakeTheyTouch) {
  struct Case {
    const char* word;
    double low, high;
    double z_db, near_db, far_db;  // at least
  };
  for (const Case& c : {Case{"driver-breakup", 3000.0, 6000.0, 0.02, 2.0, 2.0},
                        {"suspension-resonance", 900.0, 1500.0, 0.05, 0.8, 0.8},
                        {"panel-resonance", 250.0, 400.0, 0.03, 0.2, 0.3},
                        {"box-leak", 20.0, 90.0, 1.0, 0.5, 0.3},
                        {"overdamped-port", 30.0, 90.0, 1.0, 1.0, 1.0},
                        {"mistuned-box", 25.0, 90.0, 3.0, 3.0, 2.0},
                        {"notch-filter", 1000.0, 2500.0, 0.5, 1.0, 1.0}}) {
    const PracticeBenchSetup good = bench();
    const PracticeBenchSetup bad = faulty(fmt::format("\"{}\"", c.word));
    // The crossover hides what the woofer does above it from the terminals.
    const double z =
        std::string(c.word) == "notch-filter"
            ? change_db(good, bad, c.low, c.high, [](auto& b) { return impedance(b); })
            : change_db(good, bad, c.low, c.high, [](auto& b) { return woofer_impedance(b); });
    EXPECT_GT(z, c.z_db) << c.word;
    EXPECT_GT(change_db(good, bad, c.low, c.high, [](auto& b) { return near_field(b); }), c.near_db)
        << c.word;
    EXPECT_GT(change_db(good, bad, c.low, c.high, [](auto& b) { return far_field(b); }), c.far_db)
        << c.word;
  }
}

TEST(Faults, OfPhaseLeaveTheImpedanceAlone) {
  for (const char* word : {"driver-polarity", "crossover-phase"}) {
    const PracticeBenchSetup good = bench();
    const PracticeBenchSetup bad = faulty(fmt::format("\"{}\"", word));
    EXPECT_LT(change_db(good, bad, 20.0, 20000.0, [](auto& b) { return impedance(b); }), 1e-9)
        << word;
    EXPECT_GT(change_db(good, bad, 1500.0, 3500.0, [](auto& b) { return far_field(b); }), 3.0)
        << word;
  }
}

// c/2L of the inner height, 348 mm: 493 Hz (hand calculation). Lining takes the wiggle down.
TEST(PracticeSubject, StandingWavesStandWhereTheBoxPutsThem) {
  const auto wiggle = [](const PracticeBenchSetup& b) {
    PracticeBenchSetup lumped = b;
    lumped.speaker.ways[0].box.waves.reset();
    return change_db(lumped, b, 470.0, 515.0, [](auto& s) { return impedance(s); });
  };
  const double bare = wiggle(bench());
  EXPECT_GT(bare, 0.1);
  EXPECT_LT(wiggle(bench(R"({"box": {"damping": "lined"}})")), 0.6 * bare);
}

// Two in parallel of half the impedance each (hand calculation), in a box that both share.
// A pad before a woofer takes its damping and flattens both humps; no crossover has one (common
// practice, no source).
TEST(PracticeSubject, ALoudWooferIsNotPadded) {
  const PracticeBenchSetup loud = bench(
      R"({"drivers": [{"id": "woofer", "role": "woofer", "sd_cm2": 132, "y_mm": -95, "fs_hz": 53,
      "qms": 3.2, "qes": 0.41, "vas_l": 39}, {"id": "tweeter", "role": "tweeter", "sd_cm2": 7.5,
      "y_mm": 60}]})");
  const PracticeField field(loud.speaker, loud.room);
  double hump = 0.0;
  for (double f = 15.0; f < 120.0; f *= 1.01)
    hump = std::max(hump, std::abs(field.at(f).impedance_ohm));
  EXPECT_GT(hump, 20.0);
}

TEST(PracticeSubject, TwoWoofersShareTheirBox) {
  const PracticeBenchSetup one =
      bench(R"({"drivers": [{"id": "a", "role": "woofer", "sd_cm2": 100}],
    "crossovers": [], "box": {"inner_width_mm": null}})");
  const PracticeBenchSetup two = bench(R"({"drivers": [
      {"id": "a", "role": "woofer", "sd_cm2": 100, "y_mm": 80},
      {"id": "b", "role": "woofer", "sd_cm2": 100, "y_mm": -80}],
    "crossovers": [], "box": {"net_volume_l": 28, "inner_width_mm": null},
    "ports": [{"id": "p", "diameter_mm": 50, "length_mm": 130, "count": 2}]})");
  for (const double f : {30.0, 48.0, 200.0}) {
    EXPECT_NEAR(
        std::abs(practice_impedance_ohm(one.speaker, f) / practice_impedance_ohm(two.speaker, f)),
        2.0, 1e-6)
        << f;
  }
}

TEST(PracticeSubject, PlaysEveryLoading) {
  for (
      const char* patch :
      {R"({"loading": "sealed", "ports": []})", R"({"loading": "free-air"})",
       R"({"loading": "large-baffle"})",
       R"({"loading": "open-baffle", "wings": {"left_mm": 80, "right_mm": 80}})",
       R"({"loading": "passive-radiator", "ports": [], "passive_radiators": [{"id": "pr", "panel": "back",
            "sd_cm2": 130, "moving_mass_g": 30, "y_mm": -60}]})",
       R"({"loading": "horn", "drivers": [{"id": "hf", "role": "compression-driver",
            "waveguide": {"throat_mm": 25, "mouth_mm": 160, "half_angle_deg": 40}}], "crossovers": []})"}) {
    const PracticeBenchSetup b = bench(patch);
    for (const double f : {60.0, 1000.0, 9000.0}) {
      const PracticeOutput out = PracticeField(b.speaker, b.room).at(f);
      EXPECT_TRUE(std::isfinite(std::abs(out.direct_pa_per_v))) << patch;
      EXPECT_GT(out.impedance_ohm.real(), 0.0) << patch << f;
    }
  }
}

TEST(PracticeSubject, ImpossibleGeometryIsNamedAtItsPlace) {
  for (const auto& [patch, words] :
       {std::pair{R"({"drivers": [{"id": "low", "role": "woofer", "sd_cm2": 132, "y_mm": -200}]})",
                  "low"},
        {R"({"ports": [{"id": "long", "panel": "back", "diameter_mm": 50, "length_mm": 300}]})",
         "longer"},
        {R"({"box": {"net_volume_l": -3}})", "net_volume_l"},
        {R"({"box": {"net_volume_l": 40}})", "fit"},
        {R"({"loading": "balloon"})", "balloon"},
        {R"({"drivers": [{"id": "a", "role": "trumpet"}]})", "trumpet"},
        {R"({"loading": "horn"})", "waveguide"},
        {R"({"drivers": [{"id": "a", "role": "woofer"}, {"id": "a", "role": "woofer"}]})",
         "Two"}}) {
    const auto speaker = practice_speaker_of(changed(patch), "k.json");
    ASSERT_FALSE(speaker.has_value()) << patch;
    EXPECT_THAT(speaker.error().text(), HasSubstr(words));
    EXPECT_THAT(speaker.error().text(), HasSubstr("k.json"));
  }
}

TEST(Faults, OfAnUnknownNameOrInTheWrongBoxAreRefused) {
  PracticeBenchSetup b = bench();
  EXPECT_THAT(add_fault(b, {.word = "gremlin"}, "k.json").error().text(), HasSubstr("box-leak"));
  b = bench(R"({"loading": "sealed", "ports": []})");
  EXPECT_THAT(add_fault(b, {.word = "mistuned-box"}, "k.json").error().text(), HasSubstr("vented"));
  EXPECT_THAT(add_fault(b, {.word = "driver-breakup", .driver = "x"}, "k").error().text(),
              HasSubstr("\"x\""));
}

TEST(SimulationPlan, ExpandsOrbitsAndVariants) {
  json root{{"subject", json::parse(kKiosk)},
            {"variants",
             {{{"id", "bare"}},
              {{"id", "lined"},
               {"subject", {{"box", {{"damping", "lined"}}}}},
               {"faults", {"box-leak"}}}}},
            {"takes",
             {{{"kind", "impulse-response"}, {"orbit", "both"}},
              {{"kind", "near-field"}, {"id", "nf"}, {"source", "port"}, {"variant", "lined"}}}}};
  const auto plan = simulation_plan_of(root.dump(), "k.json", 1);
  ASSERT_TRUE(plan.has_value()) << plan.error().text();
  // CTA-2034-A: 70 measurements on two orbits of 10 degrees.
  EXPECT_EQ(plan->takes.size(), 71U);
  EXPECT_EQ(plan->faults, std::vector<std::string>{"box-leak"});
  EXPECT_LT(plan->variants[1].bench.speaker.ways[0].box.ql,
            plan->variants[0].bench.speaker.ways[0].box.ql);
  root["takes"][1]["variant"] = "gone";
  EXPECT_THAT(simulation_plan_of(root.dump(), "k.json", 1).error().text(), HasSubstr("gone"));
  root["takes"][1] = {{"kind", "photograph"}};
  EXPECT_THAT(simulation_plan_of(root.dump(), "k.json", 1).error().text(), HasSubstr("photograph"));
}

TEST(PracticeFault, IsReadFromAWordOrAnObject) {
  EXPECT_EQ(fault_from_json(R"("box-leak")").word, "box-leak");
  const PracticeFault full = fault_from_json(
      R"({"fault": "driver-breakup", "driver": "woofer", "frequency_hz": 4200, "q": 10, "note": "x"})");
  EXPECT_EQ(full.word, "driver-breakup");
  EXPECT_EQ(full.driver, "woofer");
  EXPECT_EQ(full.figures.at("frequency_hz"), 4200.0);
  EXPECT_EQ(full.figures.size(), 2U) << "words are no figures";
  PracticeBenchSetup b = bench();
  for (const char* nonsense : {"17", "[]", "null", R"({"frequency_hz": 3})"}) {
    const auto added = add_fault(b, fault_from_json(nonsense), "k.json");
    ASSERT_FALSE(added.has_value()) << nonsense;
    EXPECT_THAT(added.error().text(), HasSubstr("k.json"));
  }
}

}  // namespace
}  // namespace lalometer
