#include "workbench/practice/practice_takes.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <random>

#include "acoustics/signal/fft.h"
#include "base/constants.h"
#include "base/text.h"
#include "exchange/audio_file.h"
#include "exchange/curve_file.h"
#include "workbench/results/analysis.h"
#include "workbench/taking/take_runner.h"

namespace lalometer {
namespace {

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
void tell_field(Told& truth, const PracticeField& field, double drive_v) {
  const FrequencyAxis axis = truth_axis();
  std::vector<std::complex<double>> pressure;
  for (const double f : axis.hz())
    pressure.push_back(field.at(f).direct_pa_per_v * drive_v *
                       std::polar(1.0, 2.0 * kPi * f * field.flight_s()));
  truth.put_each("frequency_hz", axis.size(), [&](std::size_t i) { return axis[i]; });
  truth.put_each("level_db", axis.size(), [&](std::size_t i) {
    return to_level_db(std::abs(pressure[i]), kReferencePressure_pa);
  });
  truth.put_each("phase_deg", axis.size(),
                 [&](std::size_t i) { return std::arg(pressure[i]) * 180.0 / kPi; });
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

std::vector<std::string> remarks_of(const TakeOutcome& outcome) {
  std::vector<std::string> remarks;
  for (const Remark& r : outcome.take.remarks)
    if (r.weight != Remark::Weight::kNote) remarks.push_back(r.code);
  return remarks;
}

Result<void> make_impedance(SimulatedTake& made, PracticeBenchSetup bench, const PracticeTake& take,
                            double rate, std::stop_token stop, Told& truth) {
  // One of several by its own terminals, in the box: what a network is tried on.
  const bool own_terminals =
      take.condition == "in-box" && !take.driver.empty() && bench.speaker.ways.size() > 1;
  if (take.condition == "free-air" || take.condition == "added-mass" ||
      take.condition == "test-box" || own_terminals) {
    const std::string id =
        take.driver.empty() && !bench.speaker.ways.empty() ? bench.speaker.ways[0].id : take.driver;
    if (bench.speaker.way(id) == nullptr)
      return bad_input(fmt::format("There is no driver \"{}\".", id), take.id);
    bench.bare_driver = PracticeBareDriver{
        id, take.condition == "added-mass" ? take.added_mass_g / 1e3 : 0.0,
        take.condition == "test-box" ? take.test_box_l / 1e3 : 0.0, own_terminals};
    const DriverParameters& d = bench.speaker.way(id)->driver;
    truth.put("driver", Told()
                            .put("fs_hz", d.fs_hz())
                            .put("qms", d.qms())
                            .put("qes", d.qes())
                            .put("qts", d.qts())
                            .put("vas_l", d.vas_m3() * 1e3)
                            .put("re_ohm", d.re_ohm)
                            .put("bl_tm", d.bl_tm)
                            .put("mms_g", d.mms_kg * 1e3)
                            .put("sd_cm2", d.sd_m2 * 1e4));
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
  truth.put("remarks", remarks_of(*outcome));
  const FrequencyAxis axis = truth_axis();
  std::vector<std::complex<double>> z;
  for (const double f : axis.hz())
    z.push_back(bench.bare_driver ? bare_driver_ohm(bench, f)
                                  : practice_impedance_ohm(bench.speaker, f));
  truth.put_each("frequency_hz", z.size(), [&](std::size_t i) { return axis[i]; });
  truth.put_each("impedance_ohm", z.size(), [&](std::size_t i) { return std::abs(z[i]); });
  truth.put_each("impedance_phase_deg", z.size(),
                 [&](std::size_t i) { return std::arg(z[i]) * 180.0 / kPi; });
  return {};
}

Result<void> make_sweep(SimulatedTake& made, const PracticeBenchSetup& bench,
                        const PracticeTake& take, double rate, std::stop_token stop, Told& truth) {
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
  truth.put("remarks", remarks_of(*outcome));
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
  made.item.take.conditions.pa_per_unit = 1.0;
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
  stage.origin = {field.flight_s(), TimeOrigin::Source::kTape};
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
  made.item.take.conditions.pa_per_unit = bench.rig.input_pa_per_unit;
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
  Told& truth = made.truth;
  truth.put("id", take.id).put("kind", take.kind).put("drive_v", c.drive_v);
  Result<void> done;
  if (take.kind == "impedance") {
    done = make_impedance(made, bench, take, rate, stop, truth);
  } else {
    const PracticeField field(
        bench.speaker, room_for(bench, take),
        circuits ? circuits : std::make_shared<PracticeCircuits>(bench.speaker));
    tell_field(truth, field, c.drive_v);
    truth.put("distance_m", place_of(setup).distance_m);
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
  return made;
}

}  // namespace lalometer
