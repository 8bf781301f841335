#include <gmock/gmock.h>

#include "acoustics/enclosure/driver_circuit.h"
#include "acoustics/network/whatif/made_drivers.h"
#include "acoustics/network/whatif/network_sum.h"

namespace lalometer {
namespace {

using namespace made;

/// Two equal sources, one above the other by `apart_m`.
std::vector<NetworkDriver> two_points(double apart_m) {
  std::vector<NetworkDriver> all;
  for (const char* id : {"low", "high"}) {
    NetworkDriver d{id,
                    {{NetworkAngle{}, curve_of(Quantity::kPressure, 100.0, 10000.0, 24.0,
                                               [](double) { return Complex(1.0, 0.0); })}},
                    curve_of(Quantity::kImpedance, 20.0, 20000.0, 24.0,
                             [](double) { return Complex(8.0, 0.0); })};
    d.responses.emplace(NetworkAngle{0.0, 30.0}, d.responses.at({}));
    all.push_back(std::move(d));
  }
  all[1].place_m = {0.0, apart_m, 0.0};
  return all;
}

// Half a wavelength forward turns a source round; up by d is nearer by d sin(v) at v above.
TEST(NetworkMoves, PhaseFollowsTheWayToEachListener) {
  const auto drivers = two_points(0.1);
  DesignedNetwork n;
  n.branches = {{.driver = "low"}, {.driver = "high"}};
  const double step_m = 0.05;
  n.branches[1].moved_m = {0.0, 0.0, step_m};
  auto s = network_sum(n, drivers);
  ASSERT_TRUE(s.has_value());
  for (std::size_t i = 0; i < s->axis.size(); ++i) {
    const double k = 2.0 * kPi * s->axis[i] / kSpeedOfSound20_m_s;
    EXPECT_NEAR(std::abs(s->sum[i]), std::abs(2.0 * std::cos(0.5 * k * step_m)), 1e-9);
    EXPECT_NEAR(std::abs(s->angles.at({0.0, 30.0})[i]),
                std::abs(2.0 * std::cos(0.5 * k * step_m * std::cos(kPi / 6.0))), 1e-9);
  }
  n.branches[1].moved_m = {0.02, 0.04, 0.0};
  s = network_sum(n, drivers);
  for (std::size_t i = 0; i < s->axis.size(); ++i) {
    const double k = 2.0 * kPi * s->axis[i] / kSpeedOfSound20_m_s;
    EXPECT_NEAR(std::abs(s->sum[i]), 2.0, 1e-9) << "across the listener's line";
    EXPECT_NEAR(std::abs(s->angles.at({0.0, 30.0})[i]), std::abs(2.0 * std::cos(0.5 * k * 0.02)),
                1e-9);
  }
}

// Two points in a row lean into d sin(t) of way: the textbook's two-source pattern.
TEST(NetworkMoves, ALeaningBaffleDelaysWhatStandsHigher) {
  const double apart_m = 0.14;
  const auto drivers = two_points(apart_m);
  DesignedNetwork n;
  n.branches = {{.driver = "low"}, {.driver = "high"}};
  n.tilt_deg = 10.0;
  const auto s = network_sum(n, drivers);
  ASSERT_TRUE(s.has_value());
  const double way = apart_m * std::sin(10.0 * kPi / 180.0);
  for (std::size_t i = 0; i < s->axis.size(); ++i) {
    const double k = 2.0 * kPi * s->axis[i] / kSpeedOfSound20_m_s;
    EXPECT_NEAR(std::abs(s->sum[i]), std::abs(2.0 * std::cos(0.5 * k * way)), 1e-9);
    EXPECT_LE(std::arg(s->branches[1].pressure[i]), 0.0 + (k * way > kPi ? 4.0 : 0.0)) << "later";
  }
}

// The cone's way by the electrical side alone, against the mechanical side of the whole circuit.
TEST(DriverExcursion, FollowsFromTheImpedance) {
  const DriverParameters p = elements_of({.fs_hz = 45.0,
                                          .qms = 4.0,
                                          .qes = 0.45,
                                          .vas_m3 = 0.03,
                                          .sd_m2 = 0.0132,
                                          .re_ohm = 5.6,
                                          .le_h = 0.4e-3});
  const auto solved = [&](double f) { return solve_driver(p, {}, f); };
  NetworkDriver d{"woofer", {}, curve_of(Quantity::kImpedance, 10.0, 20000.0, 96.0, [&](double f) {
                    return solved(f).impedance_ohm;
                  })};
  EXPECT_TRUE(std::isnan(excursion_m_per_v(d, 40.0))) << "nobody told of the motor";
  d.motor = {.bl_tm = p.bl_tm, .re_ohm = p.re_ohm, .le_h = p.le_h};
  for (const double f : {12.0, 30.0, 45.0, 80.0, 200.0, 500.0}) {
    const double x = std::abs(solved(f).cone_velocity_m_s_per_v) / (2.0 * kPi * f);
    EXPECT_NEAR(excursion_m_per_v(d, f) / x, 1.0, 0.01) << f;
  }
}

// Ten watts into 8 ohm are 8.94 V, and all of them end in the driver.
TEST(DriverLoads, AreThePowerAndVoltageOfTheNoise) {
  const auto drivers = two_points(0.1);
  DesignedNetwork n;
  n.branches = {{.driver = "low"}};
  const auto alone = driver_loads(n, drivers, 10.0);
  ASSERT_EQ(alone.size(), 1U);
  EXPECT_NEAR(alone[0].volts, std::sqrt(80.0), 1e-6);
  EXPECT_NEAR(alone[0].watt, 10.0, 1e-6);
  EXPECT_FALSE(alone[0].peak_mm.has_value());
  // A capacitor at 1 kHz into 8 ohm: 20 Hz to 20 kHz of pink noise leave the driver what the
  // integral of 1/(1 + (fc/f)^2) over log f does: ln((1+(fh/fc)^2)/(1+(fl/fc)^2)) / (2 ln(fh/fl)).
  n.branches[0].ladder = {
      {.place = LadderPart::Place::kSeries, .capacitance_f = 1.0 / (2.0 * kPi * 1000.0 * 8.0)}};
  const auto high = driver_loads(n, drivers, 10.0);
  const double share = std::log((1.0 + 400.0) / (1.0 + 4e-4)) / (2.0 * std::log(1000.0));
  EXPECT_NEAR(high[0].watt, 10.0 * share, 0.02);
}

}  // namespace
}  // namespace lalometer
