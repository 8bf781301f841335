#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "acoustics/impedance/box_signature.h"
#include "base/text.h"
#include "workbench/reading/lane_parts.h"

/// What the score and the reading show of impedances.
namespace lalometer {

LaneContent impedance_lane(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "Impedance";
  content.left_unit = "ohm";
  content.right_unit = "°";
  content.right_low = -90.0;
  content.right_high = 90.0;
  content.fit_high = 50.0;
  content.empty_text =
      "No impedance on the score. Tick one on the shelf or take one under Capture.";
  for (const LaidTake& one : laid) {
    if (!shows(one, TakeKind::kImpedance)) continue;
    const Response& curve = one.analysis->curve;
    Series magnitude = series_for(one, laid, chosen);
    Series phase = magnitude;
    for (std::size_t i = 0; i < curve.size(); ++i) {
      magnitude.y.push_back(curve.magnitude(i));
      phase.y.push_back(curve.has_phase() ? curve.phase_deg(i) : kNaN);
    }
    content.left.push_back(std::move(magnitude));
    if (curve.has_phase()) content.right.push_back(std::move(phase));
  }
  for (const LaidTake& one : laid) {
    if (one.take.id != chosen || !one.reading || one.reading->motor() == nullptr) continue;
    Series fitted;
    fitted.label = "fitted";
    fitted.style = kModelStyle;
    const Response& curve = one.analysis->curve;
    for (std::size_t i = 0; i < curve.size(); ++i) {
      const double f = curve.axis()[i];
      // Beyond what was fitted, a crossover or the coil goes its own way.
      if (one.reading->box && f > one.reading->box->fitted_to_hz) break;
      fitted.x.push_back(f);
      fitted.y.push_back(std::abs(one.reading->motor()->at(f)));
    }
    content.left.insert(content.left.begin(), std::move(fitted));
  }
  set_hatch(content);
  if (!content.left.empty())
    content.subtitle =
        content.right.empty() ? "magnitude, ohm" : "magnitude in ohm, phase thin, right scale";
  if (const LaidTake* one = modelled_take(laid, TakeKind::kImpedance, chosen)) {
    content.left.insert(content.left.begin(),
                        model_series(*one->model, one->model->impedance_ohm, 0.0));
    content.right.insert(content.right.begin(),
                         model_series(*one->model, one->model->impedance_phase_deg, 0.0));
    if (!one->model->usual_drivers.empty()) content.subtitle += "; model with usual drivers";
  }
  if (const auto range = extent(content.left))
    content.fit_high = std::ceil((range->second * 1.08) / 5.0) * 5.0;
  return content;
}

LaneContent loops_lane(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "Ripple of the impedance";
  content.left_unit = "%";
  content.fit_high = 5.0;
  content.empty_text =
      "No impedance that a fit follows on the score. What the fit leaves are secondary resonances: "
      "standing waves, panels, suspension.";
  double highest = 2.0;
  double top = 0.0;
  for (const LaidTake& one : laid) {
    if (!shows(one, TakeKind::kImpedance) || !one.reading || one.reading->motor() == nullptr)
      continue;
    Series s = series_for(one, laid, chosen);
    const Response& curve = one.analysis->curve;
    const FittedImpedance& motor = *one.reading->motor();
    double limit = one.reading->box ? one.reading->box->fitted_to_hz : curve.axis().back() * 1.01;
    // What was found beyond the fitted range was found on this curve too: it is shown as valid.
    for (const Wiggle& w : one.reading->wiggles) {
      limit = std::max(limit, 1.15 * w.frequency_hz.value);
      highest = std::max(highest, w.height_percent);
    }
    for (std::size_t i = 0; i < curve.size(); ++i) {
      const double f = curve.axis()[i];
      const auto model = motor.at(f);
      const double off = curve.has_phase() ? std::abs(curve.value(i) / model - 1.0)
                                           : std::abs(curve.magnitude(i) / std::abs(model) - 1.0);
      s.y.push_back(f > limit * 1.3 ? kNaN : 100.0 * off);
    }
    s.valid_high = std::min(s.valid_high, limit);
    // Far above the resonance a coil goes its own way, and the scale is not for that.
    double scaled_to = limit / 1.15;
    if (one.reading->driver) {
      scaled_to = std::min(scaled_to, 10.0 * one.reading->driver->fs_hz.value);
      for (const Wiggle& w : one.reading->wiggles)
        scaled_to = std::max(scaled_to, 1.05 * w.frequency_hz.value);
    }
    for (std::size_t i = 0; i < s.x.size(); ++i) {
      if (s.x[i] > 20.0 && s.x[i] < scaled_to && std::isfinite(s.y[i]))
        highest = std::max(highest, s.y[i]);
    }
    top = std::max(top, limit);
    content.left.push_back(std::move(s));
  }
  set_hatch(content);
  if (!content.left.empty()) {
    content.subtitle = "what the fitted model leaves, % of the magnitude";
    content.hatch_above = std::min(content.hatch_above, top);
    content.fit_high = std::min(60.0, std::ceil(highest * 1.15));
  }
  return content;
}

std::vector<KeyFigure> impedance_figures(const LaidTake& laid) {
  std::vector<KeyFigure> figures;
  const Response& curve = laid.analysis->curve;
  if (laid.reading) {
    for (const ReadFigure& f : figures_of(*laid.reading))
      figures.push_back(
          {f.name, with_uncertainty(f.value, f.unit == "ohm" ? "Ω" : f.unit), f.meaning});
    if (!laid.reading->refusal.empty())
      figures.push_back({"Not fitted", "", laid.reading->refusal});
  }
  if (const auto minimum = impedance_minimum(curve)) {
    figures.push_back({"Lowest impedance",
                       fmt::format("{} Ω at {}", three_digits(minimum->magnitude_ohm),
                                   frequency_text(minimum->frequency_hz)),
                       "20 Hz to 20 kHz"});
    if (const auto nominal = nominal_impedance_ohm(minimum->magnitude_ohm)) {
      figures.push_back(
          {"Nominal", fmt::format("{:.0f} Ω", *nominal), "lowest is at least 80 % of it"});
    }
  }
  if (curve.has_phase()) {
    const std::size_t first = curve.axis().front() >= 20.0 ? 0 : curve.axis().bracket(20.0) + 1;
    std::size_t lowest = first;
    std::size_t highest = first;
    for (std::size_t i = first; i < curve.size() && curve.axis()[i] <= 20000.0; ++i) {
      if (curve.phase_deg(i) < curve.phase_deg(lowest)) lowest = i;
      if (curve.phase_deg(i) > curve.phase_deg(highest)) highest = i;
    }
    figures.push_back({"Phase",
                       fmt::format("−{:.0f}° to +{:.0f}°", -std::min(0.0, curve.phase_deg(lowest)),
                                   std::max(0.0, curve.phase_deg(highest))),
                       fmt::format("at {} and {}", frequency_text(curve.axis()[lowest]),
                                   frequency_text(curve.axis()[highest]))});
  }
  if (laid.reading && laid.reading->dissipation) {
    figures.push_back({"Lowest equivalent peak dissipation resistance",
                       fmt::format("{} Ω", three_digits(laid.reading->dissipation->resistance_ohm)),
                       fmt::format("what the amplifier dissipates at its worst, at {}",
                                   frequency_text(laid.reading->dissipation->frequency_hz))});
  }
  for (const ImpedancePeak& peak : impedance_peaks(curve)) {
    figures.push_back({"Peak",
                       fmt::format("{} Ω at {}", three_digits(peak.magnitude_ohm),
                                   frequency_text(peak.frequency_hz)),
                       ""});
  }
  return figures;
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
