#include "acoustics/impedance/fit/box_fit.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;
using Slot = ImpedanceModel::Slot;

constexpr double kIsothermal = 1.4;

/// Maxima of the impedance without what a crossover has across it.
std::vector<double> smooth_humps(const ImpedanceModel& model, std::span<const double> theta,
                                 double low_hz, double high_hz) {
  const auto height = [&](double f) { return std::abs(model.uncrossed(theta, f)); };
  std::vector<double> found;
  constexpr double kStep = 1.01;
  double before = height(low_hz);
  double here = height(low_hz * kStep);
  for (double f = low_hz * kStep; f < high_hz; f *= kStep) {
    const double after = height(f * kStep);
    if (here > before && here >= after) {
      double low = f / kStep;
      double high = f * kStep;
      while (high / low > 1.0 + 1e-9) {
        const double a = low * std::pow(high / low, 1.0 / 3.0);
        const double b = low * std::pow(high / low, 2.0 / 3.0);
        (height(a) > height(b) ? high : low) = height(a) > height(b) ? b : a;
      }
      found.push_back(std::sqrt(low * high));
    }
    before = here;
    here = after;
  }
  return found;
}

/// Interval of a figure that is a function of theta without a formula: gradient by differences.
template <class F>
Estimate by_differences(const CurveFit& fit, const F& figure) {
  const double value = figure(fit.theta);
  std::vector<double> g(fit.theta.size());
  for (std::size_t k = 0; k < g.size(); ++k) {
    std::vector<double> moved = fit.theta;
    moved[k] += 1e-4;
    g[k] = (figure(moved) - value) / 1e-4;
  }
  return {value, half_width_95(fit, g)};
}

tl::unexpected<Error> one_hump(const FitPoints& points, BackLoad back) {
  return bad_input(fmt::format(
      "Two impedance peaks with a valley between are not to be seen from {} to {}: {} has them; a "
      "closed box "
      "or a driver in free air has one.",
      frequency_text(points.frequency_hz.front()), frequency_text(points.frequency_hz.back()),
      back == BackLoad::kVented ? "a vented box" : "a box with a passive radiator"));
}

/// The two impedance peaks of a bass system: the most prominent of those below 400 Hz; a
/// crossover's bump lies higher.
std::optional<std::pair<double, double>> bass_humps(const FitPoints& points) {
  std::vector<double> low;
  for (const Hump& h : humps(points, 0.05)) {
    if (h.frequency_hz < 400.0 && low.size() < 2) low.push_back(h.frequency_hz);
  }
  if (low.size() < 2) return std::nullopt;
  return std::minmax(low[0], low[1]);
}

