#include "workbench/practice/simulating.h"

#include <fmt/format.h>

#include <atomic>
#include <mutex>
#include <nlohmann/json.hpp>
#include <set>

#include "base/json_text.h"
#include "book/description/description_text.h"
#include "exchange/audio_file.h"
#include "exchange/json_read.h"
#include "workbench/practice/practice_faults.h"
#include "workbench/practice/practice_subject.h"

namespace lalometer {
namespace {

using Json = nlohmann::json;

Result<void> read_bench(PracticeBenchSetup& bench, const Json& json, const std::string& where) {
  PracticeRoom& room = bench.room;
  room.temperature_c = json_number(json, "temperature_c", 20.0);
  room.origin_height_m = json_number(json, "floor_m", 1.2);
  room.distance_m = json_number(json, "distance_m", 1.0);
  room.ceiling_m = json_number(json, "ceiling_m", 0.0);
  room.right_wall_m = json_number(json, "nearest_wall_m", 0.0);
  room.floor_reflection = json_number(json, "floor_reflection", room.floor_reflection);
  room.wall_reflection = json_number(json, "wall_reflection", room.wall_reflection);
  room.absorption_hz = json_number(json, "absorption_hz", 0.0);
  bench.microphone_noise_pa = json_number(json, "noise_pa", bench.microphone_noise_pa);
  if (!(room.distance_m >= 0.1) || !(room.origin_height_m > 0.0) || room.ceiling_m < 0.0 ||
      room.right_wall_m < 0.0 || !(room.floor_reflection >= 0.0 && room.floor_reflection <= 1.0) ||
      !(room.wall_reflection >= 0.0 && room.wall_reflection <= 1.0) ||
      !(room.temperature_c > -50.0 && room.temperature_c < 60.0) ||
      !(bench.microphone_noise_pa >= 0.0)) {
    return bad_input(
        "distance_m is at least 0.1, floor_m above 0, reflections lie between 0 and 1, other "
        "distances are not below 0.",
        where + ": bench");
  }
  return {};
}

Result<PracticeBenchSetup> bench_of(const Json& subject, const Json& bench_json, const Json& faults,
                                    const std::string& where, std::uint64_t seed) {
  PracticeBenchSetup bench;
  bench.seed = seed;
  auto speaker =
      description_from_json(dumped(subject), where).and_then([&](const Description& description) {
        return practice_speaker_of(description, where);
      });
  if (!speaker) return tl::unexpected(speaker.error());
  bench.speaker = std::move(*speaker);
  if (auto read = read_bench(bench, bench_json, where); !read) return tl::unexpected(read.error());
  for (const Json& fault : faults) {
    if (auto added = add_fault(bench, dumped(fault), where + ": faults"); !added)
      return tl::unexpected(added.error());
  }
  return bench;
}

}  // namespace

Result<SimulationPlan> simulation_plan_of(const std::string& content, const std::string& where,
                                          std::uint64_t seed) {
  const Json root = parsed_json(content);
  if (!root.is_object()) return bad_input("This is not a JSON object.", where);
  const Json subject =
      json_member(root, "subject", Json::value_t::object).empty() ? root : root["subject"];
  const Json bench = json_member(root, "bench", Json::value_t::object);
  const Json faults = json_member(root, "faults", Json::value_t::array);
  SimulationPlan plan;
  plan.name = json_text(subject, "name", "Simulated");
  auto description = description_from_json(dumped(subject), where);
  if (!description) return tl::unexpected(description.error());
  plan.description = std::move(*description);
  if (json_text(subject, "kind") == "driver") plan.kind = SubjectKind::kFullrange;
  plan.sample_rate_hz = json_number(bench, "sample_rate_hz", 48000.0);
  const auto note_faults = [&](const Json& list) {
    for (const Json& fault : list) {
      const std::string word =
          fault.is_string() ? fault.get<std::string>() : json_text(fault, "fault");
      if (std::find(plan.faults.begin(), plan.faults.end(), word) == plan.faults.end())
        plan.faults.push_back(word);
    }
  };
  note_faults(faults);
  Json variants = json_member(root, "variants", Json::value_t::array);
  if (variants.empty()) variants = {{{"id", "as-described"}, {"name", "As described"}}};
  std::set<std::string> ids;
  for (const Json& json : variants) {
    if (!json.is_object() || json_text(json, "id").empty())
      return bad_input("A variant is an object with an \"id\".", where + ": variants");
    const std::string id = json_text(json, "id");
    if (!ids.insert(id).second)
      return bad_input(fmt::format("Two variants are called \"{}\".", id), where + ": variants");
    Json changed = subject;
    changed.merge_patch(json_member(json, "subject", Json::value_t::object));
    Json all = faults;
    const Json own = json_member(json, "faults", Json::value_t::array);
    all.insert(all.end(), own.begin(), own.end());
    note_faults(own);
    auto setup = bench_of(changed, bench, all, where, seed);
    if (!setup) return tl::unexpected(setup.error());
    plan.variants.push_back(
        {id, json_text(json, "name", id), json_text(json, "changed"), std::move(*setup)});
  }
  Json takes = json_member(root, "takes", Json::value_t::array);
  if (takes.empty()) {
    takes = {{{"id", "01-impedance"}, {"kind", "impedance"}, {"name", "Impedance"}},
             {{"id", "02-on-axis"}, {"kind", "sweep"}, {"name", "On axis"}}};
  }
  std::set<std::string> take_ids;
  for (std::size_t i = 0; i < takes.size(); ++i) {
    const std::string here = fmt::format("{}: takes[{}]", where, i);
    auto made = practice_takes_of(dumped(takes[i]), here);
    if (!made) return tl::unexpected(made.error());
    for (PracticeTake& take : *made) {
      if (take.variant.empty()) take.variant = plan.variants.front().id;
      if (!ids.contains(take.variant))
        return bad_input(fmt::format("There is no variant \"{}\".", take.variant), here);
      if (!take_ids.insert(take.id).second)
        return bad_input(fmt::format("Two takes are called \"{}\".", take.id), here);
      plan.takes.push_back(std::move(take));
    }
  }
  return plan;
}

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
  result.set.bench_json = Json{
      {"sample_rate_hz", plan.sample_rate_hz},
      {"temperature_c", room.temperature_c},
      {"mic_height_m", room.origin_height_m},
      {"floor_m",
       room.origin_height_m}}.dump();
  Json truth{{"faults", plan.faults},
             {"latency_samples", plan.variants.front().bench.latency_samples},
             {"takes", Json::array()}};
  for (auto& one : made) {
    if (!one) continue;
    if (!*one) return tl::unexpected(one->error());
    result.set.takes.push_back(std::move((*one)->item));
    Json own = parsed_json((*one)->truth_json);
    // The first of a kind also stands at the top, where a script finds it without looking.
    for (const auto& [key, value] : own.items()) {
      if (key != "id" && key != "kind" && key != "remarks" && !truth.contains(key))
        truth[key] = value;
    }
    truth["takes"].push_back(std::move(own));
  }
  if (stop.stop_requested()) return cancelled();
  result.truth_json = dumped(truth);
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
          return write_file(folder / "truth.json", simulation.truth_json + "\n");
        });
      });
}

}  // namespace lalometer
