#include <fmt/format.h>
#include <gmock/gmock.h>

#include "exchange/network/network_file.h"
#include "support/network_set.h"
#include "workbench/report/report_source.h"
#include "workbench/report/sections/driver_section.h"
#include "workbench/sharing/sources.h"

namespace lalometer {
namespace {

using nlohmann::json;
using ::testing::Contains;
using ::testing::HasSubstr;
using ::testing::Not;

/// A driver of the textbook: Re, coil and a resonance, with a mass of `added_g` on 16.5 g.
std::string driver_list(double fs, double qms, double added_g) {
  const double mms = 16.5, re = 5.6, qes = 0.46;
  const double f0 = fs / std::sqrt(1.0 + added_g / mms);
  // More mass at the same spring and loss: both Qs rise with the root of the mass.
  const double rise = std::sqrt(1.0 + added_g / mms);
  std::string text;
  for (double f = 10.0; f < 20000.0; f *= std::exp2(1.0 / 48.0)) {
    const std::complex<double> x(0.0, f / f0 - f0 / f);
    const std::complex<double> z = re + std::complex<double>(0.0, 2.0 * kPi * f * 0.3e-3) +
                                   re * (qms / qes) / (1.0 + x * qms * rise);
    text += fmt::format("{:.5f} {:.6f} {:.5f}\n", f, std::abs(z), std::arg(z) * 180.0 / kPi);
  }
  return text;
}

json impedance_take(const char* id, const char* condition, const char* sample = "") {
  json take = {{"id", id},
               {"kind", "impedance"},
               {"condition", condition},
               {"driver", "cone"},
               {"file", std::string(id) + ".zma"}};
  if (*sample != '\0') take["sample"] = sample;
  return take;
}

class Sections : public ::testing::Test {
 protected:
  void subject(json more, json takes) {
    json told = {{"name", "Weir"}, {"kind", "driver"}};
    told.update(more);
    const json set = {
        {"format", "lalometer-set"}, {"version", 1}, {"subject", told}, {"takes", takes}};
    test::write(folder_ / "set.json", set.dump());
  }
  Result<MadeReport> made(ReportKind kind) {
    ReportWish wish;
    wish.kind = kind;
    return made_report(report_input(folder_.path(), {}, {}, wish));
  }
  static const ReportSection* section(const Report& r, const std::string& id) {
    for (const ReportSection& s : r.sections)
      if (s.id == id) return &s;
    return nullptr;
  }
  static std::string sentences(const ReportSection& s) {
    std::string all;
    for (const ReportBlock& block : s.blocks)
      if (const auto* sentence = std::get_if<ReportSentence>(&block)) all += sentence->text + "\n";
    return all;
  }
  static std::vector<const ReportTable*> tables(const ReportSection& s) {
    std::vector<const ReportTable*> all;
    for (const ReportBlock& block : s.blocks)
      if (const auto* table = std::get_if<ReportTable>(&block)) all.push_back(table);
    return all;
  }
  static const StatedFigure* figure(const Report& r, const std::string& name) {
    for (const StatedFigure& f : r.figures)
      if (f.name == name) return &f;
    return nullptr;
  }
  const test::TemporaryFolder folder_;
};

const json kCone = {{"drivers", {{{"id", "cone"}, {"role", "woofer"}, {"sd_cm2", 132}}}}};

// Mms comes back from a mass on the cone; Vas = rho c^2 Sd^2 Cms by hand.
TEST_F(Sections, ADriverSheetHasParametersByTheAddedMass) {
  test::write(folder_ / "free.zma", driver_list(42.0, 4.2, 0.0));
  test::write(folder_ / "mass.zma", driver_list(42.0, 4.2, 10.0));
  json mass = impedance_take("mass", "added-mass");
  mass["added_mass_g"] = 10.0;
  subject(kCone, {impedance_take("free", "free-air"), mass});
  const auto r = made(ReportKind::kDriver);
  ASSERT_TRUE(r.has_value()) << r.error().text();
  EXPECT_EQ(r->report.title, "Weir: driver sheet");
  ASSERT_NE(figure(r->report, "mms_g"), nullptr);
  EXPECT_NEAR(*figure(r->report, "mms_g")->value, 16.5, 0.4);
  const double cms = 1.0 / (std::pow(2.0 * kPi * 42.0, 2) * 16.5e-3);
  EXPECT_NEAR(*figure(r->report, "vas_l")->value,
              1e3 * 1.204 * 343.2 * 343.2 * std::pow(0.0132, 2) * cms, 1.5);
  const ReportSection* s = section(r->report, "driver");
  ASSERT_NE(s, nullptr);
  ASSERT_EQ(tables(*s).size(), 1U) << "one sample: nothing stands beside it";
  EXPECT_THAT(tables(*s)[0]->caption, HasSubstr("10.0 g added"));
  EXPECT_FALSE(r->report.cards.empty());
}

TEST_F(Sections, ADriverSheetWithoutMassSaysWhatIsNotKnown) {
  for (const char* sample : {"A", "B"})
    test::write(folder_ / fmt::format("free{}.zma", sample),
                driver_list(*sample == 'A' ? 42.0 : 44.0, 4.2, 0.0));
  subject(kCone,
          {impedance_take("freeA", "free-air", "A"), impedance_take("freeB", "free-air", "B")});
  const auto r = made(ReportKind::kDriver);
  ASSERT_TRUE(r.has_value()) << r.error().text();
  ASSERT_NE(figure(r->report, "fs_hz"), nullptr);
  EXPECT_NEAR(*figure(r->report, "fs_hz")->value, 42.0, 0.2);
  for (const char* unknown : {"mms_g", "vas_l", "bl_tm"})
    EXPECT_TRUE(figure(r->report, unknown) == nullptr || !figure(r->report, unknown)->valid)
        << unknown;
  const auto all = tables(*section(r->report, "driver"));
  ASSERT_EQ(all.size(), 2U) << "both samples side by side";
  ASSERT_EQ(all[1]->rows.size(), 2U);
  EXPECT_THAT(all[1]->rows[1][1], HasSubstr("44."));
}

TEST_F(Sections, ADriverSheetWithoutAnAreaStatesNothingOfIt) {
  test::write(folder_ / "free.zma", driver_list(42.0, 4.2, 0.0));
  subject(json::object(), {impedance_take("free", "free-air")});
  const auto r = made(ReportKind::kDriver);
  ASSERT_TRUE(r.has_value()) << r.error().text();
  EXPECT_THAT(sentences(*section(r->report, "driver")),
              HasSubstr("the radiating area is not told"));
  EXPECT_TRUE(r->report.cards.empty());
}

// What was taken in a box is no driver in free air, and the other way round: neither stands for the
// other in print.
TEST_F(Sections, AnImpedanceStandsOnlyForItsOwnCondition) {
  test::write(folder_ / "box.zma", driver_list(63.0, 4.2, 0.0));
  subject(kCone, {impedance_take("box", "in-box")});
  const auto sheet = made(ReportKind::kDriver);
  ASSERT_TRUE(sheet.has_value()) << sheet.error().text();
  EXPECT_EQ(figure(sheet->report, "fs_hz"), nullptr);
  EXPECT_THAT(sheet->report.missing, Contains(HasSubstr("in free air was not measured")));
  test::write(folder_ / "free.zma", driver_list(42.0, 4.2, 0.0));
  subject(kCone, {impedance_take("free", "free-air")});
  const auto review = made(ReportKind::kReview);
  ASSERT_TRUE(review.has_value()) << review.error().text();
  EXPECT_EQ(section(review->report, "impedance"), nullptr);
  EXPECT_EQ(figure(review->report, "minimum_ohm"), nullptr);
  EXPECT_THAT(review->report.missing, Contains(HasSubstr("in its box was not measured")));
}

/// Of one response on the axis, as told.
class OneResponse : public Sections {
 protected:
  Report report(double low_hz, double per_octave, double gate_ms) {
    std::string text;
    for (double f = low_hz; f < 20000.0; f *= std::exp2(1.0 / per_octave))
      text +=
          fmt::format("{:.4f} {:.4f}\n", f, 88.0 - 10.0 * std::log10(1.0 + std::pow(55.0 / f, 8)));
    test::write(folder_ / "a.frd", text);
    json take = {{"id", "a"},
                 {"kind", "response"},
                 {"file", "a.frd"},
                 {"drive_v", 2.83},
                 {"distance_m", 1.0}};
    if (gate_ms > 0.0) take["gate_ms"] = gate_ms;
    subject({{"kind", "loudspeaker"}}, {take});
    return made(ReportKind::kReview)->report;
  }
};

// 1 / (1 + (55/f)^8) is 3 dB down at 55 Hz and 10 dB down where (55/f)^8 = 9, at 41.8 Hz: also from
// 12 rows an octave without phase.
TEST_F(OneResponse, ReachesAsLowAsItIsValid) {
  const Report r = report(20.0, 12.0, 0.0);
  ASSERT_NE(figure(r, "f3_hz"), nullptr);
  EXPECT_EQ(figure(r, "f3_hz")->command, "spin");
  EXPECT_NEAR(*figure(r, "f3_hz")->value, 55.0, 1.0);
  EXPECT_NEAR(*figure(r, "f10_hz")->value, 41.8, 1.0);
  const std::string told = sentences(*section(r, "response"));
  EXPECT_THAT(told, HasSubstr("the take begins there")) << "no gate was told";
  EXPECT_THAT(told, Not(HasSubstr("gate")));
}

TEST_F(OneResponse, AGateIsCalledAGateAndNothingBelowItIsStated) {
  const Report r = report(20.0, 24.0, 4.0);
  EXPECT_TRUE(figure(r, "f3_hz") == nullptr || !figure(r, "f3_hz")->valid);
  EXPECT_THAT(sentences(*section(r, "response")), HasSubstr("the gate resolves no more"));
}

// A dome from 400 Hz on has no mean from 300 Hz: it is said, not left out.
TEST_F(OneResponse, OfATweeterNoSensitivityIsStated) {
  const Report r = report(400.0, 24.0, 0.0);
  EXPECT_FALSE(figure(r, "sensitivity_db")->valid);
  EXPECT_THAT(sentences(*section(r, "response")), HasSubstr("No sensitivity is stated"));
}

TEST_F(OneResponse, OneAngleIsNoDirectivity) {
  const Report r = report(20.0, 24.0, 0.0);
  EXPECT_EQ(section(r, "angles"), nullptr);
  EXPECT_THAT(r.missing, Contains(HasSubstr("Directivity was not measured")));
}

/// A response as text; a step of `up_db` above 2 kHz.
std::string response_list(double up_db) {
  std::string text;
  for (double f = 20.0; f < 20000.0; f *= std::exp2(1.0 / 24.0))
    text += fmt::format("{:.4f} {:.4f}\n", f, 86.0 + (f > 2000.0 ? up_db : 0.0));
  return text;
}

class Compared : public Sections {
 protected:
  void variants(double up_db) {
    test::write(folder_ / "a.frd", response_list(0.0));
    test::write(folder_ / "b.frd", response_list(up_db));
    json takes = json::array();
    for (const char* id : {"a", "b"})
      takes.push_back({{"id", id},
                       {"kind", "response"},
                       {"variant", id},
                       {"file", std::string(id) + ".frd"},
                       {"drive_v", 2.83},
                       {"distance_m", 1.0}});
    const json set = {
        {"format", "lalometer-set"},
        {"version", 1},
        {"subject", {{"name", "Weir"}, {"kind", "loudspeaker"}}},
        {"variants", {{{"id", "a"}, {"name", "Bare"}}, {{"id", "b"}, {"name", "Felt"}}}},
        {"takes", takes}};
    test::write(folder_ / "set.json", set.dump());
  }
};

TEST_F(Compared, WhatDiffersIsSaidWithItsPlace) {
  variants(4.0);
  const auto r = made(ReportKind::kComparison);
  ASSERT_TRUE(r.has_value()) << r.error().text();
  const ReportSection* s = section(r->report, "comparison");
  ASSERT_NE(s, nullptr);
  EXPECT_THAT(sentences(*s), HasSubstr("“Felt” against “Bare”"));
  EXPECT_THAT(sentences(*s), Not(HasSubstr("nothing differs")));
  ASSERT_FALSE(tables(*s).empty());
  EXPECT_EQ(tables(*s)[0]->rows.size(), 2U);
  EXPECT_THAT(tables(*s)[0]->caption, HasSubstr("no repeats here"));
}

TEST_F(Compared, WhatDoesNotDifferIsSaidToo) {
  variants(0.1);
  const auto r = made(ReportKind::kComparison);
  ASSERT_TRUE(r.has_value());
  EXPECT_THAT(sentences(*section(r->report, "comparison")),
              HasSubstr("nothing differs by more than two takes of one thing do"));
}

TEST_F(Compared, AReviewIsOfOneVariant) {
  variants(4.0);
  const auto usual = made(ReportKind::kReview);
  ASSERT_TRUE(usual.has_value());
  EXPECT_EQ(usual->report.subtitle, "Bare") << "of two with as many takes the first";
  ReportInput input = report_input(folder_.path(), {}, "Felt", {});
  const auto felt = made_report(std::move(input));
  ASSERT_TRUE(felt.has_value());
  EXPECT_EQ(felt->report.subtitle, "Felt");
  EXPECT_EQ(felt->material->preview.items.size(), 1U);
  const auto none = made_report(report_input(folder_.path(), {}, "Wool", {}));
  ASSERT_FALSE(none.has_value());
  EXPECT_THAT(none.error().message, HasSubstr("\"Bare\", \"Felt\""));
}

TEST_F(Compared, AStopLeavesNothingHalfMade) {
  variants(4.0);
  std::stop_source stop;
  ReportInput input = report_input(folder_.path(), {}, {}, {});
  input.stop = stop.get_token();
  input.progress = [&](double share) {
    if (share > 0.05) stop.request_stop();
  };
  const auto r = made_report(std::move(input));
  ASSERT_FALSE(r.has_value());
  EXPECT_EQ(r.error().code, ErrorCode::kCancelled);
}

// The network's section states what the network's own functions do, and names every part.
TEST_F(Sections, TheNetworkIsTold) {
  const json set = test::network_set(folder_.path());
  test::write(folder_ / "set.json", set.dump());
  ReportInput input = report_input(folder_.path(), {}, {}, {});
  const auto network = network_from_json(
      R"({"branches": [{"driver": "woofer", "ladder": [{"place": "series", "name": "L7", "mh": 1.2}]},
          {"driver": "tweeter", "polarity": -1, "ladder": [{"place": "series", "uf": 6.8}]}]})",
      "test");
  ASSERT_TRUE(network.has_value());
  input.network = *network;
  const auto r = made_report(std::move(input));
  ASSERT_TRUE(r.has_value()) << r.error().text();
  const ReportSection* s = section(r->report, "network");
  ASSERT_NE(s, nullptr);
  EXPECT_THAT(sentences(*s), HasSubstr("tweeter is turned round."));
  EXPECT_THAT(sentences(*s), HasSubstr("Woofer and tweeter meet at"));
  ASSERT_EQ(tables(*s).size(), 1U);
  EXPECT_EQ(tables(*s)[0]->rows[0][1], "L7");
  EXPECT_EQ(tables(*s)[0]->rows[1][2], "6.80 µF");
  // Without parts there is nothing to tell.
  ReportInput bare = report_input(folder_.path(), {}, {}, {});
  bare.network = DesignedNetwork{.branches = {{.driver = "woofer"}, {.driver = "tweeter"}}};
  EXPECT_EQ(section(made_report(std::move(bare))->report, "network"), nullptr);
  // Of drivers that are not there it says so.
  ReportInput other = report_input(folder_.path(), {}, {}, {});
  other.network = *network;
  other.network->branches[0].driver = "ribbon";
  EXPECT_THAT(made_report(std::move(other))->report.missing,
              Contains(HasSubstr("The network could not be reckoned")));
}

}  // namespace
}  // namespace lalometer
