// The equivalent circuit behind all impedance fits: its values against formulas written out anew,
// its gradient against differences, the fitter on problems with a known answer.
#include "acoustics/impedance/fit/impedance_model.h"

#include <gtest/gtest.h>

#include "acoustics/impedance/estimate.h"
#include "acoustics/impedance/fit/driver_fit.h"
#include "support/support.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;
using Slot = ImpedanceModel::Slot;

std::vector<MotorShape> all_shapes() {
  std::vector<MotorShape> shapes;
  for (const CoilModel coil :
       {CoilModel::kPlain, CoilModel::kShunted, CoilModel::kPowerLaw, CoilModel::kTwoPower}) {
    for (const BackLoad back : {BackLoad::kNone, BackLoad::kVented, BackLoad::kRadiator}) {
      for (const bool more : {false, true}) {
        MotorShape shape;
        shape.coil = coil;
        shape.back = back;
        shape.creep = more;
        shape.second = more;
        shape.crossover = more;
        shape.absorbing = more && back != BackLoad::kNone;
        shape.port_loss = shape.absorbing;
        shapes.push_back(shape);
        shape.port_loss_rises = shape.port_loss;
        if (shape.port_loss) shapes.push_back(shape);
      }
    }
  }
  return shapes;
}

/// Usual numbers for every element.
std::vector<double> usual(const ImpedanceModel& model) {
  std::vector<double> t(model.size());
  const auto put = [&](Slot slot, std::initializer_list<double> values) {
    std::size_t k = model.at(slot);
    for (const double v : values) t[k++] = v;
  };
  put(Slot::kRe, {std::log(5.6)});
  put(Slot::kFs, {std::log(41.0)});
  put(Slot::kQms, {std::log(4.0)});
  put(Slot::kRes, {std::log(48.0)});
  switch (model.shape().coil) {
    case CoilModel::kPlain:
      put(Slot::kCoil, {std::log(0.5e-3)});
      break;
    case CoilModel::kShunted:
      put(Slot::kCoil, {std::log(0.3e-3), std::log(0.6e-3), std::log(7.0)});
      break;
    case CoilModel::kPowerLaw:
      put(Slot::kCoil, {std::log(3.0), 0.65});
      break;
    case CoilModel::kTwoPower:
      put(Slot::kCoil, {std::log(1.5), std::log(2.6), 0.7, 0.62});
      break;
  }
  if (model.shape().back != BackLoad::kNone)
    put(Slot::kAlpha, {std::log(1.7), std::log(47.0), std::log(7.0)});
  if (model.shape().back == BackLoad::kRadiator) put(Slot::kOwn, {std::log(0.4), std::log(9.0)});
  if (model.shape().absorbing) put(Slot::kAbsorption, {std::log(15.0)});
  if (model.shape().port_loss) put(Slot::kPortLoss, {std::log(11.0)});
  if (model.shape().creep) put(Slot::kCreep, {0.09});
  if (model.shape().second) put(Slot::kSecond, {std::log(3.0), std::log(180.0), std::log(3.5)});
  if (model.shape().crossover)
    put(Slot::kCrossover, {std::log(9e-6), std::log(2.2), std::log(0.7e-3), std::log(7e-6)});
  return t;
}

// A wrong derivative makes a fit slow or stuck and its uncertainty wrong, and nothing else tells.
TEST(ImpedanceModelTest, GradientAgreesWithDifferences) {
  for (const MotorShape& shape : all_shapes()) {
    const ImpedanceModel model(shape);
    const std::vector<double> t = usual(model);
    std::vector<Complex> g(model.size());
    for (const double f : {9.0, 33.0, 47.0, 90.0, 400.0, 3000.0}) {
      (void)model.evaluate(t, f, g);
      for (std::size_t k = 0; k < t.size(); ++k) {
        std::vector<double> up = t;
        std::vector<double> down = t;
        up[k] += 1e-5;
        down[k] -= 1e-5;
        const Complex slope = (model.evaluate(up, f, {}) - model.evaluate(down, f, {})) / 2e-5;
        ASSERT_LT(std::abs(slope - g[k]), 1e-5 * (1.0 + std::abs(slope)))
            << "coil " << static_cast<int>(shape.coil) << " back " << static_cast<int>(shape.back)
            << " parameter " << k << " at " << f;
      }
    }
  }
}

