#pragma once

#include <stop_token>
#include <string>

#include "exchange/set/measurement_set.h"
#include "rig/practice/practice_bench.h"
#include "workbench/telling/told.h"

namespace lalometer {

/// One take as it is to be simulated; keys as in set.json, angles and the like with their defaults.
struct PracticeTake {
  std::string id;
  std::string kind;     ///< impedance, sweep, impulse-response, response, near-field, multitone
  std::string name;     ///< empty: the id
  std::string variant;  ///< the set's own id
  std::string condition;
  std::string driver;  ///< impedance: that one bare; else only that one plays
  std::string sample;
  std::string source;  ///< of a near field: a driver's id or "port"
  double horizontal_deg = 0.0;
  double vertical_deg = 0.0;
  double distance_m = 0.0;  ///< 0: the bench's
  double drive_v = 0.0;     ///< 0: 2.83 V, and 1 V before the jig
  double gate_ms = 4.5;
  double added_mass_g = 0.0;
  double test_box_l = 0.0;
  double duration_s = 0.0;            ///< of a sweep or a multitone; 0: usual
  std::size_t length = 65536;         ///< of an impulse response, samples
  std::vector<double> tones_hz = {};  ///< of a multitone
};

/// What a bench gives for a take, as the files of a set hold it, and the truth beside it.
struct SimulatedTake {
  SetTake item;
  Told truth;  ///< the bench's own response or impedance, and what the checks remarked
};
/// @param bench  set up but for the take's own conditions (angle, distance, driver).
/// @param circuits  of the bench's loudspeaker; nothing: solved anew.
[[nodiscard]] Result<SimulatedTake> simulated_take(
    PracticeBenchSetup bench, const PracticeTake& take, double sample_rate_hz, std::stop_token stop,
    std::shared_ptr<const PracticeCircuits> circuits = nullptr);

/// Impulse response at the microphone for a drive, Pa per sample (the field's transfer function
/// sampled up to half the rate, faded out over its last twelfth), `length` samples from the moment
/// of excitation. Linear: the motors' limits are not in it.
[[nodiscard]] std::vector<double> practice_impulse(const PracticeField& field, double drive_v,
                                                   double sample_rate_hz, std::size_t length);

}  // namespace lalometer
