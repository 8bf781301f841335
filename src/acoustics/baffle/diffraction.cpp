#include "acoustics/baffle/diffraction.h"

#include <array>
#include <cmath>
#include <optional>

#include "acoustics/baffle/vector.h"
#include "acoustics/signal/quadrature.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

/// Exterior angle of a box's edge and its wedge index pi / theta_w.
constexpr double kWedge = 1.5 * kPi;
constexpr double kIndex = kPi / kWedge;

/// An edge as one of its faces sees it: along unit vector `along` from `start`, `inward` pointing
/// into that face, `out` its outward normal. Angles count from the face outward; the other face
/// lies at kWedge.
struct Edge {
  Vector start;
  Vector along;
  double length;
  Vector inward;
  Vector out;
};

/// A point in an edge's cylindrical coordinates.
struct Around {
  double z;
  double r;
  double angle;
};

Around around(const Edge& edge, Vector p) {
  const Vector d = p - edge.start;
  const double across = dot(d, edge.inward);
  const double up = dot(d, edge.out);
  double angle = std::atan2(up, across);
  if (angle < -0.5 * kPi) angle += 2.0 * kPi;  // behind the other face's plane
  return {dot(d, edge.along), std::hypot(across, up), angle};
}

/// beta+ + beta- of the source on the face: sin(v p)/(cosh(v eta) - cos(v p)) for p = pi +- angle.
class Wedge {
 public:
  explicit Wedge(double angle)
      : sine_{std::sin(kIndex * (kPi + angle)), std::sin(kIndex * (kPi - angle))},
        cosine_{std::cos(kIndex * (kPi + angle)), std::cos(kIndex * (kPi - angle))} {}
  /// @param cosh_eta  >= 1.
  [[nodiscard]] double beta(double cosh_eta) const {
    const double excess = std::max(cosh_eta - 1.0, 0.0);
    const double eta = std::log1p(excess + std::sqrt(excess * (excess + 2.0)));
    const double e = std::exp(kIndex * eta);
    const double c = 0.5 * (e + 1.0 / e);
    return sine_[0] / (c - cosine_[0]) + sine_[1] / (c - cosine_[1]);
  }

 private:
  std::array<double, 2> sine_;
  std::array<double, 2> cosine_;
};

/// Amplitudes over path length, collected in narrow bins (shared linearly between neighbours) and
/// transformed once: far cheaper than a phase for every piece of every edge at every frequency.
class PathHistogram {
 public:
  void add(double path_m, double amplitude) {
    const double at = (path_m - kFrom_m) / kBin_m;
    if (!(at >= 0.0)) return;
    const auto i = static_cast<std::size_t>(at);
    if (bins_.size() < i + 2) bins_.resize(i + 2, 0.0);
    first_ = std::min(first_, i);
    const double t = at - static_cast<double>(i);
    bins_[i] += (1.0 - t) * amplitude;
    bins_[i + 1] += t * amplitude;
  }
  [[nodiscard]] double total() const {
    double sum = 0.0;
    for (const double b : bins_) sum += b;
    return sum;
  }
  [[nodiscard]] double mean_path() const {
    double sum = 0.0;
    double weight = 0.0;
    for (std::size_t i = 0; i < bins_.size(); ++i) {
      sum += std::abs(bins_[i]) * (kFrom_m + static_cast<double>(i) * kBin_m);
      weight += std::abs(bins_[i]);
    }
    return weight > 0.0 ? sum / weight : 0.0;
  }
  [[nodiscard]] Complex at(double k) const {
    // Bins stand evenly, so the phase turns by one factor from bin to bin.
    const Complex turn = std::polar(1.0, -k * kBin_m);
    const std::size_t first = std::min(first_, bins_.size());
    const Complex phase = std::polar(1.0, -k * (kFrom_m + static_cast<double>(first) * kBin_m));
    double re = 0.0;
    double im = 0.0;
    double pr = phase.real();
    double pi = phase.imag();
    for (std::size_t i = first; i < bins_.size(); ++i) {
      const double b = bins_[i];
      re += b * pr;
      im += b * pi;
      const double next = pr * turn.real() - pi * turn.imag();
      pi = pr * turn.imag() + pi * turn.real();
      pr = next;
    }
    // The sharing between neighbours is a triangle, whose transform is sinc^2.
    const double half = 0.5 * k * kBin_m;
    const double sinc = half > 1e-9 ? std::sin(half) / half : 1.0;
    return Complex(re, im) / (sinc * sinc);
  }

