#include "workbench/design/predictions.h"

#include <gmock/gmock.h>

#include "support/descriptions.h"
#include "support/support.h"
#include "workbench/design/baffle_prediction.h"

namespace lalometer {
namespace {

using ::testing::HasSubstr;

SubjectGeometry kiosk() {
  const auto g = geometry_of(described(R"({"loading": "vented",
    "drivers": [{"id": "woofer", "role": "woofer", "diameter_mm": 165, "sd_cm2": 132, "y_mm": -95},
                {"id": "tweeter", "role": "tweeter", "diameter_mm": 28, "sd_cm2": 7.5, "y_mm": 60}],
    "baffle": {"width_mm": 210, "height_mm": 380, "depth_mm": 300, "left_mm": 105, "top_mm": 150},
    "box": {"net_volume_l": 14, "inner_width_mm": 178, "inner_height_mm": 750, "inner_depth_mm": 262},
    "ports": [{"id": "port", "panel": "back", "diameter_mm": 50, "length_mm": 130, "count": 1}],
    "crossovers": [{"low": "woofer", "high": "tweeter", "frequency_hz": 2200, "order": 2}]})"),
                             "kiosk");
  EXPECT_TRUE(g.has_value()) << g.error().text();
  return *g;
}

const Prediction* named(const std::vector<Prediction>& all, const std::string& part) {
  for (const Prediction& p : all) {
    if (p.name.find(part) != std::string::npos) return &p;
  }
  return nullptr;
}

TEST(SubjectGeometryReader, PutsTheOriginWhereLeftAndTopSayAndTakesTheEffectiveRadius) {
  const SubjectGeometry g = kiosk();
  EXPECT_NEAR(g.origin_x_m, 0.105, 1e-12);
  EXPECT_NEAR(g.origin_y_m, 0.23, 1e-12) << "150 mm below the top of 380 mm";
  EXPECT_NEAR(*g.driver("woofer")->radius_m, std::sqrt(0.0132 / kPi), 1e-12);
  const auto piston = g.piston(*g.driver("tweeter"));
  ASSERT_TRUE(piston.has_value());
  EXPECT_NEAR(piston->y_m(), 0.29, 1e-12);
  EXPECT_EQ(g.driver("absent"), nullptr);
}

// Whoever measures a finished box seldom knows how long its port is inside.
TEST(SubjectGeometryReader, ReadsAPortOfWhichNotAllIsTold) {
  const auto g = geometry_of(described(R"({"loading": "vented", "box": {"net_volume_l": 14},
    "ports": [{"id": "a", "diameter_mm": 50, "count": 2}, {"id": "b"},
              {"id": "c", "diameter_mm": 50, "length_mm": 120}]})"),
                             "x");
  ASSERT_TRUE(g.has_value()) << g.error().text();
  ASSERT_EQ(g->ports.size(), 3U);
  EXPECT_FALSE(g->ports[0].geometry.has_value());
  EXPECT_DOUBLE_EQ(g->ports[0].radius_m, 0.025);
  EXPECT_EQ(g->ports[0].count, 2);
  EXPECT_FALSE(g->ports[1].geometry.has_value());
  EXPECT_EQ(g->ports[1].radius_m, 0.0);
  ASSERT_TRUE(g->ports[2].geometry.has_value());
  EXPECT_DOUBLE_EQ(g->ports[2].geometry->length_m, 0.12);
  EXPECT_TRUE(g->pipes().empty()) << "no tuning of half the ports";
}

TEST(SubjectGeometryReader, NamesThePlaceOfWhatIsImpossible) {
  const auto port =
      geometry_of(described(R"({"ports": [{"id": "p", "diameter_mm": 0, "length_mm": 10}]})"), "x");
  ASSERT_FALSE(port.has_value());
  EXPECT_THAT(port.error().text(), HasSubstr("ports"));
  const auto baffle = geometry_of(
      described(R"({"baffle": {"width_mm": 100, "height_mm": 200, "edge_radius_mm": 70}})"), "x");
  ASSERT_FALSE(baffle.has_value());
  EXPECT_THAT(baffle.error().text(), HasSubstr("baffle"));
  const auto off =
      geometry_of(described(R"({"drivers": [{"id": "w", "diameter_mm": 165, "y_mm": 150}],
    "baffle": {"width_mm": 210, "height_mm": 380}})"),
                  "x");
  ASSERT_TRUE(off.has_value());
  const auto piston = off->piston(off->drivers[0]);
  ASSERT_FALSE(piston.has_value());
  EXPECT_THAT(piston.error().message, HasSubstr("Driver \"w\""));
}

