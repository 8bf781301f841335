#include "workbench/studies/comparison.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "acoustics/enclosure/enclosure_model.h"
#include "support/support.h"
#include "workbench/design/tuning_help.h"
#include "workbench/studies/what_changed.h"
#include "workbench/studies/wiggle_causes.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;
using test::Normals;
using testing::Contains;
using testing::HasSubstr;

DriverParameters driver(double fs = 42.0) {
  return elements_of({fs, 4.2, 0.46, 0.0215, 0.0132, 5.6, 0.4e-3});
}

Response impedance(const DriverParameters& d, const BoxLoad& load, Normals& normals,
                   const std::vector<std::array<double, 3>>& loops = {}) {
  const FrequencyAxis axis = FrequencyAxis::logarithmic(8.0, 20000.0, 48.0);
  std::vector<Complex> z;
  for (std::size_t i = 0; i < axis.size(); ++i) {
    Complex value = solve_driver(d, load, axis[i]).impedance_ohm;
    for (const auto& [f, ohm, q] : loops)
      value += ohm / Complex(1.0, q * (axis[i] / f - f / axis[i]));
    z.push_back(value * (1.0 + 0.002 * Complex(normals(), normals())));
  }
  return *Response::make(axis, z, Quantity::kImpedance, {}, true);
}

BoxLoad vented(double ql) {
  return {.kind = BoxLoad::Kind::kVented, .volume_m3 = 0.014, .ql = ql, .tuning_hz = 48.0};
}

/// Level 85 dB with a slope and a ripple.
Response response(double level_db, double ripple_db, double f6_hz, Normals& normals,
                  double spread_db = 0.05) {
  const FrequencyAxis axis = FrequencyAxis::logarithmic(20.0, 20000.0, 24.0);
  std::vector<Complex> p;
  for (std::size_t i = 0; i < axis.size(); ++i) {
    const double bass = -3.0 * std::log2(1.0 + std::pow(f6_hz / axis[i], 4) * 3.0);
    const double db =
        level_db + bass + ripple_db * std::sin(40.0 * std::log(axis[i])) + spread_db * normals();
    p.push_back(from_level(db, 0.0, kReferencePressure_pa));
  }
  return *Response::make(axis, p, Quantity::kPressure, {}, true);
}

// The usual spread of samples is 1.5 Hz in fs (common practice, no source): the two near ones are
// the pair, the far one is odd.
TEST(Comparison, FindsTheBestPairAndTheOddSample) {
  Normals normals(41);
  std::vector<ComparedMember> members;
  for (const auto& [name, fs] : {std::pair{"A", 42.0}, {"B", 46.5}, {"C", 42.2}, {"D", 42.7}})
    members.push_back({name, name, {}, {impedance(driver(fs), {}, normals)}});
  const auto s = compared(members, ImpedanceRole::kDriver);
  ASSERT_TRUE(s.nearest_pair && s.odd_one_out);
  EXPECT_EQ(s.pairs[*s.nearest_pair].a, 0U);
  EXPECT_EQ(s.pairs[*s.nearest_pair].b, 2U);
  EXPECT_EQ(*s.odd_one_out, 1U);
  const PairDifference& ab = s.pairs[0];
  ASSERT_EQ(ab.figures[0].key, "fs_hz");
  EXPECT_NEAR(ab.figures[0].difference, 4.5, 0.2);
  EXPECT_TRUE(ab.figures[0].real);
}

TEST(Comparison, RepeatsOfOneThingDoNotDiffer) {
  Normals normals(42);
  constexpr int kSets = 30;
  constexpr int kMembers = 8;
  int real = 0;
  int all = 0;
  int odd = 0;
  for (int set = 0; set < kSets; ++set) {
    std::vector<ComparedMember> members;
    for (int n = 0; n < kMembers; ++n)
      members.push_back({std::to_string(n), "", {}, {impedance(driver(), {}, normals)}});
    const auto s = compared(members, ImpedanceRole::kDriver);
    for (const PairDifference& p : s.pairs) {
      for (const FigureDifference& f : p.figures) {
        real += f.real ? 1 : 0;
        ++all;
      }
    }
    odd += s.odd_one_out ? 1 : 0;
  }
  // By the meaning of 95 % one in twenty is called real. Figures and pairs of a set hang together:
  // counted as one figure and seven free members a set, the share's standard error is at most this,
  // and three of them are exceeded once in 740 runs.
  const double error = std::sqrt(0.05 * 0.95 / (kSets * (kMembers - 1)));
  EXPECT_LE(real, (0.05 + 3.0 * error) * all);
  EXPECT_EQ(odd, 0);
}

