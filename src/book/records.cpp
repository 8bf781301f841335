#include "book/records.h"

#include <array>
#include <utility>

namespace lalometer {
namespace {

constexpr std::array<std::pair<DriverKind, std::string_view>, 7> kDriverWords = {{
    {DriverKind::kLoudspeaker, "loudspeaker"},
    {DriverKind::kWoofer, "woofer"},
    {DriverKind::kMidrange, "midrange"},
    {DriverKind::kTweeter, "tweeter"},
    {DriverKind::kFullrange, "fullrange"},
    {DriverKind::kCompressionDriver, "compression-driver"},
    {DriverKind::kSubwoofer, "subwoofer"},
}};

}  // namespace

std::string_view word_of(DriverKind kind) {
  for (const auto& [candidate, word] : kDriverWords) {
    if (candidate == kind) return word;
  }
  return "loudspeaker";
}

std::optional<DriverKind> driver_kind_of(std::string_view word) {
  for (const auto& [kind, candidate] : kDriverWords) {
    if (candidate == word) return kind;
  }
  return std::nullopt;
}

std::string_view word_of(TakeKind kind) {
  return kind == TakeKind::kImpedance ? "impedance" : "response";
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
  }
  return "recording";
}

}  // namespace lalometer
