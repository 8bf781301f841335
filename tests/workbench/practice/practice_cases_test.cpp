#include "workbench/practice/practice_cases.h"

#include <gmock/gmock.h>

#include <set>

#include "base/work_owner.h"
#include "support/books.h"
#include "support/descriptions.h"
#include "workbench/practice/files/simulation_file.h"
#include "workbench/practice/practice_subject.h"

namespace lalometer {
namespace {

using ::testing::Contains;
using ::testing::ElementsAre;
using ::testing::HasSubstr;

/// The product's list of causes (docs/glossary.md) and the bench's mishaps.
const std::set<std::string> kCauses = {"edge-diffraction",
                                       "baffle-step",
                                       "driver-breakup",
                                       "suspension-resonance",
                                       "cabinet-standing-wave",
                                       "port-pipe-resonance",
                                       "panel-resonance",
                                       "box-leak",
                                       "overdamped-port",
                                       "mistuned-box",
                                       "crossover-phase",
                                       "driver-polarity",
                                       "source-spacing-lobing",
                                       "directivity-mismatch",
                                       "beaming",
                                       "dipole-cancellation",
                                       "cavity-resonance",
                                       "passive-radiator-notch",
                                       "notch-filter",
                                       "reflection",
                                       "noise",
                                       "mains-hum",
                                       "clipping",
                                       "sample-variation",
                                       "gate-too-short",
                                       "microphone-too-close",
                                       "lost-samples"};

TEST(PracticeCases, AreManyGradedAndSolvable) {
  EXPECT_GE(practice_cases().size(), 12U);
  std::set<std::string> ids;
  std::set<std::string> causes;
  int grade = 1;
  for (const PracticeCase& one : practice_cases()) {
    EXPECT_TRUE(ids.insert(one.id).second);
    ASSERT_EQ(one.causes.size(), 1U) << one.id;
    causes.insert(one.causes[0]);
    EXPECT_GE(one.grade, grade) << "easier ones first";
    grade = one.grade;
    EXPECT_THAT(one.offered, Contains(one.causes[0])) << one.id;
    EXPECT_GE(one.offered.size(), 3U);
    for (const std::string& word : one.offered) EXPECT_TRUE(kCauses.contains(word)) << word;
    const auto plan = simulation_plan_of(one.plan_json, one.id, 1);
    ASSERT_TRUE(plan.has_value()) << one.id << ": " << plan.error().text();
    for (const std::string& fault : plan->faults)
      EXPECT_EQ(fault, one.causes[0]) << "what is put in is what is asked for";
    EXPECT_THAT(to_json(plan->description), ::testing::Not(HasSubstr("fault")))
        << "the truth stays out";
  }
  EXPECT_EQ(grade, 4);
  EXPECT_GE(causes.size(), 12U) << "hardly two alike";
}

// The explanation names a frequency: there the takes of the faulty loudspeaker and of one without
// the fault must differ, in impedance or on the axis.
TEST(PracticeCases, ShowTheirFaultWhereTheExplanationSays) {
  for (const PracticeCase& one : practice_cases()) {
    const auto bad = simulation_plan_of(one.plan_json, one.id, 1);
    if (bad->faults.empty() || one.mark_hz <= 0.0 || one.causes[0] == "mains-hum") continue;
    const PracticeBenchSetup& faulty = bad->variants.back().bench;
    PracticeBenchSetup sound;
    sound.speaker = *practice_speaker_of(bad->description, one.id);
    double change = 0.0;
    const PracticeField at_fault(faulty.speaker, faulty.room);
    const PracticeField as_told(sound.speaker, sound.room);
    for (double f = one.mark_hz / 1.3; f < one.mark_hz * 1.3; f *= 1.01) {
      const PracticeOutput a = at_fault.at(f);
      const PracticeOutput b = as_told.at(f);
      const auto db = [](std::complex<double> x, std::complex<double> y) {
        return std::abs(20.0 * std::log10(std::abs(x) / std::abs(y)));
      };
      change = std::max(
          {change,
           db(a.direct_pa_per_v + a.reflected_pa_per_v, b.direct_pa_per_v + b.reflected_pa_per_v),
           10.0 * db(a.impedance_ohm, b.impedance_ohm)});
    }
    EXPECT_GT(change, 1.0) << one.id;
  }
}

TEST(PracticeCases, OpenIntoABookAndKeepTheVerdict) {
  const test::TemporaryFolder folder;
  auto book = Book::create(folder / "b.lalo");
  ASSERT_TRUE(book.has_value());
  const PracticeCase& one = *practice_case("thin-air");
  const auto opened =
      case_takes(one, {}, {}, on_threads()).and_then([&](const ImportPreview& takes) {
        return keep_case(*book, one, takes);
      });
  ASSERT_TRUE(opened.has_value()) << opened.error().text();
  EXPECT_EQ(opened->takes.size(), 4U);
  EXPECT_EQ(book->variants(opened->subject)->size(), 2U);
  const auto subjects = *book->subjects();
  EXPECT_EQ(subjects.back().name, one.title);
  EXPECT_EQ(case_state(*book, opened->subject).case_id, "thin-air");
  EXPECT_FALSE(case_state(*book, opened->subject).verdict.has_value());
  EXPECT_THAT(to_json(subjects.back().description), ::testing::Not(HasSubstr("leak")));
  ASSERT_TRUE(keep_verdict(*book, opened->subject, one, {{"mistuned-box"}, 80}).has_value());
  EXPECT_THAT(case_state(*book, opened->subject).verdict->causes, ElementsAre("mistuned-box"));
  EXPECT_EQ(case_state(*book, opened->subject).verdict->sure_percent, 80);
  EXPECT_THAT(*book->note(opened->subject), HasSubstr("Not quite: it is box leak."));
  EXPECT_TRUE(judged(one, {"box-leak"}).right);
}

TEST(PracticeCases, AStopLeavesTheBookAsItWas) {
  const test::TemporaryFolder folder;
  auto book = Book::create(folder / "b.lalo");
  std::stop_source stop;
  stop.request_stop();
  EXPECT_EQ(case_takes(practice_cases().front(), stop.get_token(), {}).error().code,
            ErrorCode::kCancelled);
  EXPECT_TRUE(book->subjects()->empty());
}

}  // namespace
}  // namespace lalometer
