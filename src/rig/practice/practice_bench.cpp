#include "rig/practice/practice_bench.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <thread>

#include "acoustics/signal/fft.h"
#include "base/constants.h"
#include "rig/practice/other_clock.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

/// Extra length for what still sounds when the output has ended: reflections and the box's ringing.
constexpr double kTail_s = 0.5;

/// First-order coupling capacitor.
Complex coupling(double f, double corner_hz) {
  const Complex jf(0.0, f / corner_hz);
  return jf / (1.0 + jf);
}

Complex jig_load_ohm(const PracticeBenchSetup& b, const PracticeCircuits& circuits, double f) {
  switch (b.jig_load) {
    case PracticeBenchSetup::JigLoad::kOpen:
      return 1e5;  // the inputs' own impedance
    case PracticeBenchSetup::JigLoad::kShort:
      return b.rig.cable_ohm + 0.01;
    case PracticeBenchSetup::JigLoad::kKnown10Ohm:
      return 10.0 + b.rig.cable_ohm;
    case PracticeBenchSetup::JigLoad::kSpeaker:
      break;
  }
  return (b.bare_driver ? bare_driver_ohm(b, f) : circuits.impedance_ohm(f)) + b.rig.cable_ohm;
}

}  // namespace

std::complex<double> bare_driver_ohm(const PracticeBenchSetup& b, double f) {
  const PracticeWay* way = b.speaker.way(b.bare_driver->id);
  if (way == nullptr) return 1e5;  // nothing there: open terminals
  DriverParameters driver = way->driver;
  driver.mms_kg += b.bare_driver->added_mass_kg;
  // The resonances of the diaphragm keep their masses.
  for (ConeMode& mode : driver.modes) mode.mass_share *= way->driver.mms_kg / driver.mms_kg;
  BoxLoad load;
  if (b.bare_driver->in_its_box) load = way->box;
  if (b.bare_driver->test_box_m3 > 0.0) {
    load.kind = BoxLoad::Kind::kSealed;
    load.volume_m3 = b.bare_driver->test_box_m3;
  }
  return solve_driver(driver, load, f).impedance_ohm;
}

PracticeBench::PracticeBench(PracticeBenchSetup setup)
    : setup_(std::move(setup)), engine_(setup_.seed) {}

DeviceAbility PracticeBench::ability() const {
  return {.name = "Practice bench",
          .sample_rates_hz = {44100.0, 48000.0, 88200.0, 96000.0, 192000.0},
          .output_count = 1,
          .input_count = setup_.own_input ? setup_.own_input->inputs : 2};
}

Result<void> PracticeBench::prepare(const StreamSetup& setup) {
  const DeviceAbility able = ability();
  if (std::find(able.sample_rates_hz.begin(), able.sample_rates_hz.end(), setup.sample_rate_hz) ==
      able.sample_rates_hz.end()) {
    return fail(ErrorCode::kDevice,
                fmt::format("{} Hz is not a rate of this device.", setup.sample_rate_hz),
                able.name);
  }
  for (const int channel : {setup.measure_input, setup.loopback_input}) {
    if (channel == StreamSetup::kNoLoopback && channel != setup.measure_input) continue;
    if (channel < 0 || channel >= able.input_count) {
      return fail(ErrorCode::kDevice, fmt::format("There is no input {}.", channel + 1), able.name);
    }
  }
  stream_ = setup;
  return {};
}

double PracticeBench::input_rate_hz() const {
  if (!stream_) return 0.0;
  return setup_.own_input && setup_.own_input->rate_hz > 0.0 ? setup_.own_input->rate_hz
                                                             : stream_->sample_rate_hz;
}

void PracticeBench::stop() {
  stream_.reset();
}

double PracticeBench::normal() {
  // Box-Muller: the standard library's normals differ from one implementation to the next.
  const auto uniform = [this] { return (static_cast<double>(engine_() >> 11U) + 0.5) * 0x1.0p-53; };
  const double radius = std::sqrt(-2.0 * std::log(uniform()));
  return radius * std::cos(2.0 * kPi * uniform());
}

double PracticeBench::converted(double value) {
  const double steps = std::ldexp(1.0, setup_.converter_bits - 1);
  const double noisy = value + setup_.converter_noise * normal();
  return std::clamp(std::round(noisy * steps), -steps, steps - 1.0) / steps;
}

