#include "workbench/studies/factors.h"

#include <gmock/gmock.h>

#include "acoustics/decay/impulse_of.h"
#include "acoustics/decay/ridges.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using ::testing::ElementsAre;
using ::testing::HasSubstr;

TEST(Factors, AreReadFromWhatPeopleWrite) {
  const auto f =
      factors_in({"long wing 60 mm, short wing 20 mm", "long wing 100 mm; short wing 20mm",
                  "60 mm long wing, 40 mm short wing", "Long wing 100 mm, short wing 40 mm"});
  EXPECT_FALSE(f.has_value()) << "another spelling is another factor: better none than a wrong one";
  const auto g = factors_in(
      {"long wing 60 mm, short wing 20 mm", "long wing 100 mm; short wing 20mm",
       "60 mm long wing, 40 mm short wing", "long wing: 100 mm, short wing = 40 mm, felt: no"});
  ASSERT_TRUE(g.has_value());
  EXPECT_THAT(g->names, ElementsAre("long wing", "short wing"));
  EXPECT_THAT(g->levels[0], ElementsAre("60 mm", "100 mm")) << "by size, not by the alphabet";
  EXPECT_THAT(g->of[3], ElementsAre(1, 1));
  const auto h = factors_in({"port 3.5cm, felt: no", "port = 2.25 cm, felt: yes",
                             "-2 cm port, felt: no", "port 2.25 cm, felt = 2 mm, box 2"});
  ASSERT_TRUE(h.has_value());
  EXPECT_THAT(h->levels[1], ElementsAre("-2 cm", "2.25 cm", "3.5 cm"));
  EXPECT_THAT(h->levels[0], ElementsAre("no", "yes", "2 mm")) << "words before numbers";
  EXPECT_FALSE(factors_in({"bare", "lined", "filled"}).has_value());
  EXPECT_FALSE(factors_in({"wing 20 mm", "wing 40 mm", "wing 60 mm"}).has_value()) << "one thing";
}

/// A series by its roughness alone, two rows of three columns.
class Tables : public ::testing::Test {
 protected:
  Tables() {
    for (const char* row : {"10", "20"})
      for (const char* column : {"1", "2", "3"})
        sentences_.push_back(std::string("wing ") + row + " mm, felt " + column + " cm");
    series_.repeat_db = 0.4;  // a single roughness is known to 0.25 * 0.4 / sqrt(2) = 0.0707 dB
  }
  std::vector<FactorTable> tables(const std::vector<double>& roughness_db) {
    series_.members.clear();
    for (const double db : roughness_db) {
      MemberFigures m;
      m.roughness_db = db;
      series_.members.push_back(m);
    }
    return factor_tables(series_, *factors_in(sentences_));
  }
  std::vector<std::string> sentences_;
  SeriesComparison series_;
};

// A textbook two-way layout: the cells are a mean and shifts, worked out by hand.
TEST_F(Tables, ShiftsOfAnAdditiveSeriesAreTheEffects) {
  // Factors stand by name: felt (rows of the table), wing (columns).
  const auto all = tables({1.0, 1.2, 1.5, 0.7, 0.9, 1.2});
  ASSERT_EQ(all.size(), 1U) << "no member has another figure";
  const FactorTable& t = all[0];
  EXPECT_EQ(t.row_name, "felt");
  EXPECT_NEAR(t.row_effect.value, 0.5, 1e-12);
  EXPECT_NEAR(t.column_effect.value, -0.3, 1e-12);
  // Means of two cells each, differing: 0.0707 sqrt(1/2 + 1/2); of three each: sqrt(2/3).
  EXPECT_NEAR(t.row_effect.half_width, 0.0707, 1e-3);
  EXPECT_NEAR(t.column_effect.half_width, 0.0577, 1e-3);
  EXPECT_TRUE(t.row_real && t.column_real);
  ASSERT_TRUE(t.interaction.has_value());
  EXPECT_NEAR(t.interaction->value, 0.0, 1e-12);
  EXPECT_FALSE(t.interaction_real);
  EXPECT_THAT(t.told, HasSubstr("wing 20 mm rather than 10 mm: -0.30 ± 0.06 dB"));
  EXPECT_THAT(t.told, HasSubstr("Each does the same"));
}

TEST_F(Tables, AnInteractionIsToldWithItsFourCells) {
  const auto all = tables({1.0, 1.2, 1.5, 1.0, 0.9, 0.6});
  EXPECT_TRUE(all[0].interaction_real);
  EXPECT_NEAR(std::abs(all[0].interaction->value), 0.9, 1e-12);  // (0.6 - 1.0) - (1.5 - 1.0)
  EXPECT_THAT(all[0].told, HasSubstr("wing 20 mm rather than 10 mm makes +0.00 dB with felt 1 cm, "
                                     "and -0.90 with 3 cm"));
}

TEST_F(Tables, WhatRepeatsExplainIsNoEffectAndNoInteraction) {
  // The largest of three double differences, 0.17 dB, is above one's own 0.14 and below what the
  // largest of three may be by chance: Bonferroni, z = 2.39 for 0.05 / 3.
  const auto all = tables({1.0, 1.0, 1.0, 1.0, 1.0, 1.17});
  EXPECT_NEAR(all[0].interaction->half_width, 2.0 * 0.0707 * 2.394 / 1.960, 2e-3);
  EXPECT_FALSE(all[0].interaction_real);
}

TEST_F(Tables, TwoThingsThatAlwaysWentTogetherCannotBeToldApart) {
  sentences_ = {"wing 10 mm, felt 1 cm", "wing 20 mm, felt 2 cm", "wing 30 mm, felt 3 cm"};
  EXPECT_TRUE(tables({1.0, 1.1, 1.2}).empty());
}

// A single resonance of known Q: 20 dB weaker after ln(10) Q / (pi f).
TEST(ImpulseOf, AStoredResponseRingsAsItsResonanceDoes) {
  for (const double per_octave : {48.0, 96.0}) {
    const double f0 = 1200.0, q = 12.0;
    const FrequencyAxis axis = FrequencyAxis::logarithmic(100.0, 20000.0, per_octave);
    std::vector<std::complex<double>> values;
    for (const double f : axis.hz()) {
      const std::complex<double> jw(0.0, f / f0);
      values.push_back(1.0 + 0.4 * (jw / q) / (1.0 + jw / q + jw * jw));
    }
    const Response curve =
        *Response::make(axis, std::move(values), Quantity::kRatio, {100.0, 20000.0}, true);
    const auto ridges =
        decay_ridges(impulse_of(curve), {0.0, 0.06}, {.low_hz = 200.0, .high_hz = 8000.0});
    ASSERT_EQ(ridges.size(), 1U) << per_octave;
    EXPECT_NEAR(ridges[0].frequency_hz.value, f0, 0.01 * f0);
    EXPECT_NEAR(ridges[0].decay_s.value, std::log(10.0) * q / (kPi * f0),
                0.1 * std::log(10.0) * q / (kPi * f0));
  }
}

}  // namespace
}  // namespace lalometer
