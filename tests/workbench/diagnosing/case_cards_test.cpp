#include "workbench/diagnosing/case_cards.h"

#include <gmock/gmock.h>

#include "workbench/keeping/case_keeping.h"

namespace lalometer {
namespace {

using ::testing::ElementsAre;

Finding finding(double hz, std::vector<FindingCause> causes, FindingSeverity severity,
                std::int64_t take) {
  Finding f;
  f.frequency_hz = hz;
  f.low_hz = 0.8 * hz;
  f.high_hz = 1.25 * hz;
  f.size_db = -3.0;
  f.causes = std::move(causes);
  f.severity = severity;
  f.shown_by = {take};
  f.correctable_by_eq = true;
  return f;
}

class CaseCards : public ::testing::Test {
 protected:
  CaseCards() {
    d_.findings = {finding(1000.0, {{"reflection", 0.7, {"a comb"}}, {"driver-breakup", 0.2}},
                           FindingSeverity::kAudible, 1),
                   finding(1500.0, {{"reflection", 0.4, {"its next tooth"}}, {"notch-filter", 0.3}},
                           FindingSeverity::kSevere, 2)};
    d_.findings[1].correctable_by_eq = false;
    d_.overall = {{"box-leak", 0.6}};
  }
  FindingPlace low() { return place_of(d_.findings[0]); }
  FindingPlace high() { return place_of(d_.findings[1]); }
  std::vector<CaseCard> cards() { return case_cards(d_, case_file_from_json(to_json(file_))); }
  const CaseCard* at(const std::vector<CaseCard>& all, const FindingPlace& place) {
    for (const CaseCard& one : all)
      if (one.place.same(place)) return &one;
    return nullptr;
  }
  Diagnosis d_;
  CaseFile file_;
};

TEST_F(CaseCards, StandInTheOrderOfWhatMatters) {
  const auto all = cards();
  ASSERT_EQ(all.size(), 3U);
  // 0.4 of a severe one, 0.7 of an audible one, 0.6 without a place: 1.6, 2.1, 1.8.
  EXPECT_TRUE(all[0].place.same(low()));
  EXPECT_EQ(all[1].place.cause, "box-leak");
  EXPECT_TRUE(all[2].place.same(high()));
}

TEST_F(CaseCards, AMergedFindingHoldsAllOfBothAndNoInventedCertainty) {
  file_.merge(low(), high());
  const auto all = cards();
  ASSERT_EQ(all.size(), 2U);
  const CaseCard& card = *at(all, low());
  EXPECT_THAT(card.merged, ::testing::SizeIs(1));
  EXPECT_DOUBLE_EQ(card.finding.low_hz, 800.0);
  EXPECT_DOUBLE_EQ(card.finding.high_hz, 1875.0);
  EXPECT_EQ(card.finding.severity, FindingSeverity::kSevere);
  EXPECT_FALSE(card.finding.correctable_by_eq) << "one of its parts is not";
  EXPECT_THAT(card.finding.shown_by, ElementsAre(1, 2));
  ASSERT_EQ(card.finding.causes.size(), 3U);
  EXPECT_EQ(card.finding.causes[0].cause, "reflection");
  EXPECT_DOUBLE_EQ(card.finding.causes[0].probability, 0.7);
  EXPECT_THAT(card.finding.causes[0].evidence, ElementsAre("a comb", "its next tooth"));
  EXPECT_EQ(card.finding.causes[1].cause, "notch-filter");
}

TEST_F(CaseCards, WhatWasMergedIntoAFindingThatIsGoneStandsAloneAgain) {
  file_.merge(low(), high());
  d_.findings.erase(d_.findings.begin());
  EXPECT_EQ(cards().size(), 2U);
  EXPECT_EQ(cards()[0].merged.size() + cards()[1].merged.size(), 0U);
}

TEST_F(CaseCards, MergedTwiceOverStaysOneAndComesApartWhole) {
  const FindingPlace leak = place_of(d_.overall[0]);
  file_.merge(low(), high());
  file_.merge(leak, low());
  EXPECT_EQ(cards().size(), 1U);
  EXPECT_EQ(cards()[0].merged.size(), 2U);
  file_.merge(leak, leak);
  EXPECT_EQ(cards().size(), 1U) << "into itself: as it was";
  file_.as_found(leak);
  EXPECT_EQ(cards().size(), 3U);
}

TEST_F(CaseCards, ASplitCauseIsAFindingOfItsOwnWithItsOwnVerdict) {
  file_.split(low(), "driver-breakup");
  FindingPlace own = low();
  own.split_off = "driver-breakup";
  file_.give({own, CaseVerdict::kAgreed, "it rings"});
  const auto all = cards();
  ASSERT_EQ(all.size(), 4U);
  ASSERT_NE(at(all, own), nullptr);
  EXPECT_THAT(at(all, own)->finding.causes, ::testing::SizeIs(1));
  EXPECT_DOUBLE_EQ(at(all, own)->finding.causes[0].probability, 0.2);
  EXPECT_THAT(at(all, low())->finding.causes, ::testing::SizeIs(1));
  EXPECT_EQ(file_.verdict_on(low()), nullptr);
  EXPECT_EQ(file_.verdict_on(own)->reason, "it rings");
  EXPECT_EQ(spoken_place(own), "the dip at 1.00 kHz (driver breakup)");
  file_.as_found(own);
  EXPECT_EQ(cards().size(), 3U);
}

}  // namespace
}  // namespace lalometer