 private:
  static constexpr double kBin_m = 0.001;
  static constexpr double kFrom_m =
      -2.0;  // re the direct path: shorter by the size of a box at most
  std::vector<double> bins_;
  std::size_t first_ = static_cast<std::size_t>(-1);  ///< nothing lies before it
};

struct SourcePoint {
  Vector at;
  double share;
};

/// A disc as rings of points that share its area evenly: in fine effort within 0.01 of 2 J1(x)/x up
/// to x = 3 (tests/acoustics/directivity).
std::vector<SourcePoint> piston_points(const BafflePiston& p, DiffractionEffort effort) {
  const int rings = effort == DiffractionEffort::kFine ? 4 : 2;
  std::vector<SourcePoint> points;
  double whole = 0.0;
  for (int ring = 0; ring < rings; ++ring) {
    const int count = ring == 0 ? 1 : 6 * ring;
    const double step = p.radius_m() / (rings - 0.5);
    const double inner = ring == 0 ? 0.0 : (ring - 0.5) * step;
    const double outer = (ring + 0.5) * step;
    // Radius of the ring's own mean square, so that the second moment is the disc's.
    const double r = ring == 0 ? 0.0 : std::sqrt(0.5 * (inner * inner + outer * outer));
    const double area = outer * outer - inner * inner;
    for (int i = 0; i < count; ++i) {
      const double a = 2.0 * kPi * (i + 0.5 * (ring % 2)) / count;
      points.push_back({{p.x_m() + r * std::cos(a), p.y_m() + r * std::sin(a), 0.0}, area / count});
      whole += area / count;
    }
  }
  for (SourcePoint& point : points) point.share /= whole;
  return points;
}

/// A bend of the surface at an edge: how its strength is spread, as extra path and share. The
/// figures were fitted to boundary elements (tests/reference/bent_edge_bem.py): 30 mm bends and a
/// round edge of 15 mm, on the axis.
struct Spread {
  double path_m;
  double share;
};
std::vector<Spread> spread_of(const Baffle& baffle) {
  const double inset = baffle.bend_inset_m();
  if (!(inset > 0.0)) return {{0.0, 1.0}};
  if (baffle.edge() == EdgeShape::kChamfered) return {{0.0, 0.74}, {2.55 * inset, 0.26}};
  // A dying tail from a little before the bend on, as pieces of equal share.
  std::vector<Spread> tail;
  constexpr int kPieces = 16;
  for (int i = 0; i < kPieces; ++i) {
    const double left = 1.0 - (i + 0.5) / kPieces;
    tail.push_back({inset * (-0.2 - 1.2 * std::log(left)), 1.0 / kPieces});
  }
  return tail;
}

/// The box's six faces as rectangles: front, and per front edge the side beyond it, and the back.
struct Face {
  std::array<Edge, 4> edges;
};

/// Four edges of a rectangle given by a corner, two sides and the outward normal u x v.
Face rectangle(Vector corner, Vector u, double u_length, Vector v, double v_length, Vector out) {
  const Vector a = corner;
  const Vector b = corner + u_length * u;
  const Vector c = b + v_length * v;
  const Vector d = corner + v_length * v;
  return {{Edge{a, u, u_length, v, out}, Edge{b, v, v_length, -1.0 * u, out},
           Edge{c, -1.0 * u, u_length, -1.0 * v, out}, Edge{d, -1.0 * v, v_length, u, out}}};
}

