#pragma once

#include <chrono>
#include <condition_variable>
#include <cstdint>
#include <deque>
#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <stop_token>
#include <string>
#include <thread>
#include <vector>

#include "base/log.h"
#include "base/progress.h"
#include "base/result.h"

namespace lalometer {

enum class WorkKind {
  kResult,  ///< short and many: results of takes, pictures of curves
  kJob,     ///< long, one after the other: imports, exports, studies
  kDevice,  ///< whatever sounds or turns: on a thread of its own, ended by stop_devices()
  kWrite,   ///< changes of the book: in order, on one thread, always carried out to the end
};

/// How long work means anything.
enum class WorkScope {
  kBook,     ///< until another book is opened: then it is stopped, and delivered as stopped
  kProgram,  ///< whatever book is open
};

struct WorkSpec {
  WorkKind kind = WorkKind::kResult;
  WorkScope scope = WorkScope::kBook;
  Progress progressed = {};  ///< called on the owner's thread, at most some 20 times a second
};

/// What a worker is given. It holds everything else by value.
struct WorkContext {
  std::stop_token stop;
  Progress progress;  ///< of any thread
  Parallel parallel;  ///< on the pool's threads
  /// Runs on the owner's thread, in order, while the work still means anything there; else it is
  /// dropped.
  std::function<void(std::function<void()>)> tell;
};

using WorkId = std::uint64_t;  ///< 0: none

/// The one place that starts, watches, stops and delivers work. Whatever was started is delivered
/// exactly once, on the owner's thread: done, failed, or stopped (ErrorCode::kCancelled). What was
/// started for a book that is not open any more is delivered as stopped, whatever came of it.
///
/// Threads: all calls from the thread that made it, but WorkContext's. `post` hands a function to
/// that thread and returns at once. The destructor stops everything, waits for it (writes are still
/// carried out) and delivers nothing.
class WorkOwner {
 public:
  using Post = std::function<void(std::function<void()>)>;
  /// @param threads  of the pool; at least 2 are made, since a long job must leave one for results.
  /// @param begin    called first on each of the pool's threads; may be empty.
  explicit WorkOwner(Post post, unsigned threads = std::thread::hardware_concurrency(),
                     std::function<void()> begin = {});
  ~WorkOwner();
  WorkOwner(const WorkOwner&) = delete;
  WorkOwner& operator=(const WorkOwner&) = delete;

  /// @param work     Result<T>(const WorkContext&), on a worker.
  /// @param deliver  void(Result<T>), on the owner's thread.
  template <class T, class Work, class Deliver>
  WorkId start(WorkSpec spec, Work work, Deliver deliver) {
    auto outcome = std::make_shared<Result<T>>(cancelled());
    return submit(
        std::move(spec),
        [outcome, work = std::move(work)](const WorkContext& context) mutable {
          *outcome = work(context);
          if (!*outcome && outcome->error().code != ErrorCode::kCancelled)
            log_line(LogWeight::kTrouble, outcome->error().text());
        },
        [outcome](Error why) { *outcome = tl::unexpected(std::move(why)); },
        [outcome, deliver = std::move(deliver)](bool current) mutable {
          deliver(current ? std::move(*outcome) : Result<T>(cancelled()));
        });
  }

  /// Asks it to end; it is still delivered. Nothing where it is through.
  void stop(WorkId id);
  /// Whatever sounds or turns.
  void stop_devices();
  /// Another book: work of the one before is asked to end and will be delivered as stopped. Does
  /// not wait for it.
  void new_generation();
  /// Stops everything, waits for the threads, delivers nothing more. Work that is started
  /// afterwards is dropped.
  void shut_down();

  /// What was started and not yet delivered.
  [[nodiscard]] bool idle() const { return works_.empty(); }
  [[nodiscard]] bool running(WorkId id) const { return works_.contains(id); }
  [[nodiscard]] bool running(WorkKind kind) const;
  [[nodiscard]] std::uint64_t generation() const { return generation_; }

 private:
  struct Work;
  struct Side;
  WorkId submit(WorkSpec spec, std::function<void(const WorkContext&)> run,
                std::function<void(Error)> broke, std::function<void(bool)> deliver);
  void serve();
  void write();
  void perform(const std::shared_ptr<Work>& work);
  static void log_end(const Work& work, std::chrono::steady_clock::duration took);
  void deliver(const std::shared_ptr<Work>& work);
  void side_by_side(std::size_t count, const std::function<void(std::size_t)>& body);
  [[nodiscard]] bool current(const Work& work) const;
  [[nodiscard]] std::shared_ptr<Work> next_locked();

  // Owner's thread only.
  Post post_;
  std::function<void()> begin_;
  std::map<WorkId, std::shared_ptr<Work>> works_;
  std::map<WorkId, std::jthread> device_threads_;
  std::uint64_t generation_ = 1;
  WorkId last_id_ = 0;

  std::mutex lock_;  ///< guards what follows
  std::condition_variable wake_;
  std::condition_variable wake_writer_;
  std::deque<std::shared_ptr<Work>> results_;
  std::deque<std::shared_ptr<Work>> jobs_;
  std::deque<std::shared_ptr<Work>> writes_;
  std::deque<std::shared_ptr<Side>> sides_;
  unsigned jobs_running_ = 0;
  bool closing_ = false;

  std::vector<std::jthread> threads_;
};

/// For programs without an owner of work: threads of its own for each call.
[[nodiscard]] Parallel on_threads(unsigned count = std::thread::hardware_concurrency());

}  // namespace lalometer
