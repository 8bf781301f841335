#include "diagnosis/view/meeting/lobe.h"

#include <gtest/gtest.h>

#include <cstdint>
#include <functional>

#include "diagnosis/made_curves.h"
#include "diagnosis/view/meeting/crossing.h"

namespace lalometer {
namespace {

using namespace made;

constexpr double kC = kSpeedOfSound20_m_s;

/// Two points, 130 mm apart one over the other, both equally loud, the upper one `degrees` late:
/// |1 + exp(j (phase - k more))|, written out (any textbook's two point sources).
/// @param turning  what that phase gains, degrees, so many octaves above the crossover at 2 kHz
CaseMaterial two_points(double degrees, const std::vector<double>& angles, double noise_db = 0.0,
                        const std::function<double(double)>& turning = {}) {
  CaseMaterial m = two_ways();
  m.subject.drivers[0].radius_m = 0.001;
  m.subject.drivers[1].radius_m = 0.001;
  std::uint32_t seed = 1;
  const auto level = [&](double deg) {
    return [=, &seed](double f) {
      const double rad = deg * kPi / 180.0;
      const auto way = [&](double y) { return std::hypot(std::sin(rad) - y, std::cos(rad)); };
      const double more = way(0.05) - way(-0.08);
      const double more_deg = turning ? turning(std::log2(f / 2000.0)) : 0.0;
      const double phase = (degrees + more_deg) * kPi / 180.0;
      const auto sum = 1.0 + std::polar(1.0, phase - 2.0 * kPi * f / kC * more);
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

// Where they meet 65 degrees are hardly more than usual; a delay has turned them to 105 a third of
// an octave above, while a network's phase stays.
TEST(LobeTest, ADelayIsSeenWhereItHasTurnedFarther) {
  const std::vector<double> angles = {-30.0, -20.0, -10.0, 10.0, 20.0, 30.0};
  const CaseMaterial late =
      two_points(65.0, angles, 0.3, [](double octaves) { return 130.0 * octaves; });
  const CaseMaterial usual = two_points(65.0, angles, 0.3);
  const auto seen = [](const CaseMaterial& m) { return crossings(view_of(m)).front(); };
  EXPECT_TRUE(seen(late).lobes_say_quarter());
  EXPECT_FALSE(seen(usual).lobes_say_quarter());
  EXPECT_GT(probability(diagnose(late), "crossover-phase"),
            probability(diagnose(usual), "crossover-phase") + 0.2);
}

// A late driver's hole lies above the crossover, where it has turned farther: 105 degrees have
// grown to 145 there. That is no reversed driver.
TEST(LobeTest, ADelayThatHasGrownToNearlyHalfAPeriodIsNoPolarity) {
  const std::vector<double> angles = {-30.0, -15.0, 15.0, 30.0};
  const Diagnosis d = diagnose(two_points(
      105.0, angles, 0.2, [](double octaves) { return 105.0 * (std::exp2(octaves) - 1.0); }));
  EXPECT_GT(probability(d, "crossover-phase"), 0.5);
  EXPECT_LT(probability(d, "driver-polarity"), 0.3);
}

// Beside a resonance the phase turns and comes back: what falls again above is no delay's.
TEST(LobeTest, APhaseThatTurnsBackIsNoDelays) {
  const std::vector<double> angles = {-30.0, -20.0, -10.0, 10.0, 20.0, 30.0};
  const CaseMaterial back = two_points(20.0, angles, 0.3, [](double octaves) {
    return 70.0 * std::exp(-0.5 * std::pow(octaves / 0.15, 2));
  });
  EXPECT_TRUE(crossings(view_of(back)).front().turns_back());
  EXPECT_LT(probability(diagnose(back), "crossover-phase"),
            0.5 * probability(diagnose(two_points(90.0, angles, 0.3)), "crossover-phase"));
}

/// Flat, with a hole of the sum on the axis, and half of it to the sides.
CaseMaterial with_hole(double at_hz, double db, double to_the_sides) {
  CaseMaterial m = two_ways();
  for (const double a : {0.0, 15.0, -15.0, 30.0, -30.0})
    m.takes.push_back(at_angle(a, level_of([=](double f) {
                                 return 86.0 +
                                        bell(f, at_hz, a == 0.0 ? db : to_the_sides * db, 0.12);
                               })));
  return m;
}

// 6 dB are no edge's that foretells 2; from 8 to 10 dB a wrong phase goes over into a reversed
// driver without a leap.
TEST(MeetingTest, WhatIsMissingBeyondTheEdgesIsTheSums) {
  double last = 0.0;
  for (const double deep : {7.0, 8.0, 9.0, 10.0, 11.0, 13.0}) {
    const Diagnosis d = diagnose(with_hole(2000.0, -deep, 1.0));
    const double polarity = probability(d, "driver-polarity");
    const double phase = probability(d, "crossover-phase");
    EXPECT_GE(polarity, last) << deep;
    EXPECT_EQ(polarity > phase, deep > 8.5) << deep << ": " << polarity << ", " << phase;
    EXPECT_LT(probability(d, "edge-diffraction"), 0.3);
    last = polarity;
  }
}

// A hand's breadth from two drivers 130 mm apart their ways differ by more than at a listener's.
TEST(MeetingTest, FromTooNearNothingIsToldOfTheSum) {
  CaseMaterial m = with_hole(2000.0, -10.0, 1.0);
  const double far = probability(diagnose(m), "driver-polarity");
  for (CaseTake& t : m.takes) t.distance_m = 0.15;
  const Diagnosis near = diagnose(m);
  EXPECT_LT(probability(near, "driver-polarity"), 0.5 * far);
  EXPECT_LT(probability(near, "crossover-phase"), 0.3);
}

// Drivers the wrong way round cancel where they are alike in level: at the crossover. A delay turns
// the phase on, and they cancel beside it.
TEST(MeetingTest, AHoleBesideTheCrossoverIsADelaysAndOneOnItAPolaritys) {
  const Diagnosis beside = diagnose(with_hole(2000.0 * std::exp2(0.28), -13.0, 0.5));
  EXPECT_GT(probability(beside, "crossover-phase"), probability(beside, "driver-polarity"));
  const Diagnosis on = diagnose(with_hole(2000.0, -13.0, 1.0));
  EXPECT_GT(probability(on, "driver-polarity"), 0.5);
  EXPECT_GT(probability(on, "driver-polarity"), probability(on, "crossover-phase"));
}

// The lowest of many rows of noise is low by itself, and half an octave off the crossover a flipped
// driver moves little.
TEST(MeetingTest, NoiseMakesNoHoleAndAFlippedDriverIsReadAboutTheCrossover) {
  std::uint32_t seed = 7;
  const auto noisy = [&](double null_db) {
    return level_of([&](double f) {
      double sum = 0.0;
      for (int i = 0; i < 6; ++i) {
        seed = (seed * 1103515245U + 12345U) & 0x7fffffffU;
        sum += static_cast<double>(seed) / 0x40000000 - 1.0;
      }
      return 86.0 + 0.8 * sum + bell(f, 2000.0, null_db, 0.25);
    });
  };
  CaseMaterial m = two_ways();
  for (const double a : {0.0, 15.0, -15.0, 30.0, -30.0}) m.takes.push_back(at_angle(a, noisy(0.0)));
  m.takes.push_back(at_angle(0.0, noisy(-16.0)));
  m.takes.back().flipped = "tweeter";
  const Diagnosis d = diagnose(m);
  EXPECT_LT(probability(d, "crossover-phase"), 0.3);
  EXPECT_LT(probability(d, "driver-polarity"), 0.3);
}

// Phases that were taken, of each driver alone, outweigh what levels about them say.
TEST(MeetingTest, AMeasuredPhaseOutweighsTheLobe) {
  const std::vector<double> angles = {-30.0, -20.0, -10.0, 10.0, 20.0, 30.0};
  const auto with_phase = [&](double degrees) {
    CaseMaterial m = two_points(90.0, angles);
    for (const char* driver : {"woofer", "tweeter"})
      m.takes.push_back(
          alone(driver, curve(Quantity::kPressure, 100.0, 18000.0, 48.0, true, [&](double) {
                  return std::polar(0.3, driver[0] == 'w' ? 0.0 : degrees * kPi / 180.0);
                })));
    return probability(diagnose(m), "crossover-phase");
  };
  EXPECT_LT(with_phase(10.0), 0.3);
  EXPECT_GT(with_phase(90.0), 0.7);
}

// Between centres of 0.45 m at 2 kHz lie 2.6 wavelengths: nulls 11 degrees off the axis, whether or
// not anybody looked. Two large cones that stand as near as they can are none of that.
TEST(MeetingTest, SpacingIsSaidByTheDrawingWhereNobodyLookedUp) {
  CaseMaterial m = with_hole(2000.0, 0.0, 0.0);
  m.subject.drivers[1].y_m = m.subject.drivers[0].y_m + 0.45;
  EXPECT_GT(probability(diagnose(m), "source-spacing-lobing"), 0.5);
  m.subject.drivers[1].y_m = m.subject.drivers[0].y_m + 0.25;
  EXPECT_LT(probability(diagnose(m), "source-spacing-lobing"), 0.1) << "1.46 wavelengths";
  CaseMaterial near = with_hole(2000.0, 0.0, 0.0);
  near.subject.drivers[0].radius_m = 0.16;
  near.subject.drivers[1].radius_m = 0.14;
  near.subject.drivers[1].y_m = near.subject.drivers[0].y_m + 0.4;
  EXPECT_LT(probability(diagnose(near), "source-spacing-lobing"), 0.5);
}

// Half an octave over its crossover a woofer still plays. What it has by itself, or what its coil
// feels, is its cone's and no matter of the sum.
TEST(MeetingTest, AConeThatBendsWhereTwoDriversMeetIsFoundByItsOwnTakes) {
  CaseMaterial m = two_ways();
  const auto dip = [](double f) { return 86.0 + bell(f, 2400.0, -2.4, 0.07); };
  for (const double a : {0.0, 15.0, -15.0, 30.0, -30.0, 45.0, -45.0})
    m.takes.push_back(at_angle(a, level_of(dip)));
  const double whole = probability(diagnose(m), "driver-breakup");
  m.takes.push_back(alone("woofer", level_of(dip)));
  m.takes.push_back(alone("tweeter", level_of([](double) { return 86.0; })));
  const Diagnosis d = diagnose(m);
  EXPECT_GT(probability(d, "driver-breakup"), std::max(whole, 0.7));
  EXPECT_GT(probability(d, "driver-breakup"), probability(d, "crossover-phase"));
  // The other way round it is the dome's, which measures half a wavelength there.
  m.takes[m.takes.size() - 2].driver = "tweeter";
  m.takes.back().driver = "woofer";
  EXPECT_LT(probability(diagnose(m), "driver-breakup"), 0.5);
}

}  // namespace
}  // namespace lalometer
