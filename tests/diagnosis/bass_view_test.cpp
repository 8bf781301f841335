#include <gtest/gtest.h>

#include "acoustics/enclosure/driver_circuit.h"
#include "diagnosis/made_curves.h"
#include "diagnosis/view/bass/alignment.h"
#include "diagnosis/view/bass/flow.h"
#include "diagnosis/view/sound/step.h"

namespace lalometer {
namespace {

using namespace made;

/// A vented box's near fields by the circuit written out: the cone's flow meets the compliance, the
/// port's mass with its loss, and a leak; the port's share is Zt / Zp.
/// @param own  a radiator's own resonance over the tuning; 0: a port.
CaseMaterial near_fields(double q_port, double q_leak, double own = 0.0, bool phase = true) {
  CaseMaterial m = one_cone(0.06);
  m.subject.loading = "vented";
  const PortGeometry port{.diameter_m = 0.05, .length_m = 0.13};
  if (own > 0.0)
    m.subject.radiators = {{"port", 0.025}};
  else
    m.subject.ports = {{"port", port, port.equivalent_radius_m(), 1, false}};
  m.subject.volume_m3 = 0.014;
  const double fb = helmholtz_hz(0.014, {port}, kSpeedOfSound20_m_s);
  const auto take = [&](const char* source, double radius, bool of_port) {
    const Response near = curve(Quantity::kPressure, 15.0, 500.0, 48.0, phase, [&](double f) {
      const std::complex<double> s(0.0, f / fb);
      // With a stiffness of its own it is heavier for the same tuning.
      const double mass = 1.0 / (1.0 - own * own);
      const auto zp = mass * (s + 1.0 / q_port + own * own / s);
      const auto total = 1.0 / (s + 1.0 / zp + 1.0 / q_leak);
      // The cone's own flow, as a second-order high-pass; the port's against it.
      const auto cone = s * s / (s * s + 1.2 * s + 1.0 + total) / s;
      const std::complex<double> flow = (of_port ? -cone * total / zp : cone) * 0.1 / radius;
      return phase ? flow : std::abs(flow);
    });
    return CaseTake{
        .kind = CaseTake::Kind::kNearField, .name = source, .source = source, .curve = near};
  };
  m.takes = {take("cone", 0.06, false), take("port", 0.025, true)};
  return m;
}

TEST(BassFlowTest, ThePortMovesAsManyTimesTheConesAirAsTheBoxsQ) {
  for (const double q : {2.5, 4.0, 7.0}) {
    const CaseMaterial m = near_fields(q, 1e6);
    const auto flow = bass_flow(view_of(m));
    ASSERT_TRUE(flow && flow->total_q);
    EXPECT_NEAR(*flow->total_q, std::sqrt(1.0 + q * q) / std::sqrt(1.0 + 1.0 / (q * q)), 0.12 * q);
    EXPECT_NEAR(flow->tuning_hz, 49.0, 8.0);
  }
  // A leak and a port's loss of the same Q cannot be told apart by it: both claims stand alike.
  const Diagnosis d = diagnose(near_fields(2.2, 1e6));
  EXPECT_GT(probability(d, "overdamped-port"), 0.2);
  EXPECT_NEAR(probability(d, "overdamped-port"), probability(d, "box-leak"), 0.05);
  EXPECT_LT(probability(diagnose(near_fields(40.0, 9.0)), "box-leak"), 0.1) << "an ordinary box";
}

// Small 1974: the radiator's compliance and mass give its own resonance, whatever the curve's
// lowest octave shows of it.
TEST(BassFlowTest, TheFlowsTellTheRadiatorsOwnResonance) {
  for (const double own : {0.25, 0.4, 0.6, 0.75}) {
    const CaseMaterial m = near_fields(9.0, 20.0, own);
    const auto flow = bass_flow(view_of(m));
    ASSERT_TRUE(flow && flow->own_share);
    EXPECT_NEAR(*flow->own_share, own, 0.06);
    const double said = probability(diagnose(m), "passive-radiator-notch");
    EXPECT_TRUE(own < 0.5 ? said < 0.3 : own < 0.7 || said > 0.5) << own << ": " << said;
    // Levels alone tell it too: below the tuning the flows are known to be opposite.
    const auto levels = bass_flow(view_of(near_fields(9.0, 20.0, own, false)));
    ASSERT_TRUE(levels && levels->own_share);
    EXPECT_NEAR(*levels->own_share, own, 0.06);
  }
  // In the fall of the bass its hole is small, and says nothing against it; nor is it a wall's.
  CaseMaterial near = near_fields(9.0, 20.0, 0.8);
  near.subject.loading = "passive-radiator";
  const auto there = bass_flow(view_of(near));
  ASSERT_TRUE(there && there->own_share);
  const double own_hz = *there->own_share * there->tuning_hz;
  for (const double a : {0.0, 30.0, -30.0})
    near.takes.push_back(at_angle(
        a, level_of([&](double f) { return 86.0 + bell(f, own_hz, -2.5, 0.03); }, 20.0, 96.0)));
  EXPECT_GT(probability(diagnose(near), "passive-radiator-notch"), 0.5);
  EXPECT_LT(probability(diagnose(near), "panel-resonance"), 0.5);
  const auto port = bass_flow(view_of(near_fields(9.0, 20.0)));
  ASSERT_TRUE(port && port->own_share);
  EXPECT_LT(*port->own_share, 0.3);
}

// What a radiator moves over what the cone does is all that the box loses (Small 1974): 2.2 is a
// leak, 9 a tight box, whatever the radiator's own resonance.
TEST(BassFlowTest, ARadiatorThatMovesLittleTellsOfALeak) {
  for (const double own : {0.25, 0.45}) {
    CaseMaterial m = near_fields(30.0, 2.2, own);
    m.subject.loading = "passive-radiator";
    EXPECT_GT(probability(diagnose(m), "box-leak"), 0.6) << own;
    m = near_fields(30.0, 9.0, own);
    m.subject.loading = "passive-radiator";
    EXPECT_LT(probability(diagnose(m), "box-leak"), 0.1) << own;
    m.takes.pop_back();
    EXPECT_EQ(probability(diagnose(m), "box-leak"), 0.0) << "without the radiator's near field";
  }
}

// The same without near fields: the response by the sum of both flows, the tuning by the impedance.
TEST(BassFlowTest, TheResponseAloneShowsARadiatorsHoleUnderTheTuning) {
  for (const double own : {0.5, 0.75}) {
    CaseMaterial m = near_fields(9.0, 20.0, own);
    const Response cone = m.takes[0].curve;
    const Response back = m.takes[1].curve;
    const Response far = level_of(
        [&](double f) {
          const double at = std::min(f, 450.0);
          const auto flow = value_at(cone, at) * 0.06 + value_at(back, at) * 0.025;
          return 86.0 + 20.0 * std::log10(std::abs(flow) * at);
        },
        20.0);
    m.takes.clear();
    for (const double a : {0.0, 30.0, -30.0}) m.takes.push_back(at_angle(a, far));
    const PortGeometry port{.diameter_m = 0.05, .length_m = 0.13};
    BoxLoad box{.kind = BoxLoad::Kind::kVented, .volume_m3 = 0.014, .ql = 15.0};
    box.tuning_hz = helmholtz_hz(0.014, {port}, kSpeedOfSound20_m_s);
    const DriverParameters driver = elements_of({42.0, 4.2, 0.46, 0.0215, 0.0132, 5.6, 3e-4});
    m.takes.push_back({.kind = CaseTake::Kind::kImpedance,
                       .name = "box",
                       .condition = "in-box",
                       .curve = curve(Quantity::kImpedance, 8.0, 6000.0, 96.0, true, [&](double f) {
                         return solve_driver(driver, box, f).impedance_ohm;
                       })});
    const double said = probability(diagnose(m), "passive-radiator-notch");
    EXPECT_EQ(said > 0.5, own > 0.6) << own << ": " << said;
    // In a room, which makes more than one dip, it is none of the radiator's.
    CaseMaterial room = m;
    for (CaseTake& t : room.takes)
      if (t.kind == CaseTake::Kind::kResponse)
        t.curve = level_of(
            [&](double f) {
              return to_level_db(std::abs(value_at(far, f)), level_reference(Quantity::kPressure)) +
                     bell(f, 95.0, -7.0, 0.1) + bell(f, 170.0, -6.0, 0.1);
            },
            20.0);
    EXPECT_LT(probability(diagnose(room), "passive-radiator-notch"), 0.5) << own;
    m.subject.radiators.clear();
    EXPECT_EQ(probability(diagnose(m), "passive-radiator-notch"), 0.0);
  }
}

TEST(BassFlowTest, NearFieldsThatHaveNoOctaveInCommonTellNothing) {
  CaseMaterial m = near_fields(7.0, 1e6);
  const Response cone = m.takes[0].curve;
  m.takes[0].curve = curve(Quantity::kPressure, 60.0, 500.0, 48.0, true,
                           [&](double f) { return value_at(cone, f); });
  const Response port = m.takes[1].curve;
  m.takes[1].curve = curve(Quantity::kPressure, 15.0, 50.0, 48.0, true,
                           [&](double f) { return value_at(port, f); });
  const auto flow = bass_flow(view_of(m));
  EXPECT_FALSE(flow && flow->total_q);
}

TEST(BassFlowTest, WithoutTheLastPortsNearFieldNothingIsSummed) {
  CaseMaterial m = near_fields(7.0, 1e6);
  m.takes.pop_back();
  EXPECT_FALSE(bass_flow(view_of(m)).has_value());
}

TunedBox box(double qes, double alpha, double tuning) {
  return {40.0, 1e4, qes, alpha, 40.0 * tuning, 1e5};
}

// A. N. Thiele, JAES 19 (1971), table I, alignment 5: a fourth-order Butterworth has fB = fs = f3,
// alpha = 1.414, QT = 0.383, and no hump.
TEST(AlignmentTest, ThielesButterworthFallsWhereHisTableSaysAndNoTuningIsBetter) {
  const auto a = alignment_of(box(0.383, 1.414, 1.0));
  ASSERT_TRUE(a.has_value());
  // A Butterworth of order four is 6 dB down at 0.871 of its F3: (10^0.6 - 1)^(-1/8) from 1.
  EXPECT_NEAR(a->f6_hz, 40.0 * 0.871, 1.5);
  EXPECT_LT(a->hump_db, 0.1);
  EXPECT_LT(a->f6_hz, 1.05 * a->best_f6_hz);
  const auto high = alignment_of(box(0.383, 1.414, 1.7));
  ASSERT_TRUE(high.has_value());
  EXPECT_GT(high->hump_db, 3.0) << "tuned far too high it lifts the bass";
  const auto low = alignment_of(box(0.383, 1.414, 0.55));
  ASSERT_TRUE(low.has_value());
  EXPECT_GT(low->f6_hz, 1.12 * low->best_f6_hz) << "far too low it falls early";
}

// The same by the upper hump: without losses fL fH = fs fB, fL^2 + fH^2 = fs^2 (1 + alpha) + fB^2.
TEST(AlignmentTest, TheUpperHumpAndTheDrawingTellTheSame) {
  const double sum = 2.414 + 1.0;  // of the squares, in fs
  const double upper = 40.0 * std::sqrt(0.5 * (sum + std::sqrt(sum * sum - 4.0)));
  const auto told = tuned_by_upper_hump(40.0, 1e4, 0.383, upper, 40.0);
  ASSERT_TRUE(told.has_value());
  EXPECT_NEAR(told->alpha, 1.414, 0.01);
  // A usual box's losses are put in: they cost some of it.
  EXPECT_NEAR(alignment_of(*told)->f6_hz, 40.0 * 0.871, 3.0);
  EXPECT_FALSE(tuned_by_upper_hump(40.0, 1e4, 0.383, 40.5, 40.0).has_value())
      << "no air makes that hump";
}

TEST(StepTest, AStepThatTheNetworkFilledHasNoShareAndOneLeftInHasAll) {
  // Common practice, no source: 6 dB about 115 m/s over the width.
  CaseMaterial m = one_cone(0.04);
  const auto shelf = [](double db) {
    return level_of([=](double f) { return 82.0 + db / (1.0 + std::pow(500.0 / f, 2.0)); }, 120.0);
  };
  m.takes.push_back(at_angle(0.0, shelf(6.0)));
  const auto left = step_share(view_of(m));
  ASSERT_TRUE(left.has_value());
  // The edges' first peak, which is no part of the rule, stands on top of the foretold step.
  EXPECT_GT(left->share, 0.5);
  EXPECT_LT(left->share, 1.2);
  EXPECT_FALSE(left->near.has_value());
  m.takes[0].curve = shelf(0.0);
  EXPECT_NEAR(step_share(view_of(m))->share, 0.0, 0.05);
  // A hole where the range begins is no step.
  m.takes[0].curve = level_of([](double f) { return 82.0 + bell(f, 200.0, -7.0, 0.12); }, 120.0);
  EXPECT_NEAR(step_share(view_of(m))->share, 0.0, 0.15);
  // Bare, a subwoofer has the step as well, where it is not used.
  m.takes[0].curve = shelf(6.0);
  const double bare = probability(diagnose(m), "baffle-step");
  m.subject.drivers[0].role = "subwoofer";
  EXPECT_GT(bare, 0.5);
  EXPECT_LT(probability(diagnose(m), "baffle-step"), 0.3);
  m.subject.drivers[0].role = "fullrange";
  // The near field shows the driver and its network without the front.
  m.takes[0].curve = shelf(6.0);
  m.takes.push_back(
      {.kind = CaseTake::Kind::kNearField, .name = "near", .source = "cone", .curve = shelf(0.0)});
  const double flat = probability(diagnose(m), "baffle-step");
  EXPECT_NEAR(*step_share(view_of(m))->near, 0.0, 0.05);
  m.takes.back().curve = shelf(6.0);
  EXPECT_LT(probability(diagnose(m), "baffle-step"), flat) << "then the driver rises by itself";
  // So near that the front's parts are heard unlike, nothing is said.
  m.takes[0].distance_m = 0.3;
  EXPECT_EQ(found(diagnose(m), "baffle-step"), nullptr);
}

}  // namespace
}  // namespace lalometer
