#include "diagnosis/view/meeting/lobe.h"

#include <gtest/gtest.h>

#include <cstdint>

#include "diagnosis/made_curves.h"
#include "diagnosis/view/meeting/crossing.h"

namespace lalometer {
namespace {

using namespace made;

constexpr double kC = kSpeedOfSound20_m_s;

/// Two points, 130 mm apart one over the other, both equally loud, the upper one `degrees` late:
/// |1 + exp(j (phase - k more))|, written out (any textbook's two point sources).
CaseMaterial two_points(double degrees, const std::vector<double>& angles, double noise_db = 0.0) {
  CaseMaterial m = two_ways();
  m.subject.drivers[0].radius_m = 0.001;
  m.subject.drivers[1].radius_m = 0.001;
  std::uint32_t seed = 1;
  const auto level = [&](double deg) {
    return [=, &seed](double f) {
      const double rad = deg * kPi / 180.0;
      const auto way = [&](double y) { return std::hypot(std::sin(rad) - y, std::cos(rad)); };
      const double more = way(0.05) - way(-0.08);
      const auto sum = 1.0 + std::polar(1.0, degrees * kPi / 180.0 - 2.0 * kPi * f / kC * more);
      seed = (seed * 1103515245U + 12345U) & 0x7fffffffU;
      return 84.0 + 20.0 * std::log10(std::abs(sum) + 1e-4) +
             noise_db * (static_cast<double>(seed) / 0x40000000 - 1.0);
    };
  };
  m.takes.push_back(at_angle(0.0, level_of(level(0.0))));
  for (const double a : angles) {
    m.takes.push_back(at_angle(0.0, level_of(level(a))));
    m.takes.back().vertical_deg = a;
  }
  return m;
}

std::optional<Lobe> lobe(const CaseMaterial& m) {
  const CaseView v = view_of(m);
  return lobe_of(v, m.subject.crossovers.front(), m.subject.crossovers.front().frequency_hz);
}

TEST(LobeTest, LevelsUpAndDownTellThePhaseOfTwoPoints) {
  const std::vector<double> angles = {-30.0, -20.0, -10.0, 10.0, 20.0, 30.0};
  for (const double phase : {-90.0, -45.0, 0.0, 30.0, 90.0, 180.0}) {
    const auto seen = lobe(two_points(phase, angles, 0.5));
    ASSERT_TRUE(seen.has_value());
    // On the axis the upper one lies 2 mm nearer: 4 degrees at the crossover.
    const double nearer_m = std::hypot(1.0, 0.08) - std::hypot(1.0, 0.05);
    const double ahead =
        phase + 360.0 * two_ways().subject.crossovers[0].frequency_hz / kC * nearer_m;
    EXPECT_NEAR(std::remainder(std::abs(seen->between_deg) - std::abs(ahead), 360.0), 0.0, 8.0)
        << phase;
    if (std::abs(phase) < 60.0) {
      EXPECT_LT(seen->quarter_ratio, 0.7) << phase;
      EXPECT_LT(seen->reversed_ratio, 0.1) << phase;
    }
    if (std::abs(phase) == 90.0) {
      EXPECT_GT(seen->quarter_ratio, 5.0);
    }
    if (phase == 180.0) {
      EXPECT_GT(seen->reversed_ratio, 5.0);
      EXPECT_LT(seen->quarter_ratio, seen->reversed_ratio);
    }
  }
}

// Usual networks meet 45 degrees apart: no fault. Past 135 it is the polarity that says most.
TEST(LobeTest, TheOneThatFollowsTheLevelsBetterTakesFromTheOther) {
  const std::vector<double> angles = {-30.0, -20.0, -10.0, 10.0, 20.0, 30.0};
  const auto usual = lobe(two_points(45.0, angles));
  ASSERT_TRUE(usual.has_value());
  EXPECT_LT(usual->for_quarter(), 1.0);
  const auto between = lobe(two_points(140.0, angles));
  ASSERT_TRUE(between.has_value());
  EXPECT_GT(between->for_reversed(), between->for_quarter());
  EXPECT_LE(between->for_quarter(), between->quarter_ratio);
}

// Drivers that stand far apart lie at unlike ways from a microphone at a metre: their phase is that
// which is heard on the axis. 0.35 m and one wavelength: 60 mm more, a sixth of a period.
TEST(LobeTest, ThePhaseIsThatOnTheAxisHoweverFarTheyStandApart) {
  CaseMaterial m = two_ways();
  m.subject.drivers[0] = {.id = "woofer", .role = "woofer", .y_m = -0.35, .radius_m = 0.001};
  m.subject.drivers[1] = {.id = "tweeter", .role = "tweeter", .y_m = 0.0, .radius_m = 0.001};
  m.subject.crossovers[0].frequency_hz = kC / 0.35;
  const auto level = [](double deg) {
    return [deg](double f) {
      const double rad = deg * kPi / 180.0;
      const auto way = [&](double y) { return std::hypot(std::sin(rad) - y, std::cos(rad)); };
      const double more = way(0.0) - way(-0.35) - (1.0 - std::hypot(1.0, 0.35));
      return 84.0 +
             20.0 * std::log10(std::abs(1.0 + std::polar(1.0, -2.0 * kPi * f / kC * more)) + 1e-4);
    };
  };
  m.takes.push_back(at_angle(0.0, level_of(level(0.0))));
  for (const double a : {-20.0, -10.0, 10.0, 20.0}) {
    m.takes.push_back(at_angle(0.0, level_of(level(a))));
    m.takes.back().vertical_deg = a;
  }
  const auto seen = lobe(m);
  ASSERT_TRUE(seen.has_value());
  EXPECT_NEAR(seen->between_deg, 0.0, 8.0);
  EXPECT_LT(seen->quarter_ratio, 0.1);
  EXPECT_LT(probability(diagnose(m), "crossover-phase"), 0.2);
}

TEST(LobeTest, WithoutAnglesUpAndDownNothingIsClaimed) {
  EXPECT_FALSE(lobe(two_points(90.0, {})).has_value());
  EXPECT_FALSE(lobe(two_points(90.0, {10.0, -10.0})).has_value()) << "two are too few";
  CaseMaterial beside = two_points(90.0, {-30.0, -10.0, 10.0, 30.0});
  beside.subject.drivers[1].y_m = beside.subject.drivers[0].y_m + 0.02;
  EXPECT_FALSE(lobe(beside).has_value()) << "side by side they have no lobe there";
  CaseMaterial far = two_points(90.0, {-30.0, -10.0, 10.0, 30.0});
  far.subject.drivers[1].y_m = far.subject.drivers[0].y_m + 0.3;
  EXPECT_FALSE(lobe(far).has_value()) << "1.7 wavelengths apart";
}

TEST(LobeTest, APhaseSeenByTheLobeIsNamedAndAPolarityIsAnother) {
  const std::vector<double> angles = {-30.0, -20.0, -10.0, 10.0, 20.0, 30.0};
  EXPECT_GT(probability(diagnose(two_points(90.0, angles)), "crossover-phase"), 0.5);
  const Diagnosis reversed = diagnose(two_points(180.0, angles));
  EXPECT_GT(probability(reversed, "driver-polarity"), 0.8);
  EXPECT_LT(probability(reversed, "crossover-phase"), 0.2);
  EXPECT_LT(probability(diagnose(two_points(0.0, angles)), "crossover-phase"), 0.2);
}

}  // namespace
}  // namespace lalometer