// Each figure by hand from the sizes: c = 343 m/s.
TEST(Predictions, AreWhereTheSizesPutThem) {
  const auto all = predictions_of(kiosk(), {.gate_s = 0.004, .reflection_s = 0.0048});
  EXPECT_NEAR(named(all, "tuning")->centre_hz(), 50.1, 0.2);
  EXPECT_NEAR(named(all, "box height wave")->centre_hz(), 228.7, 0.1);
  EXPECT_NEAR(named(all, "port pipe")->centre_hz(), 343.0 / (2.0 * 0.16655), 1.0);
  EXPECT_NEAR(named(all, "centres 1 λ")->centre_hz(), 343.0 / 0.155, 1.0);
  EXPECT_NEAR(named(all, "gate limit")->centre_hz(), 250.0, 1e-9);
  EXPECT_NEAR(named(all, "reflection dip")->centre_hz(), 1.0 / 0.0096, 0.1);
  EXPECT_NEAR(named(all, "crossover")->centre_hz(), 2200.0, 1.0);
  // Common practice, no source: ka = 2 of a 25 mm dome is 8.6 kHz; of 7.5 cm2 (30.9 mm) accordingly
  // lower.
  EXPECT_NEAR(named(all, "tweeter beams")->low_hz, 343.0 / (kPi * 0.01545), 10.0);
  // Three edges 90 to 105 mm away act together.
  EXPECT_NEAR(named(all, "tweeter: edges")->centre_hz(), 343.0 / 0.1, 1.0);
  for (std::size_t i = 1; i < all.size(); ++i)
    EXPECT_LE(all[i - 1].centre_hz(), all[i].centre_hz());
  for (const Prediction& p : all) EXPECT_FALSE(p.sentence.empty()) << p.name;
}

TEST(Predictions, OfAFillingLieLowerAndOfNothingAreNone) {
  SubjectGeometry filled = kiosk();
  filled.damping = BoxDamping::kFilled;
  const auto all = predictions_of(filled, {});
  EXPECT_NEAR(named(all, "box height wave")->centre_hz(), 0.93 * 228.7, 0.2);
  EXPECT_EQ(named(all, "gate limit"), nullptr);
  EXPECT_TRUE(predictions_of(*geometry_of({}, "x"), {}).empty());
}

TEST(Predictions, EdgesBeyondADriversRangeAreLeftOut) {
  const auto all = predictions_of(kiosk(), {});
  EXPECT_EQ(named(all, "woofer: edges left"), nullptr)
      << "3.27 kHz is far above the woofer's crossover";
  EXPECT_NE(named(all, "woofer: edge top"), nullptr);
  EXPECT_EQ(named(all, "tweeter: edge bottom"), nullptr) << "1.18 kHz is below the tweeter's";
}

TEST(DiffractionPrediction, SaysTheStepTheEdgesAndWhatAddsUp) {
  const auto p =
      predict_diffraction(kiosk(), "", 2.0, FrequencyAxis::logarithmic(20.0, 20000.0, 12.0));
  ASSERT_TRUE(p.has_value());
  EXPECT_EQ(p->driver, "woofer") << "the first whose size is told";
  // tests/reference/baffle_bem.py 0.21 0.38 0.30 0.105 0.135 0.0648 2.0 0 20
  EXPECT_NEAR(p->level_db.front(), -5.569, 0.1);
  EXPECT_NEAR(p->level_db.back(), 0.0, 0.4);
  EXPECT_NEAR(p->step_rule_hz, 115.0 / 0.21, 1e-9);
  ASSERT_TRUE(p->half_step_hz.has_value());
  EXPECT_NEAR(*p->half_step_hz, 285.0, 30.0) << "boundary elements pass -3 dB at about 270 Hz";
  EXPECT_THAT(p->notes.at(0), HasSubstr("left and right"));
  EXPECT_EQ(
      predict_diffraction(kiosk(), "absent", 2.0, FrequencyAxis::logarithmic(20.0, 200.0, 3.0))
          .error()
          .code,
      ErrorCode::kNotFound);
}

// Fibres make the air of a box act as more of it: predictions, drawing and practice bench tune by
// the same volume.
TEST(Predictions, AFilledBoxIsTunedByWhatItsAirActsAs) {
  SubjectGeometry filled = kiosk();
  filled.damping = BoxDamping::kFilled;
  EXPECT_NEAR(*filled.acoustic_volume_m3(), 1.2 * *kiosk().net_volume_m3, 1e-12);
  const double plain = named(predictions_of(kiosk(), {}), "tuning")->centre_hz();
  EXPECT_NEAR(named(predictions_of(filled, {}), "tuning")->centre_hz(), plain / std::sqrt(1.2),
              0.01);
  EXPECT_FALSE(SubjectGeometry{}.acoustic_volume_m3());
}

}  // namespace
}  // namespace lalometer
