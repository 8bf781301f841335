#include "workbench/design/box_candidates.h"

#include <gmock/gmock.h>

#include "book/description/subject_geometry.h"
#include "support/descriptions.h"
#include "support/support.h"
#include "workbench/design/modelled.h"

namespace lalometer {
namespace {

using ::testing::HasSubstr;

const Description kBox = described(R"({"loading": "vented", "drivers": [
    {"id": "dome", "role": "tweeter"},
    {"id": "low", "role": "woofer", "sd_cm2": 132, "fs_hz": 40, "qms": 4, "qes": 0.45, "vas_l": 22,
     "re_ohm": 5.6, "le_mh": 0, "xmax_mm": 5, "power_w": 60}],
  "baffle": {"width_mm": 210, "height_mm": 380, "depth_mm": 300},
  "box": {"net_volume_l": 14, "inner_depth_mm": 262},
  "ports": [{"id": "port", "panel": "back", "diameter_mm": 50, "length_mm": 130, "y_mm": -90}]})");

BoxDriver driver() {
  return *box_driver_of(kBox);
}

TEST(BoxCandidates, TakesTheDriverThatWorksIntoTheBox) {
  EXPECT_EQ(driver().id, "low");
  EXPECT_NEAR(driver().driver.fs_hz(), 40.0, 1e-9);
  EXPECT_NEAR(driver().xmax_m, 0.005, 1e-12);
  EXPECT_THAT(box_driver_of(described(R"({"drivers": [{"role": "tweeter"}]})")).error().message,
              HasSubstr("no driver"));
  EXPECT_TRUE(box_driver_of(described(R"({"drivers": [{"role": "woofer"}]})"))->usual);
}

TEST(BoxCandidates, BeginsWithTheBoxAsItIs) {
  const BoxCandidate c = first_candidate(kBox, driver());
  EXPECT_EQ(c.kind, BoxCandidate::Kind::kVented);
  EXPECT_EQ(c.volume_l, 14.0);
  // Helmholtz by hand: c/2pi sqrt(S / (V L')), L' = 130 + 1.462 * 25 mm.
  EXPECT_NEAR(c.tuning_hz, 343.0 / (2.0 * kPi) * std::sqrt(kPi * 625e-6 / 0.014 / 0.16655), 0.05);
  const BoxOutcome o = box_outcome(driver(), c, 20.0);
  EXPECT_NEAR(*o.port_length_mm, 130.0, 0.1) << "the length that is there";
  EXPECT_THAT(in_words(o), HasSubstr("port 50.0 × 130 mm"));
}

// Closed box by hand (Small 1972): alpha = 22/22, fc = 40 sqrt 2 = 56.6 Hz, Qtc = 0.4045 sqrt 2 =
// 0.572; f3 of a second-order high-pass of that Q is 1.36 fc.
TEST(BoxCandidates, SealedAgreesWithTheClosedForm) {
  BoxCandidate c;
  c.name = "A";
  c.kind = BoxCandidate::Kind::kSealed;
  c.volume_l = 22.0;
  c.ql = 0.0;
  const BoxOutcome o = box_outcome(driver(), c, 1.0);
  EXPECT_NEAR(o.tuning_hz, 56.57, 0.05);
  const double q = 1.0 / (1.0 / 4.0 + 1.0 / 0.45) * std::sqrt(2.0);
  const double b = 1.0 / (q * q) - 2.0;
  const double f3 = 56.57 * std::sqrt(0.5 * (b + std::sqrt(b * b + 4.0)));
  EXPECT_NEAR(*o.f3_hz, f3, 0.01 * f3);
}

TEST(BoxCandidates, SaysWhatItMeans) {
  BoxCandidate c = first_candidate(kBox, driver());
  const auto words = [&](double watts) {
    std::string all;
    for (const std::string& w : box_outcome(driver(), c, watts).words) all += w + "\n";
    return all;
  };
  EXPECT_THAT(words(60.0), HasSubstr("over the usual limit of 17 m/s"));
  EXPECT_THAT(words(1.0), HasSubstr("quiet enough"));
  EXPECT_THAT(words(400.0), HasSubstr("times as much as is good"));
  // Twice the volts: twice the excursion, twice the speed (linear circuit).
  const BoxOutcome one = box_outcome(driver(), c, 10.0);
  const BoxOutcome four = box_outcome(driver(), c, 40.0);
  EXPECT_NEAR(four.largest_excursion_m / one.largest_excursion_m, 2.0, 1e-9);
  EXPECT_NEAR(four.fastest_air_m_s / one.fastest_air_m_s, 2.0, 1e-9);
  EXPECT_NEAR(*four.f3_hz, *one.f3_hz, 1e-6);
}

TEST(BoxCandidates, TheImpossibleHasAReason) {
  BoxCandidate c = first_candidate(kBox, driver());
  const auto problem = [&] {
    const BoxOutcome o = box_outcome(driver(), c, 10.0);
    return o.problems.empty() ? std::string() : o.problems.front();
  };
  c.port_diameter_mm = 15.0;
  c.tuning_hz = 110.0;
  EXPECT_THAT(problem(), HasSubstr("cannot tune"));
  c.port_diameter_mm = 70.0;
  c.tuning_hz = 30.0;
  EXPECT_THAT(problem(), HasSubstr("longer than the box"));
  c.volume_l = -1.0;
  EXPECT_THAT(problem(), HasSubstr("above 0"));
  EXPECT_TRUE(box_outcome(driver(), c, 10.0).curves.pressure_pa.empty());
}

TEST(BoxCandidates, GoesIntoTheDescriptionAndComesBack) {
  BoxCandidate c = first_candidate(kBox, driver());
  c.volume_l = 18.0;
  c.tuning_hz = 42.0;
  c.port_diameter_mm = 60.0;
  const Description written = with_candidate(kBox, box_outcome(driver(), c, 10.0));
  const BoxCandidate back = first_candidate(written, driver());
  EXPECT_EQ(back.volume_l, 18.0);
  EXPECT_NEAR(back.tuning_hz, 42.0, 0.05);
  EXPECT_EQ(written.ports[0].y_mm, -90.0) << "the place stays";
  c.kind = BoxCandidate::Kind::kPassiveRadiator;
  const Description radiator = with_candidate(kBox, box_outcome(driver(), c, 10.0));
  EXPECT_EQ(first_candidate(radiator, driver()).kind, BoxCandidate::Kind::kPassiveRadiator);
  c.kind = BoxCandidate::Kind::kSealed;
  EXPECT_TRUE(with_candidate(kBox, box_outcome(driver(), c, 10.0)).ports.empty());
}

TEST(BoxCandidates, FieldShowsTheSameF3AsTheCandidateInIt) {
  BoxCandidate c = first_candidate(kBox, driver());
  const BoxField2d field = f3_field(driver(), c, c.volume_l, 4.0 * c.volume_l, c.tuning_hz, 90.0);
  EXPECT_NEAR(field.f3_hz[0], *box_outcome(driver(), c, 10.0).f3_hz, 1.0);
}

TEST(Modelled, GivesLevelImpedanceAndEdges) {
  const auto m = modelled_curves(kBox, "k");
  ASSERT_TRUE(m.has_value()) << m.error().text();
  EXPECT_EQ(m->level_db.size(), m->frequency_hz.size());
  EXPECT_EQ(m->edges.size(), 1U) << "the dome has no size";
  EXPECT_EQ(m->usual_drivers, std::vector<std::string>{"dome"});
  EXPECT_FALSE(modelled_curves({}, "k").has_value());
}

}  // namespace
}  // namespace lalometer
