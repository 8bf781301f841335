// What the score and the reading show of a fitted impedance.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>

#include "acoustics/enclosure/driver_circuit.h"
#include "support/support.h"
#include "workbench/reading/lane_content.h"

namespace lalometer {
namespace {

using testing::HasSubstr;

/// A woofer in a vented box or in free air, with one loop at 494 Hz: half a wavelength in 347 mm.
LaidTake laid(Id id, bool boxed, double loop_ohm) {
  const DriverParameters d = elements_of({42.0, 4.2, 0.46, 0.0215, 0.0132, 5.6, 0.4e-3});
  const BoxLoad vented{
      .kind = BoxLoad::Kind::kVented, .volume_m3 = 0.014, .ql = 7.0, .tuning_hz = 46.0};
  const FrequencyAxis axis = FrequencyAxis::logarithmic(8.0, 20000.0, 96.0);
  std::vector<std::complex<double>> z;
  test::Normals normals(static_cast<std::uint64_t>(60 + id));
  for (std::size_t i = 0; i < axis.size(); ++i) {
    const double f = axis[i];
    const std::complex<double> clean =
        solve_driver(d, boxed ? vented : BoxLoad{}, f).impedance_ohm +
        loop_ohm / std::complex<double>(1.0, 40.0 * (f / 494.0 - 494.0 / f));
    z.push_back(clean * (1.0 + 0.001 * std::complex<double>(normals(), normals())));
  }
  LaidTake one;
  one.take.id = id;
  one.take.subject_id = 1;
  one.take.variant_id = id;
  one.take.name = "z" + std::to_string(id);
  one.take.colour = static_cast<int>(id) - 1;
  one.take.setup = ImpedanceSetup{boxed ? "in-box" : "free-air", 0.0, 0.0};
  one.variant_name = id == 2 ? "lined with felt" : "bare";
  one.variant_change = id == 2 ? "damping" : "";
  Response curve = *Response::make(axis, z, Quantity::kImpedance, {}, true);
  one.reading = std::make_shared<const ImpedanceReading>(
      read_impedance(curve, boxed ? ImpedanceRole::kVented : ImpedanceRole::kDriver));
  one.analysis = std::make_shared<Analysis>(Analysis{.curve = std::move(curve),
                                                     .first_reflection_s = std::nullopt,
                                                     .gate_s = std::nullopt,
                                                     .notes = {}});
  SubjectGeometry g;
  g.inner = InnerBox{0.178, 0.347, 0.262};
  one.geometry = std::make_shared<const SubjectGeometry>(std::move(g));
  return one;
}

TEST(ImpedanceLanes, TheFitLiesUnderTheChosenCurveOnly) {
  const std::vector<LaidTake> all = {laid(1, true, 0.4), laid(2, true, 0.0)};
  const LaneContent lane = lane_kind("impedance")->build(all, 1);
  ASSERT_EQ(lane.curves().size(), 3U);
  EXPECT_EQ(lane.curves()[0].label, "fitted");
  EXPECT_LE(lane.curves()[0].x.back(), all[0].reading->box->fitted_to_hz)
      << "not where it was not fitted";
  EXPECT_EQ(lane_kind("impedance")->build(all, 99).curves().size(), 2U);
}

TEST(ImpedanceLanes, LoopsStandUpFromTheLane) {
  const LaneContent lane = lane_kind("loops")->build({laid(1, false, 0.5)}, 1);
  ASSERT_EQ(lane.curves().size(), 1U);
  const Series& s = lane.curves()[0];
  const auto at = std::lower_bound(s.x.begin(), s.x.end(), 494.0) - s.x.begin();
  const auto away = std::lower_bound(s.x.begin(), s.x.end(), 300.0) - s.x.begin();
  EXPECT_GT(s.y[static_cast<std::size_t>(at)], 4.0);
  EXPECT_LT(s.y[static_cast<std::size_t>(away)], 1.0);
  EXPECT_EQ(lane.left.unit, "%");
}

TEST(ImpedanceLanes, FoundLoopsCanBeFollowedThroughAllLanes) {
  const std::vector<LaidTake> all = {laid(1, true, 0.4), laid(2, true, 0.0)};
  const LaneContent lane = lane_kind("predictions")->build(all, 1);
  const auto mark = std::find_if(lane.marks().begin(), lane.marks().end(),
                                 [](const LaneMark& m) { return m.name == "resonance"; });
  ASSERT_NE(mark, lane.marks().end());
  EXPECT_NEAR(mark->centre_hz(), 494.0, 4.0);
  EXPECT_THAT(mark->sentence, HasSubstr("box height wave"));
  EXPECT_TRUE(std::is_sorted(lane.marks().begin(), lane.marks().end(),
                             [](auto& a, auto& b) { return a.centre_hz() < b.centre_hz(); }));
}

TEST(ImpedanceLanes, CausesUseWhatElseLiesOnTheScore) {
  const std::vector<LaidTake> lining = {laid(1, true, 0.4), laid(2, true, 0.0)};
  const auto by_lining = explained_loops(lining[0], lining);
  ASSERT_EQ(by_lining.size(), 1U);
  EXPECT_EQ(by_lining[0].causes[0].cause, "cabinet-standing-wave");
  EXPECT_THAT(by_lining[0].causes[0].evidence.back(), HasSubstr("lined with felt"));
  const std::vector<LaidTake> alone = {laid(1, true, 0.4), laid(3, false, 0.4)};
  const auto by_driver = explained_loops(alone[0], alone);
  EXPECT_EQ(by_driver[0].name, "in the driver itself");
  // The driver's own curve knows no box.
  EXPECT_EQ(explained_loops(alone[1], {alone[1]})[0].name, "not predicted");
}

TEST(ImpedanceLanes, TheReadingTellsFiguresWithUncertaintyAndTheLoad) {
  const auto figures = key_figures(laid(1, true, 0.0));
  const auto named = [&](const std::string& name) {
    const auto found = std::find_if(figures.begin(), figures.end(),
                                    [&](const KeyFigure& f) { return f.name == name; });
    return found == figures.end() ? std::string("none") : found->value;
  };
  EXPECT_THAT(named("fB"), testing::MatchesRegex("4[56]\\.[0-9]+ ± .* Hz"));
  EXPECT_THAT(named("QL"), HasSubstr("±"));
  EXPECT_THAT(named("Phase"), HasSubstr("°"));
  EXPECT_THAT(named("Lowest equivalent peak dissipation resistance"), HasSubstr("Ω"));
  LaidTake spoilt = laid(1, true, 0.0);
  ImpedanceReading none;
  none.refusal = "two impedance peaks are missing";
  spoilt.reading = std::make_shared<const ImpedanceReading>(none);
  const auto refused = key_figures(spoilt);
  EXPECT_EQ(refused.front().name, "Not fitted");
  EXPECT_EQ(refused.front().basis, "two impedance peaks are missing");
}

}  // namespace
}  // namespace lalometer
