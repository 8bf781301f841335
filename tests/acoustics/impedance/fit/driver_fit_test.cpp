// Checks the fit of driver parameters against drivers whose elements are known, computed here by
// the textbook circuit and not by the code under test.
#include "acoustics/impedance/fit/driver_fit.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <functional>

#include "acoustics/enclosure/driver_circuit.h"
#include "acoustics/impedance/thiele_small.h"
#include "support/coverage.h"
#include "support/support.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;
using test::Normals;
using testing::HasSubstr;

/// A driver by its elements, and its coil as a function.
struct Truth {
  double re, fs, qms, qes, mms_kg, sd_m2;
  std::function<Complex(double w)> coil;
  double qts() const { return qms * qes / (qms + qes); }
  double cms() const { return 1.0 / (std::pow(2 * kPi * fs, 2) * mms_kg); }
  double bl() const { return std::sqrt(2 * kPi * fs * mms_kg * re / qes); }
  double vas() const { return 1.204 * 343.0 * 343.0 * sd_m2 * sd_m2 * cms(); }
};

/// Z = Re + Zcoil + Bl^2 / (R + j w (M + m) + (1/C + k) / (j w)); Beranek, Acoustics.
Complex impedance(const Truth& t, double f, double added_kg = 0.0, double stiffness = 0.0) {
  const Complex s(0.0, 2 * kPi * f);
  const double r = 2 * kPi * t.fs * t.mms_kg / t.qms;
  return t.re + t.coil(2 * kPi * f) +
         t.bl() * t.bl() / (r + s * (t.mms_kg + added_kg) + (1.0 / t.cms() + stiffness) / s);
}

Response curve(const std::function<Complex(double)>& z, double noise, Normals& normals,
               double low = 10.0, double high = 20000.0, double per_octave = 48.0) {
  const FrequencyAxis axis = FrequencyAxis::logarithmic(low, high, per_octave);
  std::vector<Complex> values;
  for (std::size_t i = 0; i < axis.size(); ++i)
    values.push_back(z(axis[i]) * (1.0 + noise * Complex(normals(), normals())));
  return *Response::make(axis, values, Quantity::kImpedance, {}, true);
}

std::function<Complex(double)> plain(double l) {
  return [l](double w) { return Complex(0.0, w * l); };
}
std::function<Complex(double)> shunted(double l, double l2, double r2) {
  return
      [=](double w) { return Complex(0.0, w * l) + 1.0 / (1.0 / r2 + 1.0 / Complex(0.0, w * l2)); };
}
std::function<Complex(double)> power(double at_1khz, double n) {
  return [=](double w) { return at_1khz * std::pow(Complex(0.0, w / (2 * kPi * 1000.0)), n); };
}

Truth woofer() {
  return {5.6, 38.0, 4.2, 0.41, 0.0165, 0.0132, shunted(0.35e-3, 0.6e-3, 6.0)};
}

/// 25 mm domes to 300 mm woofers with one of three coils.
Truth drawn(int n, Normals& normals) {
  const auto between = [&](double low, double high) {
    const double share = 0.5 * (1.0 + std::erf(normals() / std::sqrt(2.0)));
    return low * std::pow(high / low, share);
  };
  const double size = between(0.025, 0.30);  // diameter
  Truth t{};
  t.re = between(3.0, 7.5);
  // Small ones resonate high: from 1 kHz for 25 mm to 25 Hz for 300 mm.
  t.fs = 1000.0 * std::pow(size / 0.025, -1.48) * between(0.8, 1.25);
  t.qms = between(1.2, 9.0);
  t.qes = between(0.25, 1.2);
  t.sd_m2 = 0.25 * kPi * size * size * 0.72;
  t.mms_kg = 0.35e-3 * std::pow(size / 0.025, 2.2) * between(0.8, 1.25);
  const double l = between(0.02e-3, 0.08e-3) * std::pow(size / 0.025, 1.2);
  if (n % 3 == 0) t.coil = plain(l);
  if (n % 3 == 1) t.coil = shunted(0.5 * l, l, between(2.0, 12.0));
  if (n % 3 == 2) t.coil = power(2 * kPi * 1000.0 * l, between(0.55, 0.85));
  return t;
}

