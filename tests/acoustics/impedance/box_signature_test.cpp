#include "acoustics/impedance/box_signature.h"

#include "acoustics/enclosure/driver_circuit.h"
#include "support/support.h"

namespace lalometer {
namespace {

using test::curve_from;

DriverParameters driver() {
  return elements_of({.fs_hz = 40.0,
                      .qms = 5.0,
                      .qes = 0.4,
                      .vas_m3 = 0.03,
                      .sd_m2 = 0.0132,
                      .re_ohm = 5.6,
                      .le_h = 1e-6});
}

Response impedance(const BoxLoad& box) {
  return curve_from([&](double f) { return solve_driver(driver(), box, f).impedance_ohm; },
                    Quantity::kImpedance, 10.0, 20000.0, 96.0);
}

// Small 1972: the three-frequency method is exact for a driver without inductance when Re is known.
TEST(ClosedSignature, GivesTheDriversOwnFigures) {
  const auto s = closed_signature(impedance({}), 5.6);
  ASSERT_TRUE(s.has_value());
  EXPECT_NEAR(s->resonance_hz, 40.0, 0.02);
  EXPECT_NEAR(s->qms, 5.0, 0.03);
  EXPECT_NEAR(s->qes, 0.4, 0.003);
}

TEST(ClosedSignature, SeesNoHumpInAResistor) {
  EXPECT_FALSE(
      closed_signature(curve_from([](double) { return 8.0; }, Quantity::kImpedance), std::nullopt)
          .has_value());
}

// Small 1972: fc = fs sqrt(1 + Vas/Vb).
TEST(ClosedSignature, OfASealedBoxIsRaisedByTheCompliance) {
  const auto s = closed_signature(
      impedance({.kind = BoxLoad::Kind::kSealed, .volume_m3 = 0.01, .tuning_hz = 40.0}), 5.6);
  ASSERT_TRUE(s.has_value());
  EXPECT_NEAR(s->resonance_hz, 40.0 * std::sqrt(1.0 + 3.0), 0.1);
}

TEST(VentedSignature, FindsTheTuningWithinHalfAPerCent) {
  for (const double tuning : {35.0, 40.0, 48.0}) {
    const auto s = vented_signature(
        impedance(
            {.kind = BoxLoad::Kind::kVented, .volume_m3 = 0.02, .ql = 7.0, .tuning_hz = tuning}),
        5.6, std::nullopt);
    ASSERT_TRUE(s.has_value());
    EXPECT_LT(s->low_peak_hz, s->tuning_hz);
    EXPECT_LT(s->tuning_hz, s->high_peak_hz);
    EXPECT_NEAR(s->tuning_hz, tuning, tuning * (std::abs(tuning - 40.0) < 1.0 ? 0.005 : 0.03))
        << "fB away from fs: the leak's phase counts";
  }
}

TEST(VentedSignature, FindsTheLeakWithinFifteenPerCentWithFreeAirFigures) {
  const auto free_air = closed_signature(impedance({}), 5.6);
  for (const double ql : {3.0, 7.0, 20.0}) {
    const auto s = vented_signature(
        impedance({.kind = BoxLoad::Kind::kVented, .volume_m3 = 0.02, .ql = ql, .tuning_hz = 40.0}),
        5.6, free_air);
    ASSERT_TRUE(s.has_value() && s->ql.has_value()) << ql;
    EXPECT_NEAR(*s->ql, ql, 0.15 * ql);
  }
}

TEST(VentedSignature, IsNotReadIntoASingleHump) {
  EXPECT_FALSE(vented_signature(impedance({}), 5.6, std::nullopt).has_value());
}

// Lists are rounded: the top of a hump may have two rows alike, and noise between them.
TEST(ImpedancePeaks, OfTwoEqualRowsOnOneTopOneIsThePeak) {
  const auto tied = curve_from(
      [](double f) {
        const double x = std::log2(f / 60.0);
        const double dent = std::abs(x) < 0.012 ? 0.01 : 0.0;
        return std::min(16.0, std::round(1e3 * (17.0 - 60.0 * x * x)) / 1e3) > 6.0
                   ? std::min(16.0, 17.0 - 60.0 * x * x) - dent
                   : 6.0;
      },
      Quantity::kImpedance, 10.0, 1000.0, 48.0);
  EXPECT_EQ(impedance_peaks(tied, 0.1).size(), 1U);
}

TEST(ImpedanceMinimum, IsRefinedBetweenPoints) {
  const Response z = curve_from([](double f) { return 5.0 + std::pow(std::log(f / 231.0), 2); },
                                Quantity::kImpedance, 20.0, 20000.0, 6.0);
  const auto minimum = impedance_minimum(z);
  ASSERT_TRUE(minimum.has_value());
  EXPECT_NEAR(minimum->frequency_hz, 231.0, 0.5);
  EXPECT_NEAR(minimum->magnitude_ohm, 5.0, 1e-6);
}

// IEC 60268-5: the lowest magnitude is not below 80 % of the rated impedance.
TEST(NominalImpedance, LeavesTheMinimumAtLeastEightyPerCent) {
  EXPECT_EQ(nominal_impedance_ohm(6.4), 8.0);
  EXPECT_EQ(nominal_impedance_ohm(6.39), 6.0);
  EXPECT_EQ(nominal_impedance_ohm(3.2), 4.0);
  EXPECT_FALSE(nominal_impedance_ohm(1.0).has_value());
}

TEST(PeakDissipation, OfAResistorIsTheResistor) {
  EXPECT_NEAR(peak_dissipation_resistance_ohm(8.0), 8.0, 1e-6);
}

// Closed form for a pure reactance: (1 - sin x) sin(x - phi) with phi = -90 deg has its maximum 3
// sqrt(3)/4 at x = -30 deg.
TEST(PeakDissipation, OfACapacitorIsThatOfAFifthOfItsMagnitude) {
  EXPECT_NEAR(peak_dissipation_resistance_ohm({0.0, -8.0}), 8.0 / (3.0 * std::sqrt(3.0)), 1e-6);
}

}  // namespace
}  // namespace lalometer
