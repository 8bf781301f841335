#include <fmt/format.h>
#include <gmock/gmock.h>

#include <fstream>

#include "book/book.h"
#include "cli/cli_support.h"
#include "exchange/network/network_file.h"
#include "support/network_set.h"
#include "workbench/networks/network_material.h"
#include "workbench/telling/network/network_told.h"

namespace lalometer {
namespace {

using nlohmann::json;
using test::run;
using ::testing::HasSubstr;

class CliNetwork : public ::testing::Test {
 protected:
  CliNetwork() {
    set_ = test::network_set(folder_.path());
    keep();
  }
  void keep() { test::write(folder_ / "set.json", set_.dump()); }
  std::string set() const { return folder_.path().string(); }
  std::string network(const json& j) {
    test::write(folder_ / "network.json.txt", j.dump());
    return (folder_ / "network.json.txt").string();
  }
  const json simple_ = {
      {"branches",
       {{{"driver", "woofer"}, {"ladder", {{{"place", "series"}, {"name", "L7"}, {"mh", 1.2}}}}},
        {{"driver", "tweeter"},
         {"polarity", -1},
         {"ladder", {{{"place", "series"}, {"uf", 6.8}}}}}}}};
  const test::TemporaryFolder folder_;
  json set_;
};

TEST_F(CliNetwork, GivesEveryKeyOfTheContract) {
  const json j = run({"network", set(), network(simple_), "--window", "--json"}).parsed();
  const std::size_t n = j["frequency_hz"].size();
  ASSERT_GT(n, 100U);
  for (const char* key : {"sum_db", "impedance_ohm", "impedance_phase_deg"})
    EXPECT_EQ(j[key].size(), n) << key;
  EXPECT_EQ(j["angles"]["h+30"], j["sum_db"]) << "the same takes at both angles";
  for (const char* id : {"woofer", "tweeter"})
    for (const char* key : {"level_db", "phase_deg", "transfer_db", "transfer_deg"})
      EXPECT_EQ(j["drivers"][id][key].size(), n) << id << key;
  // A coil before 5.6 ohm and more: half a decibel at most at 100 Hz, falling away above.
  EXPECT_GT(j["drivers"]["woofer"]["transfer_db"][0].get<double>(), -1.0);
  EXPECT_EQ(j["crossings"].size(), 1U);
  EXPECT_EQ(j["crossings"][0]["low"], "woofer");
  ASSERT_EQ(j["parts"].size(), 2U);
  EXPECT_EQ(j["parts"][0]["part"], "L7");
  EXPECT_DOUBLE_EQ(j["parts"][0]["value"].get<double>(), 1.2);
  EXPECT_EQ(j["parts"][1]["unit"], "uF");
  EXPECT_GT(j["minimum_ohm"].get<double>(), 2.0);
  ASSERT_EQ(j["window"].size(), 1U);
  // Twice the resonance that the impedance shows, 1 / (2 pi sqrt(0.9 mH 40 uF)) = 838.8 Hz; the
  // centres 140 mm apart.
  EXPECT_NEAR(j["window"][0]["from_hz"].get<double>(), 2.0 * 838.8, 20.0);
  EXPECT_NEAR(j["window"][0]["to_hz"].get<double>(), 343.2 / 0.14, 10.0);
}

TEST_F(CliNetwork, ADesignGoesBackInAsAFileAndIsTheSame) {
  const json designed = run({"network", set(), "--design",
                             "low=woofer,high=tweeter,frequency=2100,slope=linkwitz-riley-4",
                             "--series", "E24", "--json"})
                            .parsed();
  EXPECT_TRUE(designed["possible"].get<bool>()) << designed["verdict"];
  EXPECT_LT(designed["deviation_db"].get<double>(), 1.0);
  const json again = run({"network", set(), network(designed["network"]), "--json"}).parsed();
  ASSERT_EQ(again["sum_db"].size(), designed["sum_db"].size());
  for (std::size_t i = 0; i < again["sum_db"].size(); i += 10)
    EXPECT_NEAR(again["sum_db"][i].get<double>(), designed["sum_db"][i].get<double>(), 1e-6);
}

TEST_F(CliNetwork, DriveIsBroughtToItsReference) {
  const json at_283 = run({"network", set(), network(simple_), "--json"}).parsed();
  for (auto& t : set_["takes"])
    if (t.contains("drive_v")) t["drive_v"] = 28.3;
  keep();
  const json at_28 = run({"network", set(), network(simple_), "--json"}).parsed();
  EXPECT_NEAR(at_283["sum_db"][50].get<double>() - at_28["sum_db"][50].get<double>(), 20.0, 1e-3);
}

TEST_F(CliNetwork, ErrorsNameFilePlaceAndReason) {
  json wrong = simple_;
  wrong["branches"][1]["ladder"][0] = {{"place", "across"}, {"uf", 3}};
  auto out = run({"network", set(), network(wrong)});
  EXPECT_NE(out.status, 0);
  EXPECT_THAT(out.err, HasSubstr("branches[1].ladder[0]"));
  wrong = simple_;
  wrong["branches"][0]["driver"] = "horn";
  EXPECT_THAT(run({"network", set(), network(wrong)}).err, HasSubstr("horn"));
  EXPECT_THAT(run({"network", set(), "--design", "low=woofer,high=tweeter,frequency=fast"}).err,
              HasSubstr("\"fast\" is no frequency"));
  EXPECT_THAT(
      run({"network", set(), "--design", "low=woofer,high=tweeter,frequency=2000,slope=steep-4"})
          .err,
      HasSubstr("steep-4"));
  EXPECT_NE(run({"network", set()}).status, 0) << "nothing to do";
  EXPECT_THAT(run({"network", set(), "--window", "--netlist", (folder_ / "x.cir").string()}).err,
              HasSubstr("no network to write"));
  // A set of the whole loudspeaker alone.
  for (auto& t : set_["takes"]) t.erase("driver");
  keep();
  EXPECT_THAT(run({"network", set(), network(simple_)}).err, HasSubstr("taken alone"));
}

// What was built is held against what was drawn: here the board of another file.
TEST_F(CliNetwork, ABuiltBoardIsJudgedAndPartsMaySpread) {
  const std::string drawn = network(simple_);
  json other = simple_;
  other["branches"][1]["ladder"][0]["uf"] = 0.68;
  const json board = run({"network", set(), network(other), "--json"}).parsed();
  std::string sound, load;
  for (std::size_t i = 0; i < board["frequency_hz"].size(); ++i) {
    const double f = board["frequency_hz"][i];
    sound += fmt::format("{:.3f} {:.4f} {:.3f}\n", f, board["sum_db"][i].get<double>() + 1.0,
                         board["sum_phase_deg"][i].get<double>());
    load += fmt::format("{:.3f} {:.5f} {:.3f}\n", f, board["impedance_ohm"][i].get<double>(),
                        board["impedance_phase_deg"][i].get<double>());
  }
  test::write(folder_ / "built.frd", sound);
  test::write(folder_ / "built.zma", load);
  const json j =
      run({"network", set(), network(simple_), "--built", (folder_ / "built.frd").string(),
           "--built-impedance", (folder_ / "built.zma").string(), "--tolerance", "10", "--json"})
          .parsed();
  EXPECT_FALSE(j["as_drawn"].get<bool>());
  EXPECT_EQ(j["built_otherwise"][0]["what"], "C1 of tweeter is 0.1 times its value");
  EXPECT_NEAR(j["level_off_db"].get<double>(), 1.0, 0.1) << "of the rig, and not of the board";
  EXPECT_EQ(j["band_db"].size(), j["frequency_hz"].size());
  EXPECT_GT(j["band_widest_db"].get<double>(), 0.3);
}

TEST_F(CliNetwork, PartsAndCircuitAreWritten) {
  const std::string csv = (folder_ / "parts.csv").string();
  const std::string circuit = (folder_ / "n.cir").string();
  ASSERT_EQ(
      run({"network", set(), network(simple_), "--parts-csv", csv, "--netlist", circuit}).status,
      0);
  EXPECT_THAT(test::slurp(csv), HasSubstr("woofer,L7,1.2,mH,"));
  const std::string text = test::slurp(circuit);
  EXPECT_THAT(text, HasSubstr("V1 amp 0 AC 1"));
  EXPECT_THAT(text, HasSubstr("; L7"));
  EXPECT_THAT(text, HasSubstr(".end"));
}

// Three drivers of which two resonate alike: their roles tell who follows whom.
TEST_F(CliNetwork, NeighboursAreTheRolesOwn) {
  json drivers = json::array();
  drivers.push_back({{"id", "middle"}, {"role", "midrange"}});
  for (const json& d : set_["subject"]["drivers"]) drivers.push_back(d);
  set_["subject"]["drivers"] = drivers;
  const json taken = set_["takes"];  // the list grows meanwhile
  for (const json& t : taken)
    if (t["driver"] == "woofer") {
      json copy = t;
      copy["id"] = "m-" + t["id"].get<std::string>();
      copy["driver"] = "middle";
      set_["takes"].push_back(copy);
    }
  keep();
  const json j = run({"network", set(), "--window", "--json"}).parsed();
  ASSERT_EQ(j["window"].size(), 2U);
  EXPECT_EQ(j["window"][0]["low"], "woofer");
  EXPECT_EQ(j["window"][0]["high"], "middle");
  EXPECT_EQ(j["window"][1]["high"], "tweeter");
}

// One axis is for speed: neither the sum nor what the parts must stand may move by it.
TEST_F(CliNetwork, OneAxisForAllChangesNoFigure) {
  auto m = network_material(preview_import({folder_.path()}, {}, {}), "set");
  ASSERT_TRUE(m.has_value());
  const auto n = network_from_json(simple_.dump(), "n.json");
  const auto before = network_sum(*n, m->drivers);
  const auto loads = part_loads(*n, m->drivers, 10.0);
  bring_to_one_axis(*m);
  const auto after = network_sum(*n, m->drivers);
  ASSERT_EQ(after->axis.size(), before->axis.size());
  for (std::size_t i = 0; i < before->sum.size(); i += 7)
    EXPECT_LT(std::abs(after->sum[i] - before->sum[i]), 1e-6 * std::abs(before->sum[i]));
  const auto same = part_loads(*n, m->drivers, 10.0);
  for (std::size_t i = 0; i < loads.size(); ++i)
    EXPECT_NEAR(same[i].peak_a, loads[i].peak_a, 1e-9) << loads[i].part;
}

TEST(NetworkFile, ReadsNestedPartsFiltersAndRefusesNonsense) {
  const auto n = network_from_json(
      R"({"source_ohm": 0.05, "branches": [{"driver": "w", "gain_db": -3, "delay_ms": 0.2,
        "filters": [{"type": "peaking", "frequency_hz": 100, "gain_db": 3, "q": 1},
                    {"b": [2, 0, 0], "a": [2, 0, 0]}],
        "ladder": [{"place": "shunt", "series": [{"mh": 0.5, "ohm": 0.2}, {"parallel": [{"uf": 10}, {"ohm": 4}]}]}]}]})",
      "n.json");
  ASSERT_TRUE(n.has_value()) << n.error().text();
  const DesignBranch& b = n->branches[0];
  EXPECT_TRUE(b.active.any());
  EXPECT_EQ(b.active.sections[0].b[0], 1.0) << "by a[0]";
  EXPECT_EQ(b.ladder[0].parts[1].join, LadderPart::Join::kParallel);
  EXPECT_NEAR(b.ladder[0].parts[1].parts[0].capacitance_f, 10e-6, 1e-15);
  for (
      const char* nonsense :
      {"[]", "{}", R"({"branches": []})", R"({"branches": [{"driver": ""}]})",
       R"({"branches": [{"driver": "w", "polarity": 2}]})",
       R"({"branches": [{"driver": "w"}, {"driver": "w"}]})",
       R"({"branches": [{"driver": "w", "ladder": [{"place": "series"}]}]})",
       R"({"branches": [{"driver": "w", "ladder": [{"place": "series", "uf": -1}]}]})",
       R"({"branches": [{"driver": "w", "ladder": [{"place": "series", "uf": "big"}]}]})",
       R"({"branches": [{"driver": "w", "filters": [{"type": "notch", "frequency_hz": 9, "q": 1}]}]})",
       R"({"source_ohm": -1, "branches": [{"driver": "w"}]})"}) {
    const auto bad = network_from_json(nonsense, "n.json");
    ASSERT_FALSE(bad.has_value()) << nonsense;
    EXPECT_THAT(bad.error().text(), HasSubstr("n.json"));
  }
}

