#include "workbench/practice/practice_takes.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <random>

#include "acoustics/signal/fft.h"
#include "base/constants.h"
#include "base/json_text.h"
#include "base/text.h"
#include "exchange/audio_file.h"
#include "exchange/curve_file.h"
#include "exchange/json_read.h"
#include "workbench/results/analysis.h"
#include "workbench/taking/take_runner.h"

namespace lalometer {
namespace {

using Json = nlohmann::json;

constexpr const char* kKinds[] = {"impedance", "sweep",      "impulse-response",
                                  "response",  "near-field", "multitone"};

PracticeRoom room_for(const PracticeBenchSetup& bench, const PracticeTake& take) {
  PracticeRoom room = bench.room;
  if (take.distance_m > 0.0) room.distance_m = take.distance_m;
  room.horizontal_deg = take.horizontal_deg;
  room.vertical_deg = take.vertical_deg;
  room.only = take.kind == "near-field" ? std::string() : take.driver;
  if (take.kind == "near-field") room.near_source = take.source.empty() ? "port" : take.source;
  return room;
}

FrequencyAxis truth_axis() {
  return FrequencyAxis::logarithmic(10.0, 20000.0, 24.0);
}

/// Free field at 24 points per octave, flight time out.
Json field_truth(const PracticeField& field, double drive_v) {
  Json truth;
  for (const char* key : {"frequency_hz", "level_db", "phase_deg"}) truth[key] = Json::array();
  const FrequencyAxis axis = truth_axis();
  for (const double f : axis.hz()) {
    const auto p =
        field.at(f).direct_pa_per_v * drive_v * std::polar(1.0, 2.0 * kPi * f * field.flight_s());
    truth["frequency_hz"].push_back(f);
    truth["level_db"].push_back(to_level_db(std::abs(p), kReferencePressure_pa));
    truth["phase_deg"].push_back(std::arg(p) * 180.0 / kPi);
  }
  return truth;
}

RawData text_data(const std::string& content, std::string file_name) {
  const auto bytes = std::as_bytes(std::span(content.data(), content.size()));
  return {{bytes.begin(), bytes.end()}, 0.0, 0, std::move(file_name)};
}

Result<RawData> sound_data(std::vector<std::vector<double>> channels, double rate,
                           std::string file_name) {
  return audio_bytes({rate, std::move(channels), ""}, AudioFormat::kWavFloat32)
      .map([&](std::vector<std::byte> bytes) {
        return RawData{std::move(bytes), rate, 0, std::move(file_name)};
      });
}

/// A sweep through the whole bench: jig or microphone, converters, checks.
Result<TakeOutcome> swept(PracticeBenchSetup bench, const PracticeTake& take, TakeKind kind,
                          double rate, std::stop_token stop) {
  bench.room = room_for(bench, take);
  TakeRequest request;
  request.kind = kind;
  request.name = take.name;
  request.sample_rate_hz = rate;
  const bool impedance = kind == TakeKind::kImpedance;
  request.duration_s = take.duration_s > 0.0 ? take.duration_s : impedance ? 2.7 : 1.4;
  request.drive_v = take.drive_v > 0.0 ? take.drive_v : impedance ? 1.0 : 2.83;
  if (impedance) request.start_hz = 5.0;
  request.stop_hz = std::min(request.stop_hz, 0.46 * rate);
  request.distance_m = bench.room.distance_m;
  request.horizontal_deg = take.horizontal_deg;
  request.vertical_deg = take.vertical_deg;
  request.temperature_c = bench.room.temperature_c;
  request.sample = take.sample;
  PracticeBench device(bench);
  return run_take(device, bench.rig, request, stop, {});
}

Json remarks_of(const TakeOutcome& outcome) {
  Json remarks = Json::array();
  for (const Remark& r : outcome.take.remarks)
    if (r.weight != Remark::Weight::kNote) remarks.push_back(r.code);
  return remarks;
}

Result<void> make_impedance(SimulatedTake& made, PracticeBenchSetup bench, const PracticeTake& take,
                            double rate, std::stop_token stop, Json& truth) {
  if (take.condition == "free-air" || take.condition == "added-mass" ||
      take.condition == "test-box") {
    const std::string id =
        take.driver.empty() && !bench.speaker.ways.empty() ? bench.speaker.ways[0].id : take.driver;
    if (bench.speaker.way(id) == nullptr)
      return bad_input(fmt::format("There is no driver \"{}\".", id), take.id);
    bench.bare_driver =
        PracticeBareDriver{id, take.condition == "added-mass" ? take.added_mass_g / 1e3 : 0.0,
                           take.condition == "test-box" ? take.test_box_l / 1e3 : 0.0};
    const DriverParameters& d = bench.speaker.way(id)->driver;
    truth["driver"] = {{"fs_hz", d.fs_hz()},
                       {"qms", d.qms()},
                       {"qes", d.qes()},
                       {"qts", d.qts()},
                       {"vas_l", d.vas_m3() * 1e3},
                       {"re_ohm", d.re_ohm},
                       {"bl_tm", d.bl_tm},
                       {"mms_g", d.mms_kg * 1e3},
                       {"sd_cm2", d.sd_m2 * 1e4}};
  }
  const auto outcome = swept(bench, take, TakeKind::kImpedance, rate, stop);
  if (!outcome) return tl::unexpected(outcome.error());
  const RawData raw =
      packed_recording(outcome->recording.measured, outcome->recording.loopback, rate);
  Recipe plain;
  plain.smoothing = 0;
  const auto a = analysed({outcome->take, raw.bytes, bench.rig, plain}, stop);
  if (!a) return tl::unexpected(a.error());
  made.item.raw = text_data(curve_text(valid_part(a->curve), {take.name}), take.id + ".zma");
  truth["remarks"] = remarks_of(*outcome);
  for (const char* key : {"frequency_hz", "impedance_ohm", "impedance_phase_deg"})
    truth[key] = Json::array();
  const FrequencyAxis axis = truth_axis();
  for (const double f : axis.hz()) {
    std::complex<double> z = practice_impedance_ohm(bench.speaker, f);
    if (bench.bare_driver) z = bare_driver_ohm(bench, f);
    truth["frequency_hz"].push_back(f);
    truth["impedance_ohm"].push_back(std::abs(z));
    truth["impedance_phase_deg"].push_back(std::arg(z) * 180.0 / kPi);
  }
  return {};
}

Result<void> make_sweep(SimulatedTake& made, const PracticeBenchSetup& bench,
                        const PracticeTake& take, double rate, std::stop_token stop, Json& truth) {
  const auto outcome = swept(bench, take, TakeKind::kResponse, rate, stop);
  if (!outcome) return tl::unexpected(outcome.error());
  auto raw = sound_data({outcome->recording.measured, outcome->recording.loopback}, rate,
                        take.id + ".wav");
  if (!raw) return tl::unexpected(raw.error());
  made.item.raw = std::move(*raw);
  made.item.take.form = RawForm::kSweepFile;
  Conditions& c = made.item.take.conditions;
  c.stimulus = outcome->take.conditions.stimulus;
  c.channel = 0;
  c.loopback_channel = 1;
  c.pa_per_v = bench.rig.input_pa_per_unit / bench.rig.loopback_v_per_unit;
  made.item.microphone_correction = bench.rig.microphone_correction;
  truth["remarks"] = remarks_of(*outcome);
  return {};
}

Result<void> make_impulse(SimulatedTake& made, const PracticeField& field,
                          const PracticeBenchSetup& bench, const PracticeTake& take, double rate) {
  std::vector<double> h =
      practice_impulse(field, made.item.take.conditions.drive_v, rate, take.length);
  // A long sweep leaves a hundredth of the room's noise (40 dB).
  std::mt19937_64 engine(bench.seed ^ std::hash<std::string>{}(take.id));
  // Scaled outside the distribution, which is not defined for a spread of nothing (a silent room).
  std::normal_distribution<double> normal;
  for (double& x : h) x += 0.01 * bench.microphone_noise_pa * normal(engine);
  auto raw = sound_data({std::move(h)}, rate, take.id + ".wav");
  if (!raw) return tl::unexpected(raw.error());
  made.item.raw = std::move(*raw);
  made.item.take.form = RawForm::kImpulseFile;
  return {};
}

Result<void> make_curve(SimulatedTake& made, const PracticeField& field, const PracticeTake& take,
                        double rate) {
  const bool near = take.kind == "near-field";
  const double drive_v = made.item.take.conditions.drive_v;
  ImpulseStage stage;
  stage.impulse = std::make_shared<const ImpulseResponse>(ImpulseResponse{
      practice_impulse(field, drive_v, rate, take.length), rate, 0.0, {10.0, 0.46 * rate}});
  stage.arrival_s = field.flight_s();
  stage.zero_s = field.flight_s();
  Recipe recipe;
  recipe.smoothing = 0;
  recipe.gated = !near;
  recipe.gate_s = take.gate_ms / 1e3;
  const Response curve = valid_part(curve_stage(stage, recipe).curve);
  std::vector<std::string> comments = {take.name};
  if (!near) comments.push_back(fmt::format("gate {} ms", shortest(take.gate_ms)));
  made.item.raw = text_data(curve_text(curve, comments), take.id + ".frd");
  if (!near) made.item.take.conditions.gate_s = recipe.gate_s;
  return {};
}

Result<void> make_multitone(SimulatedTake& made, PracticeBenchSetup bench, const PracticeTake& take,
                            double rate, std::stop_token stop) {
  bench.room = room_for(bench, take);
  const double duration = take.duration_s > 0.0 ? take.duration_s : 2.0;
  const auto n = static_cast<std::size_t>(duration * rate);
  std::vector<double> tones = take.tones_hz;
  if (tones.empty())
    for (int i = 0; i < 10; ++i) tones.push_back(31.5 * std::exp2(i));
  std::mt19937_64 engine(bench.seed);
  std::vector<double> signal(n, 0.0);
  for (const double f : tones) {
    if (!(f > 0.0) || f >= 0.5 * rate)
      return bad_input(fmt::format("A tone of {} Hz cannot be played.", shortest(f)), take.id);
    const double phase = 2.0 * kPi * static_cast<double>(engine() >> 11U) * 0x1.0p-53;
    for (std::size_t i = 0; i < n; ++i)
      signal[i] += std::sin(2.0 * kPi * f * static_cast<double>(i) / rate + phase);
  }
  const double rms = std::sqrt(0.5 * static_cast<double>(tones.size()));
  const double scale = made.item.take.conditions.drive_v / rms / bench.rig.output_v_per_unit;
  for (double& x : signal) x *= scale;
  PracticeBench device(bench);
  const auto recording = device.prepare({rate, 0, 1, Hookup::kMicrophone}).and_then([&] {
    return device.run(signal, stop, {});
  });
  if (!recording) return tl::unexpected(recording.error());
  auto raw = sound_data({recording->measured, recording->loopback}, rate, take.id + ".wav");
  if (!raw) return tl::unexpected(raw.error());
  made.item.raw = std::move(*raw);
  made.item.take.form = RawForm::kSoundFile;
  std::get<MultitoneSetup>(made.item.take.setup).tones_hz = tones;
  made.item.take.conditions.more_json["pa_per_unit"] = Json(bench.rig.input_pa_per_unit).dump();
  return {};
}

}  // namespace

std::vector<double> practice_impulse(const PracticeField& field, double drive_v, double rate,
                                     std::size_t length) {
  // Long enough that what rings on past the end does not come round to the beginning.
  std::size_t n = fast_length(std::max<std::size_t>(length, 16384));
  while (n % 2 != 0) n = fast_length(n + 1);
  const RealTransform transform(n);
  Spectrum bins(transform.bin_count(), 0.0);
  std::vector<WayState> states;
  std::vector<PracticeField::WayPressure> pressures;
  for (std::size_t k = 1; k + 1 < bins.size(); ++k) {
    const double f = static_cast<double>(k) * rate / static_cast<double>(n);
    const double over = std::max(f / (0.5 * rate) - 11.0 / 12.0, 0.0) * 12.0;
    field.ways_at(f, states, pressures);
    std::complex<double> all = 0.0;
    for (const auto& p : pressures) all += p.all();
    bins[k] = drive_v * all * 0.5 * (1.0 + std::cos(kPi * std::min(over, 1.0)));
  }
  Samples h(n);
  transform.inverse(bins, h);
  return {h.begin(), h.begin() + static_cast<std::ptrdiff_t>(std::min(length, n))};
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

Result<SimulatedTake> simulated_take(PracticeBenchSetup bench, const PracticeTake& take,
                                     double rate, std::stop_token stop,
                                     std::shared_ptr<const PracticeCircuits> circuits) {
  if (stop.stop_requested()) return cancelled();
  const auto known = [&](const std::string& id) {
    return id.empty() || id == "port" || bench.speaker.way(id) != nullptr;
  };
  if (!known(take.driver) || !known(take.source)) {
    return bad_input(
        fmt::format("There is no driver \"{}\".", known(take.driver) ? take.source : take.driver),
        take.id);
  }
  SimulatedTake made;
  made.item.id = take.id;
  made.item.variant_id = take.variant;
  made.item.take.name = take.name;
  made.item.take.form = RawForm::kTextFile;
  Conditions& c = made.item.take.conditions;
  const Placement place{take.distance_m > 0.0 ? take.distance_m : bench.room.distance_m,
                        take.horizontal_deg,
                        take.vertical_deg,
                        {}};
  c.drive_v = take.drive_v > 0.0 ? take.drive_v : take.kind == "impedance" ? 1.0 : 2.83;
  TakeSetup& setup = made.item.take.setup;
  if (take.kind == "impedance")
    setup = ImpedanceSetup{take.condition, take.added_mass_g, take.test_box_l};
  else if (take.kind == "near-field")
    setup = NearFieldSetup{take.source.empty() ? "port" : take.source, bench.room.near_m * 1e3};
  else if (take.kind == "multitone")
    setup = MultitoneSetup{place, {}};
  else
    setup = FarFieldSetup{place, take.condition};
  c.temperature_c = bench.room.temperature_c;
  c.driver = take.driver;
  c.sample = take.sample;
  Json truth{{"id", take.id}, {"kind", take.kind}, {"drive_v", c.drive_v}};
  Result<void> done;
  if (take.kind == "impedance") {
    done = make_impedance(made, bench, take, rate, stop, truth);
  } else {
    const PracticeField field(
        bench.speaker, room_for(bench, take),
        circuits ? circuits : std::make_shared<PracticeCircuits>(bench.speaker));
    truth.update(field_truth(field, c.drive_v));
    truth["distance_m"] = place_of(setup).distance_m;
    if (take.kind == "sweep")
      done = make_sweep(made, bench, take, rate, stop, truth);
    else if (take.kind == "impulse-response")
      done = make_impulse(made, field, bench, take, rate);
    else if (take.kind == "multitone")
      done = make_multitone(made, bench, take, rate, stop);
    else
      done = make_curve(made, field, take, rate);
  }
  if (!done) return tl::unexpected(done.error());
  made.truth_json = dumped(truth);
  return made;
}

}  // namespace lalometer
