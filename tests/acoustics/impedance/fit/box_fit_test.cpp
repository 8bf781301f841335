// Boxes whose elements are known, by the textbook circuit written out here (Small 1973, 1974).
#include "acoustics/impedance/fit/box_fit.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <functional>

#include "acoustics/impedance/wiggles.h"
#include "support/coverage.h"
#include "support/support.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;
using test::Normals;
using testing::HasSubstr;

struct Box {
  double re = 5.6, le = 0.4e-3;
  double fs = 38.0, qms = 4.2, qes = 0.41;
  double alpha = 1.9, fb = 40.0, ql = 7.0;
  double radiator_fs = 0.0, radiator_q = 8.0;  // 0: a port
  double leach_n = 0.0;                        // 0: plain inductance
};

/// Elements, not the fit's ratios: Mms = 1 in its own unit.
Complex impedance(const Box& b, double f) {
  const Complex s(0.0, 2 * kPi * f);
  const double ws = 2 * kPi * b.fs;
  const double mass = 1.0;
  const double spring = ws * ws * mass;
  const double bl2 = ws * mass * b.re / b.qes;
  // Air of the box as a spring, port or radiator as mass (and spring) on it, leak as a resistance
  // across.
  const double air = b.alpha * spring;
  const double wb = 2 * kPi * b.fb;
  const double wr = 2 * kPi * b.radiator_fs;
  const double port_mass = air / (wb * wb - wr * wr);
  const double leak = b.ql * air / wb;
  Complex port = s * port_mass;
  if (b.radiator_fs > 0.0) port += port_mass * wr / b.radiator_q + port_mass * wr * wr / s;
  const Complex box = 1.0 / (s / air + 1.0 / leak + 1.0 / port);
  const Complex zm = ws * mass / b.qms + s * mass + spring / s + box;
  const Complex coil = b.leach_n > 0.0
                           ? 2 * kPi * 1000.0 * b.le * std::pow(s / (2 * kPi * 1000.0), b.leach_n)
                           : s * b.le;
  return b.re + coil + bl2 / zm;
}

Response curve(const std::function<Complex(double)>& z, double noise, Normals& normals,
               double low = 8.0, double high = 20000.0) {
  const FrequencyAxis axis = FrequencyAxis::logarithmic(low, high, 48.0);
  std::vector<Complex> values;
  for (std::size_t i = 0; i < axis.size(); ++i)
    values.push_back(z(axis[i]) * (1.0 + noise * Complex(normals(), normals())));
  return *Response::make(axis, values, Quantity::kImpedance, {}, true);
}

// The bound: fB within 0.5 %, QL within 15 % from 3 to 20.
TEST(BoxFitTest, TuningAndLossesComeBack) {
  Normals normals(31);
  int covered = 0;
  int cases = 0;
  for (const double ql : {3.0, 5.0, 7.0, 12.0, 20.0}) {
    for (const double alpha : {0.7, 1.9, 4.0}) {
      for (const double fb : {30.0, 40.0, 55.0}) {
        for (const double n : {0.0, 0.7}) {
          Box box;
          box.ql = ql;
          box.alpha = alpha;
          box.fb = fb;
          box.leach_n = n;
          const auto fit =
              fit_box(curve([&](double f) { return impedance(box, f); }, 0.003, normals),
                      BackLoad::kVented, {}, 0.0);
          ASSERT_TRUE(fit) << ql << ' ' << alpha << ' ' << fb << ": " << fit.error().text();
          EXPECT_NEAR(fit->fb_hz.value, fb, 0.005 * fb) << ql << ' ' << alpha << ' ' << n;
          ASSERT_TRUE(fit->ql) << ql << ' ' << alpha << ' ' << fb << ' ' << n;
          EXPECT_NEAR(fit->ql->value, ql, 0.15 * ql) << alpha << ' ' << fb << ' ' << n;
          covered += std::abs(fit->fb_hz.value - fb) <= fit->fb_hz.half_width ? 1 : 0;
          ++cases;
          EXPECT_LT(fit->fl_hz.value, fb);
          EXPECT_GT(fit->fh_hz.value, fb);
        }
      }
    }
  }
  // Of noise alone, at a false alarm in a thousand; the limits' own derivation is in coverage.h.
  const auto [least, most] = test::coverage_limits(cases);
  EXPECT_GE(covered, least);
  EXPECT_LE(covered, most);
}

