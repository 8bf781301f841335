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

/// Tries models of a box on its points, from guesses by Small's three frequencies; the valley
/// between the impedance peaks stands for the tuning.
class BoxSearch {
 public:
  BoxSearch(const FitPoints& points, bool has_phase, BackLoad back, std::optional<double> re_ohm,
            double low, double high);
  /// The model that explains the points best without more than they ask for.
  Fitted best();

 private:
  void attempt(MotorShape shape, double ql, double own, double plainly,
               FitEffort effort = FitEffort::kFull);
  void put_coil(const ImpedanceModel& model, std::vector<double>& t) const;
  [[nodiscard]] std::vector<double> start_of(const ImpedanceModel& model, double ql,
                                             double own) const;
  [[nodiscard]] std::vector<FitRange> limits_of(const ImpedanceModel& model, double re) const;
  /// Where a model leaves nothing but noise there is nothing for another to explain.
  [[nodiscard]] bool explained(double share) const {
    return best_ && best_->fit.typical < share * points_.noise;
  }
  void with_crossover(CoilModel coil, double own) {
    attempt({.coil = coil, .crossover = true}, 7.0, own, kPlainlyBetter, FitEffort::kExplore);
  }
  [[nodiscard]] CurveFitInput data() const { return {points_.z, points_.weights, has_phase_}; }

  const FitPoints& points_;
  bool has_phase_;
  BackLoad back_;
  bool fixed_re_;
  double low_, high_, fb_, re_, peak_, alpha_, top_, w_top_;
  std::optional<Fitted> best_;
};

BoxSearch::BoxSearch(const FitPoints& points, bool has_phase, BackLoad back,
                     std::optional<double> re_ohm, double low, double high)
    : points_(points),
      has_phase_(has_phase),
      back_(back),
      fixed_re_(re_ohm.has_value()),
      low_(low),
      high_(high),
      peak_(0.0) {
  std::size_t valley = 0;
  double smallest = std::abs(points.z.front());
  double at_valley = 1e300;
  for (std::size_t i = 0; i < points.z.size(); ++i) {
    const double f = points.frequency_hz[i];
    const double m = std::abs(points.z[i]);
    smallest = std::min(smallest, has_phase ? std::max(points.z[i].real(), 0.05) : m);
    if (f < low || f > high) continue;
    peak_ = std::max(peak_, m);
    if (m < at_valley) {
      at_valley = m;
      valley = i;
    }
  }
  fb_ = points.frequency_hz[valley];
  re_ = re_ohm.value_or(smallest);
  alpha_ = std::max(
      0.1, (high * high - fb_ * fb_) * (fb_ * fb_ - low * low) / (high * high * low * low));
  top_ = points.z.back().imag() > 0.1 ? points.z.back().imag() : 0.3 * re_;
  w_top_ = 2.0 * kPi * points.frequency_hz.back();
}

void BoxSearch::put_coil(const ImpedanceModel& model, std::vector<double>& t) const {
  const std::size_t c = model.at(Slot::kCoil);
  const CoilModel coil = model.shape().coil;
  if (coil == CoilModel::kPlain) t[c] = std::log(top_ / w_top_);
  if (coil == CoilModel::kPowerLaw) {
    t[c] = std::log(top_ * std::pow(1000.0 * 2.0 * kPi / w_top_, 0.65));
    t[c + 1] = 0.65;
  }
  if (coil == CoilModel::kShunted) {
    t[c] = std::log(0.6 * top_ / w_top_);
    t[c + 1] = std::log(top_ / w_top_);
    t[c + 2] = std::log(1.5 * top_);
  }
}

std::vector<double> BoxSearch::start_of(const ImpedanceModel& model, double ql, double own) const {
  std::vector<double> t(model.size());
  double f0 = fb_;
  if (back_ == BackLoad::kRadiator) {
    f0 = fb_ / std::sqrt(1.0 + own * own);
    t[model.at(Slot::kOwn)] = std::log(own);
    t[model.at(Slot::kOwnQ)] = std::log(8.0);
  }
  t[model.at(Slot::kRe)] = std::log(re_);
  t[model.at(Slot::kFs)] = std::log(low_ * high_ / fb_);
  t[model.at(Slot::kQms)] = std::log(5.0);
  t[model.at(Slot::kRes)] = std::log(std::max(peak_ - re_, 0.1 * re_));
  put_coil(model, t);
  t[model.at(Slot::kAlpha)] = std::log(alpha_);
  t[model.at(Slot::kTuning)] = std::log(f0);
  t[model.at(Slot::kLeak)] = std::log(ql);
  if (model.shape().absorbing) t[model.at(Slot::kAbsorption)] = std::log(20.0);
  if (model.shape().crossover)
    std::copy(kFirstCrossover.begin(), kFirstCrossover.end(),
              t.begin() + static_cast<std::ptrdiff_t>(model.at(Slot::kCrossover)));
  return t;
}

std::vector<FitRange> BoxSearch::limits_of(const ImpedanceModel& model, double re) const {
  auto limits = model.limits();
  if (fixed_re_) limits[0] = {re, re};
  return limits;
}

void BoxSearch::attempt(MotorShape shape, double ql, double own, double plainly, FitEffort effort) {
  shape.back = back_;
  shape.fixed_re = fixed_re_;
  ImpedanceModel model(shape);
  std::vector<double> t = start_of(model, ql, own);
  const auto limits = limits_of(model, t[0]);
  CurveFit fit = fit_curve(data(), model.over(points_.frequency_hz), std::move(t), limits, effort);
  if (!best_ || fit.criterion < best_->fit.criterion - plainly)
    best_ = Fitted{model, std::move(fit)};
}