struct Geometry {
  Face front;
  std::array<Face, 4> sides;  ///< in the order of the front's edges: below, right, above, left
};

Geometry geometry_of(const Baffle& b) {
  // The flat front ends where a round or chamfered edge begins; the bend's own width is in the
  // spread.
  const double i = b.bend_inset_m();
  const double w = b.width_m() - 2.0 * i;
  const double h = b.height_m() - 2.0 * i;
  const double d = b.depth_m();
  const Vector x{1, 0, 0};
  const Vector y{0, 1, 0};
  const Vector z{0, 0, 1};
  const Vector o{i, i, 0};
  const Vector right = o + w * x;
  const Vector top = o + h * y;
  return {rectangle(o, x, w, y, h, z),
          {rectangle(o, -1.0 * z, d, x, w, -1.0 * y), rectangle(right, -1.0 * z, d, y, h, x),
           rectangle(right + h * y, -1.0 * z, d, -1.0 * x, w, y),
           rectangle(top, -1.0 * z, d, -1.0 * y, h, -1.0 * x)}};
}

/// Point of the edge over which the path from source to receiver is shortest, and the length over
/// which the integrand varies there.
struct Apex {
  double z;
  double scale;
};
Apex apex_of(double z_source, double r_source, double z_receiver, double r_receiver) {
  const double sum = r_source + r_receiver;
  return {(z_source * r_receiver + z_receiver * r_source) / sum, r_source * r_receiver / sum};
}

/// Points along an edge with weights, dense around the apex: z = apex + scale sinh(u), u even.
struct EdgePoints {
  std::vector<double> z;
  std::vector<double> weight;
};
EdgePoints points_along(double length, Apex apex, int count) {
  const double from = std::asinh((0.0 - apex.z) / apex.scale);
  const double to = std::asinh((length - apex.z) / apex.scale);
  const GaussLegendre rule = gauss_legendre(count);
  EdgePoints points;
  for (std::size_t i = 0; i < rule.node.size(); ++i) {
    const double u = 0.5 * (from + to) + 0.5 * (to - from) * rule.node[i];
    points.z.push_back(apex.z + apex.scale * std::sinh(u));
    points.weight.push_back(0.5 * (to - from) * rule.weight[i] * apex.scale * std::cosh(u));
  }
  return points;
}

bool visible(const Around& receiver) {
  return receiver.angle >= -1e-9 && receiver.angle <= kWedge + 1e-9 && receiver.r > 1e-9;
}

double cosh_eta(double m, double l, double dz, double r_source, double r_receiver) {
  return (m * l + dz) / (r_source * r_receiver);
}

constexpr double kStrength = kIndex / (4.0 * kPi);

class Solver {
 public:
  Solver(const Baffle& baffle, Vector receiver, double reference_m, double highest_hz, double c)
      : geometry_(geometry_of(baffle)),
        spread_(spread_of(baffle)),
        receiver_(receiver),
        reference_m_(reference_m) {
    // Three points a wavelength along the edge; twelve at least for the shape of the integrand.
    const double longest = std::max(baffle.width_m(), baffle.height_m());
    first_count_ = std::clamp(
        static_cast<int>(3.0 * longest * std::min(highest_hz, 20000.0) / c) + 12, 24, 160);
  }

  void add_source(const SourcePoint& source) {
    for (std::size_t i = 0; i < 4; ++i) add_first(source, geometry_.front.edges[i]);
  }
  /// The second order hardly depends on where on the piston the sound starts: its centre stands for
  /// all of it.
  void add_second_order(const SourcePoint& source) {
    for (std::size_t i = 0; i < 4; ++i) {
      const Edge& edge = geometry_.front.edges[i];
      add_second(source, edge, 0.0, geometry_.front, i);
      add_second(source, edge, kWedge, geometry_.sides[i], kNoEdge);
    }
  }

