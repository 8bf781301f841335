// A rig's smooth error: what it may look like, and what it must not be taken for.

#include "acoustics/impedance/fit/rig_error.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <functional>

#include "acoustics/impedance/fit/box_fit.h"
#include "acoustics/impedance/thiele_small.h"
#include "support/coverage.h"
#include "support/support.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;
using test::Normals;

constexpr double kStated_percent = 0.5;

/// Between 0 and 1, all values as likely.
double evenly(Normals& normals) {
  return 0.5 * std::erfc(-normals() / std::sqrt(2.0));
}

/// Three waves of 3 to 14 octaves whose sum lies within the stated error in 95 % of all cases.
class RigError {
 public:
  explicit RigError(Normals& normals) {
    for (int i = 0; i < 3; ++i) {
      const double each = 0.01 * kStated_percent / kTwoSided95 * std::sqrt(2.0 / 3.0);
      const Complex size = each * Complex(normals(), normals());
      const double octaves = 3.0 + 11.0 * evenly(normals);
      waves_.push_back({size, octaves, 2.0 * kPi * evenly(normals)});
    }
  }
  [[nodiscard]] Complex at(double f) const {
    Complex sum = 1.0;
    for (const Wave& w : waves_)
      sum += w.size * std::sin(2.0 * kPi * std::log2(f) / w.octaves + w.phase);
    return sum;
  }

 private:
  struct Wave {
    Complex size;
    double octaves, phase;
  };
  std::vector<Wave> waves_;
};

/// By its elements, moving mass 1 in its own unit; Beranek, Acoustics.
struct Bare {
  double re = 5.6, le = 0.4e-3, fs = 38.0, qms = 4.2, qes = 0.41;
  [[nodiscard]] Complex with(double f, double added_share, Complex box_impedance = 0.0) const {
    const Complex s(0.0, 2 * kPi * f);
    const double ws = 2 * kPi * fs;
    return re + s * le +
           ws * re / qes / (ws / qms + s * (1.0 + added_share) + ws * ws / s + box_impedance);
  }
};

Response curve(const std::function<Complex(double)>& z, const RigError& rig, Normals& normals) {
  constexpr double kNoise = 0.0015;
  const FrequencyAxis axis = FrequencyAxis::logarithmic(6.0, 20000.0, 48.0);
  std::vector<Complex> values;
  for (const double f : axis.hz())
    values.push_back(z(f) * rig.at(f) * (1.0 + kNoise * Complex(normals(), normals())));
  return *Response::make(axis, values, Quantity::kImpedance, {}, true);
}

// The moving mass rests on the shift between two curves of one rig: its error is in both, and what
// it makes the model believe of the suspension counts too.
TEST(RigErrorTest, TheMovingMassHoldsUnderIt) {
  Normals normals(91);
  constexpr int kCases = 150;
  int inside = 0;
  for (int i = 0; i < kCases; ++i) {
    const RigError rig(normals);
    Bare b;
    b.fs = 25.0 * std::exp2(0.01 * i);
    b.qms = 1.5 + 0.05 * i;
    const auto free = fit_driver(curve([&](double f) { return b.with(f, 0.0); }, rig, normals),
                                 {.calibration_percent = kStated_percent});
    const auto heavy = fit_driver(curve([&](double f) { return b.with(f, 0.5); }, rig, normals),
                                  {.calibration_percent = kStated_percent});
    ASSERT_TRUE(free && heavy);
    const auto told = thiele_small(*free, 0.013, AddedMass{*heavy, 0.01}, {}, {0.0, 0.0, 0.0});
    ASSERT_TRUE(told);
    inside += std::abs(told->mms_kg->value - 0.02) <= told->mms_kg->half_width ? 1 : 0;
  }
  EXPECT_GE(inside, test::coverage_limits(kCases).first);
}

/// Residuals over 8 octaves of what a rig does and of noise, beside a parameter that scales all.
struct Planted {
  std::vector<double> x;
  std::vector<Complex> residuals, noise;
  std::vector<Complex> jacobian;
  Planted(double rig, double scatter) {
    Normals normals(96);
    for (int i = 0; i < 384; ++i) {
      x.push_back(std::log(20.0) + std::log(2.0) * i / 48.0);
      const double turn = 2.0 * kPi * i / 48.0 / 6.0;
      noise.push_back(scatter * Complex(normals(), normals()));
      residuals.push_back(rig * Complex(std::cos(turn), std::sin(1.0 + turn)) + noise.back());
      jacobian.emplace_back(1.0);
    }
  }
  [[nodiscard]] BeyondRig beyond(double calibration, double scatter) const {
    return beyond_the_rig(rig_shapes(calibration, x), residuals, jacobian,
                          std::vector<double>(x.size(), 1.0), true, scatter);
  }
};

