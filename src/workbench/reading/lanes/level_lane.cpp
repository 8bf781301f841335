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
    const auto reasons = unlike(laid);
    if (!reasons.empty()) content.subtitle += "; not alike: " + reasons.front();
    if (reasons.size() > 1) content.subtitle += fmt::format(" and {} more", reasons.size() - 1);
  }
  if (const LaidTake* one = modelled_take(laid, TakeKind::kResponse, chosen); one && !relative) {
    const double shift =
        20.0 * std::log10(one->take.conditions.drive_v / 2.83 / place_of(one->take).distance_m);
    content.add_curves().insert(content.add_curves().begin(),
                                model_series(*one->model, one->model->level_db, shift));
    if (!one->model->usual_drivers.empty()) content.subtitle += "; model with usual drivers";
  }
  if (const auto range = extent(content.curves())) fit_level_scale(content.left, *range);
  for (const LaidTake& one : laid) {
    if (one.take.id != chosen || !one.analysis || !one.analysis->joined) continue;
    const JoinedResponse& j = *one.analysis->joined;
    content.layers.emplace_back(
        JoinLayer{chosen, j.joined_at_hz, j.overlap.low_hz, j.overlap.high_hz});
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

/// What a microphone's correction may run off over the band, half-width of a 95 % interval (common
/// practice, no source).
constexpr double kCorrection_db = 0.2;

/// Level for 2.83 V and for 1 W at 1 m, as far as drive, distance and impedance are known.
void put_sensitivity(std::vector<KeyFigure>& figures, const LaidTake& laid) {
  const auto mean = sensitivity_db(laid.analysis->curve);
  if (!mean) return;
  if (!laid.analysis->calibrated) {
    figures.push_back({"Mean level, relative", fmt::format("{:.1f} dB", *mean), "300 Hz to 3 kHz"});
    return;
  }
  // Sound calibrator, voltmeter and tape together (common practice, no source).
  constexpr double kLevel_db = 0.5;
  const double at = *mean + 20.0 * std::log10(2.83 / laid.take.conditions.drive_v *
                                              place_of(laid.take).distance_m);
  figures.push_back(
      {"2.83 V, 1 m", fmt::format("{:.1f} ± {:.1f} dB", at, kLevel_db), "mean of 300 Hz to 3 kHz"});
  if (laid.nominal_ohm)
    figures.push_back({"1 W, 1 m",
                       fmt::format("{:.1f} ± {:.1f} dB",
                                   at + 10.0 * std::log10(*laid.nominal_ohm / 8.0089), kLevel_db),
                       fmt::format("into {} ohm nominal", three_digits(*laid.nominal_ohm))});
}

/// What near fields and the join tell.
void put_bass(std::vector<KeyFigure>& figures, const NearFields& near,
              const JoinedResponse* joined) {
  const auto put = [&](const char* name, const std::optional<Estimate>& e, const char* basis) {
    if (e)
      figures.push_back({name, fmt::format("{:.1f} ± {:.1f} Hz", e->value, e->half_width), basis});
  };
  const char* re = joined != nullptr ? "re the mean of 300 Hz to 3 kHz"
                                     : "re the near fields' own mean, half space";
  put("F3", joined != nullptr ? joined->f3_hz : near.f3_hz, re);
  put("F6", joined != nullptr ? joined->f6_hz : near.f6_hz, "");
  put("F10", joined != nullptr ? joined->f10_hz : near.f10_hz, "");
  put("fB", near.fb_hz, "by cone and port");
  if (near.port_top && !near.port_resonances.empty()) {
    double loudest = -1e9;
    double at_hz = 0.0;
    for (const StandingOut& one : near.port_resonances) {
      if (one.level_db <= loudest) continue;
      loudest = one.level_db;
      at_hz = one.frequency_hz;
    }
    figures.push_back({"Port over its resonance",
                       fmt::format("{:.1f} dB", near.port_top->level_db - loudest),
                       "at " + frequency_text(at_hz)});
  }
  if (joined == nullptr) return;
  figures.push_back({"Joined at", frequency_text(joined->joined_at_hz),
                     fmt::format("both valid from {} to {}", frequency_text(joined->overlap.low_hz),
                                 frequency_text(joined->overlap.high_hz))});
  figures.push_back(
      {"Near field raised by",
       fmt::format("{:.1f} ± {:.1f} dB", std::round(joined->level_offset_db * 10.0) / 10.0 + 0.0,
                   joined->offset_deviation_db),
       fmt::format("then {:.1f} dB rms apart", joined->mismatch_db)});
}

std::vector<KeyFigure> level_figures(const LaidTake& laid) {
  std::vector<KeyFigure> figures;
  const Response& curve = laid.analysis->curve;
  put_sensitivity(figures, laid);
  if (laid.analysis->near) put_bass(figures, *laid.analysis->near, laid.analysis->joined.get());
  const double low = std::max(300.0, curve.valid().low_hz);
  if (const auto spread = level_spread(curve, low, 10000.0)) {
    figures.push_back({"Within",
                       fmt::format("+{:.1f} / −{:.1f} dB", spread->above_db, spread->below_db),
                       fmt::format("{} to 10 kHz, ± {} dB", frequency_text(low), kCorrection_db)});
  }
  const double from = std::max(100.0, curve.valid().low_hz);
  if (const auto slope = slope_db_per_octave(curve, from, 10000.0))
    figures.push_back({"Slope",
                       fmt::format("{:+.2f} ± {:.2f} dB/octave", *slope,
                                   2.0 * kCorrection_db / std::log2(10000.0 / from)),
                       fmt::format("{} to 10 kHz", frequency_text(from))});
  figures.push_back({"Valid from", frequency_text(curve.valid().low_hz),
                     laid.analysis->gate_s
                         ? fmt::format("gate {:.2f} ms", *laid.analysis->gate_s * 1e3)
                         : "as told or excited"});
  figures.push_back(
      {"Resolution",
       laid.analysis->gate_s       ? frequency_text(1.0 / *laid.analysis->gate_s)
       : laid.recipe.smoothing > 0 ? fmt::format("1/{} octave", laid.recipe.smoothing)
                                   : "the curve's own",
       laid.analysis->gate_s && laid.recipe.smoothing > 0
           ? fmt::format("and 1/{} octave: whichever is broader", laid.recipe.smoothing)
           : ""});
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
