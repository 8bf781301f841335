#include "workbench/taking/plan/take_queue.h"

#include <gmock/gmock.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <csignal>
#include <cstdlib>
#include <map>
#include <random>
#include <set>
#include <thread>

#include "base/hash.h"
#include "rig/practice/practice_turntable.h"
#include "support/books.h"
#include "workbench/practice/demo_book.h"
#include "workbench/taking/level/level_setting.h"

namespace lalometer {
namespace {

/// The practice bench with its table, and mishaps planted at chosen sweeps.
class Bench final : public AudioDevice {
 public:
  Bench() : bench_(demo_bench(false)) {
    // The lumped, linear one: quick to play, and what is looked for does not depend on it.
    bench_.setup().speaker = kiosk_two_way(false);
    bench_.setup().room.floor_reflection = 0.5;
  }
  DeviceAbility ability() const override { return bench_.ability(); }
  Result<void> prepare(const StreamSetup& setup) override { return bench_.prepare(setup); }
  double input_rate_hz() const override { return bench_.input_rate_hz(); }
  void stop() override { bench_.stop(); }

  void aim(const TakeRequest& r) {
    PracticeRoom& room = bench_.setup().room;
    room.distance_m = r.distance_m;
    const bool vertical = r.vertical_deg != 0.0;
    room.horizontal_deg = vertical ? 0.0 : table.true_deg();
    room.vertical_deg = vertical ? table.true_deg() : 0.0;
  }

  PracticeTurntable table;
  std::map<int, std::function<void(PracticeBenchSetup&)>> mishaps;  ///< by number of the sweep
  int sweeps = 0;

 private:
  Result<Recording> do_run(const Playing& output, std::stop_token stop, const Progress& progress,
                           const Arrivals& arrivals) override {
    bench_.setup().faults = {};
    if (const auto found = mishaps.find(++sweeps); found != mishaps.end())
      found->second(bench_.setup());
    return bench_.run(output, stop, progress, arrivals);
  }
  PracticeBench bench_;
};

void clip(PracticeBenchSetup& s) {
  s.faults.input_gain = 60.0;
}
void slam(PracticeBenchSetup& s) {
  s.faults.slam = PracticeFaults::Samples{0.45, 9000};
}
void drop(PracticeBenchSetup& s) {
  s.faults.lost = PracticeFaults::Samples{0.42, 200};
}

struct Day {
  explicit Day(const std::filesystem::path& path) : small(path) {}

  MeasuringPlan plan(Purpose purpose, PlanOptions wishes = {}) {
    MeasuringPlan p = *plan_for(purpose, subject(), *small.book.variants(small.subject), wishes);
    for (PlannedTake& t : p.takes) {
      t.request.duration_s = 0.5;
      t.request.start_hz = 60.0;
    }
    return p;
  }
  Subject subject() { return small.book.subjects()->front(); }
  std::vector<PlanStatus> standing(const MeasuringPlan& p) {
    return status_of(p, *small.book.takes(), subject().drawing_mark);
  }
  QueueHooks hooks() {
    QueueHooks h;
    h.ready = [](std::size_t, const PlannedTake&, std::stop_token) { return Result<void>(); };
    h.keep = [this](std::size_t, const TakeOutcome& outcome) {
      return keep_take(small.book, outcome, rig);
    };
    h.refused = [this](std::size_t index, const std::vector<Remark>& why) {
      refusals.emplace_back(index, why.empty() ? "" : why.back().text);
      for (const Remark& r : why) codes.insert(r.code);
    };
    h.aim = [this](const TakeRequest& r) {
      bench.aim(r);
      bench.table.faults().missed_per_move = 0.0;  // one move only
    };
    return h;
  }
  Result<QueueSummary> run(const MeasuringPlan& p, std::stop_token stop = {},
                           QueueSettings settings = {}) {
    return run_queue(bench, &bench.table, rig, p, standing(p), subject().drawing_mark, settings,
                     hooks(), stop);
  }

