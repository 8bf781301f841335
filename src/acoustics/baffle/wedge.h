#pragma once

#include <array>
#include <cmath>
#include <complex>
#include <vector>

#include "acoustics/baffle/vector.h"
#include "acoustics/signal/quadrature.h"
#include "base/constants.h"

/// What line integrals along the edges of rigid wedges are made of: U. P. Svensson, R. I. Fred, J.
/// Vanderkooy, J. Acoust. Soc. Am. 106 (1999) 2331, eqs (27)-(30).
namespace lalometer {

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

/// @param wedge_rad  exterior angle of the wedge, 3 pi / 2 of a box's edge, 2 pi of a thin panel's.
inline Around around(const Edge& edge, Vector p, double wedge_rad) {
  const Vector d = p - edge.start;
  const double across = dot(d, edge.inward);
  const double up = dot(d, edge.out);
  double angle = std::atan2(up, across);
  if (angle < wedge_rad - 2.0 * kPi) angle += 2.0 * kPi;  // behind the other face's plane
  return {dot(d, edge.along), std::hypot(across, up), angle};
}

/// beta+ + beta- of the source on the face: sin(v p)/(cosh(v eta) - cos(v p)) for p = pi +- angle.
class Wedge {
 public:
  Wedge(double wedge_rad, double angle)
      : index_(kPi / wedge_rad),
        sine_{std::sin(index_ * (kPi + angle)), std::sin(index_ * (kPi - angle))},
        cosine_{std::cos(index_ * (kPi + angle)), std::cos(index_ * (kPi - angle))} {}
  /// @param cosh_eta  >= 1.
  [[nodiscard]] double beta(double cosh_eta) const {
    const double excess = std::max(cosh_eta - 1.0, 0.0);
    const double eta = std::log1p(excess + std::sqrt(excess * (excess + 2.0)));
    const double e = std::exp(index_ * eta);
    const double c = 0.5 * (e + 1.0 / e);
    return sine_[0] / (c - cosine_[0]) + sine_[1] / (c - cosine_[1]);
  }

 private:
  double index_;
  std::array<double, 2> sine_;
  std::array<double, 2> cosine_;
};

/// How strongly a wedge diffracts, nu / (4 pi), nu = pi over its exterior angle.
inline double wedge_strength(double wedge_rad) {
  return 0.25 / wedge_rad;
}

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
  [[nodiscard]] std::complex<double> at(double k) const {
    // Bins stand evenly, so the phase turns by one factor from bin to bin.
    const std::complex<double> turn = std::polar(1.0, -k * kBin_m);
    const std::size_t first = std::min(first_, bins_.size());
    const std::complex<double> phase =
        std::polar(1.0, -k * (kFrom_m + static_cast<double>(first) * kBin_m));
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
    return std::complex<double>(re, im) / (sinc * sinc);
  }

 private:
  static constexpr double kBin_m = 0.001;
  static constexpr double kFrom_m =
      -2.0;  // re the direct path: shorter by the size of a box at most
  std::vector<double> bins_;
  std::size_t first_ = static_cast<std::size_t>(-1);  ///< nothing lies before it
};

/// Point of the edge over which the path from source to receiver is shortest, and the length over
/// which the integrand varies there.
struct Apex {
  double z;
  double scale;
};
inline Apex apex_of(double z_source, double r_source, double z_receiver, double r_receiver) {
  const double sum = r_source + r_receiver;
  return {(z_source * r_receiver + z_receiver * r_source) / sum, r_source * r_receiver / sum};
}

/// Points along an edge with weights, dense around the apex: z = apex + scale sinh(u), u even.
struct EdgePoints {
  std::vector<double> z;
  std::vector<double> weight;
};
inline EdgePoints points_along(double length, Apex apex, int count) {
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

inline double cosh_eta(double m, double l, double dz, double r_source, double r_receiver) {
  return (m * l + dz) / (r_source * r_receiver);
}

}  // namespace lalometer
