#include "workbench/studies/impedance_studies.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "acoustics/enclosure/driver_circuit.h"
#include "support/descriptions.h"
#include "support/support.h"
#include "workbench/studies/series_material.h"
#include "workbench/telling/comparison_told.h"
#include "workbench/telling/impedance_told.h"

namespace lalometer {
namespace {

using nlohmann::json;
using testing::HasSubstr;

DriverParameters woofer() {
  return elements_of({42.0, 4.2, 0.46, 0.0215, 0.0132, 5.6, 0.4e-3});
}

Response curve(const DriverParameters& d, const BoxLoad& load = {}) {
  const FrequencyAxis axis = FrequencyAxis::logarithmic(8.0, 20000.0, 48.0);
  std::vector<std::complex<double>> z;
  for (std::size_t i = 0; i < axis.size(); ++i)
    z.push_back(solve_driver(d, load, axis[i]).impedance_ohm);
  return *Response::make(axis, z, Quantity::kImpedance, {}, true);
}

Take take(Id id, const std::string& condition, const std::string& sample = "A",
          const std::string& driver = "woofer") {
  Take t;
  t.id = id;
  t.subject_id = 1;
  t.variant_id = 1;
  t.name = condition + " " + sample;
  t.setup = ImpedanceSetup{condition, condition == "added-mass" ? 10.0 : 0.0,
                           condition == "test-box" ? 10.0 : 0.0};
  t.conditions.sample = sample;
  t.conditions.driver = driver;
  return t;
}

/// Curves by the take's condition, as a book would give them.
CurveSource source() {
  return [](const Take& t) -> Result<TakenCurve> {
    DriverParameters d = woofer();
    if (t.conditions.sample == "C") d.cms_m_per_n *= 0.86;
    if (condition_of(t) == "added-mass") d.mms_kg += 0.010;
    if (condition_of(t) == "test-box")
      return TakenCurve{curve(d, {.kind = BoxLoad::Kind::kSealed, .volume_m3 = 0.010})};
    if (condition_of(t) == "in-box")
      return TakenCurve{curve(d, {.kind = BoxLoad::Kind::kVented,
                                  .volume_m3 = 0.014,
                                  .ql = t.variant_id == 2 ? 3.0 : 8.0,
                                  .tuning_hz = 46.0})};
    return TakenCurve{curve(d)};
  };
}

TEST(DriverGroups, GatherATakesOfOneSample) {
  Take refused = take(9, "free-air", "D");
  refused.accepted = false;
  const auto groups = driver_groups(
      {take(1, "free-air"), take(2, "added-mass"), take(3, "free-air"), take(4, "free-air", "B"),
       take(5, "in-box"), take(6, "added-mass", "Z"), refused},
      1);
  ASSERT_EQ(groups.size(), 2U) << "a mass without free air tells nothing";
  EXPECT_EQ(groups[0].free_air.size(), 2U);
  EXPECT_EQ(groups[0].second.size(), 1U);
  EXPECT_EQ(groups[0].name(), "woofer A");
  EXPECT_TRUE(groups[1].second.empty());
  EXPECT_TRUE(driver_groups({take(1, "free-air")}, 2).empty());
}

TEST(DriverStudies, MassAndBoxGiveTheSameDriver) {
  for (const char* second : {"added-mass", "test-box"}) {
    const auto groups = driver_groups({take(1, "free-air"), take(2, second)}, 1);
    const auto study = study_driver(groups[0], source(), 0.0132, std::nullopt, {});
    ASSERT_TRUE(study) << study.error().text();
    EXPECT_NEAR(study->parameters.vas_m3->value, 0.0215, 2e-5) << second;
    EXPECT_NEAR(study->parameters.fs_hz.value, 42.0, 0.01);
    EXPECT_FALSE(study->residual.curves().empty());
    EXPECT_LT(study->fit.misfit_percent, 0.01);
    const json j = json::parse(json_text(told_of(study->parameters, study->fit, 0.0132, nullptr)));
    EXPECT_NEAR(j["bl_tm"]["value"].get<double>(), woofer().bl_tm, 0.01);
    const std::string csv = parameters_csv(study->parameters);
    const std::size_t at = csv.find("\nvas_l,");
    ASSERT_NE(at, std::string::npos) << csv;
    EXPECT_NEAR(std::stod(csv.substr(at + 7)), 21.5, 0.02) << csv;
  }
}

TEST(DriverStudies, SayWhatIsMissing) {
  const auto alone = driver_groups({take(1, "free-air")}, 1);
  const auto study = study_driver(alone[0], source(), 0.0132, std::nullopt, {});
  ASSERT_TRUE(study);
  EXPECT_FALSE(study->parameters.vas_m3);
  EXPECT_THAT(study->parameters.notes.back(), HasSubstr("second take"));
  const auto both = driver_groups({take(1, "free-air"), take(2, "added-mass")}, 1);
  EXPECT_THAT(study_driver(both[0], source(), 0.0, std::nullopt, {})->parameters.notes.back(),
              HasSubstr("Sd"));
  Take untold = take(2, "added-mass");
  untold.setup = ImpedanceSetup{condition_of(untold), 0.0, 0.0};
  const auto group = driver_groups({take(1, "free-air"), untold}, 1);
  const auto refused = study_driver(group[0], source(), 0.0132, std::nullopt, {});
  ASSERT_FALSE(refused);
  EXPECT_EQ(refused.error().where, "added-mass A");
  std::stop_source stop;
  stop.request_stop();
  EXPECT_EQ(study_driver(both[0], source(), 0.0132, std::nullopt, stop.get_token()).error().code,
            ErrorCode::kCancelled);
}

// The same curve by a rig that states an error and by one that states a smaller one.
TEST(DriverStudies, AndSeriesCountTheTakesOwnRig) {
  const auto by_rig = [](double percent) {
    return [percent](const Take& t) {
      return source()(t).map([&](TakenCurve&& z) {
        z.calibration_percent = percent;
        return std::move(z);
      });
    };
  };
  const auto groups = driver_groups({take(1, "free-air")}, 1);
  const auto rough = study_driver(groups[0], by_rig(2.0), 0.0, std::nullopt, {});
  const auto fine = study_driver(groups[0], by_rig(0.2), 0.0, std::nullopt, {});
  ASSERT_TRUE(rough && fine);
  EXPECT_GT(rough->fit.qts.half_width, 5.0 * fine->fit.qts.half_width);

  const SeriesOptions wish{.subject = 1,
                           .by_sample = true,
                           .loading = "",
                           .takes = {take(1, "free-air", "A"), take(2, "free-air", "C")},
                           .variants = {}};
  const auto rough_series = study_series(wish, by_rig(2.0), {});
  const auto fine_series = study_series(wish, by_rig(0.2), {});
  ASSERT_TRUE(rough_series && fine_series);
  // The usual repeat error of a single take is in both.
  EXPECT_GT(figure_of(rough_series->comparison.members[0], "re_ohm")->value.half_width,
            1.5 * figure_of(fine_series->comparison.members[0], "re_ohm")->value.half_width);
}

TEST(DriverStudies, AFailingTakeIsNamed) {
  const auto group = driver_groups({take(1, "free-air")}, 1);
  const auto study = study_driver(
      group[0],
      [](const Take&) -> Result<TakenCurve> {
        return TakenCurve{curve(
            woofer(),
            {.kind = BoxLoad::Kind::kVented, .volume_m3 = 0.014, .ql = 7.0, .tuning_hz = 46.0})};
      },
      0.0132, std::nullopt, {});
  ASSERT_FALSE(study);
  EXPECT_EQ(study.error().where, "free-air A");
  EXPECT_THAT(study.error().message, HasSubstr("vented box"));
}

TEST(Descriptions, KeepSheetsAndParametersBesideWhatTheyDoNotKnow) {
  const Description before = described(
      R"({"loading": "vented", "own": 1, "drivers": [{"id": "t"}, {"id": "w", "diameter_mm": 165, "odd": true}]})");
  const Description sheet = with_sheet_value(before, "w", "fs_hz", 40.0);
  EXPECT_DOUBLE_EQ(*sheet_of(sheet, "w").fs_hz, 40.0);
  EXPECT_FALSE(sheet_of(sheet, "t").fs_hz);
  EXPECT_FALSE(sheet_of(with_sheet_value(sheet, "w", "fs_hz", {}), "w").fs_hz);
  const auto groups = driver_groups({take(1, "free-air"), take(2, "added-mass")}, 1);
  const auto study = study_driver(groups[0], source(), 0.0132, std::nullopt, {});
  const json after = json::parse(to_json(with_parameters(sheet, "w", study->parameters, 0.0132)));
  EXPECT_EQ(after["own"], 1);
  EXPECT_EQ(after["drivers"][1]["odd"], true);
  EXPECT_NEAR(after["drivers"][1]["vas_l"].get<double>(), 21.5, 0.01);
  EXPECT_DOUBLE_EQ(after["drivers"][1]["sd_cm2"].get<double>(), 132.0);
  EXPECT_FALSE(after["drivers"][0].contains("fs_hz"));
  // Four fifths of the diameter: 165 mm is 136.8 cm2.
  EXPECT_NEAR(sd_of(before, "w") * 1e4, 136.8, 0.1);
  EXPECT_EQ(sd_of(before, "t"), 0.0);
  EXPECT_NEAR(*radiator_mass_of(described(R"({"passive_radiators": [{}, {"moving_mass_g": 60}]})")),
              0.060, 1e-12);
  EXPECT_FALSE(radiator_mass_of(before));
  // A subject without drivers gets one.
  EXPECT_EQ(with_sheet_value({}, "w", "qts", 0.4).drivers.at(0).id, "w");
}

TEST(SeriesStudies, TellVariantsAndSamplesApart) {
  Take leaky = take(3, "in-box");
  leaky.variant_id = 2;
  SeriesOptions wish;
  wish.subject = 1;
  wish.loading = "vented";
  wish.takes = {take(1, "in-box"), take(2, "free-air"), leaky, take(4, "free-air", "C")};
  wish.variants = {{1, 1, "tight", "", ""}, {2, 1, "leaky", "", ""}};
  std::vector<double> told;
  const auto study = study_series(wish, source(), {}, [&](double p) { told.push_back(p); });
  ASSERT_TRUE(study) << study.error().text();
  ASSERT_EQ(study->comparison.members.size(), 2U);
  EXPECT_EQ(study->comparison.members[1].name, "leaky");
  EXPECT_EQ(study->role, ImpedanceRole::kVented);
  EXPECT_EQ(study->overlay.curves().size(), 2U);
  EXPECT_TRUE(study->impedances[0] && study->impedances[1]);
  EXPECT_TRUE(std::is_sorted(told.begin(), told.end()));
  EXPECT_THAT(comparison_table(study->comparison), HasSubstr("Cost: QL went from"));
  wish.by_sample = true;
  const auto samples = study_series(wish, source(), {});
  ASSERT_TRUE(samples);
  EXPECT_EQ(samples->role, ImpedanceRole::kDriver);
  EXPECT_EQ(samples->comparison.members.size(), 2U);
  std::stop_source stop;
  stop.request_stop();
  EXPECT_EQ(study_series(wish, source(), stop.get_token()).error().code, ErrorCode::kCancelled);
  wish.takes.resize(1);
  EXPECT_THAT(study_series(wish, source(), {}).error().message, HasSubstr("Fewer than two"));
}

Response pressure(double level_db) {
  const FrequencyAxis axis = FrequencyAxis::logarithmic(20.0, 20000.0, 24.0);
  return *Response::make(axis,
                         std::vector<std::complex<double>>(
                             axis.size(), from_level(level_db, 0.0, kReferencePressure_pa)),
                         Quantity::kPressure, {}, true);
}

// A tweeter alone is no repeat of the loudspeaker: counted so, repeats would seem to differ by tens
// of decibels and nothing would ever be told apart.
TEST(SeriesMaterialTest, ADriverAloneIsNoRepeatOfTheWhole) {
  Take whole = take(1, "", "A", "");
  whole.setup = FarFieldSetup{{1.0, 0.0, 0.0, {}}, {}};
  whole.conditions.drive_v = 2.83;
  Take alone = whole;
  alone.conditions.driver = "tweeter";
  Take flipped = whole;
  flipped.conditions.polarity_flipped = "tweeter";
  Take panel = whole;
  panel.setup = FarFieldSetup{{1.0, 0.0, 0.0, {}}, "large-baffle"};
  const Response loud = pressure(88.0);
  const Response soft = pressure(50.0);
  const auto material = series_material({{&whole, &loud, "a", "a"},
                                         {&alone, &soft, "a", "a"},
                                         {&flipped, &soft, "a", "a"},
                                         {&panel, &soft, "a", "a"}},
                                        "vented");
  ASSERT_EQ(material.members.size(), 1U);
  EXPECT_EQ(material.members[0].responses.size(), 1U);
  EXPECT_THAT(material.notes, testing::Contains(HasSubstr("of one driver alone")));
  // Of a driver by itself every take names it.
  const auto driver = series_material({{&alone, &soft, "a", "a"}, {&alone, &soft, "b", "b"}}, "");
  EXPECT_EQ(driver.members.size(), 2U);
}

// Compared curves are treated alike: 1 V at 2 m and 2.83 V at 1 m of the same loudspeaker are the
// same level.
TEST(SeriesMaterialTest, BringsLevelsToOneDriveAndDistance) {
  Take near = take(1, "");
  near.conditions.drive_v = 2.83;
  near.setup = FarFieldSetup{{1.0, 0.0, 0.0, {}}, {}};
  Take far = near;
  far.conditions.drive_v = 1.0;
  far.setup = FarFieldSetup{{2.0, 0.0, 0.0, {}}, {}};
  Take aside = near;
  aside.setup = FarFieldSetup{{1.0, 30.0, 0.0, {}}, {}};
  const Response at_1m = pressure(88.0);
  const Response at_2m = pressure(88.0 - 20.0 * std::log10(2.83) - 20.0 * std::log10(2.0));
  const auto material = series_material(
      {{&near, &at_1m, "a", "a"}, {&far, &at_2m, "b", "b"}, {&aside, &at_1m, "b", "b"}}, "vented");
  ASSERT_EQ(material.members.size(), 2U);
  EXPECT_NEAR(material.members[0].responses[0].level_db(10),
              material.members[1].responses[0].level_db(10), 1e-9);
  EXPECT_EQ(material.members[1].responses.size(), 1U);
  EXPECT_THAT(material.notes.front(), HasSubstr("off the axis"));
}

TEST(SeriesMaterialTest, TakesTheConditionThatMostHave) {
  const Response z = curve(woofer());
  const Take free = take(1, "free-air");
  const Take boxed = take(2, "in-box");
  const Take other = take(3, "in-box");
  const auto material = series_material(
      {{&free, &z, "a", "a"}, {&boxed, &z, "a", "a"}, {&other, &z, "b", "b"}}, "sealed");
  EXPECT_EQ(material.role, ImpedanceRole::kClosedBox);
  EXPECT_TRUE(material.free_air.has_value());
  ASSERT_EQ(material.members.size(), 2U);
  EXPECT_EQ(material.members[0].impedances.size(), 1U);
  EXPECT_THAT(material.notes.front(), HasSubstr("Left out"));
}

TEST(ComparisonText, QuotesNamesInTables) {
  SeriesComparison s;
  MemberFigures m;
  m.name = "lined, \"thick\"";
  m.level_db = Estimate{87.25, 0.0};
  s.members.push_back(m);
  EXPECT_THAT(comparison_csv(s), HasSubstr("\"lined, \"\"thick\"\"\",output_db,87.25,0,dB"));
  EXPECT_TRUE(json::parse(json_text(told_of(s)))["nearest_pair"].is_null());
}

TEST(ImpedanceRoles, ComeFromConditionAndLoading) {
  EXPECT_EQ(impedance_role("free-air", "vented"), ImpedanceRole::kDriver);
  EXPECT_EQ(impedance_role("test-box", ""), ImpedanceRole::kClosedBox);
  EXPECT_EQ(impedance_role("in-box", "passive-radiator"), ImpedanceRole::kRadiator);
  EXPECT_EQ(impedance_role("in-box", "open-baffle"), ImpedanceRole::kDriver);
  EXPECT_FALSE(impedance_role("in-box", "").has_value());
  EXPECT_EQ(guessed_role(curve(woofer())), ImpedanceRole::kDriver);
  EXPECT_EQ(
      guessed_role(curve(
          woofer(),
          {.kind = BoxLoad::Kind::kVented, .volume_m3 = 0.014, .ql = 7.0, .tuning_hz = 46.0})),
      ImpedanceRole::kVented);
}

TEST(ReadImpedances, TellFiguresOrWhyNot) {
  const auto closed =
      read_impedance(curve(woofer(), {.kind = BoxLoad::Kind::kSealed, .volume_m3 = 0.010}),
                     ImpedanceRole::kClosedBox);
  const auto figures = figures_of(closed);
  ASSERT_GE(figures.size(), 5U);
  EXPECT_EQ(figures[0].name, "fc");
  EXPECT_NEAR(figures[1].value.value, woofer().qts() * std::sqrt(1.0 + 21.5 / 10.0), 0.003);
  EXPECT_EQ(figures[1].meaning, "near the flattest, 0.71");
  EXPECT_TRUE(closed.three_points && closed.dissipation && closed.minimum);
  const auto none = read_impedance(curve(woofer()), ImpedanceRole::kVented);
  EXPECT_THAT(none.refusal, HasSubstr("Two impedance peaks"));
  EXPECT_TRUE(figures_of(none).empty());
  EXPECT_EQ(none.motor(), nullptr);
  EXPECT_TRUE(none.minimum.has_value()) << "what an amplifier sees is told all the same";
}

}  // namespace
}  // namespace lalometer
