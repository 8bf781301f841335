#pragma once

#include "book/book.h"
#include "rig/audio_device.h"
#include "workbench/taking/take_runner.h"

namespace lalometer {

/// The parts of a rig's calibration, by the words under which their dates are kept.
namespace calibration {
inline constexpr const char* kMicrophone = "microphone-correction";
inline constexpr const char* kSensitivity = "sensitivity";
inline constexpr const char* kAmplifier = "amplifier";
inline constexpr const char* kInputs = "inputs";
inline constexpr const char* kJig = "jig";
inline constexpr const char* kJigInputs = "jig-inputs";
}  // namespace calibration

/// A steady tone as an input heard it.
struct ToneReading {
  double amplitude = 0.0;  ///< peak, of full scale
  double frequency_hz = 0.0;
  double other_db = 0.0;   ///< everything beside the tone, re the tone
  double wander_db = 0.0;  ///< between the loudest and the softest fifth of the time
};
/// Plays a tone (amplitude 0: only listens), leaves out the first half second, and reads the tone
/// nearest to `frequency_hz` (within 5 %) on both inputs.
struct ToneReadings {
  ToneReading measured;
  ToneReading loopback;
};
[[nodiscard]] Result<ToneReadings> read_tone(AudioDevice& device, const StreamSetup& setup,
                                             double frequency_hz, double amplitude, double seconds,
                                             std::stop_token stop);

/// Microphone sensitivity from a sound calibrator on the microphone (or a tone whose level is known
/// from a meter beside it). Refused where the tone wavers by more than 0.3 dB, is not within 5 % of
/// its frequency, or other sound comes within 20 dB: the calibrator does not sit.
[[nodiscard]] Result<RigCalibration> with_sensitivity(RigCalibration rig,
                                                      const ToneReading& reading,
                                                      double level_db_spl, const std::string& now);

/// Amplifier gain, so that 2.83 V is 2.83 V: a tone of known digital amplitude was played, a
/// voltmeter at the loudspeaker's terminals showed `volts_rms`, and the loopback heard the same
/// tone.
[[nodiscard]] Result<RigCalibration> with_amplifier(RigCalibration rig, double amplitude,
                                                    double volts_rms, const ToneReading& loopback,
                                                    const std::string& now);

/// What one input hears over the other one, with one signal in both (Y cable): to be taken out of
/// every take. Refused where they differ by more than 6 dB anywhere from 20 Hz to 20 kHz: something
/// else is plugged in.
[[nodiscard]] Result<RigCalibration> with_inputs(AudioDevice& device, RigCalibration rig,
                                                 double sample_rate_hz, std::stop_token stop,
                                                 const std::string& now);

/// The two inputs of a jig against each other, by swapping its leads with one load on it: what they
/// read as wired is g v, swapped g / v, so that g is the root of the product. No resistor has to be
/// known, no cable made; the amplifier (a headphone output will do) stands before both leads, so
/// that its own resistance is in neither. Ratios in the inputs' own units (input_ratio()).
/// Refused where the two readings look alike or g leaves a factor of 100.
[[nodiscard]] Result<RigCalibration> with_swapped_leads(RigCalibration rig,
                                                        const Response& as_wired,
                                                        const Response& swapped,
                                                        const std::string& now);
/// The jig's two inputs over a sweep, in their own units.
[[nodiscard]] Result<Response> input_ratio(AudioDevice& device, const RigCalibration& rig,
                                           double sample_rate_hz, std::stop_token stop);

/// One of the jig's three states: the ratio of its inputs over a sweep.
[[nodiscard]] Result<Response> jig_ratio(AudioDevice& device, const RigCalibration& rig,
                                         double sample_rate_hz, std::stop_token stop);
/// Open, shorted and a known resistor. Refused where open and short are not far apart, or the known
/// one does not lie between them.
[[nodiscard]] Result<RigCalibration> with_jig(RigCalibration rig, Response open, Response shorted,
                                              Response known, double known_ohm,
                                              const std::string& now);

/// How a part of the calibration stands today.
struct CalibrationStatus {
  std::string part;  ///< word
  std::string title;
  std::string taken_at;  ///< empty: never
  bool out_of_date = false;
  std::string advice;
};
/// Usual spans (common practice, no source): sensitivity a day's work, 7 days; amplifier 30; jig
/// and inputs 90; the microphone's file 730.
[[nodiscard]] std::vector<CalibrationStatus> status_of(const RigCalibration& rig,
                                                       const std::string& now);

/// Takes of rigs by this name that were taken on or after a day get the calibration (an edit, can
/// be undone). Gives how many.
[[nodiscard]] Result<std::size_t> mend_takes(Book& book, const RigCalibration& rig,
                                             const std::string& from_day);

/// Which input carries the loopback: plays a low-level sweep and looks for it, unaltered, on each.
/// Nothing where none does.
[[nodiscard]] Result<std::optional<int>> find_loopback(AudioDevice& device, double sample_rate_hz,
                                                       int input_count, std::stop_token stop);

/// Which way the driver that speaks first moves for a positive voltage, by a short sweep.
struct HeardPolarity {
  std::optional<bool> outward;  ///< nothing where no pulse stands out
  std::string refusal;          ///< why the sweep was not fit to tell; else empty
};
[[nodiscard]] Result<HeardPolarity> heard_polarity(AudioDevice& device, const RigCalibration& rig,
                                                   const TakeRequest& request,
                                                   std::stop_token stop);

}  // namespace lalometer