struct Errors {
  std::vector<double> all;
  int inside = 0;
  void add(const Estimate& told, double truth) {
    all.push_back(std::abs(told.value / truth - 1.0));
    inside += std::abs(told.value - truth) <= told.half_width ? 1 : 0;
  }
  double worst() const { return *std::max_element(all.begin(), all.end()); }
  double median() {
    std::nth_element(all.begin(), all.begin() + static_cast<std::ptrdiff_t>(all.size() / 2),
                     all.end());
    return all[all.size() / 2];
  }
};

/// What a fit alone tells: these curves have noise and no other error.
Result<DriverFit> fitted(const Response& z, DriverFitWishes wishes = {}) {
  wishes.calibration_percent = 0.0;
  return fit_driver(z, wishes);
}

/// Area, mass and volume are exact here.
Result<ThieleSmall> by_fits(const DriverFit& free, double sd_m2,
                            const std::optional<AddedMass>& added = {},
                            const std::optional<TestBox>& box = {}) {
  return thiele_small(free, sd_m2, added, box, {0.0, 0.0, 0.0});
}

// The accuracy over many drivers: median and worst error, and whether the stated intervals
// hold the truth as often as they say.
TEST(DriverFit, TwoHundredDriversComeBackWithinTheirUncertainty) {
  Normals normals(11);
  Errors fs, qms, qes, qts, re, vas, bl;
  for (int n = 0; n < 210; ++n) {
    const Truth t = drawn(n, normals);
    const auto free = fitted(curve([&](double f) { return impedance(t, f); }, 0.003, normals));
    const double mass = t.mms_kg * 0.8;
    const auto loaded =
        fitted(curve([&](double f) { return impedance(t, f, mass); }, 0.003, normals));
    ASSERT_TRUE(free) << n << ' ' << free.error().text();
    ASSERT_TRUE(loaded) << n << ' ' << loaded.error().text();
    const auto told = by_fits(*free, t.sd_m2, AddedMass{*loaded, mass});
    ASSERT_TRUE(told) << told.error().text();
    fs.add(told->fs_hz, t.fs);
    qms.add(told->qms, t.qms);
    qes.add(told->qes, t.qes);
    qts.add(told->qts, t.qts());
    re.add(told->re_ohm, t.re);
    vas.add(*told->vas_m3, t.vas());
    bl.add(*told->bl_tm, t.bl());
  }
  for (Errors* e : {&fs, &qms, &qes, &qts, &re}) {
    EXPECT_LT(e->median(), 0.005);
    EXPECT_LT(e->worst(), 0.03);
  }
  for (Errors* e : {&vas, &bl}) EXPECT_LT(e->worst(), 0.03);
  for (Errors* e : {&fs, &qms, &qes, &qts, &re, &vas, &bl}) {
    // Seven figures on two sides: one false alarm in a thousand over all of them.
    const auto [least, most] = test::coverage_limits(210, 0.95, 1e-3 / 14.0);
    EXPECT_GE(e->inside, least);
    EXPECT_LE(e->inside, most);
  }
}

// R. H. Small, "Closed-box loudspeaker systems", JAES 21 (1973), part II, design example (numbers
// from memory): a driver of fs 19 Hz, Qms 3.7, Qes 0.35 (Qts 0.32), Vas 540 dm3 has a reference
// efficiency of 1.02 %; in 50 dm3 it resonates at 65 Hz with a Qtc of 1.1.
TEST(DriverFit, SmallsClosedBoxExampleComesBack) {
  Normals normals(22);
  const double sd = 0.053;
  const double cms = 0.540 / (1.204 * 343.0 * 343.0 * sd * sd);
  const Truth t{6.0, 19.0, 3.7, 0.35, 1.0 / (std::pow(2 * kPi * 19.0, 2) * cms), sd, plain(0.8e-3)};
  const double stiffness = 1.204 * 343.0 * 343.0 * sd * sd / 0.050;
  const double mass = 0.5 * t.mms_kg;
  const auto free = fitted(curve([&](double f) { return impedance(t, f); }, 0.003, normals, 5.0));
  const auto loaded =
      fitted(curve([&](double f) { return impedance(t, f, mass); }, 0.003, normals, 5.0));
  const auto boxed =
      fitted(curve([&](double f) { return impedance(t, f, 0.0, stiffness); }, 0.003, normals, 5.0),
             {.in_closed_box = true});
  ASSERT_TRUE(free && loaded && boxed);
  const auto told = by_fits(*free, sd, AddedMass{*loaded, mass});
  ASSERT_TRUE(told);
  EXPECT_NEAR(told->qts.value, 0.32, 0.005);
  EXPECT_NEAR(told->vas_m3->value, 0.540, 0.005);
  // His speed of sound was 345 m/s, ours is 343: 1.7 % of the efficiency.
  EXPECT_NEAR(100.0 * told->efficiency->value, 1.02, 0.025);
  EXPECT_NEAR(boxed->fs_hz.value, 65.0, 0.7);
  EXPECT_NEAR(boxed->qts.value, 1.1, 0.015);
}

