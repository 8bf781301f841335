#include <gmock/gmock.h>

#include <set>

#include "rig/practice/practice_field.h"
#include "support/books.h"
#include "workbench/keeping/practice_keeping.h"
#include "workbench/practice/files/simulation_file.h"
#include "workbench/practice/learner.h"
#include "workbench/practice/practice_cases.h"
#include "workbench/practice/practice_subject.h"

namespace lalometer {
namespace {

using ::testing::Contains;
using ::testing::ElementsAre;
using ::testing::HasSubstr;
using ::testing::Not;

TEST(DrawnCases, AreThirtyWithNoneOneOrTwoFaults) {
  for (const int seed : {1, 2, 77}) {
    std::map<std::size_t, int> counts;
    std::set<std::string> kinds;
    ASSERT_EQ(drawn_cases(seed).size(), 30U);
    for (const PracticeCase& one : drawn_cases(seed)) {
      ++counts[one.causes.size()];
      kinds.insert(one.causes.begin(), one.causes.end());
      EXPECT_EQ(practice_case(one.id), &one);
      for (const std::string& cause : one.causes) {
        EXPECT_THAT(one.offered, Contains(cause));
        EXPECT_THAT(one.story + one.title, Not(HasSubstr(spoken_cause(cause))));
      }
      EXPECT_EQ(one.offered.size(), 8U) << "as many for a sound one as for a faulty one";
      const auto plan = simulation_plan_of(one.plan_json, one.id, 1);
      ASSERT_TRUE(plan.has_value()) << one.id << ": " << plan.error().text();
      EXPECT_EQ(plan->faults, one.causes);
    }
    EXPECT_EQ(counts[0], 6);
    EXPECT_EQ(counts[1], 20);
    EXPECT_EQ(counts[2], 4);
    EXPECT_GE(kinds.size(), 16U) << "each fault at least once";
  }
}

TEST(DrawnCases, AreTheSameForTheSameSeedAndOthersForAnother) {
  // Written out once, so that another machine or library that draws otherwise is seen.
  EXPECT_EQ(drawn_cases(1)[0].id, "drawn-1-01");
  EXPECT_NE(drawn_cases(1)[0].plan_json, drawn_cases(2)[0].plan_json);
  std::vector<std::vector<std::string>> one, two;
  for (const PracticeCase& c : drawn_cases(1)) one.push_back(c.causes);
  for (const PracticeCase& c : drawn_cases(2)) two.push_back(c.causes);
  EXPECT_NE(one, two) << "knowing one series tells nothing of the next";
  EXPECT_EQ(practice_case("drawn-0-01"), nullptr);
  EXPECT_EQ(practice_case("drawn-1-31"), nullptr);
  EXPECT_EQ(practice_case("drawn-99999-01"), nullptr);
}

// The takes of a faulty rig and of a sound one are of the same kinds, by the same names: what was
// taken must not tell what is wrong.
TEST(DrawnCases, WhatWasTakenDoesNotTellTheFault) {
  std::set<std::string> lists;
  for (const PracticeCase& one : drawn_cases(3)) {
    const auto plan = simulation_plan_of(one.plan_json, one.id, 1);
    std::string list;
    for (const PracticeTake& t : plan->takes) list += t.kind + " " + t.name + "; ";
    lists.insert(list);
  }
  EXPECT_EQ(lists.size(), 1U);
}

// What is put in must be there to be found: impedance, axis or an angle differ from the sound one's
// by what a careful reader sees.
TEST(DrawnCases, TheirFaultsCanBeSeen) {
  for (const PracticeCase& one : drawn_cases(5)) {
    if (one.causes.size() != 1) continue;
    const auto bad = simulation_plan_of(one.plan_json, one.id, 1);
    const PracticeBenchSetup& faulty = bad->variants.back().bench;
    if (faulty.microphone_noise_pa > 0.01 || faulty.mains_hum_pa > 0.0 ||
        faulty.faults.input_gain > 5.0 || one.causes[0] == "microphone-too-close")
      continue;  // faults of the rig are not the loudspeaker's
    PracticeBenchSetup sound = faulty;
    sound.speaker = *practice_speaker_of(bad->description, one.id);
    sound.room.right_wall_m = 0.0;
    const PracticeField at_fault(faulty.speaker, faulty.room);
    const PracticeField as_told(sound.speaker, sound.room);
    double change_db = 0.0;
    for (double f = 20.0; f < 8000.0; f *= 1.02) {
      const PracticeOutput a = at_fault.at(f);
      const PracticeOutput b = as_told.at(f);
      const auto db = [](std::complex<double> x, std::complex<double> y) {
        return std::abs(20.0 * std::log10(std::abs(x) / std::abs(y)));
      };
      change_db = std::max(
          {change_db,
           db(a.direct_pa_per_v + a.reflected_pa_per_v, b.direct_pa_per_v + b.reflected_pa_per_v),
           2.0 * db(a.impedance_ohm, b.impedance_ohm)});
    }
    EXPECT_GT(change_db, 1.0) << one.id << " " << one.causes[0];
  }
}

// A wrong phase is one that is heard: a quarter of a period on the axis, whatever the drivers' own.
TEST(DrawnCases, AWrongPhaseIsAQuarterOfAPeriodWhereTheDriversMeet) {
  int seen = 0;
  for (const int seed : {1, 2, 3, 4})
    for (const PracticeCase& one : drawn_cases(seed)) {
      if (one.causes != std::vector<std::string>{"crossover-phase"}) continue;
      const auto plan = simulation_plan_of(one.plan_json, one.id, 1);
      const PracticeBenchSetup& bench = plan->variants.back().bench;
      const double f = plan->description.crossovers.front().frequency_hz.value();
      std::complex<double> heard[2];
      for (const std::size_t keep : {0U, 1U}) {
        PracticeSpeaker alone = bench.speaker;
        alone.ways = {bench.speaker.ways.at(keep)};
        heard[keep] = PracticeField(alone, bench.room).at(f).direct_pa_per_v;
      }
      EXPECT_NEAR(std::abs(std::arg(heard[0] / heard[1])) * 180.0 / kPi, 90.0, 25.0) << one.id;
      ++seen;
    }
  EXPECT_GE(seen, 3);
}

TEST(DrawnCases, AVerdictMustNameAllFaultsAndNoOther) {
  PracticeCase one;
  one.causes = {"box-leak", "crossover-phase"};
  one.explanation = "So it was.";
  EXPECT_TRUE(judged(one, {"crossover-phase", "box-leak"}).right) << "in any order";
  EXPECT_EQ(judged(one, {"box-leak"}).text,
            "Partly: it is box leak and crossover phase. So it was.");
  EXPECT_FALSE(judged(one, {"box-leak", "crossover-phase", "noise"}).right);
  EXPECT_EQ(judged(one, {}).text.rfind("Not quite: it is box leak", 0), 0U);
  one.causes = {};
  EXPECT_TRUE(judged(one, {}).right);
  EXPECT_EQ(judged(one, {"noise"}).text, "Not quite: nothing is wrong. So it was.");
}

TEST(DrawnCases, BooksWithVerdictsOfOneCauseAreStillRead) {
  const CaseState old = case_state_from_json(R"({"case": "thin-air", "verdict": "box-leak"})");
  ASSERT_TRUE(old.verdict.has_value());
  EXPECT_THAT(old.verdict->causes, ElementsAre("box-leak"));
  EXPECT_EQ(old.verdict->sure_percent, 0);
  EXPECT_FALSE(case_state_from_json(R"({"case": "thin-air", "verdict": ""})").verdict.has_value())
      << "open, as such a book says it";
  const CaseState none = case_state_from_json(to_json(CaseState{"x", GivenVerdict{{}, 75}}));
  ASSERT_TRUE(none.verdict.has_value()) << "nothing is wrong is a verdict too";
  EXPECT_TRUE(none.verdict->causes.empty());
  EXPECT_EQ(none.verdict->sure_percent, 75);
}

class Learner : public ::testing::Test {
 protected:
  void give(const PracticeCase& one, const GivenVerdict& given) {
    Subject subject;
    subject.name = one.id;
    const auto id = book_.add_subject(subject);
    ASSERT_TRUE(id.has_value());
    ASSERT_TRUE(
        book_.set_document(*id, "practice", to_json(CaseState{one.id, std::nullopt}), "Open")
            .has_value());
    ASSERT_TRUE(keep_verdict(book_, *id, one, given).has_value());
  }
  const test::TemporaryFolder folder_;
  Book book_ = *Book::create(folder_ / "b.lalo");
};

TEST_F(Learner, HitsAndSurenessAreCounted) {
  EXPECT_EQ(told(learner_record(book_)), "");
  const std::vector<PracticeCase>& own = practice_cases();
  give(own[0], {own[0].causes, 90});
  give(own[1], {own[1].causes, 90});
  give(own[2], {{"baffle-step"}, 90});
  give(own[3], {own[3].causes, 50});
  give(own[4], {{"baffle-step"}, 70});
  give(own[5], {own[5].causes, 0});
  const LearnerRecord record = learner_record(book_);
  EXPECT_EQ(record.given, 6);
  EXPECT_EQ(record.right, 4);
  EXPECT_EQ(record.with_sureness, 5);
  // Mean sureness 0.78, right 3 of 5.
  EXPECT_NEAR(record.surer_than_right, 0.18, 1e-9);
  EXPECT_EQ(told(record),
            "You were right in 4 of 6. 80 to 100 % sure: 2 of 3. 60 to 80 % sure: 0 of 1. 40 to 60 "
            "% sure: 1 of 1. On the whole 18 points surer than right. Oftenest missed: " +
                spoken_cause(record.missed.front().cause) + " (0 of 1 named).");
}

}  // namespace
}  // namespace lalometer
