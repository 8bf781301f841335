#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/constants.h"
#include "base/text.h"
#include "workbench/level/level_nodes.h"
#include "workbench/reading/lane_parts.h"
#include "workbench/reading/lanes/lanes.h"

/// Harmonics over the frequency of the excitation; what is lost as it plays louder.
namespace lalometer {
namespace {

bool has_sweep(const LaidTake& one) {
  return tells_harmonics(one.take);
}

bool is_read(const LaidTake& one) {
  return one.time && one.time->distortion;
}

const LaidTake* shown_one(const std::vector<LaidTake>& laid, Id chosen) {
  const LaidTake* shown = nullptr;
  for (const LaidTake& one : laid)
    if (is_read(one) && (shown == nullptr || one.take.id == chosen)) shown = &one;
  return shown;
}

std::string waiting_text(const std::vector<LaidTake>& laid) {
  for (const LaidTake& one : laid)
    if (has_sweep(one) && one.time && !one.time->problem.empty()) return one.time->problem;
  return std::any_of(laid.begin(), laid.end(), has_sweep)
             ? "Being analysed…"
             : "No recorded sweep on the score: harmonics come with every sweep that is taken here "
               "or read with its stimulus.";
}

constexpr int kOrderStyles[] = {0, 0, 1, 2, 3, 4};

Series order_series(const LaidTake& one, const Harmonic& h, const FrequencyAxis& axis,
                    double reference, std::string label, int style) {
  Series s{.take_id = one.take.id,
           .label = std::move(label),
           .style = style,
           .chosen = h.order == 1,
           .x = {axis.hz().begin(), axis.hz().end()},
           .y = {},
           .valid_low = h.valid.low_hz,
           .valid_high = h.valid.high_hz};
  for (std::size_t i = 0; i < axis.size(); ++i) {
    const bool told = h.order == 1 ? h.valid.contains(axis[i]) : h.heard(i, axis[i]);
    s.y.push_back(told ? to_level_db(std::abs(h.value[i]), reference) : kNaN);
  }
  return s;
}

/// Ridges whose half or third lies where an order has a peak: the harmonic is the resonance's.
std::vector<LaneMark> resonance_flags(const LaidTake& one) {
  std::vector<LaneMark> flags;
  const DecayReading* decay = one.time->any_decay();
  if (decay == nullptr) return flags;
  const Harmonics& h = one.time->distortion->harmonics;
  for (const Ridge& ridge : decay->ridges)
    for (const int n : {2, 3}) {
      const double f = ridge.frequency_hz.value / n;
      const Harmonic& order = h.order(n);
      if (!order.valid.contains(f / 1.2) || !order.valid.contains(f * 1.2)) continue;
      const auto level = [&](double at) {
        const std::size_t i = h.axis.bracket(at);
        return order.heard(i, h.axis[i]) ? to_level_db(std::abs(order.value[i]), 1.0) : kNaN;
      };
      const double own = std::max({level(f), level(f / 1.03), level(f * 1.03)});
      const double sides = 0.5 * (level(f / 1.19) + level(f * 1.19));
      if (!(own > sides + 3.0)) continue;
      flags.push_back({fmt::format("H{} of {}", n, frequency_text(ridge.frequency_hz.value)),
                       fmt::format("Order {} peaks where its own frequency is {}: a resonance of "
                                   "the fundamental rings there, so what the motor adds is lifted.",
                                   n, frequency_text(ridge.frequency_hz.value)),
                       0, f, f});
    }
  std::sort(flags.begin(), flags.end(),
            [](const LaneMark& a, const LaneMark& b) { return a.low_hz < b.low_hz; });
  return flags;
}

LaneContent build_harmonics(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "Harmonics";
  content.left = {.quantity = AxisQuantity::kLevel,
                  .scale = AxisScale::kDecibel,
                  .unit = "dB",
                  .low = 20.0,
                  .high = 100.0};
  const LaidTake* one = shown_one(laid, chosen);
  if (one == nullptr) {
    content.empty_text = waiting_text(laid);
    return content;
  }
  const DistortionReading& r = *one->time->distortion;
  const Harmonics& h = r.harmonics;
  const double reference = r.calibrated ? kReferencePressure_pa : 1.0;
  content.subtitle = fmt::format("{}, {} V{}", series_label(*one, laid), three_digits(r.drive_v),
                                 r.calibrated ? ", dB re 20 µPa" : ", dB re full scale");
  auto& curves = content.add_curves();
  // The floor that noise sets, under all: of the order that it hides most.
  Series floor{.take_id = one->take.id,
               .label = "floor",
               .style = kModelStyle,
               .x = {h.axis.hz().begin(), h.axis.hz().end()},
               .y = {}};
  for (std::size_t i = 0; i < h.axis.size(); ++i) {
    double highest = 0.0;
    for (int n = 2; n <= 5; ++n)
      if (h.order(n).valid.contains(h.axis[i])) highest = std::max(highest, h.order(n).floor[i]);
    floor.y.push_back(highest > 0.0 ? to_level_db(highest, reference) : kNaN);
  }
  curves.push_back(std::move(floor));
  for (int n = 5; n >= 1; --n)
    curves.push_back(order_series(*one, h.order(n), h.axis, reference,
                                  n == 1 ? "fundamental" : fmt::format("H{}", n), kOrderStyles[n]));
  double top = -1e9;
  double bottom = 1e9;
  for (const Series& s : curves)
    for (const double y : s.y)
      if (std::isfinite(y)) {
        top = std::max(top, y);
        bottom = std::min(bottom, y);
      }
  content.left.high = std::ceil((top + 5.0) / 10.0) * 10.0;
  content.left.low = std::max(content.left.high - 90.0, std::floor(bottom / 10.0) * 10.0);
  std::vector<LaneMark> flags = resonance_flags(*one);
  for (const auto& [percent, t] :
       {std::pair("3 %", &r.three_percent), std::pair("10 %", &r.ten_percent)})
    if (t->frequency_hz)
      flags.push_back({fmt::format("THD {}", percent),
                       fmt::format("Above {} THD stays under {}.",
                                   frequency_text(t->frequency_hz->value), percent),
                       0, t->frequency_hz->value, t->frequency_hz->value});
  std::sort(flags.begin(), flags.end(),
            [](const LaneMark& a, const LaneMark& b) { return a.low_hz < b.low_hz; });
  content.layers.emplace_back(FlagLayer{std::move(flags)});
  return content;
}

LaneContent build_thd(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "THD";
  content.left = {.quantity = AxisQuantity::kOther,
                  .scale = AxisScale::kLogarithmic,
                  .unit = "%",
                  .low = 0.03,
                  .high = 30.0};
  for (const LaidTake& one : laid) {
    if (!is_read(one)) continue;
    const DistortionReading& r = *one.time->distortion;
    Series s{.take_id = one.take.id,
             .label = series_label(one, laid),
             .style = one.take.colour,
             .chosen = one.take.id == chosen,
             .x = {r.harmonics.axis.hz().begin(), r.harmonics.axis.hz().end()},
             .y = {}};
    for (const Thd& t : r.harmonics.thd)
      s.y.push_back(t.known && t.ratio > 0.0 ? 100.0 * t.ratio : kNaN);
    content.add_curves().push_back(std::move(s));
  }
  if (content.curves().empty()) content.empty_text = waiting_text(laid);
  content.subtitle = "of all orders that stand out of the noise, re the fundamental";
  return content;
}

LaneContent build_compression(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "Compression";
  content.left = {.quantity = AxisQuantity::kLevel,
                  .scale = AxisScale::kDecibel,
                  .unit = "dB",
                  .low = -4.0,
                  .high = 1.0};
  const LaidTake* one = shown_one(laid, chosen);
  if (one == nullptr) {
    content.empty_text = waiting_text(laid);
    return content;
  }
  std::vector<const LaidTake*> members;
  for (const LaidTake& other : laid)
    if (is_read(other) && same_level_place(one->take, other.take)) members.push_back(&other);
  std::stable_sort(members.begin(), members.end(), [](const LaidTake* a, const LaidTake* b) {
    return a->take.conditions.drive_v < b->take.conditions.drive_v;
  });
  if (members.size() < 2) {
    content.empty_text =
        "One drive lies on the score: lay another of the same place, lower or higher.";
    return content;
  }
  std::vector<LevelStep> steps;
  for (const LaidTake* m : members) steps.push_back(level_step(*m->time->distortion));
  double lowest = -2.0;
  for (std::size_t k = 1; k < steps.size(); ++k) {
    const Compression c = compression_of(steps, k);
    const FrequencyAxis& axis = steps.front().harmonics->axis;
    const ValidRange& valid = steps.front().harmonics->order(1).valid;
    Series s{.take_id = members[k]->take.id,
             .label = series_label(*members[k], laid),
             .style = members[k]->take.colour,
             .chosen = members[k]->take.id == chosen,
             .x = {axis.hz().begin(), axis.hz().end()},
             .y = c.level_db,
             .valid_low = valid.low_hz,
             .valid_high = valid.high_hz,
             .spread = c.half_width};
    for (std::size_t i = 0; i < axis.size(); ++i)
      if (valid.contains(axis[i]) && axis[i] > 30.0) lowest = std::min(lowest, c.level_db[i]);
    content.add_curves().push_back(std::move(s));
  }
  content.left.low = std::max(std::floor(lowest - 0.5), -20.0);
  content.subtitle = fmt::format("level less that of {} V, less the ratio of the drives, dB",
                                 three_digits(steps.front().drive_v));
  return content;
}

std::string orders_at(const LaidTake& one, double f, std::complex<double>) {
  if (!is_read(one)) return "–";
  const Harmonics& h = one.time->distortion->harmonics;
  if (f < h.axis.front() || f > h.axis.back()) return "–";
  const std::size_t i = h.axis.bracket(f);
  const double base = std::abs(h.order(1).value[i]);
  std::string text;
  for (int n = 2; n <= 5; ++n) {
    if (!h.order(n).heard(i, h.axis[i])) continue;
    text += fmt::format("{}H{} {:.0f}", text.empty() ? "" : "  ", n,
                        to_level_db(std::abs(h.order(n).value[i]), base));
  }
  return text.empty() ? "none out of the noise" : text + " dB";
}

std::string thd_at(const LaidTake& one, double f, std::complex<double>) {
  if (!is_read(one)) return "–";
  const Harmonics& h = one.time->distortion->harmonics;
  if (f < h.axis.front() || f > h.axis.back()) return "–";
  const Thd& t = h.thd[h.axis.bracket(f)];
  if (!t.known) return "–";
  return t.ratio > 0.0 ? fmt::format("{} %", three_digits(100.0 * t.ratio))
                       : fmt::format("under {} %", three_digits(100.0 * t.at_most));
}

}  // namespace

LaneKind lanes::harmonics() {
  return {.id = "harmonics",
          .title = "Harmonics",
          .explained =
              "What a sweep's sine comes back with at twice to five times its frequency, over "
              "the frequency that was played; noise is never shown as a harmonic.",
          .usual_weight = 0.9,
          .build = build_harmonics,
          .needs = is_read,
          .at_cursor = orders_at,
          .shown_at_first = false,
          .wants_time = kWantDistortion | kWantCumulative};
}

LaneKind lanes::thd() {
  return {.id = "thd",
          .title = "THD",
          .explained = "All harmonics together, in per cent of the fundamental.",
          .usual_weight = 0.6,
          .build = build_thd,
          .needs = is_read,
          .at_cursor = thd_at,
          .shown_at_first = false,
          .wants_time = kWantDistortion};
}

LaneKind lanes::compression() {
  return {.id = "compression",
          .title = "Compression",
          .explained =
              "What is lost as it plays louder: each drive's level less that of the lowest, "
              "less the ratio of the drives.",
          .usual_weight = 0.5,
          .build = build_compression,
          .needs = is_read,
          .shown_at_first = false,
          .wants_time = kWantDistortion};
}

}  // namespace lalometer
