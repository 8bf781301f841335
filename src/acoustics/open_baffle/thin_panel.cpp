#include "acoustics/open_baffle/thin_panel.h"

#include <Eigen/Dense>
#include <algorithm>
#include <array>
#include <cmath>
#include <deque>
#include <mutex>
#include <optional>

#include "acoustics/baffle/vector.h"
#include "acoustics/open_baffle/panel_edges.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

/// Filaments along the longest side, and how short a wave they follow.
constexpr int kAlongTheLongest = 16;
/// With wings, which have panels of their own.
constexpr int kAlongTheLongestWinged = 12;
constexpr double kStepsPerWave = 4.5;

/// Lines and control points along one piece, by the cosine rule over the angle `from`..`to`.
struct Spacing {
  std::vector<double> lines;     ///< angles of the filaments
  std::vector<double> controls;  ///< between them
};
Spacing spaced(double from, double to, bool free_from, bool free_to, int count) {
  const double inset = (free_from ? 0.5 : 0.0) + (free_to ? 0.5 : 0.0);
  const double step = (to - from) / (count + inset);
  const double first = from + (free_from ? 0.5 * step : 0.0);
  Spacing s;
  for (int k = 0; k <= count; ++k) s.lines.push_back(first + k * step);
  for (int k = 0; k < count; ++k) s.controls.push_back(first + (k + 0.5) * step);
  return s;
}

/// One doublet panel: a ring of filaments with its control point.
struct Cell {
  std::array<Vector, 4> corner;  ///< counter-clockwise about the normal
  Vector control;
  Vector normal;
  Vector along;  ///< unit vector of its first side
  double width;
  double height;
};

Vector cross(Vector a, Vector b) {
  return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}

/// Velocity of a straight filament of unit circulation (Biot and Savart).
Vector filament(Vector from, Vector to, Vector at) {
  const Vector r1 = at - from;
  const Vector r2 = at - to;
  const Vector c = cross(r1, r2);
  const double square = dot(c, c);
  if (square < 1e-18) return {0, 0, 0};
  const double k = (dot(to - from, r1) / norm(r1) - dot(to - from, r2) / norm(r2)) / square;
  return (k / (4.0 * kPi)) * c;
}

/// What the finite wavelength adds to the normal velocity at `at` of a doublet of unit strength and
/// area: the second normal derivative of exp(-jkr)/(4 pi r) less that of 1/(4 pi r).
Complex wave_part(Vector apart, Vector n_at, Vector n_of, double k) {
  const double r = norm(apart);
  const Vector unit = (1.0 / r) * apart;
  const double a = dot(unit, n_at) * dot(unit, n_of);
  const double b = dot(n_at, n_of) - a;
  const double kr = k * r;
  const double scale = 1.0 / (4.0 * kPi * r * r * r);
  if (kr < 1e-2) {
    // Series: the terms 1/r^3 cancel. G'' -> 2 + j kr^3 / 3, -G' r -> 1 + kr^2/2 - j kr^3/3.
    const Complex second(0.0, kr * kr * kr / 3.0);
    const Complex first(kr * kr / 2.0, -kr * kr * kr / 3.0);
    return scale * (-a * second + b * first);
  }
  const Complex turn = std::polar(1.0, -kr);
  const Complex second = Complex(2.0 - kr * kr, 2.0 * kr) * turn - 2.0;
  const Complex first = Complex(1.0, kr) * turn - 1.0;
  return scale * (-a * second + b * first);
}

/// Integral of 1/r over a rectangle with a corner at the point.
double corner_integral(double a, double b) {
  if (!(a > 0.0) || !(b > 0.0)) return 0.0;
  return a * std::asinh(b / a) + b * std::asinh(a / b);
}

constexpr double kGauss[] = {-0.7745966692414834, 0.0, 0.7745966692414834};
constexpr double kGaussWeight[] = {5.0 / 18.0, 8.0 / 18.0, 5.0 / 18.0};

