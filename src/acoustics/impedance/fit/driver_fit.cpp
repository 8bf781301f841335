#include "acoustics/impedance/fit/driver_fit.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "acoustics/impedance/box_signature.h"
#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;
using Slot = ImpedanceModel::Slot;

constexpr double kHighest_hz = 20000.0;

class Search {
 public:
  Search(const FitPoints& points, bool has_phase, std::vector<double> start,
         const DriverFitWishes& wishes)
      : points_(points),
        input_(points.input(has_phase, wishes.calibration_percent)),
        has_phase_(has_phase),
        start_(std::move(start)),
        fixed_re_(wishes.re_ohm.has_value()) {}

  [[nodiscard]] Fitted with(MotorShape shape, const std::vector<double>& extra) const {
    shape.fixed_re = fixed_re_;
    ImpedanceModel model(shape);
    std::vector<double> theta = start_;
    theta.insert(theta.end(), extra.begin(), extra.end());
    auto limits = model.limits();
    if (fixed_re_) limits[0] = {theta[0], theta[0]};
    const std::vector<Prior> priors = priors_of(model);
    CurveFitInput input = input_;
    input.priors = priors;
    CurveFit fit = fit_curve(input, model.over(points_.frequency_hz), theta, limits);
    return {model, std::move(fit)};
  }

  /// First guess of a coil from the reactance at the top of the curve.
  [[nodiscard]] std::vector<double> coil_start(CoilModel coil) const {
    const double f = points_.frequency_hz.back();
    const double x = has_phase_
                         ? std::max(points_.z.back().imag(), 1e-3 * std::abs(points_.z.back()))
                         : 0.7 * std::abs(points_.z.back());
    const double w = 2.0 * kPi * f;
    switch (coil) {
      case CoilModel::kPlain:
        return {std::log(x / w)};
      case CoilModel::kShunted:
        return {std::log(0.6 * x / w), std::log(x / w), std::log(1.5 * x)};
      case CoilModel::kPowerLaw:
        return {std::log(x * std::pow(1000.0 / f, 0.65)), 0.65};
      case CoilModel::kTwoPower:
        return {std::log(0.6 * x * std::pow(1000.0 / f, 0.7)),
                std::log(x * std::pow(1000.0 / f, 0.65)), 0.7, 0.65};
    }
    return {};
  }

 private:
  /// Exponents of lossy coils lie about 0.7 (Leach 2002, Wright 1990; the width is from memory). A
  /// resistance that hardly rises would stand for Re.
  static std::vector<Prior> priors_of(const ImpedanceModel& model) {
    const std::size_t c = model.at(Slot::kCoil);
    if (model.shape().coil == CoilModel::kTwoPower) return {{c + 2, 0.7, 0.2}, {c + 3, 0.7, 0.2}};
    return {};
  }

  const FitPoints& points_;
  CurveFitInput input_;
  bool has_phase_;
  std::vector<double> start_;
  bool fixed_re_;
};

tl::unexpected<Error> no_hump(const DriverFitWishes& wishes, const FitPoints& points) {
  return bad_input(fmt::format(
      "No resonance peak stands out between {} and {}: {} cannot be found from this curve.",
      frequency_text(points.frequency_hz.front()), frequency_text(points.frequency_hz.back()),
      wishes.in_closed_box ? "fc and Qtc" : "driver parameters"));
}

/// Of the free-air fit: the port's valley between two low impedance peaks.
bool looks_vented(const std::vector<Hump>& found) {
  for (std::size_t i = 1; i < found.size(); ++i) {
    const double low = std::min(found[0].frequency_hz, found[i].frequency_hz);
    const double high = std::max(found[0].frequency_hz, found[i].frequency_hz);
    if (high < 300.0 && found[i].prominence > 0.2 && high / low > 1.25 && high / low < 8.0)
      return true;
  }
  return false;
}

