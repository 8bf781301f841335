#include "base/work_owner.h"

#include <fmt/format.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <exception>
#include <utility>

namespace lalometer {

struct WorkOwner::Work {
  WorkId id = 0;
  WorkSpec spec;
  std::uint64_t generation = 0;
  std::stop_source stop;
  std::function<void(const WorkContext&)> run;
  std::function<void(Error)> broke;
  std::function<void(bool)> deliver;
  // Worker's threads: when the owner was last told how far it is.
  std::mutex telling;
  std::chrono::steady_clock::time_point told;
};

/// Bodies of one side_by_side() call, taken by whoever is free.
struct WorkOwner::Side {
  const std::function<void(std::size_t)>* body = nullptr;  ///< outlives the helpers: see finished
  std::size_t count = 0;
  std::atomic<std::size_t> next = 0;
  std::mutex lock;
  std::condition_variable finished;
  std::size_t through = 0;

  void help() {
    std::size_t mine = 0;
    for (std::size_t i = next++; i < count; i = next++, ++mine) (*body)(i);
    if (mine == 0) return;
    const std::lock_guard held(lock);
    through += mine;
    if (through == count) finished.notify_all();
  }
};

WorkOwner::WorkOwner(Post post, unsigned threads, std::function<void()> begin)
    : post_(std::move(post)), begin_(std::move(begin)) {
  for (unsigned i = 0; i < std::max(threads, 2U); ++i) threads_.emplace_back([this] { serve(); });
  threads_.emplace_back([this] { write(); });
}

WorkOwner::~WorkOwner() {
  shut_down();
}

void WorkOwner::shut_down() {
  {
    const std::lock_guard held(lock_);
    closing_ = true;
  }
  for (auto& [id, work] : works_) work->stop.request_stop();
  wake_.notify_all();
  wake_writer_.notify_all();
  for (std::jthread& thread : threads_)
    if (thread.joinable()) thread.join();
  for (auto& [id, thread] : device_threads_)
    if (thread.joinable()) thread.join();
  device_threads_.clear();
  works_.clear();
}

bool WorkOwner::running(WorkKind kind) const {
  return std::any_of(works_.begin(), works_.end(),
                     [kind](const auto& one) { return one.second->spec.kind == kind; });
}

bool WorkOwner::current(const Work& work) const {
  return work.spec.scope == WorkScope::kProgram || work.generation == generation_;
}

WorkId WorkOwner::submit(WorkSpec spec, std::function<void(const WorkContext&)> run,
                         std::function<void(Error)> broke, std::function<void(bool)> deliver) {
  auto work = std::make_shared<Work>();
  work->id = ++last_id_;
  work->spec = std::move(spec);
  work->generation = generation_;
  work->run = std::move(run);
  work->broke = std::move(broke);
  work->deliver = std::move(deliver);
  {
    const std::lock_guard held(lock_);
    if (closing_) return 0;
    if (work->spec.kind == WorkKind::kResult) results_.push_back(work);
    if (work->spec.kind == WorkKind::kJob) jobs_.push_back(work);
    if (work->spec.kind == WorkKind::kWrite) writes_.push_back(work);
  }
  works_.emplace(work->id, work);
  if (work->spec.kind == WorkKind::kDevice)
    device_threads_.emplace(work->id, std::jthread([this, work] { perform(work); }));
  else
    (work->spec.kind == WorkKind::kWrite ? wake_writer_ : wake_).notify_one();
  return work->id;
}

std::shared_ptr<WorkOwner::Work> WorkOwner::next_locked() {
  std::shared_ptr<Work> work;
  if (!results_.empty()) {
    work = std::move(results_.front());
    results_.pop_front();
  } else if (!jobs_.empty() && jobs_running_ + 2 < threads_.size()) {
    work = std::move(jobs_.front());
    jobs_.pop_front();
    ++jobs_running_;
  }
  return work;
}

void WorkOwner::serve() {
  if (begin_) begin_();
  std::unique_lock held(lock_);
  for (;;) {
    if (closing_) return;
    if (auto work = next_locked()) {
      held.unlock();
      perform(work);
      held.lock();
      if (work->spec.kind == WorkKind::kJob) {
        --jobs_running_;
        wake_.notify_one();
      }
    } else if (!sides_.empty()) {
      const std::shared_ptr<Side> side = sides_.front();
      sides_.pop_front();
      held.unlock();
      side->help();
      held.lock();
    } else {
      wake_.wait(held);
    }
  }
}

void WorkOwner::write() {
  std::unique_lock held(lock_);
  for (;;) {
    wake_writer_.wait(held, [this] { return closing_ || !writes_.empty(); });
    if (writes_.empty()) return;
    const std::shared_ptr<Work> work = std::move(writes_.front());
    writes_.pop_front();
    held.unlock();
    perform(work);
    held.lock();
  }
}

/// Long work and what sounded or turned; results and edits are too many to tell each.
void WorkOwner::log_end(const Work& work, std::chrono::steady_clock::duration took) {
  if (work.spec.kind != WorkKind::kJob && work.spec.kind != WorkKind::kDevice) return;
  log_line(LogWeight::kEvent,
           fmt::format("{} {}{} after {} ms", work.spec.kind == WorkKind::kJob ? "job" : "device work",
                       work.id, work.stop.stop_requested() ? " stopped" : " ended",
                       std::chrono::duration_cast<std::chrono::milliseconds>(took).count()));
}

void WorkOwner::perform(const std::shared_ptr<Work>& work) {
  using namespace std::chrono_literals;
  WorkContext context;
  context.stop = work->stop.get_token();
  context.tell = [this, work](std::function<void()> message) {
    post_([this, work, message = std::move(message)] {
      if (works_.contains(work->id) && current(*work)) message();
    });
  };
  if (work->spec.progressed) {
    context.progress = [this, work](double share) {
      {
        const std::lock_guard held(work->telling);
        const auto now = std::chrono::steady_clock::now();
        if (now - work->told < 50ms) return;
        work->told = now;
      }
      post_([this, work, share] {
        if (works_.contains(work->id) && current(*work)) work->spec.progressed(share);
      });
    };
  } else {
    context.progress = [](double) {};
  }
  context.parallel = [this](std::size_t count, const std::function<void(std::size_t)>& body) {
    side_by_side(count, body);
  };
  const auto begun = std::chrono::steady_clock::now();
  if (work->spec.kind == WorkKind::kWrite || !context.stop.stop_requested()) {
    try {
      work->run(context);
    } catch (const std::exception& problem) {
      // Out of memory, or a library's own: the border at which it becomes an outcome.
      work->broke(
          {ErrorCode::kStorage, std::string("This could not be finished: ") + problem.what(), {}});
    }
  }
  log_end(*work, std::chrono::steady_clock::now() - begun);
  post_([this, work] { deliver(work); });
}

void WorkOwner::deliver(const std::shared_ptr<Work>& work) {
  if (works_.erase(work->id) == 0) return;
  if (const auto thread = device_threads_.find(work->id); thread != device_threads_.end()) {
    thread->second.join();
    device_threads_.erase(thread);
  }
  work->deliver(current(*work));
}

void WorkOwner::side_by_side(std::size_t count, const std::function<void(std::size_t)>& body) {
  if (count == 0) return;
  const auto side = std::make_shared<Side>();
  side->body = &body;
  side->count = count;
  if (count > 1) {
    const std::lock_guard held(lock_);
    const std::size_t helpers = std::min<std::size_t>(count, threads_.size() - 1) - 1;
    for (std::size_t i = 0; i < helpers; ++i) sides_.push_back(side);
  }
  wake_.notify_all();
  // The caller works too, so that it never waits for a thread that is not free.
  side->help();
  std::unique_lock held(side->lock);
  side->finished.wait(held, [&] { return side->through == side->count; });
}

Parallel on_threads(unsigned threads) {
  return [threads](std::size_t count, const std::function<void(std::size_t)>& body) {
    std::atomic<std::size_t> next = 0;
    const auto help = [&] {
      for (std::size_t i = next++; i < count; i = next++) body(i);
    };
    std::vector<std::jthread> helpers;
    for (std::size_t k = 1; k < std::min<std::size_t>(threads, count); ++k)
      helpers.emplace_back(help);
    help();
  };
}

void WorkOwner::stop(WorkId id) {
  if (const auto work = works_.find(id); work != works_.end()) work->second->stop.request_stop();
}

void WorkOwner::stop_devices() {
  for (auto& [id, work] : works_)
    if (work->spec.kind == WorkKind::kDevice) work->stop.request_stop();
}

void WorkOwner::new_generation() {
  ++generation_;
  for (auto& [id, work] : works_)
    if (work->spec.scope == WorkScope::kBook) work->stop.request_stop();
}

}  // namespace lalometer