TEST_F(CliNetwork, TellsStonesBumpsAndLoadsOfTheDrivers) {
  const json j = run({"network", set(), network(simple_), "--stones", "--json"}).parsed();
  ASSERT_FALSE(j["stones"].empty());
  std::map<std::string, json> by;
  for (const json& s : j["stones"])
    by[s["driver"].get<std::string>() + " " + s["kind"].get<std::string>()] = s;
  ASSERT_TRUE(by.contains("woofer coil-compensation"));
  // 0.4 mH on 5.6 ohm: C = L / R^2 = 12.8 uF.
  EXPECT_NEAR(by["woofer coil-compensation"]["ladder"][0]["series"][1]["uf"].get<double>(), 12.8,
              3.0);
  // The made dome is 3 dB louder than the cone.
  ASSERT_TRUE(by.contains("tweeter pad"));
  EXPECT_NEAR(by["tweeter pad"]["db"].get<double>(), 3.0, 1.0);
  ASSERT_EQ(j["driver_loads"].size(), 2U);
  EXPECT_GT(j["driver_loads"][0]["watt"].get<double>(), j["driver_loads"][1]["watt"].get<double>());
  EXPECT_TRUE(j["driver_loads"][0]["peak_mm"].is_null()) << "nobody told of its motor";
  for (const json& b : j["bumps"])
    EXPECT_NEAR(b["by_driver_db"].get<double>() + b["by_network_db"].get<double>() +
                    b["by_other_db"].get<double>(),
                b["height_db"].get<double>(), 0.05);
}

