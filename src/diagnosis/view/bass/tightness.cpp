#include "diagnosis/view/bass/tightness.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <vector>

#include "acoustics/impedance/box_signature.h"
#include "acoustics/impedance/fit/driver_fit.h"
#include "acoustics/impedance/fit/fit_points.h"
#include "acoustics/impedance/fit/impedance_model.h"

namespace lalometer {
namespace {

using Slot = ImpedanceModel::Slot;

/// A port's mass so large that nothing passes it: the model of a vented box is one of a sealed one
/// then. Its losses are told at this tuning.
constexpr double kShut_hz = 0.1;

/// What is known of sealed boxes and their drivers beforehand (common practice, no source).
constexpr double kTight = 1.0 / 60.0, kTightDeviation = 0.015;  // 1/Q of the leak
constexpr double kAir = 1.0 / 20.0, kAirDeviation = 0.05;       // 1/Q of the filling
constexpr double kCreep = 0.08, kCreepDeviation = 0.05;
constexpr double kQms = 4.0, kQmsDeviation = 0.5;          // of the logarithm
constexpr double kStiffer = 1.5, kStifferDeviation = 0.8;  // compliance ratio, of the logarithm
constexpr double kLeaky_q = 2.0;
/// Of a driver that was taken in free air: its box moves it otherwise, and its creep goes on.
constexpr double kSameQmsDeviation = 0.15;
constexpr double kSameStifferDeviation = 0.15;

class SealedBox {
 public:
  SealedBox(const FitPoints& points, bool has_phase, const ImpedancePeak& hump, double least_ohm,
            const DriverFit* free, bool crossed)
      : points_(points),
        input_(points.input(has_phase, 0.0)),
        model_({.coil = CoilModel::kPowerLaw,
                .back = BackLoad::kVented,
                .absorbing = true,
                .creep = true,
                .crossover = crossed}),
        scale_(hump.frequency_hz / kShut_hz),
        limits_(model_.limits()) {
    input_.noise = std::max(points.noise, 0.002);
    limits_[model_.at(Slot::kTuning)] = {std::log(0.5 * kShut_hz), std::log(2.0 * kShut_hz)};
    limits_[model_.at(Slot::kLeak)] = {std::log(0.2 / scale_), std::log(1e4 / scale_)};
    limits_[model_.at(Slot::kAbsorption)] = {std::log(0.5 * scale_), std::log(1e4 * scale_)};
    double qms = kQms;
    double stiffer = kStiffer;
    if (free != nullptr) {
      qms = free->qms.value;
      stiffer = std::max(std::pow(hump.frequency_hz / free->fs_hz.value, 2) - 1.0, 0.1);
    }
    start_.assign(model_.size(), 0.0);
    const auto begin = [&](Slot slot, double value) { start_[model_.at(slot)] = std::log(value); };
    begin(Slot::kRe, least_ohm);
    begin(Slot::kFs, hump.frequency_hz / std::sqrt(1.0 + stiffer));
    begin(Slot::kQms, qms);
    begin(Slot::kRes, std::max(hump.magnitude_ohm - least_ohm, 1.0));
    begin(Slot::kAlpha, stiffer);
    begin(Slot::kTuning, kShut_hz);
    begin(Slot::kAbsorption, scale_ / kAir);
    begin(Slot::kCoil, 3.0);
    start_[model_.at(Slot::kCoil) + 1] = 0.7;
    start_[model_.at(Slot::kCreep)] = kCreep;
    common_ = {{model_.at(Slot::kQms), std::log(qms), free ? kSameQmsDeviation : kQmsDeviation},
               {model_.at(Slot::kAlpha), std::log(stiffer),
                free ? kSameStifferDeviation : kStifferDeviation},
               {model_.at(Slot::kTuning), std::log(kShut_hz), 0.01, false, true},
               {model_.at(Slot::kCreep), kCreep, kCreepDeviation},
               {model_.at(Slot::kAbsorption), kAir / scale_, kAirDeviation / scale_, true}};
    if (!crossed) return;
    for (std::size_t k = 0; k < kFirstCrossover.size(); ++k) {
      start_[model_.at(Slot::kCrossover) + k] = kFirstCrossover[k];
      common_.push_back({model_.at(Slot::kCrossover) + k, kFirstCrossover[k], 1.0});
    }
  }

  [[nodiscard]] CurveFit fitted(bool leaky) const {
    std::vector<Prior> priors = common_;
    std::vector<double> start = start_;
    start[model_.at(Slot::kLeak)] = std::log((leaky ? kLeaky_q : 1.0 / kTight) / scale_);
    if (!leaky)
      priors.push_back(
          {model_.at(Slot::kLeak), kTight * scale_, kTightDeviation * scale_, true, true});
    CurveFitInput input = input_;
    input.priors = priors;
    return fit_curve(input, model_.over(points_.frequency_hz), std::move(start), limits_,
                     FitEffort::kExplore);
  }
  [[nodiscard]] double leak_q(const CurveFit& fit) const {
    return std::exp(fit.theta[model_.at(Slot::kLeak)]) * scale_;
  }

 private:
  const FitPoints& points_;
  CurveFitInput input_;
  ImpedanceModel model_;
  double scale_;
  std::vector<FitRange> limits_;
  std::vector<double> start_;
  std::vector<Prior> common_;
};

}  // namespace

std::optional<Tightness> tightness_of(const Response& z, const DriverFit* free, bool crossed) {
  constexpr double kHighest_hz = 400.0;
  std::optional<ImpedancePeak> hump;
  for (const ImpedancePeak& p : impedance_peaks(z, 0.12))
    if (p.frequency_hz < kHighest_hz && (!hump || p.magnitude_ohm > hump->magnitude_ohm)) hump = p;
  if (!hump || z.axis().front() > 0.5 * hump->frequency_hz) return std::nullopt;
  const auto least = impedance_minimum(z, 1.3 * hump->frequency_hz, 8.0 * hump->frequency_hz);
  const auto points = fit_points(z, 0.0, 2.5 * hump->frequency_hz);
  if (!least || !points) return std::nullopt;
  const SealedBox box(*points, z.has_phase(), *hump, least->magnitude_ohm, free, crossed);
  const CurveFit tight = box.fitted(false);
  const CurveFit leaky = box.fitted(true);
  return Tightness{.leak_q = box.leak_q(leaky),
                   .better = tight.criterion - leaky.criterion,
                   .departs_percent = 100.0 * leaky.rms};
}

double Tightness::ratio() const {
  // Rows that hang together count less than their number.
  constexpr double kTogether = 0.05;
  constexpr double kFaulty_q = 5.5;
  constexpr double kMost = 20.0;
  const double size = std::clamp(std::pow(kFaulty_q / leak_q, 4.0), 0.01, 4.0);
  const double fit = std::clamp(std::exp(0.5 * kTogether * better), 1.0 / kMost, kMost);
  return std::clamp(size * fit, 1.0 / kMost, kMost);
}

std::string Tightness::said() const {
  return fmt::format(
      "by the run below the hump a leak has a Q of {:.1f} there (followed within {:.1f} %)", leak_q,
      departs_percent);
}

}  // namespace lalometer