// Small 1973, part IV: the three frequencies give the compliance ratio of a box without losses.
TEST(BoxFitTest, ThreeFrequenciesAgreeWithSmallsRelation) {
  Normals normals(32);
  Box box;
  box.ql = 200.0;
  box.qms = 40.0;
  const auto fit = fit_box(curve([&](double f) { return impedance(box, f); }, 0.0, normals),
                           BackLoad::kVented, {}, 0.0);
  ASSERT_TRUE(fit);
  const double l2 = std::pow(fit->fl_hz.value, 2);
  const double b2 = std::pow(fit->fb_hz.value, 2);
  const double h2 = std::pow(fit->fh_hz.value, 2);
  EXPECT_NEAR((h2 - b2) * (b2 - l2) / (h2 * l2), box.alpha, 0.02 * box.alpha);
  EXPECT_NEAR(fit->fl_hz.value * fit->fh_hz.value / fit->fb_hz.value, box.fs, 0.005 * box.fs);
}

// Small 1974: the radiator's mass against box and own compliance tunes; at its own resonance it
// shorts the box.
TEST(BoxFitTest, APassiveRadiatorShowsTuningAndNotch) {
  Normals normals(33);
  Box box;
  box.radiator_fs = 18.0;
  box.ql = 15.0;
  const auto fit = fit_box(curve([&](double f) { return impedance(box, f); }, 0.002, normals, 5.0),
                           BackLoad::kRadiator, {}, 0.0);
  ASSERT_TRUE(fit) << fit.error().text();
  EXPECT_NEAR(fit->fb_hz.value, box.fb, 0.005 * box.fb);
  ASSERT_TRUE(fit->notch_hz.has_value());
  EXPECT_NEAR(fit->notch_hz->value, 18.0, fit->notch_hz->half_width);
  // A leak up to none is allowed beside the radiator's own loss.
  EXPECT_LT(fit->notch_hz->half_width, 5.0);
}

// A capacitor across a loudspeaker bends the upper impedance peak; the tuning must stay where it
// is.
TEST(BoxFitTest, ACrossoverDoesNotMoveTheTuning) {
  Normals normals(34);
  const Box box;
  const auto fit = fit_box(curve(
                               [&](double f) {
                                 const Complex s(0.0, 2 * kPi * f);
                                 const Complex woofer =
                                     s * 1.2e-3 + 0.3 + 1.0 / (1.0 / impedance(box, f) + s * 12e-6);
                                 return 1.0 / (1.0 / woofer + 1.0 / (6.0 + 1.0 / (s * 6e-6)));
                               },
                               0.002, normals),
                           BackLoad::kVented, {}, 0.0);
  ASSERT_TRUE(fit) << fit.error().text();
  EXPECT_NEAR(fit->fb_hz.value, box.fb, 0.005 * box.fb);
}

TEST(BoxFitTest, RefusesOneHumpAndCutHumps) {
  Normals normals(35);
  Box closed;
  closed.alpha = 1e-4;
  const auto one = fit_box(curve([&](double f) { return impedance(closed, f); }, 0.003, normals),
                           BackLoad::kVented, {}, 0.0);
  ASSERT_FALSE(one);
  EXPECT_THAT(one.error().message, HasSubstr("Two impedance peaks"));
  const Box box;
  const auto cut = fit_box(curve([&](double f) { return impedance(box, f); }, 0.003, normals, 20.0),
                           BackLoad::kVented, {}, 0.0);
  ASSERT_FALSE(cut);
}

// The ideal, isothermal filling makes the air 1.4 times as large: fc falls accordingly.
TEST(BoxFitTest, StuffingGainCountsTheSuspensionsOwnStiffness) {
  const double fs = 50.0;
  const double before = fs * std::sqrt(1.0 + 2.0);
  const double after = fs * std::sqrt(1.0 + 2.0 / 1.4);
  const auto gain = stuffing_gain({fs, 0.1}, {before, 0.2}, {after, 0.2});
  ASSERT_TRUE(gain);
  EXPECT_NEAR(gain->volume_ratio.value, 1.4, 1e-9);
  EXPECT_NEAR(gain->share_of_limit, 1.0, 1e-9);
  EXPECT_GT(gain->volume_ratio.half_width, 0.0);
  EXPECT_FALSE(stuffing_gain({fs, 0.1}, {before, 0.2}, {49.0, 0.2}));
  EXPECT_STREQ(leak_word(3.0), "leaky");
  EXPECT_STREQ(leak_word(7.0), "usual");
  EXPECT_STREQ(leak_word(15.0), "tight");
}

struct Planted {
  double f, percent, q;
};

/// Loops planted into a boxed driver's curve; each of the stated height over the magnitude there.
Complex with(const Box& box, const std::vector<Planted>& planted, double f) {
  Complex z = impedance(box, f);
  for (const Planted& p : planted)
    z += 0.01 * p.percent * std::abs(impedance(box, p.f)) / Complex(1.0, p.q * (f / p.f - p.f / f));
  return z;
}