Fitted BoxSearch::best() {
  const std::vector<double> owns =
      back_ == BackLoad::kRadiator ? std::vector<double>{0.3, 0.6} : std::vector<double>{0.0};
  for (const double own : owns) {
    attempt({.coil = CoilModel::kPlain}, 7.0, own, 0.0);
    if (!explained(1.05)) attempt({.coil = CoilModel::kPowerLaw}, 7.0, own, 2.0);
  }
  const double first_own = owns.front() == 0.0 ? 0.0 : 0.4;
  // No coil bends a curve by several percent in the bass: that is a crossover's work.
  if (best_->fit.typical > std::max(kFarOff, 3.0 * points_.noise))
    with_crossover(CoilModel::kShunted, first_own);
  if (!best_->model.shape().crossover && !explained(1.05)) {
    for (const double own : owns) attempt({.coil = CoilModel::kShunted}, 7.0, own, 2.0);
    if (!explained(1.15)) with_crossover(best_->model.shape().coil, first_own);
  }
  // Damping material loses by the air's compression, not by a leak: only where the data show it.
  if (!explained(1.15)) {
    MotorShape shape = best_->model.shape();
    shape.absorbing = true;
    attempt(shape, 12.0, first_own, kPlainlyBetter);
  }
  if (best_->model.shape().crossover && !best_->model.shape().absorbing) {
    const auto limits = limits_of(best_->model, best_->fit.theta[0]);
    best_->fit =
        fit_curve(data(), best_->model.over(points_.frequency_hz), best_->fit.theta, limits);
  }
  return std::move(*best_);
}

/// What a model's numbers mean, each with what the fit lets it vary by.
class BoxReading {
 public:
  BoxReading(const Fitted& best, BackLoad back, double low, double high)
      : m_(best.model), fit_(best.fit), back_(back), low_(low), high_(high) {}
  [[nodiscard]] Estimate plain(Slot slot) const {
    return by_differences(
        fit_, [&](const std::vector<double>& theta) { return std::exp(theta[m_.at(slot)]); });
  }
  [[nodiscard]] Estimate qes() const {
    return by_differences(fit_, [&](const std::vector<double>& t) {
      return std::exp(t[m_.at(Slot::kQms)] + t[m_.at(Slot::kRe)] - t[m_.at(Slot::kRes)]);
    });
  }
  [[nodiscard]] Estimate hump(bool upper) const {
    const double from = std::max(5.0, 0.5 * low_);
    return by_differences(fit_, [&](const std::vector<double>& theta) {
      const auto found = smooth_humps(m_, theta, from, 2.5 * high_);
      if (found.empty()) return upper ? high_ : low_;
      return upper ? found.back() : found.front();
    });
  }
  [[nodiscard]] Estimate tuning() const {
    return by_differences(fit_, [&](const std::vector<double>& t) {
      const double own = back_ == BackLoad::kRadiator ? std::exp(t[m_.at(Slot::kOwn)]) : 0.0;
      return std::exp(t[m_.at(Slot::kTuning)]) * std::sqrt(1.0 + own * own);
    });
  }
  [[nodiscard]] Estimate notch() const {
    return by_differences(fit_, [&](const std::vector<double>& t) {
      return std::exp(t[m_.at(Slot::kTuning)] + t[m_.at(Slot::kOwn)]);
    });
  }

 private:
  const ImpedanceModel& m_;
  const CurveFit& fit_;
  BackLoad back_;
  double low_, high_;
};

BoxFit told(const Fitted& best, BackLoad back, double low, double high, double noise) {
  const ImpedanceModel& m = best.model;
  const CurveFit& fit = best.fit;
  const BoxReading reading(best, back, low, high);
  BoxFit out{.re_ohm = reading.plain(Slot::kRe),
             .driver_fs_hz = reading.plain(Slot::kFs),
             .driver_qms = reading.plain(Slot::kQms),
             .driver_qes = reading.qes(),
             .alpha = reading.plain(Slot::kAlpha),
             .fl_hz = reading.hump(false),
             .fb_hz = reading.tuning(),
             .fh_hz = reading.hump(true),
             .motor = {m, fit.theta},
             .notes = {}};
  if (back == BackLoad::kRadiator) {
    const Estimate notch = reading.notch();
    if (notch.half_width < 0.3 * notch.value)
      out.notch_hz = notch;
    else
      out.notes.emplace_back("The radiator's own resonance leaves no mark in this curve.");
  }
  if (m.shape().absorbing) {
    const Estimate qa = reading.plain(Slot::kAbsorption);
    if (qa.half_width < 0.6 * qa.value) out.qa = qa;
  }
  const Estimate ql = reading.plain(Slot::kLeak);
  if (ql.half_width < 0.6 * ql.value) {
    out.ql = ql;
  } else {
    out.notes.emplace_back(
        "The box's losses are too small to be told apart from none in this curve.");
  }
  out.misfit_percent = 100.0 * fit.rms;
  if (m.shape().crossover)
    out.notes.emplace_back("What a crossover adds in the bass was fitted along.");
  if (fit.rms > 3.0 * noise * std::sqrt(2.0) + 0.005) {
    out.notes.push_back(fmt::format(
        "The curve departs from the model by {:.1f} %, more than its noise. The uncertainties "
        "count that.",
        out.misfit_percent));
  }
  return out;
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
  const Fitted best = BoxSearch(*points, impedance.has_phase(), back, re_ohm, low, high).best();
  if (best.fit.rms > kWorstMisfit) {
    return bad_input(fmt::format(
        "The curve departs from the model of a driver in {} by {:.0f} %: it is no such box, or it "
        "was spoilt.",
        back == BackLoad::kVented ? "a vented box" : "a box with a passive radiator",
        100.0 * best.fit.rms));
  }
  BoxFit out = told(best, back, low, high, points->noise);
  out.fitted_to_hz = top;
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
