#include "diagnosis/next_step.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "diagnosis/made_curves.h"
#include "diagnosis/registry.h"
#include "diagnosis/remedies.h"

namespace lalometer {
namespace {

using namespace made;
using ::testing::HasSubstr;

CaseTake of_kind(CaseTake::Kind kind, const char* source, const char* condition = "") {
  return {.kind = kind,
          .name = "take",
          .source = source,
          .condition = condition,
          .curve = kind == CaseTake::Kind::kImpedance
                       ? curve(Quantity::kImpedance, 10.0, 10000.0, 24.0, true,
                               [](double) { return std::complex<double>(6.0, 0.0); })
                       : level_of([](double) { return 85.0; })};
}

/// Everything that could be taken.
CaseMaterial all_takes() {
  CaseMaterial m = two_ways();
  m.subject.loading = "vented";
  const PortGeometry port{.diameter_m = 0.05, .length_m = 0.13};
  m.subject.ports = {{"port", port, port.equivalent_radius_m(), 1, false}};
  const auto flat = [] { return level_of([](double) { return 85.0; }); };
  m.takes = {at_angle(0.0, flat()),
             at_angle(30.0, flat()),
             at_angle(0.0, flat()),
             at_angle(0.0, flat()),
             at_angle(0.0, flat()),
             alone("woofer", flat()),
             of_kind(CaseTake::Kind::kImpedance, "", "in-box"),
             of_kind(CaseTake::Kind::kImpedance, "", "free-air"),
             of_kind(CaseTake::Kind::kNearField, "woofer"),
             of_kind(CaseTake::Kind::kNearField, "port")};
  m.takes[2].vertical_deg = 15.0;
  m.takes[3].flipped = "tweeter";
  m.takes[4].condition = "large-baffle";
  m.variants = {{"bare", ""}, {"lined", "damping"}};
  return m;
}

/// What is asked for where one take is not there.
std::string asked(CaseMaterial m, std::size_t without, const std::vector<FindingCause>& causes) {
  m.takes.erase(m.takes.begin() + static_cast<std::ptrdiff_t>(without));
  const CaseView v = view_of(m);
  const auto next = next_take(v, causes);
  return next ? next->code : "";
}

TEST(NextStepTest, TheTakeThatDecidesIsAskedForWhereItIsTheOneMissing) {
  const struct {
    std::size_t without;
    const char* code;
    std::vector<FindingCause> causes;
  } cases[] = {
      {1, "side", {{"edge-diffraction", 0.5}, {"driver-breakup", 0.4}}},
      {2, "vertical", {{"crossover-phase", 0.4}, {"driver-polarity", 0.3}}},
      {3, "flipped", {{"driver-polarity", 0.6}}},
      {4, "large-baffle", {{"edge-diffraction", 0.6}, {"driver-breakup", 0.3}}},
      {5, "alone", {{"crossover-phase", 0.5}, {"driver-polarity", 0.4}}},
      {6, "box-impedance", {{"box-leak", 0.4}, {"overdamped-port", 0.4}}},
      {7, "free-air-impedance", {{"suspension-resonance", 0.4}, {"cabinet-standing-wave", 0.4}}},
      {8, "near-cone", {{"baffle-step", 0.6}}},
      {9, "near-back", {{"port-pipe-resonance", 0.5}}}};
  for (const auto& c : cases) EXPECT_EQ(asked(all_takes(), c.without, c.causes), c.code);
}

TEST(NextStepTest, WhatIsThereIsNotAskedForAndWhatTellsNothingNeither) {
  const CaseMaterial all = all_takes();
  EXPECT_FALSE(next_take(view_of(all), {{"edge-diffraction", 0.5}}).has_value());
  // A sure cause needs no take; of these causes the missing take tells nothing.
  EXPECT_EQ(asked(all, 9, {{"mains-hum", 0.5}}), "");
  EXPECT_EQ(asked(all, 4, {{"edge-diffraction", 1.0}}), "");
}

TEST(NextStepTest, ADriverOnAWallIsAskedForNoBoxAndNoLobes) {
  CaseMaterial m = one_cone(0.012);
  m.subject.loading = "large-baffle";
  m.takes.push_back(at_angle(0.0, level_of([](double) { return 90.0; })));
  const CaseView v = view_of(m);
  for (const char* cause : {"box-leak", "mistuned-box", "crossover-phase", "baffle-step"}) {
    const auto next = next_take(v, {{cause, 0.5}});
    if (!next) continue;
    for (const char* code : {"box-impedance", "damped", "vertical", "flipped", "large-baffle"})
      EXPECT_STRNE(next->code, code) << cause;
  }
}

TEST(NextStepTest, OfTwoThatTellAlikeTheQuickerOneIsAskedFor) {
  CaseMaterial m = all_takes();
  m.takes.erase(m.takes.begin() + 4);  // the large baffle takes half an hour
  EXPECT_EQ(asked(m, 1, {{"edge-diffraction", 0.5}, {"driver-breakup", 0.4}}), "side");
  const CaseView v = view_of(m);
  EXPECT_THAT(next_take(v, {{"edge-diffraction", 0.5}})->sentence, HasSubstr("(30 min)"));
}

TEST(NextStepTest, EveryCauseHasARemedy) {
  for (const Cause& cause : all_causes()) EXPECT_FALSE(remedy_of(cause.word).empty()) << cause.word;
  EXPECT_TRUE(remedy_of("rain").empty());
}

TEST(NextStepTest, HumInAListIsSeenAtTheMainsMultiplesAndNowhereElse) {
  const auto impedance = [](double off_hz) {
    CaseMaterial m = one_cone(0.06);
    Response z = curve(Quantity::kImpedance, 10.0, 2000.0, 96.0, false, [=](double f) {
      double ohm = 6.0 + 20.0 / (1.0 + std::pow(8.0 * (f / 62.0 - 62.0 / f), 2.0));
      for (const double hz : {50.0, 100.0, 150.0, 250.0})
        if (std::abs(f / (hz + off_hz) - 1.0) < 0.005) ohm *= 1.5;
      return std::complex<double>(ohm, 0.0);
    });
    m.takes.push_back({.kind = CaseTake::Kind::kImpedance,
                       .name = "z",
                       .condition = "in-box",
                       .curve = std::move(z)});
    return probability(diagnose(m), "mains-hum");
  };
  EXPECT_GT(impedance(0.0), 0.6);
  EXPECT_LT(impedance(17.0), 0.1) << "spikes elsewhere are no hum";
}

TEST(NextStepTest, AWallsSharpPeakIsAPanelUnlessThePipeLiesThere) {
  CaseMaterial m = one_cone(0.05);
  const auto sharp = [](double f) {
    const std::complex<double> s(0.0, f / 430.0);
    return 85.0 +
           20.0 * std::log10(std::abs((s * s + s * 1.5 / 30.0 + 1.0) / (s * s + s / 30.0 + 1.0)));
  };
  for (const double a : {0.0, 30.0, -30.0}) m.takes.push_back(at_angle(a, level_of(sharp)));
  EXPECT_GT(probability(diagnose(m), "panel-resonance"), 0.5);
  // Half a wave with both ends' corrections, 0.613 and 0.849 radii.
  const PortGeometry port{.diameter_m = 0.06,
                          .length_m = kSpeedOfSound20_m_s / 2.0 / 430.0 - 0.0439};
  m.subject.loading = "vented";
  m.subject.ports = {{"port", port, port.equivalent_radius_m(), 1, true}};
  EXPECT_LT(probability(diagnose(m), "panel-resonance"), 0.5);
}

}  // namespace
}  // namespace lalometer
