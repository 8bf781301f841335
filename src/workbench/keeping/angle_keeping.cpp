#include "workbench/keeping/angle_keeping.h"

#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>

#include "base/json_text.h"
#include "exchange/json_read.h"
#include "workbench/spin/equalise_study.h"

namespace lalometer {

using Json = nlohmann::json;

namespace {

constexpr const char* kReferences[] = {"axis", "listening-window", "angle", "nothing"};
constexpr const char* kCurves[] = {"on-axis", "listening-window", "predicted-in-room"};

bool flag(const Json& json, const char* key, bool otherwise) {
  const auto found = json.find(key);
  return found == json.end() || !found->is_boolean() ? otherwise : found->get<bool>();
}

}  // namespace

std::string to_json(const KeptAngles& k) {
  const Json json = {{"horizontal_axis_deg", k.view.horizontal_axis_deg},
                     {"vertical_axis_deg", k.view.vertical_axis_deg},
                     {"fall_db", k.view.fall_db},
                     {"mirror", k.view.mirror},
                     {"extend", k.view.extend},
                     {"reference", kReferences[static_cast<std::size_t>(k.look.reference)]},
                     {"reference_deg", k.look.degrees},
                     {"for", kCurves[static_cast<std::size_t>(k.wish.of)]},
                     {"slope", k.wish.slope},
                     {"filters", k.wish.filters},
                     {"max_boost_db", k.wish.max_boost_db},
                     {"sample_rate_hz", k.wish.sample_rate_hz}};
  return dumped(json);
}

KeptAngles angles_from_json(const std::string& text) {
  KeptAngles k;
  const Json json = parsed_json(text);
  if (!json.is_object()) return k;
  k.view.horizontal_axis_deg =
      std::clamp(json_number(json, "horizontal_axis_deg", 0.0), -90.0, 90.0);
  k.view.vertical_axis_deg = std::clamp(json_number(json, "vertical_axis_deg", 0.0), -90.0, 90.0);
  k.view.fall_db = std::clamp(json_number(json, "fall_db", 6.0), 0.5, 40.0);
  k.view.mirror = flag(json, "mirror", false);
  k.view.extend = flag(json, "extend", true);
  const std::string reference = json_text(json, "reference");
  for (std::size_t i = 0; i < std::size(kReferences); ++i)
    if (reference == kReferences[i]) k.look.reference = static_cast<MapReference>(i);
  k.look.degrees = std::clamp(json_number(json, "reference_deg", 30.0), -180.0, 180.0);
  k.wish.of = equalise_for(json_text(json, "for")).value_or(EqualiseFor::kListeningWindow);
  k.wish.slope = flag(json, "slope", false);
  k.wish.filters = static_cast<int>(std::clamp(json_number(json, "filters", 5.0), 0.0, 20.0));
  k.wish.max_boost_db = std::clamp(json_number(json, "max_boost_db", 3.0), 0.0, 24.0);
  k.wish.sample_rate_hz =
      std::clamp(json_number(json, "sample_rate_hz", 48000.0), 8000.0, 768000.0);
  return k;
}

std::string filters_text(const EqualiseAdvice& advice, double sample_rate_hz) {
  std::string text;
  for (const BandFilter& f : advice.equalisation.filters) {
    const Biquad q = biquad_of(f, sample_rate_hz);
    text += fmt::format(
        "{} {:.1f} Hz, {:+.2f} dB, Q {:.3f}; at {:.0f} Hz: b {:.10f} {:.10f} {:.10f}, a 1 {:.10f} "
        "{:.10f}\n",
        word_of(f.kind), f.frequency_hz, f.gain_db, f.q, sample_rate_hz, q.b[0], q.b[1], q.b[2],
        q.a[1], q.a[2]);
  }
  return text;
}

}  // namespace lalometer