std::optional<Fitted> best_fit(const FitPoints& points, bool has_phase, BackLoad back,
                               std::optional<double> re_ohm, double low, double high) {
  // Start by Small's three frequencies; the valley stands for the tuning.
  std::size_t valley = 0;
  double peak = 0.0;
  double smallest = std::abs(points.z.front());
  double at_valley = 1e300;
  for (std::size_t i = 0; i < points.z.size(); ++i) {
    const double f = points.frequency_hz[i];
    const double m = std::abs(points.z[i]);
    smallest = std::min(smallest, has_phase ? std::max(points.z[i].real(), 0.05) : m);
    if (f < low || f > high) continue;
    peak = std::max(peak, m);
    if (m < at_valley) {
      at_valley = m;
      valley = i;
    }
  }
  const double fb = points.frequency_hz[valley];
  const double re = re_ohm.value_or(smallest);
  const double alpha =
      std::max(0.1, (high * high - fb * fb) * (fb * fb - low * low) / (high * high * low * low));
  const double top = points.z.back().imag() > 0.1 ? points.z.back().imag() : 0.3 * re;
  const double w_top = 2.0 * kPi * points.frequency_hz.back();
  std::optional<Fitted> best;
  const auto attempt = [&](MotorShape shape, double ql, double own, double plainly,
                           FitEffort effort = FitEffort::kFull) {
    shape.back = back;
    shape.fixed_re = re_ohm.has_value();
    ImpedanceModel model(shape);
    std::vector<double> t(model.size());
    double fs = low * high / fb;
    double f0 = fb;
    if (back == BackLoad::kRadiator) {
      f0 = fb / std::sqrt(1.0 + own * own);
      t[model.at(Slot::kOwn)] = std::log(own);
      t[model.at(Slot::kOwnQ)] = std::log(8.0);
    }
    t[model.at(Slot::kRe)] = std::log(re);
    t[model.at(Slot::kFs)] = std::log(fs);
    t[model.at(Slot::kQms)] = std::log(5.0);
    t[model.at(Slot::kRes)] = std::log(std::max(peak - re, 0.1 * re));
    const std::size_t c = model.at(Slot::kCoil);
    if (shape.coil == CoilModel::kPlain) t[c] = std::log(top / w_top);
    if (shape.coil == CoilModel::kPowerLaw) {
      t[c] = std::log(top * std::pow(1000.0 * 2.0 * kPi / w_top, 0.65));
      t[c + 1] = 0.65;
    }
    if (shape.coil == CoilModel::kShunted) {
      t[c] = std::log(0.6 * top / w_top);
      t[c + 1] = std::log(top / w_top);
      t[c + 2] = std::log(1.5 * top);
    }
    t[model.at(Slot::kAlpha)] = std::log(alpha);
    t[model.at(Slot::kTuning)] = std::log(f0);
    t[model.at(Slot::kLeak)] = std::log(ql);
    if (shape.absorbing) t[model.at(Slot::kAbsorption)] = std::log(20.0);
    if (shape.crossover)
      std::copy(kFirstCrossover.begin(), kFirstCrossover.end(),
                t.begin() + static_cast<std::ptrdiff_t>(model.at(Slot::kCrossover)));
    auto limits = model.limits();
    if (re_ohm) limits[0] = {t[0], t[0]};
    CurveFit fit = fit_curve({points.z, points.weights, has_phase}, model.over(points.frequency_hz),
                             std::move(t), limits, effort);
    if (!best || fit.criterion < best->fit.criterion - plainly)
      best = Fitted{model, std::move(fit)};
  };
  const std::vector<double> owns =
      back == BackLoad::kRadiator ? std::vector<double>{0.3, 0.6} : std::vector<double>{0.0};
  // Where a model leaves nothing but noise there is nothing for another to explain.
  const auto explained = [&](double share) {
    return best && best->fit.typical < share * points.noise;
  };
  for (const double own : owns) {
    attempt({.coil = CoilModel::kPlain}, 7.0, own, 0.0);
    if (!explained(1.05)) attempt({.coil = CoilModel::kPowerLaw}, 7.0, own, 2.0);
  }
  const double first_own = owns.front() == 0.0 ? 0.0 : 0.4;
  const auto with_crossover = [&](CoilModel coil) {
    attempt({.coil = coil, .crossover = true}, 7.0, first_own, kPlainlyBetter, FitEffort::kExplore);
  };
  // No coil bends a curve by several percent in the bass: that is a crossover's work.
  if (best->fit.typical > std::max(kFarOff, 3.0 * points.noise))
    with_crossover(CoilModel::kShunted);
  if (!best->model.shape().crossover && !explained(1.05)) {
    for (const double own : owns) attempt({.coil = CoilModel::kShunted}, 7.0, own, 2.0);
    if (!explained(1.15)) with_crossover(best->model.shape().coil);
  }
  // Damping material loses by the air's compression, not by a leak: only where the data show it.
  if (!explained(1.15)) {
    MotorShape shape = best->model.shape();
    shape.absorbing = true;
    attempt(shape, 12.0, first_own, kPlainlyBetter);
  }
  if (best->model.shape().crossover && !best->model.shape().absorbing) {
    auto limits = best->model.limits();
    if (re_ohm) limits[0] = {best->fit.theta[0], best->fit.theta[0]};
    best->fit = fit_curve({points.z, points.weights, has_phase},
                          best->model.over(points.frequency_hz), best->fit.theta, limits);
  }
  return best;
}

}  // namespace