TEST(Comparison, ALeakShowsAsLostQlAndIsNotCalledATuning) {
  Normals normals(43);
  const auto s = compared({{"tight", "tight", {}, {impedance(driver(), vented(9.0), normals)}},
                           {"leaky", "leaky", {}, {impedance(driver(), vented(3.0), normals)}}},
                          ImpedanceRole::kVented);
  const std::string words = in_words(what_changed(s.members[0], s.members[1], s.repeat_db));
  EXPECT_THAT(words, HasSubstr("Cost: QL went from"));
  EXPECT_THAT(words, testing::Not(HasSubstr("fB went")));
  ASSERT_EQ(s.ranking.size(), 2U);
  EXPECT_EQ(s.ranking[0].member, 0U);
}

// Filling acts on the air alone: with 1.2 times the volume, fc falls by the air's share of the
// stiffness.
TEST(Comparison, AFillingsGainIsToldAsAShareOfTheIdeal) {
  Normals normals(45);
  const auto closed = [](double litres) {
    return BoxLoad{.kind = BoxLoad::Kind::kSealed, .volume_m3 = litres * 1e-3};
  };
  const Response alone = impedance(driver(), {}, normals);
  const auto s = compared({{"empty", "empty", {}, {impedance(driver(), closed(10.0), normals)}},
                           {"filled", "filled", {}, {impedance(driver(), closed(12.0), normals)}}},
                          ImpedanceRole::kClosedBox, {.free_air = &alone});
  const std::string words =
      in_words(what_changed(s.members[0], s.members[1], s.repeat_db, s.driver_fs_hz));
  EXPECT_THAT(words, HasSubstr("Won: the air acts 1.2"));
  EXPECT_THAT(words, testing::ContainsRegex("(4[5-9]|5[0-5]) % of what an ideal"));
}

TEST(Comparison, RankingFollowsSmoothnessExtensionAndOutputWithTies) {
  Normals normals(44);
  const auto twice = [&](double level, double ripple, double f6) {
    return std::vector<Response>{response(level, ripple, f6, normals),
                                 response(level, ripple, f6, normals)};
  };
  const auto s = compared({{"rough", "rough", twice(85.0, 2.0, 60.0), {}},
                           {"good", "good", twice(85.0, 0.4, 45.0), {}},
                           {"alike", "alike", twice(85.02, 0.4, 45.0), {}}},
                          ImpedanceRole::kDriver);
  EXPECT_TRUE(s.repeat_measured);
  EXPECT_LT(s.repeat_db, 0.4);
  ASSERT_EQ(s.ranking.size(), 3U);
  EXPECT_EQ(s.ranking[2].member, 0U);
  EXPECT_DOUBLE_EQ(s.ranking[0].score, s.ranking[1].score);
  EXPECT_NEAR(*s.members[1].f6_hz, 45.0, 12.0);
  const PairDifference& same = s.pairs[2];
  EXPECT_EQ(same.a, 1U);
  EXPECT_FALSE(same.real);
  EXPECT_TRUE(s.pairs[0].real);
}

SubjectGeometry kiosk() {
  SubjectGeometry g;
  g.inner = InnerBox{0.178, 0.348, 0.262};
  g.ports.push_back({"port", "back", PortGeometry{.diameter_m = 0.05, .length_m = 0.13}, 0.025});
  return g;
}
Wiggle loop(double f, double percent, double q) {
  return {{f, 1.0}, 0.1 * percent, percent, q, 100.0};
}

// Half a wavelength in 0.348 m is 493 Hz, in 0.262 m 655 Hz (c = 343 m/s).
TEST(WiggleCauses, AStandingWaveIsNamedByItsDimension) {
  const SubjectGeometry g = kiosk();
  WiggleContext context;
  context.geometry = &g;
  context.free_air = std::vector<Wiggle>();
  context.others.push_back({"lined", true, false, {}});
  const auto all = explained({loop(494.0, 3.0, 40.0)}, context);
  ASSERT_EQ(all.size(), 1U);
  EXPECT_EQ(all[0].name, "box height wave");
  EXPECT_EQ(all[0].causes[0].cause, "cabinet-standing-wave");
  EXPECT_GT(all[0].causes[0].weight, 0.7);
  EXPECT_THAT(all[0].causes[0].evidence, Contains(HasSubstr("gone with")));
}

