#include "workbench/reading/lane_content.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "workbench/level/level_nodes.h"
#include "workbench/reading/lane_parts.h"
#include "workbench/reading/lanes/lanes.h"

namespace lalometer {
const std::vector<LaneKind>& lane_kinds() {
#define LALOMETER_MAKE_LANE(name) lanes::name(),
  static const std::vector<LaneKind> kinds = {LALOMETER_LANES(LALOMETER_MAKE_LANE)};
#undef LALOMETER_MAKE_LANE
  return kinds;
}

Node<LaneContent> lane_node(const LaneKind& kind, const std::vector<LaidTake>& laid, Id chosen) {
  constexpr int kLaneVersion = 5;
  std::vector<std::string> inputs = {std::to_string(chosen)};
  for (const LaidTake& one : laid) {
    inputs.push_back(fmt::format("{} {} {} {} {}", one.take.id, one.take.colour,
                                 one.take.variant_id, one.analysis != nullptr,
                                 one.model != nullptr));
    for (const std::string* text : {&one.take.name, &one.take.conditions.sample, &one.variant_name,
                                    &one.variant_change, &one.result_key, &one.subject_key})
      inputs.push_back(*text);
    inputs.push_back(fmt::format("{} {} {} {}", one.recipe.smoothing, one.take.conditions.drive_v,
                                 place_of(one.take).distance_m, one.nominal_ohm.value_or(0.0)));
    if (kind.wants_angles && one.set)
      inputs.push_back(fmt::format("{} {} {} {} {} {}", one.set->key, one.set->pending,
                                   one.set->reading != nullptr, one.set->advice != nullptr,
                                   static_cast<int>(one.set->look.reference),
                                   one.set->look.degrees) +
                       one.set->problem + one.set->name);
    if (kind.wants_time != 0 && one.time) inputs.push_back(one.time->key + one.time->problem);
  }
  return {node_key("lane-" + kind.id, kLaneVersion, inputs),
          [&kind, laid, chosen](const Making&) -> Result<LaneContent> {
            LaneContent content = kind.build(laid, chosen);
            const bool waits = std::any_of(laid.begin(), laid.end(), [&](const LaidTake& one) {
              if (kind.wants_angles) return one.set && one.set->pending;
              if (kind.wants_time != 0) return false;  // it says so itself
              return kind.needs(one) && one.analysis == nullptr && has_curve(one.take);
            });
            if (waits) content.empty_text = "Being analysed…";
            return content;
          },
          [](const LaneContent& content) {
            const auto* map = content.find<ValueMap>();
            std::size_t points = map != nullptr ? map->values.size() : 0;
            for (const Side side : {Side::kLeft, Side::kRight})
              for (const Series& s : content.curves(side)) points += 2 * s.x.size();
            return 1024 + points * sizeof(double);
          }};
}

const LaneKind* lane_kind(const std::string& id) {
  for (const LaneKind& kind : lane_kinds()) {
    if (kind.id == id) return &kind;
  }
  return nullptr;
}

std::string series_label(const LaidTake& laid, const std::vector<LaidTake>& all) {
  bool variants = false;
  bool names = false;
  bool samples = false;
  for (const LaidTake& other : all) {
    if (is_pressure(other.take) != is_pressure(laid.take)) continue;
    variants = variants || other.take.variant_id != laid.take.variant_id;
    names = names || other.take.name != laid.take.name;
    samples = samples || other.take.conditions.sample != laid.take.conditions.sample;
  }
  const bool by_variant = variants && !laid.variant_name.empty();
  std::string label = by_variant ? laid.variant_name : laid.take.name;
  if (by_variant && names) label = laid.take.name + ", " + laid.variant_name;
  const std::string& sample = laid.take.conditions.sample;
  if (samples && !sample.empty()) label += label == laid.take.name ? " " + sample : ", " + sample;
  return label;
}

std::vector<CursorValue> cursor_values(const std::vector<LaidTake>& laid, double frequency_hz) {
  std::vector<CursorValue> values;
  for (const LaneKind& kind : lane_kinds()) {
    if (kind.at_cursor == nullptr) continue;
    for (const LaidTake& one : laid) {
      if (!kind.needs(one)) continue;
      CursorValue v{.take_id = one.take.id,
                    .group = kind.title,
                    .label = kind.wants_angles ? set_label(one) : series_label(one, laid),
                    .style = one.take.colour,
                    .text = "–"};
      if (one.analysis) {
        const Response& curve = one.analysis->curve;
        const std::complex<double> at = value_at(curve, frequency_hz);
        v.valid = curve.valid().contains(frequency_hz) && std::isfinite(at.real());
        if (std::isfinite(at.real())) v.text = kind.at_cursor(one, frequency_hz, at);
      }
      values.push_back(std::move(v));
    }
  }
  return values;
}

std::vector<std::string> unlike(const std::vector<LaidTake>& laid) {
  struct Span {
    double low = 1e300;
    double high = -1e300;
    void add(double v) {
      low = std::min(low, v);
      high = std::max(high, v);
    }
    [[nodiscard]] bool differs() const { return high > low * (1.0 + 1e-6); }
  };
  Span gate, drive, distance;
  std::vector<int> smoothing;
  std::vector<Id> rigs;
  bool ungated = false;
  for (const LaidTake& one : laid) {
    // Near fields are another thing, not another treatment.
    if (!one.analysis || one.take.kind() != TakeKind::kResponse) continue;
    if (one.analysis->gate_s)
      gate.add(*one.analysis->gate_s * 1e3);
    else if (one.analysis->impulse)
      ungated = true;
    drive.add(one.take.conditions.drive_v);
    distance.add(place_of(one.take).distance_m);
    const int own =
        one.take.form == RawForm::kChartPicture && one.take.conditions.chart.smoothing > 0
            ? one.take.conditions.chart.smoothing
            : one.recipe.smoothing;
    if (std::find(smoothing.begin(), smoothing.end(), own) == smoothing.end())
      smoothing.push_back(own);
    if (one.take.rig_id != 0 && std::find(rigs.begin(), rigs.end(), one.take.rig_id) == rigs.end())
      rigs.push_back(one.take.rig_id);
  }
  std::vector<std::string> reasons;
  if (gate.differs())
    reasons.push_back(fmt::format("gate {:.2f} to {:.2f} ms", gate.low, gate.high));
  if (ungated && gate.high > 0.0) reasons.emplace_back("some are gated, some not");
  if (smoothing.size() > 1) {
    std::string text = "smoothing";
    std::sort(smoothing.begin(), smoothing.end());
    for (const int n : smoothing) text += n == 0 ? " none" : fmt::format(" 1/{}", n);
    reasons.push_back(text);
  }
  if (drive.differs())
    reasons.push_back(
        fmt::format("drive {} to {} V", three_digits(drive.low), three_digits(drive.high)));
  if (distance.differs())
    reasons.push_back(fmt::format("distance {} to {} m", three_digits(distance.low),
                                  three_digits(distance.high)));
  if (rigs.size() > 1) reasons.emplace_back("microphones or their calibrations");
  return reasons;
}

std::vector<KeyFigure> key_figures(const LaidTake& laid) {
  std::vector<KeyFigure> figures;
  if (!laid.analysis) return figures;
  std::vector<const LaneKind*> tallest_first;
  for (const LaneKind& kind : lane_kinds()) {
    if (kind.figures != nullptr && kind.needs(laid)) tallest_first.push_back(&kind);
  }
  std::stable_sort(
      tallest_first.begin(), tallest_first.end(),
      [](const LaneKind* a, const LaneKind* b) { return a->usual_weight > b->usual_weight; });
  for (const LaneKind* kind : tallest_first) {
    for (KeyFigure& f : kind->figures(laid)) figures.push_back(std::move(f));
  }
  return figures;
}

std::vector<Id> telling_takes(const std::vector<Take>& takes) {
  std::vector<Id> telling;
  std::vector<Id> variants;
  for (const bool impedance : {true, false}) {
    for (const Take& t : takes) {
      const Placement place = place_of(t);
      const bool fits = impedance ? t.kind() == TakeKind::kImpedance
                                  : t.kind() == TakeKind::kResponse &&
                                        place.horizontal_deg == 0.0 && place.vertical_deg == 0.0;
      if (!fits || !t.accepted || !has_curve(t) || t.subject_id != takes.front().subject_id)
        continue;
      if (std::find(variants.begin(), variants.end(), t.variant_id) == variants.end()) {
        if (variants.size() == 2) continue;
        variants.push_back(t.variant_id);
      }
      const bool there = std::any_of(takes.begin(), takes.end(), [&](const Take& other) {
        return other.variant_id == t.variant_id && other.kind() == t.kind() &&
               std::find(telling.begin(), telling.end(), other.id) != telling.end();
      });
      if (!there) telling.push_back(t.id);
    }
  }
  return telling;
}

std::vector<ExplainedWiggle> explained_loops(const LaidTake& laid,
                                             const std::vector<LaidTake>& all) {
  if (!laid.reading) return {};
  WiggleContext context;
  const std::string own = condition_of(laid.take);
  const bool boxed = own != "free-air" && own != "added-mass";
  if (boxed) context.geometry = laid.geometry.get();
  for (const LaidTake& other : all) {
    if (!other.reading || other.take.id == laid.take.id ||
        other.take.subject_id != laid.take.subject_id)
      continue;
    const std::string condition = condition_of(other.take);
    if (condition == "free-air" && boxed && other.reading->driver &&
        (laid.take.conditions.driver.empty() ||
         laid.take.conditions.driver == other.take.conditions.driver)) {
      context.free_air = other.reading->wiggles;
    } else if (condition == own && boxed && other.take.variant_id != laid.take.variant_id &&
               other.reading->motor() != nullptr) {
      const auto tells = [&](const char* change) {
        return laid.variant_change == change || other.variant_change == change;
      };
      context.others.push_back(
          {other.variant_name, tells("damping"), tells("port"), other.reading->wiggles});
    }
  }
  return explained(laid.reading->wiggles, context);
}

}  // namespace lalometer