Spectrum PracticeBench::distortion_of(const Bins& bins, const Samples& volts, const Spectrum& drive,
                                      std::vector<double>& port_speed, std::vector<double>& ticks) {
  const double rate = stream_->sample_rate_hz;
  const RealTransform transform(volts.size());
  Spectrum sum(drive.size(), 0.0);
  for (std::size_t w = 0; w < setup_.speaker.ways.size(); ++w) {
    const PracticeWay& way = setup_.speaker.ways[w];
    if (!way.motor || (!setup_.room.only.empty() && setup_.room.only != way.id)) continue;
    // What the crossover leaves at the driver. It is computed for small signals: the currents of
    // the distortion do not fall off over it.
    Spectrum at_driver(drive.size(), 0.0);
    for (std::size_t k = 1; k < drive.size(); ++k) {
      const double f = static_cast<double>(k) * rate / static_cast<double>(volts.size());
      at_driver[k] = drive[k] * bins.states[w][k].ladder *
                     (way.inverted != (way.id == setup_.flipped) ? -1.0 : 1.0) *
                     std::polar(1.0, -2.0 * kPi * f * way.delay_s);
    }
    Samples driven(volts.size());
    transform.inverse(at_driver, driven);
    const std::vector<double> u(driven.begin(), driven.end());
    const MotorRun bent = run_motor(way.driver, way.box, way.motor, u, rate);
    const MotorRun straight = run_motor(way.driver, way.box, std::nullopt, u, rate);
    last_run_.warmest_k = std::max(last_run_.warmest_k, bent.warmer_k);
    for (const double x : bent.excursion_m)
      last_run_.farthest_m = std::max(last_run_.farthest_m, std::abs(x));
    if (way.motor->rub_at_m > 0.0) add_rub(way, bent.excursion_m, ticks);
    if (!bent.port_m3_s.empty() && setup_.speaker.port_area_m2 > 0.0) {
      port_speed.resize(bent.port_m3_s.size(), 0.0);
      for (std::size_t i = 0; i < port_speed.size(); ++i)
        port_speed[i] += bent.port_m3_s[i] / setup_.speaker.port_area_m2;
    }
    // What the bent run does more than the straight one, of the cone and of the port's air.
    const auto added = [&](const std::vector<double>& more, const std::vector<double>& less) {
      Samples difference(volts.size());
      for (std::size_t i = 0; i < difference.size(); ++i) difference[i] = more[i] - less[i];
      Spectrum bins_of(drive.size());
      transform.forward(difference, bins_of);
      return bins_of;
    };
    const Spectrum cone = added(bent.velocity_m_s, straight.velocity_m_s);
    for (std::size_t k = 1; k < drive.size(); ++k) {
      const WayState& state = bins.states[w][k];
      if (std::abs(state.cone_velocity) > 0.0)
        sum[k] += cone[k] * bins.pressures[w][k].cone / state.cone_velocity;
    }
    if (bent.port_m3_s.empty()) continue;
    const Spectrum port = added(bent.port_m3_s, straight.port_m3_s);
    for (std::size_t k = 1; k < drive.size(); ++k) {
      const WayState& state = bins.states[w][k];
      if (std::abs(state.port) > 0.0) sum[k] += port[k] * bins.pressures[w][k].port / state.port;
    }
  }
  for (const double v : port_speed)
    last_run_.fastest_air_m_s = std::max(last_run_.fastest_air_m_s, std::abs(v));
  return sum;
}

void PracticeBench::add_rub(const PracticeWay& way, const std::vector<double>& excursion_m,
                            std::vector<double>& ticks) const {
  constexpr double kTick_hz = 4000.0;
  constexpr double kFades_s = 0.5e-3;
  const double rate = stream_->sample_rate_hz;
  const double near =
      setup_.room.near_source.empty() ? 1.0 / std::max(setup_.room.distance_m, 0.1) : 5.0;
  const auto flight = static_cast<std::size_t>(rate * setup_.room.distance_m /
                                               speed_of_sound_m_s(setup_.room.temperature_c));
  ticks.resize(excursion_m.size(), 0.0);
  for (std::size_t i = 1; i < excursion_m.size(); ++i) {
    const double limit = way.motor->rub_at_m;
    if (!(excursion_m[i] > limit && excursion_m[i - 1] <= limit)) continue;
    for (std::size_t k = 0; k < static_cast<std::size_t>(6.0 * kFades_s * rate); ++k) {
      const std::size_t at = i + flight + k;
      if (at >= ticks.size()) break;
      const double t = static_cast<double>(k) / rate;
      ticks[at] +=
          near * way.motor->rub_pa * std::exp(-t / kFades_s) * std::sin(2.0 * kPi * kTick_hz * t);
    }
  }
}

