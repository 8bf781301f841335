#include "acoustics/baffle/diffraction.h"

#include "acoustics/baffle/rules.h"
#include "acoustics/baffle/sphere.h"
#include "acoustics/signal/quadrature.h"
#include "support/support.h"

namespace lalometer {
namespace {

constexpr double kC = 343.0;

Baffle kiosk(EdgeShape edge = EdgeShape::kSquare, double size = 0.0) {
  return *Baffle::make(
      {.width_m = 0.21, .height_m = 0.38, .depth_m = 0.30, .edge = edge, .edge_size_m = size});
}

double db(std::complex<double> z) {
  return 20.0 * std::log10(std::abs(z));
}

std::vector<double> levels(const Baffle& baffle, const BafflePiston& piston, const BafflePoint& at,
                           const std::vector<double>& f, DiffractionEffort effort) {
  const FrequencyAxis axis = *FrequencyAxis::make(f);
  const auto box = baffle_response(baffle, piston, at, axis, kC, effort);
  const auto infinite = infinite_baffle_response(piston, at, axis, kC);
  std::vector<double> out;
  for (std::size_t i = 0; i < box.size(); ++i) out.push_back(db(box[i] / infinite[i]));
  return out;
}

struct BoundaryElements {
  const char* what;
  double y_m;
  double angle_deg;
  double tolerance_db;
  std::vector<double> frequency_hz;
  std::vector<double> level_db;
};

class AgainstBoundaryElements : public ::testing::TestWithParam<BoundaryElements> {};

// Reference: tests/reference/baffle_bem.py (NumPy 1.24, SciPy 1.10), piston of 12.5 mm radius,
// listener at 2 m; its own error is about 0.2 dB (elements of a seventh of a wavelength; a fifth
// above 5 kHz). Asked for: 1 dB on the axis.
TEST_P(AgainstBoundaryElements, LevelsAgree) {
  const BoundaryElements& want = GetParam();
  const BafflePiston piston = *BafflePiston::make(kiosk(), 0.105, want.y_m, 0.0125);
  const BafflePoint at = point_at(0.105, want.y_m, 2.0, want.angle_deg * kPi / 180.0, 0.0);
  const auto got = levels(kiosk(), piston, at, want.frequency_hz, DiffractionEffort::kFine);
  for (std::size_t i = 0; i < got.size(); ++i) {
    ASSERT_TRUE(std::isfinite(got[i]));
    EXPECT_NEAR(got[i], want.level_db[i], want.tolerance_db) << want.frequency_hz[i] << " Hz";
  }
}

INSTANTIATE_TEST_SUITE_P(
    Diffraction, AgainstBoundaryElements,
    ::testing::Values(
        BoundaryElements{
            "centred on axis",
            0.19,
            0.0,
            0.6,
            {50,   100,  200,  300,  400,  500,  600,  700,  800,  1000, 1200,
             1400, 1600, 1800, 2000, 2500, 3000, 3500, 4000, 4500, 5000},
            {-5.513, -5.338, -4.151, -2.591, -1.529, -0.135, 1.624,  2.533, 2.700, 3.226, 2.498,
             1.203,  0.045,  -0.464, -0.268, 0.248,  -2.097, -1.010, 2.070, 1.186, -0.714}},
        BoundaryElements{"centred on axis, 6 to 10 kHz",
                         0.19,
                         0.0,
                         1.0,
                         {6000, 6500, 7000, 8000, 9000, 10000},
                         {-0.428, -1.147, 0.821, 0.213, -0.363, -0.048}},
        BoundaryElements{"100 mm above the middle",
                         0.29,
                         0.0,
                         0.6,
                         {100, 200, 400, 700, 1000, 1400, 2000, 2500, 3000, 3500, 4000, 4500, 5000},
                         {-5.398, -4.290, -1.977, 1.444, 1.975, 2.716, 1.456, -1.282, -3.035,
                          -0.911, 1.099, 1.274, 1.162}},
        // From 7 kHz on by bent_edge_bem.py with square edges and six elements to a wavelength;
        // with five, baffle_bem.py gives 1.080 and -0.610 dB at 7 and 8 kHz: so much is that
        // reference worth.
        BoundaryElements{"100 mm above the middle, 6 to 10 kHz",
                         0.29,
                         0.0,
                         1.0,
                         {6000, 7000, 8000, 9000, 10000},
                         {-0.301, 0.738, -0.071, -0.302, 0.001}},
        BoundaryElements{"centred at 45 degrees",
                         0.19,
                         45.0,
                         0.6,
                         {100, 300, 600, 1000, 1600, 2500},
                         {-5.615, -3.379, -0.338, 0.492, -1.896, 1.379}},
        BoundaryElements{"centred at 90 degrees",
                         0.19,
                         90.0,
                         1.1,
                         {100, 300, 600, 1000, 1600, 2500},
                         {-6.173, -5.961, -2.701, -4.906, -6.040, -5.034}},
        BoundaryElements{"centred at 135 degrees",
                         0.19,
                         135.0,
                         1.0,
                         {100, 300, 600, 1000, 1600, 2500},
                         {-6.457, -7.138, -10.383, -7.947, -9.194, -9.939}},
        BoundaryElements{"centred behind",
                         0.19,
                         180.0,
                         2.0,
                         {100, 300, 600, 1000, 1600, 2500},
                         {-6.456, -5.774, -4.813, -6.856, -15.912, -19.266}}),
    test::name_of_case);

// Frequencies of dips and peaks of more than 2 dB: tops of parabolas over log f through three
// neighbouring rows of the reference, and through the model at the same places. Asked for: 3 %.
TEST(Diffraction, DipsAndPeaksStandWhereTheReferenceHasThem) {
  struct Turn {
    double y_m;
    std::vector<double> frequency_hz;
    std::vector<double> level_db;
  };
  const Turn turns[] = {{0.19, {800, 1000, 1200}, {2.700, 3.226, 2.498}},
                        {0.19, {2500, 3000, 3500}, {0.248, -2.097, -1.010}},
                        {0.19, {3500, 4000, 4500}, {-1.010, 2.070, 1.186}},
                        {0.29, {2500, 3000, 3500}, {-1.282, -3.035, -0.911}}};
  const auto top_hz = [](const std::vector<double>& f, const std::vector<double>& v) {
    const double a = std::log(f[0]);
    const double b = std::log(f[1]);
    const double c = std::log(f[2]);
    const double up = (v[1] - v[0]) / (b - a);
    const double down = (v[2] - v[1]) / (c - b);
    const double curve = (down - up) / (c - a);
    return std::exp(0.5 * (a + b) - 0.5 * up / curve);
  };
  for (const Turn& turn : turns) {
    const BafflePiston piston = *BafflePiston::make(kiosk(), 0.105, turn.y_m, 0.0125);
    const BafflePoint at = point_at(0.105, turn.y_m, 2.0, 0.0, 0.0);
    const auto got = levels(kiosk(), piston, at, turn.frequency_hz, DiffractionEffort::kFine);
    const double wanted = top_hz(turn.frequency_hz, turn.level_db);
    EXPECT_NEAR(top_hz(turn.frequency_hz, got), wanted, 0.03 * wanted) << turn.frequency_hz[1];
  }
}

struct BentEdge {
  const char* what;
  EdgeShape shape;
  double inset_m;
  double y_m;
  double tolerance_db;
  std::vector<double> frequency_hz;
  std::vector<double> level_db;
};

class AgainstBentBoundaryElements : public ::testing::TestWithParam<BentEdge> {};

// Reference: tests/reference/bent_edge_bem.py (NumPy 1.24) with six elements to a wavelength,
// piston of 12.5 mm radius, on the axis at 2 m; with square edges it gives the rows above within
// 0.02 dB.
TEST_P(AgainstBentBoundaryElements, LevelsAgree) {
  const BentEdge& want = GetParam();
  const double size =
      want.shape == EdgeShape::kChamfered ? want.inset_m * std::sqrt(2.0) : want.inset_m;
  const Baffle baffle = kiosk(want.shape, size);
  const BafflePiston piston = *BafflePiston::make(baffle, 0.105, want.y_m, 0.0125);
  const BafflePoint at = point_at(0.105, want.y_m, 2.0, 0.0, 0.0);
  const auto got = levels(baffle, piston, at, want.frequency_hz, DiffractionEffort::kFine);
  for (std::size_t i = 0; i < got.size(); ++i)
    EXPECT_NEAR(got[i], want.level_db[i], want.tolerance_db) << want.frequency_hz[i] << " Hz";
}

INSTANTIATE_TEST_SUITE_P(
    Diffraction, AgainstBentBoundaryElements,
    // None of these was used for the fit but the last (docs/decisions/diffraction.md).
    ::testing::Values(BentEdge{"round, 25 mm",
                               EdgeShape::kRound,
                               0.025,
                               0.22,
                               0.6,
                               {700, 1100, 1600, 2200, 2800, 3400, 4000, 4600},
                               {1.949, 2.735, 0.870, 0.111, -0.916, -0.716, -0.456, -0.657}},
                      BentEdge{"chamfered, 25 mm",
                               EdgeShape::kChamfered,
                               0.025,
                               0.22,
                               0.6,
                               {700, 1100, 1600, 2200, 2800, 3400, 4000},
                               {1.687, 2.470, 0.917, 0.412, -0.191, -0.978, -0.688}},
                      BentEdge{"round, 20 mm",
                               EdgeShape::kRound,
                               0.02,
                               0.25,
                               0.6,
                               {800, 1200, 1800, 2400, 3000, 3600, 4200, 5000},
                               {1.846, 2.238, 1.529, -1.379, -1.218, 0.040, 0.580, 0.170}},
                      BentEdge{"chamfered, 20 mm",
                               EdgeShape::kChamfered,
                               0.02,
                               0.25,
                               0.6,
                               {800, 1200, 1800, 2400, 3000, 3600, 4200},
                               {1.651, 2.081, 1.399, -0.481, -1.098, -0.450, -0.158}},
                      BentEdge{"round, 15 mm",
                               EdgeShape::kRound,
                               0.015,
                               0.19,
                               0.6,
                               {1000, 1500, 2000, 3000, 4000, 5000, 6000},
                               {3.003, 0.867, -0.168, -1.053, 0.533, -0.008, 0.058}}),
    test::name_of_case);

// tests/reference/baffle_bem.py at 2 m, 100 Hz, a quarter of the step: the acoustic centre lies
// some 110 mm before the front, so the listener is nearer to it there and farther behind.
TEST(Diffraction, TheAcousticCentreLiesBeforeTheFront) {
  const BafflePiston piston = *BafflePiston::make(kiosk(), 0.105, 0.19, 0.0125);
  for (const auto& [angle, want] : std::vector<std::pair<double, double>>{
           {0.0, -5.338}, {45.0, -5.615}, {90.0, -6.173}, {135.0, -6.457}, {180.0, -6.456}}) {
    const auto got = levels(kiosk(), piston, point_at(0.105, 0.19, 2.0, angle * kPi / 180.0, 0.0),
                            {100.0}, DiffractionEffort::kFine);
    EXPECT_NEAR(got[0], want, 0.35) << angle;
  }
}

// From afar: at 20 m the acoustic centre still makes 0.05 dB before the box.
TEST(Diffraction, LowFrequencyLimitIsSixDecibelsInEveryDirection) {
  const BafflePiston piston = *BafflePiston::make(kiosk(), 0.08, 0.29, 0.03);
  for (const double angle : {0.0, 40.0, 90.0, 140.0, 180.0}) {
    for (const DiffractionEffort effort : {DiffractionEffort::kCoarse, DiffractionEffort::kFine}) {
      const auto got =
          baffle_response(kiosk(), piston, point_at(0.08, 0.29, 100.0, angle * kPi / 180.0, 0.0),
                          *FrequencyAxis::make({1.0, 2.0}), kC, effort);
      EXPECT_NEAR(db(got[0]), 20.0 * std::log10(0.5), 0.02) << angle;
    }
  }
}

TEST(Diffraction, HighFrequencyLimitOnAxisIsTheInfiniteBaffle) {
  // A piston that beams leaves the edges alone: ka = 20 at the top.
  const BafflePiston piston = *BafflePiston::make(kiosk(), 0.105, 0.19, 0.055);
  for (const double level : levels(kiosk(), piston, point_at(0.105, 0.19, 3.0, 0.0, 0.0),
                                   {14000, 17000, 20000}, DiffractionEffort::kFine)) {
    EXPECT_NEAR(level, 0.0, 0.35);
  }
}

TEST(Diffraction, MirroredPlacesSoundAlikeAndReciprocalSidesAgree) {
  const BafflePiston left = *BafflePiston::make(kiosk(), 0.07, 0.25, 0.02);
  const BafflePiston right = *BafflePiston::make(kiosk(), 0.14, 0.25, 0.02);
  const std::vector<double> f = {200, 700, 1500, 4000, 9000};
  const auto a =
      levels(kiosk(), left, point_at(0.07, 0.25, 2.0, 0.5, 0.0), f, DiffractionEffort::kFine);
  const auto b =
      levels(kiosk(), right, point_at(0.14, 0.25, 2.0, -0.5, 0.0), f, DiffractionEffort::kFine);
  test::expect_near(a, b, 0.02);
}

TEST(Diffraction, CoarseIsNearFineAndTheirDifferenceIsSmallAboveTheStep) {
  const BafflePiston piston = *BafflePiston::make(kiosk(), 0.105, 0.23, 0.03);
  const std::vector<double> f = {100, 300, 700, 1500, 3000, 6000};
  const BafflePoint at = point_at(0.105, 0.23, 1.0, 0.0, 0.0);
  const auto coarse = levels(kiosk(), piston, at, f, DiffractionEffort::kCoarse);
  const auto fine = levels(kiosk(), piston, at, f, DiffractionEffort::kFine);
  for (std::size_t i = 0; i < f.size(); ++i)
    EXPECT_NEAR(coarse[i], fine[i], f[i] < 700 ? 0.5 : 0.3) << f[i];
}

// Common practice, no source: a round edge helps from about the wavelength comparable with its
// radius upward.
TEST(Diffraction, ARoundEdgeCalmsTheRippleAboveItsRadius) {
  const std::vector<double> high = {6000, 6500, 7000, 7500, 8000, 8500, 9000, 9500, 10000};
  const std::vector<double> low = {300, 400, 500, 600, 700, 800};
  const auto ripple = [&](EdgeShape shape, double size, const std::vector<double>& f) {
    const Baffle baffle = kiosk(shape, size);
    const BafflePiston piston = *BafflePiston::make(baffle, 0.105, 0.28, 0.013);
    return ripple_db(
        f,
        levels(baffle, piston, point_at(0.105, 0.28, 2.0, 0.0, 0.0), f, DiffractionEffort::kFine),
        f.front(), f.back());
  };
  EXPECT_LT(ripple(EdgeShape::kRound, 0.04, high), 0.5 * ripple(EdgeShape::kSquare, 0.0, high));
  EXPECT_NEAR(ripple(EdgeShape::kRound, 0.04, low), ripple(EdgeShape::kSquare, 0.0, low), 0.45);
  EXPECT_NEAR(ripple(EdgeShape::kRound, 0.0, high), ripple(EdgeShape::kSquare, 0.0, high), 1e-9)
      << "a radius of 0 is a square edge";
}

TEST(Baffle, ImpossibleGeometryIsSaidAtThePlace) {
  EXPECT_FALSE(Baffle::make({.width_m = 0.0,
                             .height_m = 0.3,
                             .depth_m = 0.3,
                             .edge = EdgeShape::kSquare,
                             .edge_size_m = 0})
                   .has_value());
  EXPECT_FALSE(Baffle::make({.width_m = 0.1,
                             .height_m = 0.3,
                             .depth_m = 0.3,
                             .edge = EdgeShape::kRound,
                             .edge_size_m = 0.06})
                   .has_value());
  const auto off = BafflePiston::make(kiosk(), 0.205, 0.19, 0.0825);
  ASSERT_FALSE(off.has_value());
  EXPECT_NE(off.error().message.find("flat front"), std::string::npos);
}

// Check values of the trade (common practice, no source): an edge 39 to 40 mm away acts near 8.5 to
// 9 kHz, one 152 mm away near 2.2 to 2.3 kHz.
TEST(EdgeRules, AreThoseOfTheTrade) {
  const Baffle baffle = *Baffle::make({.width_m = 0.2,
                                       .height_m = 0.4,
                                       .depth_m = 0.3,
                                       .edge = EdgeShape::kSquare,
                                       .edge_size_m = 0});
  const auto edges =
      edge_rules(baffle, *BafflePiston::make(baffle, 0.0395, 0.4 - 0.152, 0.013), kC);
  EXPECT_EQ(edges[0].name, "left");
  EXPECT_NEAR(edges[0].first_dip_hz, 8700.0, 100.0);
  EXPECT_EQ(edges[1].name, "top");
  EXPECT_NEAR(edges[1].first_dip_hz, 2256.0, 5.0);
  EXPECT_NEAR(edges[1].first_peak_hz, 1128.0, 3.0);
  const auto centred =
      equal_edges(edge_rules(kiosk(), *BafflePiston::make(kiosk(), 0.105, 0.19, 0.013), kC));
  ASSERT_EQ(centred.size(), 2U) << "left with right, top with bottom";
  EXPECT_NEAR(centred[0].distance_m, 0.105, 1e-9);
}

// Reference: tests/reference/sphere.py, SciPy 1.10.1 (spherical_jn, spherical_yn, their own
// derivatives): sphere of 0.15 m radius, listener 2 m from its centre, on axis and at 120 degrees.
TEST(Sphere, EqualsItsSeriesByScipy) {
  const std::vector<double> f = {20, 100, 300, 600, 1000, 2000, 4000};
  const std::vector<double> axis_db = {-5.6908, -5.5892, -3.6326, -2.1964,
                                       -1.2774, -0.4546, -0.1652};
  const std::vector<double> back_db = {-6.1987, -6.2908, -6.9401, -8.3983,
                                       -7.2508, -7.9984, -9.2993};
  const FrequencyAxis axis = *FrequencyAxis::make(f);
  const auto front = sphere_response(0.15, 2.0, 0.0, axis, kC);
  const auto back = sphere_response(0.15, 2.0, 2.0 * kPi / 3.0, axis, kC);
  for (std::size_t i = 0; i < f.size(); ++i) {
    EXPECT_NEAR(db(front[i]), axis_db[i], 0.01) << f[i];
    EXPECT_NEAR(db(back[i]), back_db[i], 0.01) << f[i];
  }
}

TEST(GaussLegendre, IsExactForPolynomials) {
  const GaussLegendre& rule = gauss_legendre(6);
  double tenth = 0.0;
  double odd = 0.0;
  for (std::size_t i = 0; i < rule.node.size(); ++i) {
    tenth += rule.weight[i] * std::pow(rule.node[i], 10);
    odd += rule.weight[i] * std::pow(rule.node[i], 7);
  }
  EXPECT_NEAR(tenth, 2.0 / 11.0, 1e-14);
  EXPECT_NEAR(odd, 0.0, 1e-14);
}

TEST(Diffraction, AChamferActsBetweenSquareAndRound) {
  const std::vector<double> f = {5000, 5500, 6000, 6500, 7000, 7500, 8000};
  const auto ripple = [&](EdgeShape shape, double size) {
    const Baffle baffle = kiosk(shape, size);
    const BafflePiston piston = *BafflePiston::make(baffle, 0.105, 0.28, 0.013);
    return ripple_db(
        f,
        levels(baffle, piston, point_at(0.105, 0.28, 2.0, 0.0, 0.0), f, DiffractionEffort::kFine),
        f.front(), f.back());
  };
  EXPECT_LT(ripple(EdgeShape::kChamfered, 0.04), ripple(EdgeShape::kSquare, 0.0));
  EXPECT_NEAR(kiosk(EdgeShape::kChamfered, 0.04).bend_inset_m(), 0.04 / std::sqrt(2.0), 1e-12);
  EXPECT_EQ(kiosk().bend_inset_m(), 0.0);
}

TEST(Diffraction, FarAwayTheRippleNoLongerHangsOnTheDistance) {
  const BafflePiston piston = *BafflePiston::make(kiosk(), 0.09, 0.27, 0.013);
  const std::vector<double> f = {200, 800, 2500, 6000};
  const auto at = [&](double distance) {
    return levels(kiosk(), piston, point_at(0.09, 0.27, distance, 0.0, 0.0), f,
                  DiffractionEffort::kFine);
  };
  test::expect_near(at(20.0), at(60.0), 0.05);
}

TEST(Diffraction, IsContinuousThroughTheFrontsPlane) {
  const BafflePiston piston = *BafflePiston::make(kiosk(), 0.105, 0.19, 0.013);
  const FrequencyAxis axis = *FrequencyAxis::make({300.0, 1000.0, 3000.0});
  std::vector<std::complex<double>> before;
  for (double degrees = 80.0; degrees <= 97.0; degrees += 1.0) {
    const auto now =
        baffle_response(kiosk(), piston, point_at(0.105, 0.19, 2.0, degrees * kPi / 180.0, 0.0),
                        axis, kC, DiffractionEffort::kFine);
    for (std::size_t i = 0; i < before.size(); ++i) {
      EXPECT_LT(std::abs(now[i] - before[i]), 0.06) << degrees << " degrees, " << axis[i] << " Hz";
    }
    before = now;
  }
}

TEST(HalfStep, IsWhereTheCurveRisesThroughMinusThree) {
  EXPECT_NEAR(*half_step_hz({100, 200, 400}, {-6.0, -4.0, -2.0}), 200.0 * std::sqrt(2.0), 0.01);
  EXPECT_FALSE(half_step_hz({100, 200}, {-1.0, 0.0}).has_value());
  EXPECT_EQ(ripple_db({100, 200}, {1.0, 1.0}, 50, 500), 0.0);
  EXPECT_NEAR(ripple_db({100, 200}, {1.0, -1.0}, 50, 500), 1.0, 1e-12);
}

}  // namespace
}  // namespace lalometer
