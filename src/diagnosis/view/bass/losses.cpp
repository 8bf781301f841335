#include "diagnosis/view/bass/losses.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "acoustics/impedance/box_signature.h"
#include "acoustics/impedance/fit/fit_points.h"
#include "diagnosis/view/sound/features.h"

namespace lalometer {
namespace {

using Slot = ImpedanceModel::Slot;
enum class Loss { kLeak, kPort, kAbsorption };
constexpr std::array kLosses = {Loss::kLeak, Loss::kPort, Loss::kAbsorption};

/// What an ordinary box loses, as 1/Q (common practice, no source): a leak of Q 14, a port of 60,
/// air of 30, each with how far ordinary boxes lie apart.
struct Usual {
  double mean, deviation;
};
constexpr Usual kLeak{1.0 / 14.0, 0.018};
constexpr Usual kPort{1.0 / 60.0, 0.012};
constexpr Usual kAir{1.0 / 30.0, 0.02};
/// What chokes a port, stuffing before it, damps the air of the box a little as well.
constexpr Usual kAirBesideAChokedPort{1.0 / 20.0, 0.08};
/// Of drivers whose free air nobody took; of the logarithm (common practice, no source).
constexpr double kUsualQms = 4.0, kQmsDeviation = 0.4;
/// A lossy one, where the search starts.
constexpr double kLossy_q = 4.0;

/// The impedance of a vented box about its two humps with all three losses at once.
class ThreeLosses {
 public:
  ThreeLosses(const FitPoints& points, bool has_phase, const BoxFit& box, const DriverFit* free_air,
              bool crossed, bool rising)
      : points_(points), input_(points.input(has_phase, 0.0)), free_(free_air) {
    MotorShape shape = box.motor.model.shape();
    shape.absorbing = true;
    shape.port_loss = true;
    shape.port_loss_rises = rising;
    shape.crossover = shape.crossover || crossed;
    model_ = ImpedanceModel(shape);
    // What does not follow is no noise, and priors are weighed against it (two fifths of the rms).
    input_.noise = std::max(points.noise, 0.004 * box.misfit_percent);
    start_of(box);
  }

  [[nodiscard]] CurveFit fitted(Loss loss, std::vector<double> start) const {
    std::vector<Prior> priors = common_;
    for (const auto& [kind, slot, usual] : kinds()) {
      if (kind == loss) continue;
      const Usual& known = beside(loss, kind, usual);
      priors.push_back({model_.at(slot), known.mean, known.deviation, true});
    }
    CurveFitInput input = input_;
    input.priors = priors;
    return fit_curve(input, model_.over(points_.frequency_hz), std::move(start), model_.limits(),
                     FitEffort::kExplore);
  }
  /// One fit for each of them.
  [[nodiscard]] std::vector<CurveFit> all() const {
    std::vector<CurveFit> found;
    for (const Loss loss : kLosses) found.push_back(fitted(loss, start(loss)));
    // What one of them found may be better for another, too.
    for (std::size_t k = 0; k < found.size(); ++k) {
      for (std::size_t other = 0; other < found.size(); ++other) {
        if (other == k || found[other].rms > found[k].rms) continue;
        CurveFit again = fitted(kLosses[k], found[other].theta);
        if (again.criterion < found[k].criterion) found[k] = std::move(again);
      }
    }
    return found;
  }
  /// Of a fit: with what is known less closely beforehand, more can be explained (Occam). A choked
  /// port beside damped air is two losses; where nothing tells the driver's own, both together
  /// follow a leaky box better than the leak itself, by up to so much (found on simulated boxes).
  [[nodiscard]] double criterion(const CurveFit& fit, Loss loss) const {
    constexpr double kTwoForOne = 110.0;
    double wider = loss == Loss::kPort && free_ == nullptr ? kTwoForOne : 0.0;
    for (const auto& [kind, slot, usual] : kinds())
      if (kind != loss)
        wider += 2.0 * std::log(beside(loss, kind, usual).deviation / usual.deviation);
    return fit.criterion + wider;
  }
  /// From an ordinary box with this one loss.
  [[nodiscard]] std::vector<double> start(Loss loss) const {
    std::vector<double> theta = start_;
    for (const auto& [kind, slot, usual] : kinds())
      theta[model_.at(slot)] = kind == loss ? std::log(kLossy_q) : -std::log(usual.mean);
    return theta;
  }
  [[nodiscard]] double q(const CurveFit& fit, Loss loss) const {
    for (const auto& [kind, slot, usual] : kinds())
      if (kind == loss) return std::exp(fit.theta[model_.at(slot)]);
    return 0.0;
  }

 private:
  struct Kind {
    Loss loss;
    Slot slot;
    Usual usual;
  };
  static const Usual& beside(Loss loss, Loss kind, const Usual& usual) {
    return loss == Loss::kPort && kind == Loss::kAbsorption ? kAirBesideAChokedPort : usual;
  }
  static std::array<Kind, 3> kinds() {
    return {Kind{Loss::kLeak, Slot::kLeak, kLeak}, Kind{Loss::kPort, Slot::kPortLoss, kPort},
            Kind{Loss::kAbsorption, Slot::kAbsorption, kAir}};
  }