void PracticeBench::add_port_noise(Samples& pressure, const std::vector<double>& port_speed) {
  // Between some 150 Hz and 2 kHz, where the mouth's eddies sound.
  const double low = 1.0 - std::exp(-2.0 * kPi * 150.0 / stream_->sample_rate_hz);
  const double high = 1.0 - std::exp(-2.0 * kPi * 2000.0 / stream_->sample_rate_hz);
  // A one-pole's share of white noise, so that the figure is the noise's own rms.
  const double whitened = 1.0 / std::sqrt(high / (2.0 - high));
  double smooth = 0.0;
  double slow = 0.0;
  for (std::size_t i = 0; i < std::min(pressure.size(), port_speed.size()); ++i) {
    smooth += high * (whitened * normal() - smooth);
    slow += low * (smooth - slow);
    const double ratio = std::abs(port_speed[i]) / 20.0;
    const double near =
        setup_.room.near_source.empty() ? 1.0 / std::max(setup_.room.distance_m, 0.1) : 5.0;
    pressure[i] += setup_.port_noise_pa * near * ratio * ratio * ratio * (smooth - slow);
  }
}

/// A small loudspeaker: 85 dB at 1 m for 2.83 V, second-order high-pass at 1.2 kHz.
void PracticeBench::add_reference(std::span<const double> second, Spectrum& pressure) const {
  constexpr double kPaPerVolt = 0.126;
  constexpr double kCorner_hz = 1200.0;
  const double rate = stream_->sample_rate_hz;
  const Samples volts = amplified(second);
  Spectrum drive(pressure.size());
  RealTransform(volts.size()).forward(volts, drive);
  const double flight_s = setup_.reference_m / speed_of_sound_m_s(setup_.room.temperature_c);
  for (std::size_t k = 1; k < pressure.size(); ++k) {
    const double f = static_cast<double>(k) * rate / static_cast<double>(volts.size());
    const Complex s(0.0, f / kCorner_hz);
    pressure[k] += drive[k] * kPaPerVolt / setup_.reference_m * s * s /
                   (1.0 + s * std::sqrt(2.0) + s * s) * std::polar(1.0, -2.0 * kPi * f * flight_s);
  }
}

Result<Samples> PracticeBench::sounded(const Samples& volts, std::span<const double> second,
                                       std::stop_token stop) {
  const double rate = stream_->sample_rate_hz;
  const std::size_t n = volts.size();
  const RealTransform transform(n);
  Spectrum result(transform.bin_count());
  transform.forward(volts, result);
  const bool microphone = stream_->hookup == Hookup::kMicrophone;
  const auto frequency = [&](std::size_t k) {
    return static_cast<double>(k) * rate / static_cast<double>(n);
  };
  last_run_ = {};
  std::vector<double> port_speed;
  std::vector<double> ticks;
  PracticeSpeaker speaker = setup_.speaker;
  for (PracticeWay& way : speaker.ways)
    if (way.id == setup_.flipped) way.inverted = !way.inverted;
  const auto circuits = std::make_shared<PracticeCircuits>(speaker);
  if (microphone) {
    const PracticeField field(speaker, setup_.room, circuits);
    const std::size_t ways = speaker.ways.size();
    Bins bins;
    bins.states.assign(ways, std::vector<WayState>(result.size()));
    bins.pressures.assign(ways, std::vector<PracticeField::WayPressure>(result.size()));
    std::vector<WayState> states;
    std::vector<PracticeField::WayPressure> pressures;
    for (std::size_t k = 1; k < result.size(); ++k) {
      if (k % 1024 == 0 && stop.stop_requested()) return cancelled();
      field.ways_at(frequency(k), states, pressures);
      for (std::size_t w = 0; w < ways; ++w) {
        bins.states[w][k] = states[w];
        bins.pressures[w][k] = pressures[w];
      }
    }
    const Spectrum distortion = distortion_of(bins, volts, result, port_speed, ticks);
    if (stop.stop_requested()) return cancelled();
    for (std::size_t k = 1; k < result.size(); ++k) {
      Complex all = 0.0;
      for (std::size_t w = 0; w < ways; ++w) all += bins.pressures[w][k].all();
      result[k] = result[k] * all + distortion[k];
    }
    result[0] = 0.0;
    if (!second.empty()) add_reference(second, result);
    const bool hisses = !port_speed.empty() && setup_.port_noise_pa > 0.0;
    if (hisses || !ticks.empty()) {
      Samples noise(n, 0.0);
      std::copy_n(ticks.begin(), std::min(ticks.size(), n), noise.begin());
      if (hisses) add_port_noise(noise, port_speed);
      Spectrum hiss(result.size());
      transform.forward(noise, hiss);
      for (std::size_t k = 1; k < result.size(); ++k) result[k] += hiss[k];
    }
  } else {
    const double resistor = setup_.rig.reference_ohm * (1.0 + setup_.jig_resistor_error);
    for (std::size_t k = 1; k < result.size(); ++k) {
      if (k % 1024 == 0 && stop.stop_requested()) return cancelled();
      const Complex z = jig_load_ohm(setup_, *circuits, frequency(k));
      result[k] *= z / (z + resistor);
    }
    result[0] = 0.0;
  }
  const double units = microphone ? setup_.rig.input_pa_per_unit : setup_.rig.jig_v_per_unit;
  for (std::size_t k = 1; k < result.size(); ++k)
    result[k] *= coupling(frequency(k), setup_.coupling_hz) * setup_.faults.input_gain / units;
  if (microphone) {
    std::vector<double> bins(result.size() - 1);
    for (std::size_t k = 1; k < result.size(); ++k) bins[k - 1] = frequency(k);
    const FrequencyAxis axis = *FrequencyAxis::make(std::move(bins));
    for (const auto* deviation : {&setup_.rig.microphone_correction, &setup_.microphone_error}) {
      if (!*deviation) continue;
      const Response own = resampled(**deviation, axis);
      for (std::size_t k = 1; k < result.size(); ++k) result[k] *= own.value(k - 1);
    }
  }
  Samples out(n);
  transform.inverse(result, out);
  return out;
}

