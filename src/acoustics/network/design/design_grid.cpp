#include "acoustics/network/design/design_grid.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "base/text.h"

namespace lalometer::design {
namespace {

constexpr double kPerOctave = 20.0;

}  // namespace

double db_of(double magnitude) {
  return 20.0 * std::log10(std::max(magnitude, 1e-12));
}

double mean_db(const Grid& g, const Side& side, double from, double to) {
  double sum = 0.0, count = 0.0;
  for (std::size_t i = 0; i < g.hz.size(); ++i) {
    if (g.hz[i] < from || g.hz[i] > to) continue;
    sum += db_of(std::abs(side.sound[i])) - g.system_db[i];
    count += 1.0;
  }
  return count > 0.0 ? sum / count : -300.0;
}

Result<Grid> grid_of(const NetworkDriver& low, const NetworkDriver& high, const CrossoverWish& w) {
  const auto make = [&](FilterPass pass) {
    return ActiveFilter::make({w.shape, pass, w.order, w.frequency_hz});
  };
  const auto low_pass = make(FilterPass::kLow);
  const auto high_pass = make(FilterPass::kHigh);
  if (!low_pass) return tl::unexpected(low_pass.error());
  if (!high_pass) return tl::unexpected(high_pass.error());
  const Response& a = low.responses.at({});
  const Response& b = high.responses.at({});
  const double from = std::max({w.frequency_hz / 4.0, a.axis().front(), b.axis().front()});
  const double to = std::min({w.frequency_hz * 4.0, a.axis().back(), b.axis().back()});
  if (from > w.frequency_hz / 1.98 || to < w.frequency_hz * 1.98)
    return bad_input(
        fmt::format("The takes of {} and {} alone do not reach an octave to each side of {}.",
                    w.low, w.high, frequency_text(w.frequency_hz)));
  Grid g;
  g.crossing_hz = w.frequency_hz;
  const FrequencyAxis axis = FrequencyAxis::logarithmic(from, to, kPerOctave);
  g.hz.assign(axis.hz().begin(), axis.hz().end());
  for (const double f : g.hz) g.system_db.push_back(w.target.at(f) - w.target.at(w.frequency_hz));
  g.low = {resampled(a, axis).values(), resampled(low.impedance, axis).values(), {}};
  g.high = {resampled(b, axis).values(), resampled(high.impedance, axis).values(), {}};
  // Each in the band that it will keep; nothing is made louder than the quieter one.
  g.level_db = std::min(mean_db(g, g.low, w.frequency_hz / 2.0, w.frequency_hz / 1.2),
                        mean_db(g, g.high, w.frequency_hz * 1.2, w.frequency_hz * 2.0));
  const Complex here = low_pass->at(w.frequency_hz) / high_pass->at(w.frequency_hz);
  const double sign = here.real() >= 0.0 ? 1.0 : -1.0;
  for (std::size_t i = 0; i < g.hz.size(); ++i) {
    const double f = g.hz[i], system_db = g.system_db[i];
    const Complex l = low_pass->at(f), h = high_pass->at(f);
    g.low.target_db.push_back(g.level_db + system_db + db_of(std::abs(l)));
    g.high.target_db.push_back(g.level_db + system_db + db_of(std::abs(h)));
    g.sum_db.push_back(system_db + db_of(std::abs(l + sign * h)));
    g.turn.push_back(l / (sign * h) / std::abs(l / h));
  }
  return g;
}

double trouble_hz(const Grid& g, const Side& side, bool low) {
  double most = -1e300, at = low ? 3.0 * g.crossing_hz : 0.4 * g.crossing_hz;
  for (std::size_t i = 0; i < g.hz.size(); ++i) {
    if (low ? g.hz[i] < 1.2 * g.crossing_hz : g.hz[i] > g.crossing_hz / 1.2) continue;
    const double stands = db_of(std::abs(side.sound[i]));
    if (stands <= most) continue;
    most = stands;
    at = g.hz[i];
  }
  return at;
}

std::vector<Complex> through(const Ladder& ladder, const Side& side, const std::vector<double>& hz,
                             std::vector<Complex>* input) {
  std::vector<Complex> out(hz.size());
  for (std::size_t i = 0; i < hz.size(); ++i) {
    const LadderState s = solve_ladder(ladder, side.ohm[i], hz[i]);
    out[i] = side.sound[i] * s.transfer;
    if (input != nullptr) (*input)[i] += 1.0 / s.input_ohm;
  }
  return out;
}

void add_slope(std::vector<double>& r, const Grid& g, const Side& side, bool low,
               const std::vector<Complex>& sound, double weight) {
  for (std::size_t i = 0; i < g.hz.size(); ++i) {
    const double off = db_of(std::abs(sound[i])) - side.target_db[i];
    const bool beyond = low ? g.hz[i] > g.crossing_hz : g.hz[i] < g.crossing_hz;
    // Where nearly nothing of it is left, a decibel is nothing.
    const double depth = std::max(0.0, g.level_db + g.system_db[i] - side.target_db[i]);
    const double heard = 1.0 / (1.0 + std::pow(depth / 18.0, 2));
    if (g.near(i))
      r.push_back(weight * heard * off);
    else
      r.push_back(weight * (beyond ? 0.5 * heard * std::max(off, 0.0) : 0.3 * off));
  }
}

Deviation deviation_of(const Grid& g, const std::vector<Complex>& low,
                       const std::vector<Complex>& high, double sign,
                       std::vector<double>* residual) {
  std::vector<double> off;
  std::vector<std::size_t> at;
  for (std::size_t i = 0; i < g.hz.size(); ++i) {
    if (!g.near(i)) continue;
    off.push_back(db_of(std::abs(low[i] + sign * high[i])) - g.level_db - g.sum_db[i]);
    at.push_back(i);
  }
  const double mean =
      std::accumulate(off.begin(), off.end(), 0.0) / static_cast<double>(off.size());
  Deviation d;
  for (std::size_t k = 0; k < off.size(); ++k) {
    const double x = off[k] - mean;
    d.rms_db += x * x;
    if (std::abs(x) > std::abs(d.largest_db)) {
      d.largest_db = x;
      d.largest_at_hz = g.hz[at[k]];
    }
    if (residual != nullptr) residual->push_back(1.5 * x);
  }
  if (residual != nullptr) residual->push_back(0.7 * mean);
  d.rms_db = std::sqrt(d.rms_db / static_cast<double>(off.size()));
  return d;
}

double slope_rms(const Grid& g, const Side& side, const std::vector<Complex>& sound) {
  double sum = 0.0, count = 0.0;
  for (std::size_t i = 0; i < g.hz.size(); ++i) {
    // As far down as it is heard beside the other.
    if (!g.near(i) || side.target_db[i] < g.level_db + g.system_db[i] - 15.0) continue;
    sum += std::pow(db_of(std::abs(sound[i])) - side.target_db[i], 2);
    count += 1.0;
  }
  return std::sqrt(sum / std::max(count, 1.0));
}

double off_phase(const Grid& g, std::size_t i, Complex low, Complex high) {
  const Complex between = low / high;
  return std::abs(between / std::abs(between) - g.turn[i]);
}

double phase_weight(Complex low, Complex high) {
  const double apart_db = std::abs(db_of(std::abs(low)) - db_of(std::abs(high)));
  return 1.0 / (1.0 + std::pow(apart_db / 8.0, 2));
}

}  // namespace lalometer::design
