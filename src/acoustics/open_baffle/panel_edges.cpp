#include "acoustics/open_baffle/panel_edges.h"

#include <algorithm>
#include <cmath>

#include "acoustics/baffle/wedge.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

constexpr double kThin = 2.0 * kPi;
constexpr double kFold = 1.5 * kPi;
constexpr int kAlongEdge = 96;
constexpr int kAlongEdgeAgain = 24;

struct PanelEdge {
  Edge edge;
  /// A free edge of a thin panel, or the fold of a wing.
  double wedge_rad;
  /// Of a free edge the rear's wave is the front's mirror image: all counts twice.
  double times;
};

std::array<PanelEdge, 4> edges_of(const OpenBaffle& p) {
  const double w = p.width_m;
  const double h = p.height_m;
  const Vector x{1, 0, 0};
  const Vector y{0, 1, 0};
  const Vector z{0, 0, 1};
  const auto side = [](double wing_m) { return wing_m > 0.0 ? kFold : kThin; };
  const auto times = [](double wing_m) { return wing_m > 0.0 ? 1.0 : 2.0; };
  return {PanelEdge{{{0, 0, 0}, x, w, y, z}, kThin, 2.0},
          PanelEdge{{{w, 0, 0}, y, h, -1.0 * x, z}, side(p.right_wing_m), times(p.right_wing_m)},
          PanelEdge{{{w, h, 0}, -1.0 * x, w, -1.0 * y, z}, kThin, 2.0},
          PanelEdge{{{0, h, 0}, -1.0 * y, h, x, z}, side(p.left_wing_m), times(p.left_wing_m)}};
}

struct Point {
  Vector at;
  double share;
};
std::vector<Point> disc(const OpenBaffle& p, double radius_m, int rings) {
  std::vector<Point> points;
  for (int ring = 0; ring < rings; ++ring) {
    const int count = 3 * (2 * ring + 1);
    const double r = radius_m * (ring + 0.5) / rings;
    for (int i = 0; i < count; ++i) {
      const double a = 2.0 * kPi * (i + 0.5) / count;
      points.push_back({{p.driver_x_m + r * std::cos(a), p.driver_y_m + r * std::sin(a), 0.0},
                        (2.0 * ring + 1.0) / (rings * rings) / count});
    }
  }
  return points;
}

void add_first(PathHistogram& paths, const PanelEdge& e, const Point& source, Vector listener,
               double reference_m) {
  const Around s = around(e.edge, source.at, e.wedge_rad);
  const Around r = around(e.edge, listener, e.wedge_rad);
  if (r.angle < 0.0 || r.angle > e.wedge_rad || r.r < 1e-9) return;
  const Wedge wedge(e.wedge_rad, r.angle);
  const EdgePoints points = points_along(e.edge.length, apex_of(s.z, s.r, r.z, r.r), kAlongEdge);
  for (std::size_t i = 0; i < points.z.size(); ++i) {
    const double z = points.z[i];
    const double m = std::hypot(s.r, z - s.z);
    const double l = std::hypot(r.r, z - r.z);
    const double beta = wedge.beta(cosh_eta(m, l, (z - s.z) * (z - r.z), s.r, r.r));
    paths.add(m + l - reference_m, -e.times * wedge_strength(e.wedge_rad) * beta / (m * l) *
                                       points.weight[i] * reference_m * source.share);
  }
}