/// A second resonance worth the name is broad and not much smaller than the first; a small sharp
/// loop is no part of the driver's parameters.
bool is_a_hump(const Fitted& fitted) {
  const std::size_t k = fitted.model.at(Slot::kSecond);
  const double height = std::exp(fitted.fit.theta[k]);
  const double q = std::exp(fitted.fit.theta[k + 2]);
  return height > 0.1 * std::exp(fitted.fit.theta[fitted.model.at(Slot::kRes)]) && q < 12.0;
}

/// In a box the driver's impedance peak is the lowest that is not much smaller than the others: a
/// crossover's bump, which may be higher than a well damped resonance, lies above it.
void lowest_first(std::vector<Hump>& found) {
  auto lowest = found.begin();
  for (auto it = found.begin(); it != found.end(); ++it) {
    if (it->prominence > 0.15 * found.front().prominence && it->frequency_hz < lowest->frequency_hz)
      lowest = it;
  }
  if (lowest != found.end()) std::rotate(found.begin(), lowest, std::next(lowest));
}

/// Half-widths of what is made of a fit's numbers, by its gradient over their logarithms.
class Spread {
 public:
  explicit Spread(const Fitted& best) : m_(best.model), fit_(best.fit), g_(best.fit.theta.size()) {}
  /// @param by_creep  slope over the creep, where the model has one.
  [[nodiscard]] double of(std::initializer_list<std::pair<Slot, double>> parts,
                          double by_creep = 0.0) {
    std::fill(g_.begin(), g_.end(), 0.0);
    for (const auto& [slot, weight] : parts) g_[m_.at(slot)] += weight;
    if (m_.shape().creep) g_[m_.at(Slot::kCreep)] += by_creep;
    return half_width_95(fit_, g_);
  }
  [[nodiscard]] double of_place(std::size_t k) {
    std::fill(g_.begin(), g_.end(), 0.0);
    g_[k] = 1.0;
    return half_width_95(fit_, g_);
  }
  /// Of the coil's inductance at 1 kHz, which depends on all of its numbers: by differences.
  [[nodiscard]] double of_inductance(double le) {
    std::fill(g_.begin(), g_.end(), 0.0);
    for (std::size_t k = 0; k < coil_size(m_.shape().coil); ++k) {
      std::vector<double> moved = fit_.theta;
      moved[m_.at(Slot::kCoil) + k] += 1e-5;
      g_[m_.at(Slot::kCoil) + k] = (m_.coil(moved).inductance_h(1000.0) - le) / 1e-5;
    }
    return half_width_95(fit_, g_);
  }

 private:
  const ImpedanceModel& m_;
  const CurveFit& fit_;
  std::vector<double> g_;
};

/// Qms, Qes, Qts and the peak: what the motion's numbers say together with creep.
void tell_motion(DriverFit& out, const Fitted& best, Spread& spread) {
  const ImpedanceModel& m = best.model;
  const std::vector<double>& t = best.fit.theta;
  const double re = std::exp(t[m.at(Slot::kRe)]);
  const double qms = std::exp(t[m.at(Slot::kQms)]);
  const double res = std::exp(t[m.at(Slot::kRes)]);
  // Creep damps too: at fs the compliance's lag adds to 1/Qms.
  constexpr double kLag = 0.5 * kPi / 2.302585092994046;
  const double creep = m.shape().creep ? t[m.at(Slot::kCreep)] : 0.0;
  const double lag = creep * kLag / (1.0 + creep * creep * kLag * kLag);
  const double q = 1.0 / (1.0 / qms + lag);
  // With more loss the impedance peak is lower by as much.
  const double height = res * q / qms;
  // q = 1/(1/qms + lag): d ln q / d ln qms = share; the lag's own uncertainty is small beside it
  // unless creep is there, then it is counted too.
  const double share = q / qms;
  const double lag_slope = -kLag * q;  // d ln q / d creep
  out.qms = from_relative(q, spread.of({{Slot::kQms, share}}, lag_slope));
  // Qes = q Re / height = qms Re / res: neither knows the creep.
  out.qes = from_relative(qms * re / res,
                          spread.of({{Slot::kQms, 1.0}, {Slot::kRe, 1.0}, {Slot::kRes, -1.0}}));
  const double qes = out.qes.value;
  const double qts = q * qes / (q + qes);
  const double a = qts / q;    // weight of ln q in ln Qts
  const double b = qts / qes;  // of ln Qes
  out.qts = from_relative(
      qts,
      spread.of({{Slot::kQms, a * share + b}, {Slot::kRe, b}, {Slot::kRes, -b}}, a * lag_slope));
  out.peak_ohm = {re + height,
                  (re + height) * spread.of({{Slot::kRe, re / (re + height)},
                                             {Slot::kRes, height / (re + height)},
                                             {Slot::kQms, (share - 1.0) * height / (re + height)}},
                                            lag_slope * height / (re + height))};
  if (m.shape().creep) out.creep = Estimate{creep, spread.of({}, 1.0)};
}

