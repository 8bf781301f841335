#include "workbench/diagnosing/case_file.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "workbench/keeping/case_keeping.h"

namespace lalometer {
namespace {

using ::testing::ElementsAre;
using ::testing::HasSubstr;
using ::testing::IsEmpty;

Finding finding(double hz, const char* cause, double p, double db = -3.0) {
  Finding f;
  f.frequency_hz = hz;
  f.shape = db < 0.0 ? FindingShape::kDip : FindingShape::kPeak;
  f.size_db = db;
  f.causes = {{cause, p}};
  return f;
}

TEST(CaseFileTest, AVerdictStaysWithItsPlaceWhenTheDataMove) {
  CaseFile file;
  file.give({place_of(finding(4100.0, "edge-diffraction", 0.7)), CaseVerdict::kDismissed,
             "the grille hides it", "2026-03-01T09:30:00Z"});
  file.give({{0.0, "", "box-leak"}, CaseVerdict::kAgreed, "", "2026-03-01T09:31:00Z"});
  const CaseFile back = case_file_from_json(to_json(file));
  // Another take moves the dip a little and turns its cause.
  const KeptVerdict* v = back.verdict_on(place_of(finding(4230.0, "driver-breakup", 0.6)));
  ASSERT_NE(v, nullptr);
  EXPECT_EQ(v->verdict, CaseVerdict::kDismissed);
  EXPECT_EQ(v->reason, "the grille hides it");
  EXPECT_EQ(v->date, "2026-03-01T09:30:00Z");
  EXPECT_EQ(back.verdict_on(place_of(finding(4800.0, "edge-diffraction", 0.7))), nullptr);
  EXPECT_EQ(back.verdict_on(place_of(finding(4100.0, "edge-diffraction", 0.7, 3.0))), nullptr)
      << "a peak is no dip";
  ASSERT_NE(back.verdict_on({0.0, "", "box-leak"}), nullptr);
  EXPECT_EQ(back.verdict_on({0.0, "", "overdamped-port"}), nullptr);
}

TEST(CaseFileTest, ALaterVerdictTakesThePlaceOfAnEarlierOneAndNoneTakesItBack) {
  CaseFile file;
  const FindingPlace place = place_of(finding(1000.0, "suspension-resonance", 0.8));
  file.give({place, CaseVerdict::kAgreed});
  file.give({place, CaseVerdict::kDoubted});
  ASSERT_EQ(file.verdicts.size(), 1U);
  EXPECT_EQ(file.verdict_on(place)->verdict, CaseVerdict::kDoubted);
  file.give({place, CaseVerdict::kNone});
  EXPECT_THAT(file.verdicts, IsEmpty());
}

TEST(CaseFileTest, WhatANewTakeChangedIsSaidWithItsNumbers) {
  Diagnosis before;
  before.findings = {finding(4100.0, "edge-diffraction", 0.71),
                     finding(900.0, "suspension-resonance", 0.55),
                     finding(2000.0, "crossover-phase", 0.6)};
  before.overall = {{"box-leak", 0.4}};
  Diagnosis now;
  now.findings = {finding(4120.0, "edge-diffraction", 0.97),
                  finding(905.0, "cabinet-standing-wave", 0.9),
                  finding(300.0, "panel-resonance", 0.66, 2.0)};
  now.overall = {{"box-leak", 0.43}};
  EXPECT_THAT(changes_between(seen_of(before), now),
              ElementsAre("Gone: the dip at 2.00 kHz (crossover phase, 60 % before).",
                          "Edge diffraction, the dip at 4.12 kHz: 71 % to 97 %.",
                          "For the dip at 905 Hz now cabinet standing wave 90 %, before suspension "
                          "resonance 55 %.",
                          "New: the peak at 300 Hz, panel resonance 66 %."));
  EXPECT_THAT(changes_between(seen_of(now), now), IsEmpty());
}

TEST(CaseFileTest, WhatIsNoCaseFileReadsAsAnEmptyOne) {
  for (const char* text :
       {"", "[1]", "{\"verdicts\": [3, {\"verdict\": \"maybe\"}], \"seen\": 7}"}) {
    const CaseFile file = case_file_from_json(text);
    EXPECT_THAT(file.verdicts, IsEmpty()) << text;
    EXPECT_THAT(file.seen, IsEmpty()) << text;
  }
}

}  // namespace
}  // namespace lalometer
