// Harmonics of systems whose harmonics are known without a sweep: powers of a sine by their
// multiple-angle formulas (Abramowitz and Stegun 4.3.27 to 4.3.33), filters by their transfer
// function, a motor with a steady sine by stepping its equation of motion.
#include "acoustics/level/harmonics.h"

#include <array>

#include "support/coverage.h"
#include "support/swept.h"

namespace lalometer {
namespace {

using namespace test::swept;  // NOLINT: the tests' own words

constexpr double kA2 = 0.02;
constexpr double kA3 = 0.02;
constexpr double kA5 = 0.01;

std::vector<double> polynomial(std::vector<double> x) {
  for (double& v : x) v += kA2 * v * v + kA3 * v * v * v + kA5 * std::pow(v, 5);
  return x;
}

/// Order n of that for sin(phi) of amplitude A, re A.
double polynomial_order(int n, double a) {
  switch (n) {
    case 1:
      return 1.0 + 0.75 * kA3 * a * a + 0.625 * kA5 * std::pow(a, 4);
    case 2:
      return 0.5 * kA2 * a;
    case 3:
      return 0.25 * kA3 * a * a + 0.3125 * kA5 * std::pow(a, 4);
    case 5:
      return 0.0625 * kA5 * std::pow(a, 4);
    default:
      return 0.0;
  }
}

TEST(HarmonicsTest, PowersOfASineComeOutByTheirFormulasInLevelAndPhase) {
  const double a = 0.7;
  const ImpulseResponse h = response_of(polynomial, {.amplitude = a});
  const auto found = harmonics_of(h, 0.0, usual_spec(), noise_of({}));
  ASSERT_TRUE(found) << found.error().message;
  // sin^2 = 1/2 - 1/2 sin(2 phi + 90), sin^3 = 3/4 sin - 1/4 sin(3 phi), sin^5 has + 1/16 sin(5
  // phi).
  const std::array<double, 6> turn = {0, 0, -90, 180, 0, 0};
  for (const int n : {1, 2, 3, 5}) {
    const Harmonic& one = found->order(n);
    int seen = 0;
    for (std::size_t i = 0; i < found->axis.size(); ++i) {
      const double f = found->axis[i];
      if (f < 25.0 || f > 20000.0 / n) continue;
      ASSERT_TRUE(one.heard(i, f)) << n << " at " << f;
      ++seen;
      EXPECT_NEAR(db(std::abs(one.value[i])), db(polynomial_order(n, a)), f < 50.0 ? 0.7 : 0.1)
          << n << " at " << f;
      const double phase = std::arg(one.value[i]) * 180.0 / kPi - turn[static_cast<std::size_t>(n)];
      EXPECT_NEAR(std::remainder(phase, 360.0), 0.0, f < 50.0 ? 10.0 : 3.0) << n << " at " << f;
    }
    EXPECT_GT(seen, 250) << n;
  }
  for (std::size_t i = 0; i < found->axis.size(); ++i)
    if (found->axis[i] > 30.0 && found->axis[i] < 5000.0) {
      EXPECT_LT(db(std::abs(found->order(4).value[i])), -90.0) << "there is none of order 4";
    }
}

TEST(HarmonicsTest, WhatFollowsTheBendFiltersEachOrderAtItsOwnFrequency) {
  // A resonance of Q 12 at 3 kHz: a harmonic has its peak at a third or half of that.
  const double rate = 8 * 48000.0;
  const double w = 2.0 * kPi * 3000.0 / rate;
  const double alpha = std::sin(w) / 24.0;
  const auto filtered = [&](std::vector<double> x) {
    x = polynomial(std::move(x));
    double x1 = 0, x2 = 0, y1 = 0, y2 = 0;
    for (double& v : x) {
      const double y =
          (alpha * (v - x2) + 2.0 * std::cos(w) * y1 - (1.0 - alpha) * y2) / (1.0 + alpha);
      x2 = x1;
      x1 = v;
      y2 = y1;
      y1 = y;
      v += 2.0 * y;
    }
    return x;
  };
  const auto gain = [&](double f) {
    const auto z = std::polar(1.0, -2.0 * kPi * f / rate);
    return std::abs(1.0 + 2.0 * alpha * (1.0 - z * z) /
                              (1.0 + alpha - 2.0 * std::cos(w) * z + (1.0 - alpha) * z * z));
  };
  const ImpulseResponse h = response_of(filtered);
  const auto found = harmonics_of(h, 0.0, usual_spec(), noise_of({}));
  ASSERT_TRUE(found);
  for (const int n : {1, 2, 3, 5})
    for (std::size_t i = 0; i < found->axis.size(); ++i) {
      const double f = found->axis[i];
      if (f < 60.0 || f > 19000.0 / n) continue;
      EXPECT_NEAR(db(std::abs(found->order(n).value[i])),
                  db(polynomial_order(n, 1.0) * gain(n * f)), 0.5)
          << n << " at " << f;
    }
}

TEST(HarmonicsTest, SixDecibelsOverTheFloorALevelHoldsAndNoiseIsNoHarmonic) {
  int shown = 0;
  int off = 0;
  int of_noise = 0;
  int looked = 0;
  const Response noise = noise_of({.amplitude = 0.5, .noise = 3e-4, .seed = 99});
  for (std::uint64_t seed = 1; seed <= 6; ++seed) {
    const test::swept::Wish wish{.amplitude = 0.5, .noise = 3e-4, .seed = seed};
    const ImpulseResponse h = response_of(polynomial, wish);
    const auto found = harmonics_of(h, 0.0, usual_spec(), noise);
    ASSERT_TRUE(found);
    for (std::size_t i = 0; i < found->axis.size(); ++i) {
      const double f = found->axis[i];
      if (f < 40.0 || f > 4000.0) continue;
      for (const int n : {2, 3}) {
        if (!found->order(n).heard(i, f)) continue;
        ++shown;
        off +=
            std::abs(db(std::abs(found->order(n).value[i])) - db(polynomial_order(n, 0.5))) > 0.5;
      }
      for (const int n : {4, 6, 7, 9}) {
        ++looked;
        of_noise += found->order(n).heard(i, f);
      }
    }
  }
  EXPECT_GT(shown, 1500);
  EXPECT_LT(off, shown / 20) << "of " << shown;
  EXPECT_LT(of_noise, looked / 500) << "of " << looked;
}

/// A moving-coil motor with a suspension and a force factor that depend on excursion, by a
/// classical Runge-Kutta of the fourth order.
class Motor {
 public:
  explicit Motor(double rate) : step_s_(1.0 / rate) {}
  double operator()(double volts) {
    const auto slope = [&](const std::array<double, 2>& s) {
      const double bl = 6.0 * (1.0 - 4e3 * s[0] * s[0] + 12.0 * s[0]);
      const double stiffness = 1200.0 * (1.0 + 2e4 * s[0] * s[0]);
      const double current = (volts - bl * s[1]) / 6.0;
      return std::array<double, 2>{s[1], (bl * current - 1.0 * s[1] - stiffness * s[0]) / 0.012};
    };
    const auto moved = [&](const std::array<double, 2>& k, double by) {
      return std::array<double, 2>{state_[0] + by * k[0], state_[1] + by * k[1]};
    };
    const auto a = slope(state_);
    const auto b = slope(moved(a, 0.5 * step_s_));
    const auto c = slope(moved(b, 0.5 * step_s_));
    const auto d = slope(moved(c, step_s_));
    for (std::size_t i = 0; i < 2; ++i)
      state_[i] += step_s_ / 6.0 * (a[i] + 2.0 * b[i] + 2.0 * c[i] + d[i]);
    return slope(state_)[1] / 1e3;  // sound follows the acceleration
  }