DriverFit told(const Fitted& best, double noise) {
  const ImpedanceModel& m = best.model;
  const std::vector<double>& t = best.fit.theta;
  const std::size_t p = t.size();
  Spread spread(best);
  DriverFit out{
      .re_ohm = from_relative(std::exp(t[m.at(Slot::kRe)]), spread.of({{Slot::kRe, 1.0}})),
      .fs_hz = from_relative(std::exp(t[m.at(Slot::kFs)]), spread.of({{Slot::kFs, 1.0}})),
      .qms = {},
      .qes = {},
      .qts = {},
      .peak_ohm = {},
      .le_1khz_h = {},
      .coil = m.coil(t),
      .motor = {m, t},
      .covariance = {},
      .notes = {}};
  tell_motion(out, best, spread);
  const double le = out.coil.inductance_h(1000.0);
  out.le_1khz_h = {le, spread.of_inductance(le)};
  if (m.shape().second) {
    const std::size_t k = m.at(Slot::kSecond);
    out.second = DriverFit::Second{from_relative(std::exp(t[k + 1]), spread.of_place(k + 1)),
                                   std::exp(t[k + 2]), std::exp(t[k])};
  }
  out.misfit_percent = 100.0 * best.fit.rms;
  // Their places in theta; p where the model has none.
  const std::size_t wanted[] = {m.at(Slot::kFs), m.at(Slot::kQms), m.at(Slot::kRes),
                                m.at(Slot::kRe), m.shape().creep ? m.at(Slot::kCreep) : p};
  for (const std::size_t row : wanted) {
    for (const std::size_t column : wanted)
      out.covariance.push_back(row < p && column < p ? best.fit.covariance[row * p + column] : 0.0);
  }
  for (const std::vector<double>& row : best.fit.calibration) {
    std::vector<double>& moved = out.calibration.emplace_back();
    for (const std::size_t place : wanted) moved.push_back(place < p ? row[place] : 0.0);
  }
  if (best.fit.rms > 3.0 * noise + 0.005) {
    out.notes.push_back(
        fmt::format("The curve departs from the model by {:.1f} %, more than its noise: it has "
                    "loops or a coil that no model here follows. The uncertainties count that.",
                    out.misfit_percent));
  }
  return out;
}

/// The coil that fits best; in a closed box also with a crossover before it.
Fitted best_coil(const Search& search, const FitPoints& points, const DriverFitWishes& wishes) {
  std::optional<Fitted> best;
  const std::vector<CoilModel> usual = {CoilModel::kPlain, CoilModel::kPowerLaw,
                                        CoilModel::kShunted, CoilModel::kTwoPower};
  for (const CoilModel coil : wishes.coils.empty() ? usual : wishes.coils) {
    // Where several percent are missing, it is not another coil that explains them in a box, but a
    // crossover.
    if (wishes.in_closed_box && wishes.coils.empty() && coil == CoilModel::kShunted &&
        best->fit.typical > std::max(kFarOff, 3.0 * points.noise)) {
      const double without = best->fit.criterion;
      for (const CoilModel behind : {CoilModel::kShunted, CoilModel::kPowerLaw}) {
        std::vector<double> extra = search.coil_start(behind);
        extra.insert(extra.end(), kFirstCrossover.begin(), kFirstCrossover.end());
        Fitted next = search.with({.coil = behind, .crossover = true}, extra);
        if (next.fit.typical < kFarOff && next.fit.criterion < without - kPlainlyBetter &&
            next.fit.criterion < best->fit.criterion)
          best = std::move(next);
        if (best->fit.typical < 1.3 * points.noise) break;
      }
      if (best->model.shape().crossover) break;
    }
    MotorShape shape;
    shape.coil = coil;
    Fitted next = search.with(shape, search.coil_start(coil));
    if (!best || next.fit.criterion_beyond_rig < best->fit.criterion_beyond_rig - 2.0)
      best = std::move(next);
  }
  return std::move(*best);
}