Result<BoxFit> fit_box(const Response& impedance, BackLoad back, std::optional<double> re_ohm) {
  auto all = fit_points(impedance, 0.0, 2000.0);
  if (!all) return tl::unexpected(all.error());
  const auto pair = bass_humps(*all);
  if (!pair) return one_hump(*all, back);
  const auto [low, high] = *pair;
  if (low < 1.12 * all->frequency_hz.front() || high > all->frequency_hz.back() / 1.5) {
    return bad_input(fmt::format(
        "An impedance peak is cut off: the curve runs from {} to {} and must reach well below the "
        "lower impedance peak "
        "({}) and above the upper one ({}).",
        frequency_text(all->frequency_hz.front()), frequency_text(all->frequency_hz.back()),
        frequency_text(low), frequency_text(high)));
  }
  const double top = std::min(2000.0, 6.0 * high);
  auto points = fit_points(impedance, 0.0, top, {0.5 * low, 2.0 * high});
  if (!points) return tl::unexpected(points.error());
  const auto best = best_fit(*points, impedance.has_phase(), back, re_ohm, low, high);
  const ImpedanceModel& m = best->model;
  const CurveFit& fit = best->fit;
  if (fit.rms > kWorstMisfit) {
    return bad_input(fmt::format(
        "The curve departs from the model of a driver in {} by {:.0f} %: it is no such box, or it "
        "was spoilt.",
        back == BackLoad::kVented ? "a vented box" : "a box with a passive radiator",
        100.0 * fit.rms));
  }
  const double from = std::max(5.0, 0.5 * low);
  const auto hump = [&](bool upper) {
    return by_differences(fit, [&](const std::vector<double>& theta) {
      const auto found = smooth_humps(m, theta, from, 2.5 * high);
      if (found.empty()) return upper ? high : low;
      return upper ? found.back() : found.front();
    });
  };
  BoxFit out{.re_ohm = {},
             .driver_fs_hz = {},
             .driver_qms = {},
             .driver_qes = {},
             .alpha = {},
             .fl_hz = {},
             .fb_hz = {},
             .fh_hz = {},
             .motor = {m, fit.theta},
             .notes = {}};
  const auto plain = [&](Slot slot) {
    return by_differences(
        fit, [&](const std::vector<double>& theta) { return std::exp(theta[m.at(slot)]); });
  };
  out.re_ohm = plain(Slot::kRe);
  out.driver_fs_hz = plain(Slot::kFs);
  out.driver_qms = plain(Slot::kQms);
  out.driver_qes = by_differences(fit, [&](const std::vector<double>& t) {
    return std::exp(t[m.at(Slot::kQms)] + t[m.at(Slot::kRe)] - t[m.at(Slot::kRes)]);
  });
  out.alpha = plain(Slot::kAlpha);
  out.fl_hz = hump(false);
  out.fh_hz = hump(true);
  out.fb_hz = by_differences(fit, [&](const std::vector<double>& t) {
    const double own = back == BackLoad::kRadiator ? std::exp(t[m.at(Slot::kOwn)]) : 0.0;
    return std::exp(t[m.at(Slot::kTuning)]) * std::sqrt(1.0 + own * own);
  });
  if (back == BackLoad::kRadiator) {
    const Estimate notch = by_differences(fit, [&](const std::vector<double>& t) {
      return std::exp(t[m.at(Slot::kTuning)] + t[m.at(Slot::kOwn)]);
    });
    if (notch.half_width < 0.3 * notch.value)
      out.notch_hz = notch;
    else
      out.notes.emplace_back("The radiator's own resonance leaves no mark in this curve.");
  }
  if (m.shape().absorbing) {
    const Estimate qa = plain(Slot::kAbsorption);
    if (qa.half_width < 0.6 * qa.value) out.qa = qa;
  }
  const Estimate ql = plain(Slot::kLeak);
  if (ql.half_width < 0.6 * ql.value) {
    out.ql = ql;
  } else {
    out.notes.emplace_back(
        "The box's losses are too small to be told apart from none in this curve.");
  }
  out.misfit_percent = 100.0 * fit.rms;
  out.fitted_to_hz = top;
  if (m.shape().crossover)
    out.notes.emplace_back("What a crossover adds in the bass was fitted along.");
  if (fit.rms > 3.0 * points->noise * std::sqrt(2.0) + 0.005) {
    out.notes.push_back(fmt::format(
        "The curve departs from the model by {:.1f} %, more than its noise. The uncertainties "
        "count that.",
        out.misfit_percent));
  }
  return out;
}

const char* leak_word(double ql) {
  return ql < 5.0 ? "leaky" : ql <= 10.0 ? "usual" : "tight";
}

std::optional<StuffingGain> stuffing_gain(const Estimate& fs, const Estimate& before,
                                          const Estimate& after) {
  const double air_before = before.value * before.value - fs.value * fs.value;
  const double air_after = after.value * after.value - fs.value * fs.value;
  if (!(air_before > 0.0) || !(air_after > 0.0)) return std::nullopt;
  const double ratio = air_before / air_after;
  const double by_before = 2.0 * before.value / air_before;
  const double by_after = 2.0 * after.value / air_after;
  const double by_fs = 2.0 * fs.value * (1.0 / air_after - 1.0 / air_before);
  const double relative =
      std::sqrt(std::pow(by_before * before.half_width, 2) +
                std::pow(by_after * after.half_width, 2) + std::pow(by_fs * fs.half_width, 2));
  return StuffingGain{from_relative(ratio, relative), (ratio - 1.0) / (kIsothermal - 1.0)};
}

}  // namespace lalometer
