// Which takes stand together in a set of angles, how it is kept, thinned, foretold, and what the
// lanes make of it.
#include "workbench/spin/angle_set.h"

#include <gmock/gmock.h>

#include "acoustics/directivity/piston.h"
#include "support/orbits.h"
#include "support/support.h"
#include "workbench/keeping/angle_keeping.h"
#include "workbench/reading/lane_content.h"
#include "workbench/sharing/orbit_importing.h"

namespace lalometer {
namespace {

using test::material_of;
using test::orbit_of;
using testing::HasSubstr;

Take far(Id id, double horizontal_deg, const char* driver = "", Id variant = 1) {
  Take take;
  take.id = id;
  take.subject_id = 1;
  take.variant_id = variant;
  take.accepted = true;
  take.form = RawForm::kTextFile;
  FarFieldSetup setup;
  setup.place.horizontal_deg = horizontal_deg;
  take.setup = setup;
  take.conditions.driver = driver;
  return take;
}
Take near(Id id) {
  Take take = far(id, 0.0);
  take.setup = NearFieldSetup{"woofer", 5.0};
  return take;
}
std::vector<Id> ids(const std::vector<const Take*>& takes) {
  std::vector<Id> all;
  for (const Take* t : takes) all.push_back(t->id);
  return all;
}

TEST(AngleMembers, AreOfOneVariantAndWhoPlays) {
  std::vector<Take> takes = {far(1, 0.0),
                             far(2, 30.0),
                             far(3, 30.0, "tweeter"),
                             far(4, 0.0, "tweeter"),
                             far(5, 0.0, "", 2),
                             near(6),
                             far(7, 60.0)};
  takes[6].accepted = false;
  const AngleMembers whole = angle_members(takes, takes[0]);
  EXPECT_THAT(ids(whole.far), testing::ElementsAre(1, 2)) << "a refused take does not count";
  EXPECT_THAT(ids(whole.near), testing::ElementsAre(6));
  EXPECT_THAT(ids(whole.alone), testing::ElementsAre(4));
  EXPECT_THAT(ids(angle_members(takes, takes[3]).far), testing::ElementsAre(3, 4));
  EXPECT_TRUE(angle_members(takes, takes[4]).far.empty()) << "one angle is no set";
  EXPECT_TRUE(angle_members(takes, takes[5]).far.empty());
  // Another sample is another loudspeaker; a flipped driver is no state to publish.
  takes[1].conditions.sample = "B";
  EXPECT_TRUE(angle_members(takes, takes[0]).far.empty());
  takes[1].conditions.sample.clear();
  takes[1].conditions.polarity_flipped = {"tweeter"};
  EXPECT_TRUE(angle_members(takes, takes[0]).far.empty());
}

TEST(AngleKeeping, ReadsBackWhatItKeptAndForgivesTheRest) {
  KeptAngles kept;
  kept.view.horizontal_axis_deg = -20.0;
  kept.view.fall_db = 3.0;
  kept.view.mirror = true;
  kept.look = {MapReference::kAngle, 45.0};
  kept.wish.of = EqualiseFor::kPredictedInRoom;
  kept.wish.slope = true;
  kept.wish.filters = 8;
  const KeptAngles back = angles_from_json(to_json(kept));
  EXPECT_EQ(back.view, kept.view);
  EXPECT_EQ(back.look, kept.look);
  EXPECT_EQ(back.wish.of, kept.wish.of);
  EXPECT_TRUE(back.wish.slope);
  EXPECT_EQ(back.wish.filters, 8);
  for (const char* text : {"", "[]", "{", R"({"fall_db": "six", "reference": "moon"})"})
    EXPECT_EQ(angles_from_json(text).view, AngleView{}) << text;
  EXPECT_EQ(angles_from_json(R"({"filters": 1e9})").wish.filters, 20);
}

TEST(AngleTold, IsANumberWithAPlane) {
  Placement two_metres;
  two_metres.distance_m = 2.0;
  const auto h = angle_told("-35", two_metres);
  ASSERT_TRUE(h);
  EXPECT_EQ(h->horizontal_deg, -35.0);
  EXPECT_EQ(h->distance_m, 2.0);
  const auto v = angle_told(" vertical +12.5°", two_metres);
  ASSERT_TRUE(v);
  EXPECT_EQ(v->vertical_deg, 12.5);
  EXPECT_EQ(v->horizontal_deg, 0.0);
  for (const char* text : {"", "v", "ahead", "190", "30 or 40", "3e9"})
    EXPECT_FALSE(angle_told(text, two_metres)) << text;
}

TEST(Thinned, KeepsPointsAsTheyAre) {
  const Orbit full = orbit_of([](Plane, double d, double f) { return std::complex<double>(f, d); },
                              {.per_octave = 96.0});
  const Orbit few = thinned(full, 12.0, 300.0, 10000.0);
  EXPECT_NEAR(static_cast<double>(few.axis().size()), 12.0 * std::log2(10000.0 / 300.0), 3.0);
  for (std::size_t i = 0; i < few.axis().size(); ++i) {
    const std::complex<double> is = few.at(Plane::kVertical, 40.0)->curve.value(i);
    EXPECT_DOUBLE_EQ(is.real(), kReferencePressure_pa * few.axis()[i]);
    EXPECT_GE(few.axis()[i], 300.0);
  }
  EXPECT_EQ(thinned(few, 96.0).axis().size(), few.axis().size()) << "fewer stay as they are";
}

TEST(Foretold, AWaveguideIsTakenForItsMouth) {
  SubjectGeometry g;
  g.drivers.push_back({.id = "horn", .role = "tweeter", .radius_m = 0.0125});
  g.drivers[0].waveguide = Waveguide{0.0125, 0.1, 40.0 * kPi / 180.0};
  const BeamModels models = beam_models(g, Plane::kHorizontal, 6.0, 2.0, 343.2);
  ASSERT_EQ(models.models.size(), 1U);
  EXPECT_EQ(models.models[0].cause, BeamCause::kWaveguide);
  // Its half width is where the cap at the mouth has fallen by so much; the dome alone never does.
  for (const double f : {3000.0, 5000.0}) {
    const double width = value_between(models.axis, models.models[0].beamwidth_deg, f);
    const auto at = [&](double degrees) {
      return std::abs(
          waveguide_directivity(*g.drivers[0].waveguide, degrees * kPi / 180.0, f, 343.2));
    };
    const double fallen = at(0.5 * width) / at(0.0);
    EXPECT_NEAR(20.0 * std::log10(fallen), -6.0, 0.7) << f;
    EXPECT_GT(std::abs(piston_directivity(0.0125, 0.5 * kPi, f, 343.2)), 0.6);
  }
}

LaidTake laid_with(const Orbit& orbit, Id id, const char* variant) {
  LaidTake one{.take = far(id, 0.0), .variant_name = variant, .analysis = nullptr};
  one.take.colour = static_cast<int>(id);
  one.set = LaidSet{};
  one.set->reading = std::make_shared<const AngleReading>(
      angle_reading(std::make_shared<const OrbitMaterial>(material_of(orbit)), {}));
  return one;
}

TEST(AngleLanes, ShowOneSetInFullAndSeveralByName) {
  const auto falls = [](double steep) {
    return orbit_of([steep](Plane p, double d, double f) {
      const double db =
          -steep * std::abs(d) / 30.0 * std::log10(f / 100.0) * (p == Plane::kVertical ? 1.5 : 1.0);
      return std::complex<double>(1e4 * std::pow(10.0, db / 20.0));
    });
  };
  const LaidTake a = laid_with(falls(1.0), 1, "sluice");
  const LaidTake b = laid_with(falls(2.0), 2, "weir");
  const auto labels = [](const LaneContent& content) {
    std::vector<std::string> all;
    for (const Series& s : content.curves()) all.push_back(s.label);
    return all;
  };
  EXPECT_THAT(labels(lane_kind("beamwidth")->build({a}, 1)),
              testing::ElementsAre("horizontal", "vertical"));
  EXPECT_THAT(labels(lane_kind("beamwidth")->build({a, b}, 2)),
              testing::ElementsAre("weir", "sluice"));
  const LaneContent spin = lane_kind("spinorama")->build({a}, 1);
  EXPECT_THAT(labels(spin), testing::Contains("power"));
  EXPECT_EQ(spin.curves(Side::kRight).size(), 2U);
  // As many dB on both scales.
  EXPECT_DOUBLE_EQ(spin.right.high - spin.right.low, spin.left.high - spin.left.low);
  const LaneContent less = lane_kind("angles-difference")->build({a, b}, 1);
  ASSERT_NE(less.find<ValueMap>(), nullptr);
  EXPECT_THAT(less.subtitle, HasSubstr("sluice less weir"));
  EXPECT_THAT(lane_kind("angles-difference")->build({a}, 1).empty_text, HasSubstr("second"));
  // Symmetric: nothing between left and right.
  const LaneContent alike = lane_kind("asymmetry")->build({a}, 1);
  EXPECT_EQ(alike.curves().size(), 2U);
  for (const Series& s : alike.curves())
    for (const double v : s.y) EXPECT_NEAR(v, 0.0, 1e-9);
}

}  // namespace
}  // namespace lalometer
