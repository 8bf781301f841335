#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "acoustics/signal/clocks/reference_chirps.h"
#include "acoustics/signal/recording/repeats.h"
#include "book/description/description.h"
#include "book/take_setup.h"

/// The rows of a book as plain values. Ids are the book's own; 0 means "not in a book yet".
namespace lalometer {

using Id = std::int64_t;

/// What a driver can stand. Limits for start frequency and level depend on it.
enum class SubjectKind {
  kLoudspeaker,
  kWoofer,
  kMidrange,
  kTweeter,
  kFullrange,
  kCompressionDriver,
  kSubwoofer
};
/// "loudspeaker", "woofer", ...: the words of the files and the window.
[[nodiscard]] std::string_view word_of(SubjectKind kind);
[[nodiscard]] std::optional<SubjectKind> subject_kind_of(std::string_view word);

struct Subject {
  Id id = 0;
  std::string name;
  SubjectKind kind = SubjectKind::kLoudspeaker;
  Description description = {};   ///< geometry, drivers, box...
  std::string drawing_mark = {};  ///< of the description as the book keeps it; read only
};

struct Variant {
  Id id = 0;
  Id subject_id = 0;
  std::string name;
  std::string changed;  ///< what was changed, in a sentence
  /// What kind of thing that is, by its word (see kVariantChanges); empty: not specified.
  std::string change = {};
};
/// "damping", "port", "panel", "box", "baffle", "driver", "crossover", "place", "other".
inline constexpr std::string_view kVariantChanges[] = {
    "damping", "port", "panel", "box", "baffle", "driver", "crossover", "place", "other"};
[[nodiscard]] bool is_variant_change(std::string_view word);
/// Of books and sets that did not tell: by the usual words in a name; empty where there are none.
[[nodiscard]] std::string guessed_change(std::string_view name_and_sentence);

/// How the raw data of a take is to be read.
enum class RawForm {
  kRecording,     ///< float32, two channels (measured, loopback), stimulus in the conditions
  kTextFile,      ///< text columns, byte for byte
  kImpulseFile,   ///< WAV or FLAC holding an impulse response, byte for byte
  kSweepFile,     ///< WAV or FLAC holding a recorded sweep, byte for byte
  kSoundFile,     ///< WAV or FLAC holding something else, byte for byte
  kWorked,        ///< nothing of its own: worked out of other takes (Conditions::worked)
  kChartPicture,  ///< picture of a published chart, byte for byte; its curve was traced off it
};
[[nodiscard]] std::string_view word_of(RawForm form);

struct Stimulus {
  double start_hz = 0.0;
  double stop_hz = 0.0;
  double duration_s = 0.0;
  double lead_in_s = 0.0;  ///< silence before the sweep
  double amplitude = 1.0;  ///< peak re full scale of the output
  int repeats = 1;         ///< like sweeps in one recording
  double period_s = 0.0;   ///< of them: from start to start, on the player's clock
  ChirpTrain chirps = {};  ///< before and after each sweep, the first ones within its lead-in
  friend bool operator==(const Stimulus&, const Stimulus&) = default;
};

/// A curve that is worked out of other takes of the same book, anew whenever they change.
struct WorkedFrom {
  std::string how;        ///< "join", "near-sum", "power-mean", "complex-mean"; empty: none
  std::vector<Id> takes;  ///< those it is made of
  double at_hz = 0.0;     ///< of a join: where; 0: where they agree best
  friend bool operator==(const WorkedFrom&, const WorkedFrom&) = default;
};

/// What was read off a published chart.
struct TracedChart {
  std::string axes_json = "{}";      ///< where the axes stand on the picture
  std::vector<double> frequency_hz;  ///< rising
  std::vector<double> value;         ///< dB, or ohm of an impedance
  int smoothing = 0;                 ///< 1/N octave, where the sheet tells it; 0: not told
  bool drive_told = false;           ///< else its level is free
  friend bool operator==(const TracedChart&, const TracedChart&) = default;
};

/// How a take was made, whatever it is of.
struct Conditions {
  double drive_v = 2.83;  ///< rms at the terminals that the curve stands for
  double temperature_c = 20.0;
  bool delay_included = false;   ///< of an imported response: its phase still holds the flight time
  std::string driver;            ///< only that driver playing; empty: all
  std::string polarity_flipped;  ///< id of a driver; empty: none
  std::string sample;
  double spl_db = 0.0;    ///< at the microphone, where somebody told it; 0: not specified
  int channel = 0;        ///< of an imported sound file
  double gate_s = 0.0;    ///< gate already applied to an imported response; 0: not specified
  double pa_per_v = 0.0;  ///< of an imported sweep: pascals per volt of its units; 0: not specified
  /// Of an imported impulse response: pascals at the drive per 1 of its scale; 0: not specified.
  double pa_per_unit = 0.0;
  bool distance_told = true;  ///< false: the far field's distance is the usual one, nobody told it
  double t0_s = 0.0;          ///< moment of excitation in an imported impulse response
  /// Of an imported sweep: which channel of the file is the loopback; -1 where there is none.
  int loopback_channel = -1;
  /// Of an imported sweep: which of several in the file, from 1; 0: their mean, or the first.
  int sweep = 0;
  /// From what played the reference chirps to the microphone; 0: not told.
  double chirp_distance_m = 0.0;
  Stimulus stimulus;
  RepeatSpread repeats;  ///< of a recording that is the mean of several
  WorkedFrom worked;
  TracedChart chart;
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
  Id rig_id = 0;    ///< 0: no rig (imported files)
  Id group_id = 0;  ///< 0: in none
  TakeSetup setup;
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
  std::string plan_item;  ///< of a planned take: the plan's stamp and the take's id in it
  std::string drawing;    ///< mark of the drawing it was planned by
  int colour = -1;        ///< place on the score's palette, -1: not on the score