/// What the data plainly ask for beyond a coil, starting from what was found: creep, a second
/// impedance peak, a crossover.
void refine(Fitted& best, const FitPoints& points, bool has_phase, const std::vector<Hump>& found,
            const DriverFitWishes& wishes, double re) {
  const auto improve = [&](MotorShape shape, Slot slot, const std::vector<double>& extra) {
    std::vector<double> from = best.fit.theta;
    from.insert(from.begin() + static_cast<std::ptrdiff_t>(ImpedanceModel(shape).at(slot)),
                extra.begin(), extra.end());
    const Search next(points, has_phase, from, wishes);
    Fitted more = next.with(shape, {});
    if (shape.second && !is_a_hump(more)) return;
    if (more.fit.criterion_beyond_rig < best.fit.criterion_beyond_rig - kPlainlyBetter)
      best = std::move(more);
  };
  const Hump& hump = found.front();
  // Beside a crossover a creep of less than half a percent of the curve cannot be told apart.
  if (!best.model.shape().crossover || best.fit.rms_beyond_rig > 0.5 * kFarOff) {
    MotorShape shape = best.model.shape();
    shape.creep = true;
    improve(shape, Slot::kCreep, {0.05});
  }
  if (best.fit.rms_beyond_rig > 1.2 * points.noise * std::sqrt(2.0)) {
    // A second impedance peak of its own, not a small loop: those are box modes and breakup.
    for (const Hump& other : found) {
      if (best.model.shape().crossover) break;
      if (&other == &hump || other.prominence < 0.05 || best.model.shape().second) continue;
      if (other.frequency_hz > 12.0 * hump.frequency_hz) continue;
      MotorShape shape = best.model.shape();
      shape.second = true;
      improve(shape, Slot::kSecond,
              {std::log(std::max(0.1 * re, other.magnitude_ohm - re)), std::log(other.frequency_hz),
               std::log(2.0)});
    }
  }
  if (wishes.in_closed_box && !best.model.shape().crossover &&
      best.fit.rms_beyond_rig > 1.2 * points.noise * std::sqrt(2.0)) {
    MotorShape shape = best.model.shape();
    shape.crossover = true;
    improve(shape, Slot::kCrossover, kFirstCrossover);
  }
}

