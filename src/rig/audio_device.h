#pragma once

#include <functional>
#include <span>
#include <stop_token>
#include <string>
#include <vector>

#include "base/progress.h"
#include "base/result.h"

namespace lalometer {

/// A full-duplex audio interface as four verbs: ability, prepare, run, stop. The practice bench is
/// one implementation among others; nothing above this line knows which it is.

struct DeviceAbility {
  std::string name;
  std::vector<double> sample_rates_hz;
  int output_count = 0;
  int input_count = 0;
};

/// What the terminals are connected to for a take. A real device cannot switch this and ignores it
/// (the person at the bench connects what the instructions say); the practice bench connects
/// itself.
enum class Hookup { kMicrophone, kImpedanceJig };

struct StreamSetup {
  double sample_rate_hz;
  int measure_input;   ///< 0-based channel of microphone or jig terminals
  int loopback_input;  ///< 0-based channel of the loopback; kNoLoopback
  Hookup hookup;
  int output = kAllOutputs;  ///< 0-based channel that plays; all of them: amplifier and loopback
  int second_output = -1;    ///< plays Playing::second, where there is one

  static constexpr int kAllOutputs = -1;
  static constexpr int kNoLoopback = -1;
};

/// What goes out; refers to signals that outlive the run. Full scale 1.0.
struct Playing {
  std::span<const double> output;
  /// On an output of its own at the same time: reference chirps. As long as the other, or empty.
  std::span<const double> second = {};

  Playing(const std::vector<double>& signal) : output(signal) {}  // a signal alone is the rule
  Playing(const std::vector<double>& signal, const std::vector<double>& beside)
      : output(signal), second(beside) {}
};

/// What came in, full scale 1.0. The channels are equally long and of one clock.
struct Recording {
  double sample_rate_hz = 0.0;  ///< of the inputs, which may be a device of their own
  std::vector<double> measured;
  std::vector<double> loopback;  ///< empty where there is none
  /// False: the inputs have a clock, a rate and a latency of their own, and record a little longer
  /// than is played. True: sample-synchronous with the output.
  bool one_clock = true;
  /// How often the driver said that it lost or doubled something. Drivers say so without cause and
  /// stay silent with cause: a take is judged by its samples, this is only told.
  int xrun_count = 0;
};

/// What has come in since the last call, both channels; called from the thread that runs.
using Arrivals =
    std::function<void(std::span<const double> measured, std::span<const double> loopback)>;

class AudioDevice {
 public:
  AudioDevice() = default;
  AudioDevice(const AudioDevice&) = delete;
  AudioDevice& operator=(const AudioDevice&) = delete;
  virtual ~AudioDevice() = default;

  [[nodiscard]] virtual DeviceAbility ability() const = 0;
  /// Opens the stream. A rate or channel the device lacks is an error that names it.
  [[nodiscard]] virtual Result<void> prepare(const StreamSetup& setup) = 0;
  /// Plays on the chosen outputs and records as long as it plays. Blocks;
  /// returns kCancelled within 100 ms of a stop request. An interface that falls silent or is
  /// pulled out is an error within 3 s.
  [[nodiscard]] Result<Recording> run(const Playing& playing, std::stop_token stop,
                                      const Progress& progress, const Arrivals& arrivals = {}) {
    return do_run(playing, stop, progress, arrivals);
  }
  /// Whether the inputs run on the output's clock. Inputs of their own start anew with each run.
  [[nodiscard]] virtual bool one_clock() const { return true; }
  /// Rate of the inputs since prepare(), which may be a device of their own; 0 before.
  [[nodiscard]] virtual double input_rate_hz() const = 0;
  /// Silences the output at once and closes the stream. Safe to call at any time, also twice.
  virtual void stop() = 0;

 private:
  [[nodiscard]] virtual Result<Recording> do_run(const Playing& playing, std::stop_token stop,
                                                 const Progress& progress,
                                                 const Arrivals& arrivals) = 0;
};

}  // namespace lalometer
