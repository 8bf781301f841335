#include "book/records.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <iterator>
#include <utility>

namespace lalometer {
namespace {

constexpr std::array<std::pair<SubjectKind, std::string_view>, 7> kDriverWords = {{
    {SubjectKind::kLoudspeaker, "loudspeaker"},
    {SubjectKind::kWoofer, "woofer"},
    {SubjectKind::kMidrange, "midrange"},
    {SubjectKind::kTweeter, "tweeter"},
    {SubjectKind::kFullrange, "fullrange"},
    {SubjectKind::kCompressionDriver, "compression-driver"},
    {SubjectKind::kSubwoofer, "subwoofer"},
}};

}  // namespace

std::string_view word_of(SubjectKind kind) {
  for (const auto& [candidate, word] : kDriverWords) {
    if (candidate == kind) return word;
  }
  return "loudspeaker";
}

std::optional<SubjectKind> subject_kind_of(std::string_view word) {
  for (const auto& [kind, candidate] : kDriverWords) {
    if (candidate == word) return kind;
  }
  return std::nullopt;
}

bool is_variant_change(std::string_view word) {
  return std::find(std::begin(kVariantChanges), std::end(kVariantChanges), word) !=
         std::end(kVariantChanges);
}

std::string guessed_change(std::string_view text) {
  std::string low(text);
  for (char& c : low) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  static const std::vector<std::pair<std::string, std::vector<std::string>>> words = {
      {"damping", {"damp", "lined", "lining", "felt", "fill", "stuff", "wool", "foam"}},
      {"port", {"port", "slot"}},
      {"panel", {"panel", "brace", "board"}},
      {"baffle", {"baffle", "wing", "edge"}},
      {"crossover", {"crossover", "polarity"}},
  };
  for (const auto& [change, signs] : words) {
    for (const std::string& sign : signs)
      if (low.find(sign) != std::string::npos) return change;
  }
  return {};
}

std::string_view word_of(RawForm form) {
  switch (form) {
    case RawForm::kRecording:
      return "recording";
    case RawForm::kTextFile:
      return "text";
    case RawForm::kImpulseFile:
      return "impulse-response";
    case RawForm::kSweepFile:
      return "sweep";
    case RawForm::kSoundFile:
      return "sound";
    case RawForm::kWorked:
      return "worked";
    case RawForm::kChartPicture:
      return "chart";
  }
  return "recording";
}

namespace {
constexpr std::array<std::pair<GroupKind, std::string_view>, 4> kGroupWords = {{
    {GroupKind::kOrbit, "orbit"},
    {GroupKind::kNearField, "near-field"},
    {GroupKind::kLevels, "levels"},
    {GroupKind::kRepeats, "repeats"},
}};
}  // namespace

std::string spoken_kind(const Take& take) {
  if (take.form == RawForm::kWorked)
    return take.conditions.worked.how == "join"       ? "Near and far field joined"
           : take.conditions.worked.how == "near-sum" ? "Sum of near fields"
                                                      : "Mean of takes";
  if (take.form == RawForm::kChartPicture) return "Published curve";
  switch (take.kind()) {
    case TakeKind::kResponse:
      return "Response";
    case TakeKind::kNearField:
      return "Near field of " + std::get<NearFieldSetup>(take.setup).source;
    case TakeKind::kImpedance:
      return "Impedance";
    case TakeKind::kLevelStep:
      return "Level step";
    case TakeKind::kMultitone:
      return "Multitone";
    case TakeKind::kSteadyTones:
      return "Steady tones";
    case TakeKind::kUnknown:
      break;
  }
  return kind_word(take.setup) + " (not read by this version)";
}

std::string_view word_of(GroupKind kind) {
  for (const auto& [candidate, word] : kGroupWords) {
    if (candidate == kind) return word;
  }
  return "orbit";
}

std::optional<GroupKind> group_kind_of(std::string_view word) {
  for (const auto& [kind, candidate] : kGroupWords) {
    if (candidate == word) return kind;
  }
  return std::nullopt;
}

double position_in(GroupKind kind, const Take& take) {
  switch (kind) {
    case GroupKind::kOrbit: {
      const Placement place = place_of(take);
      return place.vertical_deg != 0.0 ? 1000.0 + place.vertical_deg : place.horizontal_deg;
    }
    case GroupKind::kLevels:
      return take.conditions.drive_v;
    case GroupKind::kNearField:
    case GroupKind::kRepeats:
      return static_cast<double>(take.id);
  }
  return 0.0;
}

Recipe usual_recipe(TakeRole role) {
  Recipe recipe;
  recipe.gated = role == TakeRole::kFarField;
  return recipe;
}

}  // namespace lalometer
