#include "acoustics/impedance/fit/box_search.h"

#include <algorithm>
#include <cmath>

#include "base/constants.h"

namespace lalometer {
namespace {

using Slot = ImpedanceModel::Slot;

/// Each of them costs a full fit; the others' odds are small.
constexpr std::size_t kMostModels = 2;
/// Residuals over the noise from which on nothing is left for another model: what it would still
/// explain is less than chance.
constexpr double kToTheNoise = 1.08;
/// Enough to choose between models.
constexpr std::size_t kExploringPoints = 110;

}  // namespace

BoxSearch::BoxSearch(const FitPoints& points, bool has_phase, BackLoad back,
                     std::optional<double> re_ohm, double calibration_percent, double low,
                     double high)
    : points_(points),
      few_(points),
      has_phase_(has_phase),
      back_(back),
      fixed_re_(re_ohm.has_value()),
      calibration_percent_(calibration_percent),
      low_(low),
      high_(high),
      peak_(0.0) {
  if (const std::size_t stride = points.z.size() / kExploringPoints; stride > 1) {
    few_ = FitPoints{
        .frequency_hz = {}, .z = {}, .weights = {}, .noise = points.noise, .log_frequency = {}};
    for (std::size_t i = 0; i < points.z.size(); i += stride) {
      few_.frequency_hz.push_back(points.frequency_hz[i]);
      few_.z.push_back(points.z[i]);
      few_.weights.push_back(points.weights[i]);
      few_.log_frequency.push_back(points.log_frequency[i]);
    }
  }
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

std::vector<double> BoxSearch::start_of(const ImpedanceModel& model, double ql, double own,
                                        std::span<const double> first_crossover) const {
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
  t[model.at(Slot::kAbsorption)] = std::log(30.0);
  if (model.shape().crossover)
    std::copy(first_crossover.begin(), first_crossover.end(),
              t.begin() + static_cast<std::ptrdiff_t>(model.at(Slot::kCrossover)));
  return t;
}

/// What is known of boxes before one is measured (common practice, no source; Small 1973 gives QL
/// 5 to 20): leaks about 7, absorption from none to 10 (lined). Wide, but two losses that a curve
/// hardly tells apart do not run off to nothing and to everything.
std::vector<Prior> BoxSearch::priors_of(const ImpedanceModel& model) const {
  std::vector<Prior> priors = {{model.at(Slot::kLeak), 0.12, 0.1, true},
                               {model.at(Slot::kAbsorption), 0.02, 0.03, true}};
  // A box is a third to seven times as stiff as the suspension, but for oddities.
  priors.push_back({model.at(Slot::kAlpha), std::log(1.5), 0.8});
  if (back_ == BackLoad::kRadiator) {
    priors.push_back({model.at(Slot::kOwnQ), std::log(8.0), 0.8});
    // Its own resonance lies well below the tuning.
    priors.push_back({model.at(Slot::kOwn), std::log(0.45), 0.5});
  }
  if (model.shape().coil == CoilModel::kPowerLaw)
    priors.push_back({model.at(Slot::kCoil) + 1, 0.75, 0.15, false, true});
  if (model.shape().crossover) {
    // The bass hardly tells its elements apart: those of usual two-ways, a factor of five either
    // way.
    const double usual[] = {std::log(12e-6), std::log(3.0), std::log(1e-3), std::log(3e-6)};
    for (std::size_t i = 0; i < std::size(usual); ++i)
      priors.push_back({model.at(Slot::kCrossover) + i, usual[i], 0.8});
  }
  return priors;
}

std::vector<FitRange> BoxSearch::limits_of(const ImpedanceModel& model, double re) const {
  auto limits = model.limits();
  if (fixed_re_) limits[0] = {re, re};
  return limits;
}

CurveFit BoxSearch::fitted(const ImpedanceModel& model, const FitPoints& points,
                           std::vector<double> start, FitEffort effort) const {
  const auto limits = limits_of(model, start[0]);
  const std::vector<Prior> priors = priors_of(model);
  CurveFitInput input = points.input(has_phase_, calibration_percent_);
  input.priors = priors;
  return fit_curve(input, model.over(points.frequency_hz), std::move(start), limits, effort);
}

void BoxSearch::attempt(MotorShape shape, double ql, double own,
                        std::span<const double> first_crossover) {
  shape.back = back_;
  shape.fixed_re = fixed_re_;
  shape.absorbing = true;
  const ImpedanceModel model(shape);
  std::vector<double> start = start_of(model, ql, own, first_crossover);
  all_.push_back({model, fitted(model, few_, std::move(start), FitEffort::kExplore)});
}

void BoxSearch::attempt_from_best(CoilModel coil) {
  MotorShape shape = best().model.shape();
  const ImpedanceModel before(shape);
  shape.coil = coil;
  const ImpedanceModel model(shape);
  std::vector<double> start(model.size());
  put_coil(model, start);
  const std::vector<double>& known = best().fit.theta;
  const std::size_t coil_at = model.at(Slot::kCoil);
  std::copy_n(known.begin(), coil_at, start.begin());
  std::copy(known.begin() + static_cast<std::ptrdiff_t>(coil_at + coil_size(before.shape().coil)),
            known.end(), start.begin() + static_cast<std::ptrdiff_t>(coil_at + coil_size(coil)));
  all_.push_back({model, fitted(model, few_, std::move(start), FitEffort::kExplore)});
}

void BoxSearch::explore() {
  const bool radiator = back_ == BackLoad::kRadiator;
  const std::vector<double> owns =
      radiator ? std::vector<double>{0.3, 0.7} : std::vector<double>{0.0};
  for (const double own : owns) attempt({.coil = CoilModel::kPlain}, 7.0, own);
  if (explained(kToTheNoise)) {
    attempt_from_best(CoilModel::kPowerLaw);
    return;
  }
  for (const double own : owns) attempt({.coil = CoilModel::kPowerLaw}, 7.0, own);
  attempt_from_best(CoilModel::kPowerLaw);
  // No coil bends a curve by several percent in the bass: that is a crossover's work.
  if (explained(kToTheNoise) && best().fit.typical < kFarOff) return;
  if (best().fit.typical < kFarOff) attempt_from_best(CoilModel::kShunted);
  if (explained(kToTheNoise)) return;
  const double own = owns.front();
  const double larger[] = {std::log(25e-6), std::log(4.0), std::log(2.5e-3), std::log(3e-6)};
  attempt({.coil = CoilModel::kPlain, .crossover = true}, 7.0, own);
  attempt({.coil = CoilModel::kPlain, .crossover = true}, 7.0, own, larger);
  // Behind a crossover a plain coil may explain the noise away and be wrong: coils are lossy.
  attempt_from_best(CoilModel::kPowerLaw);
  if (!explained(kToTheNoise)) {
    attempt({.coil = CoilModel::kPowerLaw, .crossover = true}, 7.0, own);
    attempt({.coil = CoilModel::kPowerLaw, .crossover = true}, 7.0, own, larger);
    attempt_from_best(CoilModel::kShunted);
  }
}

std::vector<Weighed> BoxSearch::plausible() {
  explore();
  std::sort(all_.begin(), all_.end(), [](const Fitted& a, const Fitted& b) {
    return a.fit.criterion_beyond_rig < b.fit.criterion_beyond_rig;
  });
  std::vector<Weighed> kept;
  const double share = static_cast<double>(few_.z.size()) / static_cast<double>(points_.z.size());
  for (const Fitted& one : all_) {
    // exp(-difference / 2) is what a criterion of Schwarz's kind makes of two models' odds; fewer
    // points make a smaller difference.
    if (one.fit.criterion_beyond_rig >
        all_.front().fit.criterion_beyond_rig + kPlainlyBetter * share)
      break;
    // The others only say how far their figures lie from the best one's.
    CurveFit fit = fitted(one.model, points_, one.fit.theta,
                          kept.empty() ? FitEffort::kFull : FitEffort::kExplore);
    // The same minimum found from another start tells nothing new.
    const bool known = std::any_of(kept.begin(), kept.end(), [&](const Weighed& other) {
      return other.fitted.model.size() == one.model.size() &&
             std::abs(other.fitted.fit.criterion_beyond_rig - fit.criterion_beyond_rig) < 0.1;
    });
    if (!known) kept.push_back({{one.model, std::move(fit)}, 1.0});
    if (kept.size() == kMostModels) break;
  }
  std::sort(kept.begin(), kept.end(), [](const Weighed& a, const Weighed& b) {
    return a.fitted.fit.criterion_beyond_rig < b.fitted.fit.criterion_beyond_rig;
  });
  const double least = kept.front().fitted.fit.criterion_beyond_rig;
  std::erase_if(kept, [&](const Weighed& one) {
    return one.fitted.fit.criterion_beyond_rig > least + kPlainlyBetter;
  });
  double sum = 0.0;
  for (Weighed& one : kept)
    sum += one.weight = std::exp(-0.5 * (one.fitted.fit.criterion_beyond_rig - least));
  for (Weighed& one : kept) one.weight /= sum;
  return kept;
}

}  // namespace lalometer
