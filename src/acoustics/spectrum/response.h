#pragma once

#include <complex>
#include <optional>
#include <vector>

#include "acoustics/spectrum/frequency_axis.h"
#include "base/result.h"

namespace lalometer {

/// What the complex values of a curve are.
enum class Quantity {
  kPressure,   ///< Pa rms; its level is dB re 20 uPa
  kRatio,      ///< dimensionless; its level is dB re 1
  kImpedance,  ///< ohm
};

/// A complex curve over a frequency axis, with the range in which it is valid.
/// Convention of the whole project: time dependence exp(+j omega t), so a delay has a falling phase
/// and an inductance a phase of +90 degrees. Values are finite.
class Response {
 public:
  /// @param values  one per frequency, all finite. Sizes that differ are refused.
  [[nodiscard]] static Result<Response> make(FrequencyAxis axis,
                                             std::vector<std::complex<double>> values,
                                             Quantity quantity, ValidRange valid, bool has_phase);

  [[nodiscard]] const FrequencyAxis& axis() const { return axis_; }
  [[nodiscard]] std::size_t size() const { return values_.size(); }
  [[nodiscard]] const std::vector<std::complex<double>>& values() const { return values_; }
  [[nodiscard]] std::complex<double> value(std::size_t i) const { return values_[i]; }
  [[nodiscard]] Quantity quantity() const { return quantity_; }
  [[nodiscard]] const ValidRange& valid() const { return valid_; }
  /// False for a curve read from a file without phase: its values are real and above 0.
  [[nodiscard]] bool has_phase() const { return has_phase_; }

  /// dB re 20 uPa for a pressure, dB re 1 for a ratio, dB re 1 ohm for an impedance; at least -400.
  [[nodiscard]] double level_db(std::size_t i) const;
  [[nodiscard]] double magnitude(std::size_t i) const { return std::abs(values_[i]); }
  /// Wrapped to (-180, 180].
  [[nodiscard]] double phase_deg(std::size_t i) const;

  /// Standard deviation of each value relative to its magnitude, from repeats or from noise; empty
  /// where nobody knows. That of its phase, in radians, is the same.
  [[nodiscard]] const std::vector<double>& spread() const { return spread_; }
  /// Half-width of the level's 95 % interval, dB; precondition: spread() is not empty.
  [[nodiscard]] double uncertainty_db(std::size_t i) const;
  /// Flight time known to be in the phase, s: between points it is taken out first, or the shortest
  /// way of the phase would be the wrong one.
  [[nodiscard]] double flight_s() const { return flight_s_; }

  [[nodiscard]] Response with_valid(ValidRange valid) const;
  /// @param spread  one per frequency, each >= 0; or none.
  [[nodiscard]] Response with_spread(std::vector<double> spread) const;
  [[nodiscard]] Response with_flight(double flight_s) const;

 private:
  Response(FrequencyAxis axis, std::vector<std::complex<double>> values, Quantity quantity,
           ValidRange valid, bool has_phase)
      : axis_(std::move(axis)),
        values_(std::move(values)),
        quantity_(quantity),
        valid_(valid),
        has_phase_(has_phase) {}

  FrequencyAxis axis_;
  std::vector<std::complex<double>> values_;
  Quantity quantity_;
  ValidRange valid_;
  bool has_phase_;
  std::vector<double> spread_ = {};
  double flight_s_ = 0.0;
};

/// The value that 0 dB stands for: 20e-6 Pa, 1, 1 ohm.
[[nodiscard]] double level_reference(Quantity quantity);

/// 20 log10(magnitude / reference), not below -400 dB so that a zero stays a number.
[[nodiscard]] double to_level_db(double magnitude, double reference);

/// magnitude * exp(j phase) from a level and a phase in degrees.
[[nodiscard]] std::complex<double> from_level(double level_db, double phase_deg, double reference);

/// Phase without jumps, in radians, starting from the wrapped phase of the first point. Points must
/// lie close enough that the true phase moves by less than half a turn from one to the next.
[[nodiscard]] std::vector<double> unwrapped_phase(const std::vector<std::complex<double>>& values);

/// The curve at other frequencies: magnitude in dB and unwrapped phase, both linear over log f, the
/// flight time out of it meanwhile; spread linear over log f.
/// Frequencies outside the curve's axis hold the end value and fall outside the valid range of the
/// result, which is the old one cut to the old axis.
[[nodiscard]] Response resampled(const Response& curve, const FrequencyAxis& axis);

/// One value by the same rule as resampled(); NaN outside the axis.
[[nodiscard]] std::complex<double> value_at(const Response& curve, double frequency_hz);

/// Half-width of the level's 95 % interval there, dB; nothing outside the axis or where nobody
/// knows.
[[nodiscard]] std::optional<double> uncertainty_db_at(const Response& curve, double frequency_hz);

/// The rows within the curve's valid range, for files, which know no hatching; the whole curve
/// where fewer than two are left.
[[nodiscard]] Response valid_part(const Response& curve);

/// curve * exp(+j omega delay): takes a flight time out of the phase (delay_s > 0 turns it
/// forward).
[[nodiscard]] Response without_delay(const Response& curve, double delay_s);

/// a / b on the axis of a; b is resampled. Valid where both are; the spreads add as independent.
[[nodiscard]] Response divided(const Response& a, const Response& b, Quantity quantity);

}  // namespace lalometer
