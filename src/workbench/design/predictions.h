#pragma once

#include <string>
#include <vector>

#include "book/description/subject_geometry.h"

namespace lalometer {

enum class PredictionGroup { kBox, kWave, kEdge, kStep, kCrossover, kBeaming, kLimit };

/// Something that geometry and parameters alone predict at a frequency, before anything is taken.
struct Prediction {
  PredictionGroup group;
  std::string name;      ///< "box height wave"
  std::string sentence;  ///< what it is, from which size, what it does
  double low_hz;         ///< equal to high_hz: a single frequency
  double high_hz;
  [[nodiscard]] double centre_hz() const;
};

/// What the measurement itself limits; 0 where not known.
struct PredictionContext {
  double gate_s = 0.0;
  double reflection_s = 0.0;  ///< of the first reflection after the arrival
};

/// All predictions for a subject, rising in frequency. Sizes that are not specified, or that are
/// impossible, give none.
///
/// Tuning (Helmholtz), port pipe (c/2L'), standing waves of first order per inner dimension, the
/// baffle step (where the edge model passes -5 and -1 dB), edges of each driver within its working
/// range (dip near c/d; equal ones together), crossover (a third of an octave to both sides),
/// centres one wavelength apart, beaming of each driver from ka = 2 upward, the gate's limit 1/T,
/// the first reflection's first dip 1/(2 dt).
[[nodiscard]] std::vector<Prediction> predictions_of(const SubjectGeometry& geometry,
                                                     const PredictionContext& context);

}  // namespace lalometer
