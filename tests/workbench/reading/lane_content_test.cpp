#include "workbench/reading/lane_content.h"

#include <gmock/gmock.h>

#include <limits>
#include <set>

#include "support/support.h"

namespace lalometer {
namespace {

using ::testing::HasSubstr;

LaidTake laid(TakeKind kind, Response curve, const std::string& name = "t", Id id = 1) {
  LaidTake one;
  one.take.id = id;
  if (kind == TakeKind::kImpedance) one.take.setup = ImpedanceSetup{};
  one.take.name = name;
  one.take.variant_id = id;
  one.take.colour = static_cast<int>(id) - 1;
  one.variant_name = "variant " + std::to_string(id);
  one.analysis = std::make_shared<Analysis>(Analysis{
      .curve = std::move(curve), .first_reflection_s = std::nullopt, .gate_s = 0.004, .notes = {}});
  return one;
}

Response flat(Quantity quantity, double value) {
  return test::curve_from([value](double) { return value; }, quantity);
}

TEST(Lanes, EmptyOnesSayWhatToDoNext) {
  for (const LaneKind& kind : lane_kinds()) {
    const LaneContent content = kind.build({}, 0);
    EXPECT_TRUE(content.curves().empty()) << kind.id;
    EXPECT_FALSE(content.empty_text.empty()) << kind.id;
    EXPECT_FALSE(kind.explained.empty()) << kind.id;
  }
}

// The desk draws by what an axis says: one that says nothing, or a range of nothing, would be drawn
// as nonsense. And what lies on a side has that side's axis.
TEST(Lanes, EachSaysWhatItsAxesCount) {
  const std::vector<LaidTake> all = {
      laid(TakeKind::kResponse, flat(Quantity::kPressure, 1.0), "r", 1),
      laid(TakeKind::kImpedance, flat(Quantity::kImpedance, 8.0), "z", 2)};
  for (const LaneKind& kind : lane_kinds()) {
    for (const Id chosen : {1, 2}) {
      const LaneContent content = kind.build(all, chosen);
      EXPECT_GT(content.across.high, content.across.low) << kind.id;
      EXPECT_FALSE(content.across.unit.empty()) << kind.id;
      EXPECT_GT(content.left.high, content.left.low) << kind.id;
      if (content.over_frequency()) {
        EXPECT_EQ(content.across.scale, AxisScale::kLogarithmic) << kind.id;
      }
      if (content.left.unit == "dB") {
        EXPECT_EQ(content.left.scale, AxisScale::kDecibel) << kind.id;
      }
      if (content.left.unit == "°") {
        EXPECT_EQ(content.left.quantity, AxisQuantity::kAngle) << kind.id;
      }
      if (!content.curves(Side::kRight).empty()) {
        EXPECT_FALSE(content.right.unit.empty()) << kind.id;
      }
      EXPECT_EQ(content.blank(), content.curves().empty() && content.marks().empty()) << kind.id;
    }
  }
}

TEST(Lanes, TakeOnlyTheirOwnKind) {
  const std::vector<LaidTake> all = {
      laid(TakeKind::kResponse, flat(Quantity::kPressure, 1.0), "r", 1),
      laid(TakeKind::kImpedance, flat(Quantity::kImpedance, 8.0), "z", 2)};
  EXPECT_EQ(lane_kind("level")->build(all, 1).curves().size(), 1U);
  const LaneContent z = lane_kind("impedance")->build(all, 1);
  ASSERT_EQ(z.curves().size(), 1U);
  EXPECT_EQ(z.curves()[0].y[0], 8.0);
  EXPECT_EQ(z.curves(Side::kRight).size(), 1U) << "the phase lies on the right-hand scale";
}

TEST(Lanes, HatchWhereNoCurveIsValid) {
  const std::vector<LaidTake> all = {
      laid(TakeKind::kResponse, flat(Quantity::kPressure, 1.0).with_valid({300.0, 20000.0}), "a",
           1),
      laid(TakeKind::kResponse, flat(Quantity::kPressure, 1.0).with_valid({250.0, 18000.0}), "b",
           2)};
  const LaneContent content = lane_kind("level")->build(all, 1);
  ASSERT_EQ(content.invalid().size(), 2U);
  EXPECT_EQ(content.invalid()[0].high, 250.0);
  EXPECT_EQ(content.invalid()[1].low, 20000.0);
  EXPECT_THAT(content.invalid()[0].text, HasSubstr("250 Hz"));
}

TEST(Lanes, SayWhenComparedCurvesWereTakenDifferently) {
  std::vector<LaidTake> all = {laid(TakeKind::kResponse, flat(Quantity::kPressure, 1.0), "a", 1),
                               laid(TakeKind::kResponse, flat(Quantity::kPressure, 1.0), "b", 2)};
  EXPECT_THAT(lane_kind("level")->build(all, 1).subtitle, HasSubstr("2.83 V"));
  all[1].take.setup = FarFieldSetup{{2.0, 0.0, 0.0, {}}, {}};
  EXPECT_THAT(lane_kind("level")->build(all, 1).subtitle,
              HasSubstr("not alike: distance 1.00 to 2.00 m"));
}

TEST(Lanes, BreakThePhaseWhereItWraps) {
  const Response turning =
      test::curve_from([](double f) { return std::polar(1.0, -0.002 * f); }, Quantity::kPressure);
  const LaneContent content = lane_kind("phase")->build({laid(TakeKind::kResponse, turning)}, 1);
  int breaks = 0;
  for (const double y : content.curves()[0].y) breaks += std::isnan(y) ? 1 : 0;
  EXPECT_GT(breaks, 3);
  EXPECT_EQ(content.curves()[0].x.size(), content.curves()[0].y.size());
}

LaidTake named(const std::string& name, Id variant, const std::string& variant_name,
               const std::string& sample = "") {
  LaidTake one;
  one.take.name = name;
  one.take.variant_id = variant;
  one.take.conditions.sample = sample;
  one.variant_name = variant_name;
  return one;
}

TEST(SeriesLabels, AreAsShortAsTheyCanBeToldApart) {
  const auto labels = [](const std::vector<LaidTake>& all) {
    std::vector<std::string> texts;
    for (const LaidTake& one : all) texts.push_back(series_label(one, all));
    return texts;
  };
  using Texts = std::vector<std::string>;
  EXPECT_EQ(labels({named("On axis", 1, "Bare"), named("30°", 1, "Bare")}),
            (Texts{"On axis", "30°"}));
  EXPECT_EQ(labels({named("On axis", 1, "Bare"), named("On axis", 2, "Lined")}),
            (Texts{"Bare", "Lined"}));
  EXPECT_EQ(labels({named("On axis", 1, "Bare"), named("30°", 2, "Lined")}),
            (Texts{"On axis, Bare", "30°, Lined"}));
  EXPECT_EQ(labels({named("Free air", 1, "Bare", "A"), named("Free air", 1, "Bare", "B")}),
            (Texts{"Free air A", "Free air B"}));
  LaidTake impedance = named("Impedance", 2, "Lined");
  impedance.take.setup = ImpedanceSetup{};
  EXPECT_EQ(labels({named("On axis", 1, "Bare"), impedance}), (Texts{"On axis", "Impedance"}))
      << "other lanes do not count";
}

TEST(Lanes, LevelShowsAtLeastTwentyFiveDecibels) {
  const LaneContent content =
      lane_kind("level")->build({laid(TakeKind::kResponse, flat(Quantity::kPressure, 1.0))}, 1);
  EXPECT_GE(content.left.high - content.left.low, 25.0)
      << "a flat curve's molehills must not fill the lane";
  EXPECT_GT(content.left.high, 94.0);
  EXPECT_LT(content.left.low, 94.0);
}

// A broken line is the same line again: else every lane with a break is drawn anew at each look.
TEST(Lanes, ContentWithBreaksEqualsItself) {
  const double nan = std::numeric_limits<double>::quiet_NaN();
  LaneContent content;
  Series broken;
  broken.x = {1.0, 2.0, 3.0};
  broken.y = {1.0, nan, 3.0};
  content.add_curves().push_back(broken);
  ValueMap map;
  map.x = {1.0};
  map.rows = {0.0};
  map.values = {std::nanf("")};
  content.layer<ValueMap>() = map;
  LaneContent other = content;
  EXPECT_EQ(content, other);
  other.add_curves()[0].y[2] = nan;
  EXPECT_NE(content, other);
  other = content;
  other.layer<ValueMap>().values[0] = 1.0F;
  EXPECT_NE(content, other);
}

TEST(Lanes, EveryKindHasAnIdOfItsOwnAndTeachesItsTerm) {
  std::set<std::string> ids;
  for (const LaneKind& kind : lane_kinds()) {
    EXPECT_TRUE(ids.insert(kind.id).second) << kind.id;
    EXPECT_FALSE(kind.title.empty() || kind.explained.empty()) << kind.id;
    EXPECT_EQ(kind.build({}, 0).title, kind.title);
    EXPECT_FALSE(kind.build({}, 0).empty_text.empty()) << "an empty lane says what to do";
  }
}

TEST(Lanes, OfManyCurvesOneIsChosen) {
  std::vector<LaidTake> many;
  for (int i = 0; i < 20; ++i)
    many.push_back(laid(TakeKind::kResponse, flat(Quantity::kPressure, 1.0), "r", i + 1));
  const LaneContent content = lane_kind("level")->build(many, 1);
  EXPECT_EQ(content.curves().size(), 20U);
  std::set<int> chosen;
  for (const Series& s : content.curves()) {
    if (s.chosen) chosen.insert(static_cast<int>(s.take_id));
  }
  EXPECT_EQ(chosen, std::set<int>{1});
}

TEST(CursorValues, CarryUnitsAndSayWhatIsNotValid) {
  const std::vector<LaidTake> all = {
      laid(TakeKind::kResponse, flat(Quantity::kPressure, 1.0).with_valid({250.0, 20000.0}), "r",
           1),
      laid(TakeKind::kImpedance,
           test::curve_from([](double) { return std::polar(14.8, -0.3); }, Quantity::kImpedance),
           "z", 2)};
  const auto at = cursor_values(all, 1000.0);
  ASSERT_EQ(at.size(), 2U);
  EXPECT_EQ(at[0].text, "94.0 dB");
  EXPECT_TRUE(at[0].valid);
  EXPECT_EQ(at[1].text, "14.8 Ω  −17°");
  EXPECT_FALSE(cursor_values(all, 100.0)[0].valid);
  EXPECT_EQ(cursor_values(all, 50000.0)[0].text, "–");
}

// A twentieth of the magnitude at one deviation: 20 log10(1 + 1.96 / 20) = 0.812 dB, by hand.
TEST(Lanes, LevelShowsWhatRepeatsOrNoiseLeaveOpen) {
  const Response bare = flat(Quantity::kPressure, 1.0);
  const Response open = bare.with_spread(std::vector<double>(bare.size(), 0.05));
  const std::vector<LaidTake> all = {laid(TakeKind::kResponse, open, "r", 1),
                                     laid(TakeKind::kResponse, bare, "s", 2)};
  const LaneContent content = lane_kind("level")->build(all, 1);
  ASSERT_EQ(content.curves()[0].spread.size(), content.curves()[0].y.size());
  EXPECT_NEAR(content.curves()[0].spread[3], 0.812, 0.001);
  EXPECT_TRUE(content.curves()[1].spread.empty()) << "nobody knows";
  EXPECT_EQ(cursor_values(all, 1000.0)[0].text, "94.0 ± 0.8 dB");
  EXPECT_EQ(cursor_values(all, 1000.0)[1].text, "94.0 dB");
}

TEST(KeyFigures, RestOnTheirRange) {
  const auto figures = key_figures(laid(TakeKind::kResponse, flat(Quantity::kPressure, 1.0)));
  ASSERT_FALSE(figures.empty());
  EXPECT_EQ(figures[0].value, "94.0 ± 0.5 dB");
  EXPECT_EQ(figures[0].basis, "mean of 300 Hz to 3 kHz");
  for (const KeyFigure& f : key_figures(laid(
           TakeKind::kResponse, flat(Quantity::kPressure, 1.0).with_valid({500.0, 20000.0})))) {
    EXPECT_NE(f.name, "2.83 V, 1 m") << "a mean from 300 Hz cannot rest on data from 500 Hz";
  }
}

}  // namespace
}  // namespace lalometer