TEST_F(CliNetwork, DesignsToATargetAndWritesFilters) {
  const std::string design = "low=woofer,high=tweeter,frequency=2200,slope=linkwitz-riley-2";
  const auto slope_of = [](const json& j) {
    double low = 0.0, high = 0.0;
    for (std::size_t i = 0; i < j["frequency_hz"].size(); ++i) {
      const double f = j["frequency_hz"][i].get<double>();
      if (std::abs(f / 1150.0 - 1.0) < 0.01) low = j["sum_db"][i].get<double>();
      if (std::abs(f / 4200.0 - 1.0) < 0.01) high = j["sum_db"][i].get<double>();
    }
    return (high - low) / std::log2(4200.0 / 1150.0);
  };
  const json flat = run({"network", set(), "--design", design, "--parts", "9", "--json"}).parsed();
  const json falling =
      run({"network", set(), "--design", design + ",tilt=-1.5", "--parts", "9", "--json"}).parsed();
  EXPECT_NEAR(slope_of(falling) - slope_of(flat), -1.5, 0.7);
  EXPECT_EQ(run({"network", set(), "--design", design + ",tilt=much"}).status, 3);
  test::write(folder_ / "wish.txt", "200 0\n1000 -1\n8000 -5.5\n");
  const json drawn = run({"network", set(), "--design", design, "--parts", "9", "--target",
                          (folder_ / "wish.txt").string(), "--json"})
                         .parsed();
  EXPECT_NEAR(slope_of(drawn) - slope_of(flat), -1.5, 0.7) << "the same slope, drawn";
  json active = simple_;
  active["branches"][1]["delay_ms"] = 0.1;
  active["branches"][1]["moved_mm"] = {0.0, 0.0, 20.0};
  active["tilt_deg"] = 5.0;
  const std::string out = (folder_ / "filters.json").string();
  ASSERT_EQ(run({"network", set(), network(active), "--filters", out}).status, 0);
  const json filters = json::parse(std::ifstream(out));
  ASSERT_EQ(filters["branches"].size(), 1U);
  EXPECT_DOUBLE_EQ(filters["branches"][0]["delay_ms"].get<double>(), 0.1);
  EXPECT_EQ(run({"network", set(), network(simple_), "--filters", out}).status, 3)
      << "no branch has an amplifier";
  active["branches"][1]["moved_mm"] = {1.0, 2.0};
  const auto refused = run({"network", set(), network(active)});
  EXPECT_EQ(refused.status, 3);
  EXPECT_THAT(refused.err, HasSubstr("moved_mm"));
}