/// The search itself, over chosen points.
Result<DriverFit> fit_hump(const Response& impedance, const FitPoints& points,
                           const std::vector<Hump>& found, const DriverFitWishes& wishes) {
  const Hump& hump = found.front();
  const double first = points.frequency_hz.front();
  const double last = points.frequency_hz.back();
  if (hump.frequency_hz < 1.2 * first || hump.frequency_hz > last / 1.5) {
    return bad_input(fmt::format(
        "The impedance peak at {} is cut off: the curve runs from {} to {} and must reach well to "
        "both sides "
        "of it.",
        frequency_text(hump.frequency_hz), frequency_text(first), frequency_text(last)));
  }

  // First guess by three frequencies, or from the impedance peak's bare height where it is low.
  double lowest = hump.magnitude_ohm;
  for (const Complex& z : points.z)
    lowest = std::min(lowest, impedance.has_phase() ? std::max(z.real(), 0.0) : std::abs(z));
  const double re = wishes.re_ohm.value_or(std::max(lowest, 0.05));
  const double res = std::max(hump.magnitude_ohm - re, 0.02 * re);
  const auto closed = closed_signature(impedance, re);
  const double q = closed && std::abs(closed->resonance_hz / hump.frequency_hz - 1.0) < 0.1
                       ? std::clamp(closed->qms, 0.3, 50.0)
                       : 2.0;
  const std::vector<double> start = {std::log(re), std::log(hump.frequency_hz), std::log(q),
                                     std::log(res)};
  const Search search(points, impedance.has_phase(), start, wishes);

  Fitted best = best_coil(search, points, wishes);
  refine(best, points, impedance.has_phase(), found, wishes, re);
  if (best.fit.rms > kWorstMisfit) {
    return bad_input(fmt::format(
        "The curve departs from the model of {} by {:.0f} %: it is not the impedance of a single "
        "driver{}, or it was spoilt.",
        wishes.in_closed_box ? "a driver in a closed box" : "a driver in free air",
        100.0 * best.fit.rms, wishes.in_closed_box ? "" : " without box and crossover"));
  }
  DriverFit out = told(best, points.noise * std::sqrt(2.0));
  out.fitted_to_hz = last;
  if (out.fs_hz.half_width > 0.1 * out.fs_hz.value || out.fs_hz.value < 1.1 * first ||
      out.fs_hz.value > last / 1.5) {
    return no_hump(wishes, points);
  }
  if (!impedance.has_phase())
    out.notes.emplace_back("Without phase the magnitude alone was fitted.");
  return out;
}

}  // namespace

const std::vector<double> kFirstCrossover = {std::log(10e-6), std::log(6.0), std::log(0.8e-3),
                                             std::log(6e-6)};

double DriverFit::stiffness_ratio(double frequency_hz) const {
  if (!creep) return 1.0;
  const auto stiffness = [&](double u) {
    return (1.0 / (1.0 - creep->value * Complex(std::log10(u), 0.5 * kPi / std::log(10.0)))).real();
  };
  return stiffness(frequency_hz / fs_hz.value) / stiffness(1.0);
}

Result<DriverFit> fit_driver(const Response& impedance, const DriverFitWishes& wishes) {
  auto all = fit_points(impedance, 0.0, kHighest_hz);
  if (!all) return tl::unexpected(all.error());
  auto found = humps(*all, 0.03);
  if (wishes.in_closed_box) lowest_first(found);
  if (found.empty()) return no_hump(wishes, *all);
  if (!wishes.in_closed_box && looks_vented(found)) {
    return bad_input(
        fmt::format("Two impedance peaks with a valley between ({} and {}): this is a driver in a "
                    "vented box, not in "
                    "free air. Take the driver out, or read the curve as a box's.",
                    frequency_text(std::min(found[0].frequency_hz, found[1].frequency_hz)),
                    frequency_text(std::max(found[0].frequency_hz, found[1].frequency_hz))));
  }
  const Hump& hump = found.front();
  const auto whole = [&](double top_hz) {
    auto points = fit_points(impedance, 0.0, std::min(kHighest_hz, top_hz),
                             {0.4 * hump.frequency_hz, 2.5 * hump.frequency_hz});
    return points ? fit_hump(impedance, *points, found, wishes)
                  : Result<DriverFit>(tl::unexpected(points.error()));
  };
  if (!wishes.in_closed_box) return whole(std::max(50.0 * hump.frequency_hz, 5000.0));
  // A finished loudspeaker has a crossover in front: what it does far above the impedance peak is
  // left out where the model does not follow.
  auto wide = whole(std::max(12.0 * hump.frequency_hz, 1200.0));
  if (wide && wide->misfit_percent < 1.0 + 200.0 * all->noise) return wide;
  auto narrow = whole(5.0 * hump.frequency_hz);
  if (!narrow || (wide && wide->misfit_percent < 1.5 * narrow->misfit_percent)) return wide;
  narrow->notes.emplace_back(
      "Above five times fc the curve does not follow a driver in a box (a crossover is in front); "
      "the fit leaves that out.");
  return narrow;
}

}  // namespace lalometer
