#include "diagnosis/next_step.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <span>
#include <string_view>

namespace lalometer {
namespace {

/// Below, a take is not worth the words.
constexpr double kLeastGain = 0.02;

/// How far a take moves a cause's odds where the cause is true or false, as a natural logarithm.
struct Weight {
  std::string_view cause;
  double moves;
};

struct Possible {
  const char* code;
  const char* sentence;
  double minutes;
  bool (*there)(const CaseView&);
  std::span<const Weight> weights;
};

bool any_take(const CaseView& v, bool (*is)(const CaseView&, const CaseTake&)) {
  const auto& takes = v.material->takes;
  return std::any_of(takes.begin(), takes.end(), [&](const CaseTake& t) { return is(v, t); });
}

bool whole(const CaseTake& t) {
  return t.kind == CaseTake::Kind::kResponse && t.driver.empty() && t.flipped.empty() &&
         t.condition.empty();
}

/// A driver in the open, or one whose back is: what a box would show does not apply.
bool without_box(const CaseView& v) {
  const std::string& loading = v.material->subject.loading;
  return loading == "free-air" || loading == "large-baffle" || loading == "open-baffle";
}

bool has_side(const CaseView& v) {
  return any_take(v, [](const CaseView&, const CaseTake& t) {
    return whole(t) && std::abs(t.horizontal_deg) >= 19.0 && std::abs(t.horizontal_deg) <= 61.0;
  });
}
bool has_vertical(const CaseView& v) {
  // A single driver has no lobes of two.
  if (v.material->subject.drivers.size() == 1) return true;
  return any_take(v, [](const CaseView&, const CaseTake& t) {
    return whole(t) && std::abs(t.vertical_deg) >= 9.0 && std::abs(t.vertical_deg) <= 46.0;
  });
}
bool has_near_of(const CaseView& v, bool driver) {
  for (const CaseTake& t : v.material->takes)
    if (t.kind == CaseTake::Kind::kNearField &&
        (v.material->subject.driver(t.source) != nullptr) == driver)
      return true;
  return false;
}
bool has_near_cone(const CaseView& v) {
  return has_near_of(v, true);
}
bool has_near_back(const CaseView& v) {
  return (v.material->subject.ports.empty() && v.material->subject.radiators.empty()) ||
         has_near_of(v, false);
}
bool has_free(const CaseView& v) {
  return v.free_impedance != nullptr;
}
bool has_box(const CaseView& v) {
  return without_box(v) || v.box_impedance != nullptr;
}
bool has_large(const CaseView& v) {
  return v.material->subject.loading == "large-baffle" ||
         any_take(v,
                  [](const CaseView&, const CaseTake& t) { return t.condition == "large-baffle"; });
}
bool has_alone(const CaseView& v) {
  return v.material->subject.drivers.size() < 2 ||
         any_take(v, [](const CaseView&, const CaseTake& t) {
           return t.kind == CaseTake::Kind::kResponse && !t.driver.empty();
         });
}
bool has_flipped(const CaseView& v) {
  return v.material->subject.drivers.size() < 2 ||
         any_take(v, [](const CaseView&, const CaseTake& t) { return !t.flipped.empty(); });
}
bool has_damped(const CaseView& v) {
  if (without_box(v)) return true;
  const auto& all = v.material->variants;
  return std::any_of(all.begin(), all.end(),
                     [](const CaseVariant& each) { return each.change == "damping"; });
}

constexpr Weight kSide[] = {{"edge-diffraction", 1.4}, {"driver-breakup", 1.3},
                            {"notch-filter", 1.2},     {"suspension-resonance", 0.9},
                            {"panel-resonance", 1.0},  {"directivity-mismatch", 2.2},
                            {"beaming", 2.2},          {"crossover-phase", 0.5},
                            {"reflection", 0.5}};
constexpr Weight kVertical[] = {{"crossover-phase", 2.4},
                                {"driver-polarity", 2.4},
                                {"source-spacing-lobing", 2.4},
                                {"directivity-mismatch", 0.6},
                                {"driver-breakup", 0.5}};
constexpr Weight kFlipped[] = {
    {"driver-polarity", 2.6}, {"crossover-phase", 1.4}, {"notch-filter", 0.6}};
constexpr Weight kAlone[] = {{"crossover-phase", 2.4},
                             {"driver-polarity", 2.5},
                             {"driver-breakup", 1.2},
                             {"notch-filter", 1.2}};
constexpr Weight kBoxImpedance[] = {
    {"box-leak", 2.4},        {"overdamped-port", 2.4},       {"mistuned-box", 2.4},
    {"notch-filter", 2.6},    {"cabinet-standing-wave", 2.4}, {"passive-radiator-notch", 2.0},
    {"panel-resonance", 1.2}, {"port-pipe-resonance", 0.8},   {"suspension-resonance", 1.4},
    {"driver-breakup", 0.8}};
constexpr Weight kFreeAirImpedance[] = {{"suspension-resonance", 2.8},  {"driver-breakup", 2.4},
                                        {"cabinet-standing-wave", 2.0}, {"panel-resonance", 1.8},
                                        {"mistuned-box", 1.2},          {"box-leak", 1.3},
                                        {"overdamped-port", 0.8},       {"notch-filter", 0.8}};
constexpr Weight kNearCone[] = {{"baffle-step", 1.2},           {"edge-diffraction", 1.2},
                                {"suspension-resonance", 1.1},  {"panel-resonance", 0.8},
                                {"cabinet-standing-wave", 0.9}, {"box-leak", 0.8},
                                {"overdamped-port", 0.8}};
constexpr Weight kNearBack[] = {{"port-pipe-resonance", 2.4},
                                {"passive-radiator-notch", 2.2},
                                {"overdamped-port", 1.5},
                                {"box-leak", 1.5}};
constexpr Weight kLargeBaffle[] = {{"edge-diffraction", 2.4},
                                   {"driver-breakup", 1.8},
                                   {"baffle-step", 1.8},
                                   {"dipole-cancellation", 1.6},
                                   {"cavity-resonance", 1.2}};
constexpr Weight kDamped[] = {
    {"cabinet-standing-wave", 1.6}, {"panel-resonance", 1.2}, {"port-pipe-resonance", 0.6}};

const Possible kPossible[] = {
    {"side", "Turn 30 degrees and take again: a bending cone or a trap stays, an edge goes.", 1.0,
     has_side, kSide},
    {"vertical", "Take 15 and 30 degrees up and down: two sources show there.", 3.0, has_vertical,
     kVertical},
    {"flipped", "Flip one driver and take again: a wrong polarity fills, a wrong phase stays.", 2.0,
     has_flipped, kFlipped},
    {"alone", "Take each driver alone, on one clock: their phase where they meet tells.", 4.0,
     has_alone, kAlone},
    {"box-impedance", "Take the impedance in the box: it holds tuning, losses, waves and traps.",
     2.0, has_box, kBoxImpedance},
    {"free-air-impedance",
     "Take the driver's impedance in free air: what is there too is the driver's.", 8.0, has_free,
     kFreeAirImpedance},
    {"near-cone", "Take the cone's near field: baffle, edges and room are not in it.", 2.0,
     has_near_cone, kNearCone},
    {"near-back", "Take the near field of the port or the radiator: its output and its pipe show.",
     2.0, has_near_back, kNearBack},
    {"large-baffle", "Take the driver in a large baffle: if it is gone, it is the edge.", 30.0,
     has_large, kLargeBaffle},
    {"damped", "Line the box or fill it and take the impedance again: a wave of the air shrinks.",
     15.0, has_damped, kDamped},
};

}  // namespace

std::optional<NextTake> next_take(const CaseView& view, const std::vector<FindingCause>& causes) {
  const Possible* best = nullptr;
  double most = kLeastGain;
  for (const Possible& p : kPossible) {
    if (p.there(view)) continue;
    double gain = 0.0;
    for (const FindingCause& c : causes)
      for (const Weight& w : p.weights)
        if (w.cause == c.cause) gain += c.probability * (1.0 - c.probability) * w.moves * w.moves;
    gain /= 1.0 + p.minutes;
    if (gain <= most) continue;
    most = gain;
    best = &p;
  }
  if (best == nullptr) return std::nullopt;
  return NextTake{best->code, fmt::format("{} ({:.0f} min)", best->sentence, best->minutes),
                  best->minutes};
}

}  // namespace lalometer
