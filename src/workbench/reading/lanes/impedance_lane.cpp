#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "acoustics/impedance/box_signature.h"
#include "base/constants.h"
#include "base/text.h"
#include "workbench/reading/lane_parts.h"
#include "workbench/reading/lanes/lanes.h"

/// Impedance: magnitude, phase and what the fit says.
namespace lalometer {
namespace {

LaneContent build(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "Impedance";
  content.left.unit = "ohm";
  content.right = {.quantity = AxisQuantity::kAngle, .unit = "°", .low = -90.0, .high = 90.0};
  content.left.high = 50.0;
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
    content.add_curves().push_back(std::move(magnitude));
    if (curve.has_phase()) content.add_curves(Side::kRight).push_back(std::move(phase));
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
    content.add_curves().insert(content.add_curves().begin(), std::move(fitted));
  }
  hatch_invalid(content);
  if (!content.curves().empty())
    content.subtitle = content.curves(Side::kRight).empty()
                           ? "magnitude, ohm"
                           : "magnitude in ohm, phase thin, right scale";
  if (const LaidTake* one = modelled_take(laid, TakeKind::kImpedance, chosen)) {
    content.add_curves().insert(content.add_curves().begin(),
                                model_series(*one->model, one->model->impedance_ohm, 0.0));
    content.add_curves(Side::kRight)
        .insert(content.add_curves(Side::kRight).begin(),
                model_series(*one->model, one->model->impedance_phase_deg, 0.0));
    if (!one->model->usual_drivers.empty()) content.subtitle += "; model with usual drivers";
  }
  if (const auto range = extent(content.curves()))
    content.left.high = std::ceil((range->second * 1.08) / 5.0) * 5.0;
  return content;
}

std::string impedance_at(const LaidTake& one, double, std::complex<double> value) {
  std::string text = fmt::format("{} Ω", three_digits(std::abs(value)));
  if (!one.analysis->curve.has_phase()) return text;
  const double degrees = std::round(std::arg(value) * 180.0 / kPi);
  return text + fmt::format("  {}{:.0f}°", degrees < 0.0 ? "−" : "+", std::abs(degrees));
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

}  // namespace

LaneKind lanes::impedance() {
  return {
      .id = "impedance",
      .title = "Impedance",
      .explained =
          "What the amplifier sees: the magnitude in ohm and the phase of voltage against current.",
      .usual_weight = 1.0,
      .build = build,
      .needs = is_impedance,
      .at_cursor = impedance_at,
      .figures = impedance_figures};
}

}  // namespace lalometer