  void start_of(const BoxFit& box) {
    const ImpedanceModel& was = box.motor.model;
    start_.assign(model_.size(), 0.0);
    for (const Slot slot :
         {Slot::kRe, Slot::kFs, Slot::kQms, Slot::kRes, Slot::kAlpha, Slot::kTuning})
      start_[model_.at(slot)] = box.motor.theta[was.at(slot)];
    for (std::size_t k = 0; k < coil_size(was.shape().coil); ++k)
      start_[model_.at(Slot::kCoil) + k] = box.motor.theta[was.at(Slot::kCoil) + k];
    if (was.shape().creep) start_[model_.at(Slot::kCreep)] = box.motor.theta[was.at(Slot::kCreep)];
    if (free_ != nullptr) {
      // In the box the air it drags along is a little more.
      const ImpedanceModel& bare = free_->motor.model;
      const auto known = [&](Slot slot, double deviation) {
        const double mean = free_->motor.theta[bare.at(slot)];
        start_[model_.at(slot)] = mean;
        common_.push_back({model_.at(slot), mean, deviation});
      };
      known(Slot::kFs, 0.05);
      known(Slot::kQms, 0.05);
      known(Slot::kRes, 0.05);
    } else {
      common_.push_back({model_.at(Slot::kQms), std::log(kUsualQms), kQmsDeviation});
    }
    if (!model_.shape().crossover) return;
    for (std::size_t k = 0; k < kFirstCrossover.size(); ++k) {
      const std::size_t at = model_.at(Slot::kCrossover) + k;
      start_[at] = was.shape().crossover ? box.motor.theta[was.at(Slot::kCrossover) + k]
                                         : kFirstCrossover[k];
      common_.push_back({at, kFirstCrossover[k], 1.0});
    }
  }