Complex wave_influence(const Cell& at, const Cell& of, bool self, double k) {
  const Vector first = of.corner[0];
  const Vector up = (1.0 / of.height) * (of.corner[3] - of.corner[0]);
  const Vector middle = first + (0.5 * of.width) * of.along + (0.5 * of.height) * up;
  const double area = of.width * of.height;
  if (!self && norm(at.control - middle) > 2.5 * std::max(of.width, of.height))
    return area * wave_part(at.control - middle, at.normal, of.normal, k);
  Complex sum = 0.0;
  for (int i = 0; i < 3; ++i) {
    for (int j = 0; j < 3; ++j) {
      const Vector p =
          middle + (0.5 * of.width * kGauss[i]) * of.along + (0.5 * of.height * kGauss[j]) * up;
      const double r = norm(at.control - p);
      // On itself k^2 / (8 pi r) is integrated by hand; at no distance this is left.
      Complex value(0.0, -k * k * k / (12.0 * kPi));
      if (r > 1e-6 * of.width) value = wave_part(at.control - p, at.normal, of.normal, k);
      if (self && r > 1e-6 * of.width) value -= k * k / (8.0 * kPi * r);
      sum += kGaussWeight[i] * kGaussWeight[j] * value;
    }
  }
  sum *= area;
  if (self) {
    const double x = dot(at.control - first, of.along);
    const double y = dot(at.control - first, up);
    sum += k * k / (8.0 * kPi) *
           (corner_integral(x, y) + corner_integral(of.width - x, y) +
            corner_integral(x, of.height - y) + corner_integral(of.width - x, of.height - y));
  }
  return sum;
}

}  // namespace

/// The panel's doublets, with the system solved at each of some frequencies.
class ThinPanel::Sheet {
 public:
  Sheet(const OpenBaffle& panel, double c) : panel_(panel), c_(c) {
    build();
    const double longest =
        std::max({panel.width_m, panel.height_m, panel.left_wing_m, panel.right_wing_m});
    highest_hz_ = c / (kStepsPerWave * 0.5 * kPi * longest / along_the_longest());
    const bool winged = is_winged();
    const double fine = winged ? 12.0 : 9.0;
    for (double octaves = -6.0; octaves < 1e-9;) {
      frequency_hz_.push_back(highest_hz_ * std::exp2(octaves));
      octaves += octaves < -3.0 + 1e-9 ? 0.25 : 1.0 / fine;
    }
    frequency_hz_.back() = highest_hz_;
    const Eigen::MatrixXd still = static_part();
    for (const double f : frequency_hz_) {
      const double k = 2.0 * kPi * f / c_;
      Eigen::MatrixXcd a = still.cast<Complex>();
      for (std::size_t i = 0; i < cells_.size(); ++i) {
        for (std::size_t j = 0; j < cells_.size(); ++j)
          a(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(j)) +=
              wave_influence(cells_[i], cells_[j], i == j, k);
      }
      solved_.emplace_back(a);
    }
  }
  [[nodiscard]] double highest_hz() const { return highest_hz_; }

  /// At the frequencies that were solved.
  [[nodiscard]] std::vector<Complex> at_nodes(Vector listener, double radius_m) const {
    const auto weights = disc_weights(radius_m);
    const Vector centre{panel_.driver_x_m, panel_.driver_y_m, 0.0};
    const double reference = norm(listener - centre);
    std::vector<Complex> values;
    for (std::size_t n = 0; n < frequency_hz_.size(); ++n) {
      const double k = 2.0 * kPi * frequency_hz_[n] / c_;
      Eigen::VectorXcd right(static_cast<Eigen::Index>(cells_.size()));
      for (std::size_t i = 0; i < cells_.size(); ++i) {
        const Vector apart = listener - cells_[i].control;
        const double r = norm(apart);
        // A source of unit strength, its flight time to the driver's centre taken out.
        right(static_cast<Eigen::Index>(i)) =
            -Complex(1.0, k * r) * std::polar(1.0, -k * (r - reference)) / (4.0 * kPi * r * r * r) *
            dot(apart, cells_[i].normal);
      }
      const Eigen::VectorXcd jump = solved_[n].solve(right);
      Complex sum = 0.0;
      for (const auto& [cell, weight] : weights)
        sum += weight * jump(static_cast<Eigen::Index>(cell));
      values.push_back(sum * 2.0 * kPi * reference);  // over 2 G(reference)
    }
    return values;
  }

