// The diagnosis on curves written out here: which take decides, what competes, what is told where
// nothing is wrong.
#include "diagnosis/diagnose.h"

#include <gmock/gmock.h>

#include "acoustics/baffle/diffraction.h"
#include "diagnosis/made_curves.h"
#include "diagnosis/registry.h"

namespace lalometer {
namespace {

using made::bell;
using made::probability;
using testing::Contains;
using testing::HasSubstr;

const FrequencyAxis& axis() {
  static const FrequencyAxis a = FrequencyAxis::logarithmic(200.0, 18000.0, 48.0);
  return a;
}

template <class Level>
Response curve_of(Level level) {
  std::vector<std::complex<double>> values;
  for (const double f : axis().hz())
    values.push_back(from_level(level(f), 0.0, level_reference(Quantity::kPressure)));
  return *Response::make(axis(), std::move(values), Quantity::kPressure, {200.0, 18000.0}, false);
}

CaseTake at_angle(double degrees, Response curve, bool vertical = false) {
  CaseTake t{.name = fmt::format("{} deg", degrees), .curve = std::move(curve)};
  (vertical ? t.vertical_deg : t.horizontal_deg) = degrees;
  t.gate_s = 0.006;
  return t;
}

CaseMaterial full_range() {
  CaseMaterial m;
  m.subject.loading = "sealed";
  m.subject.drivers = {{.id = "cone", .role = "fullrange", .radius_m = 0.05}};
  m.subject.baffle = *Baffle::make({.width_m = 0.2,
                                    .height_m = 0.32,
                                    .depth_m = 0.2,
                                    .edge = EdgeShape::kSquare,
                                    .edge_size_m = 0.0});
  m.subject.origin_x_m = 0.1;
  m.subject.origin_y_m = 0.2;
  return m;
}

TEST(DiagnoseTest, ASmoothLoudspeakerIsClean) {
  CaseMaterial m = full_range();
  for (const double a : {0.0, 30.0, -30.0, 60.0})
    m.takes.push_back(at_angle(a, curve_of([&](double f) { return 85.0 - a * a * f * 2e-8; })));
  const Diagnosis d = diagnose(m);
  EXPECT_TRUE(d.clean());
  EXPECT_THAT(d.notes, Contains(HasSubstr("No impedance in the box")));
}

TEST(DiagnoseTest, AConeThatBendsIsTheSameAtAllAnglesAndTheFreeAirTakeDecides) {
  CaseMaterial m = full_range();
  const auto with = [](double f) { return 85.0 + bell(f, 4000.0, -6.0, 0.12); };
  for (const double a : {0.0, 30.0, -30.0, 45.0}) m.takes.push_back(at_angle(a, curve_of(with)));
  m.takes.push_back(at_angle(20.0, curve_of(with), true));
  const double by_angles = probability(diagnose(m), "driver-breakup");
  EXPECT_GT(by_angles, 0.5);
  // Without the angles it is less sure, and says which take would tell.
  CaseMaterial less = m;
  less.takes.erase(less.takes.begin() + 1, less.takes.end());
  const Diagnosis poor = diagnose(less);
  EXPECT_LT(probability(poor, "driver-breakup"), by_angles);
  ASSERT_FALSE(poor.findings.empty());
  EXPECT_THAT(poor.findings.front().next_step, HasSubstr("30 degrees"));
  // Gone to the sides it is no cone.
  CaseMaterial sides = m;
  for (CaseTake& t : sides.takes)
    if (t.horizontal_deg != 0.0) t.curve = curve_of([](double) { return 85.0; });
  EXPECT_LT(probability(diagnose(sides), "driver-breakup"), 0.3);
}

TEST(DiagnoseTest, SentencesNameTheTakesThatTellThem) {
  CaseMaterial m = full_range();
  const auto ringing = [](double f) { return 85.0 + bell(f, 2600.0, 5.0, 0.1); };
  for (const double a : {0.0, 30.0, -30.0}) m.takes.push_back(at_angle(a, curve_of(ringing)));
  for (const double a : {15.0, -15.0}) m.takes.push_back(at_angle(a, curve_of(ringing), true));
  for (std::size_t i = 0; i < m.takes.size(); ++i)
    m.takes[i].id = 10 + static_cast<std::int64_t>(i);
  const Diagnosis d = diagnose(m);
  const FindingCause* cone = made::found(d, "driver-breakup");
  ASSERT_NE(cone, nullptr);
  ASSERT_TRUE(cone->told_by.contains("it is alike at all angles"));
  EXPECT_THAT(cone->told_by.at("it is alike at all angles"), testing::ElementsAre(11, 12));
  EXPECT_THAT(cone->told_by.at("up and down as well"), testing::ElementsAre(13, 14));
  for (const auto& [sentence, ids] : cone->told_by) {
    EXPECT_TRUE(std::count(cone->evidence.begin(), cone->evidence.end(), sentence) +
                    std::count(cone->against.begin(), cone->against.end(), sentence) >
                0)
        << sentence;
    EXPECT_FALSE(ids.empty());
  }
}

TEST(DiagnoseTest, NothingIsCertain) {
  EXPECT_EQ(spoken_chance(0.7149), "71 %");
  EXPECT_EQ(spoken_chance(0.99), "99 %");
  EXPECT_EQ(spoken_chance(0.996), "over 99 %");
}

TEST(DiagnoseTest, WhatTheEdgesForetellIsTheirsUnlessTheLargeBaffleHasItToo) {
  CaseMaterial m = full_range();
  // The driver in the middle of a square front: all edges alike, and a deep dip.
  made::put_on_square_front(m);
  m.subject.drivers[0].radius_m = 0.02;
  const auto piston = *BafflePiston::make(*m.subject.baffle, 0.12, 0.12, 0.02);
  const auto p = baffle_response(*m.subject.baffle, piston, point_at(0.12, 0.12, 1.0, 0.0, 0.0),
                                 axis(), kSpeedOfSound20_m_s, DiffractionEffort::kFine);
  const auto edges = [&](double f) {
    return 85.0 + to_level_db(std::abs(p[std::min(axis().bracket(f * 1.0001), p.size() - 1)]), 1.0);
  };
  m.takes.push_back(at_angle(0.0, curve_of(edges)));
  for (const double a : {30.0, -30.0, 45.0})
    m.takes.push_back(at_angle(a, curve_of([](double) { return 84.0; })));
  const double alone = probability(diagnose(m), "edge-diffraction");
  EXPECT_GT(alone, 0.6);
  CaseTake baffle = at_angle(0.0, curve_of([](double) { return 88.0; }));
  baffle.condition = "large-baffle";
  m.takes.push_back(baffle);
  EXPECT_GT(probability(diagnose(m), "edge-diffraction"), alone);
  m.takes.back().curve = curve_of(edges);
  EXPECT_LT(probability(diagnose(m), "edge-diffraction"), 0.4) << "the large baffle has it too";
}

TEST(DiagnoseTest, ASecondArrivalMakesEvenlySpacedDips) {
  CaseMaterial m = full_range();
  // 0.6 of the sound again, 1.2 ms later.
  const auto comb = [](double f) {
    return 85.0 + 20.0 * std::log10(std::abs(1.0 + 0.6 * std::polar(1.0, -2.0 * kPi * f * 1.2e-3)));
  };
  for (const double a : {0.0, 30.0, -30.0}) m.takes.push_back(at_angle(a, curve_of(comb)));
  m.takes[0].reflection_s = 1.2e-3;
  const Diagnosis d = diagnose(m);
  EXPECT_GT(probability(d, "reflection"), 0.7);
  EXPECT_LT(probability(d, "driver-breakup"), 0.5) << "not each dip a fault of its own";
}

TEST(DiagnoseTest, CrossedDriversAreToldByTheirPhaseAndByAFlip) {
  CaseMaterial m = full_range();
  m.subject.drivers = {
      {.id = "woofer", .role = "woofer", .y_m = -0.08, .radius_m = 0.06},
      {.id = "tweeter", .role = "tweeter", .y_m = 0.05, .radius_m = 0.012, .high = true}};
  m.subject.crossovers = {{"woofer", "tweeter", 2000.0}};
  const auto nulled = [](double f) { return 85.0 + bell(f, 2000.0, -14.0, 0.35); };
  for (const double a : {0.0, 30.0, -30.0}) m.takes.push_back(at_angle(a, curve_of(nulled)));
  const double before = probability(diagnose(m), "driver-polarity");
  CaseTake flipped = at_angle(0.0, curve_of([](double) { return 85.0; }));
  flipped.flipped = "tweeter";
  m.takes.push_back(flipped);
  const Diagnosis d = diagnose(m);
  EXPECT_GT(probability(d, "driver-polarity"), std::max(0.8, before));
  EXPECT_GT(probability(d, "driver-polarity"), 4.0 * probability(d, "crossover-phase"));
  // A flip that does not help speaks for a right angle.
  m.takes.back().curve = curve_of(nulled);
  EXPECT_GT(probability(diagnose(m), "crossover-phase"),
            probability(diagnose(m), "driver-polarity"));
}

TEST(DiagnoseTest, SamplesThatDifferWhereRepeatsDoNotAreSaid) {
  CaseMaterial m = full_range();
  for (const char* sample : {"A", "B"}) {
    CaseTake t = at_angle(0.0, curve_of([&](double f) {
                            return sample[0] == 'A' ? 85.0 : 85.0 + bell(f, 1500.0, 5.0, 0.8);
                          }));
    t.sample = sample;
    m.takes.push_back(t);
  }
  EXPECT_GT(probability(diagnose(m), "sample-variation"), 0.5);
  m.takes[1].curve = m.takes[0].curve;
  EXPECT_LT(probability(diagnose(m), "sample-variation"), 0.2);
}

TEST(DiagnoseTest, WhatTheBenchDoesWrongIsToldApart) {
  CaseMaterial m = full_range();
  m.takes.push_back(at_angle(0.0, curve_of([](double) { return 85.0; })));
  m.takes[0].seen = {"clipping"};
  m.takes[0].gate_s = 0.0015;
  m.takes[0].distance_m = 0.2;
  const Diagnosis d = diagnose(m);
  EXPECT_GT(probability(d, "clipping"), 0.5);
  EXPECT_GT(probability(d, "gate-too-short"), 0.5);
  EXPECT_GT(probability(d, "microphone-too-close"), 0.5);
  EXPECT_FALSE(d.clean());
}

TEST(DiagnoseTest, EveryCauseOfTheListIsThereOnce) {
  std::set<std::string> words;
  for (const Cause& c : all_causes()) words.insert(c.word);
  EXPECT_EQ(words.size(), all_causes().size());
  for (const char* word : {"edge-diffraction",
                           "baffle-step",
                           "driver-breakup",
                           "suspension-resonance",
                           "cabinet-standing-wave",
                           "port-pipe-resonance",
                           "panel-resonance",
                           "box-leak",
                           "overdamped-port",
                           "mistuned-box",
                           "crossover-phase",
                           "driver-polarity",
                           "source-spacing-lobing",
                           "directivity-mismatch",
                           "beaming",
                           "dipole-cancellation",
                           "cavity-resonance",
                           "passive-radiator-notch",
                           "notch-filter",
                           "reflection",
                           "noise",
                           "mains-hum",
                           "clipping",
                           "sample-variation",
                           "gate-too-short",
                           "microphone-too-close"})
    EXPECT_TRUE(words.contains(word)) << word;
}

}  // namespace
}  // namespace lalometer
