#pragma once

#include "acoustics/impedance/fit/box_fit.h"
#include "acoustics/impedance/wiggles.h"
#include "book/description/description.h"
#include "workbench/bass/near_field_study.h"

/// What the near fields say of the box, beside what its impedance and its sizes say.
namespace lalometer {

/// Half-space level that a box should have, at any offset.
struct ExpectedBass {
  FrequencyAxis axis;
  std::vector<double> level_db;
  std::string basis;  ///< "the driver's parameters and the box's sizes", "the impedance in the box"
};
/// Of a vented box whose driver's parameters, volume and ports are told in full; losses as usual in
/// a sound box (QL 10). Nothing otherwise.
[[nodiscard]] std::optional<ExpectedBass> expected_bass(const Description& description);
/// By what the impedance in the box says, with QL 10 instead of its own.
[[nodiscard]] std::optional<ExpectedBass> expected_bass(const BoxFit& fit);

/// Output that is missing about the tuning.
struct MissingOutput {
  double missing_db = 0.0;  ///< below what the box should play, from 0.8 to 1.25 of the tuning
  double half_width_db = 0.0;
  std::string basis;
};
/// Both aligned from 2.5 to 5 times the tuning. Nothing without a tuning, or where the curves do
/// not reach that far.
[[nodiscard]] std::optional<MissingOutput> missing_output(const NearFields& near,
                                                          const ExpectedBass& expected);

/// A dip of the cone's near field, with what else stands there.
struct ConeWave {
  Departure dip;
  std::string predicted = {};  ///< "box height", "box height and width"; empty: none of the box's
  double predicted_hz = 0.0;
  std::optional<double> impedance_hz = std::nullopt;  ///< a resonance of the impedance there
};
/// Waves within 6 % of the dip, the nearest; resonances of the impedance within 4 %.
[[nodiscard]] std::vector<ConeWave> cone_waves(const NearFields& near,
                                               const SubjectGeometry& geometry,
                                               const std::vector<Wiggle>* impedance,
                                               double speed_of_sound_m_s);

}  // namespace lalometer
