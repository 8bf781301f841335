#include "workbench/report/report_lanes.h"

#include <fmt/format.h>

#include "base/constants.h"
#include "base/text.h"
#include "workbench/level/level_nodes.h"
#include "workbench/reading/lane_parts.h"

namespace lalometer {

namespace {

LaidTake laid(const Take& take, const std::string& variant, const Response& curve,
              std::shared_ptr<const NearFields> near = nullptr) {
  auto analysis = std::make_shared<Analysis>(Analysis{.curve = curve, .notes = {}});
  analysis->near = std::move(near);
  return {.take = take, .variant_name = variant, .analysis = std::move(analysis)};
}

}  // namespace

ReportScore report_score(const ReportMaterial& m) {
  ReportScore score;
  std::shared_ptr<const SubjectGeometry> geometry;
  if (m.preview.subject)
    if (auto g = geometry_of(m.preview.subject->description, m.where))
      geometry = std::make_shared<const SubjectGeometry>(*std::move(g));
  if (m.ahead != nullptr) {
    LaidTake one = laid(m.ahead->take, m.variant, *m.ahead->curve);
    one.geometry = geometry;
    one.recipe = m.ahead->recipe.value_or(Recipe{});
    if (m.angles) {
      LaidSet set;
      set.reading = m.angles.value;
      one.set = std::move(set);
    }
    LaidTime time;
    time.distortion = m.usual;
    time.cumulative = m.decay.value;
    one.time = std::make_shared<const LaidTime>(std::move(time));
    score.ahead = one.take.id;
    score.laid.push_back(std::move(one));
  }
  if (m.box) {
    LaidTake one = laid(m.box.value->take, m.variant, m.box.value->impedance);
    one.geometry = geometry;
    one.reading = std::shared_ptr<const ImpedanceReading>(m.box.value, &m.box.value->reading);
    score.impedance = one.take.id;
    score.laid.push_back(std::move(one));
  }
  if (m.near) {
    constexpr Id kBass = 1'000'000;
    Take take;
    take.id = kBass;
    take.setup = NearFieldSetup{};
    LaidTake one = laid(take, m.variant, m.near.value->near.sum,
                        std::shared_ptr<const NearFields>(m.near.value, &m.near.value->near));
    one.geometry = geometry;
    score.bass = kBass;
    score.laid.push_back(std::move(one));
  }
  return score;
}

LaneContent report_lane(const ReportScore& score, const std::string& kind, Id chosen) {
  const LaneKind* found = lane_kind(kind);
  if (found == nullptr) return {};
  LaneContent content = found->build(score.laid, chosen);
  // Nothing is printed beyond its validity.
  for (LaneLayer& layer : content.layers)
    if (auto* curves = std::get_if<CurveLayer>(&layer))
      for (Series& s : curves->curves)
        for (std::size_t i = 0; i < s.x.size(); ++i)
          if (s.x[i] < s.valid_low || s.x[i] > s.valid_high) s.y[i] = kNaN;
  return content;
}

LaneContent level_lane_of(std::string title, std::string subtitle) {
  LaneContent content;
  content.title = std::move(title);
  content.subtitle = std::move(subtitle);
  content.left = {.quantity = AxisQuantity::kLevel,
                  .scale = AxisScale::kDecibel,
                  .unit = "dB",
                  .low = 50.0,
                  .high = 100.0};
  return content;
}

void add_level(LaneContent& content, const Response& curve, std::string label, int style,
               bool chosen) {
  Series s;
  s.label = std::move(label);
  s.style = style;
  s.chosen = chosen;
  s.x.assign(curve.axis().hz().begin(), curve.axis().hz().end());
  // Nothing is printed beyond its validity.
  for (std::size_t i = 0; i < curve.size(); ++i)
    s.y.push_back(curve.valid().contains(curve.axis()[i]) ? curve.level_db(i) : kNaN);
  s.valid_low = curve.valid().low_hz;
  s.valid_high = curve.valid().high_hz;
  content.add_curves().push_back(std::move(s));
}

void fit_levels(LaneContent& content) {
  if (const auto range = extent(content.curves())) fit_level_scale(content.left, *range);
  hatch_invalid(content);
}

std::string conditions_of(const ImportItem& item) {
  std::vector<std::string> parts;
  // An item of a book is read by its recipe, one of a set by what the set tells of it.
  const Conditions& c = item.take.conditions;
  const Recipe recipe = item.recipe.value_or(Recipe{});
  if (item.take.kind() == TakeKind::kResponse) {
    Recipe own = recipe;
    if (!item.recipe && c.gate_s > 0.0) own.gate_s = c.gate_s;
    std::optional<double> gate_s;
    if (item.stage)
      gate_s = curve_stage(*item.stage, own).gate_s;
    else if (c.gate_s > 0.0)
      gate_s = c.gate_s;
    if (gate_s) parts.push_back(fmt::format("gate {:.1f} ms", 1e3 * *gate_s));
  }
  const auto told = c.more_json.find("smoothing");
  const std::string smoothing =
      item.recipe && item.take.kind() != TakeKind::kImpedance && recipe.smoothing > 0
          ? fmt::format("{}", recipe.smoothing)
      : !item.recipe && told != c.more_json.end() ? told->second
                                                  : std::string();
  if (!smoothing.empty()) parts.push_back(fmt::format("1/{} octave", smoothing));
  if (item.take.conditions.drive_v > 0.0)
    parts.push_back(three_digits(item.take.conditions.drive_v) + " V");
  if (const auto* near = std::get_if<NearFieldSetup>(&item.take.setup))
    parts.push_back(fmt::format("{} mm", three_digits(near->distance_mm)));
  else if (const Placement p = place_of(item.take);
           p.distance_m > 0.0 && item.take.kind() != TakeKind::kImpedance)
    parts.push_back(fmt::format("{:.2f} m", p.distance_m));
  parts.push_back(fmt::format("{:.1f} °C", item.take.conditions.temperature_c));
  return fmt::format("{}", fmt::join(parts, ", "));
}

}  // namespace lalometer
