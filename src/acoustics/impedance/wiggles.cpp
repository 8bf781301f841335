#include "acoustics/impedance/wiggles.h"

#include <Eigen/Dense>
#include <algorithm>
#include <array>
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

/// The two parts of a value, beside each other.
Eigen::RowVector2d parts(Complex value) {
  return {value.real(), value.imag()};
}

/// The ground's basis: real, it serves both parts of the curve. @param x  from -1 to 1
Eigen::Vector4d ground_at(double x) {
  return {1.0, x, x * x - 0.3, x * (x * x - 0.6)};
}

/// A resonance tried at one place.
struct Trial {
  double log_f = 0.0;
  double q = 0.0;
  Complex height = 0.0;
  double significance = -1.0;
  double explained = 0.0;  ///< share of what the ground alone leaves
};

/// The stretch of the curve that trials are judged on, its ground taken out beforehand: that is the
/// same for all of them.
struct Window {
  std::size_t from = 0;
  std::size_t to = 0;
  std::vector<Eigen::Vector4d> ground;         ///< the basis at each point
  Eigen::LDLT<Eigen::Matrix4d> ground_square;  ///< its products with itself
  std::vector<Complex> over;                   ///< the curve without it
  double square = 0.0;                         ///< of that
};

class Seeker {
 public:
  Seeker(const std::vector<double>& frequency_hz, bool complex, double least_q)
      : f_(frequency_hz), complex_(complex) {
    for (const double f : f_) {
      x_.push_back(std::log(f));
      period_.push_back(1.0 / f);
    }
    for (double q = 0.7 * least_q; q < 160.0; q *= 1.6) {
      for (double x = x_.front() + 0.7 / q; x < x_.back() - 0.7 / q; x += 0.4 / q) {
        held_.push_back(held(x, q));
        grid_.push_back({x, q});
      }
    }
  }

  /// The curve in which they are sought.
  void look_at(std::vector<Complex> e) {
    e_ = std::move(e);
    std::vector<double> bends;
    for (std::size_t i = 1; i + 1 < e_.size(); ++i)
      bends.push_back(std::abs(e_[i] - 0.5 * (e_[i - 1] + e_[i + 1])));
    auto middle = bends.begin() + static_cast<std::ptrdiff_t>(bends.size() / 2);
    std::nth_element(bends.begin(), middle, bends.end());
    // Median to standard deviation; the difference carries 1.5 times the variance. Files are
    // rounded: less than a ten-thousandth is not trusted.
    sigma_ = std::max(1e-4, *middle / (complex_ ? 1.1774 : 0.6745) / std::sqrt(1.5));
    for (std::size_t k = 0; k < grid_.size(); ++k) grid_[k] = at_its_place(k);
  }

  [[nodiscard]] Trial strongest() {
    const auto best = std::max_element(
        grid_.begin(), grid_.end(),
        [](const Trial& a, const Trial& b) { return a.significance < b.significance; });
    if (best == grid_.end() || best->significance < 0.5 * kThreshold) return {};
    // Trials over different stretches do not compare: the place is sought over one stretch, which
    // is then laid anew.
    Trial found = *best;
    for (int round = 0; round < 3; ++round)
      found = refined(found, laid(found.log_f, reach_of(found.q)));
    return found;
  }

  void take_out(const Trial& t) {
    for (std::size_t i = 0; i < x_.size(); ++i) {
      const Complex part = t.height * shape_of(x_[i] - t.log_f, t.q);
      e_[i] -= complex_ ? part : Complex(part.real());
    }
    for (std::size_t k = 0; k < grid_.size(); ++k) {
      Trial& one = grid_[k];
      if (std::abs(one.log_f - t.log_f) < reach_of(one.q) + 4.0 / t.q) one = at_its_place(k);
    }
  }

 private:
  using FourByTwo = Eigen::Matrix<double, 4, 2>;
  static constexpr std::size_t kFewest = 2 * kGround + 1;

  [[nodiscard]] std::size_t place(double x) const {
    return static_cast<std::size_t>(std::lower_bound(x_.begin(), x_.end(), x) - x_.begin());
  }

  /// Whether there are rows enough for so sharp a resonance and its ground.
  [[nodiscard]] bool enough(double q, std::size_t from, std::size_t to) const {
    return to - from >= kFewest &&
           static_cast<double>(to - from) >= 1.5 * q * (x_[to - 1] - x_[from]);
  }

