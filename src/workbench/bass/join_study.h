#pragma once

#include "workbench/bass/near_field_study.h"

namespace lalometer {

/// A far field as it was taken: gated, on the axis.
struct FarTake {
  const Take* take;
  const Response* curve;
  bool calibrated = true;
};

/// Near field and far field as one curve.
struct JoinedResponse {
  Response curve;  ///< pressure scaled to 1 m as by the far field, at the far field's drive
  double joined_at_hz = 0.0;
  double level_offset_db = 0.0;      ///< the near field was raised by so much
  double offset_deviation_db = 0.0;  ///< half-width of its 95 % interval
  double mismatch_db = 0.0;          ///< rms over the overlap after that
  ValidRange overlap;
  double valid_from_hz = 0.0;
  /// How far the phase bends off minimum phase, a delay and a constant within an octave of the
  /// join, degrees rms; nothing without phase.
  std::optional<double> phase_misfit_deg = std::nullopt;
  bool calibrated = true;
  std::optional<Estimate> f3_hz = std::nullopt;  ///< re the mean of 300 Hz to 3 kHz
  std::optional<Estimate> f6_hz = std::nullopt;
  std::optional<Estimate> f10_hz = std::nullopt;
  std::vector<std::string> notes = {};
};

/// The near fields' sum by this cabinet's edges (in a wall where its size is not told), raised to
/// the far field's level over all that both are valid for, its delay and polarity set to the far
/// field's, and blended into it over half an octave by a raised cosine, in dB and phase, where they
/// agree best.
/// @param at_hz  where to join instead.
/// @return an error where they share less than a third of an octave, or `at_hz` lies outside.
[[nodiscard]] Result<JoinedResponse> joined_response(const NearFields& near, const FarTake& far,
                                                     std::optional<double> at_hz,
                                                     const std::string& where);

}  // namespace lalometer
