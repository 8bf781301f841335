#include "acoustics/near_field/near_sources.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;
constexpr double kC = 343.2;

/// Rayleigh's integral over the piston in rings: another way to the same pressure.
Complex by_rayleigh(double a, double z, double f) {
  const double k = 2.0 * kPi * f / kC;
  constexpr int kRings = 20000;
  Complex sum = 0.0;
  for (int i = 0; i < kRings; ++i) {
    const double r = a * (i + 0.5) / kRings;
    const double d = std::hypot(r, z);
    sum += std::polar(r * a / kRings / d, -k * (d - z));
  }
  return Complex(0.0, 2.0 * kPi * f) * kAirDensity_kg_m3 / (kPi * a * a) * sum;
}

TEST(NearSources, APistonOnItsAxisIsRayleighsIntegral) {
  for (const double a : {0.012, 0.065, 0.15}) {
    for (const double z : {0.003, 0.01, 0.05}) {
      for (const double f : {20.0, 300.0, 2000.0}) {
        const Complex want = by_rayleigh(a, z, f);
        EXPECT_NEAR(std::abs(near_impedance(a, z, f, kC) / want - 1.0), 0.0, 2e-3) << a << z << f;
      }
    }
  }
}

// Keele 1974: far field in half space = near field * a / 2r. A cone of 100 mm radius: 26.02 dB at
// 1 m.
TEST(NearSources, TheFarFieldIsKeelesRatio) {
  const double f = 60.0;
  const Complex near = near_impedance(0.1, 0.0, f, kC);
  const Complex far = Complex(0.0, 2.0 * kPi * f) * kAirDensity_kg_m3 / (2.0 * kPi * 1.0);
  EXPECT_NEAR(20.0 * std::log10(std::abs(near / far)), 26.02, 0.02);
  // ka = 1: 10950 / D(cm) Hz (Keele's own rule of thumb, D the diameter) for 20 cm is 547 Hz.
  EXPECT_NEAR(near_field_limit_hz(0.1, kC), 547.0, 3.0);
}

TEST(NearSources, WhatOthersAddAtAMicrophoneIsTakenOut) {
  const FrequencyAxis axis = FrequencyAxis::logarithmic(20.0, 500.0, 12.0);
  std::vector<NearSource> sources = {{"cone", 0.065, 1, 0.005, 0.0, 0.0, 0.0, true, 0},
                                     {"port", 0.025, 2, 0.004, 0.0, 0.21, 0.0, true, 0},
                                     {"back", 0.08, 1, 0.006, 0.0, 0.1, -0.3, true, 1}};
  const Complex velocity[] = {{1e-3, 2e-4}, {-9e-4, 1e-4}, {2e-4, -5e-4}};
  std::vector<Response> pressures;
  const double between[3][3] = {{0.0, 0.21, 0.4}, {0.21, 0.0, 0.41}, {0.4, 0.41, 0.0}};
  for (int a = 0; a < 3; ++a) {
    std::vector<Complex> p;
    for (const double f : axis.hz()) {
      const double k = 2.0 * kPi * f / kC;
      const NearSource& at = sources[static_cast<std::size_t>(a)];
      Complex sum = by_rayleigh(at.radius_m, at.microphone_m, f) * velocity[a] /
                    static_cast<double>(at.count);
      for (int b = 0; b < 3; ++b) {
        if (b == a) continue;
        // Round a corner: all of space, and the way over the surface.
        const bool corner = (a == 2) != (b == 2);
        const double d = std::hypot(between[a][b], at.microphone_m);
        sum += Complex(0.0, 2.0 * kPi * f) * kAirDensity_kg_m3 * velocity[b] *
               (corner ? 0.5 : 1.0) / (2.0 * kPi * d) * std::polar(1.0, -k * (d - at.microphone_m));
      }
      p.push_back(sum);
    }
    pressures.push_back(
        *Response::make(axis, std::move(p), Quantity::kPressure, {20.0, 500.0}, true));
  }
  const auto got = volume_velocities(sources, pressures, kC);
  for (std::size_t a = 0; a < 3; ++a)
    for (std::size_t i = 0; i < axis.size(); ++i)
      EXPECT_NEAR(std::abs(got[a][i] / velocity[a] - 1.0), 0.0, 0.005) << a << " " << axis[i];
  const auto heard = crosstalk_db(sources, got, axis, 20.0, 500.0, kC);
  ASSERT_TRUE(heard[1]);
  EXPECT_GT(*heard[1], -40.0);
  sources[1].placed = false;
  EXPECT_FALSE(crosstalk_db(sources, got, axis, 20.0, 500.0, kC)[1]);
}

// A leaky vented box by Small's circuit, a cabinet that passes on six tenths of what a large wall
// would, and one per cent of noise.
TEST(NearSources, TheTakesTellHowMuchOfOneAnotherTheyHold) {
  const FrequencyAxis axis = FrequencyAxis::logarithmic(15.0, 300.0, 48.0);
  const std::vector<NearSource> sources = {{"cone", 0.065, 1, 0.005, 0.0, 0.0, 0.0, true, 0},
                                           {"port", 0.025, 1, 0.005, 0.0, 0.21, 0.0, true, 0}};
  std::mt19937_64 engine(3);
  std::normal_distribution<double> normal(0.0, 0.01);
  for (const double share : {0.0, 0.6, 1.0}) {
    std::vector<Complex> at_cone;
    std::vector<Complex> at_port;
    for (const double f : axis.hz()) {
      const double x = f / 44.0;
      const Complex drive = 1.0 / Complex(1.0 - std::pow(35.0 / f, 2), -35.0 / f);
      const Complex port = -drive / Complex(0.0, x);
      const Complex cone = drive * Complex(1.0 / 7.0, x - 1.0 / x);
      const auto noisy = [&](Complex p) {
        return p * Complex(1.0 + normal(engine), normal(engine));
      };
      at_cone.push_back(noisy(near_impedance(0.065, 0.005, f, kC) * cone +
                              share * crosstalk_impedance(sources[1], sources[0], f, kC) * port));
      at_port.push_back(noisy(near_impedance(0.025, 0.005, f, kC) * port +
                              share * crosstalk_impedance(sources[0], sources[1], f, kC) * cone));
    }
    const std::vector<Response> pressures = {
        *Response::make(axis, at_cone, Quantity::kPressure, {15.0, 300.0}, true),
        *Response::make(axis, at_port, Quantity::kPressure, {15.0, 300.0}, true)};
    const auto told = crosstalk_share(sources, pressures, {true, false}, 44.0, kC);
    ASSERT_TRUE(told.told) << share;
    EXPECT_NEAR(told.value, share, 0.08);
    EXPECT_LE(std::abs(told.value - share), 1.5 * told.half_width);
  }
}

}  // namespace
}  // namespace lalometer
