#pragma once

#include "base/result.h"

namespace lalometer {

/// How the front's four edges are worked.
enum class EdgeShape { kSquare, kChamfered, kRound };

/// A rigid closed box whose front carries the drivers. Its own coordinates: x to the right from the
/// front's left edge, y upward from its lower edge, z toward the listener, 0 at the front.
/// Invariants, checked in make(): sizes > 0 and finite; the edge's size >= 0 and less than half the
/// shorter side of the front.
class Baffle {
 public:
  struct Values {
    double width_m;
    double height_m;
    double depth_m;
    EdgeShape edge;
    double edge_size_m;  ///< radius of a round edge, width of the bevelled face of a chamfered one
  };
  [[nodiscard]] static Result<Baffle> make(const Values& values);

  [[nodiscard]] double width_m() const { return values_.width_m; }
  [[nodiscard]] double height_m() const { return values_.height_m; }
  [[nodiscard]] double depth_m() const { return values_.depth_m; }
  [[nodiscard]] EdgeShape edge() const { return values_.edge; }
  [[nodiscard]] double edge_size_m() const { return values_.edge_size_m; }
  /// How far the flat front ends before the outer edge: the radius, or the chamfer's width over
  /// root two.
  [[nodiscard]] double bend_inset_m() const;

 private:
  explicit Baffle(const Values& values) : values_(values) {}
  Values values_;
};

/// A place in the baffle's coordinates.
struct BafflePoint {
  double x_m;
  double y_m;
  double z_m;
};

/// A round piston flush in the front. Invariants, checked in make(): radius > 0, and the whole
/// piston on the flat part of the front.
class BafflePiston {
 public:
  [[nodiscard]] static Result<BafflePiston> make(const Baffle& baffle, double x_m, double y_m,
                                                 double radius_m);
  [[nodiscard]] double x_m() const { return x_m_; }
  [[nodiscard]] double y_m() const { return y_m_; }
  [[nodiscard]] double radius_m() const { return radius_m_; }

 private:
  BafflePiston(double x_m, double y_m, double radius_m)
      : x_m_(x_m), y_m_(y_m), radius_m_(radius_m) {}
  double x_m_, y_m_, radius_m_;
};

/// Far below its step a box radiates as a point of its own some way before the front, its acoustic
/// centre (J. Vanderkooy, J. Audio Eng. Soc. 58 (2010) 183, from memory). By reciprocity a
/// co-ordinate of it is the potential of a uniform flow past the box at the piston's place: taken
/// from the ellipsoid of the box's volume and proportions, whose flow is known in closed form
/// (Lamb, Hydrodynamics, section 114), meant over the piston. Within 20 mm of boundary elements on
/// boxes of 210 x 380 x 300 and 450 x 500 x 480 mm. The piston's own plane at least.
[[nodiscard]] BafflePoint acoustic_centre(const Baffle& baffle, const BafflePiston& piston);

}  // namespace lalometer
