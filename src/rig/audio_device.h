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
  int loopback_input;  ///< 0-based channel of the loopback
  Hookup hookup;
  int output = kAllOutputs;  ///< 0-based channel that plays; all of them: amplifier and loopback

  static constexpr int kAllOutputs = -1;
};

/// What came in, full scale 1.0, both channels equally long and sample-synchronous with the output.
struct Recording {
  double sample_rate_hz = 0.0;
  std::vector<double> measured;
  std::vector<double> loopback;
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
  /// Plays `output` (full scale 1.0) on the first output and records as long as it plays. Blocks;
  /// returns kCancelled within 100 ms of a stop request. An interface that falls silent or is
  /// pulled out is an error within 3 s.
  [[nodiscard]] Result<Recording> run(const std::vector<double>& output, std::stop_token stop,
                                      const Progress& progress, const Arrivals& arrivals = {}) {
    return do_run(output, stop, progress, arrivals);
  }
  /// Silences the output at once and closes the stream. Safe to call at any time, also twice.
  virtual void stop() = 0;

 private:
  [[nodiscard]] virtual Result<Recording> do_run(const std::vector<double>& output,
                                                 std::stop_token stop, const Progress& progress,
                                                 const Arrivals& arrivals) = 0;
};

}  // namespace lalometer