double rms(const std::vector<Complex>& all) {
  double sum = 0.0;
  for (const Complex& one : all) sum += std::norm(one);
  return std::sqrt(sum / static_cast<double>(all.size()));
}

// A wave that is none of the shapes themselves, of the size that was stated, is taken out; the
// noise stays.
TEST(RigErrorTest, WhatItLeavesInResidualsIsFound) {
  const Planted p(0.0025, 0.001);
  const BeyondRig beyond = p.beyond(0.0025, 0.001);
  EXPECT_NEAR(rms(beyond.left) / rms(p.noise), 1.0, 0.06);
  // About one deviation for each of the 26 shapes at most, in the unit of squared residuals.
  EXPECT_LT(beyond.unlikely, 40.0 * 1e-6);
}

// A departure ten times as large as what the rig may do is the model's, and has its size against
// it where it is smooth.
TEST(RigErrorTest, WhatIsLargerThanStatedStaysAgainstTheModel) {
  const Planted p(0.05, 0.0001);
  const BeyondRig beyond = p.beyond(0.0025, 0.0001);
  const double against = beyond.unlikely + 384.0 * std::pow(rms(beyond.left), 2);
  EXPECT_GT(against, 3.0 * (2.0 * 384.0 + 26.0) * 1e-8) << "of noise alone, three times";
}

TEST(RigErrorTest, WithoutPlacesOfItsPointsNoneIsCounted) {
  const std::vector<Complex> measured(40, Complex(5.0, 1.0));
  const std::vector<double> weights(measured.size(), 1.0);
  const CurveModel constant = [](std::span<const double> theta, std::span<Complex> values,
                                 std::span<Complex> jacobian) {
    std::fill(values.begin(), values.end(), Complex(theta[0], 1.0));
    std::fill(jacobian.begin(), jacobian.end(), Complex(1.0));
  };
  const std::vector<FitRange> limits = {{0.0, 100.0}};
  const CurveFit fit = fit_curve({.measured = measured, .weights = weights, .calibration = 0.01},
                                 constant, {3.0}, limits);
  EXPECT_NEAR(fit.theta[0], 5.0, 1e-4);
  EXPECT_TRUE(fit.calibration.empty());
}

TEST(RigErrorTest, WithoutOneNothingIsTakenOut) {
  const Planted p(0.0025, 0.001);
  EXPECT_EQ(p.beyond(0.0, 0.001).left, p.residuals);
}

// Intervals are as wide as the errors scatter, not just wide enough: a rig multiplies the complex
// impedance, whose phase turns about a resonance, and an error of magnitude at its flanks moves fs
// and Qms by other amounts than one of phase. Each |error| / half-width is 1 / 1.96 rms.
TEST(RigErrorTest, IntervalsAreAsWideAsItsErrorsScatter) {
  Normals normals(95);
  constexpr int kCases = 300;
  std::array<double, 3> squares{};
  for (int i = 0; i < kCases; ++i) {
    const RigError rig(normals);
    Bare b;
    b.fs = 25.0 * std::exp2(0.006 * i);
    b.qms = 2.0 + 0.02 * i;
    const auto fit = fit_driver(curve([&](double f) { return b.with(f, 0.0); }, rig, normals),
                                {.calibration_percent = kStated_percent});
    ASSERT_TRUE(fit);
    squares[0] += std::pow((fit->fs_hz.value - b.fs) / fit->fs_hz.half_width, 2);
    squares[1] += std::pow((fit->qms.value - b.qms) / fit->qms.half_width, 2);
    squares[2] += std::pow((fit->qes.value - b.qes) / fit->qes.half_width, 2);
  }
  for (const double square : squares) {
    const double scatter = kTwoSided95 * std::sqrt(square / kCases);
    EXPECT_GT(scatter, 0.75);
    EXPECT_LT(scatter, 1.12);
  }
}

// It bends a curve as a slow suspension or a crossover would, by less than it may itself.
TEST(RigErrorTest, ItIsNoCreepAndNoCrossover) {
  Normals normals(92);
  constexpr int kCases = 80;
  int creeps = 0;
  int crossovers = 0;
  for (int i = 0; i < kCases; ++i) {
    const RigError rig(normals);
    Bare b;
    b.fs = 40.0 * std::exp2(0.02 * i);
    const auto fit = fit_driver(curve([&](double f) { return b.with(f, 0.0); }, rig, normals),
                                {.in_closed_box = true, .calibration_percent = kStated_percent});
    ASSERT_TRUE(fit);
    creeps += fit->creep ? 1 : 0;
    crossovers += fit->motor.model.shape().crossover ? 1 : 0;
  }
  EXPECT_LE(creeps, 2);
  EXPECT_LE(crossovers, 2);
}

