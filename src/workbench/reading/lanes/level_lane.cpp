#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "acoustics/spectrum/figures.h"
#include "base/text.h"
#include "workbench/reading/lane_parts.h"
#include "workbench/reading/lanes/lanes.h"

/// Sound pressure level over frequency.
namespace lalometer {
namespace {

LaneContent build(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "Level";
  content.left = {.quantity = AxisQuantity::kLevel,
                  .scale = AxisScale::kDecibel,
                  .unit = "dB",
                  .low = 50.0,
                  .high = 100.0};
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
    for (std::size_t i = 0; i < curve.size(); ++i) {
      s.y.push_back(curve.level_db(i));
      if (!curve.spread().empty()) s.spread.push_back(curve.uncertainty_db(i));
    }
    content.add_curves().push_back(std::move(s));
    relative = relative || !one.analysis->calibrated;
    gated = gated || one.analysis->gate_s.has_value();
    if (first == nullptr) first = &one.take;
    alike = alike && one.take.conditions.drive_v == first->conditions.drive_v &&
            place_of(one.take).distance_m == place_of(*first).distance_m;
  }
  hatch_invalid(content, [&](double below) {
    return gated ? fmt::format("below the gate's {}", frequency_text(below)) : std::string();
  });
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
    content.add_curves().insert(content.add_curves().begin(),
                                model_series(*one->model, one->model->level_db, shift));
    if (!one->model->usual_drivers.empty()) content.subtitle += "; model with usual drivers";
  }
  if (const auto range = extent(content.curves())) {
    // At least 25 dB high: less would make molehills into mountains; at most 60: a null's depth
    // says little.
    const double top = std::ceil((range->second + 3.0) / 5.0) * 5.0;
    content.left.high = top;
    content.left.low =
        std::min(top - 25.0, std::max(std::floor((range->first - 3.0) / 5.0) * 5.0, top - 60.0));
  }
  return content;
}

std::string level_at(const LaidTake& one, double frequency_hz, std::complex<double> value) {
  const Response& curve = one.analysis->curve;
  const double level = to_level_db(std::abs(value), level_reference(curve.quantity()));
  const auto off = uncertainty_db_at(curve, frequency_hz);
  // Less than a tenth is not told beside a tenth.
  if (!off || *off < 0.1) return fmt::format("{:.1f} dB", level);
  return fmt::format("{:.1f} ± {:.1f} dB", level, *off);
}

std::vector<KeyFigure> level_figures(const LaidTake& laid) {
  std::vector<KeyFigure> figures;
  const Response& curve = laid.analysis->curve;
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
  return figures;
}

}  // namespace

LaneKind lanes::level() {
  return {
      .id = "level",
      .title = "Level",
      .explained = "Sound pressure level over frequency, at the drive and distance of the take.",
      .usual_weight = 1.35,
      .build = build,
      .needs = is_response,
      .at_cursor = level_at,
      .figures = level_figures};
}

}  // namespace lalometer
