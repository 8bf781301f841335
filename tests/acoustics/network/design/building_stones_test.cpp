#include "acoustics/network/design/building_stones.h"

#include <gmock/gmock.h>

#include "acoustics/network/design/crossover_design.h"
#include "acoustics/network/whatif/made_drivers.h"

namespace lalometer {
namespace {

using namespace made;
using ::testing::HasSubstr;

NetworkDriver of(Response impedance) {
  return {"woofer",
          {{NetworkAngle{}, curve_of(Quantity::kPressure, 20.0, 20000.0, 48.0,
                                     [](double) { return Complex(1.0, 0.0); })}},
          std::move(impedance)};
}

double magnitude(const Ladder& ladder, const NetworkDriver& d, double f) {
  return std::abs(solve_ladder(ladder, value_at(d.impedance, f), f).input_ohm);
}
double taken_db(const Ladder& ladder, const NetworkDriver& d, double f) {
  return 20.0 * std::log10(std::abs(solve_ladder(ladder, value_at(d.impedance, f), f).transfer));
}

// The constant-resistance dual of R and L in series: R with C = L / R^2 beside it (any text on
// one-ports, O. Zobel 1923).
TEST(BuildingStones, CoilIsFlattenedByItsDual) {
  const NetworkDriver d = of(curve_of(Quantity::kImpedance, 20.0, 20000.0, 48.0, [](double f) {
    return Complex(6.0, 2.0 * kPi * f * 0.5e-3);
  }));
  const auto stone = coil_stone(d);
  ASSERT_TRUE(stone.has_value()) << stone.error().text();
  ASSERT_EQ(stone->parts.size(), 1U);
  EXPECT_NEAR(stone->parts[0].parts[0].resistance_ohm, 6.0, 0.2);
  EXPECT_NEAR(stone->parts[0].parts[1].capacitance_f, 0.5e-3 / 36.0, 0.5e-6);
  for (const double f : {200.0, 1000.0, 5000.0, 19000.0})
    EXPECT_NEAR(magnitude(stone->parts, d, f), 6.0, 0.1) << f;
  const NetworkDriver even = of(curve_of(Quantity::kImpedance, 20.0, 20000.0, 48.0,
                                         [](double) { return Complex(6.0, 0.0); }));
  EXPECT_FALSE(coil_stone(even).has_value()) << "nothing rises";
}

// R + R^2/Zp in series with nothing else across R + Zp is R at every frequency (the dual one-port).
TEST(BuildingStones, ResonanceIsTakenByItsDual) {
  for (const double res : {6.0, 30.0, 90.0}) {
    const NetworkDriver d = of(curve_of(Quantity::kImpedance, 10.0, 20000.0, 48.0, [&](double f) {
      return driver_ohm(f, 5.5, 0.0, res, 20e-3, 300e-6);
    }));
    const auto stone = resonance_stone(d);
    ASSERT_TRUE(stone.has_value()) << stone.error().text();
    EXPECT_NEAR(stone->at_hz, 65.0, 1.0);
    for (const double f : {15.0, 40.0, 65.0, 100.0, 300.0})
      EXPECT_NEAR(magnitude(stone->parts, d, f), 5.5, 0.2) << res << " at " << f;
  }
}

// The table of every handbook: 6 dB into 8 ohm are 4.0 ohm in the line and 8.0 across.
TEST(BuildingStones, PadIsTheHandbooksOne) {
  const NetworkDriver d = of(curve_of(Quantity::kImpedance, 20.0, 20000.0, 48.0,
                                      [](double) { return Complex(8.0, 0.0); }));
  const auto pad = pad_stone(d, 6.0, 3000.0);
  ASSERT_TRUE(pad.has_value());
  EXPECT_NEAR(pad->parts[0].resistance_ohm, 3.99, 0.01);
  EXPECT_NEAR(pad->parts[1].resistance_ohm, 8.04, 0.02);
  EXPECT_NEAR(magnitude(pad->parts, d, 500.0), 8.0, 1e-9);
  EXPECT_NEAR(taken_db(pad->parts, d, 500.0), -6.0, 1e-9);
  EXPECT_FALSE(pad_stone(d, 0.1, 3000.0).has_value());
  // It stands before what mends the driver's impedance.
  DesignBranch branch{.driver = "woofer"};
  BuildingStone mend{StoneKind::kCoilAcross, "woofer", {}, false, 0.0, 0.0, {}};
  mend.parts = {{.place = LadderPart::Place::kShunt,
                 .parts = {{.place = LadderPart::Place::kShunt, .resistance_ohm = 6.0}}}};
  put_stone(branch, mend);
  put_stone(branch, *pad);
  ASSERT_EQ(branch.ladder.size(), 3U);
  EXPECT_EQ(branch.ladder[2].parts.size(), 1U);
}

TEST(BuildingStones, NotchTakesABreakUpsPeak) {
  for (const double height : {3.0, 6.0, 9.0}) {
    TwoWay t;
    t.woofer_top_hz = 9000.0;
    t.breakup_hz = 4200.0;
    t.breakup_db = height;
    NetworkDriver d = t.drivers().front();
    // Its coil flattened: before a rising impedance no trap is even.
    d.impedance = curve_of(Quantity::kImpedance, 20.0, 20000.0, 48.0,
                           [](double) { return Complex(5.6, 0.0); });
    const auto stone = notch_stone(d, 1000.0, 9000.0);
    ASSERT_TRUE(stone.has_value()) << stone.error().text();
    EXPECT_NEAR(stone->at_hz, 4200.0, 200.0);
    EXPECT_NEAR(stone->db, height, 1.2);
    // What is left lies near the same cone without its peak.
    t.breakup_db = 0.0;
    const NetworkDriver plain = t.drivers().front();
    for (const double f : {2500.0, 3500.0, 4200.0, 5000.0, 7000.0}) {
      const double left = 20.0 * std::log10(std::abs(value_at(d.responses.at({}), f)) /
                                            std::abs(value_at(plain.responses.at({}), f))) +
                          taken_db(stone->parts, d, f);
      EXPECT_LT(std::abs(left), 1.3) << height << " dB at " << f;
    }
  }
  TwoWay steep;
  steep.woofer_top_hz = 9000.0;
  steep.breakup_hz = 4200.0;
  steep.breakup_db = 6.0;
  const auto with_coil = notch_stone(steep.drivers().front(), 1000.0, 9000.0);
  ASSERT_TRUE(with_coil.has_value());
  EXPECT_THAT(with_coil->told, HasSubstr("against its coil"));
  // A cone that ends in a cliff with a brink of a decibel: nothing to take off.
  NetworkDriver cliff = TwoWay{}.drivers().front();
  cliff.responses.at({}) = curve_of(Quantity::kPressure, 100.0, 20000.0, 48.0, [](double f) {
    const double brink = 1.0 * std::exp(-std::pow(4.0 * std::log2(f / 4700.0), 2));
    const double fall = f > 5000.0 ? -24.0 * (1.0 - std::exp(-8.0 * std::log2(f / 5000.0))) : 0.0;
    return from_level(85.0 - 4.0 * std::max(0.0, std::log2(f / 1500.0)) + brink + fall, 0.0,
                      kReferencePressure_pa);
  });
  EXPECT_FALSE(notch_stone(cliff, 1000.0, 9000.0).has_value());
  const auto none = notch_stone(TwoWay{}.drivers().front(), 500.0, 9000.0);
  ASSERT_FALSE(none.has_value());
  EXPECT_THAT(none.error().message, HasSubstr("No peak of woofer"));
}

// A shelf of 6 dB in first order, from half space to full space.
TEST(BuildingStones, BaffleStepGivesBackWhatTheEdgesTake) {
  const NetworkDriver d = of(curve_of(Quantity::kImpedance, 20.0, 20000.0, 48.0,
                                      [](double) { return Complex(6.0, 0.0); }));
  std::vector<double> hz, db;
  for (double f = 40.0; f < 3000.0; f *= std::exp2(1.0 / 12.0)) {
    const Complex s(0.0, f / 300.0);
    hz.push_back(f);
    db.push_back(20.0 * std::log10(std::abs((1.0 + s) / (2.0 + s))));
  }
  const auto stone = baffle_step_stone(d, hz, db);
  ASSERT_TRUE(stone.has_value()) << stone.error().text();
  EXPECT_NEAR(stone->db, 5.7, 0.5);
  const double at_low = db.front() + taken_db(stone->parts, d, hz.front());
  for (std::size_t i = 0; i < hz.size(); ++i)
    EXPECT_NEAR(db[i] + taken_db(stone->parts, d, hz[i]), at_low, 0.6) << hz[i];
  EXPECT_FALSE(baffle_step_stone(d, hz, std::vector<double>(hz.size(), -6.0)).has_value());
}

TEST(SystemTargets, SlopesDipsAndDrawnOnesAddUp) {
  SystemTarget t{.slope_db_per_octave = -1.0};
  EXPECT_NEAR(t.at(4000.0), -2.0, 1e-12);
  t.slope_db_per_octave = 0.0;
  t.dip_db = 3.0;
  EXPECT_NEAR(t.at(std::sqrt(1000.0 * 5000.0)), -3.0, 1e-12);
  EXPECT_EQ(t.at(900.0), 0.0);
  EXPECT_EQ(t.at(5500.0), 0.0);
  t.dip_db = 0.0;
  t.drawn = {{100.0, 0.0}, {1000.0, 2.0}};
  EXPECT_NEAR(t.at(std::sqrt(1e5)), 1.0, 1e-12);
  EXPECT_EQ(t.at(10.0), 0.0);
  EXPECT_EQ(t.at(9000.0), 2.0);
}

/// Departure of a design's sum from a wanted run, an octave to each side, less its mean.
TEST(SystemTargets, DesignsFollowASlopeAndADip) {
  TwoWay t;
  t.behind_m = 0.01;
  const auto drivers = t.drivers();
  CrossoverWish w;
  w.low = "woofer";
  w.high = "tweeter";
  w.frequency_hz = 2200.0;
  w.order = 2;
  w.most_parts = 9;
  for (const SystemTarget& wanted :
       {SystemTarget{.slope_db_per_octave = -1.0}, SystemTarget{.dip_db = 2.0}}) {
    w.target = wanted;
    const auto design = crossover_design(drivers, w);
    ASSERT_TRUE(design.has_value()) << design.error().text();
    EXPECT_TRUE(design->possible) << design->verdict;
    const auto s = network_sum(design->network, drivers);
    std::vector<double> off;
    double mean = 0.0;
    for (std::size_t i = 0; i < s->axis.size(); ++i)
      if (s->axis[i] > 1100.0 && s->axis[i] < 4400.0) {
        off.push_back(20.0 * std::log10(std::abs(s->sum[i])) - wanted.at(s->axis[i]));
        mean += off.back();
      }
    mean /= static_cast<double>(off.size());
    for (const double x : off) EXPECT_LT(std::abs(x - mean), 1.1);
  }
}

}  // namespace
}  // namespace lalometer
