#pragma once

#include "diagnosis/cause.h"

namespace lalometer {

/// What a feature's decay says of a claim on it; nothing where it was not looked for.
struct RingingOdds {
  double rings = 1.0;  ///< it rings on as something of this Q would
  /// Nothing rings there, or far longer or shorter. Of what is too broad to ring nothing is said.
  double not_so = 1.0;
  double low_q = 4.0, high_q = 300.0;
};
/// @return whether it was looked for.
bool saw_ringing(Claim& claim, const SeenFeature& feature, const RingingOdds& odds);
/// Two arrivals make dips and peaks that end with the later one: what rings on with a Q above 5 is
/// not theirs.
void saw_no_ringing(Claim& claim, const SeenFeature& feature);

}  // namespace lalometer