// What is there in free air is the driver's, whatever the box predicts.
TEST(WiggleCauses, WhatTheDriverHasAloneIsNotTheBoxs) {
  const SubjectGeometry g = kiosk();
  WiggleContext context;
  context.geometry = &g;
  context.free_air = std::vector<Wiggle>{loop(498.0, 2.6, 30.0)};
  const auto all = explained({loop(494.0, 3.0, 40.0)}, context);
  EXPECT_EQ(all[0].causes[0].cause, "suspension-resonance");
  EXPECT_EQ(all[0].name, "in the driver itself");
}

TEST(WiggleCauses, WhatNothingForetellsMayBeAPanel) {
  const SubjectGeometry g = kiosk();
  WiggleContext context;
  context.geometry = &g;
  context.free_air = std::vector<Wiggle>();
  const auto all = explained({loop(330.0, 3.0, 30.0)}, context);
  EXPECT_EQ(all[0].name, "not predicted");
  EXPECT_EQ(all[0].causes[0].cause, "panel-resonance");
}

// Helmholtz: a port of acoustic length L' tunes with f^2 ~ 1 / L'. From 40 to 50 Hz L' shrinks by
// (40/50)^2.
TEST(TuningHelp, CutsAPortByWhatTheMeasurementSays) {
  const PortGeometry port{.diameter_m = 0.05, .length_m = 0.20};
  const double volume = 0.014;
  const double f = helmholtz_hz(volume, {port}, kSpeedOfSound20_m_s);
  const TuningTask task{{f, 0.1}, f * 1.25, volume, {port}};
  const auto steps = tuning_steps(task);
  ASSERT_TRUE(steps);
  ASSERT_EQ(steps->size(), 1U);
  PortGeometry cut = port;
  cut.length_m += (*steps)[0].amount;
  EXPECT_NEAR(helmholtz_hz(volume, {cut}, kSpeedOfSound20_m_s), f * 1.25, 0.05);
  EXPECT_THAT((*steps)[0].what, HasSubstr("Cut"));
}

TEST(TuningHelp, ASlotMayBeCoveredInsteadAndARadiatorWeighted) {
  const PortGeometry slot{.diameter_m = 0.20, .length_m = 0.10, .slot_height_m = 0.02};
  const auto covered = tuning_steps({{48.0, 0.2}, 40.0, std::nullopt, {slot}});
  ASSERT_TRUE(covered);
  ASSERT_EQ(covered->size(), 2U);
  EXPECT_NEAR((*covered)[1].amount, -0.20 * (1.0 - std::pow(40.0 / 48.0, 2)), 1e-6);
  // f^2 ~ 1 / M: from 40 to 32 Hz a radiator of 60 g needs 60 * (40/32)^2 = 93.75 g.
  const auto heavier =
      tuning_steps({.measured_hz = {40.0, 0.2}, .wanted_hz = 32.0, .radiator_mass_kg = 0.060});
  ASSERT_TRUE(heavier);
  EXPECT_NEAR((*heavier)[0].amount, 0.03375, 1e-6);
  EXPECT_TRUE(tuning_steps({{40.0, 0.5}, 40.3, std::nullopt, {slot}})->empty());
  EXPECT_FALSE(tuning_steps({{40.0, 0.5}, 90.0, std::nullopt, {slot}}));
  EXPECT_FALSE(tuning_steps({{40.0, 0.5}, 35.0}));
}

TEST(ReadFigures, CarryAsManyDigitsAsTheirUncertaintyMeans) {
  EXPECT_EQ(with_uncertainty({41.3456, 0.42}, "Hz"), "41.3 ± 0.4 Hz");
  EXPECT_EQ(with_uncertainty({0.41459, 0.0012}, ""), "0.4146 ± 0.0012");
  EXPECT_EQ(with_uncertainty({5.6, 0.0}, "ohm"), "5.60 ohm");
  EXPECT_EQ(with_uncertainty({1234.5, 30.0}, "Hz"), "1234 ± 30 Hz");
}

}  // namespace
}  // namespace lalometer