  /// A resonance of the grid without what of it is ground, over the stretch about it: that stays
  /// while the curve changes.
  struct Held {
    std::size_t from = 0;
    std::vector<Complex> shape;  ///< none where the rows are too few
    Eigen::Matrix2d own = Eigen::Matrix2d::Zero();
    Eigen::LDLT<Eigen::Matrix4d> ground_square;
  };

  [[nodiscard]] Held held(double log_f, double q) const {
    const double reach = reach_of(q);
    Held out;
    out.from = place(log_f - reach);
    const std::size_t to = place(log_f + reach);
    if (!enough(q, out.from, to)) return out;
    Eigen::Matrix4d square = Eigen::Matrix4d::Zero();
    FourByTwo shared = FourByTwo::Zero();
    const double up = q * std::exp(-log_f);
    const double down = q * std::exp(log_f);
    for (std::size_t i = out.from; i < to; ++i) {
      const Complex& s = out.shape.emplace_back(shape_at(up * f_[i] - down * period_[i]));
      const Eigen::Vector4d g = ground_at((x_[i] - log_f) / reach);
      square.noalias() += g * g.transpose();
      shared.noalias() += g * parts(s);
    }
    out.ground_square.compute(square);
    const FourByTwo share = out.ground_square.solve(shared);
    for (std::size_t i = 0; i < out.shape.size(); ++i) {
      const Eigen::RowVector2d alone =
          parts(out.shape[i]) - ground_at((x_[out.from + i] - log_f) / reach).transpose() * share;
      out.shape[i] = {alone(0), alone(1)};
      out.own.noalias() += alone.transpose() * alone;
    }
    return out;
  }

  /// A resonance of the grid, tried on the curve as it is now.
  [[nodiscard]] Trial at_its_place(std::size_t k) const {
    const Held& held = held_[k];
    const Trial trial{grid_[k].log_f, grid_[k].q};
    if (held.shape.empty()) return trial;
    const double reach = reach_of(trial.q);
    FourByTwo shared = FourByTwo::Zero();
    Eigen::Matrix2d common = Eigen::Matrix2d::Zero();
    double square = 0.0;
    for (std::size_t i = 0; i < held.shape.size(); ++i) {
      const Eigen::RowVector2d e = parts(e_[held.from + i]);
      shared.noalias() += ground_at((x_[held.from + i] - trial.log_f) / reach) * e;
      common.noalias() += e.transpose() * parts(held.shape[i]);
      square += e.squaredNorm();
    }
    square -= shared.cwiseProduct(held.ground_square.solve(shared)).sum();
    return judged(trial, common, held.own, square, held.shape.size());
  }

  /// Laid over the last one; good until the next.
  const Window& laid(double centre, double reach) {
    Window& w = window_;
    w.from = place(centre - reach);
    w.to = place(centre + reach);
    w.ground.clear();
    w.over.clear();
    w.square = 0.0;
    if (w.to - w.from < kFewest) return w;
    Eigen::Matrix4d square = Eigen::Matrix4d::Zero();
    FourByTwo shared = FourByTwo::Zero();
    for (std::size_t i = w.from; i < w.to; ++i) {
      const Eigen::Vector4d& g = w.ground.emplace_back(ground_at((x_[i] - centre) / reach));
      square.noalias() += g * g.transpose();
      shared.noalias() += g * parts(e_[i]);
    }
    w.ground_square.compute(square);
    const FourByTwo share = w.ground_square.solve(shared);
    for (std::size_t i = w.from; i < w.to; ++i) {
      const Eigen::RowVector2d over = parts(e_[i]) - w.ground[i - w.from].transpose() * share;
      w.over.emplace_back(over(0), over(1));
      w.square += over.squaredNorm();
    }
    return w;
  }

  [[nodiscard]] Trial at(double log_f, double q, const Window& w) const {
    const Trial trial{log_f, q};
    if (!enough(q, w.from, w.to)) return trial;
    const double up = q * std::exp(-log_f);
    const double down = q * std::exp(log_f);
    FourByTwo shared = FourByTwo::Zero();
    Eigen::Matrix2d own = Eigen::Matrix2d::Zero();
    Eigen::Matrix2d common = Eigen::Matrix2d::Zero();
    for (std::size_t i = 0; i < w.over.size(); ++i) {
      const Eigen::RowVector2d s =
          parts(shape_at(up * f_[w.from + i] - down * period_[w.from + i]));
      shared.noalias() += w.ground[i] * s;
      own.noalias() += s.transpose() * s;
      common.noalias() += parts(w.over[i]).transpose() * s;
    }
    own -= shared.transpose() * w.ground_square.solve(shared);
    return judged(trial, common, own, w.square, w.over.size());
  }

