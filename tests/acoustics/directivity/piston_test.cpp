#include "acoustics/directivity/piston.h"

#include "acoustics/baffle/position_map.h"
#include "acoustics/network/filter.h"
#include "support/support.h"

namespace lalometer {
namespace {

constexpr double kC = 343.0;

double db(std::complex<double> z) {
  return 20.0 * std::log10(std::abs(z));
}

// Beranek, Acoustics: -3 dB at k a sin = 1.61, -6 dB at 2.21, null at 3.83.
TEST(Piston, FallsAsBeranekSays) {
  const double a = 0.05;
  for (const auto& [x, level] : {std::pair{1.61, -3.0}, {2.21, -6.0}}) {
    const double f = x * kC / (2.0 * kPi * a);
    EXPECT_NEAR(db(piston_directivity(a, 0.5 * kPi, f, kC)), level, 0.05);
    EXPECT_NEAR(piston_angle_rad(a, -level, 2.0 * f, kC), kPi / 6.0, 0.005)
        << "half the sine at twice the frequency";
  }
  EXPECT_NEAR(piston_directivity(a, 0.5 * kPi, 3.8317 * kC / (2.0 * kPi * a), kC), 0.0, 1e-4);
  EXPECT_EQ(piston_angle_rad(a, 6.0, 100.0, kC), 0.5 * kPi) << "never, at so low a frequency";
}

// The same piston as points in an infinite baffle: two ways to one figure.
TEST(Piston, AgreesWithItsPointsInTheWall) {
  const Baffle wall = *Baffle::make({.width_m = 2.0,
                                     .height_m = 2.0,
                                     .depth_m = 0.2,
                                     .edge = EdgeShape::kSquare,
                                     .edge_size_m = 0.0});
  const BafflePiston piston = *BafflePiston::make(wall, 1.0, 1.0, 0.05);
  const FrequencyAxis axis = *FrequencyAxis::make({500.0, 1500.0, 3000.0, 5000.0});
  const auto points =
      infinite_baffle_response(piston, point_at(1.0, 1.0, 50.0, 0.6, 0.0), axis, kC);
  for (std::size_t i = 0; i < axis.size(); ++i) {
    EXPECT_NEAR(std::abs(points[i]), piston_directivity(0.05, 0.6, axis[i], kC), 0.01) << axis[i];
  }
}

TEST(Piston, ShrinksAboveItsBreakUp) {
  EXPECT_EQ(effective_radius_m(0.06, 0.0, 9000.0), 0.06);
  EXPECT_EQ(effective_radius_m(0.06, 2000.0, 1500.0), 0.06);
  EXPECT_NEAR(effective_radius_m(0.06, 2000.0, 8000.0), 0.03, 1e-12);
}

TEST(SourceSum, TwoInPhaseHaveTheirNullWhereThePathsDifferByHalfAWave) {
  const double spacing = 0.16;
  const double f = 2200.0;
  const double null = *first_lobing_null_rad(spacing, f, kC);
  EXPECT_NEAR(std::sin(null), kC / f / (2.0 * spacing), 1e-12);
  const std::vector<SummedSource> pair = {{{0.0, 0.5 * spacing, 0.0}, 1.0, 0.0},
                                          {{0.0, -0.5 * spacing, 0.0}, 1.0, 0.0}};
  const auto at = [&](double angle) {
    return std::abs(summed_pressure_pa(pair, point_at(0.0, 0.0, 100.0, 0.0, angle), f, kC)) * 100.0;
  };
  EXPECT_NEAR(at(0.0), 2.0, 1e-3);
  EXPECT_LT(at(null), 0.01);
  // One of them inverted: null on the axis, sum where it was not.
  std::vector<SummedSource> opposed = pair;
  opposed[0].pressure_1m_pa = -1.0;
  EXPECT_LT(std::abs(summed_pressure_pa(opposed, point_at(0.0, 0.0, 100.0, 0.0, 0.0), f, kC)),
            1e-6);
  EXPECT_FALSE(first_lobing_null_rad(0.05, 1000.0, kC).has_value());
}

TEST(SourceSum, LevelFallsWithDistanceAndPhaseTurnsWithThePath) {
  const std::vector<SummedSource> one = {{{0.0, 0.0, 0.0}, {0.3, 0.1}, 0.0}};
  const auto p = summed_pressure_pa(one, {0.0, 0.0, 4.0}, 343.0, kC);
  EXPECT_NEAR(std::abs(p), std::hypot(0.3, 0.1) / 4.0, 1e-12);
  EXPECT_NEAR(std::arg(p), std::arg(std::complex<double>(0.3, 0.1)), 1e-9)
      << "four whole wavelengths";
}

ActiveFilter filter(FilterShape shape, FilterPass pass, int order, double corner = 1000.0) {
  return *ActiveFilter::make({shape, pass, order, corner});
}

// Closed form: |H|^2 = 1 / (1 + (f/fc)^2n).
TEST(Filter, ButterworthIsMaximallyFlat) {
  for (int n = 1; n <= 4; ++n) {
    for (const double f : {100.0, 700.0, 1000.0, 3000.0}) {
      EXPECT_NEAR(std::norm(filter(FilterShape::kButterworth, FilterPass::kLow, n).at(f)),
                  1.0 / (1.0 + std::pow(f / 1000.0, 2 * n)), 1e-12);
      EXPECT_NEAR(std::norm(filter(FilterShape::kButterworth, FilterPass::kHigh, n).at(f)),
                  1.0 / (1.0 + std::pow(1000.0 / f, 2 * n)), 1e-12);
    }
  }
}

// Linkwitz 1976: -6 dB each at the corner; order 4 sums to an all-pass in phase, order 2 with one
// way inverted.
TEST(Filter, LinkwitzRileySumsToAnAllPass) {
  for (const double f : {50.0, 400.0, 1000.0, 2500.0, 15000.0}) {
    for (const int order : {2, 4}) {
      const auto low = filter(FilterShape::kLinkwitzRiley, FilterPass::kLow, order).at(f);
      const auto high = filter(FilterShape::kLinkwitzRiley, FilterPass::kHigh, order).at(f);
      EXPECT_NEAR(std::abs(order == 4 ? low + high : low - high), 1.0, 1e-12) << f;
    }
  }
  EXPECT_NEAR(db(filter(FilterShape::kLinkwitzRiley, FilterPass::kLow, 4).at(1000.0)), -6.0206,
              1e-3);
  EXPECT_FALSE(
      ActiveFilter::make({FilterShape::kLinkwitzRiley, FilterPass::kLow, 3, 1000.0}).has_value());
  EXPECT_FALSE(ActiveFilter::make({FilterShape::kBessel, FilterPass::kLow, 5, 1000.0}).has_value());
  EXPECT_FALSE(ActiveFilter::make({FilterShape::kBessel, FilterPass::kLow, 2, 0.0}).has_value());
}

// Reference: scipy.signal.bessel(n, 1, analog=True, norm="mag") at w = 0.5 and 2, SciPy 1.10.1.
TEST(Filter, BesselEqualsScipys) {
  const std::vector<std::pair<double, double>> want = {
      {-0.9691, -6.9897}, {-0.7129, -9.8153}, {-0.6892, -12.0003}, {-0.7051, -13.4054}};
  for (int n = 1; n <= 4; ++n) {
    const ActiveFilter low = filter(FilterShape::kBessel, FilterPass::kLow, n);
    EXPECT_NEAR(db(low.at(1000.0)), -3.0103, 1e-4) << n;
    EXPECT_NEAR(db(low.at(500.0)), want[static_cast<std::size_t>(n - 1)].first, 1e-3) << n;
    EXPECT_NEAR(db(low.at(2000.0)), want[static_cast<std::size_t>(n - 1)].second, 1e-3) << n;
  }
}

TEST(ActiveWay, GainDelayAndPolarityAreApplied) {
  const ActiveWay way{.filters = {}, .gain_db = 6.0206, .delay_s = 0.00025, .inverted = true};
  const auto h = way.at(1000.0);
  EXPECT_NEAR(std::abs(h), 2.0, 1e-4);
  EXPECT_NEAR(test::wrapped_deg(std::arg(h) * 180.0 / kPi - 90.0), 0.0, 1e-6)
      << "a quarter turn late and inverted";
}

TEST(PositionMap, TheMiddleOfASquareIsTheWorstPlaceAndTheBestIsOffIt) {
  const Baffle square = *Baffle::make({.width_m = 0.3,
                                       .height_m = 0.3,
                                       .depth_m = 0.25,
                                       .edge = EdgeShape::kSquare,
                                       .edge_size_m = 0.0});
  const RippleBand band{.low_hz = 1000.0, .high_hz = 8000.0};
  const auto map = map_positions(square, 0.013, band, 9, 9, kC);
  ASSERT_TRUE(map.has_value());
  const double middle = map->ripple_db[4 * 9 + 4];
  EXPECT_LT(map->best_ripple_db, 0.6 * middle) << "four equal edges add up";
  // Mirrored places are alike.
  EXPECT_NEAR(map->ripple_db[2 * 9 + 3], map->ripple_db[2 * 9 + 5], 0.02);
  EXPECT_NEAR(map->ripple_db[2 * 9 + 3], map->ripple_db[3 * 9 + 2], 0.02);
  std::stop_source stop;
  stop.request_stop();
  EXPECT_EQ(map_positions(square, 0.013, band, 9, 9, kC, stop.get_token()).error().code,
            ErrorCode::kCancelled);
  EXPECT_FALSE(map_positions(square, 0.2, band, 9, 9, kC).has_value());
}

}  // namespace
}  // namespace lalometer
