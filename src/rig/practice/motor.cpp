#include "rig/practice/motor.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "acoustics/signal/fft.h"
#include "base/constants.h"

namespace lalometer {
namespace {

/// Current, current of the second inductance, excursion, speed, volume in the box's air, volume
/// velocity out of the opening, displaced volume of a passive radiator, warmth.
enum State { kCurrent, kCurrent2, kTravel, kSpeed, kAir, kPort, kRadiator, kWarmth, kStates };
using Values = std::array<double, kStates>;

class Motor {
 public:
  Motor(const DriverParameters& driver, const BoxLoad& box,
        const std::optional<MotorCurves>& curves)
      : d_(driver), curves_(curves) {
    // A coil without inductance has no current of its own; a corner at 200 kHz changes nothing.
    le_ = std::max(d_.le_h, d_.re_ohm / (2.0 * kPi * 200e3));
    boxed_ = box.kind != BoxLoad::Kind::kFreeAir && box.kind != BoxLoad::Kind::kOpenBack;
    if (!boxed_) return;
    const double wb = 2.0 * kPi * box.tuning_hz;
    ca_ = acoustic_compliance(box.volume_m3);
    absorption_ = box.qa > 0.0 ? 1.0 / (wb * ca_ * box.qa) : 0.0;
    leak_ = box.ql > 0.0 ? wb * ca_ / box.ql : 0.0;
    if (box.kind == BoxLoad::Kind::kPassiveRadiator && box.radiator) {
      const PassiveRadiator& r = *box.radiator;
      port_mass_ = r.mms_kg / (r.sd_m2 * r.sd_m2);
      port_loss_ = r.rms_kg_per_s / (r.sd_m2 * r.sd_m2);
      radiator_stiffness_ = 1.0 / (r.cms_m_per_n * r.sd_m2 * r.sd_m2);
      port_area_ = r.sd_m2;
    } else if (box.kind == BoxLoad::Kind::kVented) {
      port_mass_ = 1.0 / (wb * wb * ca_);
      port_loss_ = box.qp > 0.0 ? wb * port_mass_ / box.qp : 0.0;
      port_area_ = box.pipe ? box.pipe->area_m2 : 0.0;
      if (curves_ && port_area_ > 0.0) {
        exit_loss_ =
            0.5 * curves_->port_loss_factor * kAirDensity_kg_m3 / (port_area_ * port_area_);
      }
    }
  }

  [[nodiscard]] Values change(const Values& s, double volts) const {
    Values r{};
    const double x = s[kTravel];
    const double v = s[kSpeed];
    const double i = s[kCurrent];
    const double bl = curves_ ? curves_->bl_tm(d_, x) : d_.bl_tm;
    const double stiffness = curves_ ? curves_->stiffness_n_per_m(d_, x) : 1.0 / d_.cms_m_per_n;
    const double share = curves_ ? curves_->inductance_h(d_, x) / std::max(d_.le_h, 1e-12) : 1.0;
    const double le = le_ * (d_.le_h > 0.0 ? share : 1.0);
    double slope = 0.0;  // dLe/dx
    if (curves_ && curves_->le_share > 0.0 && d_.le_h > 0.0) {
      constexpr double kStep_m = 1e-6;
      slope = (curves_->inductance_h(d_, x + kStep_m) - curves_->inductance_h(d_, x - kStep_m)) /
              (2.0 * kStep_m);
    }
    const double re = d_.re_ohm * (1.0 + kCopperPerKelvin * s[kWarmth]);
    const bool lossy = d_.le2_h > 0.0 && d_.re2_ohm > 0.0;
    const double eddy = lossy ? d_.re2_ohm * (i - s[kCurrent2]) : 0.0;
    r[kCurrent] = (volts - re * i - eddy - bl * v - slope * v * i) / le;
    r[kCurrent2] = lossy ? eddy / d_.le2_h : 0.0;
    r[kTravel] = v;
    double pressure = 0.0;
    if (boxed_) {
      // p = q/Ca + Ra dq/dt and dq/dt = -Sd v - Up - p leak, solved for both.
      const double in = -d_.sd_m2 * v - s[kPort];
      pressure = (s[kAir] / ca_ + absorption_ * in) / (1.0 + absorption_ * leak_);
      r[kAir] = in - pressure * leak_;
      if (port_mass_ > 0.0) {
        const double u = s[kPort];
        r[kPort] = (pressure - port_loss_ * u - exit_loss_ * u * std::abs(u) -
                    radiator_stiffness_ * s[kRadiator]) /
                   port_mass_;
        r[kRadiator] = u;
      }
    }
    r[kSpeed] =
        (bl * i + 0.5 * i * i * slope - d_.rms_kg_per_s * v - stiffness * x + d_.sd_m2 * pressure) /
        d_.mms_kg;
    if (curves_ && curves_->coil_k_per_w > 0.0) {
      r[kWarmth] = (re * i * i - s[kWarmth] / curves_->coil_k_per_w) / curves_->coil_j_per_k;
    }
    return r;
  }

  /// Electrical steps per second that keep the integrator well inside its stable range.
  [[nodiscard]] double fastest_per_s() const {
    const double smallest = le_ * (curves_ ? 1.0 - curves_->le_share : 1.0);
    return 1.2 * (d_.re_ohm + d_.re2_ohm) / smallest;
  }
  [[nodiscard]] bool has_port() const { return port_mass_ > 0.0; }