// The same noisy curve fitted by SciPy 1.10.1 (tests/reference/impedance_fit_scipy.py): values and
// half-widths. The half-widths differ in kind, linear theory with one variance for all there, each
// point's own residual here.
TEST(DriverFit, AgreesWithSciPy) {
  const FrequencyAxis axis = *FrequencyAxis::make([] {
    std::vector<double> f;
    for (int i = 0; i < 132; ++i) f.push_back(10.0 * std::exp2(i / 12.0));
    return f;
  }());
  const Truth t{5.6, 38.0, 4.2, 0.41, 0.0165, 0.0132, plain(0.4e-3)};
  std::vector<Complex> z;
  for (std::size_t i = 0; i < axis.size(); ++i) {
    const double n = static_cast<double>(i) + 1.0;
    const double a = std::sin(12.9898 * n) * 43758.5453;
    const double b = std::sin(78.233 * n) * 12543.123;
    z.push_back(impedance(t, axis[i]) * (1.0 + 0.01 * Complex(2.0 * (a - std::floor(a)) - 1.0,
                                                              2.0 * (b - std::floor(b)) - 1.0)));
  }
  const auto fit = fitted(*Response::make(axis, z, Quantity::kImpedance, {}, true),
                          {.coils = {CoilModel::kPlain}});
  ASSERT_TRUE(fit) << fit.error().text();
  EXPECT_NEAR(fit->re_ohm.value, 5.5884048, 2e-4);
  EXPECT_NEAR(fit->fs_hz.value, 37.988934, 5e-4);
  EXPECT_NEAR(fit->qms.value, 4.1843818, 5e-4);
  EXPECT_NEAR(fit->qes.value, 0.40847155, 5e-5);
  EXPECT_NEAR(fit->le_1khz_h.value, 0.00039964483, 2e-8);
  EXPECT_NEAR(fit->re_ohm.half_width, 0.00835, 0.3 * 0.00835);
  EXPECT_NEAR(fit->fs_hz.half_width, 0.0223, 0.3 * 0.0223);
  EXPECT_NEAR(fit->qms.half_width, 0.0235, 0.3 * 0.0235);
  EXPECT_NEAR(fit->qes.half_width, 0.00114, 0.3 * 0.00114);
}

TEST(DriverFit, ATestBoxGivesTheSameAsAnAddedMass) {
  Normals normals(12);
  const Truth t = woofer();
  const double volume = 0.010;
  const double stiffness = 1.204 * 343.0 * 343.0 * t.sd_m2 * t.sd_m2 / volume;
  const auto free = fitted(curve([&](double f) { return impedance(t, f); }, 0.003, normals));
  const auto boxed =
      fitted(curve([&](double f) { return impedance(t, f, 0.0, stiffness); }, 0.003, normals),
             {.in_closed_box = true});
  ASSERT_TRUE(free && boxed);
  const auto told = by_fits(*free, t.sd_m2, {}, TestBox{*boxed, volume});
  ASSERT_TRUE(told);
  EXPECT_NEAR(told->vas_m3->value, t.vas(), 0.02 * t.vas());
  EXPECT_NEAR(told->bl_tm->value, t.bl(), 0.02 * t.bl());
  EXPECT_NEAR(told->mms_kg->value, t.mms_kg, 0.02 * t.mms_kg);
}

