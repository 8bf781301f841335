#include "workbench/reading/scale/mapping.h"

#include <fmt/format.h>

#include <numeric>

namespace lalometer {
namespace {

std::string frequency_label(double f) {
  if (f >= 1000.0) return fmt::format("{:g}k", f / 1000.0);
  return fmt::format("{:g}", f);
}

}  // namespace

std::vector<Tick> frequency_ticks(double low_hz, double high_hz, double width_px) {
  std::vector<Tick> ticks;
  const double px_per_decade = width_px / std::log10(high_hz / low_hz);
  // Which of 1..9 get a number: the fullest choice whose closest neighbours stand 40 px apart.
  const std::vector<std::vector<int>> choices = {
      {1, 2, 3, 4, 5, 6, 7, 8, 9}, {1, 2, 3, 4, 6, 8}, {1, 2, 3, 5, 7}, {1, 2, 5}, {1}};
  const auto fits = [&](const std::vector<int>& digits) {
    double closest = 10.0;
    for (std::size_t i = 0; i < digits.size(); ++i) {
      const double next = i + 1 < digits.size() ? digits[i + 1] : 10.0 * digits[0];
      closest = std::min(closest, next / digits[i]);
    }
    return px_per_decade * std::log10(closest) >= 40.0;
  };
  const auto chosen = std::find_if(choices.begin(), choices.end() - 1, fits);
  const auto labelled = [&](int digit) {
    return std::find(chosen->begin(), chosen->end(), digit) != chosen->end();
  };
  for (double decade = std::pow(10.0, std::floor(std::log10(low_hz))); decade <= high_hz;
       decade *= 10.0) {
    for (int digit = 1; digit <= 9; ++digit) {
      const double f = digit * decade;
      if (f < low_hz * 0.9999 || f > high_hz * 1.0001) continue;
      ticks.push_back({f, labelled(digit) ? frequency_label(f) : "", digit == 1});
    }
  }
  return ticks;
}

std::vector<Tick> even_ticks(double low, double high, double length_px, double spacing_px) {
  std::vector<Tick> ticks;
  if (!(high > low) || length_px <= 0.0) return ticks;
  const double least = (high - low) * spacing_px / length_px;
  const double power = std::pow(10.0, std::floor(std::log10(least)));
  double step = 10.0 * power;
  for (const double factor : {1.0, 2.0, 5.0}) {
    if (factor * power >= least) {
      step = factor * power;
      break;
    }
  }
  for (double k = std::ceil(low / step - 1e-9); k * step <= high + 1e-9 * step; k += 1.0) {
    const double value = k == 0.0 ? 0.0 : k * step;
    ticks.push_back(
        {value, fmt::format("{:g}", std::round(value / step * 1e6) / 1e6 * step), value == 0.0});
  }
  return ticks;
}

FrequencyRange zoomed(FrequencyRange range, double at_hz, double factor) {
  const double at = std::clamp(at_hz, range.low_hz, range.high_hz);
  FrequencyRange next{at * std::pow(range.low_hz / at, factor),
                      at * std::pow(range.high_hz / at, factor)};
  next.low_hz = std::max(next.low_hz, 1.0);
  next.high_hz = std::min(next.high_hz, 100000.0);
  return next.high_hz / next.low_hz < std::exp2(1.0 / 3.0) ? range : next;
}

FrequencyRange shifted(FrequencyRange range, double octaves) {
  const double factor =
      std::clamp(std::exp2(octaves), 1.0 / range.low_hz, 100000.0 / range.high_hz);
  return {range.low_hz * factor, range.high_hz * factor};
}

std::vector<double> spread_labels(const std::vector<double>& wanted, double height, double top,
                                  double bottom) {
  std::vector<std::size_t> order(wanted.size());
  std::iota(order.begin(), order.end(), std::size_t{0});
  std::stable_sort(order.begin(), order.end(),
                   [&](std::size_t a, std::size_t b) { return wanted[a] < wanted[b]; });
  std::vector<double> placed = wanted;
  const double half = 0.5 * height;
  // Push down from the top, then up from the bottom: both passes keep the order.
  double floor = top + half;
  for (const std::size_t i : order) {
    placed[i] = std::max(placed[i], floor);
    floor = placed[i] + height;
  }
  double ceiling = bottom - half;
  for (auto i = order.rbegin(); i != order.rend(); ++i) {
    placed[*i] = std::min(placed[*i], ceiling);
    ceiling = placed[*i] - height;
  }
  return placed;
}

}  // namespace lalometer