  /// Between the nodes by a cubic over log f; below them as f, as a dipole falls.
  [[nodiscard]] Complex between(const std::vector<Complex>& values, double f) const {
    if (f <= frequency_hz_.front()) return values.front() * (f / frequency_hz_.front());
    const auto above = std::upper_bound(frequency_hz_.begin(), frequency_hz_.end() - 1, f);
    const auto i = static_cast<std::size_t>(above - frequency_hz_.begin()) - 1;
    const auto x = [&](std::size_t n) { return std::log(frequency_hz_[n]); };
    const double h = x(i + 1) - x(i);
    const double t = (std::log(f) - x(i)) / h;
    const auto slope = [&](std::size_t n) {
      const std::size_t a = n > 0 ? n - 1 : n;
      const std::size_t b = n + 1 < values.size() ? n + 1 : n;
      return (values[b] - values[a]) / (x(b) - x(a));
    };
    const double t2 = t * t;
    const double t3 = t2 * t;
    return (2.0 * t3 - 3.0 * t2 + 1.0) * values[i] + (t3 - 2.0 * t2 + t) * h * slope(i) +
           (3.0 * t2 - 2.0 * t3) * values[i + 1] + (t3 - t2) * h * slope(i + 1);
  }

 private:
  [[nodiscard]] bool is_winged() const {
    return panel_.left_wing_m > 0.0 || panel_.right_wing_m > 0.0;
  }
  [[nodiscard]] int along_the_longest() const {
    return is_winged() ? kAlongTheLongestWinged : kAlongTheLongest;
  }

  struct Strip {
    Vector start, end;  ///< of the cell along the developed panel
    Vector control;
    Vector along;
    Vector normal;
    int on_panel = -1;  ///< number of the control along the panel, -1 on a wing
  };

  void build() {
    const OpenBaffle& p = panel_;
    const double longest = std::max({p.width_m, p.height_m, p.left_wing_m, p.right_wing_m});
    const auto count = [&](double length, int least) {
      return std::clamp(static_cast<int>(std::lround(along_the_longest() * length / longest)),
                        least, along_the_longest());
    };
    std::vector<Strip> strips;
    const auto wing = [&](double depth, bool left) {
      // From its rear edge to the fold, by a quarter of the cosine.
      const Spacing s = spaced(0.0, 0.5 * kPi, true, false, count(depth, 4));
      std::vector<Strip> own;
      const auto place = [&](double angle) {
        return Vector{left ? 0.0 : p.width_m, 0.0, -depth * std::cos(angle)};
      };
      for (std::size_t i = 0; i < s.controls.size(); ++i)
        own.push_back({place(s.lines[i]),
                       place(s.lines[i + 1]),
                       place(s.controls[i]),
                       {0, 0, 1},
                       {-1, 0, 0},
                       -1});
      if (!left) {
        // The developed panel goes on backward.
        std::reverse(own.begin(), own.end());
        for (Strip& strip : own) {
          std::swap(strip.start, strip.end);
          strip.along = {0, 0, -1};
          strip.normal = {1, 0, 0};
        }
      }
      strips.insert(strips.end(), own.begin(), own.end());
    };
    if (p.left_wing_m > 0.0) wing(p.left_wing_m, true);
    across_ = spaced(0.0, kPi, p.left_wing_m <= 0.0, p.right_wing_m <= 0.0, count(p.width_m, 7));
    const auto x_of = [&](double angle) { return 0.5 * p.width_m * (1.0 - std::cos(angle)); };
    for (std::size_t i = 0; i < across_.controls.size(); ++i)
      strips.push_back({{x_of(across_.lines[i]), 0, 0},
                        {x_of(across_.lines[i + 1]), 0, 0},
                        {x_of(across_.controls[i]), 0, 0},
                        {1, 0, 0},
                        {0, 0, 1},
                        static_cast<int>(i)});
    if (p.right_wing_m > 0.0) wing(p.right_wing_m, false);

    up_ = spaced(0.0, kPi, true, true, count(p.height_m, 7));
    const auto y_of = [&](double angle) { return 0.5 * p.height_m * (1.0 - std::cos(angle)); };
    on_panel_.assign(across_.controls.size() * up_.controls.size(), 0);
    for (const Strip& strip : strips) {
      for (std::size_t j = 0; j < up_.controls.size(); ++j) {
        const Vector low{0, y_of(up_.lines[j]), 0};
        const Vector high{0, y_of(up_.lines[j + 1]), 0};
        if (strip.on_panel >= 0)
          on_panel_[static_cast<std::size_t>(strip.on_panel) * up_.controls.size() + j] =
              cells_.size();
        cells_.push_back(
            {{strip.start + low, strip.end + low, strip.end + high, strip.start + high},
             strip.control + Vector{0, y_of(up_.controls[j]), 0},
             strip.normal,
             strip.along,
             norm(strip.end - strip.start),
             high.y - low.y});
      }
    }
  }

