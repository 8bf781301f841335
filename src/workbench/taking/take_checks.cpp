#include "workbench/taking/take_checks.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>

#include "acoustics/signal/clocks/clock_drift.h"
#include "acoustics/signal/clocks/sweep_search.h"
#include "acoustics/signal/recording/continuity.h"
#include "acoustics/signal/recording/disturbance.h"
#include "acoustics/signal/recording/recording_checks.h"
#include "acoustics/signal/recording/sweep_track.h"
#include "base/text.h"

namespace lalometer {
namespace {

using Weight = Remark::Weight;

double dbfs(double value) {
  return 20.0 * std::log10(std::max(value, 1e-10));
}

Remark loopback_lost() {
  return {Weight::kRefusal, "loopback-missing", "The loopback carries no sweep.",
          "Plug the loopback cable from the output into the loopback input and check its channel."};
}

/// The sweep as the inputs' own clock samples it, by what the loopback heard of it: a wire delays
/// nothing along the sweep.
SweepSpec by_inputs_clock(const Recording& recording, const SweepSpec& played) {
  const double rate = recording.sample_rate_hz;
  const auto spec =
      SweepSpec::make({played.start_hz(), played.stop_hz(), played.duration_s(), rate});
  if (!spec) return played;
  const auto found = find_sweeps(recording.loopback, *spec);
  if (found.empty()) return *spec;
  const auto drift = drift_of_one(recording.loopback, *spec, found.front().at_sample);
  const auto own = SweepSpec::make({played.start_hz(), played.stop_hz(), played.duration_s(),
                                    rate * (1.0 + (drift ? 1e-6 * drift->ppm : 0.0))});
  return own ? *own : *spec;
}

}  // namespace

void tell_clipping(const Clipping& clip_measured, const Clipping& clip_loopback, const char* input,
                   std::vector<Remark>& remarks) {
  if (clip_measured.clipped_count > 0) {
    remarks.push_back({Weight::kRefusal, "clipping",
                       fmt::format("The {} input clips: {} samples stand at the rail.", input,
                                   clip_measured.clipped_count),
                       "Turn the input gain down, or the drive, and take it again."});
  }
  if (clip_loopback.clipped_count > 0) {
    remarks.push_back(
        {Weight::kRefusal, "clipping",
         fmt::format(
             "The loopback clips: {} samples stand at the rail. The amplifier may clip too.",
             clip_loopback.clipped_count),
         "Turn the drive down and take it again."});
  }
}

/// Hum, and the signal over the noise of each band.
void tell_noise(std::span<const double> silence, std::span<const double> sounding, double signal,
                double rate, const SweepSpec& spec, std::vector<Remark>& remarks) {
  // Hum matters where it comes within 40 dB of the sweep.
  if (const auto hum = find_hum(silence, rate); hum && hum->level > 0.01 * signal) {
    remarks.push_back(
        {Weight::kDoubt, "mains-hum",
         fmt::format("Mains hum at {:.0f} Hz and its multiples, {:.0f} dB under the sweep.",
                     hum->mains_hz, 20.0 * std::log10(signal / hum->level)),
         "Keep signal and mains cables apart, use one outlet for all, or a balanced line."});
  }
  double worst = std::numeric_limits<double>::infinity();
  double worst_at_hz = 0.0;
  constexpr double kWindow_s = 0.02;  // noise that enters with a gate of ordinary length
  for (const BandSnr& band : band_snr(silence, sounding, spec, kWindow_s)) {
    // Below 60 Hz rooms rumble always, and no gate reaches there.
    if (band.centre_hz < 60.0 || band.snr_db >= worst) continue;
    worst = band.snr_db;
    worst_at_hz = band.centre_hz;
  }
  if (std::isfinite(worst)) {
    // An error of 0.1 dB needs the noise about 40 dB down; below 25 dB it passes half a decibel.
    const Weight weight = worst < 25.0 ? Weight::kDoubt : Weight::kNote;
    remarks.push_back({weight, "signal-to-noise",
                       fmt::format("Signal to noise is {:.0f} dB at its lowest, around {}.", worst,
                                   frequency_text(worst_at_hz)),
                       weight == Weight::kDoubt
                           ? "Wait for quiet, come closer, use a longer sweep or more repeats."
                           : ""});
  }
}

std::vector<Remark> check_recording(const Recording& recording, const Excitation& excitation,
                                    TakeKind kind) {
  std::vector<Remark> remarks;
  const double rate = recording.sample_rate_hz;
  const auto lead = static_cast<std::size_t>(excitation.stimulus.lead_in_s * rate);
  const SweepSpec spec =
      recording.one_clock ? excitation.spec : by_inputs_clock(recording, excitation.spec);
  const char* input = kind == TakeKind::kImpedance ? "jig" : "microphone";

  const Clipping clip_measured = find_clipping(recording.measured);
  const Clipping clip_loopback = find_clipping(recording.loopback);
  tell_clipping(clip_measured, clip_loopback, input, remarks);

  const SweepTrack loopback = track_sweep(recording.loopback, spec, lead);
  if (!loopback.present) remarks.push_back(loopback_lost());
  const std::optional<double> broken_at_hz =
      loopback.present ? loopback_break_hz(recording.loopback, loopback, spec, lead,
                                           clip_loopback.clipped_count == 0)
                       : std::nullopt;
  if (broken_at_hz) {
    remarks.push_back(
        {Weight::kRefusal, "lost-samples",
         fmt::format("Samples were lost or doubled near {} of the sweep.",
                     frequency_text(*broken_at_hz)),
         "Close other programs that use sound, choose a longer buffer, and take it again."});
  }

  if (is_pressure(kind) && loopback.present && !broken_at_hz) {
    // No loudspeaker passes a sweep as evenly as a wire does.
    constexpr double kLikeAWire_db = 0.5;
    const SweepTrack heard = track_sweep(recording.measured, spec, lead);
    if (heard.present && heard.continuous() &&
        heard.gain_spread_db < loopback.gain_spread_db + kLikeAWire_db &&
        std::abs(heard.latency_samples - loopback.latency_samples) < 0.3e-3 * rate) {
      remarks.push_back({Weight::kRefusal, "wrong-channel",
                         "The microphone's input hears the loopback, not a loudspeaker.",
                         "Look which cable is in which input, and at the channels of the rig."});
      return remarks;
    }
  }
  if (clip_measured.clipped_count == 0 && !broken_at_hz) {
    if (const auto noise = find_disturbance(recording.measured, spec, lead)) {
      remarks.push_back(
          {noise->certain ? Weight::kRefusal : Weight::kDoubt, "disturbed",
           fmt::format("Something sounded beside the sweep, {:.1f} s in, most around {}.",
                       noise->at_s, frequency_text(noise->around_hz)),
           "A door, a step, a lorry: wait until it is quiet and take it again."});
    }
  }
  const double peak = peak_of(recording.measured);
  const std::span<const double> silence(recording.measured.data(),
                                        std::min(lead, recording.measured.size()));
  const double noise = rms_of(silence);
  const double signal =
      rms_of(std::span(recording.measured).subspan(std::min(lead, recording.measured.size())));
  // A plugged input shows the sweep well above its own silence; 3 dB is what noise alone can reach.
  if (signal < 1.41 * noise || peak < 1e-5) {
    remarks.push_back(
        {Weight::kRefusal, "no-signal",
         fmt::format("Nothing of the sweep arrives at the {} input.", input),
         kind == TakeKind::kImpedance
             ? "Check the test leads, and which input the jig is on."
             : "Check the microphone's cable, its power, the amplifier, and the input's channel."});
    return remarks;
  }
  if (peak < 0.01) {
    remarks.push_back(
        {Weight::kDoubt, "low-level",
         fmt::format("The {} input peaks at {:.0f} dB re full scale only.", input, dbfs(peak)),
         "Turn the input gain up; between -20 and -6 dB is best."});
  }
  tell_noise(silence,
             std::span(recording.measured).subspan(std::min(lead, recording.measured.size())),
             signal, rate, spec, remarks);
  return remarks;
}

}  // namespace lalometer
