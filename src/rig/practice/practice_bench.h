#pragma once

#include <cstdint>
#include <optional>
#include <random>

#include "acoustics/signal/fft.h"
#include "book/rig_calibration.h"
#include "rig/audio_device.h"
#include "rig/practice/practice_field.h"

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
  /// Clock of the inputs against the output's, parts per million; both inputs drift alike.
  double clock_ppm = 0.0;
  /// The converter runs at this rate while saying it runs at the one asked for; 0: it tells the
  /// truth.
  double true_rate_hz = 0.0;
};

/// A driver alone on the jig, out of its box and without its crossover.
struct PracticeBareDriver {
  std::string id;
  double added_mass_kg = 0.0;
  double test_box_m3 = 0.0;  ///< 0: free air
  bool in_its_box = false;   ///< where it stands in the loudspeaker, without the network
};

/// Inputs and output that are devices of their own, as a USB microphone beside a computer's output:
/// each has its clock and rate, no input hears the output, and each run starts at another moment.
struct PracticeOwnInput {
  double clock_ppm = 0.0;  ///< of the inputs against the output
  double rate_hz = 0.0;    ///< of the inputs; 0: the output's
  double latency_spread_s = 0.04;
  int inputs = 2;  ///< a microphone has one, a line input two
};

struct PracticeBenchSetup {
  PracticeSpeaker speaker;
  PracticeRoom room;
  RigCalibration rig;
  /// Open, shorted or with a known resistor instead of the loudspeaker on the jig.
  enum class JigLoad { kSpeaker, kOpen, kShort, kKnown10Ohm };
  JigLoad jig_load = JigLoad::kSpeaker;
  std::optional<PracticeBareDriver> bare_driver = std::nullopt;  ///< instead of the loudspeaker
  std::string flipped = {};             ///< the driver whose two wires are swapped; empty: none
  double jig_resistor_error = 0.0;      ///< true resistor = reference_ohm * (1 + error)
  double microphone_noise_pa = 0.0005;  ///< rms, broadband (28 dB re 20 uPa)
  double mains_hz = 50.0;
  double mains_hum_pa =
      0.0;  ///< rms at the microphone, all harmonics; a third of it on the jig's V
  /// Noise of the air in the port, Pa rms at 1 m where it moves at 20 m/s; it rises with the third
  /// power of the speed (common practice, no source). 0: silent.
  double port_noise_pa = 0.02;
  /// Deviation of the true microphone from its correction file; nothing: the file is right.
  std::optional<Response> microphone_error = std::nullopt;
  double converter_noise = 1e-6;  ///< rms re full scale on every input (-120 dB)
  int converter_bits = 24;
  std::size_t latency_samples = 1387;  ///< the same on all inputs; not specified to anyone
  double coupling_hz = 1.5;            ///< first-order high-pass of each input
  double amplifier_rail_v = 28.0;      ///< clips beyond
  PracticeFaults faults;
  std::optional<PracticeOwnInput> own_input = std::nullopt;
  /// From the loudspeaker on the second output, which stays where it is, to the microphone.
  double reference_m = 1.2;
  std::uint64_t seed = 1;
  /// 0: as fast as it goes; 1: as slow as life.
  double pace = 0.0;
};

/// Impedance of the bare driver that the bench names, Ohm; open terminals where there is none.
[[nodiscard]] std::complex<double> bare_driver_ohm(const PracticeBenchSetup& bench,
                                                   double frequency_hz);

/// The simulated bench behind the interface of a sound card: same calls, same kinds of trouble.
/// Deterministic: the same setup, seed and sequence of runs give the same samples.
class PracticeBench final : public AudioDevice {
 public:
  explicit PracticeBench(PracticeBenchSetup setup);

  [[nodiscard]] DeviceAbility ability() const override;
  [[nodiscard]] Result<void> prepare(const StreamSetup& setup) override;
  [[nodiscard]] bool one_clock() const override { return !setup_.own_input; }
  [[nodiscard]] double input_rate_hz() const override;
  void stop() override;

  /// The bench as it is; changes take effect with the next run.
  [[nodiscard]] PracticeBenchSetup& setup() { return setup_; }
  /// What the drivers' coils and the port's air did in the last run at the microphone.
  struct LastRun {
    double warmest_k = 0.0;  ///< above 20 degC
    double fastest_air_m_s = 0.0;
    double farthest_m = 0.0;  ///< of any cone
  };
  [[nodiscard]] const LastRun& last_run() const { return last_run_; }

 private:
  [[nodiscard]] Result<Recording> do_run(const Playing& playing, std::stop_token stop,
                                         const Progress& progress,
                                         const Arrivals& arrivals) override;
  /// The amplifier's voltage, clipped at its rails, with room for what rings on.
  [[nodiscard]] Samples amplified(std::span<const double> output) const;
  [[nodiscard]] Samples looped_back(const Samples& volts) const;
  struct Disturbance;
  void misread(Recording& recording) const;
  /// @param late  by how much the inputs began earlier than the output, samples of the output.
  [[nodiscard]] std::vector<double> at_inputs(const Samples& sound, std::size_t played,
                                              std::size_t late) const;
  /// What the microphone or the jig gives for a voltage, without noise, recorded units.
  [[nodiscard]] Result<Samples> sounded(const Samples& volts, std::span<const double> second,
                                        std::stop_token stop);
  /// Adds the loudspeaker of the second output at the microphone, Pa.
  void add_reference(std::span<const double> second, Spectrum& pressure) const;
  /// What each way does at each bin of a transform: computed once, used thrice.
  struct Bins {
    std::vector<std::vector<WayState>> states;                       ///< by way
    std::vector<std::vector<PracticeField::WayPressure>> pressures;  ///< by way, Pa per volt
  };
  /// The part that the loudspeaker itself adds: distortion by its motors, as a spectrum at the
  /// microphone, Pa; and how fast the air in the port moves.
  [[nodiscard]] Spectrum distortion_of(const Bins& bins, const Samples& volts,
                                       const Spectrum& drive, std::vector<double>& port_speed,
                                       std::vector<double>& ticks);
  /// A tick of 0.5 ms around 4 kHz for each touch of a coil.
  void add_rub(const PracticeWay& way, const std::vector<double>& excursion_m,
               std::vector<double>& ticks) const;
  void add_port_noise(Samples& pressure, const std::vector<double>& port_speed);
  [[nodiscard]] double normal();
  [[nodiscard]] double converted(double value);

  PracticeBenchSetup setup_;
  std::optional<StreamSetup> stream_;
  std::mt19937_64 engine_;
  LastRun last_run_;
};

}  // namespace lalometer
