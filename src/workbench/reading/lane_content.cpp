#include "workbench/reading/lane_content.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "acoustics/impedance/box_signature.h"
#include "acoustics/spectrum/figures.h"
#include "base/constants.h"
#include "base/text.h"
#include "workbench/design/predictions.h"
#include "workbench/reading/lane_parts.h"

namespace lalometer {
bool shows(const LaidTake& laid, TakeKind kind) {
  if (!laid.analysis) return false;
  return kind == TakeKind::kResponse ? is_pressure(laid.take) : laid.take.kind() == kind;
}

Series series_for(const LaidTake& laid, const std::vector<LaidTake>& all, Id chosen) {
  const Response& curve = laid.analysis->curve;
  const auto hz = curve.axis().hz();
  return {.take_id = laid.take.id,
          .label = series_label(laid, all),
          .style = laid.take.colour,
          .chosen = laid.take.id == chosen,
          .x = {hz.begin(), hz.end()},
          .y = {},
          .valid_low = curve.valid().low_hz,
          .valid_high = curve.valid().high_hz};
}

/// Lowest and highest finite value where valid, over all series.
std::optional<std::pair<double, double>> extent(const std::vector<Series>& all) {
  double low = std::numeric_limits<double>::infinity();
  double high = -low;
  for (const Series& s : all) {
    for (std::size_t i = 0; i < s.x.size(); ++i) {
      if (!std::isfinite(s.y[i]) || s.x[i] < s.valid_low || s.x[i] > s.valid_high ||
          s.x[i] < 20.0 || s.x[i] > 20000.0)
        continue;
      low = std::min(low, s.y[i]);
      high = std::max(high, s.y[i]);
    }
  }
  if (!(high >= low)) return std::nullopt;
  return std::pair{low, high};
}

/// The range in which no curve of the lane means anything is hatched.
void set_hatch(LaneContent& content) {
  double low = 1e300;
  double high = 0.0;
  for (const Series& s : content.left) {
    low = std::min(low, s.valid_low);
    high = std::max(high, s.valid_high);
  }
  if (content.left.empty()) return;
  content.hatch_below = low;
  content.hatch_above = high;
}

/// The take whose subject's model is laid under a lane of its kind: the chosen one's, else the
/// first.
const LaidTake* modelled_take(const std::vector<LaidTake>& laid, TakeKind kind, Id chosen) {
  const LaidTake* found = nullptr;
  for (const LaidTake& one : laid) {
    if (one.model && shows(one, kind) && (found == nullptr || one.take.id == chosen)) found = &one;
  }
  return found;
}

Series model_series(const ModelledCurves& model, const std::vector<double>& y, double shift) {
  Series s;
  s.label = "modelled";
  s.style = kModelStyle;
  s.x = model.frequency_hz;
  for (const double value : y) s.y.push_back(value + shift);
  return s;
}

namespace {

LaneContent level_lane(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "Level";
  content.left_unit = "dB";
  content.fit_low = 50.0;
  content.fit_high = 100.0;
  content.empty_text =
      "No response on the score. Tick one on the shelf, take one under Capture, or drop a file "
      "here.";
  bool relative = false;
  const Take* first = nullptr;
  bool alike = true;
  bool gated = false;
  for (const LaidTake& one : laid) {
    if (!shows(one, TakeKind::kResponse)) continue;
    Series s = series_for(one, laid, chosen);
    const Response& curve = one.analysis->curve;
    for (std::size_t i = 0; i < curve.size(); ++i) s.y.push_back(curve.level_db(i));
    content.left.push_back(std::move(s));
    relative = relative || !one.analysis->calibrated;
    gated = gated || one.analysis->gate_s.has_value();
    if (first == nullptr) first = &one.take;
    alike = alike && one.take.conditions.drive_v == first->conditions.drive_v &&
            place_of(one.take).distance_m == place_of(*first).distance_m;
  }
  set_hatch(content);
  if (gated)
    content.hatch_text = fmt::format("below the gate's {}", frequency_text(content.hatch_below));
  if (first != nullptr) {
    content.subtitle = relative ? "dB re full scale of the file" : "dB re 20 µPa";
    if (!relative && alike)
      content.subtitle += fmt::format(", {} V, {} m", three_digits(first->conditions.drive_v),
                                      three_digits(place_of(*first).distance_m));
    if (!alike) content.subtitle += "; drive or distance differ between the curves";
  }
  if (const LaidTake* one = modelled_take(laid, TakeKind::kResponse, chosen); one && !relative) {
    const double shift =
        20.0 * std::log10(one->take.conditions.drive_v / 2.83 / place_of(one->take).distance_m);
    content.left.insert(content.left.begin(),
                        model_series(*one->model, one->model->level_db, shift));
    if (!one->model->usual_drivers.empty()) content.subtitle += "; model with usual drivers";
  }
  if (const auto range = extent(content.left)) {
    // At least 25 dB high: less would make molehills into mountains; at most 60: a null's depth
    // says little.
    const double top = std::ceil((range->second + 3.0) / 5.0) * 5.0;
    content.fit_high = top;
    content.fit_low =
        std::min(top - 25.0, std::max(std::floor((range->first - 3.0) / 5.0) * 5.0, top - 60.0));
  }
  return content;
}

LaneContent phase_lane(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "Phase";
  content.left_unit = "°";
  content.fit_low = -180.0;
  content.fit_high = 180.0;
  content.empty_text = "No response with phase on the score.";
  for (const LaidTake& one : laid) {
    if (!shows(one, TakeKind::kResponse) || !one.analysis->curve.has_phase()) continue;
    const Response& curve = one.analysis->curve;
    Series s = series_for(one, laid, chosen);
    std::vector<double> x;
    double previous = 0.0;
    for (std::size_t i = 0; i < curve.size(); ++i) {
      const double phase = curve.phase_deg(i);
      // A wrap is a break, not a line across the lane.
      if (i > 0 && std::abs(phase - previous) > 180.0) {
        x.push_back(std::sqrt(s.x[i - 1] * s.x[i]));
        s.y.push_back(kNaN);
      }
      x.push_back(s.x[i]);
      s.y.push_back(phase);
      previous = phase;
    }
    s.x = std::move(x);
    content.left.push_back(std::move(s));
  }
  set_hatch(content);
  if (!content.left.empty()) content.subtitle = "degrees, flight time removed";
  return content;
}

LaneContent impulse_lane(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "Impulse response";
  content.left_unit = "";
  content.over_time = true;
  content.x_low = -0.6;
  content.x_high = 10.0;
  content.fit_low = -0.6;
  content.fit_high = 1.05;
  content.empty_text = "No impulse response on the score. It comes with every recorded response.";
  const LaidTake* shown = nullptr;
  for (const LaidTake& one : laid) {
    if (!one.analysis || !one.analysis->impulse) continue;
    if (shown == nullptr || one.take.id == chosen) shown = &one;
  }
  if (shown == nullptr) return content;
  const Analysis& a = *shown->analysis;
  if (a.gate_s) content.x_high = std::clamp(*a.gate_s * 1e3 * 2.2, 4.0, 200.0);
  for (const LaidTake& one : laid) {
    if (!one.analysis || !one.analysis->impulse) continue;
    const ImpulseResponse& h = *one.analysis->impulse;
    Series s{.take_id = one.take.id,
             .label = series_label(one, laid),
             .style = one.take.colour,
             .chosen = &one == shown,
             .x = {},
             .y = {},
             .valid_low = -1e300};
    const double to = one.analysis->arrival_s + content.x_high / 1e3 * 1.02;
    const double from = one.analysis->arrival_s + content.x_low / 1e3;
    double peak = 1e-30;
    for (std::size_t i = 0; i < h.samples.size(); ++i) {
      const double t = h.time_s(i);
      if (t < from || t > to) continue;
      s.x.push_back((t - one.analysis->arrival_s) * 1e3);
      s.y.push_back(h.samples[i]);
      peak = std::max(peak, std::abs(h.samples[i]));
    }
    for (double& y : s.y) y /= peak;
    content.left.push_back(std::move(s));
  }
  double low = 0.0;
  for (const Series& s : content.left) {
    for (const double y : s.y) low = std::min(low, y);
  }
  content.fit_low = low < -0.9 ? -1.1 : low - 0.12;
  content.subtitle = "re its peak, ms after the arrival";
  if (a.gate_s) {
    content.gate = GateMarks{*a.gate_s * 1e3, std::nullopt};
    content.hatch_above = *a.gate_s * 1e3;
    if (a.first_reflection_s)
      content.gate->reflection_ms = (*a.first_reflection_s - a.arrival_s) * 1e3;
  }
  return content;
}

int style_of(PredictionGroup group) {
  switch (group) {
    case PredictionGroup::kBox:
      return 3;
    case PredictionGroup::kWave:
      return 1;
    case PredictionGroup::kEdge:
      return 0;
    case PredictionGroup::kStep:
      return 4;
    case PredictionGroup::kCrossover:
      return 5;
    case PredictionGroup::kBeaming:
      return 6;
    case PredictionGroup::kLimit:
      return 7;
  }
  return 7;
}

LaneContent predictions_lane(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "Predicted";
  content.empty_text =
      laid.empty() ? "Lay a take on the score: what its subject's sizes predict stands here."
                   : "Nothing is predicted: the subject has no sizes yet. Draw it (Ctrl+G), or "
                     "import a measurement set, which brings them.";
  const LaidTake* shown = nullptr;
  for (const LaidTake& one : laid) {
    if (one.geometry && (shown == nullptr || one.take.id == chosen)) shown = &one;
  }
  if (shown == nullptr) return content;
  PredictionContext context;
  for (const LaidTake& one : laid) {
    if (one.take.subject_id != shown->take.subject_id || !one.analysis || !one.analysis->impulse)
      continue;
    context.gate_s = one.analysis->gate_s.value_or(0.0);
    if (one.analysis->first_reflection_s)
      context.reflection_s = *one.analysis->first_reflection_s - one.analysis->arrival_s;
  }
  for (Prediction& p : predictions_of(*shown->geometry, context)) {
    content.marks.push_back({.name = std::move(p.name),
                             .sentence = std::move(p.sentence),
                             .style = style_of(p.group),
                             .low_hz = p.low_hz,
                             .high_hz = p.high_hz});
  }
  if (!content.marks.empty())
    content.subtitle = "from sizes alone; hover to see each through all lanes";
  // Beside what is predicted what was found: the ripple of the chosen impedance, to be followed
  // too.
  for (const LaidTake& one : laid) {
    if (one.take.id != chosen || !one.reading) continue;
    for (const ExplainedWiggle& e : explained_loops(one, laid)) {
      const double f = e.wiggle.frequency_hz.value;
      content.marks.push_back({.name = "resonance",
                               .sentence = fmt::format("Found in the impedance, {:.1f} % high: {}.",
                                                       e.wiggle.height_percent, e.name),
                               .style = kModelStyle,
                               .low_hz = f,
                               .high_hz = f});
      content.subtitle =
          "from sizes, and what was found in the impedance; hover to see each through all lanes";
    }
  }
  std::stable_sort(
      content.marks.begin(), content.marks.end(),
      [](const LaneMark& a, const LaneMark& b) { return a.centre_hz() < b.centre_hz(); });
  return content;
}

LaneContent edges_lane(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "Edges";
  content.left_unit = "dB";
  content.fit_low = -8.0;
  content.fit_high = 6.0;
  content.empty_text =
      "No model of the edges: the subject's drawing (Plan) needs a baffle and a driver on it.";
  const LaidTake* shown = nullptr;
  for (const LaidTake& one : laid) {
    if (one.model && (shown == nullptr || one.take.id == chosen)) shown = &one;
  }
  if (shown == nullptr) return content;
  int style = 0;
  for (const ModelledCurves::Edges& edges : shown->model->edges) {
    Series s;
    s.label = edges.driver;
    s.style = style++;
    s.x = shown->model->frequency_hz;
    s.y = edges.level_db;
    content.left.push_back(std::move(s));
  }
  if (!content.left.empty())
    content.subtitle = "modelled on the 0° axis at 1 m, dB re an infinite baffle";
  return content;
}

}  // namespace

namespace {

bool is_response(const LaidTake& one) {
  return is_pressure(one.take);
}
bool is_impedance(const LaidTake& one) {
  return one.take.kind() == TakeKind::kImpedance;
}
bool holds_impulse(const LaidTake& one) {
  return has_impulse(one.take);
}
bool is_drawn(const LaidTake& one) {
  return one.geometry != nullptr;
}

}  // namespace

const std::vector<LaneKind>& lane_kinds() {
  static const std::vector<LaneKind> kinds = {
      {"impulse", "Impulse response",
       "What comes out for a pulse at the input. The gate keeps what comes before the room's first "
       "reflection.",
       0.62, impulse_lane, holds_impulse},
      {"level", "Level",
       "Sound pressure level over frequency, at the drive and distance of the take.", 1.35,
       level_lane, is_response},
      {"impedance", "Impedance",
       "What the amplifier sees: the magnitude in ohm and the phase of voltage against current.",
       1.0, impedance_lane, is_impedance},
      {"loops", "Ripple of the impedance",
       "What the fitted circuit leaves of an impedance: standing waves, panels and suspensions "
       "stand out of it as secondary resonances.",
       0.6, loops_lane, is_impedance},
      {"predictions", "Predicted",
       "What sizes alone predict: edges, standing waves, port, crossover, beaming, limits.", 0.9,
       predictions_lane, is_drawn},
      {"edges", "Edges",
       "What the box's edges do to each driver, modelled from its drawing: leave such dips alone, "
       "they change with the angle.",
       0.7, edges_lane, is_drawn, false, true},
      {"phase", "Phase", "Phase of the response with its flight time removed.", 0.7, phase_lane,
       is_response, false},
  };
  return kinds;
}

Node<LaneContent> lane_node(const LaneKind& kind, const std::vector<LaidTake>& laid, Id chosen) {
  constexpr int kLaneVersion = 1;
  std::vector<std::string> inputs = {std::to_string(chosen)};
  for (const LaidTake& one : laid) {
    inputs.push_back(fmt::format("{} {} {} {} {}", one.take.id, one.take.colour,
                                 one.take.variant_id, one.analysis != nullptr,
                                 one.model != nullptr));
    for (const std::string* text : {&one.take.name, &one.take.conditions.sample, &one.variant_name,
                                    &one.variant_change, &one.result_key, &one.subject_key})
      inputs.push_back(*text);
  }
  return {node_key("lane-" + kind.id, kLaneVersion, inputs),
          [&kind, laid, chosen](const Making&) -> Result<LaneContent> {
            LaneContent content = kind.build(laid, chosen);
            const bool waits = std::any_of(laid.begin(), laid.end(), [&](const LaidTake& one) {
              return kind.needs(one) && one.analysis == nullptr && has_curve(one.take);
            });
            if (waits) content.empty_text = "Being analysed…";
            return content;
          },
          [](const LaneContent& content) {
            std::size_t points = content.map ? content.map->values.size() : 0;
            for (const auto* side : {&content.left, &content.right})
              for (const Series& s : *side) points += 2 * s.x.size();
            return 1024 + points * sizeof(double);
          }};
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
  for (const TakeKind kind : {TakeKind::kResponse, TakeKind::kImpedance}) {
    for (const LaidTake& one : laid) {
      const bool of_kind =
          kind == TakeKind::kResponse ? is_pressure(one.take) : one.take.kind() == kind;
      if (!of_kind) continue;
      const bool impedance = kind == TakeKind::kImpedance;
      CursorValue v{.take_id = one.take.id,
                    .group = impedance ? "Impedance" : "Level",
                    .label = series_label(one, laid),
                    .style = one.take.colour,
                    .text = "–"};
      if (one.analysis) {
        const Response& curve = one.analysis->curve;
        const std::complex<double> at = value_at(curve, frequency_hz);
        v.valid = curve.valid().contains(frequency_hz) && std::isfinite(at.real());
        if (std::isfinite(at.real()) && impedance) {
          v.text = fmt::format("{} Ω", three_digits(std::abs(at)));
          if (curve.has_phase()) {
            const double degrees = std::round(std::arg(at) * 180.0 / kPi);
            v.text += fmt::format("  {}{:.0f}°", degrees < 0.0 ? "−" : "+", std::abs(degrees));
          }
        } else if (std::isfinite(at.real())) {
          v.text = fmt::format("{:.1f} dB",
                               to_level_db(std::abs(at), level_reference(curve.quantity())));
        }
      }
      values.push_back(std::move(v));
    }
  }
  return values;
}

std::vector<KeyFigure> key_figures(const LaidTake& laid) {
  std::vector<KeyFigure> figures;
  if (!laid.analysis) return figures;
  const Response& curve = laid.analysis->curve;
  if (laid.take.kind() == TakeKind::kImpedance) return impedance_figures(laid);
  if (const auto sensitivity = sensitivity_db(curve)) {
    figures.push_back({laid.analysis->calibrated ? "Mean level" : "Mean level, relative",
                       fmt::format("{:.1f} dB", *sensitivity), "300 Hz to 3 kHz"});
  }
  const double low = std::max(300.0, curve.valid().low_hz);
  if (const auto spread = level_spread(curve, low, 10000.0)) {
    figures.push_back({"Within",
                       fmt::format("+{:.1f} / −{:.1f} dB", spread->above_db, spread->below_db),
                       fmt::format("{} to 10 kHz", frequency_text(low))});
  }
  figures.push_back({"Valid from", frequency_text(curve.valid().low_hz),
                     laid.analysis->gate_s
                         ? fmt::format("gate {:.2f} ms", *laid.analysis->gate_s * 1e3)
                         : "as told or excited"});
  if (laid.analysis->impulse) {
    figures.push_back(
        {"Arrival", fmt::format("{:.3f} ms", laid.analysis->arrival_s * 1e3),
         fmt::format("{:.2f} m at 343 m/s", laid.analysis->arrival_s * kSpeedOfSound20_m_s)});
    if (laid.analysis->first_reflection_s) {
      figures.push_back(
          {"First reflection",
           fmt::format("{:.2f} ms later",
                       (*laid.analysis->first_reflection_s - laid.analysis->arrival_s) * 1e3),
           ""});
    }
  }
  return figures;
}

}  // namespace lalometer
