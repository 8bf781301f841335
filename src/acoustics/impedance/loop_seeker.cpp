#include "acoustics/impedance/loop_seeker.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

namespace lalometer {
namespace {

using Complex = std::complex<double>;
using Trial = LoopTrial;

constexpr std::size_t kGround = 4;  ///< a cubic under each resonance

/// Half the stretch that a resonance is sought on: five bandwidths tell it from its ground; over
/// more than two thirds of an octave to each side the ground would bend too much.
double reach_of(double q) {
  return std::min(5.0 / q, std::max(0.5, 2.5 / q));
}

/// 1 / (1 + j Q (f/f0 - f0/f)). @param detuned  Q (f/f0 - f0/f)
Complex shape_at(double detuned) {
  const double power = 1.0 / (1.0 + detuned * detuned);
  return {power, -detuned * power};
}

/// The two parts of a value, beside each other.
Eigen::RowVector2d parts(Complex value) {
  return {value.real(), value.imag()};
}

/// The ground's basis: real, it serves both parts of the curve. @param x  from -1 to 1
Eigen::Vector4d ground_at(double x) {
  return {1.0, x, x * x - 0.3, x * (x * x - 0.6)};
}

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

}  // namespace

class LoopSeeker::Inside {
 public:
  Inside(const std::vector<double>& frequency_hz, bool complex, double least_q)
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
      const Complex part = t.height * loop_shape(x_[i] - t.log_f, t.q);
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

LoopSeeker::LoopSeeker(const std::vector<double>& frequency_hz, bool complex, double least_q)
    : inside_(std::make_unique<Inside>(frequency_hz, complex, least_q)) {}
LoopSeeker::~LoopSeeker() = default;
LoopSeeker::LoopSeeker(LoopSeeker&&) noexcept = default;
LoopSeeker& LoopSeeker::operator=(LoopSeeker&&) noexcept = default;

void LoopSeeker::look_at(std::vector<Complex> departures) {
  inside_->look_at(std::move(departures));
}

LoopTrial LoopSeeker::strongest() {
  return inside_->strongest();
}

void LoopSeeker::take_out(const LoopTrial& trial) {
  inside_->take_out(trial);
}

Complex loop_shape(double x, double q) {
  return shape_at(2.0 * q * std::sinh(x));
}

}  // namespace lalometer
