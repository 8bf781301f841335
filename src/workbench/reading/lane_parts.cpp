#include "workbench/reading/lane_parts.h"

#include <algorithm>
#include <cmath>

#include "workbench/spin/angle_set.h"

namespace lalometer {

bool is_response(const LaidTake& one) {
  return is_pressure(one.take);
}

bool is_impedance(const LaidTake& one) {
  return one.take.kind() == TakeKind::kImpedance;
}

bool is_drawn(const LaidTake& one) {
  return one.geometry != nullptr;
}

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

Series level_series(const Response& curve, const LaidTake& laid, std::string label, int style) {
  Series s;
  s.take_id = laid.take.id;
  s.label = std::move(label);
  s.style = style;
  s.x = {curve.axis().hz().begin(), curve.axis().hz().end()};
  for (std::size_t i = 0; i < curve.size(); ++i) s.y.push_back(curve.level_db(i));
  s.valid_low = curve.valid().low_hz;
  s.valid_high = curve.valid().high_hz;
  return s;
}

bool is_of_near_fields(const LaidTake& one) {
  return one.take.conditions.worked.how == "join" || one.take.conditions.worked.how == "near-sum";
}

const LaidTake* shown_sum(const std::vector<LaidTake>& laid, Id chosen) {
  const LaidTake* shown = nullptr;
  for (const LaidTake& one : laid)
    if (one.analysis && one.analysis->near && (shown == nullptr || one.take.id == chosen))
      shown = &one;
  return shown;
}

bool is_of_set(const LaidTake& one) {
  return one.set.has_value();
}

std::vector<const LaidTake*> shown_sets(const std::vector<LaidTake>& laid, Id chosen) {
  std::vector<const LaidTake*> sets;
  for (const LaidTake& one : laid) {
    if (!one.set || !one.set->reading) continue;
    sets.insert(one.take.id == chosen ? sets.begin() : sets.end(), &one);
  }
  return sets;
}

std::string set_label(const LaidTake& one) {
  if (one.set && !one.set->name.empty()) return one.set->name;
  std::string label = one.variant_name.empty() ? one.take.name : one.variant_name;
  if (!one.take.conditions.driver.empty()) label += ", " + one.take.conditions.driver;
  if (!one.take.conditions.sample.empty()) label += ", " + one.take.conditions.sample;
  return label;
}

Series set_series(const LaidTake& one, const std::vector<double>& values, std::string label,
                  int style) {
  const Orbit& orbit = one.set->reading->material->orbit;
  return {.take_id = one.take.id,
          .label = std::move(label),
          .style = style,
          .x = {orbit.axis().hz().begin(), orbit.axis().hz().end()},
          .y = values,
          .valid_low = orbit.valid().low_hz,
          .valid_high = orbit.valid().high_hz};
}

std::string no_set_text(const std::vector<LaidTake>& laid) {
  for (const LaidTake& one : laid)
    if (one.set && !one.set->problem.empty()) return one.set->problem;
  return "No take of a set of angles lies on the score: lay one response of a loudspeaker that was "
         "taken at two or more angles.";
}

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

void hatch_invalid(LaneContent& content, const std::function<std::string(double)>& why_below,
                   double highest) {
  const std::vector<Series>& curves = content.curves();
  if (curves.empty()) return;
  InvalidBand below{.high = std::numeric_limits<double>::infinity()};
  InvalidBand above{.low = 0.0};
  for (const Series& s : curves) {
    below.high = std::min(below.high, s.valid_low);
    above.low = std::max(above.low, s.valid_high);
  }
  above.low = std::min(above.low, highest);
  if (why_below) below.text = why_below(below.high);
  content.layer<BandLayer>().bands = {std::move(below), std::move(above)};
}

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

void put_wrapped(Series& s, const std::vector<double>& phase_deg) {
  std::vector<double> x;
  s.y.clear();
  for (std::size_t i = 0; i < phase_deg.size(); ++i) {
    if (i > 0 && std::abs(phase_deg[i] - phase_deg[i - 1]) > 180.0) {
      x.push_back(std::sqrt(s.x[i - 1] * s.x[i]));
      s.y.push_back(kNaN);
    }
    x.push_back(s.x[i]);
    s.y.push_back(phase_deg[i]);
  }
  s.x = std::move(x);
}

void fit_level_scale(LaneAxis& axis, std::pair<double, double> extent) {
  // At least 25 dB high: less would make molehills into mountains; at most 60: a null's depth
  // says little.
  const double top = std::ceil((extent.second + 3.0) / 5.0) * 5.0;
  axis.high = top;
  axis.low =
      std::min(top - 25.0, std::max(std::floor((extent.first - 3.0) / 5.0) * 5.0, top - 60.0));
}

std::string basis_of(const TimeOrigin& origin) {
  switch (origin.source) {
    case TimeOrigin::Source::kTape:
      return "by the distance";
    case TimeOrigin::Source::kReference:
      return "by reference chirps";
    case TimeOrigin::Source::kFile:
      return "as its file tells";
    default:
      return "by the sound's onset";
  }
}

}  // namespace lalometer
