#include <gmock/gmock.h>

#include <nlohmann/json.hpp>

#include "acoustics/network/whatif/made_drivers.h"
#include "exchange/audio_file.h"
#include "support/support.h"
#include "workbench/networks/material_stones.h"
#include "workbench/networks/network_study.h"
#include "workbench/networks/out/filters_out.h"

namespace lalometer {
namespace {

using namespace made;
using ::testing::Contains;
using ::testing::HasSubstr;
using ::testing::Not;
using Place = LadderPart::Place;

DesignedNetwork simple() {
  return {.branches = {
              {.driver = "woofer", .ladder = {{.place = Place::kSeries, .inductance_h = 0.8e-3}}},
              {.driver = "tweeter",
               .polarity = -1,
               .ladder = {{.place = Place::kSeries, .capacitance_f = 6e-6}}}}};
}

/// The made two-way, gated: its sound begins at 300 Hz, its impedance at 20.
std::vector<NetworkDriver> gated() {
  auto drivers = TwoWay().drivers();
  for (NetworkDriver& d : drivers)
    for (auto& [angle, curve] : d.responses)
      curve = resampled(curve, FrequencyAxis::logarithmic(300.0, 20000.0, 48.0));
  return drivers;
}

class DraggedLanes : public ::testing::Test {
 protected:
  std::vector<std::pair<std::string, LaneContent>> lanes(const NetworkExtras& extras = {}) {
    return network_lanes(*network_sum(network_, drivers_), extras);
  }
  static const LaneContent* lane(const std::vector<std::pair<std::string, LaneContent>>& all,
                                 const std::string& kind) {
    for (const auto& [name, content] : all)
      if (name == kind) return &content;
    return nullptr;
  }
  std::vector<NetworkDriver> drivers_ = gated();
  DesignedNetwork network_ = simple();
};

TEST_F(DraggedLanes, ShowLevelVoltageLoadPhaseAndDelay) {
  const auto all = lanes();
  for (const char* kind :
       {"network-level", "network-voltage", "network-load", "network-phase", "network-delay"})
    ASSERT_NE(lane(all, kind), nullptr) << kind;
  EXPECT_EQ(lane(all, "network-level")->curves().size(), 3U) << "the sum and both drivers";
  EXPECT_EQ(lane(all, "network-angles"), nullptr) << "there is one angle";
  EXPECT_EQ(lane(all, "network-excursion"), nullptr) << "nobody told of motors";
}

// What the amplifier sees, and how far cones go, does not end where the gate does.
TEST_F(DraggedLanes, LoadAndConesReachBelowTheGate) {
  drivers_[0].motor = {.bl_tm = 7.0, .re_ohm = 5.6, .le_h = 0.4e-3};
  NetworkExtras extras;
  extras.network = &network_;
  extras.drivers = &drivers_;
  const auto all = lanes(extras);
  EXPECT_LT(lane(all, "network-load")->curves()[0].x.front(), 21.0);
  EXPECT_GT(lane(all, "network-level")->curves()[0].x.front(), 299.0);
  const LaneContent* way = lane(all, "network-excursion");
  ASSERT_NE(way, nullptr);
  ASSERT_EQ(way->curves().size(), 1U) << "of the one driver whose motor is told";
  // At 20 Hz, by hand: |Z - Re - jwLe| / (|Z| Bl w) for the voltage that the coil leaves.
  const Series& s = way->curves()[0];
  const double w = 2.0 * kPi * s.x[0];
  const Complex z = driver_ohm(s.x[0], 5.6, 0.4e-3, 30.0, 20e-3, 300e-6);
  const Complex coil(0.0, w * 0.8e-3);
  const double volts = 2.83 * std::sqrt(2.0) * std::abs(z / (z + coil));
  EXPECT_NEAR(s.y[0],
              1e3 * volts * std::abs(z - Complex(5.6, w * 0.4e-3)) / (std::abs(z) * 7.0 * w),
              0.02 * s.y[0]);
}

TEST_F(DraggedLanes, WhatWasBuiltLiesBesideWhatWasForetold) {
  const NetworkSum sum = *network_sum(network_, drivers_);
  BuiltTakes built;
  std::vector<Complex> louder;
  for (const Complex p : sum.sum) louder.push_back(2.0 * p);
  built.sound = *Response::make(sum.axis, louder, Quantity::kPressure, sum.valid, true);
  NetworkExtras extras;
  extras.built = &built;
  extras.built_off_db = 20.0 * std::log10(2.0);
  const auto all = lanes(extras);
  const auto& curves = lane(all, "network-level")->curves();
  ASSERT_EQ(curves.size(), 4U);
  EXPECT_EQ(curves.back().label, "measured");
  for (std::size_t i = 0; i < curves[0].y.size(); i += 20)
    EXPECT_NEAR(curves.back().y[i], curves[0].y[i], 1e-9) << "the rig's level is taken off";
  EXPECT_EQ(lane(all, "network-load")->curves().size(), 1U) << "no load was taken";
}

TEST_F(DraggedLanes, GroupDelayIsThatOfADelay) {
  network_.branches.pop_back();
  drivers_.pop_back();
  network_.branches[0].ladder.clear();
  const auto before = lanes();
  network_.branches[0].active.delay_s = 1e-3;
  const auto after = lanes();
  const auto& a = lane(before, "network-delay")->curves()[0].y;
  const auto& b = lane(after, "network-delay")->curves()[0].y;
  for (std::size_t i = 40; i + 40 < a.size(); i += 10) EXPECT_NEAR(b[i] - a[i], 1.0, 0.01);
}

TEST(NetworkStatesTest, AreTheNodesOwnAnswerWhereverImpedancesReach) {
  const auto drivers = gated();
  const NetworkStates s = network_states(simple(), drivers);
  ASSERT_FALSE(s.hz.empty());
  EXPECT_NEAR(s.hz.front(), 20.0, 0.01);
  EXPECT_EQ(s.load_ohm.size(), s.hz.size());
  const std::size_t at = s.hz.size() / 2;
  const Complex w = value_at(drivers[0].impedance, s.hz[at]);
  const Complex t = value_at(drivers[1].impedance, s.hz[at]);
  const Complex jw(0.0, 2.0 * kPi * s.hz[at]);
  const Complex low = w + jw * 0.8e-3, high = t + 1.0 / (jw * 6e-6);
  EXPECT_NEAR(std::abs(s.load_ohm[at] - low * high / (low + high)), 0.0, 1e-6);
  EXPECT_NEAR(std::abs(s.transfer[1][at] + t / high), 0.0, 1e-6) << "turned round";
  DesignedNetwork active = simple();
  for (DesignBranch& b : active.branches) b.active.gain_db = -1.0;
  EXPECT_TRUE(network_states(active, drivers).load_ohm.empty())
      << "two amplifiers have no one load";
  active.branches[0].driver = "ribbon";
  EXPECT_TRUE(network_states(active, drivers).hz.empty());
}

TEST(FiltersOut, JsonTextAndSoundHoldTheSame) {
  const test::TemporaryFolder folder;
  DesignedNetwork n = simple();
  n.branches[1].active = {.gain_db = -2.0,
                          .delay_s = 0.5e-3,
                          .filters = {{BiquadKind::kHighShelf, 4000.0, -3.0, 0.7}},
                          .sections = {{{0.5, 0.25, 0.0}, {1.0, -0.25, 0.0}}}};
  for (const char* name : {"f.json", "f.txt", "f.wav"})
    ASSERT_TRUE(write_filters(folder / name, n).has_value()) << name;
  EXPECT_FALSE(write_filters(folder / "f.doc", n).has_value());
  const auto json = nlohmann::json::parse(test::slurp(folder / "f.json"));
  ASSERT_EQ(json["branches"].size(), 1U);
  const auto& biquads = json["branches"][0]["biquads"];
  ASSERT_EQ(biquads.size(), 2U);
  EXPECT_EQ(biquads[1]["b"][0], 0.5);
  EXPECT_EQ(json["branches"][0]["polarity"], -1);
  EXPECT_THAT(test::slurp(folder / "f.txt"), HasSubstr("0.5 0.25 0 -0.25 0"));
  const auto audio = read_audio(*file_bytes(folder / "f.wav"), "f.wav");
  ASSERT_TRUE(audio.has_value());
  ASSERT_EQ(audio->channels.size(), 1U);
  const auto taps = filter_impulses(n)[0].taps;
  double most = 0.0;
  for (std::size_t i = 0; i < taps.size(); ++i)
    most = std::max(most, std::abs(audio->channels[0][i] - taps[i]));
  EXPECT_LT(most, 1e-6) << "floats of what was reckoned";
  // Two rates are two files.
  n.branches[0].active.gain_db = -1.0;
  n.branches[0].active.sample_rate_hz = 96000.0;
  EXPECT_FALSE(write_filters(folder / "g.wav", n).has_value());
  EXPECT_TRUE(write_filters(folder / "g.json", n).has_value());
}

NetworkMaterial material() {
  NetworkMaterial m;
  m.drivers = TwoWay{.woofer_db = 85.0, .tweeter_db = 90.0}.drivers();
  return m;
}

TEST(MaterialStones, ListsWhatCanBeMadeAndWhyNotTheRest) {
  const NetworkMaterial m = material();
  const StoneList list = stones_of(m);
  std::vector<std::string> kinds;
  for (const BuildingStone& s : list.stones)
    kinds.push_back(s.driver + " " + std::string(word_of(s.kind)));
  EXPECT_THAT(kinds, Contains("tweeter pad"));
  EXPECT_THAT(kinds, Contains("woofer coil-compensation"));
  EXPECT_THAT(kinds, Contains("tweeter resonance-compensation"));
  EXPECT_THAT(kinds, Not(Contains("woofer pad"))) << "it is the quieter one";
  EXPECT_THAT(list.why_not, Contains(HasSubstr("describe width, height and place")));
  const auto pad = stone_for(m, "tweeter", StoneKind::kPad);
  ASSERT_TRUE(pad.has_value());
  EXPECT_NEAR(pad->db, 5.0, 1.0);
  EXPECT_FALSE(stone_for(m, "ribbon", StoneKind::kPad).has_value());
}

// What stands first works into what the branch holds: a trap behind a flattened coil takes more.
TEST(MaterialStones, ATrapKnowsWhatStandsBehindIt) {
  NetworkMaterial m;
  m.drivers = TwoWay{.woofer_top_hz = 9000.0, .breakup_hz = 4200.0, .breakup_db = 6.0}.drivers();
  const auto bare = stone_for(m, "woofer", StoneKind::kNotch);
  ASSERT_TRUE(bare.has_value()) << bare.error().text();
  DesignBranch branch{.driver = "woofer"};
  put_stone(branch, *stone_for(m, "woofer", StoneKind::kCoilAcross));
  const auto flattened = stone_for(m, "woofer", StoneKind::kNotch, branch.ladder);
  ASSERT_TRUE(flattened.has_value());
  EXPECT_GT(flattened->db, bare->db + 0.5);
  put_stone(branch, *flattened);
  EXPECT_EQ(branch.ladder.front().join, LadderPart::Join::kParallel) << "the trap stands first";
}

// The edges' step of a narrow cabinet: less than the 6 dB of the limit, below 1 kHz.
TEST(MaterialStones, TheBafflesStepIsItsEdges) {
  NetworkMaterial m = material();
  SubjectGeometry g;
  SubjectDriver d;
  d.id = "woofer";
  d.role = "woofer";
  d.radius_m = 0.065;
  g.drivers = {d};
  g.baffle = *Baffle::make({0.21, 0.36, 0.28, EdgeShape::kSquare, 0.0});
  g.origin_x_m = 0.105;
  g.origin_y_m = 0.18;
  m.geometry = g;
  const auto stone = stone_for(m, "woofer", StoneKind::kBaffleStep);
  ASSERT_TRUE(stone.has_value()) << stone.error().text();
  EXPECT_GT(stone->db, 3.0);
  EXPECT_LT(stone->db, 9.0);
  ASSERT_EQ(stone->parts.size(), 1U);
  EXPECT_EQ(stone->parts[0].parts.size(), 2U) << "a coil beside a resistor";
  // Before a low-pass, whose input rises in its own band, it stays a shelf: no mere coil.
  const Ladder low = {{.place = Place::kSeries, .resistance_ohm = 0.4, .inductance_h = 1.5e-3},
                      {.place = Place::kShunt, .capacitance_f = 5e-6}};
  const auto before = stone_for(m, "woofer", StoneKind::kBaffleStep, low);
  ASSERT_TRUE(before.has_value()) << before.error().text();
  EXPECT_LT(before->parts[0].parts[1].resistance_ohm, 20.0);
  EXPECT_GT(before->parts[0].parts[1].resistance_ohm, 2.0);
  EXPECT_LT(before->parts[0].parts[0].inductance_h, 8e-3);
}

}  // namespace
}  // namespace lalometer
