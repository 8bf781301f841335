#pragma once

#include "acoustics/equaliser/equalise.h"
#include "acoustics/spin/spinorama.h"
#include "workbench/angles/orbit_material.h"
#include "workbench/spin/angle_view.h"

namespace lalometer {

/// How far one of the averages departs from a straight line over log f, before and after; dB rms.
struct EqualiseEffect {
  std::string what;
  double before_db;
  double after_db;
};

struct EqualiseAdvice {
  Equalisation equalisation;
  std::vector<LeftAlone> refused = {};
  std::vector<double> before_db = {};
  std::vector<double> target_db = {};
  double from_hz = 0.0;
  double to_hz = 0.0;
  std::vector<EqualiseEffect> effects = {};  ///< within the same range
  double headroom_db = 0.0;                  ///< the most that the filters lift anything
  std::vector<std::string> notes = {};
};

/// What may be mended: what stands alike at the angles that matter. A departure of the curve from
/// its own run over two octaves counts as the loudspeaker's where the angles up to 30 degrees to
/// the sides, 40 to 60 and the vertical window have on average at least half of it; else it changes
/// with the angle (an edge, interference between drivers), and a filter would spoil other angles as
/// much as it mends this one. Dips that the cabinet's edges are due to make on the axis are named.
/// @return an error where the wanted curve is not there.
[[nodiscard]] Result<EqualiseAdvice> equalise_advice(const OrbitMaterial& material,
                                                     const EqualiseWish& wish,
                                                     const std::string& where);

}  // namespace lalometer
