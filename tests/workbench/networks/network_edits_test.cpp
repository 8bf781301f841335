#include "workbench/networks/network_edits.h"

#include <gmock/gmock.h>

#include <set>
#include <sstream>

#include "acoustics/network/whatif/made_drivers.h"
#include "workbench/networks/network_export.h"
#include "workbench/networks/network_study.h"

namespace lalometer {
namespace {

using Place = LadderPart::Place;
using ::testing::HasSubstr;
using ::testing::Not;

DesignedNetwork two_branches() {
  DesignedNetwork n{.branches = {{.driver = "woofer"}, {.driver = "tweeter"}}};
  LadderPart group{.place = Place::kSeries, .join = LadderPart::Join::kParallel};
  group.parts = {{.place = Place::kSeries, .inductance_h = 0.5e-3},
                 {.place = Place::kSeries, .resistance_ohm = 6.8}};
  n.branches[0].ladder = {
      {.place = Place::kSeries, .resistance_ohm = 0.3, .inductance_h = 1.2e-3, .name = "L7"},
      {.place = Place::kShunt, .capacitance_f = 22e-6},
      group};
  return n;
}

TEST(NetworkEdits, AnElementIsFoundAndSetInItsOwnUnit) {
  DesignedNetwork n = two_branches();
  EXPECT_DOUBLE_EQ(value_of(n, {0, {0}, ElementKind::kCoil}), 1.2);
  EXPECT_DOUBLE_EQ(value_of(n, {0, {1}, ElementKind::kCapacitor}), 22.0);
  EXPECT_DOUBLE_EQ(value_of(n, {0, {2, 1}, ElementKind::kResistor}), 6.8);
  set_value(n, {0, {2, 0}, ElementKind::kCoil}, 0.82);
  EXPECT_NEAR(n.branches[0].ladder[2].parts[0].inductance_h, 0.82e-3, 1e-12);
  EXPECT_EQ(spoken_value(ElementKind::kCapacitor, 6.8), "6.80 µF");
}

TEST(NetworkEdits, NothingIsDraggedBeyondWhatCanBeBought) {
  DesignedNetwork n = two_branches();
  const NetworkPlace coil{0, {0}, ElementKind::kCoil};
  set_value(n, coil, 1e9);
  EXPECT_DOUBLE_EQ(value_of(n, coil), 100.0);
  set_value(n, coil, 0.0);
  EXPECT_DOUBLE_EQ(value_of(n, coil), 0.01) << "a part never vanishes by dragging";
}

TEST(NetworkEdits, APlaceThatIsGoneChangesNothing) {
  DesignedNetwork n = two_branches();
  for (const NetworkPlace& gone :
       {NetworkPlace{7, {0}, ElementKind::kCoil}, NetworkPlace{0, {9}, ElementKind::kCoil},
        NetworkPlace{0, {2, 5}, ElementKind::kCoil}, NetworkPlace{0, {}, ElementKind::kCoil}}) {
    EXPECT_EQ(part_at(n, gone), nullptr);
    EXPECT_EQ(value_of(n, gone), 0.0);
    set_value(n, gone, 1.0);
    remove_part(n, gone);
  }
  EXPECT_EQ(n.branches[0].ladder.size(), 3U);
}

TEST(NetworkEdits, PartsStandBehindTheChosenOneAndGoWhole) {
  DesignedNetwork n = two_branches();
  const NetworkPlace first = add_part(n, 1, std::nullopt, Place::kSeries, ElementKind::kCapacitor);
  EXPECT_EQ(first.path, std::vector<std::size_t>{0});
  const NetworkPlace second = add_part(n, 0, 0U, Place::kShunt, ElementKind::kResistor);
  EXPECT_EQ(second.path, std::vector<std::size_t>{1});
  EXPECT_EQ(n.branches[0].ladder[1].place, Place::kShunt);
  EXPECT_GT(value_of(n, second), 0.0);
  // One of a group goes with its group: what is left would be another circuit than was drawn.
  remove_part(n, {0, {3, 1}, ElementKind::kResistor});
  EXPECT_EQ(n.branches[0].ladder.size(), 3U);
}

TEST(NetworkExport, TheCircuitHoldsEveryPartOnceAndNothingThatIsOff) {
  const auto drivers = made::TwoWay().drivers();
  NetworkMaterial m{.drivers = drivers};
  DesignedNetwork n = two_branches();
  n.source_ohm = 0.1;
  n.branches[1].polarity = -1;
  n.branches[1].active.delay_s = 1e-4;
  const std::string text = spice_netlist(n, m);
  EXPECT_THAT(text, HasSubstr("0.0012"));
  EXPECT_THAT(text, HasSubstr("2.2e-05"));
  EXPECT_THAT(text, HasSubstr("; L7"));
  EXPECT_THAT(text, HasSubstr("amp terminals 0.1"));
  EXPECT_THAT(text, HasSubstr("connected the wrong way round"));
  EXPECT_THAT(text, HasSubstr("amplifier of its own"));
  n.branches[0].ladder[1].off = true;
  EXPECT_THAT(spice_netlist(n, m), Not(HasSubstr("2.2e-05")));
  // No element has two names: each line's first word is its own.
  std::istringstream lines(text);
  std::set<std::string> names;
  for (std::string line; std::getline(lines, line);)
    if (!line.empty() && line[0] != '*' && line[0] != '.') {
      EXPECT_TRUE(names.insert(line.substr(0, line.find(' '))).second) << line;
    }
}

TEST(NetworkLanes, ShowWhatTheSumIsMadeOf) {
  NetworkMaterial m{.drivers = made::TwoWay().drivers()};
  DesignedNetwork n = bare_network(m);
  ASSERT_EQ(n.branches.size(), 2U);
  auto lanes = network_lanes(*network_sum(n, m.drivers));
  ASSERT_FALSE(lanes.empty());
  EXPECT_EQ(lanes.front().second.curves().size(), 3U) << "the sum and each driver";
  const auto has = [&](const char* kind) {
    return std::any_of(lanes.begin(), lanes.end(),
                       [&](const auto& lane) { return lane.first == kind; });
  };
  EXPECT_TRUE(has("network-load"));
  EXPECT_FALSE(has("network-angles")) << "nothing was taken off the axis";
  for (DesignBranch& b : n.branches) b.active.gain_db = -1.0;
  lanes = network_lanes(*network_sum(n, m.drivers));
  EXPECT_FALSE(has("network-load")) << "two amplifiers have no one load";
}

}  // namespace
}  // namespace lalometer