Samples PracticeBench::amplified(std::span<const double> output) const {
  std::size_t n =
      fast_length(output.size() + static_cast<std::size_t>(kTail_s * stream_->sample_rate_hz));
  while (n % 2 != 0) n = fast_length(n + 1);
  Samples volts(n, 0.0);
  for (std::size_t i = 0; i < output.size(); ++i) {
    volts[i] = std::clamp(output[i], -1.0, 1.0) * setup_.rig.output_v_per_unit;
    volts[i] = std::clamp(volts[i], -setup_.amplifier_rail_v, setup_.amplifier_rail_v);
  }
  return volts;
}

Samples PracticeBench::looped_back(const Samples& volts) const {
  const RealTransform transform(volts.size());
  Spectrum looped(transform.bin_count());
  transform.forward(volts, looped);
  looped[0] = 0.0;
  for (std::size_t k = 1; k < looped.size(); ++k) {
    const double f =
        static_cast<double>(k) * stream_->sample_rate_hz / static_cast<double>(volts.size());
    looped[k] *= coupling(f, setup_.coupling_hz) / setup_.rig.loopback_v_per_unit;
  }
  Samples loopback(volts.size());
  transform.inverse(looped, loopback);
  return loopback;
}

/// What the measuring channel hears beside the signal, sample by sample.
struct PracticeBench::Disturbance {
  Disturbance(PracticeBench& owner, double rate_hz)
      : bench(owner), rate(rate_hz), microphone(owner.stream_->hookup == Hookup::kMicrophone) {
    const PracticeBenchSetup& setup = bench.setup_;
    const double unit_per_pa = setup.faults.input_gain / setup.rig.input_pa_per_unit;
    noise = microphone ? setup.microphone_noise_pa * unit_per_pa : 0.0;
    hum = setup.mains_hum_pa *
          (microphone ? unit_per_pa : setup.faults.input_gain / 3.0 / setup.rig.jig_v_per_unit);
  }
  double at(std::size_t i) {
    const PracticeBenchSetup& setup = bench.setup_;
    double m = 0.0;
    if (!setup.faults.measure_missing) m += noise * bench.normal();
    if (hum > 0.0 && !setup.faults.measure_missing) {
      const double turn = 2.0 * kPi * setup.mains_hz * static_cast<double>(i) / rate;
      m += hum * (1.2 * std::sin(turn) + 0.6 * std::sin(2.0 * turn + 1.0) +
                  0.4 * std::sin(3.0 * turn + 2.0));
    }
    if (setup.faults.slam && microphone) {
      const auto from = static_cast<std::size_t>(setup.faults.slam->at_s * rate);
      if (i >= from && i < from + setup.faults.slam->count) {
        rumble += 0.01 * (3.0 * 14.0 / setup.rig.input_pa_per_unit * bench.normal() - rumble);
        m += rumble;
      }
    }
    return m;
  }
  PracticeBench& bench;
  double rate;  ///< of the inputs
  bool microphone;
  double noise = 0.0;
  double hum = 0.0;
  double rumble = 0.0;
};