  [[nodiscard]] Eigen::MatrixXd static_part() const {
    const auto n = static_cast<Eigen::Index>(cells_.size());
    Eigen::MatrixXd a(n, n);
    for (Eigen::Index i = 0; i < n; ++i) {
      const Cell& at = cells_[static_cast<std::size_t>(i)];
      for (Eigen::Index j = 0; j < n; ++j) {
        const Cell& of = cells_[static_cast<std::size_t>(j)];
        Vector v{0, 0, 0};
        for (std::size_t side = 0; side < 4; ++side)
          v = v + filament(of.corner[side], of.corner[(side + 1) % 4], at.control);
        // A jump upward is a ring that turns the other way.
        a(i, j) = -dot(v, at.normal);
      }
    }
    return a;
  }

  /// How the jump goes to nothing at a free edge, and on at a fold.
  [[nodiscard]] double edge_shape(double angle) const {
    const bool left_free = panel_.left_wing_m <= 0.0;
    const bool right_free = panel_.right_wing_m <= 0.0;
    if (left_free && right_free) return std::sin(angle);
    if (left_free) return std::sin(0.5 * angle);
    if (right_free) return std::cos(0.5 * angle);
    return 1.0;
  }

  struct Share {
    std::size_t first;
    double t;
  };
  static Share share_of(const std::vector<double>& controls, double angle) {
    const auto above = std::upper_bound(controls.begin() + 1, controls.end() - 1, angle);
    const auto i = static_cast<std::size_t>(above - controls.begin()) - 1;
    return {i, std::clamp((angle - controls[i]) / (controls[i + 1] - controls[i]), -0.5, 1.5)};
  }

  /// The mean of the jump over the disc as a sum over cells.
  [[nodiscard]] std::vector<std::pair<std::size_t, double>> disc_weights(double radius_m) const {
    std::vector<std::pair<std::size_t, double>> weights;
    constexpr int kRings = 6;
    for (int ring = 0; ring < kRings; ++ring) {
      const int count = 6 * (2 * ring + 1);
      const double r = radius_m * (ring + 0.5) / kRings;
      for (int i = 0; i < count; ++i) {
        const double a = 2.0 * kPi * (i + 0.5) / count;
        const double share = (2.0 * ring + 1.0) / (kRings * kRings) / count;
        add_point(weights, panel_.driver_x_m + r * std::cos(a), panel_.driver_y_m + r * std::sin(a),
                  share);
      }
    }
    return weights;
  }
  void add_point(std::vector<std::pair<std::size_t, double>>& weights, double x, double y,
                 double share) const {
    const auto angle_of = [](double at, double length) {
      return std::acos(std::clamp(1.0 - 2.0 * at / length, -1.0, 1.0));
    };
    const double across = angle_of(x, panel_.width_m);
    const double up = angle_of(y, panel_.height_m);
    const Share sx = share_of(across_.controls, across);
    const Share sy = share_of(up_.controls, up);
    for (const std::size_t dx : {0U, 1U}) {
      for (const std::size_t dy : {0U, 1U}) {
        const std::size_t i = sx.first + dx;
        const std::size_t j = sy.first + dy;
        const double shape = edge_shape(across) / edge_shape(across_.controls[i]) * std::sin(up) /
                             std::sin(up_.controls[j]);
        const double weight = share * (dx ? sx.t : 1.0 - sx.t) * (dy ? sy.t : 1.0 - sy.t) * shape;
        weights.emplace_back(on_panel_[i * up_.controls.size() + j], weight);
      }
    }
  }

