#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "workbench/level/level_nodes.h"
#include "workbench/reading/lane_parts.h"
#include "workbench/reading/lanes/lanes.h"

/// What lies above the tenth order of a sweep: what touches, rattles or hisses.
namespace lalometer {
namespace {

bool is_read(const LaidTake& one) {
  return one.time && one.time->rub;
}

Series series_of(const LaidTake& one, std::string label, int style, const std::vector<double>& x,
                 std::vector<double> y) {
  return {.take_id = one.take.id,
          .label = std::move(label),
          .style = style,
          .chosen = false,
          .x = x,
          .y = std::move(y)};
}

LaneContent build(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "Rub and buzz";
  content.left = {.quantity = AxisQuantity::kLevel,
                  .scale = AxisScale::kDecibel,
                  .unit = "dB",
                  .low = -110.0,
                  .high = -20.0};
  content.empty_text =
      "No recorded sweep with a silence before it on the score: what touches or hisses comes with "
      "one, best of 6 s and more.";
  const LaidTake* own = nullptr;
  for (const LaidTake& one : laid) {
    if (holds_sweep(one.take) && !one.time) content.empty_text = "Being analysed…";
    if (is_read(one) && (own == nullptr || one.take.id == chosen)) own = &one;
  }
  if (own == nullptr) return content;
  const Residue& r = own->time->rub->residue;
  auto& curves = content.add_curves();
  curves.push_back(
      series_of(*own, "noise", kModelStyle, r.frequency_hz, own->time->rub->noise_db()));
  for (const LaidTake& one : laid) {
    if (!is_read(one)) continue;
    Series s = series_of(one, series_label(one, laid), one.take.colour,
                         one.time->rub->residue.frequency_hz, one.time->rub->share_db());
    s.chosen = &one == own;
    curves.push_back(std::move(s));
  }
  content.subtitle = fmt::format("{}, {} V; all above the tenth order, dB re the sweep",
                                 series_label(*own, laid), three_digits(own->time->rub->drive_v));
  // Where it stands out in peaks.
  std::vector<LaneMark> flags;
  double most = -60.0;
  for (std::size_t i = 0; i < r.frequency_hz.size(); ++i) {
    const double share = 20.0 * std::log10(std::max(r.rms[i] / r.sweep[i], 1e-12));
    if (!r.in_peaks(i) || share <= most) continue;
    most = share;
    flags = {{"peaks", spoken(*own->time->rub).front(), 0, r.frequency_hz[i], r.frequency_hz[i]}};
  }
  if (!flags.empty()) content.layers.emplace_back(FlagLayer{std::move(flags)});
  return content;
}

std::string rub_at(const LaidTake& one, double f, std::complex<double>) {
  if (!is_read(one)) return "–";
  const Residue& r = one.time->rub->residue;
  for (std::size_t i = 0; i < r.frequency_hz.size(); ++i) {
    if (std::abs(std::log2(r.frequency_hz[i] / f)) > 1.0 / 12.0) continue;
    if (!r.heard(i)) return "noise";
    return fmt::format("{:.0f} dB re the sweep, {}", 20.0 * std::log10(r.rms[i] / r.sweep[i]),
                       r.in_peaks(i) ? "in peaks" : "even");
  }
  return "–";
}

}  // namespace

LaneKind lanes::rub() {
  return {.id = "rub",
          .title = "Rub and buzz",
          .explained =
              "What lies above the tenth order of the sweep: a coil that touches, something loose, "
              "a leak, air that rushes.",
          .usual_weight = 0.6,
          .build = build,
          .needs = is_read,
          .at_cursor = rub_at,
          .shown_at_first = false,
          .wants_time = kWantRub};
}

}  // namespace lalometer