// Small 1972: level at 1 W is 112.1 dB plus ten times the logarithm of the efficiency; the half
// space level of the moving mass alone, rho Bl Sd E / (2 pi Re Mms), must say the same.
/// A closed box behind a second-order low-pass, a tweeter behind a second-order high-pass beside
/// it.
TEST(DriverFit, ACrossoverDoesNotMoveAClosedBoxsFigures) {
  Normals normals(63);
  const Truth t = woofer();
  for (const double stiffness : {1500.0, 6000.0}) {
    const auto z = [&](double f) {
      const Complex s(0.0, 2 * kPi * f);
      const Complex woofer_ohm = impedance(t, f, 0.0, stiffness);
      const Complex low = s * 0.9e-3 + 1.0 / (1.0 / woofer_ohm + 1.0 / (1.0 / (s * 12e-6) + 5.6));
      const Complex dome = 5.2 + s * 0.04e-3 + 4.0 / Complex(1.0, 2.5 * (f / 900.0 - 900.0 / f));
      const Complex high = 1.0 / (s * 6.8e-6) + 1.0 / (1.0 / (s * 0.35e-3) + 1.0 / dome);
      return 1.0 / (1.0 / low + 1.0 / high);
    };
    const double stiffer = std::sqrt(1.0 + stiffness * t.cms());
    for (const double noise : {0.0, 0.001, 0.003}) {
      const auto fit =
          fitted(curve(z, noise, normals, 10.0, 20000.0, 96.0), {.in_closed_box = true});
      ASSERT_TRUE(fit) << fit.error().text();
      EXPECT_TRUE(fit->motor.model.shape().crossover);
      EXPECT_NEAR(fit->fs_hz.value, t.fs * stiffer, 0.005 * t.fs * stiffer) << noise;
      EXPECT_NEAR(fit->qts.value, t.qts() * stiffer, 0.015 * t.qts() * stiffer) << noise;
    }
  }
}

/// A well damped resonance lower than the bump that the crossover makes at 1 kHz.
TEST(DriverFit, ACrossoversHigherBumpIsNotTheBoxsResonance) {
  Normals normals(64);
  Truth t = woofer();
  t.qms = 1.3;
  t.qes = 0.9;
  const auto z = [&](double f) {
    const Complex s(0.0, 2 * kPi * f);
    const Complex low = s * 1.2e-3 + 1.0 / (1.0 / impedance(t, f) + 1.0 / (1.0 / (s * 5e-6) + 0.4));
    const Complex high = 1.0 / (s * 11e-6) + 1.0 / (1.0 / (s * 0.3e-3) + 1.0 / 5.0);
    return 1.0 / (1.0 / low + 1.0 / high);
  };
  const Response measured = curve(z, 0.001, normals);
  const auto found = humps(*fit_points(measured, 0.0, 20000.0), 0.03);
  ASSERT_GT(found.front().frequency_hz, 500.0);
  const auto fit = fitted(measured, {.in_closed_box = true});
  ASSERT_TRUE(fit) << fit.error().text();
  EXPECT_NEAR(fit->fs_hz.value, t.fs, 0.01 * t.fs);
}

TEST(DriverFit, SensitivityAgreesWithTheAccelerationOfTheMass) {
  Normals normals(13);
  const Truth t = woofer();
  const double mass = 0.010;
  const auto free = fitted(curve([&](double f) { return impedance(t, f); }, 0.0, normals));
  const auto loaded = fitted(curve([&](double f) { return impedance(t, f, mass); }, 0.0, normals));
  const auto told = by_fits(*free, t.sd_m2, AddedMass{*loaded, mass});
  ASSERT_TRUE(told);
  const double pressure = 1.204 * t.bl() * t.sd_m2 * 2.83 / (2 * kPi * t.re * t.mms_kg);
  EXPECT_NEAR(told->sensitivity_2v83_db->value, 20 * std::log10(pressure / 20e-6), 0.15);
  EXPECT_NEAR(told->sensitivity_1w_db->value - told->sensitivity_2v83_db->value,
              -10 * std::log10(8.0 / t.re), 0.01);
}

// Knudsen and Jensen 1993: compliance falls with the logarithm of frequency. The driver so made is
// found with its creep, and the mass method counts it.
TEST(DriverFit, CreepIsFoundAndCounted) {
  Normals normals(14);
  const Truth t = woofer();
  const auto creeping = [&](double f, double added) {
    const Complex s(0.0, 2 * kPi * f);
    const Complex c = t.cms() * (1.0 - 0.12 * std::log10(s / (2 * kPi * t.fs)));
    const double r = 2 * kPi * t.fs * t.mms_kg / 9.0;
    return t.re + t.coil(2 * kPi * f) +
           t.bl() * t.bl() / (r + s * (t.mms_kg + added) + 1.0 / (s * c));
  };
  const auto free = fitted(curve([&](double f) { return creeping(f, 0.0); }, 0.001, normals, 5.0));
  const auto loaded =
      fitted(curve([&](double f) { return creeping(f, 0.012); }, 0.001, normals, 5.0));
  ASSERT_TRUE(free && loaded);
  ASSERT_TRUE(free->creep.has_value());
  EXPECT_NEAR(free->creep->value, 0.12, 0.02);
  const auto told = by_fits(*free, t.sd_m2, AddedMass{*loaded, 0.012});
  ASSERT_TRUE(told);
  EXPECT_NEAR(told->mms_kg->value, t.mms_kg, 0.02 * t.mms_kg);
}