  test::SmallBook small;
  Bench bench;
  RigCalibration rig = demo_bench(false).rig;
  std::vector<std::pair<std::size_t, std::string>> refusals;
  std::set<std::string> codes;
};

// Three clipped takes, two doors, one missed step of the table, one dropout: all caught, nothing
// good refused.
TEST(TakeQueue, AFullSetComesThroughWithEveryMishapTakenAgain) {
  const test::TemporaryFolder folder;
  Day day(folder / "day.lalo");
  day.bench.mishaps = {{6, clip}, {21, clip}, {57, clip}, {12, slam}, {40, slam}, {33, drop}};
  TableFaults faults;
  const MeasuringPlan plan = day.plan(Purpose::kFullSet);
  ASSERT_EQ(plan.takes.size(), 70U);
  // The table misses one whole step on the way out of the second half.
  auto hooks = day.hooks();
  int kept = 0;
  hooks.keep = [&](std::size_t index, const TakeOutcome& outcome) {
    day.bench.table.faults().missed_per_move = ++kept == 9 ? 1.0 : 0.0;
    day.bench.table.faults().missed_deg = 10.0;
    const double asked =
        plan.takes[index].request.vertical_deg + plan.takes[index].request.horizontal_deg;
    EXPECT_NEAR(day.bench.table.true_deg(), asked, 1e-6) << "a take at a wrong angle was kept";
    return keep_take(day.small.book, outcome, day.rig);
  };
  const auto summary = run_queue(day.bench, &day.bench.table, day.rig, plan, day.standing(plan),
                                 day.subject().drawing_mark, {}, hooks, {});
  ASSERT_TRUE(summary.has_value()) << summary.error().text();
  EXPECT_TRUE(summary->finished);
  EXPECT_EQ(summary->kept, 70U);
  // Six planted ones less the dropout, which the runner itself plays again, plus the missed step.
  EXPECT_EQ(day.refusals.size(), 6U) << ::testing::PrintToString(day.refusals);
  EXPECT_TRUE(day.codes.contains("clipping"));
  EXPECT_TRUE(day.codes.contains("disturbed"));
  for (const PlanStatus& s : day.standing(plan)) EXPECT_EQ(s.state, PlanState::kDone) << s.why;
}

TEST(TakeQueue, GoesOnWhereItWasStopped) {
  const test::TemporaryFolder folder;
  Day day(folder / "day.lalo");
  const MeasuringPlan plan = day.plan(Purpose::kQuickSet);
  std::stop_source stop;
  auto hooks = day.hooks();
  hooks.keep = [&](std::size_t, const TakeOutcome& outcome) {
    const auto id = keep_take(day.small.book, outcome, day.rig);
    if (place_of(outcome.take).horizontal_deg == 15.0) stop.request_stop();
    return id;
  };
  const auto paused = run_queue(day.bench, &day.bench.table, day.rig, plan, day.standing(plan),
                                day.subject().drawing_mark, {}, hooks, stop.get_token());
  ASSERT_FALSE(paused.has_value());
  EXPECT_EQ(paused.error().code, ErrorCode::kCancelled);
  EXPECT_EQ(day.small.book.takes()->size(), 2U);
  // As after a restart: nothing but the book and the plan in it is left.
  ASSERT_TRUE(keep_plan(day.small.book, plan).has_value());
  const auto kept = kept_plan(day.small.book, day.small.subject);
  ASSERT_TRUE(kept.has_value());
  const auto rest = day.run(*kept);
  ASSERT_TRUE(rest.has_value());
  EXPECT_EQ(rest->kept, 3U);
  EXPECT_EQ(day.small.book.takes()->size(), 5U);
}

// The process is killed in the middle of an orbit, as by a power cut: what was taken is there, and
// the queue goes on with the next angle.
TEST(TakeQueue, AKillInTheMiddleLosesNothingThatWasKept) {
  const test::TemporaryFolder folder;
  MeasuringPlan plan;
  {
    Day day(folder / "day.lalo");
    plan = day.plan(Purpose::kOrbit, {.step_deg = 60.0});
    ASSERT_TRUE(keep_plan(day.small.book, plan).has_value());
  }
  const pid_t child = fork();
  if (child == 0) {
    auto book = Book::open(folder / "day.lalo");
    Bench bench;
    const RigCalibration rig = demo_bench(false).rig;
    QueueHooks hooks;
    int kept = 0;
    hooks.ready = [](std::size_t, const PlannedTake&, std::stop_token) { return Result<void>(); };
    hooks.keep = [&](std::size_t, const TakeOutcome& outcome) {
      const auto id = keep_take(*book, outcome, rig);
      if (++kept == 3) raise(SIGKILL);
      return id;
    };
    hooks.aim = [&](const TakeRequest& r) { bench.aim(r); };
    (void)run_queue(bench, &bench.table, rig, plan, std::vector<PlanStatus>(plan.takes.size()),
                    "{}", {}, hooks, {});
    _exit(1);
  }
  int status = 0;
  waitpid(child, &status, 0);
  ASSERT_TRUE(WIFSIGNALED(status));
  auto book = Book::open(folder / "day.lalo");
  ASSERT_TRUE(book.has_value());
  const auto kept = kept_plan(*book, book->subjects()->front().id);
  ASSERT_TRUE(kept.has_value());
  const auto standing = status_of(*kept, *book->takes(), "{}");
  for (std::size_t i = 0; i < standing.size(); ++i)
    EXPECT_EQ(standing[i].state, i < 3 ? PlanState::kDone : PlanState::kMissing) << i;
  EXPECT_TRUE(book->check_integrity().has_value());
  Bench bench;
  const RigCalibration rig = demo_bench(false).rig;
  std::vector<double> angles;
  QueueHooks hooks;
  hooks.keep = [&](std::size_t index, const TakeOutcome& outcome) {
    angles.push_back(kept->takes[index].request.horizontal_deg);
    return keep_take(*book, outcome, rig);
  };
  hooks.aim = [&](const TakeRequest& r) { bench.aim(r); };
  ASSERT_TRUE(
      run_queue(bench, &bench.table, rig, *kept, standing, "{}", {}, hooks, {}).has_value());
  EXPECT_THAT(angles, ::testing::ElementsAre(180.0, -60.0, -120.0));
}

/// LALOMETER_KILLS asks for more than the usual rounds.
int kill_rounds(int usual) {
  const char* wanted = std::getenv("LALOMETER_KILLS");
  return wanted != nullptr ? std::max(usual, std::atoi(wanted)) : usual;
}

// The same at any moment: whatever the queue said was kept is in the book, whole, and the book is
// sound. What was not said is missing or there, but never half.
TEST(TakeQueue, AKillAtAnyMomentLosesNothingThatWasSaidToBeKept) {
  std::mt19937_64 engine(77);
  for (int round = 0; round < kill_rounds(6); ++round) {
    const test::TemporaryFolder folder;
    MeasuringPlan plan;
    {
      Day day(folder / "day.lalo");
      plan = day.plan(Purpose::kOrbit, {.step_deg = 30.0});
      for (PlannedTake& t : plan.takes) t.request.duration_s = 0.2;
      ASSERT_TRUE(keep_plan(day.small.book, plan).has_value());
    }
    int ends[2];
    ASSERT_EQ(pipe(ends), 0);
    const pid_t child = fork();
    ASSERT_GE(child, 0);
    if (child == 0) {
      auto book = Book::open(folder / "day.lalo");
      Bench bench;
      const RigCalibration rig = demo_bench(false).rig;
      QueueHooks hooks;
      hooks.keep = [&](std::size_t, const TakeOutcome& outcome) {
        const auto id = keep_take(*book, outcome, rig);
        if (id && ::write(ends[1], &*id, sizeof(*id)) != static_cast<ssize_t>(sizeof(*id)))
          _exit(2);
        return id;
      };
      hooks.aim = [&](const TakeRequest& r) { bench.aim(r); };
      (void)run_queue(bench, &bench.table, rig, plan, std::vector<PlanStatus>(plan.takes.size()),
                      "", {}, hooks, {});
      pause();
      _exit(1);
    }
    close(ends[1]);
    std::this_thread::sleep_for(std::chrono::microseconds(20000 + engine() % 900000));
    kill(child, SIGKILL);
    int status = 0;
    waitpid(child, &status, 0);
    ASSERT_TRUE(WIFSIGNALED(status));
    std::vector<Id> said;
    for (Id id = 0; read(ends[0], &id, sizeof(id)) == static_cast<ssize_t>(sizeof(id));)
      said.push_back(id);
    close(ends[0]);
    const auto book = Book::open(folder / "day.lalo");
    ASSERT_TRUE(book.has_value()) << book.error().text();
    EXPECT_TRUE(book->check_integrity().has_value());
    for (const Id id : said) EXPECT_TRUE(book->take(id).has_value()) << "round " << round;
    const auto takes = *book->takes();
    EXPECT_GE(takes.size(), said.size());
    for (const Take& take : takes) {
      const auto raw = book->raw(take.raw_hash);
      ASSERT_TRUE(raw.has_value());
      EXPECT_EQ(sha256_hex(std::span(*raw)), take.raw_hash) << "never half of one";
    }
    const auto standing = status_of(*kept_plan(*book, 1), takes, "");
    const auto done = std::count_if(standing.begin(), standing.end(), [](const PlanStatus& s) {
      return s.state == PlanState::kDone;
    });
    EXPECT_GE(done, static_cast<std::ptrdiff_t>(said.size())) << "the queue goes on after them";
  }
}

TEST(TakeQueue, ATableThatLosesItsPlaceALittleIsFoundAtTheEndOfTheHalf) {
  const test::TemporaryFolder folder;
  Day day(folder / "day.lalo");
  const MeasuringPlan plan = day.plan(Purpose::kOrbit, {.step_deg = 30.0});
  auto hooks = day.hooks();
  int kept = 0;
  std::map<double, double> stood;
  hooks.keep = [&](std::size_t index, const TakeOutcome& outcome) {
    day.bench.table.faults().missed_per_move = ++kept == 4 ? 1.0 : 0.0;
    day.bench.table.faults().missed_deg = 6.0;
    stood[plan.takes[index].request.horizontal_deg] = day.bench.table.true_deg();
    return keep_take(day.small.book, outcome, day.rig);
  };
  const auto summary = run_queue(day.bench, &day.bench.table, day.rig, plan, day.standing(plan),
                                 day.subject().drawing_mark, {}, hooks, {});
  ASSERT_TRUE(summary.has_value()) << summary.error().text();
  for (const auto& [asked, was] : stood) EXPECT_NEAR(was, asked, 1e-6);
}

TEST(TakeQueue, ATakeThatFailsEveryTimeStopsItWithTheReason) {
  const test::TemporaryFolder folder;
  Day day(folder / "day.lalo");
  for (int i = 0; i < 100; ++i) day.bench.mishaps[i] = slam;
  const auto run = day.run(day.plan(Purpose::kQuickSet), {}, {.tries = 3, .set_level = false});
  ASSERT_FALSE(run.has_value());
  EXPECT_THAT(run.error().text(), ::testing::HasSubstr("3 times"));
  EXPECT_EQ(day.refusals.size(), 3U);
  EXPECT_TRUE(day.small.book.takes()->empty());
}

TEST(TakeQueue, LowersADriveThatWouldClip) {
  const test::TemporaryFolder folder;
  Day day(folder / "day.lalo");
  day.rig = demo_bench(false).rig;
  for (int i = 0; i < 100; ++i)
    day.bench.mishaps[i] = [](PracticeBenchSetup& s) { s.faults.input_gain = 25.0; };
  const auto run = day.run(day.plan(Purpose::kQuickSet));
  ASSERT_TRUE(run.has_value()) << run.error().text();
  const auto takes = *day.small.book.takes();
  ASSERT_EQ(takes.size(), 5U);
  EXPECT_LT(takes.front().conditions.drive_v, 2.83);
  EXPECT_TRUE(day.refusals.empty());
}

TEST(TakeQueue, ByHandEveryTakeIsWaitedForAndCountedDown) {
  const test::TemporaryFolder folder;
  Day day(folder / "day.lalo");
  MeasuringPlan plan = day.plan(Purpose::kQuickSet);
  plan.takes[1].skipped = true;
  std::vector<std::size_t> waited;
  auto hooks = day.hooks();
  hooks.ready = [&](std::size_t index, const PlannedTake&, std::stop_token) {
    waited.push_back(index);
    return Result<void>();
  };
  hooks.aim = [&](const TakeRequest& r) {
    (void)day.bench.table.turn_to(r.horizontal_deg, {});
    day.bench.aim(r);
  };
  const auto summary = run_queue(day.bench, nullptr, day.rig, plan, day.standing(plan), "{}",
                                 {.countdown_s = 0.6, .set_level = false}, hooks, {});
  ASSERT_TRUE(summary.has_value()) << summary.error().text();
  EXPECT_THAT(waited, ::testing::ElementsAre(0, 2, 3, 4)) << "what is left out is not waited for";
  EXPECT_EQ(summary->kept, 4U);
  EXPECT_EQ(day.bench.sweeps, 8) << "pips and sweep for each";
}

TEST(TakeQueue, ATableThatIsStuckOrABookThatIsFullStopsIt) {
  const test::TemporaryFolder folder;
  Day day(folder / "day.lalo");
  const MeasuringPlan plan = day.plan(Purpose::kQuickSet);
  day.bench.table.faults().stuck = true;
  const auto stuck = day.run(plan);
  ASSERT_FALSE(stuck.has_value());
  EXPECT_THAT(stuck.error().text(), ::testing::HasSubstr("does not turn"));
  day.bench.table.faults().stuck = false;
  auto hooks = day.hooks();
  hooks.keep = [](std::size_t, const TakeOutcome&) -> Result<Id> {
    return fail(ErrorCode::kStorage, "The disk is full.");
  };
  const auto full = run_queue(day.bench, &day.bench.table, day.rig, plan, day.standing(plan), "{}",
                              {}, hooks, {});
  ASSERT_FALSE(full.has_value());
  EXPECT_EQ(full.error().code, ErrorCode::kStorage);
  EXPECT_FALSE(
      run_queue(day.bench, nullptr, day.rig, plan, {}, "{}", {}, day.hooks(), {}).has_value())
      << "a standing of another plan";
}

TEST(TakeQueue, SaysWhereItIs) {
  const test::TemporaryFolder folder;
  Day day(folder / "day.lalo");
  std::vector<QueueStage> stages;
  auto hooks = day.hooks();
  hooks.progress = [&](std::size_t index, QueueStage stage, double done, double left_s) {
    EXPECT_EQ(index, 0U);
    EXPECT_GE(done, 0.0);
    EXPECT_LE(done, 1.0);
    EXPECT_GE(left_s, -1e-9);
    if (stages.empty() || stages.back() != stage) stages.push_back(stage);
  };
  MeasuringPlan plan = day.plan(Purpose::kQuickSet);
  plan.takes.resize(1);
  ASSERT_TRUE(run_queue(day.bench, &day.bench.table, day.rig, plan, day.standing(plan), "{}",
                        {.set_level = false}, hooks, {})
                  .has_value());
  ASSERT_GE(stages.size(), 3U);
  EXPECT_EQ(stages.front(), QueueStage::kMove);
  EXPECT_EQ(stages.back(), QueueStage::kCheck);
}

TEST(TakeQueue, CountsDownSoftly) {
  RigCalibration rig;
  const auto pips = countdown_signal(3.0, 2.83, rig, 48000.0);
  EXPECT_EQ(pips.size(), 144000U);
  const double loudest = *std::max_element(pips.begin(), pips.end());
  EXPECT_NEAR(loudest, 0.1 * 2.83 * std::sqrt(2.0) / rig.output_v_per_unit, 1e-4);
}

}  // namespace
}  // namespace lalometer
