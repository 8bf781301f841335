#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

/// What a take is of: where the microphone stood, before which source, under which load. A variant
/// type: each kind has just what it needs.
namespace lalometer {

/// Place of the microphone in the far field. Angles turn the loudspeaker about its baffle's origin;
/// one of the two is 0.
struct Placement {
  double distance_m = 1.0;
  double horizontal_deg = 0.0;  ///< positive: microphone to the listener's right
  double vertical_deg = 0.0;    ///< positive: microphone above the axis
  std::string listening_axis;   ///< named where it is not the 0 degree axis; usually empty
  friend bool operator==(const Placement&, const Placement&) = default;
};

struct FarFieldSetup {
  Placement place = {};
  /// "in-box", "large-baffle"; empty: as it stands.
  std::string condition = {};
  friend bool operator==(const FarFieldSetup&, const FarFieldSetup&) = default;
};

struct NearFieldSetup {
  std::string source;        ///< id of the radiating part: driver, port or passive radiator
  double distance_mm = 5.0;  ///< from the plane it radiates from
  friend bool operator==(const NearFieldSetup&, const NearFieldSetup&) = default;
};

struct ImpedanceSetup {
  std::string condition = {};  ///< "free-air", "in-box", "added-mass", "test-box"
  double added_mass_g = 0.0;   ///< of "added-mass"
  double test_box_l = 0.0;     ///< of "test-box"
  friend bool operator==(const ImpedanceSetup&, const ImpedanceSetup&) = default;
};

/// One of several drives at one place: what it adds and where it compresses.
struct LevelStepSetup {
  Placement place = {};
  friend bool operator==(const LevelStepSetup&, const LevelStepSetup&) = default;
};

struct MultitoneSetup {
  Placement place = {};
  std::vector<double> tones_hz = {};
  friend bool operator==(const MultitoneSetup&, const MultitoneSetup&) = default;
};

/// Single tones one after the other (steady_tones.h): what a loudspeaker adds to each once it has
/// settled.
struct SteadyTonesSetup {
  Placement place = {};
  std::string source = {};  ///< of a near field: the part before the microphone; empty: far field
  std::vector<double> tones_hz = {};
  friend bool operator==(const SteadyTonesSetup&, const SteadyTonesSetup&) = default;
};

/// A kind that this version does not read: kept whole, never read as something else.
struct UnknownSetup {
  std::string kind;
  std::string json = "{}";
  friend bool operator==(const UnknownSetup&, const UnknownSetup&) = default;
};

using TakeSetup = std::variant<FarFieldSetup, NearFieldSetup, ImpedanceSetup, LevelStepSetup,
                               MultitoneSetup, SteadyTonesSetup, UnknownSetup>;

/// In the order of the variant's types.
enum class TakeKind {
  kResponse,
  kNearField,
  kImpedance,
  kLevelStep,
  kMultitone,
  kSteadyTones,
  kUnknown
};
[[nodiscard]] TakeKind kind_of(const TakeSetup& setup);
/// "response", "near-field", "impedance", "level-step", "multitone", "steady-tones", "unknown".
[[nodiscard]] std::string_view word_of(TakeKind kind);
/// Nothing for a word that is none of the known kinds.
[[nodiscard]] std::optional<TakeKind> take_kind_of(std::string_view word);
/// The same, and an unknown kind's own word.
[[nodiscard]] std::string kind_word(const TakeSetup& setup);

/// Microphone's place; of a near field its distance alone, of an impedance the default.
[[nodiscard]] Placement place_of(const TakeSetup& setup);
/// "free-air", "in-box", "large-baffle", ...; "near-field" of one; empty where it does not matter.
[[nodiscard]] std::string condition_of(const TakeSetup& setup);
/// Sound pressure at a microphone: response, near field, level step.
[[nodiscard]] bool is_pressure(TakeKind kind);

/// What a recipe is for: curves of one subject and role are treated alike.
enum class TakeRole { kFarField, kNearField };
[[nodiscard]] TakeRole role_of(TakeKind kind);
[[nodiscard]] std::string_view word_of(TakeRole role);

/// Without the kind, which stands beside it. An unknown setup gives its own text back.
[[nodiscard]] std::string to_json(const TakeSetup& setup);
[[nodiscard]] TakeSetup setup_from_json(const std::string& kind, const std::string& text);

}  // namespace lalometer
