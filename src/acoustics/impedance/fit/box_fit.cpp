#include "acoustics/impedance/fit/box_fit.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "acoustics/impedance/fit/box_search.h"
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
      // The top of a parabola: comparing heights about a flat top holds its place to 1e-8 only,
      // and the differences that become gradients ask for more.
      double top = f;
      double step = kStep;
      double left = before;
      double middle = here;
      double right = after;
      for (int round = 0; round < 3; ++round) {
        const double bend = left - 2.0 * middle + right;
        const double moved = bend < 0.0 ? 0.5 * (left - right) / bend : 0.0;
        top *= std::pow(step, std::clamp(moved, -1.0, 1.0));
        step = 1.001;
        left = height(top / step);
        middle = height(top);
        right = height(top * step);
      }
      found.push_back(top);
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

/// The two impedance peaks of a bass system: the most prominent below 400 Hz, where a crossover's
/// bump hardly lies; a very small box has its upper one higher.
std::optional<std::pair<double, double>> bass_humps(const FitPoints& points) {
  const std::vector<Hump> all = humps(points, 0.05);
  for (const double limit_hz : {400.0, 1200.0}) {
    std::vector<double> low;
    for (const Hump& h : all)
      if (h.frequency_hz < limit_hz && low.size() < 2) low.push_back(h.frequency_hz);
    if (low.size() == 2) return std::minmax(low[0], low[1]);
  }
  return std::nullopt;
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
      return std::exp(t[m_.at(Slot::kTuning)]) * stiffened(t);
    });
  }
  /// Losses count at the tuning (Small 1974), the model's at that of the radiator's mass alone.
  [[nodiscard]] Estimate leak() const {
    return by_differences(fit_, [&](const std::vector<double>& t) {
      return std::exp(t[m_.at(Slot::kLeak)]) * stiffened(t);
    });
  }
  [[nodiscard]] Estimate absorption() const {
    return by_differences(fit_, [&](const std::vector<double>& t) {
      return std::exp(t[m_.at(Slot::kAbsorption)]) / stiffened(t);
    });
  }
  [[nodiscard]] Estimate passed() const {
    return by_differences(fit_, [&](const std::vector<double>& t) {
      const double about = std::exp(t[m_.at(Slot::kTuning)]) * stiffened(t);
      double most = 0.0;
      for (double f = 0.6 * about; f < 1.5 * about; f *= 1.01)
        most = std::max(most, std::abs(m_.passed(t, f)));
      return most;
    });
  }
  [[nodiscard]] Estimate notch() const {
    return by_differences(fit_, [&](const std::vector<double>& t) {
      return std::exp(t[m_.at(Slot::kTuning)] + t[m_.at(Slot::kOwn)]);
    });
  }

 private:
  /// Tuning over that of the radiator's mass against the box alone; 1 for a port.
  [[nodiscard]] double stiffened(const std::vector<double>& t) const {
    const double own = back_ == BackLoad::kRadiator ? std::exp(t[m_.at(Slot::kOwn)]) : 0.0;
    return std::sqrt(1.0 + own * own);
  }

  const ImpedanceModel& m_;
  const CurveFit& fit_;
  BackLoad back_;
  double low_, high_;
};

/// Over all plausible models: the best one's own figure, its interval widened by how far the others
/// lie from it.
template <class Figure>
Estimate over(const std::vector<Weighed>& models, BackLoad back, double low, double high,
              const Figure& figure) {
  double mean = 0.0;
  std::vector<Estimate> each;
  for (const Weighed& one : models) {
    each.push_back(figure(BoxReading(one.fitted, back, low, high)));
    mean += one.weight * each.back().value;
  }
  double square = 0.0;
  for (std::size_t i = 0; i < models.size(); ++i) {
    const double apart = kTwoSided95 * (each[i].value - mean);
    square += models[i].weight * (each[i].half_width * each[i].half_width + apart * apart);
  }
  return {mean, std::sqrt(square)};
}

/// A loss is known as 1/Q; the same step of it is a longer way up in Q than down.
Estimate as_loss(const Estimate& q) {
  const double relative = q.half_width / q.value;
  return from_relative(q.value, relative / (1.0 - relative * relative));
}

