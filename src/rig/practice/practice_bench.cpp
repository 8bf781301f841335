#include "rig/practice/practice_bench.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <thread>

#include "acoustics/signal/fft.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

/// Extra length for what still sounds when the output has ended: reflections and the box's ringing.
constexpr double kTail_s = 0.5;

struct Transfers {
  Spectrum measured;
  Spectrum loopback;
};

/// First-order coupling capacitor.
Complex coupling(double f, double corner_hz) {
  const Complex jf(0.0, f / corner_hz);
  return jf / (1.0 + jf);
}

Complex jig_load_ohm(const PracticeBenchSetup& b, double f) {
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
  return practice_impedance_ohm(b.speaker, f) + b.rig.cable_ohm;
}

/// Recorded units per volt at the amplifier, at one frequency, with a microphone that is flat.
Complex measured_per_volt(const PracticeBenchSetup& b, const std::optional<PracticeField>& field,
                          double f) {
  if (field) {
    const PracticeOutput out = field->at(f);
    const Complex pressure = out.direct_pa_per_v + out.reflected_pa_per_v;
    return pressure / b.rig.input_pa_per_unit;
  }
  const Complex z = jig_load_ohm(b, f);
  const double resistor = b.rig.reference_ohm * (1.0 + b.jig_resistor_error);
  return z / (z + resistor) / b.rig.jig_v_per_unit;
}

void filter(const RealTransform& transform, const Spectrum& x, const Spectrum& h, Samples& out) {
  Spectrum y(x.size());
  for (std::size_t k = 0; k < x.size(); ++k) y[k] = x[k] * h[k];
  transform.inverse(y, out);
}

/// Takes out or repeats a stretch in what was delivered; the end is filled with silence or cut.
void lose(std::vector<double>& x, std::size_t at, std::size_t count) {
  if (at + count >= x.size()) return;
  const std::size_t length = x.size();
  x.erase(x.begin() + static_cast<std::ptrdiff_t>(at),
          x.begin() + static_cast<std::ptrdiff_t>(at + count));
  x.resize(length, 0.0);
}

void repeat(std::vector<double>& x, std::size_t at, std::size_t count) {
  if (at + count >= x.size()) return;
  const std::size_t length = x.size();
  const std::vector<double> stretch(x.begin() + static_cast<std::ptrdiff_t>(at),
                                    x.begin() + static_cast<std::ptrdiff_t>(at + count));
  x.insert(x.begin() + static_cast<std::ptrdiff_t>(at + count), stretch.begin(), stretch.end());
  x.resize(length);
}

}  // namespace

PracticeBench::PracticeBench(PracticeBenchSetup setup)
    : setup_(std::move(setup)), engine_(setup_.seed) {}

DeviceAbility PracticeBench::ability() const {
  return {.name = "Practice bench",
          .sample_rates_hz = {44100.0, 48000.0, 88200.0, 96000.0, 192000.0},
          .output_count = 1,
          .input_count = 2};
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
    if (channel < 0 || channel >= able.input_count) {
      return fail(ErrorCode::kDevice, fmt::format("There is no input {}.", channel + 1), able.name);
    }
  }
  stream_ = setup;
  return {};
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

Result<Recording> PracticeBench::run(const std::vector<double>& output, std::stop_token stop,
                                     const Progress& progress) {
  if (!stream_) return fail(ErrorCode::kDevice, "The stream was not opened.", ability().name);
  const double rate = stream_->sample_rate_hz;
  const PracticeFaults& faults = setup_.faults;

  // Amplifier's voltage, clipped at its rails.
  const std::size_t n =
      fast_length(output.size() + static_cast<std::size_t>(kTail_s * rate)) / 2 * 2;
  Samples volts(n, 0.0);
  for (std::size_t i = 0; i < output.size(); ++i) {
    volts[i] = std::clamp(output[i], -1.0, 1.0) * setup_.rig.output_v_per_unit;
    volts[i] = std::clamp(volts[i], -setup_.amplifier_rail_v, setup_.amplifier_rail_v);
  }
  const RealTransform transform(n);
  Spectrum drive(transform.bin_count());
  transform.forward(volts, drive);

  std::optional<PracticeField> field;
  if (stream_->hookup == Hookup::kMicrophone) field.emplace(setup_.speaker, setup_.room);
  Transfers h{Spectrum(drive.size(), 0.0), Spectrum(drive.size(), 0.0)};
  for (std::size_t k = 1; k < drive.size(); ++k) {
    if (k % 1024 == 0 && stop.stop_requested()) return cancelled();
    const double f = static_cast<double>(k) * rate / static_cast<double>(n);
    const Complex input = coupling(f, setup_.coupling_hz);
    h.measured[k] = measured_per_volt(setup_, field, f) * input * faults.input_gain;
    h.loopback[k] = input / setup_.rig.loopback_v_per_unit;
  }
  if (setup_.rig.microphone_correction && stream_->hookup == Hookup::kMicrophone) {
    std::vector<double> bins(drive.size() - 1);
    for (std::size_t k = 1; k < drive.size(); ++k)
      bins[k - 1] = static_cast<double>(k) * rate / static_cast<double>(n);
    const Response microphone =
        resampled(*setup_.rig.microphone_correction, *FrequencyAxis::make(std::move(bins)));
    for (std::size_t k = 1; k < drive.size(); ++k) h.measured[k] *= microphone.value(k - 1);
  }
  Samples measured(n);
  Samples loopback(n);
  filter(transform, drive, h.measured, measured);
  filter(transform, drive, h.loopback, loopback);

  Recording recording{.sample_rate_hz = rate,
                      .measured = std::vector<double>(output.size()),
                      .loopback = std::vector<double>(output.size())};
  const double noise =
      stream_->hookup == Hookup::kMicrophone
          ? setup_.microphone_noise_pa / setup_.rig.input_pa_per_unit * faults.input_gain
          : 0.0;
  double rumble = 0.0;
  const auto begin = std::chrono::steady_clock::now();
  for (std::size_t i = 0; i < output.size(); ++i) {
    if (i % 1024 == 0) {
      if (stop.stop_requested()) return cancelled();
      if (progress) progress(static_cast<double>(i) / static_cast<double>(output.size()));
      if (setup_.pace > 0.0) {
        const std::chrono::duration<double> due(static_cast<double>(i) / rate * setup_.pace);
        std::this_thread::sleep_until(begin + due);
      }
    }
    const bool arrived = i >= setup_.latency_samples;
    double m = arrived && !faults.measure_missing ? measured[i - setup_.latency_samples] : 0.0;
    const double l =
        arrived && !faults.loopback_missing ? loopback[i - setup_.latency_samples] : 0.0;
    if (!faults.measure_missing) m += noise * normal();
    if (faults.slam && stream_->hookup == Hookup::kMicrophone) {
      const auto from = static_cast<std::size_t>(faults.slam->at_s * rate);
      if (i >= from && i < from + faults.slam->count) {
        rumble += 0.01 * (3.0 * 14.0 / setup_.rig.input_pa_per_unit * normal() - rumble);
        m += rumble;
      }
    }
    recording.measured[i] = converted(m);
    recording.loopback[i] = converted(l);
  }
  for (std::vector<double>* channel : {&recording.measured, &recording.loopback}) {
    if (faults.lost)
      lose(*channel, static_cast<std::size_t>(faults.lost->at_s * rate), faults.lost->count);
    if (faults.doubled)
      repeat(*channel, static_cast<std::size_t>(faults.doubled->at_s * rate),
             faults.doubled->count);
  }
  if (progress) progress(1.0);
  return recording;
}

}  // namespace lalometer
