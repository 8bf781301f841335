#include "acoustics/impedance/wiggles.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <functional>

#include "acoustics/impedance/network_ground.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

constexpr double kThreshold = 19.0;
constexpr std::size_t kMost = 24;
constexpr std::size_t kGround = 4;  ///< a cubic under each resonance

/// Half the stretch that a resonance is sought on: five bandwidths tell it from its ground; over
/// more than two thirds of an octave to each side the ground would bend too much.
double reach_of(double q) {
  return std::min(5.0 / q, std::max(0.5, 2.5 / q));
}
constexpr double kExplained = 0.8;
constexpr double kTallest = 60.0;  ///< percent; more is an impedance peak

/// 1 / (1 + j Q (f/f0 - f0/f)). @param detuned  Q (f/f0 - f0/f)
Complex shape_at(double detuned) {
  const double power = 1.0 / (1.0 + detuned * detuned);
  return {power, -detuned * power};
}

/// @param x  ln(f / f0)
Complex shape_of(double x, double q) {
  return shape_at(2.0 * q * std::sinh(x));
}

/// A resonance tried at one place.
struct Trial {
  double log_f = 0.0;
  double q = 0.0;
  Complex height = 0.0;
  double significance = -1.0;
  double explained = 0.0;  ///< share of what the ground alone leaves
};

/// The stretch of the curve that a trial is judged on; the ground bends across it.
struct Window {
  double centre;
  double reach;
  std::size_t from;
  std::size_t to;
};

class Seeker {
 public:
  Seeker(std::vector<double> log_f, std::vector<Complex> e, bool complex, double least_q)
      : x_(std::move(log_f)), e_(std::move(e)), complex_(complex) {
    for (const double x : x_) {
      f_.push_back(std::exp(x));
      period_.push_back(1.0 / f_.back());
    }
    std::vector<double> bends;
    for (std::size_t i = 1; i + 1 < e_.size(); ++i)
      bends.push_back(std::abs(e_[i] - 0.5 * (e_[i - 1] + e_[i + 1])));
    auto middle = bends.begin() + static_cast<std::ptrdiff_t>(bends.size() / 2);
    std::nth_element(bends.begin(), middle, bends.end());
    // Median to standard deviation; the difference carries 1.5 times the variance. Files are
    // rounded: less than a ten-thousandth is not trusted.
    sigma_ = std::max(1e-4, *middle / (complex_ ? 1.1774 : 0.6745) / std::sqrt(1.5));
    for (double q = 0.7 * least_q; q < 160.0; q *= 1.6) {
      for (double x = x_.front() + 0.7 / q; x < x_.back() - 0.7 / q; x += 0.4 / q)
        grid_.push_back(at(x, q, window(x, reach_of(q))));
    }
  }

  [[nodiscard]] Trial strongest() const {
    const auto best = std::max_element(
        grid_.begin(), grid_.end(),
        [](const Trial& a, const Trial& b) { return a.significance < b.significance; });
    if (best == grid_.end() || best->significance < 0.5 * kThreshold) return {};
    // Trials over different stretches do not compare: the place is sought over one stretch, which
    // is then laid anew.
    Trial found = *best;
    for (int round = 0; round < 3; ++round)
      found = refined(found, window(found.log_f, reach_of(found.q)));
    return found;
  }

  void take_out(const Trial& t) {
    for (std::size_t i = 0; i < x_.size(); ++i) {
      const Complex part = t.height * shape_of(x_[i] - t.log_f, t.q);
      e_[i] -= complex_ ? part : Complex(part.real());
    }
    for (Trial& one : grid_) {
      if (std::abs(one.log_f - t.log_f) < reach_of(one.q) + 4.0 / t.q)
        one = at(one.log_f, one.q, window(one.log_f, reach_of(one.q)));
    }
  }

 private:
  [[nodiscard]] Window window(double centre, double reach) const {
    const auto place = [this](double x) {
      return static_cast<std::size_t>(std::lower_bound(x_.begin(), x_.end(), x) - x_.begin());
    };
    return {centre, reach, place(centre - reach), place(centre + reach)};
  }