// What the book keeps as the subject's network stands in its report, with the command's figures.
TEST_F(CliNetwork, StandsInTheReportOfItsBook) {
  const std::string book = (folder_ / "b.lalo").string();
  ASSERT_EQ(run({"import", set(), "--book", book}).status, 0);
  const std::string page = (folder_ / "r.html").string();
  ASSERT_EQ(run({"report", book, page}).status, 0);
  EXPECT_EQ(test::slurp(page).find("id=\"network\""), std::string::npos) << "none is kept";
  {
    auto opened = Book::open(book);
    ASSERT_TRUE(opened.has_value());
    ASSERT_TRUE(
        opened->set_document(opened->subjects()->front().id, "network", simple_.dump(), "test")
            .has_value());
  }
  const auto done = run({"report", book, page, "--json"});
  ASSERT_EQ(done.status, 0) << done.err;
  EXPECT_NE(test::slurp(page).find("id=\"network\""), std::string::npos);
  const json told = run({"network", set(), network(simple_), "--json"}).parsed();
  int found = 0;
  const json j = done.parsed();
  for (const json& f : j["figures"]) {
    if (f["command"] != "network") continue;
    ++found;
    EXPECT_NEAR(f["value"].get<double>(), told[f["name"].get<std::string>()].get<double>(), 1e-6);
  }
  EXPECT_EQ(found, 2) << "lowest load and where";
}

// A filter out of a WAV is kept by its taps: what a book keeps has no file beside it.
TEST_F(CliNetwork, AFirComesBackByItsTaps) {
  json active = simple_;
  active["branches"][1]["fir_taps"] = {0.5, 0.25, -0.125};
  active["branches"][1]["sample_rate_hz"] = 96000.0;
  const auto read = network_from_json(active.dump(), "test");
  ASSERT_TRUE(read.has_value()) << read.error().text();
  const auto again = network_from_json(json_text(told_of(*read)), "test");
  ASSERT_TRUE(again.has_value());
  EXPECT_EQ(again->branches[1].active.fir, (std::vector<double>{0.5, 0.25, -0.125}));
  EXPECT_EQ(again->branches[1].active.sample_rate_hz, 96000.0);
  active["branches"][1]["fir_taps"] = {"much"};
  EXPECT_FALSE(network_from_json(active.dump(), "test").has_value());
  const json spread =
      run({"network", set(), network(simple_), "--samples", "0.5", "--json"}).parsed();
  // Where one driver plays alone 95 of 100 of its samples lie within two standard deviations.
  EXPECT_NEAR(spread["band_db"][0].get<double>(), 2.0 * 0.5, 0.2);
}

}  // namespace
}  // namespace lalometer