/// Clocks that differ, samples that are lost or come twice.
void PracticeBench::misread(Recording& recording) const {
  const PracticeFaults& faults = setup_.faults;
  const double rate = recording.sample_rate_hz;
  const double clock = (1.0 + 1e-6 * faults.clock_ppm) *
                       (faults.true_rate_hz > 0.0 ? faults.true_rate_hz / rate : 1.0);
  for (std::vector<double>* channel : {&recording.measured, &recording.loopback}) {
    if (clock != 1.0) *channel = at_other_clock(*channel, clock, channel->size());
    if (faults.lost)
      lose(*channel, static_cast<std::size_t>(faults.lost->at_s * rate), faults.lost->count);
    if (faults.doubled)
      repeat(*channel, static_cast<std::size_t>(faults.doubled->at_s * rate),
             faults.doubled->count);
  }
}

/// What stands at the inputs' converters, sample by sample of their own clock.
std::vector<double> PracticeBench::at_inputs(const Samples& sound, std::size_t played,
                                             std::size_t late) const {
  const double rate = stream_->sample_rate_hz;
  const std::size_t delay = setup_.latency_samples + late;
  std::vector<double> out(played + late, 0.0);
  for (std::size_t i = delay; i < out.size() && i - delay < sound.size(); ++i)
    out[i] = sound[i - delay];
  if (!setup_.own_input) return out;
  // They go on for half a second.
  const double input_rate = setup_.own_input->rate_hz > 0.0 ? setup_.own_input->rate_hz : rate;
  const double length_s = static_cast<double>(out.size()) / rate + 0.5;
  return at_other_clock(out, input_rate / rate * (1.0 + 1e-6 * setup_.own_input->clock_ppm),
                        static_cast<std::size_t>(length_s * input_rate));
}

Result<Recording> PracticeBench::do_run(const Playing& playing, std::stop_token stop,
                                        const Progress& progress, const Arrivals& arrivals) {
  if (!stream_) return fail(ErrorCode::kDevice, "The stream was not opened.", ability().name);
  const PracticeFaults& faults = setup_.faults;
  const Samples volts = amplified(playing.output);
  const auto sounding = sounded(volts, playing.second, stop);
  if (!sounding) return tl::unexpected(sounding.error());
  // A device of its own begins at its own time.
  const double uniform = setup_.own_input ? static_cast<double>(engine_() >> 11U) * 0x1.0p-53 : 0.0;
  const auto late = static_cast<std::size_t>(
      setup_.own_input ? uniform * setup_.own_input->latency_spread_s * stream_->sample_rate_hz
                       : 0.0);
  const std::vector<double> measured = at_inputs(*sounding, playing.output.size(), late);
  const std::vector<double> looped = at_inputs(looped_back(volts), playing.output.size(), late);
  const bool has_loopback = stream_->loopback_input != StreamSetup::kNoLoopback;
  const std::size_t count = measured.size();
  Recording recording{.sample_rate_hz = input_rate_hz(),
                      .measured = std::vector<double>(count),
                      .loopback = std::vector<double>(has_loopback ? count : 0),
                      .one_clock = !setup_.own_input};
  Disturbance disturbance(*this, recording.sample_rate_hz);
  const auto begin = std::chrono::steady_clock::now();
  constexpr std::size_t kBlock = 1024;
  const auto last_block = [](std::vector<double>& channel, std::size_t i) {
    return channel.empty() ? std::span<const double>()
                           : std::span<const double>(channel).subspan(i - kBlock, kBlock);
  };
  for (std::size_t i = 0; i < count; ++i) {
    if (i % kBlock == 0) {
      if (stop.stop_requested()) return cancelled();
      if (progress) progress(static_cast<double>(i) / static_cast<double>(count));
      if (arrivals && i > 0)
        arrivals(last_block(recording.measured, i), last_block(recording.loopback, i));
      if (setup_.pace > 0.0) {
        const std::chrono::duration<double> due(static_cast<double>(i) / recording.sample_rate_hz *
                                                setup_.pace);
        std::this_thread::sleep_until(begin + due);
      }
    }
    const double m = faults.measure_missing ? 0.0 : measured[i];
    recording.measured[i] = converted(m + disturbance.at(i));
    if (has_loopback) recording.loopback[i] = converted(faults.loopback_missing ? 0.0 : looped[i]);
  }
  misread(recording);
  if (progress) progress(1.0);
  return recording;
}

}  // namespace lalometer
