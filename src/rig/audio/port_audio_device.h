#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "rig/audio_device.h"

namespace lalometer {

/// An interface that the machine offers, by the driver family ("ALSA", "JACK Audio Connection Kit")
/// and the name by which that family knows it.
struct AudioInterface {
  std::string family;
  std::string name;
  int input_count = 0;
  int output_count = 0;
  double usual_rate_hz = 0.0;

  friend bool operator==(const AudioInterface&, const AudioInterface&) = default;
  /// "JACK Audio Connection Kit: system", by which it is kept and found again.
  [[nodiscard]] std::string key() const { return family + ": " + name; }
};

/// A key without the number that a machine gives an interface anew at each start ("(hw:2,0)").
[[nodiscard]] std::string without_number(const std::string& key);
/// Where an interface stands in a list, also where its number has changed; nothing where it is not
/// there, or where several are alike but for their numbers.
[[nodiscard]] std::optional<std::size_t> found_again(const std::string& key,
                                                     const std::vector<AudioInterface>& all);

/// All interfaces with at least one channel, looked up afresh. Takes 0.1 to 0.3 s: for a worker.
[[nodiscard]] Result<std::vector<AudioInterface>> audio_interfaces();

/// Rates of interest that an interface of `inputs` and `outputs` channels opens with.
inline constexpr double kAudioRates_hz[] = {44100.0, 48000.0, 88200.0, 96000.0, 176400.0, 192000.0};

/// A real interface through PortAudio (docs/decisions/audio.md): both directions of one, with one
/// clock; or the inputs of one and the outputs of another, each with its own clock and, where the
/// inputs do not know the rate, their own rate. prepare() opens the stream and leaves it running in
/// silence; run() plays and records in it; stop() silences at once.
///
/// A driver that hangs must not take the program with it: opening and closing happen on a thread of
/// their own, which is left behind after 3 s.
class PortAudioDevice final : public AudioDevice {
 public:
  /// `key`: of the interface. It is looked for at each prepare(), so that it may come and go.
  /// @param output_key  of the interface that plays; empty: the same.
  explicit PortAudioDevice(std::string key, std::string output_key = {});
  ~PortAudioDevice() override;

  [[nodiscard]] DeviceAbility ability() const override;
  [[nodiscard]] Result<void> prepare(const StreamSetup& setup) override;
  [[nodiscard]] bool one_clock() const override {
    return output_key_.empty() || output_key_ == key_;
  }
  [[nodiscard]] double input_rate_hz() const override;
  void stop() override;

 private:
  struct Stream;
  [[nodiscard]] Result<Recording> do_run(const Playing& playing, std::stop_token stop,
                                         const Progress& progress,
                                         const Arrivals& arrivals) override;

  std::string key_;
  std::string output_key_;
  std::shared_ptr<Stream> stream_;
};

}  // namespace lalometer