  [[nodiscard]] const PathHistogram& paths() const { return paths_; }
  [[nodiscard]] const PathHistogram& second_paths() const { return second_; }

 private:
  static constexpr std::size_t kNoEdge = 99;

  void add_bent(PathHistogram& to, double path, double amplitude) const {
    for (const Spread& s : spread_) to.add(path + s.path_m, s.share * amplitude);
  }

  void add_first(const SourcePoint& source, const Edge& edge) {
    const Around s = around(edge, source.at);
    const Around r = around(edge, receiver_);
    if (!visible(r)) return;
    const Wedge wedge(r.angle);
    const EdgePoints points = points_along(edge.length, apex_of(s.z, s.r, r.z, r.r), first_count_);
    for (std::size_t i = 0; i < points.z.size(); ++i) {
      const double z = points.z[i];
      const double m = std::hypot(s.r, z - s.z);
      const double l = std::hypot(r.r, z - r.z);
      const double beta = wedge.beta(cosh_eta(m, l, (z - s.z) * (z - r.z), s.r, r.r));
      add_bent(paths_, m + l - reference_m_,
               -kStrength * beta / (m * l) * points.weight[i] * reference_m_ * source.share);
    }
  }

  /// From the first edge over a face (at `face_angle` as the first edge sees it) to the face's
  /// other edges. On a side the first edge itself stands first in the face's list.
  void add_second(const SourcePoint& source, const Edge& first, double face_angle, const Face& face,
                  std::size_t own) {
    const Around s = around(first, source.at);
    const Wedge onto_face(face_angle);
    const EdgePoints along = points_along(first.length, {s.z, s.r}, kSecondCount);
    for (std::size_t j = 0; j < 4; ++j) {
      const Edge& edge = face.edges[j];
      const bool is_first = own != kNoEdge ? j == own : j == 3;
      if (is_first) continue;
      const Around r = around(edge, receiver_);
      if (!visible(r)) continue;
      const Wedge to_receiver(r.angle);
      const GaussLegendre rule = gauss_legendre(kSecondCount);
      for (std::size_t a = 0; a < along.z.size(); ++a) {
        const double z1 = along.z[a];
        const double m = std::hypot(s.r, z1 - s.z);
        const Vector p1 = first.start + z1 * first.along;
        const Around from_first = around(edge, p1);
        for (std::size_t b = 0; b < rule.node.size(); ++b) {
          const double z2 = 0.5 * edge.length * (1.0 + rule.node[b]);
          const double weight = 0.5 * edge.length * rule.weight[b] * along.weight[a];
          const Vector p2 = edge.start + z2 * edge.along;
          const Around to_second = around(first, p2);
          if (to_second.r < 1e-9 || from_first.r < 1e-9) continue;
          const double rho = norm(p2 - p1);
          const double l = std::hypot(r.r, z2 - r.z);
          const double beta1 =
              onto_face.beta(cosh_eta(m, rho, (z1 - s.z) * (z1 - to_second.z), s.r, to_second.r));
          const double beta2 = to_receiver.beta(
              cosh_eta(rho, l, (z2 - from_first.z) * (z2 - r.z), from_first.r, r.r));
          const double amplitude = kStrength * kStrength * beta1 * beta2 / (m * rho * l) * weight *
                                   reference_m_ * source.share;
          add_bent(second_, m + rho + l - reference_m_, amplitude);
        }
      }
    }
  }

  static constexpr int kSecondCount = 20;
  Geometry geometry_;
  std::vector<Spread> spread_;
  Vector receiver_;
  double reference_m_;
  int first_count_ = 24;
  PathHistogram paths_;
  PathHistogram second_;
};

Complex direct_of(const std::vector<SourcePoint>& points, Vector receiver, double reference_m,
                  double k) {
  Complex sum = 0.0;
  for (const SourcePoint& p : points) {
    const double r = norm(receiver - p.at);
    sum += p.share * reference_m / r * std::polar(1.0, -k * (r - reference_m));
  }
  return sum;
}

