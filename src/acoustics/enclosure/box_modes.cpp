#include "acoustics/enclosure/box_modes.h"

#include <algorithm>
#include <cmath>

#include "base/constants.h"

namespace lalometer {
namespace {

double sinc(double x) {
  return std::abs(x) < 1e-9 ? 1.0 : std::sin(x) / x;
}

/// cos(n pi x / L) averaged over x +- half.
double shape_along(int order, double x, double length, double half) {
  const double k = order * kPi / length;
  return std::cos(k * x) * sinc(k * half);
}

}  // namespace

std::vector<BoxMode> box_modes(const InnerBox& box, double highest_hz, double c) {
  std::vector<BoxMode> modes;
  const auto most = [&](double length) { return static_cast<int>(2.0 * length * highest_hz / c); };
  for (int l = 0; l <= most(box.width_m); ++l) {
    for (int m = 0; m <= most(box.height_m); ++m) {
      for (int n = 0; n <= most(box.depth_m); ++n) {
        if (l + m + n == 0) continue;
        const double f = 0.5 * c * std::hypot(l / box.width_m, m / box.height_m, n / box.depth_m);
        if (f <= highest_hz) modes.push_back({{l, m, n}, f});
      }
    }
  }
  std::sort(modes.begin(), modes.end(),
            [](const BoxMode& a, const BoxMode& b) { return a.frequency_hz < b.frequency_hz; });
  return modes;
}

double mode_shape(const BoxMode& mode, const InnerBox& box, const BoxPlace& p) {
  return shape_along(mode.order[0], p.x_m, box.width_m, p.half_size_m) *
         shape_along(mode.order[1], p.y_m, box.height_m, p.half_size_m) *
         shape_along(mode.order[2], p.z_m, box.depth_m, 0.0);
}

double mode_q(BoxDamping damping, double frequency_hz) {
  switch (damping) {
    case BoxDamping::kNone:
      return 50.0;
    case BoxDamping::kLined:
      // 20 mm of felt are a fortieth of a wavelength at 430 Hz: below it does little, above more.
      return std::clamp(8.0 * std::sqrt(430.0 / frequency_hz), 3.0, 25.0);
    case BoxDamping::kFilled:
      return 2.5;
  }
  return 50.0;
}

double inner_speed_m_s(BoxDamping damping, double c) {
  return damping == BoxDamping::kFilled ? 0.93 * c : c;
}

BoxField::BoxField(const InnerBox& box, BoxDamping damping, double highest_hz, double c)
    : box_(box),
      damping_(damping),
      c_(inner_speed_m_s(damping, c)),
      outer_c_(c),
      highest_hz_(highest_hz) {
  modes_ = box_modes(box, highest_hz, c_);
  for (const BoxMode& mode : modes_) {
    const double wn = 2.0 * kPi * mode.frequency_hz;
    double e = 1.0;
    for (const int order : mode.order) e *= order > 0 ? 2.0 : 1.0;
    resonances_.push_back({e, wn * wn, wn / mode_q(damping, mode.frequency_hz)});
  }
}

BoxField BoxField::undamped() const {
  return {box_, BoxDamping::kNone, highest_hz_, outer_c_};
}

std::vector<double> BoxField::shapes(const BoxPlace& place) const {
  std::vector<double> result;
  result.reserve(modes_.size());
  for (const BoxMode& mode : modes_) result.push_back(mode_shape(mode, box_, place));
  return result;
}

std::complex<double> BoxField::waves_pa_s_m3(const std::vector<double>& at,
                                             const std::vector<double>& from,
                                             double frequency_hz) const {
  const double w = 2.0 * kPi * frequency_hz;
  const double volume = box_.width_m * box_.height_m * box_.depth_m;
  double real = 0.0;
  double imaginary = 0.0;
  for (std::size_t n = 0; n < resonances_.size(); ++n) {
    // j w / (wn^2 - w^2 + j w wn / Q), split by hand: a complex division costs several times this.
    const Resonance& r = resonances_[n];
    const double stiff = r.square - w * w;
    const double lossy = w * r.loss;
    const double scale = r.weight * at[n] * from[n] * w / (stiff * stiff + lossy * lossy);
    real += scale * lossy;
    imaginary += scale * stiff;
  }
  return kAirDensity_kg_m3 * c_ * c_ / volume * std::complex<double>(real, imaginary);
}

std::complex<double> BoxField::waves_pa_s_m3(const BoxPlace& at, const BoxPlace& from,
                                             double frequency_hz) const {
  return waves_pa_s_m3(shapes(at), shapes(from), frequency_hz);
}

std::complex<double> BoxField::transfer_pa_s_m3(const BoxPlace& at, const BoxPlace& from,
                                                double frequency_hz) const {
  const double volume = box_.width_m * box_.height_m * box_.depth_m;
  const std::complex<double> compliance =
      kAirDensity_kg_m3 * c_ * c_ / volume / std::complex<double>(0.0, 2.0 * kPi * frequency_hz);
  return compliance + waves_pa_s_m3(at, from, frequency_hz);
}

}  // namespace lalometer