  [[nodiscard]] TakeKind kind() const { return kind_of(setup); }
};
[[nodiscard]] inline Placement place_of(const Take& take) {
  return place_of(take.setup);
}
[[nodiscard]] inline std::string condition_of(const Take& take) {
  return condition_of(take.setup);
}
/// "Response", "Near field of woofer", "Impedance", "foo (not read by this version)".
[[nodiscard]] std::string spoken_kind(const Take& take);
/// Key of a set's take that says why it is none of a microphone's: "worked", "published".
inline constexpr std::string_view kNotMeasured = "not_measured";
/// Made by a microphone or a jig, or given as such; not worked out of others, nor published.
[[nodiscard]] inline bool is_measured(const Take& take) {
  return take.form != RawForm::kWorked && take.form != RawForm::kChartPicture &&
         !take.conditions.more_json.contains(std::string(kNotMeasured));
}
[[nodiscard]] inline bool is_pressure(const Take& take) {
  return is_pressure(take.kind());
}

/// Takes that are read together.
enum class GroupKind {
  kOrbit,      ///< one distance and drive, many angles
  kNearField,  ///< the radiating parts of one state, before each of them
  kLevels,     ///< one place, several drives
  kRepeats,    ///< the same again
};
[[nodiscard]] std::string_view word_of(GroupKind kind);
[[nodiscard]] std::optional<GroupKind> group_kind_of(std::string_view word);

/// Colours of takes that were laid as a group: one hue, shades from its first member to its last.
inline constexpr int kGroupColours = 10000;
inline constexpr int kShades = 1000;  ///< of one hue
[[nodiscard]] inline int group_colour(int hue, double share) {
  return kGroupColours + hue * kShades + static_cast<int>(share * (kShades - 1));
}

struct TakeGroup {
  Id id = 0;
  Id subject_id = 0;
  Id variant_id = 0;
  GroupKind kind = GroupKind::kOrbit;
  std::string name;
};
/// Where a member stands in its group: degrees (vertical ones after all horizontal ones), volts, or
/// the order in which it was taken.
[[nodiscard]] double position_in(GroupKind kind, const Take& take);

/// How a subject's takes of one role are analysed; one for all its variants, so that compared
/// curves are treated alike.
struct Recipe {
  double gate_s = 0.0040;  ///< length after the arrival
  bool gated = true;
  bool continue_tail = true;  ///< see GateTail
  int smoothing = 24;         ///< 1/N octave of responses; 0 none. Impedances are never smoothed
  friend bool operator==(const Recipe&, const Recipe&) = default;
};
/// Near fields carry no gate: the room is far weaker than the source there, and a gate would only
/// take the bass away.
[[nodiscard]] Recipe usual_recipe(TakeRole role);

}  // namespace lalometer
