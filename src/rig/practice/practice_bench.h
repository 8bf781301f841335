#pragma once

#include <cstdint>
#include <optional>
#include <random>

#include "book/rig_calibration.h"
#include "rig/audio_device.h"
#include "rig/practice/practice_speaker.h"

namespace lalometer {

/// Mishaps, each of which a real bench can have. Times are counted from the first played sample.
struct PracticeFaults {
  struct Samples {
    double at_s;
    std::size_t count;
  };
  std::optional<Samples> lost = std::nullopt;     ///< samples that never arrive, in both inputs
  std::optional<Samples> doubled = std::nullopt;  ///< a stretch delivered twice
  std::optional<Samples> slam =
      std::nullopt;               ///< a door: a burst of low noise at the microphone, 3 Pa
  bool loopback_missing = false;  ///< cable not plugged
  bool measure_missing = false;   ///< microphone or jig not plugged
  double input_gain = 1.0;        ///< gain knob of the measuring input, 1 = as calibrated
};

struct PracticeBenchSetup {
  PracticeSpeaker speaker;
  PracticeRoom room;
  RigCalibration rig;
  /// Open, shorted or with a known resistor instead of the loudspeaker on the jig.
  enum class JigLoad { kSpeaker, kOpen, kShort, kKnown10Ohm };
  JigLoad jig_load = JigLoad::kSpeaker;
  double jig_resistor_error = 0.0;      ///< true resistor = reference_ohm * (1 + error)
  double microphone_noise_pa = 0.0005;  ///< rms, broadband (28 dB re 20 uPa)
  double converter_noise = 1e-6;        ///< rms re full scale on every input (-120 dB)
  int converter_bits = 24;
  std::size_t latency_samples = 1387;  ///< the same on all inputs; not told to anyone
  double coupling_hz = 1.5;            ///< first-order high-pass of each input
  double amplifier_rail_v = 28.0;      ///< clips beyond
  PracticeFaults faults;
  std::uint64_t seed = 1;
  /// 0: as fast as it goes; 1: as slow as life.
  double pace = 0.0;
};

/// The simulated bench behind the interface of a sound card: same calls, same kinds of trouble.
/// Deterministic: the same setup, seed and sequence of runs give the same samples.
class PracticeBench final : public AudioDevice {
 public:
  explicit PracticeBench(PracticeBenchSetup setup);

  [[nodiscard]] DeviceAbility ability() const override;
  [[nodiscard]] Result<void> prepare(const StreamSetup& setup) override;
  [[nodiscard]] Result<Recording> run(const std::vector<double>& output, std::stop_token stop,
                                      const Progress& progress) override;
  void stop() override;

  /// The bench as it is; changes take effect with the next run.
  [[nodiscard]] PracticeBenchSetup& setup() { return setup_; }

 private:
  [[nodiscard]] double normal();
  [[nodiscard]] double converted(double value);

  PracticeBenchSetup setup_;
  std::optional<StreamSetup> stream_;
  std::mt19937_64 engine_;
};

}  // namespace lalometer
