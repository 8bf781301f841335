#include "workbench/design/enclosure_study.h"

#include <gmock/gmock.h>

#include <cmath>

#include "base/constants.h"

/// Boxes by their figures against closed forms: R. H. Small, JAES 20 (1972) and 21 (1973), closed
/// and vented boxes.
namespace lalometer {
namespace {

using ::testing::Contains;
using ::testing::HasSubstr;

EnclosedDriver driver() {
  return {elements_of({.fs_hz = 40.0,
                       .qms = 5.0,
                       .qes = 0.45,
                       .vas_m3 = 0.030,
                       .sd_m2 = 0.0132,
                       .re_ohm = 5.6,
                       .le_h = 0.0}),
          0.005, 50.0};
}

EnclosureWish sealed(double litres) {
  EnclosureWish w;
  w.loading = "sealed";
  w.volume_l = litres;
  return w;
}

/// F3 of a second-order high-pass (Small 1972).
double closed_f3_hz(double fc, double q) {
  const double b = 1.0 / (q * q) - 2.0;
  return fc * std::sqrt(0.5 * (b + std::sqrt(b * b + 4.0)));
}

double level_at(const EnclosureStudy::Driven& d, double hz) {
  const std::size_t i = d.curves.axis.bracket(hz);
  return 20.0 * std::log10(std::abs(d.curves.pressure_pa[i]) / kReferencePressure_pa);
}

// 7 of leakage made F3 78.7 instead of 72.9 Hz: a sealed box has none unless it is asked for.
TEST(EnclosureStudy, ASealedBoxHasNoLeakUnlessAskedFor) {
  const auto study = study_enclosure(sealed(12.0), driver());
  ASSERT_TRUE(study && study->driven);
  const double rise = std::sqrt(1.0 + 30.0 / 12.0);
  const double qts = 1.0 / (1.0 / 5.0 + 1.0 / 0.45);
  EXPECT_NEAR(*study->driven->fc_hz, 40.0 * rise, 0.02);
  EXPECT_NEAR(*study->driven->qtc, qts * rise, 0.002);
  EXPECT_NEAR(*study->driven->f3_hz, closed_f3_hz(40.0 * rise, qts * rise), 0.5);
  EnclosureWish leaky = sealed(12.0);
  leaky.ql = 7.0;
  const auto lossy = study_enclosure(leaky, driver());
  EXPECT_GT(*lossy->driven->f3_hz, *study->driven->f3_hz + 2.0);
  EXPECT_LT(*lossy->driven->qtc, *study->driven->qtc - 0.02);
}

// Qtc is what the model's own curve has at fc: its level there over that far above (Small 1972).
TEST(EnclosureStudy, QtcIsThatOfTheCurveBesideIt) {
  for (const double litres : {6.0, 20.0, 60.0}) {
    for (const double qa : {0.0, 30.0}) {
      for (const double series_ohm : {0.0, 1.2}) {
        EnclosureWish w = sealed(litres);
        w.qa = qa;
        w.series_ohm = series_ohm;
        const auto study = study_enclosure(w, driver());
        ASSERT_TRUE(study && study->driven);
        const auto& d = *study->driven;
        const double at_fc = std::pow(10.0, (level_at(d, *d.fc_hz) - d.reference_level_db) / 20.0);
        EXPECT_NEAR(at_fc / *d.qtc, 1.0, 0.02)
            << litres << " l, QA " << qa << ", " << series_ohm << " ohm";
      }
    }
  }
}

// Vented, without losses: the port resonates where it is told to, and there the cone hardly moves.
TEST(EnclosureStudy, AVentedBoxIsTunedByItsPort) {
  EnclosureWish w;
  w.volume_l = 30.0;
  w.tuning_hz = 38.0;
  w.port_diameter_mm = 60.0;
  w.ql = 0.0;
  const auto study = study_enclosure(w, driver());
  ASSERT_TRUE(study && study->driven);
  EXPECT_NEAR(*study->fb_hz, 38.0, 0.1);
  // Helmholtz by hand: L' = S c^2 / (V (2 pi f)^2), less both ends' corrections, 1.462 a.
  const double area = kPi * 0.03 * 0.03;
  const double length = area * std::pow(343.0 / (2.0 * kPi * 38.0), 2) / 0.030 - 1.462 * 0.03;
  EXPECT_NEAR(*study->port_length_m, length, 0.002);
  const auto& d = *study->driven;
  const auto least = std::min_element(
      d.curves.excursion_m.begin() + static_cast<std::ptrdiff_t>(d.curves.axis.bracket(25.0)),
      d.curves.excursion_m.begin() + static_cast<std::ptrdiff_t>(d.curves.axis.bracket(60.0)));
  EXPECT_NEAR(d.curves.axis[static_cast<std::size_t>(least - d.curves.excursion_m.begin())], 38.0,
              1.0);
  EXPECT_FALSE(d.highest_level_db.empty());
}

TEST(EnclosureStudy, ARadiatorNotchesAtItsOwnResonance) {
  EnclosureWish w;
  w.loading = "passive-radiator";
  w.volume_l = 20.0;
  w.radiator_sd_cm2 = 210.0;
  w.radiator_mass_g = 70.0;
  w.radiator_fs_hz = 16.0;
  w.ql = 0.0;
  w.radiator_qms = 1000.0;
  const auto study = study_enclosure(w, driver());
  ASSERT_TRUE(study && study->driven);
  EXPECT_NEAR(*study->radiator_notch_hz, 16.0, 1e-6);
  // Tuning: the radiator's own spring and the box's air together (Small 1974).
  const double box = 1.204 * 343.0 * 343.0 * std::pow(0.021, 2) / 0.020;
  const double own = 0.070 * std::pow(2.0 * kPi * 16.0, 2);
  EXPECT_NEAR(*study->fb_hz, std::sqrt((box + own) / 0.070) / (2.0 * kPi), 0.1);
  const auto& d = *study->driven;
  EXPECT_LT(level_at(d, 16.0), level_at(d, 13.0)) << "a dip";
  EXPECT_LT(level_at(d, 16.0), level_at(d, 19.0));
  EXPECT_TRUE(d.with_radiator);
}

TEST(EnclosureStudy, SaysWhatItLacksAndWhatCannotBe) {
  const auto alone = study_enclosure(sealed(12.0), std::nullopt);
  ASSERT_TRUE(alone);
  EXPECT_FALSE(alone->driven);
  EXPECT_THAT(alone->notes, Contains(HasSubstr("need the driver")));
  EnclosureWish vented;
  vented.volume_l = 20.0;
  EXPECT_THAT(study_enclosure(vented, driver()).error().message, HasSubstr("--tuning-hz"));
  EnclosureWish radiator;
  radiator.loading = "passive-radiator";
  radiator.volume_l = 20.0;
  EXPECT_THAT(study_enclosure(radiator, driver()).error().message, HasSubstr("--radiator-mass-g"));
  EnclosureWish fast = vented;
  fast.tuning_hz = 30.0;
  fast.port_diameter_mm = 25.0;
  fast.drive_v = 20.0;
  const auto whistling = study_enclosure(fast, driver());
  ASSERT_TRUE(whistling) << whistling.error().text();
  EXPECT_THAT(whistling->notes, Contains(HasSubstr("usual limit")));
}

}  // namespace
}  // namespace lalometer
