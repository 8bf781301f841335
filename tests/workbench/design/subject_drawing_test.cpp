#include "workbench/design/subject_drawing.h"

#include <gmock/gmock.h>

#include <nlohmann/json.hpp>

#include "support/descriptions.h"
#include "support/support.h"

namespace lalometer {
namespace {

using ::testing::HasSubstr;
using json = nlohmann::json;

const Description kBox = described(R"({"loading": "vented", "made_by": "the workshop",
  "drivers": [{"id": "woofer", "sd_cm2": 132, "x_mm": 0, "y_mm": -95, "glue": "white"},
              {"id": "tweeter", "sd_cm2": 7.5, "x_mm": 0, "y_mm": 60}],
  "baffle": {"width_mm": 210, "height_mm": 380, "depth_mm": 300, "left_mm": 105, "top_mm": 150},
  "box": {"net_volume_l": 14, "inner_width_mm": 178, "inner_height_mm": 348, "inner_depth_mm": 262},
  "ports": [{"id": "port", "panel": "back", "diameter_mm": 50, "length_mm": 130, "y_mm": -120}]})");

TEST(SubjectDrawing, MovesAPartAndLosesNothing) {
  const DrawnSubject before = drawn_subject(kBox);
  ASSERT_EQ(before.parts.size(), 3U);
  const Description moved = with_part_at(kBox, before.parts[0], 12.34, -80.0);
  json want = json::parse(to_json(kBox));
  EXPECT_EQ(want["made_by"], "the workshop");
  EXPECT_EQ(want["drivers"][0]["glue"], "white") << "unknown keys stay";
  want["drivers"][0]["x_mm"] = 12.3;
  want["drivers"][0]["y_mm"] = -80.0;
  EXPECT_EQ(json::parse(to_json(moved)), want);
}

// By hand: 10 mm wider at the left moves the left edge, the origin stays over its parts; the walls
// keep their 16 mm, the net volume its share: 14 * 188 / 178 = 14.787 l.
TEST(SubjectDrawing, AnEdgeThatMovesTakesTheInsideWithIt) {
  const DrawnSubject s = drawn_subject(with_edge_moved(kBox, DrawingGrip::Kind::kLeft, 10.0));
  EXPECT_EQ(s.width_mm, 220.0);
  EXPECT_EQ(s.left_mm, 115.0);
  EXPECT_EQ(s.inner_width_mm, 188.0);
  EXPECT_NEAR(*s.net_volume_l, 14.787, 0.001);
  EXPECT_EQ(s.parts[0].x_mm, 0.0);
  const DrawnSubject top = drawn_subject(with_edge_moved(kBox, DrawingGrip::Kind::kTop, -30.0));
  EXPECT_EQ(top.height_mm, 350.0);
  EXPECT_EQ(top.top_mm, 120.0);
  EXPECT_EQ(drawn_subject(with_edge_moved(kBox, DrawingGrip::Kind::kBack, -1000.0)).depth_mm, 20.0);
}

TEST(SubjectDrawing, SaysAtThePartWhatCannotBe) {
  const auto problems = [](const Description& description, std::size_t part) {
    std::string all;
    const DrawnSubject drawn = drawn_subject(description);
    for (const std::string& text : drawn.parts[part].problems) all += text;
    return all;
  };
  for (std::size_t i = 0; i < 3; ++i) EXPECT_EQ(problems(kBox, i), "") << i;
  const DrawnSubject s = drawn_subject(kBox);
  EXPECT_THAT(problems(with_part_at(kBox, s.parts[0], 60.0, -95.0), 0), HasSubstr("flat"));
  EXPECT_THAT(problems(with_part_at(kBox, s.parts[1], 0.0, -20.0), 1),
              HasSubstr("overlaps woofer"));
  EXPECT_THAT(problems(with_part_figure(kBox, s.parts[2], PartFigure::kLength, 280.0), 2),
              HasSubstr("longer"));
  EXPECT_THAT(problems(with_part_figure(kBox, s.parts[2], PartFigure::kLength, 240.0), 2),
              HasSubstr("wanted"));
  const auto of_box = [](const Description& d) { return drawn_subject(d).problems; };
  EXPECT_THAT(of_box(with_figure(kBox, BoxFigure::kNetVolume, 30.0)),
              ::testing::Contains(HasSubstr("does not fit")));
  EXPECT_THAT(of_box(with_figure(kBox, BoxFigure::kNetVolume, -1.0)),
              ::testing::Contains(HasSubstr("above 0")));
  EXPECT_THAT(of_box(with_figure(kBox, BoxFigure::kEdgeRadius, 120.0)),
              ::testing::Contains(HasSubstr("half the front")));
  EXPECT_TRUE(of_box({}).empty()) << "no box, nothing impossible about it";
}

// Hand calculation: 105 mm to the side edges, dip near 343 / 0.105 = 3.27 kHz; centres 155 mm
// apart, 2.21 kHz.
TEST(SubjectDrawing, FiguresAreLive) {
  std::string all;
  for (const KeyFigure& f : drawing_figures(kBox, 0))
    all += f.name + " " + f.value + " " + f.basis + "\n";
  EXPECT_THAT(all, HasSubstr("left edge 105 mm peak near 1.63 kHz, dip near 3.27 kHz"));
  EXPECT_THAT(all, HasSubstr("alike: left, right"));
  EXPECT_THAT(all, HasSubstr("to tweeter 155 mm a wavelength at 2.21 kHz"));
  EXPECT_THAT(all, HasSubstr("lowest wave 493 Hz"));
}

TEST(SubjectDrawing, CoarseAndFineCurvesTellTheSameStory) {
  const LaneContent coarse = edge_lane(kBox, 1, EdgeEffort::kMoving);
  const LaneContent fine = edge_lane(kBox, 1, EdgeEffort::kStill);
  ASSERT_EQ(coarse.curves().size(), 1U);
  ASSERT_GT(fine.curves()[0].x.size(), 2 * coarse.curves()[0].x.size());
  // The first order alone is within a decibel above the step.
  for (std::size_t i = 0; i < coarse.curves()[0].x.size(); ++i) {
    if (coarse.curves()[0].x[i] < 800.0) continue;
    const auto at = std::lower_bound(fine.curves()[0].x.begin(), fine.curves()[0].x.end(),
                                     coarse.curves()[0].x[i] - 1e-6);
    const auto j = static_cast<std::size_t>(at - fine.curves()[0].x.begin());
    if (j < fine.curves()[0].x.size()) {
      EXPECT_NEAR(coarse.curves()[0].y[i], fine.curves()[0].y[j], 1.0) << *at;
    }
  }
  EXPECT_THAT(edge_lane(kBox, 2, EdgeEffort::kMoving).empty_text, HasSubstr("Choose a driver"));
  const Description off = with_part_at(kBox, drawn_subject(kBox).parts[0], 90.0, 0.0);
  EXPECT_THAT(edge_lane(off, 0, EdgeEffort::kMoving).empty_text, HasSubstr("woofer"))
      << "never computed silently";
  EXPECT_TRUE(edge_lane(off, 0, EdgeEffort::kMoving).curves().empty());
}

// On a shallow box the edges alone are up to a decibel off in the bass (boundary elements, see
// shallow_box_test.cpp).
TEST(SubjectDrawing, AShallowBoxIsSolvedWhenItStandsStill) {
  EXPECT_FALSE(needs_solving(kBox));
  json text = json::parse(to_json(kBox));
  text["baffle"]["depth_mm"] = 60;
  const Description flat = described(text.dump());
  ASSERT_TRUE(needs_solving(flat));
  const LaneContent still = edge_lane(flat, 1, EdgeEffort::kStill);
  const LaneContent solved = edge_lane(flat, 1, EdgeEffort::kSolved);
  ASSERT_EQ(still.curves()[0].x, solved.curves()[0].x);
  double most = 0.0;
  for (std::size_t i = 0; i < still.curves()[0].x.size(); ++i)
    if (still.curves()[0].x[i] < 300.0)
      most = std::max(most, std::abs(still.curves()[0].y[i] - solved.curves()[0].y[i]));
  EXPECT_GT(most, 0.3);
  EXPECT_LT(most, 2.0);
  EXPECT_THAT(still.subtitle, HasSubstr("when it is solved"));
}

TEST(SubjectDrawing, GivesAFirstBoxToASubjectWithoutSizes) {
  const DrawnSubject s = drawn_subject(with_first_box({}));
  EXPECT_TRUE(s.has_baffle);
  ASSERT_EQ(s.parts.size(), 1U);
  EXPECT_TRUE(s.parts[0].problems.empty());
  EXPECT_TRUE(s.problems.empty());
}

// A figure that is typed changes that one thing; what contradicts it goes.
TEST(SubjectDrawing, ATypedFigureChangesOneThing) {
  const Description round = with_figure(kBox, BoxFigure::kEdgeRadius, 12.0);
  EXPECT_EQ(round.baffle->edge_radius_mm, 12.0);
  const Description cut = with_figure(round, BoxFigure::kEdgeChamfer, 20.0);
  EXPECT_EQ(cut.baffle->edge_chamfer_mm, 20.0);
  EXPECT_FALSE(cut.baffle->edge_radius_mm) << "an edge is round or chamfered";
  EXPECT_EQ(drawn_subject(cut).edge, EdgeShape::kChamfered);
  const Description deeper = with_figure(kBox, BoxFigure::kDepth, 330.0);
  EXPECT_EQ(deeper.baffle->depth_mm, 330.0);
  EXPECT_EQ(deeper.box->inner_depth_mm, 292.0) << "the walls keep their thickness";
  EXPECT_EQ(deeper.baffle->width_mm, kBox.baffle->width_mm);
  const Description wider =
      with_part_figure(kBox, drawn_subject(kBox).parts[0], PartFigure::kDiameter, 140.0);
  EXPECT_EQ(wider.drivers[0].diameter_mm, 140.0);
  EXPECT_FALSE(wider.drivers[0].sd_cm2) << "two sizes of one cone would contradict each other";
  EXPECT_EQ(wider.drivers[1], kBox.drivers[1]);
}

// A grip that outlived its part (undone, or changed in another window) changes nothing.
TEST(SubjectDrawing, AGripOnAPartThatIsGoneChangesNothing) {
  DrawnPart gone = drawn_subject(kBox).parts[2];
  gone.index = 7;
  EXPECT_EQ(with_part_at(kBox, gone, 1.0, 2.0), kBox);
  EXPECT_EQ(with_part_figure(kBox, gone, PartFigure::kLength, 50.0), kBox);
  EXPECT_EQ(with_edge_moved({}, DrawingGrip::Kind::kLeft, 10.0), Description{})
      << "no box, no edge";
}

}  // namespace
}  // namespace lalometer
