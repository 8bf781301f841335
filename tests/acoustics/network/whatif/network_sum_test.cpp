#include "acoustics/network/whatif/network_sum.h"

#include <gmock/gmock.h>

#include "acoustics/network/whatif/made_drivers.h"

namespace lalometer {
namespace {

using namespace made;
using Place = LadderPart::Place;
using ::testing::HasSubstr;

/// Twelve parts, nested in series and in parallel, behind 0.08 ohm.
DesignedNetwork twelve_parts() {
  DesignedNetwork n{.source_ohm = 0.08, .branches = {}};
  LadderPart trap{.place = Place::kSeries, .join = LadderPart::Join::kParallel};
  trap.parts = {{.place = Place::kSeries, .resistance_ohm = 0.2, .inductance_h = 0.35e-3},
                {.place = Place::kSeries, .capacitance_f = 8.2e-6},
                {.place = Place::kSeries, .resistance_ohm = 12.0}};
  LadderPart flat{.place = Place::kShunt};
  flat.parts = {{.place = Place::kSeries, .resistance_ohm = 6.8},
                {.place = Place::kSeries, .capacitance_f = 12e-6}};
  n.branches.push_back(
      {.driver = "woofer",
       .ladder = {{.place = Place::kSeries, .resistance_ohm = 0.35, .inductance_h = 1.1e-3},
                  {.place = Place::kShunt, .resistance_ohm = 0.5, .capacitance_f = 18e-6},
                  trap,
                  flat}});
  n.branches.push_back(
      {.driver = "tweeter",
       .polarity = -1,
       .ladder = {{.place = Place::kSeries, .capacitance_f = 6.8e-6},
                  {.place = Place::kShunt, .resistance_ohm = 0.15, .inductance_h = 0.33e-3},
                  {.place = Place::kSeries, .capacitance_f = 15e-6},
                  {.place = Place::kSeries, .resistance_ohm = 1.8},
                  {.place = Place::kShunt, .resistance_ohm = 9.1},
                  {.place = Place::kShunt,
                   .resistance_ohm = 3.3,
                   .inductance_h = 1.5e-3,
                   .capacitance_f = 22e-6}}});
  return n;
}

// ngspice 39.3, .ac of the same circuit with the drivers as circuits (5.6 ohm, 0.4 mH, 30 ohm by
// 20 mH by 300 uF; 4.8 ohm, 0.05 mH, 8 ohm by 0.6 mH by 60 uF): both drivers' voltages in dB and
// degrees (the tweeter's turned), and the load.
TEST(NetworkSumTest, TwelvePartsAreAsACircuitSimulatorHasThem) {
  const double table[][7] = {
      {20.000, -0.817203, 0.7595, -122.158864, 15.2894, 7.149920, 23.4495},
      {97.394, 0.211052, -5.7619, -90.389123, 50.9665, 9.745929, -49.1538},
      {474.275, -1.215715, -45.1734, -49.904893, 63.6015, 5.966737, 12.3018},
      {1046.598, -3.875573, -83.2659, -29.737523, 69.2980, 9.423786, 16.8491},
      {2309.564, -17.197574, -167.5177, -8.270689, -39.1559, 10.415631, -15.3465},
      {5096.593, -30.117850, -124.2096, -5.765388, -105.3817, 6.756171, -25.2651},
      {11246.826, -39.799030, -127.0456, -2.833872, -137.8687, 4.792738, -3.4772}};
  for (const auto& row : table) {
    const double f = row[0];
    const BranchStates s = branch_states(twelve_parts(),
                                         {driver_ohm(f, 5.6, 0.4e-3, 30.0, 20e-3, 300e-6),
                                          driver_ohm(f, 4.8, 0.05e-3, 8.0, 0.6e-3, 60e-6)},
                                         f);
    // The table's frequencies carry three decimals; that is what the bounds are of.
    for (std::size_t b = 0; b < 2; ++b) {
      EXPECT_NEAR(to_level_db(std::abs(s.transfer[b]), 1.0), row[1 + 2 * b], 2e-3) << f;
      EXPECT_NEAR(std::arg(s.transfer[b]) * 180.0 / kPi, row[2 + 2 * b], 0.01) << f;
    }
    EXPECT_NEAR(std::abs(s.load_ohm), row[5], 2e-4 * row[5]) << f;
    EXPECT_NEAR(std::arg(s.load_ohm) * 180.0 / kPi, row[6], 0.01) << f;
  }
}

// The same simulator's currents, integrated over pink noise of 10 W into 4 ohm in NumPy.
TEST(NetworkSumTest, PartsCarryWhatTheSimulatorSays) {
  auto drivers = TwoWay().drivers();
  drivers[1].impedance = curve_of(Quantity::kImpedance, 20.0, 20000.0, 48.0, [](double f) {
    return driver_ohm(f, 4.8, 0.05e-3, 8.0, 0.6e-3, 60e-6);
  });
  const auto parts = part_loads(twelve_parts(), drivers, 10.0);
  ASSERT_EQ(parts.size(), 15U) << "the last holds three elements";
  EXPECT_EQ(parts[0].part, "L1");
  EXPECT_NEAR(parts[0].peak_a, 2.8464, 0.003);
  EXPECT_NEAR(parts[0].watt, 0.17724, 4e-4);
  EXPECT_EQ(parts[7].driver + " " + parts[7].part, "tweeter C1");
  EXPECT_NEAR(parts[7].peak_a, 2.6244, 0.003);
  EXPECT_EQ(parts[7].watt, 0.0);
  EXPECT_EQ(parts[14].unit, "ohm");
  EXPECT_NEAR(parts[14].watt, 8.789e-3, 3e-5);
  const auto twice = part_loads(twelve_parts(), drivers, 20.0);
  EXPECT_NEAR(twice[3].watt, 2.0 * parts[3].watt, 1e-9);
}

TEST(NetworkSumTest, SumsAreThoseOfTheComplexDataAtEveryAngleThatAllHave) {
  auto drivers = TwoWay().drivers();
  const auto late = [](double f) { return 0.3 * std::polar(1.0, -2.0 * kPi * f * 1e-4); };
  for (NetworkDriver& d : drivers)
    d.responses.emplace(NetworkAngle{30.0, 0.0},
                        curve_of(Quantity::kPressure, 100.0, 20000.0, 48.0, late));
  drivers[0].responses.emplace(NetworkAngle{0.0, -15.0},
                               curve_of(Quantity::kPressure, 100.0, 20000.0, 48.0, late));
  const auto sum = network_sum(twelve_parts(), drivers);
  ASSERT_TRUE(sum.has_value()) << sum.error().text();
  ASSERT_EQ(sum->angles.size(), 1U) << "one that only the woofer has is none";
  for (std::size_t i = 0; i < sum->axis.size(); i += 20) {
    const Complex both = sum->branches[0].transfer[i] + sum->branches[1].transfer[i];
    EXPECT_LT(std::abs(sum->angles.begin()->second[i] - both * late(sum->axis[i])), 1e-9);
    EXPECT_LT(std::abs(sum->sum[i] - sum->branches[0].pressure[i] - sum->branches[1].pressure[i]),
              1e-12);
  }
}

TEST(NetworkSumTest, AnActiveBranchHasItsOwnAmplifierAndDelay) {
  DesignedNetwork n{.source_ohm = 1.0, .branches = {{"woofer"}, {"tweeter"}}};
  n.branches[1].active.delay_s = 1e-4;
  n.branches[1].active.gain_db = -6.0;
  n.branches[1].active.fir = {0.0, 0.5};  // half, a sample late
  const std::vector<Complex> eight = {8.0, 8.0};
  const BranchStates s = branch_states(n, eight, 1000.0);
  EXPECT_NEAR(std::abs(s.transfer[0]), 8.0 / 9.0, 1e-9);
  EXPECT_NEAR(std::abs(s.transfer[1]), 8.0 / 9.0 * 0.5 * std::pow(10.0, -0.3), 1e-9);
  EXPECT_NEAR(std::arg(s.transfer[1]), -2.0 * kPi * (0.1 + 1.0 / 48.0), 1e-9);
  EXPECT_NEAR(std::abs(s.load_ohm), 8.0, 1e-9) << "the passive branch alone";
  n.branches[0].active.delay_s = 1e-5;
  EXPECT_EQ(branch_states(n, eight, 1000.0).load_ohm, 0.0) << "two amplifiers have no one load";
}

// Linkwitz and Riley: both -6 dB and in phase where they meet, and a deep null with one turned.
TEST(NetworkSumTest, ACrossingTellsPhaseAndNull) {
  std::vector<NetworkDriver> drivers;
  for (const bool high : {false, true}) {
    const auto value = [high](double f) {
      const Complex s(0.0, f / 2000.0);
      const Complex half = (high ? s * s : Complex(1.0)) / (1.0 + std::sqrt(2.0) * s + s * s);
      return half * half;
    };
    drivers.push_back(
        {high ? "tweeter" : "woofer",
         {{NetworkAngle{}, curve_of(Quantity::kPressure, 100.0, 20000.0, 48.0, value)}},
         curve_of(Quantity::kImpedance, 20.0, 20000.0, 12.0, [](double) { return Complex(8.0); })});
  }
  // Whatever their order in the file.
  const DesignedNetwork n{.branches = {{"tweeter"}, {"woofer"}}};
  const auto crossings = network_crossings(*network_sum(n, drivers));
  ASSERT_EQ(crossings.size(), 1U);
  EXPECT_EQ(crossings[0].low, "woofer");
  EXPECT_NEAR(crossings[0].frequency_hz, 2000.0, 2.0);
  EXPECT_NEAR(crossings[0].phase_difference_deg, 0.0, 0.1);
  EXPECT_GT(crossings[0].reverse_null_db, 30.0);
  EXPECT_TRUE(network_crossings(*network_sum({.branches = {{"woofer"}}}, drivers)).empty());
}

TEST(NetworkSumTest, WhatCannotBeSummedIsNamed) {
  auto drivers = TwoWay().drivers();
  EXPECT_THAT(network_sum({.branches = {{"horn"}}}, drivers).error().text(), HasSubstr("\"horn\""));
  EXPECT_FALSE(network_sum({}, drivers).has_value());
  const Response& z = drivers[1].impedance;
  drivers[1].impedance = *Response::make(z.axis(), z.values(), z.quantity(), z.valid(), false);
  EXPECT_THAT(network_sum({.branches = {{"woofer"}, {"tweeter"}}}, drivers).error().text(),
              HasSubstr("impedance of \"tweeter\" has no phase"));
  drivers[0].responses.clear();
  EXPECT_THAT(network_sum({.branches = {{"woofer"}}}, drivers).error().text(),
              HasSubstr("no response on the axis"));
}

}  // namespace
}  // namespace lalometer
