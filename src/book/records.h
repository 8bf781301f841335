#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

/// The rows of a book as plain values. Ids are the book's own; 0 means "not in a book yet".
namespace lalometer {

using Id = std::int64_t;

/// What a driver can stand. Limits for start frequency and level hang on it.
enum class DriverKind {
  kLoudspeaker,
  kWoofer,
  kMidrange,
  kTweeter,
  kFullrange,
  kCompressionDriver,
  kSubwoofer
};
/// "loudspeaker", "woofer", ...: the words of the files and the window.
[[nodiscard]] std::string_view word_of(DriverKind kind);
[[nodiscard]] std::optional<DriverKind> driver_kind_of(std::string_view word);

struct Subject {
  Id id = 0;
  std::string name;
  DriverKind kind = DriverKind::kLoudspeaker;
  /// The subject as `set.json` writes it (geometry, drivers, box...), kept whole with unknown keys.
  std::string description_json = "{}";
};

struct Variant {
  Id id = 0;
  Id subject_id = 0;
  std::string name;
  std::string changed;  ///< what was changed, in a sentence
};

enum class TakeKind { kResponse, kImpedance };
[[nodiscard]] std::string_view word_of(TakeKind kind);

/// How the raw data of a take is to be read.
enum class RawForm {
  kRecording,    ///< float32, two channels (measured, loopback), stimulus in the conditions
  kTextFile,     ///< text columns, byte for byte
  kImpulseFile,  ///< WAV or FLAC holding an impulse response, byte for byte
  kSweepFile,    ///< WAV or FLAC holding a recorded sweep, byte for byte
};
[[nodiscard]] std::string_view word_of(RawForm form);

struct Stimulus {
  double start_hz = 0.0;
  double stop_hz = 0.0;
  double duration_s = 0.0;
  double lead_in_s = 0.0;  ///< silence before the sweep
  double amplitude = 1.0;  ///< peak re full scale of the output
  friend bool operator==(const Stimulus&, const Stimulus&) = default;
};

struct Conditions {
  double distance_m = 1.0;
  double drive_v = 2.83;  ///< rms at the terminals that the curve stands for
  double horizontal_deg = 0.0;
  double vertical_deg = 0.0;
  double temperature_c = 20.0;
  bool delay_included = false;  ///< of an imported response: its phase still holds the flight time
  std::string condition;        ///< "free-air", "in-box", ...; empty where it does not matter
  std::string driver;           ///< only that driver playing; empty: all
  std::string sample;
  int channel = 0;        ///< of an imported sound file
  double gate_s = 0.0;    ///< gate already applied to an imported response; 0: not told
  double pa_per_v = 0.0;  ///< of an imported sweep: pascals per volt of its units; 0: not told
  double t0_s = 0.0;      ///< moment of excitation in an imported impulse response
  /// Of an imported sweep: which channel of the file is the loopback; -1 where there is none.
  int loopback_channel = -1;
  Stimulus stimulus;
  std::map<std::string, std::string> more_json;  ///< unknown keys of an imported take, kept
};

/// Something that was noticed about a take and travels with it.
struct Remark {
  enum class Weight { kNote, kDoubt, kRefusal };
  Weight weight = Weight::kNote;
  std::string code;    ///< "clipping", "lost-samples", ...
  std::string text;    ///< what was seen, in plain words
  std::string advice;  ///< what to do about it; may be empty
};

struct Take {
  Id id = 0;
  Id subject_id = 0;
  Id variant_id = 0;
  Id rig_id = 0;  ///< 0: no rig (imported files)
  TakeKind kind = TakeKind::kResponse;
  RawForm form = RawForm::kRecording;
  std::string name;
  Conditions conditions;
  std::string raw_hash;
  std::string raw_name;  ///< file name it came from; empty for recordings
  double sample_rate_hz = 0.0;
  std::vector<Remark> remarks;
  bool accepted = true;
  std::string taken_at;  ///< ISO 8601, UTC
  std::string note;
  int colour = -1;  ///< place on the score's palette, -1: not on the score
};

/// How a subject's takes are worked out; one for all its variants, so that compared curves are
/// treated alike.
struct Recipe {
  double gate_s = 0.0040;  ///< length after the arrival
  bool gated = true;
  bool continue_tail = true;  ///< see GateTail
  int smoothing = 24;         ///< 1/N octave of responses; 0 none. Impedances are never smoothed
  friend bool operator==(const Recipe&, const Recipe&) = default;
};

}  // namespace lalometer
