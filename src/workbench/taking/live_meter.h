#pragma once

#include <complex>
#include <optional>
#include <span>
#include <vector>

#include "book/rig_calibration.h"
#include "rig/audio_device.h"

namespace lalometer {

/// What is played while somebody watches.
enum class LiveSignal { kSilence, kTone, kSlowSweep, kPinkNoise };

struct LiveSource {
  LiveSignal signal = LiveSignal::kSilence;
  double frequency_hz = 100.0;  ///< of a tone
  double start_hz = 20.0;       ///< of a slow sweep, and the noise's lower end
  double stop_hz = 20000.0;
  double drive_v = 0.3;  ///< rms at the terminals
  double seconds = 10.0;
};
/// One stretch of it, faded at both ends. Pink noise: equal power per octave between its ends,
/// random phases, repeated every 2^16 samples so that averages settle at once. More than the rig
/// can give, or a tone outside the band, is an error.
[[nodiscard]] Result<std::vector<double>> live_signal(const LiveSource& source,
                                                      const RigCalibration& rig,
                                                      double sample_rate_hz);

/// The driven tone as it comes back.
struct LiveTone {
  double frequency_hz = 0.0;
  double level_db = 0.0;                 ///< SPL re 20 uPa, or dB re 1 V at the jig
  std::vector<double> harmonic_db = {};  ///< 2nd to 5th, re the tone
  double thd_percent = 0.0;
  std::optional<std::complex<double>> impedance_ohm = std::nullopt;  ///< on the jig
};

struct LiveReading {
  double level_db = 0.0;  ///< rms of the last eighth of a second, SPL (unweighted) or dB re 1 V
  double measured_peak = 0.0;  ///< of full scale, the last eighth of a second
  double loopback_peak = 0.0;
  double measured_hold = 0.0;  ///< highest of the last 3 s
  double loopback_hold = 0.0;
  bool clipped = false;              ///< within the last 3 s
  std::vector<double> band_hz = {};  ///< 1/6-octave bands, 20 Hz to 20 kHz
  std::vector<double> band_db = {};  ///< averaged over about a second
  std::optional<LiveTone> tone = std::nullopt;
};

/// Takes up what an interface delivers and tells what it shows. Not thread-safe: one thread feeds
/// and reads, or a lock stands around it.
class LiveMeter {
 public:
  LiveMeter(const RigCalibration& rig, Hookup hookup, double sample_rate_hz,
            std::optional<double> tone_hz);
  void take_up(std::span<const double> measured, std::span<const double> loopback);
  [[nodiscard]] LiveReading reading() const;

 private:
  void new_frame();

  RigCalibration rig_;
  Hookup hookup_;
  double rate_;
  std::optional<double> tone_hz_;
  std::vector<double> measured_;  ///< the last 2^15 samples at most
  std::vector<double> loopback_;
  std::size_t since_frame_ = 0;
  std::vector<double> power_;  ///< averaged spectrum, units^2 per bin
  bool first_ = true;
  struct Peak {
    double at_s;
    double measured;
    double loopback;
  };
  std::vector<Peak> peaks_;
  double now_s_ = 0.0;
};

/// Whether a loudspeaker pushes outward for a positive voltage: sign of the first half wave of an
/// impulse response that reaches a quarter of the largest. Nothing where there is no pulse.
[[nodiscard]] std::optional<bool> moves_outward(std::span<const double> impulse);

}  // namespace lalometer