// A fluid-damped dome has hardly an impedance peak; one with a chamber behind it has two.
TEST(DriverFit, TweetersWithFluidOrTwoResonancesAreFitted) {
  Normals normals(15);
  const Truth damped{6.1, 950.0, 0.55, 1.9, 0.3e-3, 6e-4, plain(0.03e-3)};
  const auto one = fitted(curve([&](double f) { return impedance(damped, f); }, 0.003, normals));
  ASSERT_TRUE(one) << one.error().text();
  EXPECT_NEAR(one->fs_hz.value, 950.0, 25.0);
  EXPECT_FALSE(one->second.has_value());
  const Truth dome{5.0, 1100.0, 2.5, 1.4, 0.3e-3, 6e-4, plain(0.03e-3)};
  const auto two = fitted(curve(
      [&](double f) {
        return impedance(dome, f) + 3.0 / Complex(1.0, 3.0 * (f / 480.0 - 480.0 / f));
      },
      0.003, normals));
  ASSERT_TRUE(two) << two.error().text();
  EXPECT_NEAR(two->fs_hz.value, 1100.0, 10.0);
  ASSERT_TRUE(two->second.has_value());
  EXPECT_NEAR(two->second->frequency_hz.value, 480.0, 10.0);
}

TEST(DriverFit, ASmallLoopDoesNotPullTheParameters) {
  Normals normals(16);
  const Truth t = woofer();
  const auto fit = fitted(curve(
      [&](double f) {
        return impedance(t, f) + 0.6 / Complex(1.0, 20.0 * (f / 230.0 - 230.0 / f));
      },
      0.001, normals));
  ASSERT_TRUE(fit);
  EXPECT_NEAR(fit->fs_hz.value, t.fs, 0.005 * t.fs);
  EXPECT_NEAR(fit->qes.value, t.qes, 0.01 * t.qes);
}

TEST(DriverFit, AMeasuredReIsKept) {
  Normals normals(17);
  const auto fit = fitted(curve([](double f) { return impedance(woofer(), f); }, 0.003, normals),
                          {.re_ohm = 5.7});
  ASSERT_TRUE(fit);
  EXPECT_DOUBLE_EQ(fit->re_ohm.value, 5.7);
  EXPECT_EQ(fit->re_ohm.half_width, 0.0);
}

TEST(DriverFit, WithoutPhaseTheMagnitudeIsFitted) {
  Normals normals(18);
  const Truth t = woofer();
  const auto whole = curve([&](double f) { return impedance(t, f); }, 0.002, normals);
  std::vector<Complex> bare;
  for (std::size_t i = 0; i < whole.size(); ++i) bare.emplace_back(whole.magnitude(i));
  const auto fit = fitted(*Response::make(whole.axis(), bare, Quantity::kImpedance, {}, false));
  ASSERT_TRUE(fit);
  EXPECT_NEAR(fit->fs_hz.value, t.fs, 0.01 * t.fs);
  EXPECT_NEAR(fit->qts.value, t.qts(), 0.03 * t.qts());
}

std::string refusal(const Response& z) {
  const auto fit = fitted(z);
  return fit ? "fitted" : fit.error().message;
}

