#pragma once

#include <vector>

#include "acoustics/signal/impulse_response.h"
#include "acoustics/spectrum/frequency_axis.h"

/// How a response dies away, over frequency and time.
namespace lalometer {

struct DecayMap {
  enum class Kind { kCumulative, kBurst, kBass };
  Kind kind = Kind::kCumulative;
  FrequencyAxis axis;
  /// After the arrival: seconds, or periods of each frequency (kBurst).
  std::vector<double> time;
  /// [time][frequency]: dB re the impulse's own unit, at least -400.
  std::vector<std::vector<double>> level_db;
  /// [time]: below it the data that are left resolve nothing (one period).
  std::vector<double> resolved_from_hz;
  /// As it was made, for whoever reads the picture: rise of the window or the burst's length.
  double rise_s = 0.0;
  double burst_periods = 0.0;
  double length_s = 0.0;  ///< of the response that it holds

  [[nodiscard]] bool in_periods() const { return kind == Kind::kBurst; }
};

/// The part of a response that is looked at.
struct DecaySpan {
  double arrival_s = 0.0;  ///< on the impulse's clock
  double length_s = 0.02;  ///< after it: the gate, or what was recorded
};

struct CumulativeWish {
  std::size_t slices = 100;
  double last_s = 0.0;  ///< start of the last slice; 0: three quarters of the length
  double rise_s = 0.2e-3;
};
/// Cumulative spectral decay: each slice is the spectrum of what comes after its time, through a
/// window that rises over `rise_s` before it and falls as half a Hann over the last quarter of the
/// length, so that no slice shows the edges of its window. The first holds the whole response.
/// Source: D. L. Fincham 1978 as given by J. D. Bunton and R. H. Small, "Cumulative Spectra, Tone
/// Bursts, and Apodization", J. Audio Eng. Soc. 30 (1982).
/// Resolution of each slice: one over what is left of the length.
[[nodiscard]] DecayMap cumulative_decay(const ImpulseResponse& impulse, const DecaySpan& span,
                                        const FrequencyAxis& axis, const CumulativeWish& wish = {});

struct BurstWish {
  double periods = 30.0;  ///< how long it is looked at
  double step = 0.25;     ///< in periods
  double burst_periods = 4.0;
};
/// Envelope of what a shaped tone burst leaves, in periods of its own frequency from its middle on.
/// The burst has a bell's envelope, `burst_periods` between its points of 13.5 % (two standard
/// deviations to each side): 0 dB are those of a steady tone at the same frequency where the
/// response is even over a third of an octave. Source of the method: S. H. Linkwitz, "Shaped
/// Tone-Burst Testing", J. Audio Eng. Soc. 28 (1980) 250 (page from memory).
[[nodiscard]] DecayMap burst_decay(const ImpulseResponse& impulse, const DecaySpan& span,
                                   const FrequencyAxis& axis, const BurstWish& wish = {});

struct BassWish {
  double last_s = 0.4;
  std::size_t slices = 81;
  double burst_periods = 4.0;
};
/// The same over seconds, for the band of the box and the room.
[[nodiscard]] DecayMap bass_decay(const ImpulseResponse& impulse, const DecaySpan& span,
                                  const FrequencyAxis& axis, const BassWish& wish = {});

/// Energy-time curve: squared magnitude of the analytic signal in dB, a value per sample of the
/// span, from 1 ms before the arrival on. Source: R. C. Heyser, "Acoustical Measurements by Time
/// Delay Spectrometry", J. Audio Eng. Soc. 15 (1967) 370 (from memory).
struct EnergyTime {
  std::vector<double> time_s;  ///< after the arrival
  std::vector<double> level_db;
};
[[nodiscard]] EnergyTime energy_time(const ImpulseResponse& impulse, const DecaySpan& span);

}  // namespace lalometer
