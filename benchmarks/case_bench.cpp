// The case of the demo's loudspeaker, 84 takes most of which are recorded sweeps, from the book to
// the findings, and again after one more take: against the whole of it read anew in the same run.
// Wanted: 1.5 s whole, 0.3 s after one more take, a ratio of 0.2.
#include <benchmark/benchmark.h>

#include <algorithm>
#include <cstdlib>
#include <filesystem>

#include "base/work_owner.h"
#include "workbench/bass/worked.h"
#include "workbench/diagnosing/case_study.h"
#include "workbench/practice/demo_book.h"

namespace {

using namespace lalometer;

constexpr std::size_t kLimit = 256U << 20U;

/// The demo's first subject, in a book of its own.
const CaseInputs& demo_case() {
  static const CaseInputs all = [] {
    const auto path = std::filesystem::temp_directory_path() / "lalometer-case-bench.lalo";
    std::filesystem::remove(path);
    if (!make_demo_book(path)) std::abort();
    auto book = *Book::open(path);
    const std::vector<Subject> subjects = *book.subjects();
    const Subject& subject = subjects.front();
    CaseInputs in{.name = subject.name,
                  .description = subject.description,
                  .drawing = subject.drawing_mark,
                  .variants = *book.variants(subject.id)};
    const std::vector<Take> takes = *book.takes();
    for (const Take& t : takes)
      if (t.subject_id == subject.id && is_case_take(t)) in.takes.push_back(*inputs_from(book, t));
    return in;
  }();
  return all;
}

void whole(benchmark::State& state) {
  const CaseInputs& in = demo_case();
  const Parallel threads = on_threads();
  for (auto _ : state) {
    ResultStore store(kLimit);
    benchmark::DoNotOptimize(store.get(case_node(in), {store, {}, threads}));
  }
  state.counters["takes"] = static_cast<double>(in.takes.size());
}

/// @param kind  of the take that comes last: the first of its kind.
void one_more(benchmark::State& state, TakeKind kind) {
  const CaseInputs& in = demo_case();
  const Parallel threads = on_threads();
  CaseInputs less = in;
  less.takes.erase(std::find_if(less.takes.begin(), less.takes.end(),
                                [&](const TakeInputs& t) { return t.take.kind() == kind; }));
  for (auto _ : state) {
    state.PauseTiming();
    ResultStore store(kLimit);
    benchmark::DoNotOptimize(store.get(case_node(less), {store, {}, threads}));
    state.ResumeTiming();
    benchmark::DoNotOptimize(store.get(case_node(in), {store, {}, threads}));
  }
}

BENCHMARK(whole)->Name("CaseWhole")->Unit(benchmark::kMillisecond)->UseRealTime();
BENCHMARK_CAPTURE(one_more, response, TakeKind::kResponse)
    ->Name("CaseOneMoreResponse")
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();
BENCHMARK_CAPTURE(one_more, impedance, TakeKind::kImpedance)
    ->Name("CaseOneMoreImpedance")
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

}  // namespace
