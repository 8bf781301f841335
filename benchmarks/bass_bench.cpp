// From the impulses of near fields and one far field to the joined curve with all that is told of
// it, and the join moved. Wanted: 60 ms for the whole, 16 ms for the join alone
// (docs/performance.md). On the demo book beside the program; without one it is left out.
#include <benchmark/benchmark.h>

#include <filesystem>

#include "base/work_owner.h"
#include "workbench/bass/worked.h"

namespace {

using namespace lalometer;

constexpr std::size_t kRoom_bytes = 512U * 1024U * 1024U;

/// The demo's join and what it is made of.
const TakeInputs* joined() {
  static const std::optional<TakeInputs> found = []() -> std::optional<TakeInputs> {
    const auto book =
        Book::open(std::filesystem::read_symlink("/proc/self/exe").parent_path() / "demo.lalo");
    if (!book) return std::nullopt;
    const auto takes = book->takes();
    if (!takes) return std::nullopt;
    for (const Take& take : *takes) {
      if (take.form != RawForm::kWorked || take.conditions.worked.how != "join") continue;
      if (auto inputs = inputs_from(*book, take)) return *std::move(inputs);
    }
    return std::nullopt;
  }();
  return found ? &*found : nullptr;
}

/// The impulse of every part, as a window that has shown them once keeps it.
void keep_impulses(ResultStore& store, const TakeInputs& in, const Making& making) {
  for (const TakeInputs& part : in.parts) {
    if (!store.get(impulse_node(part), making)) std::abort();
  }
}

void JoinFromImpulses(benchmark::State& state) {
  const TakeInputs* in = joined();
  if (in == nullptr) return state.SkipWithError("no demo book here");
  for (auto _ : state) {
    state.PauseTiming();
    ResultStore store(kRoom_bytes);
    const Making making{store, {}, on_threads()};
    keep_impulses(store, *in, making);
    state.ResumeTiming();
    benchmark::DoNotOptimize(store.get(curve_node(*in), making));
  }
  state.counters["near fields"] = static_cast<double>(in->parts.size() - 1);
}
BENCHMARK(JoinFromImpulses)->Unit(benchmark::kMillisecond)->UseRealTime();

void JoinMoved(benchmark::State& state) {
  const TakeInputs* in = joined();
  if (in == nullptr) return state.SkipWithError("no demo book here");
  ResultStore store(kRoom_bytes);
  const Making making{store, {}, on_threads()};
  double at_hz = 300.0;
  for (auto _ : state) {
    TakeInputs moved = *in;
    moved.take.conditions.worked.at_hz = at_hz += 0.01;
    benchmark::DoNotOptimize(store.get(curve_node(moved), making));
  }
}
BENCHMARK(JoinMoved)->Unit(benchmark::kMillisecond)->UseRealTime();

}  // namespace