BoxFit told(const std::vector<Weighed>& models, BackLoad back, double low, double high,
            double noise) {
  const Fitted& best = models.front().fitted;
  const ImpedanceModel& m = best.model;
  const CurveFit& fit = best.fit;
  const auto figure = [&](auto what) { return over(models, back, low, high, what); };
  const auto plain = [&](Slot slot) {
    return figure([slot](const BoxReading& r) { return r.plain(slot); });
  };
  BoxFit out{.re_ohm = plain(Slot::kRe),
             .driver_fs_hz = plain(Slot::kFs),
             .driver_qms = plain(Slot::kQms),
             .driver_qes = figure([](const BoxReading& r) { return r.qes(); }),
             .alpha = plain(Slot::kAlpha),
             .fl_hz = figure([](const BoxReading& r) { return r.hump(false); }),
             .fb_hz = figure([](const BoxReading& r) { return r.tuning(); }),
             .fh_hz = figure([](const BoxReading& r) { return r.hump(true); }),
             .motor = {m, fit.theta},
             .notes = {}};
  if (back == BackLoad::kRadiator) {
    constexpr double kHeld = 0.6;
    // A driver without losses of its own is a fit gone astray: the box's stand in their place.
    constexpr double kMostQms = 50.0;
    const Estimate passed = figure([](const BoxReading& r) { return r.passed(); });
    if (passed.half_width < kHeld * passed.value && out.driver_qms.value < kMostQms)
      out.passed_q = passed;
    const Estimate notch = figure([](const BoxReading& r) { return r.notch(); });
    if (notch.half_width < 0.3 * notch.value)
      out.notch_hz = notch;
    else
      out.notes.emplace_back(
          "notch_hz: the radiator's own resonance leaves no mark in this curve.");
  }
  // A loss is told where the data, not what is known of boxes beforehand, hold it.
  // Beside a radiator's own loss a leak is told apart less surely.
  const double held = back == BackLoad::kRadiator ? 0.3 : 0.5;
  const Estimate qa = figure([](const BoxReading& r) { return r.absorption(); });
  if (qa.half_width < held * qa.value)
    out.qa = as_loss(qa);
  else
    out.notes.emplace_back("qa: what is lost by absorption is not told apart in this curve.");
  const Estimate ql = figure([](const BoxReading& r) { return r.leak(); });
  if (ql.half_width < held * ql.value) {
    out.ql = as_loss(ql);
  } else {
    out.notes.emplace_back(
        "ql: the box's losses are too small to be told apart from none in this curve.");
  }
  out.misfit_percent = 100.0 * fit.rms;
  if (m.shape().crossover)
    out.notes.emplace_back("What a crossover adds in the bass was fitted along.");
  if (models.size() > 1) {
    out.notes.push_back(fmt::format(
        "{} models explain the curve nearly alike; the uncertainties count their differences.",
        models.size()));
  }
  if (fit.rms > 3.0 * noise * std::sqrt(2.0) + 0.005) {
    out.notes.push_back(fmt::format(
        "The curve departs from the model by {:.1f} %, more than its noise. The uncertainties "
        "count that.",
        out.misfit_percent));
  }
  return out;
}

}  // namespace

Result<BoxFit> fit_box(const Response& impedance, BackLoad back, std::optional<double> re_ohm,
                       double calibration_percent) {
  auto all = fit_points(impedance, 0.0, 2000.0);
  if (!all) return tl::unexpected(all.error());
  const auto pair = bass_humps(*all);
  if (!pair) return one_hump(*all, back);
  const auto [low, high] = *pair;
  if (low < 1.03 * all->frequency_hz.front() || high > all->frequency_hz.back() / 1.5) {
    return bad_input(fmt::format(
        "An impedance peak is cut off: the curve runs from {} to {} and must reach below the "
        "lower impedance peak "
        "({}) and above the upper one ({}).",
        frequency_text(all->frequency_hz.front()), frequency_text(all->frequency_hz.back()),
        frequency_text(low), frequency_text(high)));
  }
  const double top = std::min(2000.0, 6.0 * high);
  auto points = fit_points(impedance, 0.0, top, {0.5 * low, 2.0 * high});
  if (!points) return tl::unexpected(points.error());
  const std::vector<Weighed> models =
      BoxSearch(*points, impedance.has_phase(), back, re_ohm, calibration_percent, low, high)
          .plausible();
  const Fitted& best = models.front().fitted;
  if (best.fit.rms > kWorstMisfit) {
    return bad_input(fmt::format(
        "The curve departs from the model of a driver in {} by {:.0f} %: it is no such box, or it "
        "was spoilt.",
        back == BackLoad::kVented ? "a vented box" : "a box with a passive radiator",
        100.0 * best.fit.rms));
  }
  BoxFit out = told(models, back, low, high, points->noise);
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