// Seen beside it, a real creep of the usual size (Knudsen and Jensen 1993: about 0.1 a decade)
// stays one.
TEST(RigErrorTest, ARealCreepIsStillSeen) {
  Normals normals(93);
  int creeps = 0;
  for (int i = 0; i < 10; ++i) {
    const RigError rig(normals);
    const Bare b;
    const auto z = [&](double f) {
      const Complex s(0.0, 2 * kPi * f);
      const double ws = 2 * kPi * b.fs;
      const Complex slow = 1.0 / (1.0 - 0.1 * std::log10(s / ws));
      return b.re + s * b.le + ws * b.re / b.qes / (ws / b.qms + s + ws * ws / s * slow);
    };
    const auto fit = fit_driver(curve(z, rig, normals), {.calibration_percent = kStated_percent});
    ASSERT_TRUE(fit);
    creeps += fit->creep && std::abs(fit->creep->value - 0.1) < 0.03 ? 1 : 0;
  }
  EXPECT_GE(creeps, 9);
}

// A list without phase has half the numbers: what the rig may have done and what the fit's own
// numbers may still do must not explain a crossover away together. One that is missed puts the
// upper hump off by many half-widths.
TEST(RigErrorTest, WithoutPhaseItDoesNotExplainACrossoverAway) {
  Normals normals(97);
  constexpr int kCases = 100;
  int far_off = 0;
  for (int i = 0; i < kCases; ++i) {
    const RigError rig(normals);
    Bare b;
    b.fs = 25.0 * std::exp2(0.015 * i);
    b.qms = 2.0 + 0.06 * ((7 * i) % kCases);
    b.qes = 0.28 + 0.004 * ((13 * i) % kCases);
    const double alpha = 0.8 * std::exp2(0.02 * ((3 * i) % kCases));
    const double air = alpha * std::pow(2 * kPi * b.fs, 2);
    const double wb = 2 * kPi * b.fs * (0.8 + 0.005 * ((29 * i) % kCases));
    const auto box = [&](double f, bool crossed) {
      const Complex s(0.0, 2 * kPi * f);
      const Complex z = b.with(f, 0.0, 1.0 / (s / air + wb / (9.0 * air) + wb * wb / (s * air)));
      if (!crossed) return z;
      const Complex across = 1.0 / (1.0 / z + 1.0 / (2.5 + 1.0 / (s * 14e-6)));
      return 1.0 / (1.0 / (across + s * 1.1e-3) + s * 3e-6);
    };
    Response taken = curve([&](double f) { return box(f, true); }, rig, normals);
    std::vector<Complex> sizes;
    for (const Complex& z : taken.values()) sizes.emplace_back(std::abs(z));
    const auto fit = fit_box(*Response::make(taken.axis(), sizes, Quantity::kImpedance, {}, false),
                             BackLoad::kVented, {}, kStated_percent);
    ASSERT_TRUE(fit) << fit.error().text();
    double top = 0.0;
    for (double f = std::sqrt(1.0 + alpha) * b.fs; f < 8.0 * b.fs; f *= 1.0005) {
      if (std::abs(box(f * 1.0005, false)) < std::abs(box(f, false))) {
        top = f;
        break;
      }
    }
    far_off += std::abs(fit->fh_hz.value - top) > 3.0 * fit->fh_hz.half_width ? 1 : 0;
  }
  EXPECT_LE(far_off, 5);
}

// Behind a radiator a box's own loss is hardly held by the curve; the impedance peaks are, whatever
// that loss may be.
TEST(RigErrorTest, ARadiatorsPeaksAreToldAsSharplyAsTheyAreSeen) {
  Normals normals(94);
  for (int i = 0; i < 20; ++i) {
    const RigError rig(normals);
    const Bare b;
    const double wb = 2 * kPi * 40.0;
    const double wr = 2 * kPi * (14.0 + 0.6 * i);
    const double air = 1.9 * std::pow(2 * kPi * b.fs, 2);
    const double mass = air / (wb * wb - wr * wr);
    const auto z = [&](double f) {
      const Complex s(0.0, 2 * kPi * f);
      const Complex radiator = mass * (s + wr / 8.0 + wr * wr / s);
      return b.with(f, 0.0, 1.0 / (s / air + wb / (12.0 * air) + 1.0 / radiator));
    };
    const auto fit = fit_box(curve(z, rig, normals), BackLoad::kRadiator, {}, kStated_percent);
    ASSERT_TRUE(fit) << fit.error().text();
    EXPECT_LT(fit->fl_hz.half_width, 0.02 * fit->fl_hz.value) << wr / (2 * kPi);
    EXPECT_LT(fit->fh_hz.half_width, 0.02 * fit->fh_hz.value) << wr / (2 * kPi);
  }
}

}  // namespace
}  // namespace lalometer