TEST(ImpedanceModelTest, UsualNumbersLieWithinTheLimits) {
  for (const MotorShape& shape : all_shapes()) {
    const ImpedanceModel model(shape);
    const auto limits = model.limits();
    const auto t = usual(model);
    ASSERT_EQ(limits.size(), t.size());
    for (std::size_t k = 0; k < t.size(); ++k) {
      EXPECT_GT(t[k], limits[k].low) << k;
      EXPECT_LT(t[k], limits[k].high) << k;
    }
  }
}

// Leach 2002: K (j w)^n has the constant phase n 90 degrees and rises with w^n.
TEST(VoiceCoilTest, APowerLawHasAConstantPhase) {
  const VoiceCoil coil{CoilModel::kPowerLaw, {4.0, 0.6}};
  for (const double f : {50.0, 1000.0, 15000.0}) {
    const Complex z = coil.impedance_ohm(f);
    EXPECT_NEAR(std::arg(z) * 180.0 / kPi, 54.0, 1e-9);
    EXPECT_NEAR(std::abs(z), 4.0 * std::pow(f / 1000.0, 0.6), 1e-9);
  }
}

// Wright 1990: resistance and reactance each rise with a power of their own.
TEST(VoiceCoilTest, TwoPowersRiseByThemselves) {
  const VoiceCoil coil{CoilModel::kTwoPower, {1.2, 2.5, 0.8, 0.6}};
  const Complex low = coil.impedance_ohm(500.0);
  const Complex high = coil.impedance_ohm(4000.0);
  EXPECT_NEAR(high.real() / low.real(), std::pow(8.0, 0.8), 1e-9);
  EXPECT_NEAR(high.imag() / low.imag(), std::pow(8.0, 0.6), 1e-9);
}

// A shorted turn is a second inductance with a resistance across: both inductances in series far
// below its corner, the first one and the resistance far above.
TEST(VoiceCoilTest, AShortedTurnIsBothInductancesBelowAndOneAbove) {
  const VoiceCoil coil{CoilModel::kShunted, {0.3e-3, 0.6e-3, 5.0}};
  EXPECT_NEAR(coil.inductance_h(5.0), 0.9e-3, 1e-7);
  const Complex high = coil.impedance_ohm(1e6);
  EXPECT_NEAR(high.real(), 5.0, 0.01);
  EXPECT_NEAR(high.imag() / (2 * kPi * 1e6), 0.3e-3, 1e-6);
  const VoiceCoil plain{CoilModel::kPlain, {0.5e-3}};
  EXPECT_DOUBLE_EQ(plain.inductance_h(1000.0), 0.5e-3);
}

// At the tuning a box without loss holds the cone still: only Re and the coil are left.
TEST(ImpedanceModelTest, ATightBoxHoldsTheConeAtItsTuning) {
  MotorShape shape;
  shape.back = BackLoad::kVented;
  const ImpedanceModel model(shape);
  std::vector<double> t = usual(model);
  t[model.at(Slot::kLeak)] = std::log(1500.0);
  const Complex z = model.evaluate(t, 47.0, {});
  EXPECT_NEAR(z.real(), 5.6, 0.03);
  EXPECT_NEAR(z.imag(), 2 * kPi * 47.0 * 0.5e-3, 0.05);
}

// At its own resonance a radiator shorts the box's air: the driver is as in free air there.
TEST(ImpedanceModelTest, ARadiatorShortsTheBoxAtItsOwnResonance) {
  MotorShape boxed;
  boxed.back = BackLoad::kRadiator;
  const ImpedanceModel with(boxed);
  std::vector<double> t = usual(with);
  t[with.at(Slot::kOwnQ)] = std::log(190.0);
  const ImpedanceModel without(MotorShape{});
  const double own_hz = 47.0 * 0.4;
  const Complex bare = without.evaluate(usual(without), own_hz, {});
  EXPECT_LT(std::abs(with.evaluate(t, own_hz, {}) - bare), 0.02 * std::abs(bare));
}

