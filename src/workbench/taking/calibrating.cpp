#include "workbench/taking/calibrating.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdio>

#include "acoustics/signal/checks/uncut.h"
#include "acoustics/signal/deconvolve.h"
#include "acoustics/signal/recording/recording_checks.h"
#include "acoustics/signal/recording/sweep_track.h"
#include "base/text.h"
#include "workbench/results/analysis.h"
#include "workbench/taking/live_meter.h"
#include "workbench/taking/take_checks.h"

namespace lalometer {
namespace {

constexpr double kSettled_s = 0.5;
constexpr double kMostWander_db = 0.3;
constexpr double kMostOther_db = -20.0;

double power_of(std::span<const double> x) {
  return std::pow(rms_of(x), 2);
}

/// Least-squares sine of a frequency: its amplitude.
double amplitude_at(std::span<const double> x, double f, double rate) {
  double ss = 0, sc = 0, cc = 0, ys = 0, yc = 0;
  for (std::size_t i = 0; i < x.size(); ++i) {
    const double turn = 2.0 * kPi * f * static_cast<double>(i) / rate;
    const double s = std::sin(turn);
    const double c = std::cos(turn);
    ss += s * s;
    sc += s * c;
    cc += c * c;
    ys += x[i] * s;
    yc += x[i] * c;
  }
  const double det = ss * cc - sc * sc;
  if (!(std::abs(det) > 0.0)) return 0.0;
  return std::hypot((ys * cc - yc * sc) / det, (yc * ss - ys * sc) / det);
}

ToneReading reading_of(std::span<const double> x, double wanted_hz, double rate) {
  ToneReading reading;
  // The best frequency within 5 %: coarse steps of a quarter of the resolution, then by thirds.
  const double resolution = rate / static_cast<double>(x.size());
  double best = 0.0;
  for (double f = 0.95 * wanted_hz; f <= 1.05 * wanted_hz; f += 0.25 * resolution) {
    const double a = amplitude_at(x, f, rate);
    if (a > best) {
      best = a;
      reading.frequency_hz = f;
    }
  }
  double low = reading.frequency_hz - 0.25 * resolution;
  double high = reading.frequency_hz + 0.25 * resolution;
  for (int i = 0; i < 25; ++i) {
    const double a = low + (high - low) / 3.0;
    const double b = high - (high - low) / 3.0;
    (amplitude_at(x, a, rate) < amplitude_at(x, b, rate) ? low : high) =
        amplitude_at(x, a, rate) < amplitude_at(x, b, rate) ? a : b;
  }
  reading.frequency_hz = 0.5 * (low + high);
  reading.amplitude = amplitude_at(x, reading.frequency_hz, rate);
  const double tone = 0.5 * reading.amplitude * reading.amplitude;
  const double other = std::max(power_of(x) - tone, 1e-12 * std::max(tone, 1e-30));
  reading.other_db = 10.0 * std::log10(other / std::max(tone, 1e-30));
  double loudest = 0.0;
  double softest = 1e300;
  for (std::size_t part = 0; part < 5; ++part) {
    const std::size_t count = x.size() / 5;
    const double a = amplitude_at(x.subspan(part * count, count), reading.frequency_hz, rate);
    loudest = std::max(loudest, a);
    softest = std::min(softest, a);
  }
  reading.wander_db = 20.0 * std::log10(loudest / std::max(softest, 1e-12));
  return reading;
}

/// The ratio of both inputs over a sweep, microphone's hook-up or the jig's.
Result<Response> ratio_of_inputs(AudioDevice& device, const RigCalibration& rig, Hookup hookup,
                                 double sample_rate_hz, double drive_v, std::stop_token stop) {
  TakeRequest request;
  request.kind = TakeKind::kImpedance;
  request.sample_rate_hz = sample_rate_hz;
  request.start_hz = 5.0;
  request.duration_s = 2.0;
  request.drive_v = drive_v;
  const auto excitation = excitation_for(request, rig);
  if (!excitation) return tl::unexpected(excitation.error());
  if (auto ready = device.prepare({sample_rate_hz, 0, 1, hookup}); !ready)
    return tl::unexpected(ready.error());
  const auto recording = device.run(excitation->output, stop, {});
  device.stop();
  if (!recording) return tl::unexpected(recording.error());
  for (const Remark& remark : check_recording(*recording, *excitation, TakeKind::kImpedance)) {
    // A shorted jig is silent: that is what it should be.
    if (remark.weight == Remark::Weight::kRefusal && remark.code != "no-signal")
      return fail(ErrorCode::kDevice, remark.text + " " + remark.advice);
  }
  const ImpulseResponse h =
      deconvolve(recording->measured, recording->loopback, recording->sample_rate_hz,
                 {excitation->spec.start_hz(), excitation->spec.stop_hz()});
  const FrequencyAxis axis =
      reading_axis(10.0, std::min(20500.0, 0.45 * recording->sample_rate_hz));
  return response_on(uncut_spectrum(h, 0.0, 0.0), 0.0, axis, 0, Quantity::kRatio);
}

double days_since(const std::string& then, const std::string& now) {
  const auto day = [](const std::string& text) -> std::optional<std::chrono::sys_days> {
    int y = 0;
    unsigned m = 0;
    unsigned d = 0;
    if (std::sscanf(text.c_str(), "%d-%u-%u", &y, &m, &d) != 3) return std::nullopt;
    return std::chrono::sys_days(std::chrono::year(y) / std::chrono::month(m) /
                                 std::chrono::day(d));
  };
  const auto a = day(then);
  const auto b = day(now);
  return a && b ? static_cast<double>((*b - *a).count()) : 1e9;
}

}  // namespace

Result<ToneReadings> read_tone(AudioDevice& device, const StreamSetup& setup, double frequency_hz,
                               double amplitude, double seconds, std::stop_token stop) {
  const double rate = setup.sample_rate_hz;
  const auto count = static_cast<std::size_t>((kSettled_s + seconds) * rate);
  std::vector<double> output(count, 0.0);
  for (std::size_t i = 0; i < count; ++i) {
    const double t = static_cast<double>(i) / rate;
    const double fade = std::min({1.0, t / 0.02, (static_cast<double>(count) / rate - t) / 0.02});
    output[i] = amplitude * fade * std::sin(2.0 * kPi * frequency_hz * t);
  }
  if (auto ready = device.prepare(setup); !ready) return tl::unexpected(ready.error());
  const auto heard = device.run(output, stop, {});
  device.stop();
  if (!heard) return tl::unexpected(heard.error());
  if (find_clipping(heard->measured).clipped_count > 0)
    return fail(ErrorCode::kDevice, "The input clips: turn its gain down and try again.");
  const double heard_rate = heard->sample_rate_hz;
  const auto skipped = static_cast<std::size_t>(kSettled_s * heard_rate);
  // The fade at the end is left out as well.
  const auto kept = static_cast<std::size_t>((seconds - 0.05) * heard_rate);
  const auto read = [&](const std::vector<double>& channel) {
    if (channel.size() < skipped + kept) return ToneReading{};
    return reading_of(std::span(channel).subspan(skipped, kept), frequency_hz, heard_rate);
  };
  return ToneReadings{read(heard->measured), read(heard->loopback)};
}

Result<RigCalibration> with_sensitivity(RigCalibration rig, const ToneReading& reading,
                                        double level_db_spl, const std::string& now) {
  if (!(reading.amplitude > 1e-5))
    return fail(ErrorCode::kDevice,
                "No tone is heard: is the calibrator on, and the right input chosen?");
  if (reading.other_db > kMostOther_db)
    return fail(ErrorCode::kDevice,
                fmt::format("Other sound comes within {:.0f} dB of the tone.", -reading.other_db));
  if (reading.wander_db > kMostWander_db)
    return fail(ErrorCode::kDevice,
                fmt::format("The tone wanders by {:.1f} dB: the calibrator does not sit well.",
                            reading.wander_db));
  if (!(level_db_spl > 40.0 && level_db_spl < 160.0))
    return bad_input("A level between 40 and 160 dB is expected.");
  const double pa_rms = kReferencePressure_pa * std::pow(10.0, level_db_spl / 20.0);
  rig.input_pa_per_unit = std::sqrt(2.0) * pa_rms / reading.amplitude;
  rig.calibrator_hz = reading.frequency_hz;
  rig.taken_at[calibration::kSensitivity] = now;
  rig.level_known = rig.level_known || rig.taken_at.contains(calibration::kAmplifier);
  return rig;
}

Result<RigCalibration> with_amplifier(RigCalibration rig, double amplitude, double volts_rms,
                                      const ToneReading& loopback, const std::string& now) {
  if (!(volts_rms > 0.001 && volts_rms < 200.0))
    return bad_input("The voltmeter's reading should lie between 1 mV and 200 V.");
  if (!(amplitude > 0.0)) return fail(ErrorCode::kDevice, "No tone was played yet.");
  if (rig.time != TimeBase::kLoopback) {
    rig.output_v_per_unit = std::sqrt(2.0) * volts_rms / amplitude;
    rig.taken_at[calibration::kAmplifier] = now;
    rig.level_known = rig.taken_at.contains(calibration::kSensitivity);
    return rig;
  }
  if (!(loopback.amplitude > 1e-5))
    return fail(ErrorCode::kDevice, "The loopback hears no tone: check its cable and its input.");
  if (loopback.other_db > kMostOther_db)
    return fail(ErrorCode::kDevice, "The loopback carries more than the tone: check its cable.");
  const double volts_peak = std::sqrt(2.0) * volts_rms;
  rig.output_v_per_unit = volts_peak / amplitude;
  rig.loopback_v_per_unit = volts_peak / loopback.amplitude;
  rig.taken_at[calibration::kAmplifier] = now;
  rig.level_known = rig.level_known || rig.taken_at.contains(calibration::kSensitivity);
  return rig;
}

Result<RigCalibration> with_inputs(AudioDevice& device, RigCalibration rig, double sample_rate_hz,
                                   std::stop_token stop, const std::string& now) {
  const auto ratio = ratio_of_inputs(device, rig, Hookup::kMicrophone, sample_rate_hz, 0.5, stop);
  if (!ratio) return tl::unexpected(ratio.error());
  // Levels may differ by their knobs; shapes may not.
  const double middle = std::abs(value_at(*ratio, 1000.0));
  if (!(middle > 1e-6)) return fail(ErrorCode::kDevice, "The measuring input hears nothing.");
  std::vector<std::complex<double>> values = ratio->values();
  for (std::size_t i = 0; i < values.size(); ++i) {
    values[i] /= middle;
    const double off_db = std::abs(20.0 * std::log10(std::abs(values[i])));
    const double f = ratio->axis()[i];
    if (f >= 20.0 && f <= 20000.0 && off_db > 6.0)
      return fail(ErrorCode::kDevice,
                  fmt::format("The inputs differ by {:.0f} dB at {}: one signal must go into both.",
                              off_db, frequency_text(f)));
  }
  rig.inputs =
      *Response::make(ratio->axis(), std::move(values), Quantity::kRatio, ratio->valid(), true);
  rig.taken_at[calibration::kInputs] = now;
  return rig;
}

Result<Response> input_ratio(AudioDevice& device, const RigCalibration& rig, double sample_rate_hz,
                             std::stop_token stop) {
  return ratio_of_inputs(device, rig, Hookup::kImpedanceJig, sample_rate_hz, 1.0, stop);
}

Result<RigCalibration> with_swapped_leads(RigCalibration rig, const Response& as_wired,
                                          const Response& swapped, const std::string& now) {
  constexpr double kMostGain = 100.0;
  constexpr double kLeastApart = 1.05;
  const Response other = resampled(swapped, as_wired.axis());
  std::vector<std::complex<double>> values;
  std::complex<double> before = 1.0;
  double apart = 1.0;
  for (std::size_t i = 0; i < as_wired.size(); ++i) {
    // Of the two roots the one that goes on from its neighbour: gains turn by little at the bottom.
    std::complex<double> root = std::sqrt(as_wired.value(i) * other.value(i));
    if ((root * std::conj(before)).real() < 0.0) root = -root;
    before = root;
    values.push_back(root);
    const double ratio = std::abs(as_wired.value(i) / other.value(i));
    apart = std::max({apart, ratio, 1.0 / std::max(ratio, 1e-9)});
    if (!(std::abs(root) < kMostGain && std::abs(root) > 1.0 / kMostGain))
      return fail(ErrorCode::kDevice, fmt::format("One of the inputs hears next to nothing at {}.",
                                                  frequency_text(as_wired.axis()[i])));
  }
  if (apart < kLeastApart)
    return fail(ErrorCode::kDevice,
                "Both readings look alike: swap the two leads between them, with a load on the "
                "jig.");
  rig.jig_inputs =
      *Response::make(as_wired.axis(), std::move(values), Quantity::kRatio, as_wired.valid(), true);
  rig.taken_at[calibration::kJigInputs] = now;
  return rig;
}

Result<Response> jig_ratio(AudioDevice& device, const RigCalibration& rig, double sample_rate_hz,
                           std::stop_token stop) {
  return ratio_of_inputs(device, rig, Hookup::kImpedanceJig, sample_rate_hz, 1.0, stop)
      .map([&](const Response& ratio) {
        // As recorded_impedance() scales it: volts over volts.
        std::vector<std::complex<double>> values = ratio.values();
        for (auto& v : values) v *= rig.jig_v_per_unit / rig.loopback_v_per_unit;
        return *Response::make(ratio.axis(), std::move(values), Quantity::kRatio, ratio.valid(),
                               true);
      });
}

Result<RigCalibration> with_jig(RigCalibration rig, Response open, Response shorted, Response known,
                                double known_ohm, const std::string& now) {
  if (!(known_ohm > 0.0)) return bad_input("The known resistor needs its value.");
  for (const double f : {100.0, 1000.0, 10000.0}) {
    const double o = std::abs(value_at(open, f));
    const double s = std::abs(value_at(shorted, f));
    const double k = std::abs(value_at(known, f));
    if (!(o > 3.0 * s))
      return fail(ErrorCode::kDevice,
                  "Open and shorted leads look alike: were they taken in this order?");
    if (!(k > 1.05 * s && k < 0.98 * o))
      return fail(ErrorCode::kDevice,
                  "The known resistor does not lie between open and short: is it connected?");
  }
  // What a divider's resistor and cables leave is gone; the known resistor's own error remains.
  rig.impedance_uncertainty_percent = 0.5;
  rig.jig = JigCalibration{std::move(open), std::move(shorted), std::move(known), known_ohm};
  rig.taken_at[calibration::kJig] = now;
  return rig;
}

std::vector<CalibrationStatus> status_of(const RigCalibration& rig, const std::string& now) {
  struct Part {
    const char* word;
    const char* title;
    double days;
    const char* without;
  };
  constexpr Part kParts[] = {
      {calibration::kSensitivity, "Microphone sensitivity", 7.0,
       "Levels are not absolute. Put a sound calibrator on the microphone."},
      {calibration::kMicrophone, "Microphone correction", 730.0,
       "The microphone counts as flat. Load the file that came with it."},
      {calibration::kAmplifier, "Amplifier gain", 30.0,
       "2.83 V may be something else. Read a voltmeter at the terminals once."},
      {calibration::kInputs, "The two inputs", 90.0,
       "Both inputs count as alike. Feed one signal to both once."},
      {calibration::kJigInputs, "The jig's two inputs", 90.0,
       "Both inputs count as alike. Swap their leads once, or take the three states below."},
      {calibration::kJig, "Impedance jig", 90.0,
       "The resistor's printed value is used. Take open, shorted and a known resistor."},
  };
  std::vector<CalibrationStatus> standings;
  for (const Part& part : kParts) {
    CalibrationStatus s{part.word, part.title, "", false, ""};
    if (s.part == calibration::kMicrophone && rig.microphone_correction)
      s.title += fmt::format(" for {:.0f}°", rig.microphone_correction_deg);
    if (const auto found = rig.taken_at.find(part.word); found != rig.taken_at.end())
      s.taken_at = found->second;
    if (s.taken_at.empty()) {
      s.advice = part.without;
    } else if (days_since(s.taken_at, now) > part.days) {
      s.out_of_date = true;
      s.advice = fmt::format("Older than {:.0f} days: take it again.", part.days);
    }
    standings.push_back(std::move(s));
  }
  return standings;
}

Result<std::size_t> mend_takes(Book& book, const RigCalibration& rig, const std::string& from_day) {
  const auto takes = book.takes();
  if (!takes) return tl::unexpected(takes.error());
  std::vector<Id> mended;
  std::map<Id, std::string> names;
  for (const Take& take : *takes) {
    if (take.rig_id == 0 || take.taken_at < from_day) continue;
    if (!names.contains(take.rig_id)) {
      const auto of_take = book.rig(take.rig_id);
      if (!of_take) return tl::unexpected(of_take.error());
      names[take.rig_id] = of_take->rig_name;
    }
    if (names[take.rig_id] == rig.rig_name) mended.push_back(take.id);
  }
  if (mended.empty()) return std::size_t{0};
  return book.add_rig(rig).and_then([&](Id id) { return book.set_rig(mended, id); }).map([&] {
    return mended.size();
  });
}

Result<std::optional<int>> find_loopback(AudioDevice& device, double sample_rate_hz,
                                         int input_count, std::stop_token stop) {
  RigCalibration rig;
  rig.output_v_per_unit = 20.0;
  TakeRequest soft;
  soft.sample_rate_hz = sample_rate_hz;
  soft.start_hz = 100.0;
  soft.duration_s = 0.4;
  soft.drive_v = 0.2;
  const auto excitation = excitation_for(soft, rig);
  if (!excitation) return tl::unexpected(excitation.error());
  const auto lead = static_cast<std::size_t>(excitation->stimulus.lead_in_s * sample_rate_hz);
  for (int input = 0; input < input_count; ++input) {
    if (auto ready =
            device.prepare({sample_rate_hz, input == 0 ? 1 : 0, input, Hookup::kMicrophone});
        !ready)
      return tl::unexpected(ready.error());
    const auto heard = device.run(excitation->output, stop, {});
    device.stop();
    if (!heard) return tl::unexpected(heard.error());
    const SweepTrack track = track_sweep(heard->loopback, excitation->spec, lead);
    // A cable carries the sweep and nothing else; a microphone's room and loudspeaker do not.
    if (track.present && track.continuous()) return std::optional<int>(input);
  }
  return std::optional<int>();
}

Result<HeardPolarity> heard_polarity(AudioDevice& device, const RigCalibration& rig,
                                     const TakeRequest& request, std::stop_token stop) {
  auto outcome = run_take(device, rig, request, stop, {});
  if (!outcome) return tl::unexpected(outcome.error());
  if (!outcome->accepted) return HeardPolarity{std::nullopt, outcome->take.remarks.back().text};
  const AnalysisInput input{outcome->take, raw_of(*outcome).bytes, rig, {}};
  return impulse_stage(input, stop).map([](const ImpulseStage& stage) {
    // From a little before the arrival: what stands earlier is the sweep's harmonics.
    const ImpulseResponse& h = *stage.impulse;
    const auto from = static_cast<std::size_t>(
        std::max(0.0, (stage.arrival_s - 0.0005) * h.sample_rate_hz + h.zero_at));
    return HeardPolarity{moves_outward(std::span(h.samples).subspan(from)), {}};
  });
}

}  // namespace lalometer
