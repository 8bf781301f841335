#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/constants.h"
#include "workbench/reading/lane_parts.h"
#include "workbench/reading/lanes/lanes.h"

/// Impulse responses over time, with the gate.
namespace lalometer {
namespace {

LaneContent build(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "Impulse response";
  content.across = {.quantity = AxisQuantity::kTime, .unit = "ms", .low = -0.6, .high = 10.0};
  content.left = {.quantity = AxisQuantity::kLevel, .unit = "", .low = -0.6, .high = 1.05};
  content.empty_text = "No impulse response on the score. It comes with every recorded response.";
  const LaidTake* shown = nullptr;
  for (const LaidTake& one : laid) {
    if (!one.analysis || !one.analysis->impulse) continue;
    if (shown == nullptr || one.take.id == chosen) shown = &one;
  }
  if (shown == nullptr) return content;
  const Analysis& a = *shown->analysis;
  if (a.gate_s) content.across.high = std::clamp(*a.gate_s * 1e3 * 2.2, 4.0, 200.0);
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
    const double to = one.analysis->gate_start_s + content.across.high / 1e3 * 1.02;
    const double from = one.analysis->gate_start_s + content.across.low / 1e3;
    double peak = 1e-30;
    for (std::size_t i = 0; i < h.samples.size(); ++i) {
      const double t = h.time_s(i);
      if (t < from || t > to) continue;
      s.x.push_back((t - one.analysis->gate_start_s) * 1e3);
      s.y.push_back(h.samples[i]);
      peak = std::max(peak, std::abs(h.samples[i]));
    }
    for (double& y : s.y) y /= peak;
    content.add_curves().push_back(std::move(s));
  }
  double low = 0.0;
  for (const Series& s : content.curves()) {
    for (const double y : s.y) low = std::min(low, y);
  }
  content.left.low = low < -0.9 ? -1.1 : low - 0.12;
  content.subtitle = "re its peak, ms after the gate's start";
  if (a.gate_s) {
    // First the band: a layer that is added may move those before it.
    content.layer<BandLayer>().bands.push_back({.low = *a.gate_s * 1e3});
    auto& gate = content.layer<GateLayer>();
    gate.end_ms = *a.gate_s * 1e3;
    if (a.first_reflection_s) gate.reflection_ms = (*a.first_reflection_s - a.gate_start_s) * 1e3;
  }
  return content;
}

bool holds_impulse(const LaidTake& one) {
  return has_impulse(one.take);
}

/// What comes after the direct sound, each with the surface that the stand makes it of.
void put_reflections(std::vector<KeyFigure>& figures, const LaidTake& laid) {
  const double c = speed_of_sound_m_s(laid.take.conditions.temperature_c);
  bool first = true;
  for (const LateSound& late : laid.analysis->later) {
    const double delay_s = late.time_s - laid.analysis->arrival_s;
    NamedReflection named{.name = {}, .later_m = delay_s * c};
    if (laid.stand) {
      Stand here = *laid.stand;
      here.distance_m = place_of(laid.take).distance_m;
      if (trouble_of(here).empty()) named = named_reflection(here, delay_s, c);
    }
    const std::string from =
        named.name.empty()
            ? fmt::format("an object {:.0f} cm behind one of the two, or beside the way",
                          50.0 * named.later_m)
            : "the " + named.name;
    figures.push_back({first ? "First reflection" : "Then",
                       fmt::format("{:.2f} ms later, {:+.0f} dB", delay_s * 1e3, late.level_db),
                       from});
    first = false;
    if (figures.size() > 7) return;
  }
}

std::vector<KeyFigure> arrival_figures(const LaidTake& laid) {
  if (!laid.analysis->impulse) return {};
  std::vector<KeyFigure> figures;
  // Without a loopback a converter's latency is in it: no distance.
  const bool latent = laid.take.form == RawForm::kSweepFile &&
                      laid.take.conditions.loopback_channel < 0 &&
                      !is_common_time(laid.analysis->origin);
  if (laid.analysis->start_known) {
    const double metres = laid.analysis->arrival_s * kSpeedOfSound20_m_s;
    figures.push_back({"Arrival", fmt::format("{:.3f} ms", laid.analysis->arrival_s * 1e3),
                       latent ? "latency and flight" : fmt::format("{:.2f} m at 343 m/s", metres)});
    figures.push_back({"Phase zero", fmt::format("{:.3f} ms", laid.analysis->origin.at_s * 1e3),
                       basis_of(laid.analysis->origin)});
  } else if (is_common_time(laid.analysis->origin)) {
    figures.push_back({"Arrival", "–", "the chirps' distance is not told"});
    figures.push_back({"Phase zero", "at the chirps", basis_of(laid.analysis->origin)});
  } else {
    figures.push_back({"Arrival", "–", "when it was played is not known"});
    figures.push_back({"Phase zero", "at the onset", "by the sound's onset"});
  }
  put_reflections(figures, laid);
  return figures;
}

}  // namespace

LaneKind lanes::impulse() {
  return {.id = "impulse",
          .title = "Impulse response",
          .explained =
              "What comes out for a pulse at the input. The gate keeps what comes before the "
              "room's first reflection.",
          .usual_weight = 0.62,
          .build = build,
          .needs = holds_impulse,
          .figures = arrival_figures};
}

}  // namespace lalometer
