#pragma once

#include <cmath>

#include "acoustics/network/whatif/network_sum.h"
#include "base/constants.h"

/// Drivers written out: their circuits and their sound.
namespace lalometer::made {

using Complex = std::complex<double>;

/// Re, coil, and a resonance: 1 / (1/R + 1/jwL + jwC).
inline Complex driver_ohm(double f, double re, double le, double res, double les, double ces) {
  const Complex s(0.0, 2.0 * kPi * f);
  return re + s * le + 1.0 / (1.0 / res + 1.0 / (s * les) + s * ces);
}

template <class Value>
Response curve_of(Quantity quantity, double low, double high, double per_octave, Value value) {
  const FrequencyAxis axis = FrequencyAxis::logarithmic(low, high, per_octave);
  std::vector<Complex> values;
  for (const double f : axis.hz()) values.push_back(value(f));
  return *Response::make(axis, std::move(values), quantity, {low, high}, true);
}

/// A two-way of an 8 ohm class: a cone that falls off above `woofer_top_hz` with a peak of its
/// break-up, and a dome whose centre lies `behind_m` further off.
struct TwoWay {
  double woofer_db = 86.0, tweeter_db = 89.0;
  double woofer_top_hz = 4500.0;
  double breakup_hz = 6000.0, breakup_db = 0.0, breakup_q = 6.0;
  double tweeter_fs_hz = 850.0, tweeter_q = 0.8;
  double behind_m = 0.0;  ///< of the woofer, behind the dome

  [[nodiscard]] Complex woofer(double f) const {
    const Complex s(0.0, f / woofer_top_hz);
    const Complex b(0.0, f / breakup_hz);
    const double gain = std::pow(10.0, breakup_db / 20.0);
    const Complex peak = (1.0 + gain * b / breakup_q + b * b) / (1.0 + b / breakup_q + b * b);
    return from_level(woofer_db, 0.0, kReferencePressure_pa) * peak / (1.0 + 1.4 * s + s * s) *
           std::polar(1.0, -2.0 * kPi * f * behind_m / kSpeedOfSound20_m_s);
  }
  [[nodiscard]] Complex tweeter(double f) const {
    const Complex s(0.0, f / tweeter_fs_hz);
    return from_level(tweeter_db, 0.0, kReferencePressure_pa) * s * s /
           (1.0 + s / tweeter_q + s * s);
  }
  [[nodiscard]] std::vector<NetworkDriver> drivers() const {
    const auto sound = [&](auto member) {
      return curve_of(Quantity::kPressure, 100.0, 20000.0, 48.0,
                      [&](double f) { return (this->*member)(f); });
    };
    const auto ohm = [](double re, double le, double res, double les, double ces) {
      return curve_of(Quantity::kImpedance, 20.0, 20000.0, 48.0,
                      [=](double f) { return driver_ohm(f, re, le, res, les, ces); });
    };
    return {{"woofer",
             {{NetworkAngle{}, sound(&TwoWay::woofer)}},
             ohm(5.6, 0.4e-3, 30.0, 20e-3, 300e-6)},
            {"tweeter",
             {{NetworkAngle{}, sound(&TwoWay::tweeter)}},
             ohm(5.0, 0.05e-3, 6.0, 0.9e-3, 40e-6)}};
  }
};

}  // namespace lalometer::made