  /// Least squares of ground and resonance. The ground's basis is real and serves both parts of the
  /// curve: it is projected out of all products first, and one quotient is left.
  [[nodiscard]] Trial at(double log_f, double q, const Window& w) const {
    Trial trial{log_f, q, 0.0, -1.0, 0.0};
    const std::size_t n = w.to - w.from;
    if (n < 2 * kGround + 1) return trial;
    if (static_cast<double>(n) < 1.5 * q * (x_[w.to - 1] - x_[w.from])) return trial;
    const double up = q * std::exp(-log_f);
    const double down = q * std::exp(log_f);
    Eigen::Matrix4d ground = Eigen::Matrix4d::Zero();
    Eigen::Matrix4d shared = Eigen::Matrix4d::Zero();    // ground with the four columns below
    Eigen::Matrix4d products = Eigen::Matrix4d::Zero();  // among these
    for (std::size_t i = w.from; i < w.to; ++i) {
      const double x = (x_[i] - w.centre) / w.reach;
      const Complex s = shape_at(up * f_[i] - down * period_[i]);
      const Eigen::Vector4d g(1.0, x, x * x - 0.3, x * (x * x - 0.6));
      const Eigen::Vector4d columns(e_[i].real(), e_[i].imag(), s.real(), s.imag());
      ground.noalias() += g * g.transpose();
      shared.noalias() += g * columns.transpose();
      products.noalias() += columns * columns.transpose();
    }
    const Eigen::Matrix4d p = products - shared.transpose() * ground.ldlt().solve(shared);
    double before = p(0, 0);
    double drop = 0.0;
    double freedom = static_cast<double>(n) - kGround - 2.0;
    if (complex_) {
      before += p(1, 1);
      const Complex common(p(0, 2) + p(1, 3), p(1, 2) - p(0, 3));
      const double own = p(2, 2) + p(3, 3);
      trial.height = common / own;
      drop = std::norm(common) / own;
      freedom = 2.0 * (static_cast<double>(n) - kGround - 1.0);
    } else {
      const double det = p(2, 2) * p(3, 3) - p(2, 3) * p(2, 3);
      const double re = (p(0, 2) * p(3, 3) - p(0, 3) * p(2, 3)) / det;
      const double im = (p(0, 2) * p(2, 3) - p(0, 3) * p(2, 2)) / det;
      trial.height = {re, im};
      drop = re * p(0, 2) - im * p(0, 3);
    }
    if (!(before > 0.0) || !std::isfinite(drop)) return trial;
    const double left = std::max(0.0, before - drop);
    trial.significance = drop / (2.0 * std::max(sigma_ * sigma_, left / freedom));
    // Of what stands above the noise.
    trial.explained = drop / std::max(before - sigma_ * sigma_ * freedom, 1e-3 * before);
    return trial;
  }

  [[nodiscard]] Trial refined(Trial best, const Window& w) const {
    best = at(best.log_f, best.q, w);
    double step_x = 0.15 / best.q;
    double step_q = 0.2;
    for (int round = 0; round < 60 && step_x * best.q > 1e-3; ++round) {
      bool better = false;
      for (const double sign : {-1.0, 1.0}) {
        for (const Trial& next :
             {at(best.log_f + sign * step_x, best.q, w),
              at(best.log_f, std::clamp(best.q * std::exp(sign * step_q), 1.5, 300.0), w)}) {
          if (next.significance > best.significance) {
            best = next;
            better = true;
          }
        }
      }
      if (!better) {
        step_x *= 0.5;
        step_q *= 0.5;
      }
    }
    return best;
  }

  std::vector<double> x_;  ///< ln f
  std::vector<double> f_, period_;
  std::vector<Complex> e_;
  bool complex_;
  double sigma_;
  std::vector<Trial> grid_;
};

}  // namespace

