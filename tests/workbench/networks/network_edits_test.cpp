#include "workbench/networks/network_edits.h"

#include <gmock/gmock.h>

#include <set>
#include <sstream>

#include "acoustics/network/whatif/made_drivers.h"
#include "acoustics/network/whatif/network_orbit.h"
#include "acoustics/spin/spinorama.h"
#include "workbench/networks/network_study.h"
#include "workbench/networks/out/network_export.h"

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

/// Each driver at all angles of both circles, each 3 dB down at the sides.
NetworkMaterial taken_all_round() {
  NetworkMaterial m{.drivers = made::TwoWay().drivers()};
  for (NetworkDriver& d : m.drivers) {
    const Response ahead = d.responses.begin()->second;
    for (int step = -17; step <= 18; ++step) {
      const double degrees = 10.0 * step;
      if (step == 0) continue;
      std::vector<std::complex<double>> values = ahead.values();
      const double down = std::abs(degrees) > 85.0 ? std::pow(10.0, -0.15) : 1.0;
      for (auto& v : values) v *= down;
      const Response there =
          *Response::make(ahead.axis(), values, ahead.quantity(), ahead.valid(), true);
      d.responses.emplace(NetworkAngle{degrees, 0.0}, there);
      d.responses.emplace(NetworkAngle{0.0, degrees}, there);
    }
  }
  return m;
}

// The designed loudspeaker's spinorama by the standard's own sums: where all angles are alike the
// listening window is the axis, and the rear wall, all of it beyond 85 degrees, is 3 dB under it.
TEST(NetworkOrbit, TheDesignedLoudspeakerHasASpinorama) {
  const NetworkMaterial m = taken_all_round();
  const NetworkSum s = *network_sum(bare_network(m), m.drivers);
  const auto orbit = orbit_of(s);
  ASSERT_TRUE(orbit.has_value());
  const Spinorama spin = spinorama(*orbit);
  EXPECT_TRUE(spin.missing.empty());
  for (std::size_t i = 0; i < s.axis.size(); i += 40) {
    EXPECT_NEAR(spin.listening_window_db[i], spin.on_axis_db[i], 1e-6);
    EXPECT_NEAR(spin.rear_wall_db[i], spin.on_axis_db[i] - 3.0, 1e-6);
    EXPECT_LT(spin.sound_power_db[i], spin.on_axis_db[i]);
  }
  const auto lanes = network_lanes(s);
  const auto found = std::find_if(lanes.begin(), lanes.end(),
                                  [](const auto& lane) { return lane.first == "network-spin"; });
  ASSERT_NE(found, lanes.end());
  EXPECT_EQ(found->second.curves().size(), 4U);
  const auto map = std::find_if(lanes.begin(), lanes.end(),
                                [](const auto& lane) { return lane.first == "network-map"; });
  ASSERT_NE(map, lanes.end());
  const ValueMap* values = map->second.find<ValueMap>();
  ASSERT_NE(values, nullptr);
  for (std::size_t row = 0; row < values->rows.size(); ++row)
    EXPECT_NEAR(values->values[row * values->x.size() + 40],
                std::abs(values->rows[row]) > 89.0   ? -3.0
                : std::abs(values->rows[row]) < 81.0 ? 0.0
                                                     : -1.5,
                1e-3)
        << values->rows[row];
}

TEST(NetworkOrbit, AnglesThatWereNotTakenAreNotInvented) {
  NetworkMaterial m = taken_all_round();
  m.drivers[1].responses.erase(NetworkAngle{0.0, 50.0});
  const Spinorama spin = spinorama(*orbit_of(*network_sum(bare_network(m), m.drivers)));
  EXPECT_EQ(spin.missing.size(), 1U) << "one driver's angle is the sum's";
  EXPECT_TRUE(spin.sound_power_db.empty());
  EXPECT_FALSE(spin.listening_window_db.empty());
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
