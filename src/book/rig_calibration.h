#pragma once

#include <cmath>
#include <map>
#include <optional>
#include <string>
#include <string_view>

#include "acoustics/impedance/divider.h"
#include "acoustics/spectrum/response.h"
#include "base/constants.h"

namespace lalometer {

/// What tells when a sweep was played.
enum class TimeBase {
  kLoopback,  ///< a second input that hears the output: time, distance, everything
  kChirps,    ///< reference chirps: one time for all takes, and both clocks' drift
  kNone,      ///< the onset alone: level and gate hold, no distance, no phase between takes
};
/// "loopback", "chirps", "none".
[[nodiscard]] constexpr std::string_view word_of(TimeBase base) {
  constexpr std::string_view kWords[] = {"loopback", "chirps", "none"};
  return kWords[static_cast<std::size_t>(base)];
}
[[nodiscard]] constexpr std::optional<TimeBase> time_base_of(std::string_view word) {
  for (const TimeBase each : {TimeBase::kLoopback, TimeBase::kChirps, TimeBase::kNone})
    if (word_of(each) == word) return each;
  return std::nullopt;
}

/// What turns full-scale units into volts, pascals and ohms. Kept with date and rig, applied by
/// reference.
struct RigCalibration {
  std::string rig_name = "Practice bench";
  TimeBase time = TimeBase::kLoopback;
  bool chirps_by_second = false;  ///< by a loudspeaker of their own on the second output
  double chirp_distance_m = 0.0;  ///< from what plays the chirps to the microphone; 0: not told
  /// Whether volts and pascals were calibrated; levels are relative otherwise, and say so.
  bool level_known = true;
  double output_v_per_unit = 20.0;    ///< amplifier's terminals, V peak per digital 1.0
  double loopback_v_per_unit = 20.0;  ///< V peak at the amplifier per recorded 1.0
  double input_pa_per_unit = 20.0;    ///< microphone input, Pa peak per recorded 1.0
  double jig_v_per_unit = 20.0;       ///< jig terminals, V peak per recorded 1.0
  double reference_ohm = 27.0;        ///< resistor of the impedance jig
  double cable_ohm = 0.0;
  /// Half-width of the smooth error that impedances may have beside their noise, per cent: 1 for a
  /// divider with a usual resistor, 0.5 after open, short and known resistor (common practice).
  double impedance_uncertainty_percent = 1.0;
  /// Deviation of the microphone's response from flat, dB and degrees, to be taken out. The file's
  /// 0 dB is at its reference frequency.
  std::optional<Response> microphone_correction;
  std::string microphone_correction_name;  ///< file it came from
  /// Angle of incidence that the correction holds for: 0 pointed at the source, 90 across.
  double microphone_correction_deg = 0.0;
  /// Its own distortion as its sheet tells it, and the level that holds at; 0: not told.
  double microphone_thd_percent = 0.0;
  double microphone_thd_db_spl = 0.0;
  /// Frequency of the calibrator that the sensitivity was taken with: there it holds with all that
  /// the microphone does. Nothing where the sensitivity is the file's own.
  std::optional<double> calibrator_hz;
  /// Open, short and known resistor, where they were taken; the divider's resistor is used
  /// otherwise.
  std::optional<JigCalibration> jig;
  /// The measuring input's response over the loopback input's, with one signal in both; taken out.
  std::optional<Response> inputs;
  /// The jig's input over the other one, with levels, by swapping its leads; taken out of
  /// impedances where the three states were not taken, which hold it already.
  std::optional<Response> jig_inputs;
  /// When each part was last taken (UTC), by the words of calibrating.h.
  std::map<std::string, std::string> taken_at;
};

/// Sound pressure level at which a sine's peak reaches digital 1.0, dB re 20 uPa (rms), and back.
[[nodiscard]] inline double full_scale_db_spl(double pa_per_unit) {
  return 20.0 * std::log10(pa_per_unit / std::sqrt(2.0) / kReferencePressure_pa);
}
[[nodiscard]] inline double pa_per_unit_of(double full_scale_db_spl) {
  return std::pow(10.0, full_scale_db_spl / 20.0) * std::sqrt(2.0) * kReferencePressure_pa;
}

}  // namespace lalometer