  /// Least squares of ground and resonance, of which one quotient is left.
  /// @param common  products of the curve with the resonance, both without the ground
  /// @param own     of the resonance with itself
  /// @param square  of the curve with itself
  [[nodiscard]] Trial judged(Trial trial, const Eigen::Matrix2d& common, const Eigen::Matrix2d& own,
                             double square, std::size_t n) const {
    double drop = 0.0;
    double freedom = static_cast<double>(n) - kGround - 2.0;
    if (complex_) {
      const Complex product(common(0, 0) + common(1, 1), common(1, 0) - common(0, 1));
      trial.height = product / own.trace();
      drop = std::norm(product) / own.trace();
      freedom = 2.0 * (static_cast<double>(n) - kGround - 1.0);
    } else {
      const double det = own.determinant();
      const double re = (common(0, 0) * own(1, 1) - common(0, 1) * own(0, 1)) / det;
      const double im = (common(0, 0) * own(0, 1) - common(0, 1) * own(0, 0)) / det;
      trial.height = {re, im};
      drop = re * common(0, 0) - im * common(0, 1);
    }
    if (!(square > 0.0) || !std::isfinite(drop)) return trial;
    const double left = std::max(0.0, square - drop);
    trial.significance = drop / (2.0 * std::max(sigma_ * sigma_, left / freedom));
    // Of what stands above the noise.
    trial.explained = drop / std::max(square - sigma_ * sigma_ * freedom, 1e-3 * square);
    return trial;
  }

  /// Of what tops outside the rows only a flank is seen, which many heights fit.
  [[nodiscard]] bool seen_whole(const Trial& t) const {
    constexpr double kBandwidths = 0.5;
    return t.log_f > x_.front() + kBandwidths / t.q && t.log_f < x_.back() - kBandwidths / t.q;
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
          if (next.significance > best.significance && seen_whole(next)) {
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
  std::vector<Held> held_;  ///< of each of these
  Window window_;
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
std::vector<Trial> loops_over(const Stretch& part, const Ground& ground, const WiggleSearch& search,
                              Seeker& seeker) {
  seeker.look_at(departures(part, ground));
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
  Seeker seeker(part.frequency_hz, part.has_phase, sharper.least_q);
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
        part, [&](double f) { return ground->at(f); }, sharper, seeker);
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
                                 const WiggleSearch& search, const Parallel& parallel) {
  constexpr std::size_t kLeastPoints = 32;
  const double to =
      smooth != nullptr ? std::min(search.high_hz, search.model_to_hz) : search.low_hz;
  const auto over_model = [&]() -> std::vector<Trial> {
    if (smooth == nullptr) return {};
    const Stretch part = stretch_of(z, search.low_hz, to);
    if (part.z.size() < kLeastPoints) return {};
    Seeker seeker(part.frequency_hz, part.has_phase, search.least_q);
    return loops_over(
        part, [&](double f) { return smooth->at(f); }, search, seeker);
  };
  const auto above = [&]() -> std::vector<Trial> {
    if (to >= search.high_hz) return {};
    const Stretch part = stretch_of(z, smooth != nullptr ? 0.8 * to : to, search.high_hz);
    if (part.z.size() < kLeastPoints) return {};
    if (part.has_phase) return loops_over_network(part, search);
    Seeker seeker(part.frequency_hz, part.has_phase, search.least_q);
    return loops_over(
        part, [](double) { return Complex(1.0); }, search, seeker);
  };
  std::array<std::vector<Trial>, 2> told;
  parallel(told.size(), [&](std::size_t i) { told[i] = i == 0 ? over_model() : above(); });
  std::vector<Wiggle> found;
  for (const std::vector<Trial>& each : told) add_wiggles(z, each, found);
  std::sort(found.begin(), found.end(),
            [](const Wiggle& a, const Wiggle& b) { return a.height_percent > b.height_percent; });
  return found;
}

}  // namespace lalometer
