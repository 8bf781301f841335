#include "base/work_owner.h"

#include <gtest/gtest.h>

#include <atomic>
#include <chrono>

namespace lalometer {
namespace {

using namespace std::chrono_literals;

/// A thread's queue of messages, as an event loop has one.
class Loop {
 public:
  WorkOwner::Post post() {
    return [this](std::function<void()> message) {
      const std::lock_guard held(lock_);
      messages_.push_back(std::move(message));
      wake_.notify_all();
    };
  }
  /// Runs messages until the condition holds; false after a time that no test needs.
  bool until(const std::function<bool()>& holds) {
    const auto end = std::chrono::steady_clock::now() + 10s;
    while (!holds()) {
      std::unique_lock held(lock_);
      if (!wake_.wait_until(held, end, [this] { return !messages_.empty(); })) return false;
      auto message = std::move(messages_.front());
      messages_.pop_front();
      held.unlock();
      message();
    }
    return true;
  }

 private:
  std::mutex lock_;
  std::condition_variable wake_;
  std::deque<std::function<void()>> messages_;
};

/// What a deliver function saw.
struct Seen {
  int times = 0;
  std::optional<Result<int>> outcome;
  auto deliver() {
    return [this](Result<int> result) {
      ++times;
      outcome = std::move(result);
    };
  }
};

/// Work that only a stop ends.
Result<int> endless(const WorkContext& context) {
  while (!context.stop.stop_requested()) std::this_thread::sleep_for(1ms);
  return cancelled();
}

TEST(WorkOwner, DeliversWhatWasDoneAndWhatFailed) {
  Loop loop;
  WorkOwner owner(loop.post(), 2);
  Seen good;
  Seen bad;
  owner.start<int>(
      {}, [](const WorkContext&) -> Result<int> { return 7; }, good.deliver());
  owner.start<int>(
      {}, [](const WorkContext&) -> Result<int> { return bad_input("no"); }, bad.deliver());
  ASSERT_TRUE(loop.until([&] { return owner.idle(); }));
  ASSERT_TRUE(good.outcome->has_value());
  EXPECT_EQ(**good.outcome, 7);
  EXPECT_EQ(bad.outcome->error().message, "no");
  EXPECT_EQ(good.times + bad.times, 2);
}

TEST(WorkOwner, AStopReachesRunningAndWaitingWorkAndIsDeliveredOnceEach) {
  Loop loop;
  WorkOwner owner(loop.post(), 2);
  Seen seen[4];
  WorkId ids[4];
  // One job runs at a time; the others wait for it.
  for (int i = 0; i < 4; ++i)
    ids[i] = owner.start<int>({WorkKind::kJob}, endless, seen[i].deliver());
  for (const WorkId id : ids) owner.stop(id);
  ASSERT_TRUE(loop.until([&] { return owner.idle(); }));
  for (const Seen& s : seen) {
    EXPECT_EQ(s.times, 1);
    EXPECT_EQ(s.outcome->error().code, ErrorCode::kCancelled);
  }
}

TEST(WorkOwner, LongJobsLeaveRoomForResults) {
  Loop loop;
  WorkOwner owner(loop.post(), 2);
  Seen job[3];
  for (Seen& s : job) owner.start<int>({WorkKind::kJob}, endless, s.deliver());
  Seen result;
  owner.start<int>(
      {}, [](const WorkContext&) -> Result<int> { return 1; }, result.deliver());
  ASSERT_TRUE(loop.until([&] { return result.times == 1; }));
  EXPECT_EQ(job[0].times, 0);
}

TEST(WorkOwner, AnotherBookStopsItsWorkWithoutWaitingAndItsResultsNeverArrive) {
  Loop loop;
  WorkOwner owner(loop.post(), 2);
  std::atomic<bool> go = false;
  Seen old;
  Seen kept;
  // It does not hear the stop, and comes to an end with a result after the book has changed.
  owner.start<int>(
      {},
      [&](const WorkContext&) -> Result<int> {
        while (!go) std::this_thread::sleep_for(1ms);
        return 5;
      },
      old.deliver());
  owner.start<int>(
      {WorkKind::kJob, WorkScope::kProgram}, [](const WorkContext&) -> Result<int> { return 6; },
      kept.deliver());
  owner.new_generation();
  EXPECT_TRUE(owner.running(WorkKind::kResult)) << "it must not wait";
  go = true;
  ASSERT_TRUE(loop.until([&] { return owner.idle(); }));
  EXPECT_EQ(old.times, 1);
  EXPECT_EQ(old.outcome->error().code, ErrorCode::kCancelled);
  EXPECT_EQ(**kept.outcome, 6) << "what belongs to no book goes on";
}

TEST(WorkOwner, OneStopEndsEveryDeviceAndNothingElse) {
  Loop loop;
  WorkOwner owner(loop.post(), 2);
  Seen monitor;
  Seen tone;
  Seen job;
  owner.start<int>({WorkKind::kDevice, WorkScope::kProgram}, endless, monitor.deliver());
  owner.start<int>({WorkKind::kDevice}, endless, tone.deliver());
  const WorkId id = owner.start<int>({WorkKind::kJob}, endless, job.deliver());
  owner.stop_devices();
  ASSERT_TRUE(loop.until([&] { return !owner.running(WorkKind::kDevice); }));
  EXPECT_EQ(monitor.times + tone.times, 2);
  EXPECT_TRUE(owner.running(id));
}

TEST(WorkOwner, WritesAreCarriedOutInOrderEvenWhenTheProgramEnds) {
  Loop loop;
  std::vector<int> written;
  {
    WorkOwner owner(loop.post(), 2);
    for (int i = 0; i < 50; ++i) {
      owner.start<int>(
          {WorkKind::kWrite},
          [&written, i](const WorkContext&) -> Result<int> {
            std::this_thread::sleep_for(100us);
            written.push_back(i);
            return i;
          },
          [](const Result<int>&) { FAIL() << "nothing is delivered at the end"; });
    }
    owner.new_generation();
  }
  ASSERT_EQ(written.size(), 50U);
  for (int i = 0; i < 50; ++i) EXPECT_EQ(written[static_cast<std::size_t>(i)], i);
}

TEST(WorkOwner, MessagesAndProgressOfWorkThatMeansNothingAnyMoreAreDropped) {
  Loop loop;
  WorkOwner owner(loop.post(), 2);
  int told = 0;
  double progress = 0.0;
  Seen seen;
  std::atomic<bool> go = false;
  const auto work = [&](const WorkContext& context) -> Result<int> {
    context.progress(0.5);
    context.tell([&] { ++told; });
    while (!go) std::this_thread::sleep_for(1ms);
    context.tell([&] { told += 100; });
    return 1;
  };
  owner.start<int>({WorkKind::kDevice, WorkScope::kBook, [&](double p) { progress = p; }}, work,
                   seen.deliver());
  ASSERT_TRUE(loop.until([&] { return told == 1; }));
  EXPECT_EQ(progress, 0.5);
  owner.new_generation();
  go = true;
  ASSERT_TRUE(loop.until([&] { return owner.idle(); }));
  EXPECT_EQ(told, 1);
}

TEST(WorkOwner, WhatALibraryThrowsBecomesAFailure) {
  Loop loop;
  WorkOwner owner(loop.post(), 2);
  Seen seen;
  owner.start<int>(
      {}, [](const WorkContext&) -> Result<int> { throw std::bad_alloc(); }, seen.deliver());
  ASSERT_TRUE(loop.until([&] { return owner.idle(); }));
  EXPECT_FALSE(seen.outcome->has_value());
  EXPECT_NE(seen.outcome->error().code, ErrorCode::kCancelled);
}

TEST(WorkOwner, SideBySideDoesEachOnceAlsoFromWithinWork) {
  Loop loop;
  WorkOwner owner(loop.post(), 3);
  constexpr std::size_t kCount = 2000;
  std::vector<std::atomic<int>> hits(kCount);
  Seen seen[3];
  for (Seen& s : seen) {
    owner.start<int>(
        {},
        [&](const WorkContext& context) -> Result<int> {
          context.parallel(kCount, [&](std::size_t i) { ++hits[i]; });
          return 0;
        },
        s.deliver());
  }
  ASSERT_TRUE(loop.until([&] { return owner.idle(); }));
  for (const auto& hit : hits) EXPECT_EQ(hit, 3);
}

TEST(WorkOwner, WorkStartedAfterTheEndIsDropped) {
  Loop loop;
  WorkOwner owner(loop.post(), 2);
  owner.shut_down();
  EXPECT_EQ(owner.start<int>(
                {}, [](const WorkContext&) -> Result<int> { return 1; }, [](const Result<int>&) {}),
            0U);
  EXPECT_TRUE(owner.idle());
}

}  // namespace
}  // namespace lalometer
