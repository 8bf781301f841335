#include "acoustics/impedance/network_ground.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "acoustics/impedance/wiggles.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

/// A two-way written out element by element: a woofer with a lossy coil behind a coil and a
/// capacitor, a tweeter behind a capacitor and a coil.
struct TwoWay {
  double l1 = 3.3e-3, c1 = 7.5e-6, r1 = 1.0;   ///< woofer's branch
  double c2 = 7.5e-6, l2 = 0.4e-3, pad = 2.0;  ///< tweeter's
  double le = 0.6e-3, n = 0.7, tweeter_fs = 900.0, tweeter_qms = 2.0;

  [[nodiscard]] Complex at(double f) const {
    const Complex s(0.0, 2.0 * kPi * f);
    const double w1 = 2.0 * kPi * 1000.0;
    const double ws = 2.0 * kPi * 40.0;
    const Complex woofer =
        5.6 + w1 * le * std::pow(s / w1, n) + ws * 5.6 / 0.4 / (ws / 4.0 + s + ws * ws / s);
    const double wt = 2.0 * kPi * tweeter_fs;
    const Complex tweeter = 4.8 + s * 30e-6 + wt * 4.8 / 1.2 / (wt / tweeter_qms + s + wt * wt / s);
    const Complex low = s * l1 + 0.3 + 1.0 / (1.0 / woofer + 1.0 / (r1 + 1.0 / (s * c1)));
    const Complex high = 1.0 / (s * c2) + 1.0 / (1.0 / (tweeter + pad) + 1.0 / (s * l2 + 0.2));
    return 1.0 / (1.0 / low + 1.0 / high);
  }
};

struct Loop {
  double frequency_hz = 0.0, q = 15.0, percent = 3.0;
};

Response measured(const TwoWay& t, double per_octave, double noise, const Loop& loop = {}) {
  std::mt19937_64 engine(static_cast<std::uint64_t>(per_octave));
  std::normal_distribution<double> normal;
  const FrequencyAxis axis = FrequencyAxis::logarithmic(200.0, 20000.0, per_octave);
  std::vector<Complex> z;
  for (const double f : axis.hz()) {
    Complex one = t.at(f) * (1.0 + noise * Complex(normal(engine), normal(engine)));
    if (loop.frequency_hz > 0.0) {
      const double detuned = loop.q * (f / loop.frequency_hz - loop.frequency_hz / f);
      one *= 1.0 + 0.01 * loop.percent / Complex(1.0, detuned);
    }
    z.push_back(one);
  }
  return *Response::make(axis, std::move(z), Quantity::kImpedance, {}, true);
}

std::vector<TwoWay> networks() {
  std::vector<TwoWay> all(8);
  all[1] = {.l1 = 0.7e-3, .c1 = 15e-6, .r1 = 0.3, .c2 = 4.7e-6, .l2 = 0.25e-3};
  all[2] = {.l1 = 1.8e-3, .c1 = 22e-6, .r1 = 4.0, .c2 = 10e-6, .l2 = 0.6e-3, .pad = 0.0};
  all[3] = {.r1 = 0.1};  // nothing damps the capacitor: a sharp network
  all[4] = {.l1 = 2.2e-3, .c1 = 6.8e-6, .r1 = 0.2, .c2 = 3.3e-6, .l2 = 0.22e-3, .pad = 4.0};
  all[5] = {.le = 1.0e-3, .n = 1.0, .tweeter_fs = 1500.0};
  all[6] = {.l1 = 0.4e-3, .c1 = 5e-6, .r1 = 6.0, .tweeter_fs = 650.0, .tweeter_qms = 3.5};
  all[7] = {.l1 = 4.0e-3, .c1 = 30e-6, .r1 = 2.0, .c2 = 12e-6, .l2 = 0.8e-3};
  return all;
}

TEST(NetworkGround, FollowsCrossoversAtAnyDensityOfPoints) {
  for (const TwoWay& t : networks()) {
    for (const double per_octave : {24.0, 48.0, 96.0}) {
      const Response z = measured(t, per_octave, 0.0);
      std::vector<double> f;
      std::vector<Complex> values;
      for (std::size_t i = 0; i < z.size(); ++i) {
        f.push_back(z.axis()[i]);
        values.push_back(z.value(i));
      }
      const auto ground = network_ground(f, values, 4.0);
      ASSERT_TRUE(ground);
      for (const double at : f)
        EXPECT_LT(std::abs(ground->at(at) / t.at(at) - 1.0), 0.004) << at << " " << per_octave;
    }
  }
}

TEST(NetworkGround, TooFewPointsGiveNone) {
  const std::vector<double> f(10, 100.0);
  const std::vector<Complex> z(10, 8.0);
  EXPECT_FALSE(network_ground(f, z, 4.0));
}

TEST(NetworkGround, NoLoopIsToldOfANetworkAlone) {
  for (const TwoWay& t : networks()) {
    for (const double per_octave : {24.0, 48.0, 96.0}) {
      const auto all = find_wiggles(measured(t, per_octave, 0.001), nullptr, {.low_hz = 250.0});
      EXPECT_TRUE(all.empty()) << per_octave << " " << t.l1 << " " << all[0].frequency_hz.value;
    }
  }
}

TEST(NetworkGround, ALoopHasTheSameHeightAtAnyDensityOfPoints) {
  const double places[] = {620.0, 1050.0, 2300.0, 5200.0};
  std::size_t at = 0;
  for (const TwoWay& t : networks()) {
    const Loop loop{places[at++ % std::size(places)]};
    for (const double per_octave : {24.0, 48.0, 96.0}) {
      const auto all =
          find_wiggles(measured(t, per_octave, 0.001, loop), nullptr, {.low_hz = 250.0});
      ASSERT_FALSE(all.empty()) << per_octave << " " << loop.frequency_hz;
      EXPECT_NEAR(all[0].frequency_hz.value, loop.frequency_hz, 0.02 * loop.frequency_hz);
      EXPECT_NEAR(all[0].height_percent, loop.percent, 0.25 * loop.percent) << per_octave;
    }
  }
}

}  // namespace
}  // namespace lalometer
