#include "acoustics/baffle/diffraction.h"

#include <array>
#include <cmath>
#include <optional>

#include "acoustics/baffle/vector.h"
#include "acoustics/baffle/wedge.h"
#include "acoustics/signal/quadrature.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

/// Exterior angle of a box's edge.
constexpr double kWedge = 1.5 * kPi;

struct SourcePoint {
  Vector at;
  double share;
};

/// A disc as rings of points that share its area evenly: four are within 0.01 of 2 J1(x)/x up to x
/// = 3 (tests/acoustics/directivity), and so many more as the highest frequency asks for.
std::vector<SourcePoint> piston_points(const BafflePiston& p, int rings) {
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

bool visible(const Around& receiver) {
  return receiver.angle >= -1e-9 && receiver.angle <= kWedge + 1e-9 && receiver.r > 1e-9;
}

const double kStrength = wedge_strength(kWedge);

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
    const Around s = around(edge, source.at, kWedge);
    const Around r = around(edge, receiver_, kWedge);
    if (!visible(r)) return;
    const Wedge wedge(kWedge, r.angle);
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
    const Around s = around(first, source.at, kWedge);
    const Wedge onto_face(kWedge, face_angle);
    const EdgePoints along = points_along(first.length, {s.z, s.r}, kSecondCount);
    for (std::size_t j = 0; j < 4; ++j) {
      const Edge& edge = face.edges[j];
      const bool is_first = own != kNoEdge ? j == own : j == 3;
      if (is_first) continue;
      const Around r = around(edge, receiver_, kWedge);
      if (!visible(r)) continue;
      const Wedge to_receiver(kWedge, r.angle);
      const GaussLegendre rule = gauss_legendre(kSecondCount);
      for (std::size_t a = 0; a < along.z.size(); ++a) {
        const double z1 = along.z[a];
        const double m = std::hypot(s.r, z1 - s.z);
        const Vector p1 = first.start + z1 * first.along;
        const Around from_first = around(edge, p1, kWedge);
        for (std::size_t b = 0; b < rule.node.size(); ++b) {
          const double z2 = 0.5 * edge.length * (1.0 + rule.node[b]);
          const double weight = 0.5 * edge.length * rule.weight[b] * along.weight[a];
          const Vector p2 = edge.start + z2 * edge.along;
          const Around to_second = around(first, p2, kWedge);
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

int edge_rings(DiffractionEffort effort) {
  return effort == DiffractionEffort::kFine ? 4 : 2;
}

/// Two rings and a half a wavelength: no false lobe up to the axis' end, 20 kHz at most.
int direct_rings(const BafflePiston& piston, const FrequencyAxis& axis, double c) {
  const double ka = 2.0 * kPi * std::min(axis.back(), 20000.0) / c * piston.radius_m();
  return std::clamp(static_cast<int>(std::ceil(2.5 * ka / (2.0 * kPi))) + 2, 4, 40);
}

/// The edges see the piston along the front, where few rings make false lobes from ka = 5 on: how
/// much less the disc sends there, 2 J1(ka)/ka, than its points do. At most 1.
double along_the_front(const std::vector<SourcePoint>& points, Vector centre, double ka, double k) {
  if (ka < 5.0) return 1.0;
  double rings = 0.0;
  for (const SourcePoint& p : points)
    rings += p.share * std::cyl_bessel_j(0.0, k * norm(p.at - centre));
  const double disc = std::sqrt(8.0 / (kPi * ka * ka * ka));  // its lobes' tops
  return std::min(1.0, disc / std::max(std::abs(rings), 1e-6));
}

/// What of a piston in a large wall is left far below the step, at a finite distance: half of it,
/// by how much nearer or farther than the piston the acoustic centre is.
double low_limit(const Baffle& baffle, const BafflePiston& piston, Vector at, double reference_m) {
  constexpr double kNearest = 0.5;  // of the distance: closer by, no single point stands for a box
  const BafflePoint centre = acoustic_centre(baffle, piston);
  const double away = norm(at - Vector{centre.x_m, centre.y_m, centre.z_m});
  return 0.5 * reference_m / std::max(away, kNearest * reference_m);
}

/// Response at a point that does not lie near the front's plane, where the direct sound ends.
std::vector<Complex> response_off_boundary(const Baffle& baffle, const BafflePiston& piston,
                                           Vector at, const FrequencyAxis& axis, double c,
                                           DiffractionEffort effort) {
  const Vector centre{piston.x_m(), piston.y_m(), 0.0};
  const double reference_m = norm(at - centre);
  const bool in_front = at.z > 0.0;
  const std::vector<SourcePoint> points = piston_points(piston, edge_rings(effort));
  const std::vector<SourcePoint> direct =
      in_front ? piston_points(piston, direct_rings(piston, axis, c)) : std::vector<SourcePoint>();
  Solver solver(baffle, at, reference_m, axis.back(), c);
  for (const SourcePoint& p : points) solver.add_source(p);
  if (effort == DiffractionEffort::kFine) solver.add_second_order({centre, 1.0});
  const double limit =
      (in_front ? 1.0 : 0.0) + solver.paths().total() + solver.second_paths().total();
  const double size = 0.5 * std::sqrt(baffle.width_m() * baffle.height_m());
  const double closing_path = solver.second_paths().total() != 0.0
                                  ? solver.second_paths().mean_path()
                                  : 2.0 * solver.paths().mean_path();
  const double closing = 0.5 - limit;
  const double nearer = low_limit(baffle, piston, at, reference_m) - 0.5;
  std::vector<Complex> result;
  result.reserve(axis.size());
  for (const double f : axis.hz()) {
    const double k = 2.0 * kPi * f / c;
    Complex value = (solver.paths().at(k) + solver.second_paths().at(k)) *
                    along_the_front(points, centre, k * piston.radius_m(), k);
    if (in_front) value += direct_of(direct, at, reference_m, k);
    const double ks = k * size;
    value += closing * std::polar(1.0, -k * closing_path) / (1.0 + ks * ks) +
             nearer / (1.0 + 4.0 * ks * ks);
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
  const std::vector<SourcePoint> points = piston_points(piston, direct_rings(piston, axis, c));
  std::vector<Complex> result;
  for (const double f : axis.hz())
    result.push_back(direct_of(points, receiver, reference_m, 2.0 * kPi * f / c));
  return result;
}

}  // namespace lalometer