TEST(ImpedanceModelTest, WithoutTheCrossoverTheDriverIsLeft) {
  MotorShape shape;
  shape.crossover = true;
  const ImpedanceModel crossed(shape);
  const ImpedanceModel plain(MotorShape{});
  const Complex z = crossed.uncrossed(usual(crossed), 300.0);
  EXPECT_LT(std::abs(z - plain.evaluate(usual(plain), 300.0, {})), 1e-12);
  EXPECT_GT(std::abs(crossed.evaluate(usual(crossed), 300.0, {}) - z), 0.1);
}

/// z = a + b x: least squares has a formula.
CurveModel line(std::span<const double> x) {
  return [x](std::span<const double> t, std::span<Complex> z, std::span<Complex> g) {
    for (std::size_t i = 0; i < x.size(); ++i) {
      z[i] = Complex(t[0] + t[1] * x[i], 0.0);
      if (g.empty()) continue;
      g[i] = 1.0;
      g[x.size() + i] = x[i];
    }
  };
}

TEST(CurveFitTest, ALineComesBackWithItsUncertainty) {
  test::Normals normals(51);
  constexpr int kRuns = 300;
  int inside = 0;
  for (int run = 0; run < kRuns; ++run) {
    std::vector<double> x;
    std::vector<Complex> z;
    for (int i = 0; i < 60; ++i) {
      x.push_back(i / 60.0);
      z.push_back((10.0 + 3.0 * x.back()) * (1.0 + 0.01 * Complex(normals(), normals())));
    }
    const std::vector<double> weights(x.size(), 1.0);
    const FitRange limits[] = {{0.0, 100.0}, {-50.0, 50.0}};
    const CurveFit fit = fit_curve({z, weights, true}, line(x), {1.0, 0.0}, limits);
    ASSERT_NEAR(fit.theta[0], 10.0, 0.2);
    const double gradient[] = {1.0, 1.0};  // the value at x = 1
    inside += std::abs(fit.theta[0] + fit.theta[1] - 13.0) <= half_width_95(fit, gradient) ? 1 : 0;
  }
  EXPECT_GE(inside, 0.90 * kRuns);
  EXPECT_LE(inside, 0.99 * kRuns);
}

TEST(CurveFitTest, FewWildPointsDoNotPull) {
  test::Normals normals(52);
  std::vector<double> x;
  std::vector<Complex> z;
  for (int i = 0; i < 100; ++i) {
    x.push_back(i / 100.0);
    const double wild = i % 20 == 7 ? 1.5 : 1.0;
    z.push_back(wild * (10.0 + 3.0 * x.back()) * (1.0 + 0.003 * Complex(normals(), normals())));
  }
  const std::vector<double> weights(x.size(), 1.0);
  const FitRange limits[] = {{0.0, 100.0}, {-50.0, 50.0}};
  const CurveFit fit = fit_curve({z, weights, true}, line(x), {1.0, 0.0}, limits);
  EXPECT_NEAR(fit.theta[0], 10.0, 0.05);
  EXPECT_NEAR(fit.theta[1], 3.0, 0.08);
}

TEST(CurveFitTest, LimitsHoldAndAFixedNumberStays) {
  std::vector<double> x;
  std::vector<Complex> z;
  for (int i = 0; i < 40; ++i) {
    x.push_back(i / 40.0);
    z.emplace_back(10.0 + 3.0 * x.back());
  }
  const std::vector<double> weights(x.size(), 1.0);
  const FitRange narrow[] = {{0.0, 9.0}, {-50.0, 50.0}};
  const CurveFit held = fit_curve({z, weights, true}, line(x), {1.0, 0.0}, narrow);
  EXPECT_DOUBLE_EQ(held.theta[0], 9.0);
  // The other number is the best there is beside it: least squares of one unknown, by hand.
  double up = 0.0;
  double down = 0.0;
  for (std::size_t i = 0; i < x.size(); ++i) {
    up += x[i] * (z[i].real() - 9.0) / std::norm(z[i]);
    down += x[i] * x[i] / std::norm(z[i]);
  }
  EXPECT_NEAR(held.theta[1], up / down, 1e-3 * up / down);
  const FitRange fixed[] = {{10.5, 10.5}, {-50.0, 50.0}};
  EXPECT_DOUBLE_EQ(fit_curve({z, weights, true}, line(x), {10.5, 0.0}, fixed).theta[0], 10.5);
}

