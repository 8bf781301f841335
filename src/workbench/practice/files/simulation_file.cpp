#include "workbench/practice/files/simulation_file.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <set>

#include "base/json_text.h"
#include "book/description/description_text.h"
#include "exchange/json_read.h"
#include "workbench/practice/practice_subject.h"

namespace lalometer {
namespace {

using Json = nlohmann::json;

constexpr const char* kKinds[] = {"impedance", "sweep",      "impulse-response",
                                  "response",  "near-field", "multitone"};

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
    if (auto added = add_fault(bench, fault_from_json(dumped(fault)), where + ": faults"); !added)
      return tl::unexpected(added.error());
  }
  return bench;
}

}  // namespace

PracticeFault fault_from_json(const std::string& text) {
  const Json json = parsed_json(text);
  PracticeFault fault;
  if (json.is_string()) fault.word = json.get<std::string>();
  if (!json.is_object()) {
    if (fault.word.empty()) fault.word = text;
    return fault;
  }
  fault.word = json_text(json, "fault", text);
  fault.driver = json_text(json, "driver");
  for (const auto& [key, value] : json.items()) {
    if (value.is_number()) fault.figures[key] = value.get<double>();
  }
  return fault;
}

Result<std::vector<PracticeTake>> practice_takes_of(const std::string& take_json,
                                                    const std::string& where) {
  const Json json = parsed_json(take_json);
  if (!json.is_object()) return bad_input("A take is a JSON object.", where);
  PracticeTake take;
  take.kind = json_text(json, "kind");
  if (std::find(std::begin(kKinds), std::end(kKinds), take.kind) == std::end(kKinds)) {
    return bad_input(
        fmt::format("\"{}\" is no kind of take: impedance, sweep, impulse-response, response, "
                    "near-field or multitone.",
                    take.kind),
        where);
  }
  take.id = json_text(json, "id");
  take.variant = json_text(json, "variant");
  take.condition = json_text(json, "condition");
  take.driver = json_text(json, "driver");
  take.sample = json_text(json, "sample");
  take.source = json_text(json, "source");
  take.horizontal_deg = json_number(json, "horizontal_deg", 0.0);
  take.vertical_deg = json_number(json, "vertical_deg", 0.0);
  take.distance_m = json_number(json, "distance_m", 0.0);
  take.drive_v = json_number(json, "drive_v", 0.0);
  take.gate_ms = json_number(json, "gate_ms", 4.5);
  take.added_mass_g = json_number(json, "added_mass_g", 0.0);
  take.test_box_l = json_number(json, "test_box_l", 0.0);
  take.duration_s = json_number(json, "duration_s", 0.0);
  if (const Json stimulus = json.value("stimulus", Json::object()); stimulus.is_object())
    take.duration_s = json_number(stimulus, "duration_s", take.duration_s);
  if (const auto tones = json.find("tones_hz"); tones != json.end() && tones->is_array()) {
    for (const Json& f : *tones)
      if (f.is_number()) take.tones_hz.push_back(f.get<double>());
  }
  const double length = json_number(json, "length", 65536.0);
  if (!(length >= 256.0) || !(length <= 4194304.0) || take.distance_m < 0.0 || take.drive_v < 0.0 ||
      !(take.gate_ms > 0.0) || take.added_mass_g < 0.0 || take.test_box_l < 0.0 ||
      take.duration_s < 0.0 || take.duration_s > 120.0)
    return bad_input("A figure of the take is out of range.", where);
  take.length = static_cast<std::size_t>(length);
  if (take.condition == "added-mass" && !(take.added_mass_g > 0.0))
    return bad_input("An added-mass take needs added_mass_g above 0.", where);
  if (take.condition == "test-box" && !(take.test_box_l > 0.0))
    return bad_input("A test-box take needs test_box_l above 0.", where);
  const std::string orbit = json_text(json, "orbit");
  if (orbit.empty()) {
    if (take.horizontal_deg != 0.0 && take.vertical_deg != 0.0)
      return bad_input("One of horizontal_deg and vertical_deg is 0.", where);
    if (take.id.empty()) take.id = take.kind;
    take.name = json_text(json, "name").empty() ? take.id : json_text(json, "name");
    return std::vector{take};
  }
  const bool both = orbit == "both";
  if (!both && orbit != "horizontal" && orbit != "vertical")
    return bad_input("\"orbit\" is horizontal, vertical or both.", where);
  const double step = json_number(json, "step_deg", 10.0);
  if (!(step >= 1.0) || std::abs(360.0 / step - std::round(360.0 / step)) > 1e-9)
    return bad_input("step_deg divides 360 and is at least 1.", where);
  std::vector<PracticeTake> takes;
  const int half = static_cast<int>(std::lround(180.0 / step));
  for (const bool vertical : {false, true}) {
    if (!both && vertical != (orbit == "vertical")) continue;
    for (int i = -half + 1; i <= half; ++i) {
      // The two orbits meet ahead and behind: those are taken once.
      if (both && vertical && (i == 0 || i == half)) continue;
      PracticeTake one = take;
      (vertical ? one.vertical_deg : one.horizontal_deg) = step * i;
      one.id = fmt::format("{}{}{:+04.0f}", take.id.empty() ? "" : take.id + "-",
                           vertical ? "v" : "h", step * i);
      one.name = one.id;
      takes.push_back(std::move(one));
    }
  }
  return takes;
}

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
      const std::string word = fault_from_json(dumped(fault)).word;
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

}  // namespace lalometer
