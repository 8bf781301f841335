#include "acoustics/spectrum/response.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/constants.h"

namespace lalometer {

Result<Response> Response::make(FrequencyAxis axis, std::vector<std::complex<double>> values,
                                Quantity quantity, ValidRange valid, bool has_phase) {
  if (axis.size() != values.size()) {
    return bad_input(fmt::format("{} frequencies but {} values.", axis.size(), values.size()));
  }
  for (std::size_t i = 0; i < values.size(); ++i) {
    if (!std::isfinite(values[i].real()) || !std::isfinite(values[i].imag())) {
      return bad_input(fmt::format("The value at {} Hz is not finite.", axis[i]));
    }
  }
  return Response(std::move(axis), std::move(values), quantity, valid, has_phase);
}

double level_reference(Quantity quantity) {
  return quantity == Quantity::kPressure ? kReferencePressure_pa : 1.0;
}

double to_level_db(double magnitude, double reference) {
  return 20.0 * std::log10(std::max(magnitude / reference, 1e-20));
}

std::complex<double> from_level(double level_db, double phase_deg, double reference) {
  return std::polar(reference * std::pow(10.0, level_db / 20.0), phase_deg * kPi / 180.0);
}

double Response::level_db(std::size_t i) const {
  const double reference = level_reference(quantity_);
  return 10.0 * std::log10(std::max(std::norm(values_[i]) / (reference * reference), 1e-40));
}

double Response::phase_deg(std::size_t i) const {
  return std::arg(values_[i]) * 180.0 / kPi;
}

double Response::uncertainty_db(std::size_t i) const {
  return 20.0 * std::log10(1.0 + kTwoSided95 * spread_[i]);
}

Response Response::with_spread(std::vector<double> spread) const {
  Response copy = *this;
  copy.spread_ = spread.size() == values_.size() ? std::move(spread) : std::vector<double>();
  return copy;
}

Response Response::with_flight(double flight_s) const {
  Response copy = *this;
  copy.flight_s_ = flight_s;
  return copy;
}

Response Response::with_valid(ValidRange valid) const {
  Response copy = *this;
  copy.valid_ = valid;
  return copy;
}

std::vector<double> unwrapped_phase(const std::vector<std::complex<double>>& values) {
  std::vector<double> phase(values.size());
  for (std::size_t i = 0; i < values.size(); ++i) {
    phase[i] = std::arg(values[i]);
    if (i > 0) phase[i] -= 2.0 * kPi * std::round((phase[i] - phase[i - 1]) / (2.0 * kPi));
  }
  return phase;
}

namespace {

std::complex<double> between(std::complex<double> a, std::complex<double> b, double t) {
  const double magnitude_a = std::abs(a);
  const double magnitude_b = std::abs(b);
  if (magnitude_a == 0.0 || magnitude_b == 0.0) return a + t * (b - a);
  const double turn = std::arg(b * std::conj(a));
  return std::polar(magnitude_a * std::pow(magnitude_b / magnitude_a, t), std::arg(a) + t * turn);
}

/// Where a frequency lies between two points: the first and the share of the way over log f.
struct Place {
  std::size_t i;
  double t;
};

Place place_on(const FrequencyAxis& axis, double frequency_hz) {
  if (axis.size() == 1 || frequency_hz <= axis.front()) return {0, 0.0};
  if (frequency_hz >= axis.back()) return {axis.size() - 2, 1.0};
  const std::size_t i = axis.bracket(frequency_hz);
  return {i, std::log(frequency_hz / axis[i]) / std::log(axis[i + 1] / axis[i])};
}

std::complex<double> held_value(const Response& curve, double frequency_hz) {
  const FrequencyAxis& axis = curve.axis();
  const auto [i, t] = place_on(axis, frequency_hz);
  if (t <= 0.0) return curve.value(i);
  if (t >= 1.0) return curve.value(i + 1);
  if (curve.flight_s() == 0.0) return between(curve.value(i), curve.value(i + 1), t);
  const auto turned = [&](std::size_t k) {
    return curve.value(k) * std::polar(1.0, 2.0 * kPi * axis[k] * curve.flight_s());
  };
  return between(turned(i), turned(i + 1), t) *
         std::polar(1.0, -2.0 * kPi * frequency_hz * curve.flight_s());
}

double held_spread(const Response& curve, double frequency_hz) {
  const auto [i, t] = place_on(curve.axis(), frequency_hz);
  const std::size_t next = std::min(i + 1, curve.size() - 1);
  return (1.0 - t) * curve.spread()[i] + t * curve.spread()[next];
}

}  // namespace

Response resampled(const Response& curve, const FrequencyAxis& axis) {
  std::vector<std::complex<double>> values(axis.size());
  std::transform(axis.hz().begin(), axis.hz().end(), values.begin(),
                 [&](double f) { return held_value(curve, f); });
  std::vector<double> spread;
  if (!curve.spread().empty())
    for (const double f : axis.hz()) spread.push_back(held_spread(curve, f));
  const ValidRange covered{curve.axis().front(), curve.axis().back()};
  // The values are interpolations of finite ones, so make() cannot refuse them.
  return Response::make(axis, std::move(values), curve.quantity(),
                        intersect(curve.valid(), covered), curve.has_phase())
      ->with_spread(std::move(spread))
      .with_flight(curve.flight_s());
}

std::optional<double> uncertainty_db_at(const Response& curve, double frequency_hz) {
  if (curve.spread().empty() || frequency_hz < curve.axis().front() ||
      frequency_hz > curve.axis().back())
    return std::nullopt;
  return 20.0 * std::log10(1.0 + kTwoSided95 * held_spread(curve, frequency_hz));
}

std::complex<double> value_at(const Response& curve, double frequency_hz) {
  const FrequencyAxis& axis = curve.axis();
  // A value read off at the axis' own end must not be lost to the last digit.
  if (!(frequency_hz >= axis.front() * (1.0 - 1e-12) &&
        frequency_hz <= axis.back() * (1.0 + 1e-12))) {
    const double nan = std::numeric_limits<double>::quiet_NaN();
    return {nan, nan};
  }
  return held_value(curve, frequency_hz);
}

Response valid_part(const Response& curve) {
  std::vector<double> f;
  std::vector<std::complex<double>> values;
  std::vector<double> spread;
  for (std::size_t i = 0; i < curve.size(); ++i) {
    if (!curve.valid().contains(curve.axis()[i])) continue;
    f.push_back(curve.axis()[i]);
    values.push_back(curve.value(i));
    if (!curve.spread().empty()) spread.push_back(curve.spread()[i]);
  }
  if (f.size() < 2) return curve;
  return Response::make(*FrequencyAxis::make(std::move(f)), std::move(values), curve.quantity(),
                        curve.valid(), curve.has_phase())
      ->with_spread(std::move(spread))
      .with_flight(curve.flight_s());
}

Response without_delay(const Response& curve, double delay_s) {
  std::vector<std::complex<double>> values(curve.size());
  for (std::size_t i = 0; i < curve.size(); ++i) {
    values[i] = curve.value(i) * std::polar(1.0, 2.0 * kPi * curve.axis()[i] * delay_s);
  }
  return Response::make(curve.axis(), std::move(values), curve.quantity(), curve.valid(),
                        curve.has_phase())
      ->with_spread(curve.spread())
      .with_flight(curve.flight_s() != 0.0 ? curve.flight_s() - delay_s : 0.0);
}

Response divided(const Response& a, const Response& b, Quantity quantity) {
  const Response other = resampled(b, a.axis());
  std::vector<std::complex<double>> values(a.size());
  for (std::size_t i = 0; i < a.size(); ++i) {
    const double scale = std::max(std::norm(other.value(i)), 1e-300);
    values[i] = a.value(i) * std::conj(other.value(i)) / scale;
  }
  std::vector<double> spread = a.spread();
  if (spread.empty()) {
    spread = other.spread();
  } else if (!other.spread().empty()) {
    for (std::size_t i = 0; i < spread.size(); ++i)
      spread[i] = std::hypot(spread[i], other.spread()[i]);
  }
  return Response::make(a.axis(), std::move(values), quantity, intersect(a.valid(), other.valid()),
                        a.has_phase() && b.has_phase())
      ->with_spread(std::move(spread))
      .with_flight(a.flight_s() - b.flight_s());
}

}  // namespace lalometer