Response flat(std::size_t points, double low, double high, Complex z, double noise = 0.0) {
  test::Normals normals(9);
  std::vector<double> f;
  std::vector<Complex> values;
  for (std::size_t i = 0; i < points; ++i) {
    f.push_back(low * std::pow(high / low, static_cast<double>(i) / static_cast<double>(points)));
    values.push_back(z * (1.0 + noise * Complex(normals(), normals())));
  }
  return *Response::make(*FrequencyAxis::make(f), values, Quantity::kImpedance, {}, true);
}

TEST(FitPointsTest, DensePointsAreAveragedOutsideTheHumpOnly) {
  const Response dense = flat(4000, 10.0, 10000.0, {8.0, 1.0}, 0.003);
  const auto all = fit_points(dense, 0.0, 20000.0);
  ASSERT_TRUE(all);
  EXPECT_EQ(all->z.size(), 4000U);
  const auto thinned = fit_points(dense, 0.0, 20000.0, {40.0, 160.0});
  ASSERT_TRUE(thinned);
  EXPECT_LT(thinned->z.size(), 1500U);
  std::size_t kept = 0;
  std::size_t there = 0;
  for (const double f : thinned->frequency_hz) kept += f > 41.0 && f < 159.0 ? 1 : 0;
  for (const double f : all->frequency_hz) there += f > 41.0 && f < 159.0 ? 1 : 0;
  EXPECT_EQ(kept, there);
  // Without noise the neighbours of a point tell nothing more: 48 of an octave are enough.
  const auto clean = fit_points(flat(4000, 10.0, 10000.0, {8.0, 1.0}), 0.0, 20000.0, {40.0, 160.0});
  ASSERT_TRUE(clean);
  EXPECT_LT(clean->z.size(), 560U);
  EXPECT_GT(clean->z.size(), 420U);
  // Every octave weighs alike, dense or thin.
  const auto weight = [&](const FitPoints& p, double low) {
    double sum = 0.0;
    for (std::size_t i = 0; i < p.z.size(); ++i)
      sum += p.frequency_hz[i] >= low && p.frequency_hz[i] < 2.0 * low ? p.weights[i] : 0.0;
    return sum;
  };
  EXPECT_NEAR(weight(*all, 50.0), 48.0, 1.0);
  EXPECT_NEAR(weight(*thinned, 1000.0), 48.0, 4.0);
}

TEST(FitPointsTest, RefusesShortsAndTooFewPoints) {
  EXPECT_FALSE(fit_points(flat(20, 10.0, 1000.0, 8.0), 0.0, 20000.0));
  EXPECT_FALSE(fit_points(flat(100, 10.0, 1000.0, 0.0), 0.0, 20000.0));
  EXPECT_FALSE(fit_points(flat(100, 10.0, 1000.0, {-3.0, 4.0}), 0.0, 20000.0));
  EXPECT_TRUE(fit_points(flat(100, 10.0, 1000.0, {3.0, -4.0}), 0.0, 20000.0));
}

TEST(EstimateTest, DifferenceCountsBothUncertainties) {
  EXPECT_FALSE(differ({10.0, 0.6}, {10.9, 0.8}));  // hypot 1.0
  EXPECT_TRUE(differ({10.0, 0.6}, {11.1, 0.8}));
  EXPECT_DOUBLE_EQ(from_relative(-4.0, 0.1).half_width, 0.4);
}

}  // namespace
}  // namespace lalometer