  OpenBaffle panel_;
  double c_;
  double highest_hz_ = 0.0;
  Spacing across_, up_;
  std::vector<Cell> cells_;
  std::vector<std::size_t> on_panel_;  ///< cell of each control of the panel, column by column
  std::vector<double> frequency_hz_;
  std::vector<Eigen::PartialPivLU<Eigen::MatrixXcd>> solved_;
};

ThinPanel::ThinPanel(const OpenBaffle& panel, double speed_of_sound_m_s)
    : panel_(panel),
      c_(speed_of_sound_m_s),
      sheet_(std::make_unique<Sheet>(panel, speed_of_sound_m_s)) {}
ThinPanel::~ThinPanel() = default;
ThinPanel::ThinPanel(ThinPanel&&) noexcept = default;
ThinPanel& ThinPanel::operator=(ThinPanel&&) noexcept = default;

std::shared_ptr<const ThinPanel> solved_panel(const OpenBaffle& panel, double c) {
  struct Kept {
    OpenBaffle panel;
    double c;
    std::shared_ptr<const ThinPanel> solved;
  };
  static std::mutex mutex;
  static std::deque<Kept> kept;
  constexpr std::size_t kMost = 4;
  const std::scoped_lock lock(mutex);
  for (const Kept& one : kept)
    if (one.panel == panel && one.c == c) return one.solved;
  kept.push_front({panel, c, std::make_shared<const ThinPanel>(panel, c)});
  if (kept.size() > kMost) kept.pop_back();
  return kept.front().solved;
}

DipoleRule solved_dipole(const OpenBaffle& panel, double radius_m, double c) {
  DipoleRule rule = dipole_rule(panel, c);
  const FrequencyAxis axis =
      FrequencyAxis::logarithmic(0.1 * rule.peak_hz, 2.0 * rule.null_hz, 48.0);
  const BafflePoint at{panel.driver_x_m, panel.driver_y_m, kPanelDistance_m};
  const std::vector<Complex> values = solved_panel(panel, c)->response(at, radius_m, axis);
  const auto size = [&](std::size_t i) { return std::abs(values[i]); };
  std::size_t peak = 1;
  while (peak + 2 < values.size() && !(size(peak) > 1.0 && size(peak) >= size(peak + 1))) ++peak;
  std::size_t dip = peak + 1;
  while (dip + 2 < values.size() && !(size(dip) <= size(dip + 1))) ++dip;
  rule.peak_hz = axis[peak];
  rule.null_hz = axis[dip];
  return rule;
}

double ThinPanel::highest_hz() const {
  return sheet_->highest_hz();
}

std::vector<std::complex<double>> ThinPanel::response(const BafflePoint& at, double radius_m,
                                                      const FrequencyAxis& axis) const {
  const double room = std::min({panel_.driver_x_m, panel_.width_m - panel_.driver_x_m,
                                panel_.driver_y_m, panel_.height_m - panel_.driver_y_m});
  const double radius = std::min(radius_m, 0.98 * room);
  const std::vector<Complex> nodes = sheet_->at_nodes({at.x_m, at.y_m, at.z_m}, radius);
  const double over_hz = 0.75 * highest_hz();
  std::vector<Complex> high;
  if (axis.back() > over_hz) high = panel_edges_response(panel_, at, radius, axis, c_);
  std::vector<Complex> values;
  for (std::size_t i = 0; i < axis.size(); ++i) {
    const double share = std::clamp((axis[i] - over_hz) / (highest_hz() - over_hz), 0.0, 1.0);
    Complex value = 0.0;
    if (share < 1.0) value += (1.0 - share) * sheet_->between(nodes, axis[i]);
    if (share > 0.0) value += share * high[i];
    values.push_back(value);
  }
  return values;
}

}  // namespace lalometer