 private:
  double step_s_;
  std::array<double, 2> state_ = {0.0, 0.0};
};

TEST(HarmonicsTest, AMotorsHarmonicsAreThoseOfSteadySines) {
  const double volts = 4.0;
  const double rate = 8 * 48000.0;
  const ImpulseResponse h = response_of(
      [&](std::vector<double> x) {
        Motor motor(rate);
        for (double& v : x) v = motor(v);
        return x;
      },
      {.amplitude = volts});
  const auto found = harmonics_of(h, 0.0, usual_spec(), noise_of({}));
  ASSERT_TRUE(found);
  for (const double wanted : {30.0, 45.0, 70.0, 110.0, 200.0}) {
    const std::size_t i = nearest(found->axis, wanted);
    const double f = found->axis[i];
    // Thirty periods to settle, then one whole one.
    Motor motor(rate);
    const auto period = static_cast<std::size_t>(std::llround(rate / f));
    const double exact = rate / static_cast<double>(period);
    std::array<std::complex<double>, 6> order = {};
    for (std::size_t k = 0; k < 31 * period; ++k) {
      const double phase = 2.0 * kPi * exact * static_cast<double>(k) / rate;
      const double y = motor(volts * std::sin(phase));
      if (k >= 30 * period)
        for (int n = 1; n <= 5; ++n)
          order[static_cast<std::size_t>(n)] +=
              y * std::polar(2.0 / static_cast<double>(period), -n * phase);
    }
    for (int n = 1; n <= 5; ++n) {
      // What lies 90 dB under the fundamental is rounding.
      if (std::abs(order[static_cast<std::size_t>(n)]) < 3e-5 * std::abs(order[1])) continue;
      EXPECT_NEAR(db(std::abs(found->order(n).value[i]) * volts),
                  db(std::abs(order[static_cast<std::size_t>(n)])), 0.5)
          << n << " at " << f;
    }
  }
}

TEST(HarmonicsTest, ThresholdsHoldTheTruthWithinTheirIntervals) {
  // THD of x + b x^3 behind a falling gain g(f): 3 % is crossed where b g^2 a^2 / 4 says so. The
  // gain follows the sweep's own frequency, so that nothing lags.
  int inside = 0;
  int crossed = 0;
  const SweepSpec& spec = usual_spec();
  for (std::uint64_t seed = 1; seed <= 100; ++seed) {
    const double corner = 60.0 * std::exp2(0.03 * static_cast<double>(seed));
    const auto share = [&](double f) { return 0.4 / (1.0 + std::pow(f / corner, 2)); };
    const Harmonics h = [&] {
      // Built rather than swept a hundred times: as harmonics_of() gives it, with its spreads.
      Harmonics built{.axis = FrequencyAxis::logarithmic(20, 20000, 48), .orders = {}, .thd = {}};
      test::Normals normal(seed);
      for (std::size_t i = 0; i < built.axis.size(); ++i) {
        const double spread = 0.01;
        const double ratio = share(built.axis[i]) * (1.0 + spread * normal());
        built.thd.push_back({.ratio = ratio,
                             .at_most = 1.005 * ratio,
                             .spread = spread,
                             .known = true,
                             .whole = true});
      }
      return built;
    }();
    const Threshold t = threshold_of(h, 3.0);
    ASSERT_TRUE(t.frequency_hz);
    ++crossed;
    const double truth = corner * std::sqrt(0.4 / 0.03 - 1.0);
    inside += std::abs(t.frequency_hz->value - truth) <= t.frequency_hz->half_width;
    EXPECT_NEAR(t.frequency_hz->value / truth, 1.0, 0.03);
  }
  EXPECT_GE(inside, test::coverage_limits(crossed).first);
  EXPECT_EQ(spec.start_hz(), 10.0);
}

TEST(HarmonicsTest, AThresholdThatIsNotCrossedSaysWhy) {
  Harmonics h{.axis = FrequencyAxis::logarithmic(20, 20000, 12), .orders = {}, .thd = {}};
  h.thd.assign(h.axis.size(),
               {.ratio = 0.01, .at_most = 0.011, .spread = 0.01, .known = true, .whole = true});
  EXPECT_EQ(threshold_of(h, 3.0).why, Threshold::Why::kNeverOver);
  EXPECT_EQ(threshold_of(h, 0.5).why, Threshold::Why::kNeverUnder);
  h.thd[20].ratio = 0.0;
  h.thd[20].at_most = 0.2;
  const Threshold hidden = threshold_of(h, 3.0);
  EXPECT_EQ(hidden.why, Threshold::Why::kNoise);
  EXPECT_DOUBLE_EQ(hidden.seen_from_hz, h.axis[21]);
}

TEST(HarmonicsTest, WhatNoiseHidesWhereASubwooferHardlyPlaysDoesNotCount) {
  Harmonics h{.axis = FrequencyAxis::logarithmic(20, 20000, 48), .orders = {}, .thd = {}};
  Harmonic one{
      .order = 1, .value = {}, .floor = {}, .spread = {}, .at_most = {}, .valid = {20, 20000}};
  for (const double f : h.axis.hz()) {
    one.value.emplace_back(1.0 / (1.0 + std::pow(f / 120.0, 4)));
    const double thd = 0.1 * std::pow(30.0 / f, 2);
    const bool hidden = f > 400.0;
    h.thd.push_back({.ratio = hidden ? 0.0 : thd,
                     .at_most = hidden ? 0.5 : 1.001 * thd,
                     .spread = 0.001,
                     .known = true,
                     .whole = true});
  }
  h.orders.push_back(one);
  const Threshold t = threshold_of(h, 3.0);
  ASSERT_TRUE(t.frequency_hz);
  EXPECT_NEAR(t.frequency_hz->value, 30.0 * std::sqrt(0.1 / 0.03), 0.2);
  // In the midst of what it plays it does.
  h.thd[h.axis.bracket(80.0)] = {.ratio = 0.0, .at_most = 0.2, .known = true, .whole = true};
  EXPECT_EQ(threshold_of(h, 3.0).why, Threshold::Why::kNoise);
}

TEST(HarmonicsTest, BelowTheMicrophonesOwnNothingIsHeard) {
  const ImpulseResponse h = response_of(polynomial, {.amplitude = 0.5});
  // Order 2 is 0.5 %, order 3 0.14 % of the fundamental.
  const auto found = harmonics_of(h, 0.0, usual_spec(), noise_of({}), {.microphone_ratio = 0.003});
  ASSERT_TRUE(found);
  const std::size_t i = nearest(found->axis, 500.0);
  EXPECT_TRUE(found->order(2).heard(i, 500.0));
  EXPECT_FALSE(found->order(3).heard(i, 500.0));
}

}  // namespace
}  // namespace lalometer