 private:
  DriverParameters d_;
  std::optional<MotorCurves> curves_;
  double le_ = 0.0;
  bool boxed_ = false;
  double ca_ = 1.0, absorption_ = 0.0, leak_ = 0.0;
  double port_mass_ = 0.0, port_loss_ = 0.0, exit_loss_ = 0.0, radiator_stiffness_ = 0.0;
  double port_area_ = 0.0;
};

Values moved(const Values& s, const Values& rate, double step) {
  Values r;
  for (std::size_t k = 0; k < kStates; ++k) r[k] = s[k] + step * rate[k];
  return r;
}

std::size_t even_length(std::size_t least) {
  std::size_t n = fast_length(least);
  while (n % 2 != 0) n = fast_length(n + 1);
  return n;
}

/// The signal at `times` times its rate, band-limited; as long as a fast transform asks.
Samples upsampled(const std::vector<double>& x, std::size_t n, std::size_t times) {
  Samples padded(n, 0.0);
  std::copy(x.begin(), x.end(), padded.begin());
  const RealTransform slow(n);
  const RealTransform fast(n * times);
  Spectrum low(slow.bin_count());
  slow.forward(padded, low);
  Spectrum high(fast.bin_count(), 0.0);
  for (std::size_t k = 0; k + 1 < low.size(); ++k) high[k] = low[k] * static_cast<double>(times);
  Samples result(n * times);
  fast.inverse(high, result);
  return result;
}

/// Back to every `times`-th sample, with what lies above the slow rate's half taken out.
std::vector<double> downsampled(const Samples& x, std::size_t times, std::size_t count) {
  const std::size_t n = x.size() / times;
  const RealTransform slow(n);
  const RealTransform fast(x.size());
  Spectrum high(fast.bin_count());
  fast.forward(x, high);
  Spectrum low(slow.bin_count(), 0.0);
  for (std::size_t k = 0; k + 1 < low.size(); ++k) low[k] = high[k] / static_cast<double>(times);
  Samples result(n);
  slow.inverse(low, result);
  return {result.begin(), result.begin() + static_cast<std::ptrdiff_t>(count)};
}

}  // namespace

double MotorCurves::bl_tm(const DriverParameters& d, double x) const {
  const double off = (x - bl_centre_m) / bl_travel_m;
  const double rest = bl_centre_m / bl_travel_m;
  // The small-signal value is the one at rest, wherever the greatest lies.
  return d.bl_tm * std::exp(-0.198 * (off * off - rest * rest));
}

double MotorCurves::stiffness_n_per_m(const DriverParameters& d, double x) const {
  const double off = (x - kms_rest_m) / kms_travel_m;
  const double rest = kms_rest_m / kms_travel_m;
  return (1.0 + 0.33 * off * off) / (1.0 + 0.33 * rest * rest) / d.cms_m_per_n;
}

double MotorCurves::inductance_h(const DriverParameters& d, double x) const {
  return d.le_h * (1.0 - le_share * std::tanh(x / bl_travel_m));
}

MotorRun run_motor(const DriverParameters& driver, const BoxLoad& box,
                   const std::optional<MotorCurves>& curves, const std::vector<double>& volts,
                   double rate) {
  const Motor motor(driver, box, curves);
  const auto times =
      std::max<std::size_t>(static_cast<std::size_t>(std::ceil(motor.fastest_per_s() / rate)), 1);
  // Twice as fine as the steps: the integrator looks at the middle of each, and a straight line
  // between its ends would lose 4 % at a tenth of the rate.
  const Samples drive = upsampled(volts, even_length(volts.size()), 2 * times);
  const std::size_t steps = drive.size() / 2;
  const double step = 1.0 / (rate * static_cast<double>(times));
  Samples speed(steps);
  Samples travel(steps);
  Samples port(motor.has_port() ? steps : 0);
  Values s{};
  if (curves) s[kWarmth] = curves->warm_k;
  for (std::size_t k = 0; k < steps; ++k) {
    speed[k] = s[kSpeed];
    travel[k] = s[kTravel];
    if (!port.empty()) port[k] = s[kPort];
    const double now = drive[2 * k];
    const double middle = drive[2 * k + 1];
    const double next = drive[k + 1 < steps ? 2 * k + 2 : 2 * k + 1];
    const Values a = motor.change(s, now);
    const Values b = motor.change(moved(s, a, 0.5 * step), middle);
    const Values c = motor.change(moved(s, b, 0.5 * step), middle);
    const Values e = motor.change(moved(s, c, step), next);
    for (std::size_t j = 0; j < kStates; ++j)
      s[j] += step / 6.0 * (a[j] + 2.0 * b[j] + 2.0 * c[j] + e[j]);
  }
  MotorRun run{.velocity_m_s = downsampled(speed, times, volts.size()),
               .excursion_m = downsampled(travel, times, volts.size()),
               .port_m3_s = {},
               .warmer_k = s[kWarmth]};
  if (!port.empty()) run.port_m3_s = downsampled(port, times, volts.size());
  return run;
}

}  // namespace lalometer
