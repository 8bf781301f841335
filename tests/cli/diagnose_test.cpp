// Faults of the practice bench through the command line, from the takes of an afternoon.
#include <gmock/gmock.h>

#include <nlohmann/json.hpp>

#include "cli/cli_support.h"
#include "support/support.h"

namespace lalometer {
namespace {

using json = nlohmann::json;
using test::run;
using test::TemporaryFolder;

json afternoon(json faults, const char* kind = "response") {
  json takes = json::array(
      {{{"kind", "impedance"}, {"id", "z"}},
       {{"kind", "impedance"}, {"id", "zf"}, {"condition", "free-air"}, {"driver", "woofer"}},
       {{"kind", "near-field"}, {"id", "nw"}, {"source", "woofer"}},
       {{"kind", "near-field"}, {"id", "np"}, {"source", "port"}}});
  for (const int a : {0, 30, -30, 45, -45, 60})
    takes.push_back(
        {{"kind", kind}, {"id", fmt::format("h{}", a)}, {"horizontal_deg", a}, {"gate_ms", 5.0}});
  for (const int a : {15, -15})
    takes.push_back(
        {{"kind", kind}, {"id", fmt::format("v{}", a)}, {"vertical_deg", a}, {"gate_ms", 5.0}});
  return {{"subject", json::parse(R"({"kind": "loudspeaker", "loading": "vented",
        "drivers": [{"id": "woofer", "role": "woofer", "diameter_mm": 165, "x_mm": 0, "y_mm": -70},
                    {"id": "tweeter", "role": "tweeter", "diameter_mm": 28, "x_mm": 18, "y_mm": 55}],
        "baffle": {"width_mm": 220, "height_mm": 390, "depth_mm": 300, "edge_radius_mm": 12,
                   "left_mm": 110, "top_mm": 165},
        "box": {"net_volume_l": 15, "inner_width_mm": 184, "inner_height_mm": 354,
                "inner_depth_mm": 258, "damping": "lined"},
        "ports": [{"id": "port", "panel": "back", "diameter_mm": 50, "length_mm": 130, "x_mm": 0,
                   "y_mm": -120}],
        "crossovers": [{"low": "woofer", "high": "tweeter", "frequency_hz": 1900, "order": 4}]})")},
          {"takes", takes},
          {"faults", std::move(faults)}};
}

json diagnosed(json file) {
  const TemporaryFolder folder;
  test::write(folder / "s.json", file.dump());
  const std::string set = (folder / "set").string();
  const auto made = run({"simulate", (folder / "s.json").string(), set});
  EXPECT_EQ(made.status, 0) << made.err;
  const auto told = run({"diagnose", set, "--json"});
  EXPECT_EQ(told.status, 0) << told.err;
  return json::parse(told.out);
}

std::string likeliest(const json& d) {
  std::string best = "none";
  double most = 0.5;
  const auto look = [&](const json& c) {
    if (c["probability"].get<double>() <= most) return;
    most = c["probability"];
    best = c["cause"];
  };
  for (const json& f : d["findings"]) look(f["causes"][0]);
  for (const json& c : d["overall"]) look(c);
  return best;
}

// A script writes what name it likes.
TEST(CliDiagnose, ASetsFileMayHaveAnotherName) {
  const TemporaryFolder folder;
  test::write(folder / "spec.json", afternoon(json::array()).dump());
  const std::string set = (folder / "set").string();
  ASSERT_EQ(run({"simulate", (folder / "spec.json").string(), set}).status, 0);
  const auto whole = run({"diagnose", set, "--json"});
  std::filesystem::rename(folder / "set" / "set.json", folder / "set" / "tuesday.json");
  const auto named = run({"diagnose", (folder / "set" / "tuesday.json").string(), "--json"});
  EXPECT_EQ(named.status, 0) << named.err;
  EXPECT_EQ(named.out, whole.out);
  EXPECT_EQ(run({"validate", (folder / "set" / "tuesday.json").string()}).status, 0);
  test::write(folder / "no.json", "{\"takes\": 3");
  const auto broken = run({"diagnose", (folder / "no.json").string()});
  EXPECT_EQ(broken.status, 3);
  EXPECT_NE(broken.err.find("no.json"), std::string::npos) << broken.err;
}

TEST(CliDiagnose, ASoundLoudspeakerIsClean) {
  const json d = diagnosed(afternoon(json::array()));
  EXPECT_TRUE(d["clean"].get<bool>()) << d.dump(1).substr(0, 2000);
}

TEST(CliDiagnose, FaultsAreNamed) {
  EXPECT_EQ(likeliest(diagnosed(afternoon({"box-leak"}))), "box-leak");
  EXPECT_EQ(likeliest(diagnosed(afternoon({"mistuned-box"}))), "mistuned-box");
  EXPECT_EQ(likeliest(diagnosed(afternoon({"cabinet-standing-wave"}))), "cabinet-standing-wave");
  EXPECT_EQ(likeliest(diagnosed(afternoon({"clipping"}, "sweep"))), "clipping");
  EXPECT_EQ(likeliest(diagnosed(afternoon({"mains-hum"}, "sweep"))), "mains-hum");
  EXPECT_EQ(likeliest(diagnosed(afternoon({"reflection"}, "sweep"))), "reflection");
  EXPECT_EQ(likeliest(diagnosed(afternoon({"microphone-too-close"}))), "microphone-too-close");
}

TEST(CliDiagnose, AFindingTellsPlaceCausesAndTheNextStep) {
  const json d = diagnosed(afternoon({{{"fault", "driver-breakup"}, {"frequency_hz", 1700}}}));
  ASSERT_FALSE(d["findings"].empty());
  for (const json& f : d["findings"]) {
    EXPECT_LE(f["low_hz"].get<double>(), f["high_hz"].get<double>());
    EXPECT_FALSE(f["causes"].empty());
    EXPECT_FALSE(f["next_step"].get<std::string>().empty());
    double sum = 0.0;
    for (const json& c : f["causes"]) sum += c["probability"].get<double>();
    EXPECT_LE(sum, 1.0 + 1e-9) << "causes of one thing compete";
  }
}

TEST(CliDiagnose, WhatTellsNothingIsRefusedWithTheReason) {
  const TemporaryFolder folder;
  std::filesystem::create_directories(folder / "empty");
  EXPECT_NE(run({"diagnose", (folder / "empty").string()}).status, 0);
}

}  // namespace
}  // namespace lalometer