namespace {

using Ground = std::function<Complex(double frequency_hz)>;

/// One stretch of the curve.
struct Stretch {
  std::vector<double> frequency_hz;
  std::vector<Complex> z;  ///< ohm; real where there is no phase
  bool has_phase;
};

Stretch stretch_of(const Response& z, double low_hz, double high_hz) {
  Stretch out{{}, {}, z.has_phase()};
  for (std::size_t i = 0; i < z.size(); ++i) {
    const double at = z.axis()[i];
    if (at < low_hz || at > high_hz || !z.valid().contains(at)) continue;
    if (!(std::abs(z.value(i)) > 0.0)) continue;
    out.frequency_hz.push_back(at);
    out.z.push_back(z.has_phase() ? z.value(i) : Complex(z.magnitude(i)));
  }
  return out;
}

/// The logarithm of the curve over its ground.
std::vector<Complex> departures(const Stretch& part, const Ground& ground) {
  std::vector<Complex> e;
  Complex turned = 1.0;
  for (std::size_t i = 0; i < part.z.size(); ++i) {
    const Complex under = ground(part.frequency_hz[i]);
    if (!part.has_phase) {
      e.emplace_back(std::log(std::abs(part.z[i]) / std::abs(under)));
      continue;
    }
    // Counted from the point before, so that the phase never jumps by a turn.
    const Complex ratio = part.z[i] / under;
    const Complex step = std::log(ratio / turned);
    e.push_back(e.empty() ? step : e.back() + step);
    turned = ratio;
  }
  return e;
}

/// Loops over a ground, in the order in which they were found.
std::vector<Trial> loops_over(const Stretch& part, const Ground& ground,
                              const WiggleSearch& search) {
  std::vector<double> x;
  for (const double f : part.frequency_hz) x.push_back(std::log(f));
  Seeker seeker(std::move(x), departures(part, ground), part.has_phase, search.least_q);
  std::vector<Trial> told;
  for (std::size_t round = 0; round < kMost; ++round) {
    const Trial t = seeker.strongest();
    if (t.significance < kThreshold) break;
    seeker.take_out(t);
    const double percent = 100.0 * std::abs(t.height);
    // Broad or badly shaped: a bend of the curve. It is out of the way now.
    if (t.q < search.least_q || t.explained < kExplained || percent < search.least_percent ||
        percent > kTallest)
      continue;
    if (search.humps.contains(std::exp(t.log_f)) && t.q < search.least_q_there) continue;
    // What a strong one leaves behind, not being a perfect resonance, is no second one.
    const bool left_over = std::any_of(told.begin(), told.end(), [&](const Trial& w) {
      return std::abs(w.log_f - t.log_f) < 1.2 / w.q &&
             std::abs(t.height) < 0.35 * std::abs(w.height);
    });
    if (!left_over) told.push_back(t);
  }
  return told;
}

/// Where no model was fitted a network's broad poles are the ground. They would follow a loop as
/// far as broad poles can: what was found is taken out, and the ground laid anew.
std::vector<Trial> loops_over_network(const Stretch& part, const WiggleSearch& search) {
  WiggleSearch sharper = search;
  sharper.least_q = std::max(search.least_q, search.least_q_over_network);
  std::vector<Trial> told;
  for (int round = 0; round < 3; ++round) {
    std::vector<Complex> without = part.z;
    for (const Trial& t : told) {
      for (std::size_t i = 0; i < without.size(); ++i)
        without[i] /= std::exp(t.height * shape_of(std::log(part.frequency_hz[i]) - t.log_f, t.q));
    }
    const auto ground = network_ground(part.frequency_hz, without, search.least_q);
    if (!ground) return told;
    told = loops_over(
        part, [&](double f) { return ground->at(f); }, sharper);
    if (told.empty()) break;
  }
  return told;
}

/// As wiggles, where another stretch has not found them before.
void add_wiggles(const Response& z, const std::vector<Trial>& told, std::vector<Wiggle>& found) {
  const std::vector<Wiggle> before = found;
  for (const Trial& t : told) {
    const double frequency_hz = std::exp(t.log_f);
    const bool known = std::any_of(before.begin(), before.end(), [&](const Wiggle& w) {
      return std::abs(std::log(w.frequency_hz.value / frequency_hz)) < 1.0 / w.q;
    });
    if (known) continue;
    const double spread = kTwoSided95 * frequency_hz / (2.0 * t.q * std::sqrt(t.significance));
    found.push_back({{frequency_hz, spread},
                     std::abs(t.height) * std::abs(value_at(z, frequency_hz)),
                     100.0 * std::abs(t.height),
                     t.q,
                     t.significance});
  }
}

}  // namespace

std::vector<Wiggle> find_wiggles(const Response& z, const FittedImpedance* smooth,
                                 const WiggleSearch& search) {
  constexpr std::size_t kLeastPoints = 32;
  std::vector<Wiggle> found;
  const double to =
      smooth != nullptr ? std::min(search.high_hz, search.model_to_hz) : search.low_hz;
  if (smooth != nullptr) {
    const Stretch part = stretch_of(z, search.low_hz, to);
    if (part.z.size() >= kLeastPoints)
      add_wiggles(z,
                  loops_over(
                      part, [&](double f) { return smooth->at(f); }, search),
                  found);
  }
  if (to < search.high_hz) {
    const Stretch part = stretch_of(z, smooth != nullptr ? 0.8 * to : to, search.high_hz);
    if (part.z.size() >= kLeastPoints)
      add_wiggles(z,
                  part.has_phase ? loops_over_network(part, search)
                                 : loops_over(
                                       part, [](double) { return Complex(1.0); }, search),
                  found);
  }
  std::sort(found.begin(), found.end(),
            [](const Wiggle& a, const Wiggle& b) { return a.height_percent > b.height_percent; });
  return found;
}

}  // namespace lalometer
