#pragma once

#include "acoustics/curves/difference.h"
#include "acoustics/curves/phase_parts.h"
#include "acoustics/impedance/estimate.h"
#include "acoustics/signal/time_origin.h"
#include "book/description/subject_geometry.h"
#include "book/records.h"

/// What single curves and pairs of them tell beyond their levels.
namespace lalometer {

/// A response with what its phase counts from.
struct TimedTake {
  const Take* take;
  const Response* curve;
  TimeOrigin origin;
};

/// One driver against another, at one place of the microphone.
struct DriverOffset {
  std::string behind;  ///< a driver
  std::string of;      ///< the one it lies behind; negative: before
  Estimate offset_m;
  bool opposed = false;  ///< their polarities differ
};
struct DriverOffsets {
  std::vector<DriverOffset> offsets;
  std::vector<std::string> notes;
};
/// Of takes of single drivers on the axis (Conditions::driver), each against the last driver of
/// the subject that was taken: its acoustic centre, behind the other's, where their places on the
/// baffle are told. Takes without one time, or of other distances, are left out and noted.
[[nodiscard]] DriverOffsets driver_offsets(const SubjectGeometry& geometry,
                                           const std::vector<TimedTake>& takes);

/// What the cabinet's edges do, measured: a driver in its box against the same in a large baffle.
struct MeasuredEdges {
  CurveDifference difference;    ///< in the box less in the large baffle
  std::vector<double> model_db;  ///< of the edges, at the difference's frequencies
  Explained explained;
  std::string told;  ///< "edges explain 1.3 of 1.6 dB rms, 300 Hz to 10 kHz"
};
/// Over what both curves are valid for, from 200 Hz to 10 kHz. Nothing where the driver or the
/// cabinet is not told, or the curves share too little.
[[nodiscard]] std::optional<MeasuredEdges> measured_edges(const SubjectGeometry& geometry,
                                                          const std::string& driver,
                                                          const Response& in_box,
                                                          const Response& large_baffle,
                                                          double distance_m);

}  // namespace lalometer