/// Over the front from one edge to another; over the rear of a thin panel it is the same again.
void add_second(PathHistogram& paths, const PanelEdge& first, const PanelEdge& second,
                const Point& source, Vector listener, double reference_m) {
  const Around s = around(first.edge, source.at, first.wedge_rad);
  const Around r = around(second.edge, listener, second.wedge_rad);
  if (r.angle < 0.0 || r.angle > second.wedge_rad || r.r < 1e-9) return;
  const Wedge onto_face(first.wedge_rad, 0.0);
  const Wedge to_listener(second.wedge_rad, r.angle);
  const EdgePoints along = points_along(first.edge.length, {s.z, s.r}, kAlongEdgeAgain);
  const GaussLegendre rule = gauss_legendre(kAlongEdgeAgain);
  const double strength = wedge_strength(first.wedge_rad) * wedge_strength(second.wedge_rad) *
                          first.times * second.times;
  for (std::size_t a = 0; a < along.z.size(); ++a) {
    const double z1 = along.z[a];
    const double m = std::hypot(s.r, z1 - s.z);
    const Vector p1 = first.edge.start + z1 * first.edge.along;
    const Around from_first = around(second.edge, p1, second.wedge_rad);
    for (std::size_t b = 0; b < rule.node.size(); ++b) {
      const double z2 = 0.5 * second.edge.length * (1.0 + rule.node[b]);
      const Vector p2 = second.edge.start + z2 * second.edge.along;
      const Around to_second = around(first.edge, p2, first.wedge_rad);
      if (to_second.r < 1e-9 || from_first.r < 1e-9) continue;
      const double rho = norm(p2 - p1);
      const double l = std::hypot(r.r, z2 - r.z);
      const double beta1 =
          onto_face.beta(cosh_eta(m, rho, (z1 - s.z) * (z1 - to_second.z), s.r, to_second.r));
      const double beta2 =
          to_listener.beta(cosh_eta(rho, l, (z2 - from_first.z) * (z2 - r.z), from_first.r, r.r));
      paths.add(m + rho + l - reference_m, strength * beta1 * beta2 / (m * rho * l) *
                                               along.weight[a] * 0.5 * second.edge.length *
                                               rule.weight[b] * reference_m * source.share);
    }
  }
}

std::vector<Complex> in_front(const OpenBaffle& panel, Vector listener, double radius_m,
                              const FrequencyAxis& axis, double c) {
  const Vector centre{panel.driver_x_m, panel.driver_y_m, 0.0};
  const double reference_m = norm(listener - centre);
  PathHistogram paths;
  const auto edges = edges_of(panel);
  for (const Point& point : disc(panel, radius_m, 3))
    for (const PanelEdge& e : edges) add_first(paths, e, point, listener, reference_m);
  for (std::size_t a = 0; a < edges.size(); ++a)
    for (std::size_t b = 0; b < edges.size(); ++b)
      if (a != b) add_second(paths, edges[a], edges[b], {centre, 1.0}, listener, reference_m);
  const double ka = 2.0 * kPi * std::min(axis.back(), 20000.0) / c * radius_m;
  const auto direct =
      disc(panel, radius_m, std::clamp(static_cast<int>(std::ceil(ka / 2.5)) + 2, 4, 40));
  std::vector<Complex> values;
  for (const double f : axis.hz()) {
    const double k = 2.0 * kPi * f / c;
    Complex value = paths.at(k);
    for (const Point& p : direct) {
      const double r = norm(listener - p.at);
      value += p.share * reference_m / r * std::polar(1.0, -k * (r - reference_m));
    }
    values.push_back(value);
  }
  return values;
}

}  // namespace

std::vector<Complex> panel_edges_response(const OpenBaffle& panel, const BafflePoint& at,
                                          double radius_m, const FrequencyAxis& axis, double c) {
  // Behind, a flat panel sends the front's sound turned over, and in its own plane nothing; a few
  // degrees around that go over from one to the other.
  constexpr double kPlane_rad = 0.07;
  const Vector centre{panel.driver_x_m, panel.driver_y_m, 0.0};
  Vector listener{at.x_m, at.y_m, std::abs(at.z_m)};
  const double distance = norm(listener - centre);
  const double least = kPlane_rad * distance;
  const double share = std::clamp(at.z_m / least, -1.0, 1.0);
  listener.z = std::max(listener.z, least);
  std::vector<Complex> values = in_front(panel, listener, radius_m, axis, c);
  for (Complex& value : values) value *= share;
  return values;
}

}  // namespace lalometer