  const FitPoints& points_;
  CurveFitInput input_;
  const DriverFit* free_;
  ImpedanceModel model_{MotorShape{}};
  std::vector<double> start_;
  std::vector<Prior> common_;
};

}  // namespace

namespace {

/// A vented box as a start, from what its impedance shows at a glance.
BoxFit start_from(const ImpedanceModel& model, std::vector<double> theta, double fs, double low,
                  double valley, double high) {
  // Small 1973, without losses.
  const double high2 = high * high;
  const double fb2 = valley * valley;
  const double alpha = std::max(0.2, (high2 - fb2) * (fb2 - low * low) / (high2 * low * low));
  theta[model.at(Slot::kAlpha)] = std::log(alpha);
  theta[model.at(Slot::kTuning)] = std::log(valley);
  theta[model.at(Slot::kLeak)] = std::log(10.0);
  const auto loose = [&](Slot slot) {
    const double value = std::exp(theta[model.at(slot)]);
    return Estimate{value, 0.5 * value};
  };
  return BoxFit{.re_ohm = loose(Slot::kRe),
                .driver_fs_hz = {fs, 0.1 * fs},
                .driver_qms = loose(Slot::kQms),
                .driver_qes = {1.0, 1.0},
                .alpha = {alpha, alpha},
                .fl_hz = {low, 0.1 * low},
                .fb_hz = {valley, 0.1 * valley},
                .fh_hz = {high, 0.05 * high},
                .misfit_percent = 0.5,
                .motor = {model, std::move(theta)},
                .notes = {}};
}

/// The lowest place of a curve between two frequencies; nothing where it lies at an end.
std::optional<double> valley_between(const Response& z, double from_hz, double to_hz) {
  const auto least = impedance_minimum(z, from_hz, to_hz);
  if (!least || least->frequency_hz < 1.05 * from_hz || least->frequency_hz > 0.9 * to_hz)
    return std::nullopt;
  return least->frequency_hz;
}

}  // namespace

std::optional<BoxFit> box_from_free_air(const Response& z, const DriverFit& free_air,
                                        double upper_hump_hz) {
  const double fs = free_air.fs_hz.value;
  const auto valley = valley_between(z, std::max(0.4 * fs, z.axis().front()), upper_hump_hz);
  if (!valley || upper_hump_hz < 1.1 * fs) return std::nullopt;
  const ImpedanceModel& bare = free_air.motor.model;
  const ImpedanceModel model({.coil = bare.shape().coil, .back = BackLoad::kVented});
  std::vector<double> theta(model.size());
  for (const Slot slot : {Slot::kRe, Slot::kFs, Slot::kQms, Slot::kRes})
    theta[model.at(slot)] = free_air.motor.theta[bare.at(slot)];
  for (std::size_t k = 0; k < coil_size(bare.shape().coil); ++k)
    theta[model.at(Slot::kCoil) + k] = free_air.motor.theta[bare.at(Slot::kCoil) + k];
  // Small 1973: fL fH = fs fB.
  return start_from(model, std::move(theta), fs, fs * *valley / upper_hump_hz, *valley,
                    upper_hump_hz);
}

std::optional<BoxFit> box_from_humps(const Response& z, const ImpedancePeak& upper_hump) {
  constexpr double kCoil_ohm = 3.0;
  constexpr double kCoilPower = 0.7;
  const double high = upper_hump.frequency_hz;
  const auto valley = valley_between(z, z.axis().front(), high);
  const auto least = impedance_minimum(z, 1.3 * high, 8.0 * high);
  if (!valley || !least) return std::nullopt;
  // The lower hump's place, or that of a driver which resonates where the port does.
  double low = *valley * *valley / high;
  double most = 0.0;
  for (std::size_t i = 0; i < z.size() && z.axis()[i] < *valley; ++i)
    if (z.magnitude(i) > most) {
      most = z.magnitude(i);
      if (i > 0) low = z.axis()[i];
    }
  const double fs = low * high / *valley;
  const ImpedanceModel model({.coil = CoilModel::kPowerLaw, .back = BackLoad::kVented});
  std::vector<double> theta(model.size());
  theta[model.at(Slot::kRe)] = std::log(least->magnitude_ohm);
  theta[model.at(Slot::kFs)] = std::log(fs);
  theta[model.at(Slot::kQms)] = std::log(kUsualQms);
  theta[model.at(Slot::kRes)] =
      std::log(std::max(upper_hump.magnitude_ohm - least->magnitude_ohm, 1.0));
  theta[model.at(Slot::kCoil)] = std::log(kCoil_ohm);
  theta[model.at(Slot::kCoil) + 1] = kCoilPower;
  return start_from(model, std::move(theta), fs, low, *valley, high);
}

std::optional<LossKinds> loss_kinds(const Response& z, const BoxFit& box, const DriverFit* free_air,
                                    bool crossed) {
  const auto points = fit_points(z, 0.5 * box.fl_hz.value, 1.7 * box.fh_hz.value);
  if (!points) return std::nullopt;
  LossKinds out;
  out.leak = out.port = out.absorption = 1e300;
  double* const criteria[] = {&out.leak, &out.port, &out.absorption};
  double* const own[] = {&out.leak_alone_q, &out.port_alone_q, &out.absorption_alone_q};
  double least = 1e300;
  double rms = 0.0;
  // A port's loss is a flow resistance, or rises with the frequency as a rough pipe's.
  for (const bool rising : {false, true}) {
    const ThreeLosses model(*points, z.has_phase(), box, free_air, crossed, rising);
    const std::vector<CurveFit> found = model.all();
    for (std::size_t k = 0; k < found.size(); ++k) {
      const double criterion = model.criterion(found[k], kLosses[k]);
      if (criterion < *criteria[k]) {
        *criteria[k] = criterion;
        *own[k] = model.q(found[k], kLosses[k]);
      }
      if (criterion >= least) continue;
      least = criterion;
      rms = found[k].rms;
      out.leak_q = model.q(found[k], Loss::kLeak);
      out.port_q = model.q(found[k], Loss::kPort);
      out.absorption_q = model.q(found[k], Loss::kAbsorption);
    }
  }
  if (!(least < 1e300)) return std::nullopt;
  for (double* const one : criteria) *one -= least;
  out.departs_percent = 100.0 * rms;
  const double rows = scatter_db(z, 0.6 * box.fl_hz.value, 6.0 * box.fh_hz.value).value_or(0.02);
  out.follows = rms < 4.0 * std::expm1(std::max(rows, 0.004) / 8.686);
  out.whole = z.axis().front() < 0.75 * box.fl_hz.value;
  out.by_driver = free_air != nullptr;
  return out;
}

std::string LossKinds::said() const {
  return fmt::format(
      "by {}: Q {:.1f} of a leak, {:.1f} of the port itself, {:.0f} of the box's air (followed "
      "within {:.1f} %)",
      whole       ? "both humps"
      : by_driver ? "the upper hump and the driver in free air"
                  : "the upper hump and what is seen of the lower one",
      leak_q, port_q, absorption_q, departs_percent);
}

double LossKinds::ratio(double own, double other, double q) const {
  // Rows that hang together count less than their number.
  constexpr double kTogether = 0.05;
  // A loss that is a fault is no small one, or three together stand for one (common practice: a
  // leak of 2 to 4, a choked port of 2 to 5).
  constexpr double kFaulty_q = 5.5;
  const double most = !by_driver ? 4.0 : !whole ? 3.0 : follows ? 30.0 : 8.0;
  const double size = std::clamp(std::pow(kFaulty_q / q, 4.0), 0.1, 4.0);
  return std::clamp(size * std::exp(0.5 * kTogether * (other - own)), 1.0 / most, most);
}

}  // namespace lalometer