namespace lalometer {
namespace {

std::shared_ptr<const ModelledCurves> model() {
  return std::make_shared<ModelledCurves>(
      ModelledCurves{{100.0, 1000.0, 10000.0},
                     {80.0, 85.0, 84.0},
                     {10.0, 6.0, 8.0},
                     {20.0, 0.0, 30.0},
                     {{"woofer", {-5.0, 1.0, 0.0}}, {"tweeter", {-5.0, -1.0, 2.0}}},
                     {}});
}

TEST(ModelLanes, LieUnderTheMeasuredAndFollowDriveAndDistance) {
  LaidTake r = laid(TakeKind::kResponse, flat(Quantity::kPressure, 1.0), "r", 1);
  r.model = model();
  r.take.conditions.drive_v = 5.66;                       // 6 dB more
  r.take.setup = FarFieldSetup{{2.0, 0.0, 0.0, {}}, {}};  // 6 dB less
  const LaneContent level = lane_kind("level")->build({r}, 1);
  ASSERT_EQ(level.curves().size(), 2U);
  EXPECT_EQ(level.curves()[0].label, "modelled");
  EXPECT_NEAR(level.curves()[0].y[1], 85.0, 0.01);
  EXPECT_EQ(level.curves()[1].take_id, 1) << "the measured one is drawn over it";
  r.analysis = std::make_shared<Analysis>(*r.analysis);
  auto relative = std::make_shared<Analysis>(*r.analysis);
  relative->calibrated = false;
  r.analysis = relative;
  EXPECT_EQ(lane_kind("level")->build({r}, 1).curves().size(), 1U)
      << "a level re full scale has nothing to compare with";
}

TEST(ModelLanes, ImpedanceHasMagnitudeAndPhaseAndSaysWhereItGuesses) {
  LaidTake z = laid(TakeKind::kImpedance, flat(Quantity::kImpedance, 8.0), "z", 1);
  auto guessed = std::make_shared<ModelledCurves>(*model());
  guessed->usual_drivers = {"woofer"};
  z.model = guessed;
  const LaneContent lane = lane_kind("impedance")->build({z}, 1);
  ASSERT_EQ(lane.curves().size(), 2U);
  EXPECT_EQ(lane.curves()[0].y[0], 10.0);
  EXPECT_EQ(lane.curves(Side::kRight)[0].y[0], 20.0);
  EXPECT_THAT(lane.subtitle, HasSubstr("usual drivers"));
}

TEST(ModelLanes, EdgesShowEachDriver) {
  LaidTake r = laid(TakeKind::kResponse, flat(Quantity::kPressure, 1.0), "r", 1);
  EXPECT_FALSE(lane_kind("edges")->build({r}, 1).empty_text.empty());
  r.model = model();
  const LaneContent edges = lane_kind("edges")->build({r}, 1);
  ASSERT_EQ(edges.curves().size(), 2U);
  EXPECT_EQ(edges.curves()[1].label, "tweeter");
  EXPECT_NE(edges.curves()[0].style, edges.curves()[1].style);
}

}  // namespace
}  // namespace lalometer
