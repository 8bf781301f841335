// Evidence of the sound against theory worked out here: a piston's directivity by its Bessel
// function, drivers that meet in textbook filters, shelves, arrivals.
#include <gmock/gmock.h>

#include <random>

#include "diagnosis/made_curves.h"
#include "diagnosis/view/view.h"

namespace lalometer {
namespace {

using namespace made;
using testing::Contains;
using testing::HasSubstr;

constexpr double kC = kSpeedOfSound20_m_s;
using Complex = std::complex<double>;

/// A rigid piston in a baffle, 2 J1(x) / x with x = ka sin; Morse and Ingard, Theoretical
/// Acoustics, 7.4.
double piston_db(double f, double radius_m, double degrees) {
  const double x = 2.0 * kPi * f / kC * radius_m * std::sin(std::abs(degrees) * kPi / 180.0) + 1e-9;
  return 20.0 * std::log10(std::max(std::abs(2.0 * std::cyl_bessel_j(1.0, x) / x), 1e-3));
}

TEST(EvidenceTest, AConeBeamsFromWhereItsSizePutsIt) {
  for (const double radius : {0.1, 0.016}) {
    CaseMaterial m = one_cone(radius);
    for (const double a : {0.0, 45.0, -45.0})
      m.takes.push_back(
          at_angle(a, level_of([&](double f) { return 88.0 + piston_db(f, radius, a); })));
    const Diagnosis d = diagnose(m);
    ASSERT_NE(found(d, "beaming"), nullptr);
    // ka sin = 2.2 at 45 degrees: 1.70 kHz, 10.6 kHz.
    EXPECT_THAT(found(d, "beaming")->evidence,
                Contains(HasSubstr(radius > 0.05 ? "1.70 kHz" : "10.6 kHz")));
  }
}

// Off the axis a large piston has nulls of its own, up where a copy would be sought: it is found
// below them.
TEST(EvidenceTest, ACopyIsFoundBesideALargePistonsOwnNulls) {
  const auto told = [](double share) {
    CaseMaterial m = one_cone(0.1);
    const auto copy = [=](double f) {
      return 20.0 * std::log10(std::abs(1.0 + share * std::polar(1.0, -2.0 * kPi * f * 1.675e-3)));
    };
    for (const double a : {0.0, 30.0, -30.0, 45.0, -45.0})
      m.takes.push_back(at_angle(
          a, level_of([&](double f) { return 88.0 + piston_db(f, 0.1, a) + copy(f); }, 150.0)));
    return probability(diagnose(m), "reflection");
  };
  EXPECT_GT(told(0.27), 0.7);
  EXPECT_LT(told(0.0), 0.3);
}

// A quick set of 30 and 60 degrees tells it as well: -6 dB at ka sin = 2.2 of the angle there is.
TEST(EvidenceTest, BeamingIsReadFromWhateverAngleThereIs) {
  for (const double angle : {30.0, 60.0}) {
    CaseMaterial m = one_cone(0.08);
    for (const double a : {0.0, angle})
      m.takes.push_back(
          at_angle(a, level_of([&](double f) { return 88.0 + piston_db(f, 0.08, a); })));
    EXPECT_GT(probability(diagnose(m), "beaming"), 0.5) << angle;
  }
}

TEST(EvidenceTest, BeamingAboveItsCrossoverIsNotTheWoofers) {
  CaseMaterial m = two_ways();
  for (const double a : {0.0, 45.0, -45.0})
    m.takes.push_back(at_angle(
        a, level_of([&](double f) { return 88.0 + piston_db(f, f < 2000.0 ? 0.06 : 0.012, a); })));
  EXPECT_EQ(found(diagnose(m), "beaming"), nullptr);
}

TEST(EvidenceTest, AShelfWhereTheWidthPutsItIsTheBafflesStep) {
  CaseMaterial m = one_cone(0.05);
  const auto shelf = [](double at, double db) {
    return [=](double f) { return 82.0 + db / (1.0 + std::pow(at / f, 2.0)); };
  };
  // Common practice, no source: 115 m/s over the width, here 500 Hz.
  m.takes.push_back(at_angle(0.0, level_of(shelf(500.0, 6.0), 60.0)));
  const Diagnosis d = diagnose(m);
  ASSERT_NE(found(d, "baffle-step"), nullptr);
  for (const Finding& f : d.findings)
    if (f.causes.front().cause == "baffle-step") {
      EXPECT_EQ(f.shape, FindingShape::kStep);
      EXPECT_NEAR(f.frequency_hz, 500.0, 25.0);
      EXPECT_TRUE(f.correctable_by_eq);
    }
  m.takes[0].curve = level_of(shelf(500.0, 1.0), 60.0);
  EXPECT_EQ(found(diagnose(m), "baffle-step"), nullptr) << "filled by the network";
  m.takes[0].curve = level_of(shelf(500.0, 6.0), 300.0);
  EXPECT_EQ(found(diagnose(m), "baffle-step"), nullptr) << "what lies below was not measured";
  m.takes[0].curve = level_of(shelf(500.0, 6.0), 60.0);
  m.subject.loading = "open-baffle";
  EXPECT_EQ(found(diagnose(m), "baffle-step"), nullptr);
}

/// Two drivers through filters of the fourth order of Linkwitz and Riley (JAES 24 (1976) 2), which
/// add up flat and in phase; the upper one turned by what is asked.
struct Pair {
  double turn_deg = 0.0;
  Complex low(double f) const {
    const Complex s(0.0, f / 2000.0);
    return 1.0 / std::pow(1.0 + std::sqrt(2.0) * s + s * s, 2.0);
  }
  Complex high(double f) const {
    const Complex s(0.0, f / 2000.0);
    return std::pow(s, 4.0) * low(f) * std::polar(1.0, turn_deg * kPi / 180.0);
  }
  Response of(bool with_low, bool with_high) const {
    return curve(Quantity::kPressure, 100.0, 18000.0, 48.0, true, [&](double f) {
      return 0.4 * ((with_low ? low(f) : 0.0) + (with_high ? high(f) : 0.0));
    });
  }
};

TEST(EvidenceTest, PhaseOfEachAloneTellsAWrongPolarityFromAWrongAngle) {
  const auto diagnosed = [](double turn) {
    CaseMaterial m = two_ways();
    const Pair pair{turn};
    m.takes.push_back(at_angle(0.0, pair.of(true, true)));
    m.takes.push_back(alone("woofer", pair.of(true, false)));
    m.takes.push_back(alone("tweeter", pair.of(false, true)));
    return diagnose(m);
  };
  const Diagnosis flat = diagnosed(0.0);
  EXPECT_TRUE(flat.clean());
  const Diagnosis crossed = diagnosed(180.0);
  EXPECT_GT(probability(crossed, "driver-polarity"), 0.9);
  EXPECT_LT(probability(crossed, "crossover-phase"), 0.1);
  for (const double turn : {85.0, -85.0}) {
    const Diagnosis aside = diagnosed(turn);
    EXPECT_GT(probability(aside, "crossover-phase"), 0.7) << turn;
    EXPECT_LT(probability(aside, "driver-polarity"), 0.2) << turn;
    EXPECT_THAT(found(aside, "crossover-phase")->evidence, Contains(HasSubstr("85° apart")));
  }
  // Between a quarter and half a period one goes over into the other without a leap.
  double last = 0.0;
  for (const double turn : {100.0, 115.0, 125.0, 135.0, 145.0, 160.0}) {
    const Diagnosis d = diagnosed(turn);
    const double polarity = probability(d, "driver-polarity");
    EXPECT_GE(polarity, last) << turn;
    EXPECT_EQ(polarity > probability(d, "crossover-phase"), turn > 130.0) << turn;
    EXPECT_LT(turn < 140.0 ? polarity : 0.0, 0.9) << turn;
    last = polarity;
  }
}

// From 0.2 m the microphone stands 14 degrees off a tweeter that is 50 mm up: its dip there says
// nothing of the diaphragm.
TEST(EvidenceTest, OfADriverThatIsHeardFromAsideDipsAreItsSizes) {
  const auto bent = [](double distance_m) {
    CaseMaterial m = two_ways();
    for (const double a : {0.0, 30.0, -30.0}) {
      m.takes.push_back(
          at_angle(a, level_of([](double f) { return 85.0 + bell(f, 9500.0, -6.0, 0.12); })));
      m.takes.back().distance_m = distance_m;
    }
    return probability(diagnose(m), "driver-breakup");
  };
  EXPECT_GT(bent(1.0), 0.5);
  EXPECT_LT(bent(0.2), 0.5 * bent(1.0));
}

TEST(EvidenceTest, ADipThatADriverHasAloneIsNoFaultOfTheSum) {
  CaseMaterial m = two_ways();
  const auto dip = [](double f) { return 85.0 + bell(f, 2000.0, -8.0, 0.15); };
  m.takes.push_back(at_angle(0.0, level_of(dip)));
  m.takes.push_back(at_angle(30.0, level_of(dip)));
  const double before = std::max(probability(diagnose(m), "driver-polarity"),
                                 probability(diagnose(m), "crossover-phase"));
  m.takes.push_back(alone("woofer", level_of(dip)));
  m.takes.push_back(alone("tweeter", level_of(dip)));
  const Diagnosis d = diagnose(m);
  EXPECT_LT(probability(d, "driver-polarity") + probability(d, "crossover-phase"), before);
}

TEST(EvidenceTest, AnArrivalCountsOnlyWithinTheGate) {
  CaseMaterial m = one_cone(0.05);
  m.takes.push_back(
      at_angle(0.0, level_of([](double f) { return 85.0 + bell(f, 900.0, -4.0, 0.15); })));
  m.takes[0].reflection_s = 4e-3;
  m.takes[0].gate_s = 6e-3;
  const double within = probability(diagnose(m), "reflection");
  m.takes[0].gate_s = 3.9e-3;
  EXPECT_GT(within, 0.5);
  EXPECT_LT(probability(diagnose(m), "reflection"), 0.1);
}

TEST(EvidenceTest, DistanceAndGateAreJudgedByTheLoudspeakersSize) {
  CaseMaterial m = one_cone(0.05);
  m.takes.push_back(at_angle(0.0, level_of([](double) { return 85.0; })));
  const auto close = [&](double distance) {
    m.takes[0].distance_m = distance;
    return probability(diagnose(m), "microphone-too-close");
  };
  EXPECT_EQ(close(1.0), 0.0);
  EXPECT_GT(close(0.3), 0.7);
  // A wall that a driver is measured in is no part of it.
  m.subject.baffle = *Baffle::make({.width_m = 1.35,
                                    .height_m = 1.65,
                                    .depth_m = 0.1,
                                    .edge = EdgeShape::kSquare,
                                    .edge_size_m = 0.0});
  EXPECT_GT(close(1.0), 0.7);
  m.subject.loading = "large-baffle";
  EXPECT_EQ(close(1.0), 0.0);
  m.subject.loading = "sealed";
  m.subject.baffle = one_cone(0.05).subject.baffle;
  // Sources far apart need more: two of them half a metre apart.
  m.subject.drivers.push_back({.id = "upper", .role = "tweeter", .y_m = 0.5, .radius_m = 0.012});
  EXPECT_GT(close(1.0), 0.7);
  const auto gate = [&](double seconds) {
    m.takes[0].gate_s = seconds;
    return probability(diagnose(m), "gate-too-short");
  };
  EXPECT_GT(gate(0.002), gate(0.0028));
  EXPECT_EQ(gate(0.005), 0.0);
  EXPECT_EQ(gate(0.0), 0.0) << "a record that was not gated";
}

TEST(EvidenceTest, TwelvePointsAnOctaveTellTheSame) {
  const auto with = [](double f) { return 85.0 + bell(f, 4000.0, -6.0, 0.15); };
  const auto likeliest = [&](double per_octave) {
    CaseMaterial m = one_cone(0.05);
    for (const double a : {0.0, 30.0, -30.0, 45.0})
      m.takes.push_back(at_angle(a, level_of(with, 200.0, per_octave)));
    const Diagnosis d = diagnose(m);
    EXPECT_FALSE(d.findings.empty());
    if (d.findings.empty()) return std::string();
    EXPECT_NEAR(d.findings.front().frequency_hz, 4000.0, 150.0);
    return d.findings.front().causes.front().cause;
  };
  EXPECT_EQ(likeliest(12.0), "driver-breakup");
  EXPECT_EQ(likeliest(96.0), "driver-breakup");
}

TEST(EvidenceTest, CausesOfOneFindingShareOneProbabilityAndStandInOrder) {
  std::mt19937 engine(11);
  std::uniform_real_distribution<double> any(0.0, 1.0);
  for (int round = 0; round < 25; ++round) {
    CaseMaterial m = two_ways();
    std::array<std::array<double, 3>, 5> bells;
    for (auto& b : bells)
      b = {300.0 * std::pow(40.0, any(engine)), 16.0 * any(engine) - 8.0, 0.05 + 0.3 * any(engine)};
    for (const double a : {0.0, 30.0, -30.0, 60.0}) {
      const double share = any(engine);
      m.takes.push_back(at_angle(a, level_of([&](double f) {
                                   double db = 85.0;
                                   for (const auto& b : bells)
                                     db += (a == 0.0 ? 1.0 : share) * bell(f, b[0], b[1], b[2]);
                                   return db;
                                 })));
    }
    const Diagnosis d = diagnose(m);
    for (const Finding& f : d.findings) {
      ASSERT_FALSE(f.causes.empty());
      double sum = 0.0;
      for (std::size_t i = 0; i < f.causes.size(); ++i) {
        sum += f.causes[i].probability;
        EXPECT_GE(f.causes[i].probability, 0.0);
        EXPECT_LE(f.causes[i].probability, f.causes[i == 0 ? 0 : i - 1].probability);
        EXPECT_FALSE(f.causes[i].evidence.empty() && f.causes[i].against.empty())
            << f.causes[i].cause;
      }
      EXPECT_LE(sum, 1.0 + 1e-9);
      EXPECT_LE(f.low_hz, f.frequency_hz);
      EXPECT_GE(f.high_hz, f.frequency_hz);
      EXPECT_FALSE(f.next_step.empty());
    }
    // The order in which the angles were taken changes nothing.
    CaseMaterial turned = m;
    std::reverse(turned.takes.begin(), turned.takes.end());
    const Diagnosis again = diagnose(turned);
    ASSERT_EQ(again.findings.size(), d.findings.size());
    for (std::size_t i = 0; i < d.findings.size(); ++i)
      EXPECT_NEAR(again.findings[i].causes.front().probability,
                  d.findings[i].causes.front().probability, 1e-9);
  }
}

TEST(EvidenceTest, NothingTakenIsNothingTold) {
  const Diagnosis d = diagnose(CaseMaterial{});
  EXPECT_TRUE(d.findings.empty());
  EXPECT_TRUE(d.overall.empty());
  EXPECT_TRUE(d.clean());
  // A drawing alone neither.
  EXPECT_TRUE(diagnose(two_ways()).findings.empty());
}

TEST(EvidenceTest, WhatOtherAnglesCouldNotShowIsNotCounted) {
  CaseMaterial m = one_cone(0.05);
  const auto dip = [](double f) { return 85.0 + bell(f, 700.0, -5.0, 0.15); };
  m.takes.push_back(at_angle(0.0, level_of(dip)));
  m.takes.push_back(at_angle(30.0, level_of(dip, 1500.0)));
  const CaseView v = view_of(m);
  ASSERT_EQ(v.features.size(), 1u);
  EXPECT_NEAR(v.features[0].at_hz, 700.0, 15.0);
  EXPECT_FALSE(v.features[0].horizontal.has_value()) << "the angle begins above the dip";
  m.takes[1].curve = level_of(dip);
  ASSERT_TRUE(view_of(m).features[0].horizontal.has_value());
  EXPECT_NEAR(*view_of(m).features[0].horizontal, 1.0, 0.01);
  m.takes[1].curve = level_of([](double f) { return 80.0 + bell(f, 700.0, 2.5, 0.15); });
  EXPECT_LT(*view_of(m).features[0].horizontal, 0.0) << "it bends the other way";
}

}  // namespace
}  // namespace lalometer
