#pragma once

#include <optional>
#include <vector>

#include "acoustics/spectrum/response.h"

namespace lalometer {

/// A maximum of the impedance magnitude.
struct ImpedancePeak {
  double frequency_hz;
  double magnitude_ohm;
  /// Height over the higher of the two valleys beside it, as a share of that valley.
  double prominence;
};

/// Local maxima with a prominence of at least `least_prominence`, rising in frequency; the top is
/// refined by a parabola through three points over log f. The rise of the voice coil at the top end
/// is no peak.
[[nodiscard]] std::vector<ImpedancePeak> impedance_peaks(const Response& impedance,
                                                         double least_prominence = 0.15);

struct ImpedanceMinimum {
  double magnitude_ohm;
  double frequency_hz;
};
/// Lowest magnitude between two frequencies (an amplifier sees audio only: 20 Hz .. 20 kHz by
/// default). Nothing where the curve has no point there.
[[nodiscard]] std::optional<ImpedanceMinimum> impedance_minimum(const Response& impedance,
                                                                double low_hz = 20.0,
                                                                double high_hz = 20000.0);

/// Nominal impedance the minimum allows: the largest of 2, 4, 6, 8, 16, 32 ohm of which the minimum
/// is at least 80 %. Source: IEC 60268-5, clause on rated impedance (minimum not below 80 % of the
/// rated value).
[[nodiscard]] std::optional<double> nominal_impedance_ohm(double minimum_ohm);

/// The single impedance peak of a closed box or of a driver in free air, by the three-frequency
/// method (Small 1972).
struct ClosedSignature {
  double resonance_hz;  ///< fc, or fs in free air
  double peak_ohm;
  double qms;  ///< f / (f2 - f1) sqrt(r0)
  double qes;  ///< qms / (r0 - 1)
  double qts;
};
/// @param re_ohm  direct-current resistance; where not known, estimated_re_ohm().
[[nodiscard]] std::optional<ClosedSignature> closed_signature(const Response& impedance,
                                                              std::optional<double> re_ohm);

/// The double impedance peak of a vented box, by Small, "Vented-box loudspeaker systems", JAES 21
/// (1973), part IV.
struct VentedSignature {
  double low_peak_hz;    ///< fL
  double tuning_hz;      ///< fB: phase passes zero (falling to rising) between the impedance peaks
  double high_peak_hz;   ///< fH
  double at_tuning_ohm;  ///< magnitude at fB
  /// Apparent leakage loss QL = (h/alpha) (1/(Qes (r - 1)) - 1/Qms), r = |Z(fB)|/Re, h = fB/fs;
  /// needs the driver's free-air figures. From the circuit at fB, where box compliance and port
  /// mass cancel and only the leak is left (reactance of the driver neglected: fB near fs). Nothing
  /// where a figure is missing.
  std::optional<double> ql;
};
/// Nothing where the curve does not show two impedance peaks with a valley between.
/// @param re_ohm    direct-current resistance; where not known, the lowest real part is taken.
/// @param free_air  the driver's own figures, for QL.
[[nodiscard]] std::optional<VentedSignature> vented_signature(
    const Response& impedance, std::optional<double> re_ohm,
    const std::optional<ClosedSignature>& free_air);

/// Direct-current resistance as an impedance sweep shows it: the lowest real part in the band of
/// the bass impedance peak, which exceeds Re a little; good to a few per cent, for want of an
/// ohmmeter's reading.
[[nodiscard]] double estimated_re_ohm(const Response& impedance);

/// Lowest equivalent peak dissipation resistance: the resistor that would heat a class-B output
/// stage as much at its worst as this load does. EPDR(Z) is found by maximising the output devices'
/// momentary dissipation over the cycle for a sine of full swing, Z the load (P = i (V - v) with i
/// = V sin(wt - phi)/|Z|), against a resistor's V^2 / (4 R).
struct PeakDissipation {
  double resistance_ohm;
  double frequency_hz;
};
[[nodiscard]] double peak_dissipation_resistance_ohm(std::complex<double> impedance);
[[nodiscard]] std::optional<PeakDissipation> lowest_peak_dissipation(const Response& impedance,
                                                                     double low_hz = 20.0,
                                                                     double high_hz = 20000.0);

}  // namespace lalometer