// The bound: 3 % found in at least 95 % of cases, false ones in less than 2 % of clean
// curves.
TEST(Wiggles, ThreePerCentAreFoundAndCleanCurvesStayClean) {
  Normals normals(36);
  const auto uniform = [&] { return 0.5 * (1.0 + std::erf(normals() / std::sqrt(2.0))); };
  int found = 0;
  int false_ones = 0;
  constexpr int kCases = 120;
  for (int n = 0; n < kCases; ++n) {
    Box box;
    box.fs = 30.0 + 30.0 * uniform();
    box.fb = box.fs * (0.8 + 0.5 * uniform());
    box.alpha = 0.7 + 3.0 * uniform();
    box.ql = 4.0 + 12.0 * uniform();
    box.leach_n = n % 2 == 0 ? 0.0 : 0.7;
    const Planted planted{150.0 * std::pow(20.0, uniform()), 3.0, 8.0 * std::pow(5.0, uniform())};
    const auto clean = curve([&](double f) { return impedance(box, f); }, 0.003, normals);
    const auto wiggly = curve([&](double f) { return with(box, {planted}, f); }, 0.003, normals);
    const auto clean_fit = fit_box(clean, BackLoad::kVented, {}, 0.0);
    const auto wiggly_fit = fit_box(wiggly, BackLoad::kVented, {}, 0.0);
    ASSERT_TRUE(clean_fit && wiggly_fit) << n;
    false_ones += find_wiggles(clean, &clean_fit->motor).empty() ? 0 : 1;
    const auto all = find_wiggles(wiggly, &wiggly_fit->motor);
    if (all.size() == 1 && std::abs(all[0].frequency_hz.value / planted.f - 1.0) < 0.02 &&
        std::abs(all[0].height_percent / planted.percent - 1.0) < 0.25 &&
        std::abs(std::log(all[0].q / planted.q)) < 0.3)
      ++found;
  }
  EXPECT_GE(found, 0.95 * kCases);
  EXPECT_LT(false_ones, 0.02 * kCases);
}

TEST(Wiggles, SeveralAreToldApart) {
  Normals normals(37);
  const Box box;
  const std::vector<Planted> planted = {{230.0, 4.0, 20.0}, {410.0, 2.0, 15.0}, {900.0, 6.0, 30.0}};
  const auto z = curve([&](double f) { return with(box, planted, f); }, 0.002, normals);
  const auto fit = fit_box(z, BackLoad::kVented, {}, 0.0);
  ASSERT_TRUE(fit);
  const auto all = find_wiggles(z, &fit->motor);
  ASSERT_EQ(all.size(), 3U);
  EXPECT_NEAR(all[0].frequency_hz.value, 900.0, 5.0);
  EXPECT_NEAR(all[1].frequency_hz.value, 230.0, 3.0);
  EXPECT_NEAR(all[2].frequency_hz.value, 410.0, 6.0);
  EXPECT_NEAR(all[1].height_percent, 4.0, 0.6);
}

// A flank alone fits many heights: a smooth curve had a loop of 2 % told above its last row.
TEST(Wiggles, AreNotToldOutsideTheRowsThatAreSearched) {
  Normals normals(39);
  const Box box;
  const auto clean = curve([&](double f) { return impedance(box, f); }, 0.0, normals);
  const auto fit = fit_box(clean, BackLoad::kVented, {}, 0.0);
  ASSERT_TRUE(fit);
  for (const double q : {10.0, 20.0, 30.0})
    for (const double percent : {3.0, 6.0, 12.0})
      for (const double bandwidths : {0.3, 0.6, 0.9, 1.2}) {
        const double at_hz = 700.0;
        const double end_hz = at_hz * std::exp(-bandwidths / q);
        const auto z = curve(
            [&](double f) {
              return with(box, {{at_hz, percent, q}}, f);
            },
            0.0008, normals);
        for (const Wiggle& w : find_wiggles(
                 z, &fit->motor,
                 {.low_hz = 170.0, .high_hz = end_hz, .least_percent = 0.3, .model_to_hz = end_hz}))
          EXPECT_LT(w.frequency_hz.value, end_hz) << percent << " % of Q " << q;
      }
}

TEST(Wiggles, MagnitudeAloneShowsThemToo) {
  Normals normals(38);
  const Box box;
  const auto whole = curve(
      [&](double f) {
        return with(box, {{230.0, 5.0, 20.0}}, f);
      },
      0.001, normals);
  std::vector<Complex> bare;
  for (std::size_t i = 0; i < whole.size(); ++i) bare.emplace_back(whole.magnitude(i));
  const auto z = *Response::make(whole.axis(), bare, Quantity::kImpedance, {}, false);
  const auto fit = fit_box(z, BackLoad::kVented, {}, 0.0);
  ASSERT_TRUE(fit);
  const auto all = find_wiggles(z, &fit->motor);
  ASSERT_FALSE(all.empty());
  EXPECT_NEAR(all[0].frequency_hz.value, 230.0, 4.0);
}

}  // namespace
}  // namespace lalometer