/// Response at a point that does not lie near the front's plane, where the direct sound ends.
std::vector<Complex> response_off_boundary(const Baffle& baffle, const BafflePiston& piston,
                                           Vector at, const FrequencyAxis& axis, double c,
                                           DiffractionEffort effort) {
  const Vector centre{piston.x_m(), piston.y_m(), 0.0};
  const double reference_m = norm(at - centre);
  const std::vector<SourcePoint> points = piston_points(piston, effort);
  Solver solver(baffle, at, reference_m, axis.back(), c);
  for (const SourcePoint& p : points) solver.add_source(p);
  if (effort == DiffractionEffort::kFine) solver.add_second_order({centre, 1.0});
  const bool in_front = at.z > 0.0;
  const double limit =
      (in_front ? 1.0 : 0.0) + solver.paths().total() + solver.second_paths().total();
  const double closing = 0.5 - limit;
  const double size = 0.5 * std::sqrt(baffle.width_m() * baffle.height_m());
  const double closing_path = solver.second_paths().total() != 0.0
                                  ? solver.second_paths().mean_path()
                                  : 2.0 * solver.paths().mean_path();
  std::vector<Complex> result;
  result.reserve(axis.size());
  for (const double f : axis.hz()) {
    const double k = 2.0 * kPi * f / c;
    Complex value = solver.paths().at(k) + solver.second_paths().at(k);
    if (in_front) value += direct_of(points, at, reference_m, k);
    const double ks = k * size;
    value += closing * std::polar(1.0, -k * closing_path) / (1.0 + ks * ks);
    result.push_back(value);
  }
  return result;
}

}  // namespace

BafflePoint point_at(double x_m, double y_m, double distance_m, double horizontal_rad,
                     double vertical_rad) {
  return {x_m + distance_m * std::sin(horizontal_rad), y_m + distance_m * std::sin(vertical_rad),
          distance_m * std::cos(horizontal_rad) * std::cos(vertical_rad)};
}

std::vector<Complex> baffle_response(const Baffle& baffle, const BafflePiston& piston,
                                     const BafflePoint& at, const FrequencyAxis& axis, double c,
                                     DiffractionEffort effort) {
  const Vector receiver{at.x_m, at.y_m, at.z_m};
  const double distance = norm(receiver - Vector{piston.x_m(), piston.y_m(), 0.0});
  // At the front's plane the direct sound ends and the first order jumps by as much, each of them
  // singular there: the mean of both sides, some degrees away, is the smooth field between.
  constexpr double kBoundary_rad = 0.07;
  if (std::abs(at.z_m) >= kBoundary_rad * distance)
    return response_off_boundary(baffle, piston, receiver, axis, c, effort);
  Vector before = receiver;
  Vector behind = receiver;
  before.z = kBoundary_rad * distance;
  behind.z = -kBoundary_rad * distance;
  std::vector<Complex> mean = response_off_boundary(baffle, piston, before, axis, c, effort);
  const std::vector<Complex> other = response_off_boundary(baffle, piston, behind, axis, c, effort);
  const double t = 0.5 - 0.5 * at.z_m / (kBoundary_rad * distance);
  for (std::size_t i = 0; i < mean.size(); ++i) mean[i] = (1.0 - t) * mean[i] + t * other[i];
  return mean;
}

std::vector<Complex> infinite_baffle_response(const BafflePiston& piston, const BafflePoint& at,
                                              const FrequencyAxis& axis, double c) {
  const Vector receiver{at.x_m, at.y_m, at.z_m};
  const double reference_m = norm(receiver - Vector{piston.x_m(), piston.y_m(), 0.0});
  const std::vector<SourcePoint> points = piston_points(piston, DiffractionEffort::kFine);
  std::vector<Complex> result;
  for (const double f : axis.hz())
    result.push_back(direct_of(points, receiver, reference_m, 2.0 * kPi * f / c));
  return result;
}

}  // namespace lalometer
