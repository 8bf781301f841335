#include "workbench/practice/simulating.h"

#include <fmt/format.h>

#include <atomic>
#include <mutex>

#include "exchange/audio_file.h"
#include "workbench/practice/files/simulation_file.h"

namespace lalometer {
Result<Simulation> simulated(const SimulationPlan& plan, std::stop_token stop,
                             const Progress& progress, const Parallel& parallel) {
  std::map<std::string, const SimulationPlan::Variant*> variants;
  std::map<std::string, std::shared_ptr<const PracticeCircuits>> circuits;
  for (const SimulationPlan::Variant& v : plan.variants) {
    variants[v.id] = &v;
    circuits[v.id] = std::make_shared<PracticeCircuits>(v.bench.speaker);
  }
  std::vector<std::optional<Result<SimulatedTake>>> made(plan.takes.size());
  std::atomic<std::size_t> done = 0;
  std::atomic<bool> failed = false;
  std::mutex telling;
  parallel(plan.takes.size(), [&](std::size_t i) {
    if (failed || stop.stop_requested()) return;
    const PracticeTake& take = plan.takes[i];
    PracticeBenchSetup bench = variants.at(take.variant)->bench;
    // Each take has noise of its own, the same each time.
    bench.seed += 1000003 * i;
    made[i] = simulated_take(std::move(bench), take, plan.sample_rate_hz, stop,
                             circuits.at(take.variant));
    if (!*made[i]) failed = true;
    const double share = static_cast<double>(++done) / static_cast<double>(plan.takes.size());
    const std::lock_guard lock(telling);
    if (progress) progress(share);
  });
  Simulation result;
  result.set.subject = {0, plan.name, plan.kind, plan.description};
  for (const SimulationPlan::Variant& v : plan.variants)
    result.set.variants.emplace_back(
        v.id, Variant{0, 0, v.name, v.changed, guessed_change(v.name + " " + v.changed)});
  const PracticeRoom& room = plan.variants.front().bench.room;
  result.set.bench_json = json_text(Told()
                                        .put("sample_rate_hz", plan.sample_rate_hz)
                                        .put("temperature_c", room.temperature_c)
                                        .put("mic_height_m", room.origin_height_m)
                                        .put("floor_m", room.origin_height_m));
  Told& truth = result.truth;
  truth.put("faults", plan.faults);
  truth.put("latency_samples", plan.variants.front().bench.latency_samples);
  truth.put("takes", std::vector<Told>());
  std::vector<Told> takes;
  for (auto& one : made) {
    if (!one) continue;
    if (!*one) return tl::unexpected(one->error());
    result.set.takes.push_back(std::move((*one)->item));
    // The first of a kind also stands at the top, where a script finds it without looking.
    for (const auto& [key, value] : (*one)->truth.members()) {
      if (key != "id" && key != "kind" && key != "remarks" && truth.find(key) == nullptr)
        truth.put(key, value);
    }
    takes.push_back(std::move((*one)->truth));
  }
  if (stop.stop_requested()) return cancelled();
  truth.put("takes", std::move(takes));
  return result;
}

Result<void> simulate_set(const std::filesystem::path& subject_file,
                          const std::filesystem::path& folder, std::uint64_t seed,
                          std::stop_token stop, const Progress& progress,
                          const Parallel& parallel) {
  return file_bytes(subject_file)
      .and_then([&](const std::vector<std::byte>& bytes) {
        return simulation_plan_of({reinterpret_cast<const char*>(bytes.data()), bytes.size()},
                                  subject_file.string(), seed);
      })
      .and_then(
          [&](const SimulationPlan& plan) { return simulated(plan, stop, progress, parallel); })
      .and_then([&](const Simulation& simulation) {
        return write_set(simulation.set, folder).and_then([&] {
          return write_file(folder / "truth.json", json_text(simulation.truth) + "\n");
        });
      });
}

}  // namespace lalometer
