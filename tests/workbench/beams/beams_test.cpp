// What makes a beam narrow, where a main lobe points, where to listen: against closed forms of two
// point sources and of the piston (Beranek, Acoustics; Linkwitz, JAES 24 (1976) for the lobe that
// leans to the late driver: fact of the trade, from memory).
#include <gmock/gmock.h>

#include "acoustics/directivity/piston.h"
#include "base/constants.h"
#include "support/orbits.h"
#include "support/support.h"
#include "workbench/beams/aim_study.h"
#include "workbench/beams/circle_study.h"
#include "workbench/beams/lobe_study.h"

namespace lalometer {
namespace {

using test::Circles;
using test::material_of;
using test::orbit_of;
using test::two_way;
using testing::HasSubstr;

constexpr double kC = 343.2;

double rad(double degrees) {
  return degrees * kPi / 180.0;
}
double low_share(double f, double fc) {
  return 1.0 / (1.0 + std::pow(f / fc, 4));
}

/// Woofer and tweeter as pistons, 140 mm one over the other, in phase ahead, the upper one late.
std::complex<double> both(Plane plane, double degrees, double f, double apart_m, double late_s) {
  const double fc = 2000.0;
  const double sin = plane == Plane::kVertical ? std::sin(rad(degrees)) : 0.0;
  const double low = low_share(f, fc) * piston_directivity(0.09, rad(degrees), f, kC);
  const double high = (1.0 - low_share(f, fc)) * piston_directivity(0.0125, rad(degrees), f, kC);
  const double k = 2.0 * kPi * f / kC;
  return 1e4 * (low * std::polar(1.0, -0.5 * k * apart_m * sin) +
                high * std::polar(1.0, 0.5 * k * apart_m * sin - 2.0 * kPi * f * late_s));
}

CircleReading circle_of(const OrbitMaterial& m, Plane plane, double fall_db) {
  return circle_reading(m, plane, fall_db,
                        beam_models(*m.geometry, plane, fall_db, m.distance_m, kC));
}

TEST(BeamModels, TwoPointsAndAPistonAreTheirClosedForms) {
  const SubjectGeometry points = two_way(0.0, 0.0, 0.2, 2000.0);
  const BeamModels foretold = beam_models(points, Plane::kVertical, 6.0206, 2.0, kC);
  const FrequencyAxis& axis = foretold.axis;
  const auto& models = foretold.models;
  ASSERT_EQ(models.size(), 1U);
  EXPECT_EQ(models[0].cause, BeamCause::kSpacing);
  // At the crossover both are alike: cos(pi d sin / lambda) = 1/2.
  const double expected = 2.0 / rad(1.0) * std::asin(kC / 2000.0 / (3.0 * 0.2));
  EXPECT_NEAR(value_between(axis, models[0].beamwidth_deg, 2000.0), expected, 0.03 * expected);

  SubjectGeometry single;
  single.drivers.push_back({.id = "cone", .role = "wide-range", .radius_m = 0.04});
  const auto beaming = beam_models(single, Plane::kHorizontal, 6.0206, 2.0, kC).models;
  ASSERT_EQ(beaming.size(), 1U);
  for (const double f : {4000.0, 8000.0, 12000.0}) {
    const double piston = 2.0 / rad(1.0) * piston_angle_rad(0.04, 6.0206, f, kC);
    EXPECT_NEAR(value_between(axis, beaming[0].beamwidth_deg, f), piston, 0.03 * piston) << f;
  }
}

TEST(BeamModels, NothingIsGuessedWhereNobodyToldWhoPlays) {
  SubjectGeometry g = two_way(0.09, 0.0125, 0.14, 2000.0);
  g.crossovers.clear();
  EXPECT_TRUE(beam_models(g, Plane::kVertical, 6.0, 2.0, kC).models.empty());
}

TEST(CircleReading, ANarrowingIsNamedByWhatMakesIt) {
  const auto at = [](Plane p, double d, double f) { return both(p, d, f, 0.14, 0.0); };
  const OrbitMaterial m =
      material_of(orbit_of(at, {.step_deg = 5.0}), two_way(0.09, 0.0125, 0.14, 2000.0));
  // Upward the spacing, to the side the woofer's own beam before the tweeter takes over.
  const CircleReading up = circle_of(m, Plane::kVertical, 6.0);
  // Of a sum that stays half of the tweeter's the woofer takes no more than 6 dB.
  const CircleReading side = circle_of(m, Plane::kHorizontal, 3.0);
  const auto narrow = [](const CircleReading& r) {
    for (const BeamChange& change : r.changes)
      if (!change.wider) return change;
    return BeamChange{};
  };
  ASSERT_FALSE(narrow(up).causes.empty());
  EXPECT_EQ(narrow(up).causes[0].cause, BeamCause::kSpacing);
  EXPECT_THAT(spoken(narrow(up)), HasSubstr("stand 140 mm apart"));
  EXPECT_NEAR(std::log2(narrow(up).where.at_hz / 2000.0), 0.0, 0.4);
  ASSERT_FALSE(narrow(side).causes.empty());
  EXPECT_EQ(narrow(side).causes[0].cause, BeamCause::kBeaming);
  EXPECT_THAT(spoken(narrow(side)), HasSubstr("woofer beams"));
}

TEST(CircleReading, WithoutADrawingTheCauseStaysOpen) {
  const auto at = [](Plane p, double d, double f) { return both(p, d, f, 0.14, 0.0); };
  const OrbitMaterial m = material_of(orbit_of(at, {.step_deg = 5.0}));
  const CircleReading r = circle_reading(m, Plane::kVertical, 6.0, {});
  ASSERT_FALSE(r.changes.empty());
  EXPECT_TRUE(r.changes[0].causes.empty());
  EXPECT_THAT(spoken(r.changes[0]), HasSubstr("nothing of the drawing foretells it"));
}

TEST(CircleReading, DeviationsAreMeansOverTheBandAndSeparationReadsBetweenRays) {
  // 0.02 dB a degree and kHz, both sides alike.
  const auto at = [](Plane, double d, double f) {
    return std::complex<double>(std::pow(10.0, (80.0 - 0.02 * std::abs(d) * f / 1e3) / 20.0));
  };
  const OrbitMaterial m = material_of(orbit_of(at, {.last_deg = 60.0, .vertical = false}));
  const CircleReading r = circle_reading(m, Plane::kHorizontal, 6.0, {});
  ASSERT_EQ(r.deviations.size(), 12U);
  const AngleDeviation& outermost = r.deviations.front();
  EXPECT_EQ(outermost.degrees, -60.0);
  EXPECT_NEAR(outermost.worst_db, -12.0, 0.5);
  // The mean of f over log f from 300 Hz to 10 kHz: (10 - 0.3) / ln(10 / 0.3) kHz.
  EXPECT_NEAR(outermost.mean_db, -1.2 * 9.7 / std::log(10.0 / 0.3), 0.1);
  // 45 degrees was not taken: 3 dB at 3 / (0.02 * 45) kHz.
  ASSERT_TRUE(r.separation_hz[2].second);
  EXPECT_NEAR(*r.separation_hz[2].second, 3000.0 / 0.9, 40.0);
}

TEST(Lobes, TheMainLobeLeansToTheLateDriver) {
  // Late by 20 us: sin = c t / d.
  const double late = 20e-6;
  const auto at = [&](Plane p, double d, double f) { return both(p, d, f, 0.14, late); };
  const OrbitMaterial m =
      material_of(orbit_of(at, {.step_deg = 5.0}), two_way(0.09, 0.0125, 0.14, 2000.0));
  const auto lobes = lobe_readings(m);
  ASSERT_EQ(lobes.size(), 1U);
  EXPECT_EQ(lobes[0].plane, Plane::kVertical);
  ASSERT_TRUE(lobes[0].tilt_deg);
  const double expected = std::asin(kC * late / 0.14) / rad(1.0);
  // The woofer's own beam pulls it a little back.
  EXPECT_NEAR(lobes[0].tilt_deg->value, expected, 1.0);
  EXPECT_GT(lobes[0].tilt_deg->value, 0.0);
  ASSERT_TRUE(lobes[0].null_minus_deg);
  EXPECT_FALSE(lobes[0].off_sum_db);
  EXPECT_THAT(lobes[0].notes, testing::Contains(HasSubstr("not taken alone")));
}

TEST(Lobes, TheMeasuredMapIsHeldAgainstTheSumOfBothDrivers) {
  const auto at = [](Plane p, double d, double f) { return both(p, d, f, 0.14, 20e-6); };
  OrbitMaterial m =
      material_of(orbit_of(at, {.step_deg = 5.0}), two_way(0.09, 0.0125, 0.14, 2000.0));
  // Far off: the turn of the path is d sin, as above.
  m.distance_m = 200.0;
  const auto alone = [&](bool high) {
    std::vector<std::complex<double>> values;
    for (const double f : m.orbit.axis().hz())
      values.push_back(high ? (1.0 - low_share(f, 2000.0)) * std::polar(1.0, -2.0 * kPi * f * 20e-6)
                            : std::complex<double>(low_share(f, 2000.0)));
    return *Response::make(m.orbit.axis(), std::move(values), Quantity::kPressure, {100.0, 20000.0},
                           true);
  };
  m.alone = {{"woofer", alone(false)}, {"tweeter", alone(true)}};
  const auto right = lobe_readings(m);
  ASSERT_TRUE(right[0].off_sum_db && right[0].expected_tilt_deg);
  EXPECT_LT(*right[0].off_sum_db, 0.3);
  EXPECT_NEAR(*right[0].expected_tilt_deg, right[0].tilt_deg->value, 1.0);
  // With the tweeter the other way round it is another loudspeaker.
  std::vector<std::complex<double>> turned = m.alone[1].second.values();
  for (auto& v : turned) v = -v;
  m.alone[1].second = *Response::make(m.orbit.axis(), std::move(turned), Quantity::kPressure,
                                      {100.0, 20000.0}, true);
  EXPECT_GT(*lobe_readings(m)[0].off_sum_db, 6.0);
}

TEST(CrossoverWindow, StandsBetweenResonanceAndBeamOrSpacing) {
  SubjectGeometry g = two_way(0.065, 0.0125, 0.15, 2000.0);
  g.drivers[1].resonance_hz = 820.0;
  const auto at = [](Plane p, double d, double f) { return both(p, d, f, 0.15, 0.0); };
  const auto windows = crossover_windows(material_of(orbit_of(at), g));
  ASSERT_EQ(windows.size(), 1U);
  EXPECT_NEAR(*windows[0].from_hz, 1640.0, 0.1);
  // 45 degrees, 6 dB: ka sin = 2.215; a wavelength of 150 mm is 2288 Hz.
  EXPECT_NEAR(*windows[0].to_hz,
              std::min(343.2 / 0.15, 2.2151 * kC / (2 * kPi * 0.065 * std::sqrt(0.5))), 5.0);
  g.drivers[1].resonance_hz = 2400.0;
  EXPECT_THAT(spoken(crossover_windows(material_of(orbit_of(at), g))[0]), HasSubstr("nowhere"));
}

// A ripple that shrinks to the right up to 15 degrees and grows again.
std::complex<double> best_to_the_right(Plane plane, double d, double f) {
  const double away = plane == Plane::kHorizontal ? std::abs(d - 15.0) : 15.0 + std::abs(d);
  return std::pow(10.0, (80.0 + 0.1 * away * std::sin(2.0 * kPi * std::log2(f / 1000.0))) / 20.0);
}

TEST(Aim, FindsTheSmoothestAxisAndKnowsHowWell) {
  const auto study = best_axis(orbit_of(best_to_the_right, {.step_deg = 5.0}));
  ASSERT_TRUE(study);
  EXPECT_NEAR(study->best.horizontal_deg, 15.0, 2.6);
  EXPECT_EQ(study->best.vertical_deg, 0.0);
  // A sine's rms over a sixth of an octave keeps 95 % of 1.5 dB / sqrt 2.
  EXPECT_NEAR(study->here.roughness_db, 1.06 * std::sin(kPi / 6.0) / (kPi / 6.0), 0.06);
  EXPECT_TRUE(study->real());
  // Alike on every axis: none is better.
  const auto alike = best_axis(orbit_of([](Plane, double, double f) {
    return std::complex<double>(1e4 + 2e3 * std::sin(5.0 * std::log(f)));
  }));
  ASSERT_TRUE(alike);
  EXPECT_FALSE(alike->real());
  EXPECT_EQ(alike->best.horizontal_deg, 0.0);
}

TEST(Aim, WhatReadingBetweenRaysCostsIsTheParabolasError) {
  // A level of -k d^2 is off by k h^2 / 4 half-way between rays h apart.
  const auto at = [](Plane, double d, double) {
    return std::complex<double>(std::pow(10.0, -0.002 * d * d / 20.0));
  };
  const Orbit orbit = orbit_of(at, {.last_deg = 60.0});
  ASSERT_TRUE(between_rays_db(orbit, Plane::kHorizontal));
  EXPECT_NEAR(*between_rays_db(orbit, Plane::kHorizontal), 0.002 * 100.0 / 4.0, 1e-6);
  EXPECT_EQ(turning_error_db(orbit, 20.0, 0.0), 0.0);
  EXPECT_GT(turning_error_db(orbit, 25.0, 0.0), 0.0);
}

}  // namespace
}  // namespace lalometer