// Curves that cannot support a figure are refused with the reason.
TEST(DriverFit, RefusesWhatIsNoFreeAirCurveOfADriver) {
  Normals normals(19);
  const Truth t = woofer();
  const auto driver = [&](double f) { return impedance(t, f); };
  EXPECT_THAT(
      refusal(curve([](double f) { return Complex(6.0, 2 * kPi * f * 0.3e-3); }, 0.003, normals)),
      HasSubstr("No resonance peak"));
  EXPECT_THAT(refusal(curve(driver, 0.003, normals, 200.0)), HasSubstr("No resonance peak"));
  EXPECT_THAT(refusal(curve(driver, 0.003, normals, 36.0)), HasSubstr("cut off"));
  EXPECT_THAT(refusal(curve([&](double f) { return driver(f) - 7.0; }, 0.003, normals)),
              HasSubstr("jig was not calibrated"));
  EXPECT_THAT(refusal(curve(driver, 0.003, normals, 30.0, 60.0, 12.0)), HasSubstr("points"));
  // A divider's ratio to 27 ohm that nobody turned into ohms.
  EXPECT_THAT(
      refusal(curve([&](double f) { return driver(f) / (driver(f) + 27.0); }, 0.001, normals)),
      HasSubstr("voltage ratios"));
  const Truth boxed = t;
  const auto vented = [&](double f) {
    const Complex s(0.0, 2 * kPi * f);
    const double v = f / 42.0;
    const Complex air = (1.8 / t.cms()) / s / (1.0 + 1.0 / Complex(0.0, 8.0 * v) - 1.0 / (v * v));
    const double r = 2 * kPi * t.fs * t.mms_kg / t.qms;
    return t.re + t.coil(2 * kPi * f) +
           t.bl() * t.bl() / (r + s * t.mms_kg + 1.0 / (s * t.cms()) + air);
  };
  EXPECT_THAT(refusal(curve(vented, 0.003, normals)), HasSubstr("vented box"));
}

TEST(ThieleSmallTest, RefusesExchangedTakesAndOtherDrivers) {
  Normals normals(20);
  const Truth t = woofer();
  const auto free = *fitted(curve([&](double f) { return impedance(t, f); }, 0.002, normals));
  const auto heavy =
      *fitted(curve([&](double f) { return impedance(t, f, 0.01); }, 0.002, normals));
  Truth other = t;
  other.re = 7.0;
  const auto another =
      *fitted(curve([&](double f) { return impedance(other, f, 0.01); }, 0.002, normals));
  EXPECT_THAT(by_fits(heavy, t.sd_m2, AddedMass{free, 0.01}).error().message,
              HasSubstr("did not lower"));
  EXPECT_THAT(by_fits(free, t.sd_m2, {}, TestBox{heavy, 0.01}).error().message,
              HasSubstr("did not raise"));
  EXPECT_THAT(by_fits(free, t.sd_m2, AddedMass{another, 0.01}).error().message,
              HasSubstr("not the same driver"));
  const auto hardly =
      *fitted(curve([&](double f) { return impedance(t, f, 0.00002); }, 0.005, normals));
  EXPECT_FALSE(by_fits(free, t.sd_m2, AddedMass{hardly, 0.00002}));
}

// ISO 2602 / any statistical table: three readings 10, 11, 12 have the mean 11 with 95 % half-width
// 4.303 * 1 / sqrt(3) = 2.484.
TEST(ThieleSmallTest, RepeatsWidenTheInterval) {
  const Estimate mean =
      mean_of_repeats(std::vector<Estimate>{{10.0, 0.1}, {11.0, 0.1}, {12.0, 0.1}});
  EXPECT_DOUBLE_EQ(mean.value, 11.0);
  EXPECT_NEAR(mean.half_width, 2.484, 0.001);
  EXPECT_NEAR(mean_of_repeats(std::vector<Estimate>{{10.0, 3.0}}).half_width, 3.0, 1e-12);
}

TEST(ThieleSmallTest, SheetValuesAreJudgedByUsualTolerances) {
  Normals normals(21);
  const auto told = electrical_parameters(
      *fitted(curve([](double f) { return impedance(woofer(), f); }, 0.002, normals)));
  Quoted sheet;
  sheet.fs_hz = 38.0 / 1.10;
  sheet.qms = 4.2 * 1.4;
  sheet.re_ohm = told.re_ohm.value;
  sheet.vas_l = 30.0;  // was not measured: no line
  const auto lines = against_sheet(told, sheet);
  ASSERT_EQ(lines.size(), 3U);
  EXPECT_EQ(lines[0].verdict, Comparison::Verdict::kAlike);
  EXPECT_EQ(lines[1].verdict, Comparison::Verdict::kWithin);
  EXPECT_NEAR(lines[1].difference_percent, 10.0, 0.5);
  EXPECT_EQ(lines[2].verdict, Comparison::Verdict::kOutside);
}

}  // namespace
}  // namespace lalometer
