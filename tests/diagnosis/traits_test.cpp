// What is ordinary, or another thing, and must not be taken for a fault.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <random>

#include "acoustics/enclosure/port.h"
#include "diagnosis/made_curves.h"
#include "diagnosis/view/bass/flow.h"

namespace lalometer {
namespace {

using namespace made;

constexpr double kC = kSpeedOfSound20_m_s;

TEST(TraitsTest, ScatteredRowsAreNoiseAndNothingElse) {
  for (const double scatter : {0.05, 1.5}) {
    CaseMaterial m = two_ways();
    std::mt19937 engine(7);
    std::normal_distribution<double> row(0.0, scatter);
    for (const double a : {0.0, 15.0, -15.0, 30.0, -30.0, 45.0})
      m.takes.push_back(at_angle(a, level_of([&](double) { return 86.0 + row(engine); }, 150.0)));
    const Diagnosis d = diagnose(m);
    if (scatter < 0.1) {
      EXPECT_TRUE(d.clean());
      continue;
    }
    EXPECT_GT(probability(d, "noise"), 0.5);
    for (const char* other : {"driver-breakup", "panel-resonance", "suspension-resonance",
                              "mains-hum", "reflection", "edge-diffraction"})
      EXPECT_LT(probability(d, other), 0.5) << other;
  }
}

// Rows at 24 an octave cannot follow a comb at the top: that is no noise.
TEST(TraitsTest, ACombThatTheRowsCannotFollowIsNoNoise) {
  CaseMaterial m = one_cone(0.05);
  const auto late = [](double f) {
    return 86.0 + 20.0 * std::log10(std::abs(1.0 + 0.6 * std::polar(1.0, -2.0 * kPi * f * 1.6e-3)));
  };
  for (const double a : {0.0, 20.0, -20.0, 40.0})
    m.takes.push_back(at_angle(a, level_of(late, 150.0, 24.0)));
  const Diagnosis d = diagnose(m);
  EXPECT_LT(probability(d, "noise"), 0.5);
  EXPECT_GT(probability(d, "reflection"), 0.6);
  EXPECT_LT(probability(d, "driver-breakup"), 0.5) << "its teeth are no cones";
}

// Without a drawing nobody knows what its edges make: shallow teeth may be theirs, deep ones not.
TEST(TraitsTest, WithoutADrawingOnlyADeepCombIsAReflection) {
  const auto told = [](double share) {
    CaseMaterial m;
    m.subject.loading = "sealed";
    m.takes.push_back(at_angle(
        0.0, level_of(
                 [=](double f) {
                   return 86.0 +
                          20.0 * std::log10(std::abs(
                                     1.0 + share * std::polar(1.0, -2.0 * kPi * f * 1.6e-3)));
                 },
                 150.0)));
    return probability(diagnose(m), "reflection");
  };
  EXPECT_GT(told(0.6), 0.5);
  EXPECT_LT(told(0.2), 0.5);
}

/// A cone of 6 cm with something that moves by itself: a bell of the response and a loop in free
/// air.
Diagnosis moving(double bell_hz, double bell_db, double loop_hz, double loop_q,
                 double boxed_at_hz = 0.0) {
  CaseMaterial m = one_cone(0.06);
  for (const double a : {0.0, 15.0, -15.0, 30.0, -30.0})
    m.takes.push_back(
        at_angle(a, level_of([&](double f) { return 86.0 + bell(f, bell_hz, bell_db, 0.1); })));
  const auto impedance = [&](const char* condition, double at_hz, double fs_hz) {
    m.takes.push_back(
        {.kind = CaseTake::Kind::kImpedance,
         .name = condition,
         .condition = condition,
         .curve = curve(Quantity::kImpedance, 10.0, 20000.0, 96.0, true, [&](double f) {
           const std::complex<double> j(0.0, 1.0);
           return 6.0 + j * 2.0 * kPi * f * 2e-4 +
                  40.0 / (1.0 + 4.0 * j * (f / fs_hz - fs_hz / f)) +
                  0.4 / (1.0 + loop_q * j * (f / at_hz - at_hz / f));
         })});
  };
  impedance("free-air", loop_hz, 55.0);
  if (boxed_at_hz > 0.0) impedance("in-box", boxed_at_hz, 80.0);
  return diagnose(m);
}

// The dip beside a surround's resonance lies where the cone is two wavelengths round already; its
// loop does not.
TEST(TraitsTest, AResonanceIsJudgedWhereItsLoopStands) {
  const double edge_hz = 1.9 * kC / (2.0 * kPi * 0.06);  // 1729 Hz
  EXPECT_GT(probability(moving(1.03 * edge_hz, -2.5, 0.93 * edge_hz, 7.0), "suspension-resonance"),
            0.0);
  EXPECT_EQ(probability(moving(1.03 * edge_hz, -2.5, 1.05 * edge_hz, 7.0), "suspension-resonance"),
            0.0);
}

// Over a network's ground no loop as broad is told from a bend of the curve: that none was seen
// says nothing; of a sharp one it does.
TEST(TraitsTest, OfABroadDipNoLoopSaysNothing) {
  for (const double wide : {0.2, 0.05}) {
    CaseMaterial m = one_cone(0.06);
    m.takes.push_back(
        at_angle(0.0, level_of([&](double f) { return 86.0 + bell(f, 2600.0, -4.0, wide); })));
    m.takes.push_back(
        {.kind = CaseTake::Kind::kImpedance,
         .name = "box",
         .condition = "in-box",
         .curve = curve(Quantity::kImpedance, 10.0, 20000.0, 96.0, true, [](double f) {
           const std::complex<double> j(0.0, 1.0);
           return 6.0 + j * 2.0 * kPi * f * 2e-4 + 40.0 / (1.0 + 4.0 * j * (f / 80.0 - 80.0 / f));
         })});
    const CaseView v = view_of(m);
    ASSERT_FALSE(v.features.empty());
    EXPECT_EQ(v.features.front().wiggle_box.has_value(), wide < 0.1) << v.features.front().q;
  }
}

// A bend has a Q of 5 to 20 (common practice, no source), a surround less.
TEST(TraitsTest, ADampedLoopIsNoBend) {
  const double sharp = probability(moving(1650.0, -2.5, 1650.0, 8.0), "driver-breakup");
  const double damped = probability(moving(1650.0, -2.5, 1650.0, 3.0), "driver-breakup");
  EXPECT_LT(damped, 0.5 * sharp);
}

// What the coil shows where the cone bends is that very bend, and no wave or surround beside it.
TEST(TraitsTest, ALoopAtABendIsNoSecondFinding) {
  const Diagnosis d = moving(2600.0, -4.0, 2600.0, 9.0, 2600.0);
  EXPECT_GT(probability(d, "driver-breakup"), 0.7);
  for (const Finding& f : d.findings) EXPECT_NE(f.shape, FindingShape::kWiggle) << f.frequency_hz;
}

// Above 1.9 wavelengths round a cone bends; what moves below is its surround.
TEST(TraitsTest, ASurroundIsSoughtOnlyWhereTheConeMovesAsOne) {
  EXPECT_GT(probability(moving(900.0, -3.0, 900.0, 7.0), "suspension-resonance"), 0.5);
  EXPECT_GT(probability(moving(2600.0, -3.0, 2600.0, 7.0), "driver-breakup"), 0.5);
  EXPECT_EQ(probability(moving(2600.0, -3.0, 2600.0, 7.0), "suspension-resonance"), 0.0);
}

// Where two drivers meet, a sharp dip that is alike at all angles is the lower cone's, though the
// tweeter leads; a broad one that the sides do not have is nobody's cone.
TEST(TraitsTest, SharpAndAlikeWhereTwoMeetIsTheLowerCones) {
  const auto case_of = [](double wide, double to_the_sides) {
    CaseMaterial m = two_ways();
    for (const double a : {0.0, 15.0, -15.0, 30.0, -30.0})
      m.takes.push_back(at_angle(a, level_of([&](double f) {
                                   return 86.0 +
                                          bell(f, 2300.0, a == 0.0 ? -4.0 : to_the_sides, wide);
                                 })));
    return diagnose(m);
  };
  const Diagnosis sharp = case_of(0.05, -4.0);
  const FindingCause* cone = found(sharp, "driver-breakup");
  ASSERT_NE(cone, nullptr);
  EXPECT_THAT(cone->evidence.front(), testing::HasSubstr("woofer measures"));
  EXPECT_LT(probability(case_of(0.3, -0.5), "driver-breakup"), 0.5 * cone->probability);
}

// An open pipe sounds at whole multiples of its lowest resonance (Helmholtz): where that one is
// heard, something sharp an octave above is no wall.
TEST(TraitsTest, APipesOvertoneIsNoWall) {
  CaseMaterial m = one_cone(0.06);
  m.subject.loading = "vented";
  const PortGeometry port{.diameter_m = 0.06, .length_m = 0.3};
  m.subject.ports = {{"port", port, port.equivalent_radius_m(), 1, true}};
  const double pipe = pipe_resonance_hz(port, kC);
  const auto with = [&](double pipe_db) {
    for (const double a : {0.0, 30.0, -30.0}) {
      m.takes.push_back(at_angle(a, level_of([&](double f) {
                                   return 86.0 + bell(f, pipe, pipe_db, 0.06) +
                                          bell(f, 2.0 * pipe, -2.5, 0.02);
                                 })));
    }
    const double said = probability(diagnose(m), "panel-resonance");
    m.takes.clear();
    return said;
  };
  EXPECT_GT(with(0.0), 0.25);
  EXPECT_LT(with(4.0), 0.1);
}

// An open panel's rear comes round its edge a little later: dips evenly spaced as well.
TEST(TraitsTest, TheRearOfAnOpenPanelIsNoReflection) {
  CaseMaterial m = one_cone(0.06);
  m.subject.loading = "open-baffle";
  const double path = 0.115;
  const auto dipole = [=](double deg) {
    return [=](double f) {
      const double way = path * (1.0 + std::cos(deg * kPi / 180.0)) / 2.0;
      const auto rear = 0.9 * std::polar(1.0 / (1.0 + f / 9000.0), -2.0 * kPi * f * way / kC);
      return 86.0 + 20.0 * std::log10(std::abs(1.0 - rear) + 1e-3);
    };
  };
  for (const double a : {0.0, 30.0, -30.0, 60.0})
    m.takes.push_back(at_angle(a, level_of(dipole(a), 150.0)));
  const Diagnosis d = diagnose(m);
  EXPECT_LT(probability(d, "reflection"), 0.2);
  EXPECT_GT(probability(d, "dipole-cancellation"), 0.5);
}

// Every open panel cancels; a frame that resonates as well is what is wrong with it.
TEST(TraitsTest, BesideAResonatingFrameThePanelsCancellationIsATrait) {
  CaseMaterial m = one_cone(0.06);
  m.subject.loading = "open-baffle";
  const auto with = [](double resonance_db) {
    // Peak and null where front and back meet by the shortest way round the panel.
    const double path = 0.105 + 0.18;
    return level_of(
        [=](double f) {
          const auto rear = 0.7 * std::polar(1.0 / (1.0 + f / 9000.0), -2.0 * kPi * f * path / kC);
          return 86.0 + 20.0 * std::log10(std::abs(1.0 - rear)) +
                 bell(f, kC / (4.0 * 0.22), resonance_db, 0.12);
        },
        100.0);
  };
  m.subject.wing_m = 0.18;
  for (const double db : {0.0, 6.0}) {
    m.takes.clear();
    for (const double a : {0.0, 30.0, -30.0}) m.takes.push_back(at_angle(a, with(db)));
    for (const double a : {150.0, 180.0}) m.takes.push_back(at_angle(a, with(1.6 * db)));
    const Diagnosis d = diagnose(m);
    if (db == 0.0)
      EXPECT_GT(probability(d, "dipole-cancellation"), 0.5);
    else {
      EXPECT_GT(probability(d, "cavity-resonance"), 0.5);
      EXPECT_LT(probability(d, "dipole-cancellation"), 0.4);
    }
  }
}

TEST(TraitsTest, APeakOfTheWingsStandsHigherBehind) {
  CaseMaterial m = one_cone(0.06);
  m.subject.loading = "open-baffle";
  m.subject.wing_m = 0.18;
  // A quarter wave of the depth and its end, as the room has it (common practice, no source).
  const double quarter = kC / (4.0 * 0.22);
  const auto with = [=](double db) {
    return level_of([=](double f) { return 86.0 + bell(f, quarter, db, 0.12); }, 100.0);
  };
  for (const double a : {0.0, 30.0, -30.0}) m.takes.push_back(at_angle(a, with(4.0)));
  const double in_front = probability(diagnose(m), "cavity-resonance");
  for (const double a : {150.0, 180.0}) m.takes.push_back(at_angle(a, with(6.5)));
  const double behind = probability(diagnose(m), "cavity-resonance");
  EXPECT_GT(behind, in_front);
  EXPECT_GT(behind, 0.7);
  for (CaseTake& t : m.takes)
    if (t.horizontal_deg > 100.0) t.curve = with(1.0);
  EXPECT_LT(probability(diagnose(m), "cavity-resonance"), in_front);
}

TEST(TraitsTest, AnOrdinaryBoxsEdgesStayBelowOneHalf) {
  // The same ripple, half as large and whole: what the drawing foretells is 3 dB.
  const auto told = [](double share) {
    CaseMaterial m = one_cone(0.02);
    put_on_square_front(m);
    // First dip of a disc of the same distance, c / d: 2.9 kHz, written as bells.
    const auto ripple = [=](double f) {
      return 86.0 + share * (bell(f, 2860.0, -4.5, 0.3) + bell(f, 1430.0, 3.0, 0.35));
    };
    m.takes.push_back(at_angle(0.0, level_of(ripple, 200.0)));
    for (const double a : {30.0, -30.0, 45.0})
      m.takes.push_back(at_angle(a, level_of([](double) { return 85.0; }, 200.0)));
    return probability(diagnose(m), "edge-diffraction");
  };
  EXPECT_GT(told(1.0), 0.5);
  EXPECT_LT(told(0.4), 0.5);
}

// Two near fields that cancel at the radiator's own resonance: the sum has a hole.
TEST(TraitsTest, AHoleOfTheNearFieldsBelowTheTuningIsTheRadiatorsNotch) {
  CaseMaterial m = one_cone(0.06);
  m.subject.loading = "passive-radiator";
  m.subject.radiators = {{"radiator", 0.065}};
  const auto field = [](bool radiator, double own_hz) {
    return curve(Quantity::kPressure, 12.0, 500.0, 48.0, true, [=](double f) {
      const std::complex<double> s(0.0, f / 45.0);
      const double own = own_hz / 45.0;
      // Mass and spring of the radiator beside the box's air; tuned to 45 Hz.
      const auto zr = (s + own * own / s) / (1.0 - own * own) + 0.02;
      const auto total = 1.0 / (s + 1.0 / zr + 0.1);
      const auto cone = s / (s * s + 1.2 * s + 1.0 + total * s);
      return (radiator ? -cone * total / zr / 0.065 : cone / 0.06) * 0.1;
    });
  };
  const auto set = [&](double own_hz) {
    m.takes = {{.kind = CaseTake::Kind::kNearField,
                .name = "cone",
                .source = "cone",
                .curve = field(false, own_hz)},
               {.kind = CaseTake::Kind::kNearField,
                .name = "radiator",
                .source = "radiator",
                .curve = field(true, own_hz)}};
  };
  set(34.0);
  const auto flow = bass_flow(view_of(m));
  ASSERT_TRUE(flow.has_value());
  EXPECT_NEAR(flow->hole_hz, 34.0, 2.0);
  EXPECT_LT(flow->hole_db, -6.0);
  EXPECT_GT(probability(diagnose(m), "passive-radiator-notch"), 0.5);
}

/// An open panel of 0.46 by 0.8 m, flat above its peak: a doublet, |sin(k d / 2)|, d = 0.35 m, and
/// its cosine to the side (any textbook).
CaseMaterial doublet(bool equalised) {
  CaseMaterial m = one_cone(0.09);
  m.subject.loading = "open-baffle";
  m.subject.baffle = *Baffle::make({.width_m = 0.46,
                                    .height_m = 0.8,
                                    .depth_m = 0.02,
                                    .edge = EdgeShape::kSquare,
                                    .edge_size_m = 0.0});
  m.subject.origin_x_m = 0.23;
  m.subject.origin_y_m = 0.4;
  for (const double a : {0.0, 30.0, 60.0, 90.0})
    m.takes.push_back(
        at_angle(a, level_of(
                        [=](double f) {
                          const double x = std::min(kPi * f * 0.35 / kC, 0.5 * kPi);
                          const double side = std::abs(std::cos(a * kPi / 180.0)) + 0.03;
                          return 86.0 + 20.0 * std::log10((equalised ? 1.0 : std::sin(x)) *
                                                          (x < 0.5 * kPi ? side : 1.0));
                        },
                        40.0)));
  return m;
}

TEST(TraitsTest, AnOpenPanelThatHasLostItsBassIsToldWithoutAnyBump) {
  EXPECT_GT(probability(diagnose(doublet(false)), "dipole-cancellation"), 0.7);
  EXPECT_LT(probability(diagnose(doublet(true)), "dipole-cancellation"), 0.5)
      << "a figure of eight whose bass was made up is as it should be";
}

// Of a port's own near field: its pipe and the box's waves, with nulls between them. No noise.
TEST(TraitsTest, APortsRuggedNearFieldIsNoNoise) {
  const auto noise = [](const char* source, const char* port) {
    CaseMaterial m = one_cone(0.06);
    m.subject.loading = "vented";
    m.takes.push_back(at_angle(0.0, level_of([](double) { return 86.0; })));
    std::mt19937 engine(3);
    std::normal_distribution<double> row(0.0, 1.2);
    m.takes.push_back({.kind = CaseTake::Kind::kNearField,
                       .name = port,
                       .source = source,
                       .curve = level_of([&](double) { return 90.0 + row(engine); }, 50.0)});
    return probability(diagnose(m), "noise");
  };
  EXPECT_LT(noise("port", "port"), 0.1);
  EXPECT_GT(noise("cone", "cone"), 0.5);
}

}  // namespace
}  // namespace lalometer
