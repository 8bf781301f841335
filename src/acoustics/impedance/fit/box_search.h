#pragma once

#include <algorithm>
#include <optional>
#include <span>
#include <vector>

#include "acoustics/impedance/fit/driver_fit.h"

namespace lalometer {

/// A model that may be the true one, and how probable it is among those that were tried.
struct Weighed {
  Fitted fitted;
  double weight = 1.0;
};
/// Tries models of a box on its points, from guesses by Small's three frequencies; the valley
/// between the impedance peaks stands for the tuning.
class BoxSearch {
 public:
  BoxSearch(const FitPoints& points, bool has_phase, BackLoad back, std::optional<double> re_ohm,
            double calibration_percent, double low, double high);
  /// The models that explain the points about equally well, the best one first.
  std::vector<Weighed> plausible();

 private:
  /// @param first_crossover  where its elements start; not looked at without one.
  void attempt(MotorShape shape, double ql, double own,
               std::span<const double> first_crossover = kFirstCrossover);
  /// Another coil before what was found so far.
  void attempt_from_best(CoilModel coil);
  void explore();
  [[nodiscard]] CurveFit fitted(const ImpedanceModel& model, const FitPoints& points,
                                std::vector<double> start, FitEffort effort) const;
  void put_coil(const ImpedanceModel& model, std::vector<double>& t) const;
  [[nodiscard]] std::vector<double> start_of(const ImpedanceModel& model, double ql, double own,
                                             std::span<const double> first_crossover) const;
  [[nodiscard]] std::vector<FitRange> limits_of(const ImpedanceModel& model, double re) const;
  /// Where a model leaves nothing but noise there is nothing for another to explain.
  [[nodiscard]] bool explained(double share) const {
    // Below a few hundredths of a per cent no measured curve follows any model.
    return !all_.empty() && best().fit.typical < share * std::max(points_.noise, 3e-4);
  }
  [[nodiscard]] const Fitted& best() const {
    return *std::min_element(all_.begin(), all_.end(), [](const Fitted& a, const Fitted& b) {
      return a.fit.criterion < b.fit.criterion;
    });
  }
  [[nodiscard]] std::vector<Prior> priors_of(const ImpedanceModel& model) const;

  const FitPoints& points_;
  FitPoints few_;  ///< of them, for exploring
  bool has_phase_;
  BackLoad back_;
  bool fixed_re_;
  double calibration_percent_;
  double low_, high_, fb_, re_, peak_, alpha_, top_, w_top_;
  std::vector<Fitted> all_;
};

}  // namespace lalometer
