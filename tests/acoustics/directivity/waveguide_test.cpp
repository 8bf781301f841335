#include "acoustics/directivity/waveguide.h"

#include "support/support.h"

namespace lalometer {
namespace {

constexpr double kC = 343.0;

Waveguide guide(double half_angle) {
  return {.throat_radius_m = 0.0125, .mouth_radius_m = 0.1, .half_angle_rad = half_angle};
}

double frequency_for(const Waveguide& g, double kr) {
  return kr * kC / (2.0 * kPi * g.mouth_from_apex_m());
}

// Reference: sum over the cap's surface, 400 x 400 points, NumPy (tests/reference/waveguide.py).
TEST(Waveguide, DirectivityIsThatOfTheCapsSurface) {
  const Waveguide g = guide(0.7);
  struct Case {
    double kr, angle;
    std::complex<double> want;
  };
  for (const Case& c : {Case{3.0, 0.0, {0.919091, 0.338349}},
                        {10.0, 0.5, {-0.096955, 0.209010}},
                        {30.0, 0.3, {0.156018, 0.046550}},
                        {30.0, 1.0, {0.000719, 0.017708}}}) {
    const auto got = waveguide_directivity(g, c.angle, frequency_for(g, c.kr), kC);
    EXPECT_NEAR(std::abs(got - c.want), 0.0, 2e-4) << c.kr << " " << c.angle;
  }
}

// What a waveguide is for: high up, -6 dB lies about at its walls and stays there (fact of the
// trade).
TEST(Waveguide, CoversAboutTheAngleOfItsWalls) {
  const Waveguide g = guide(0.7);
  for (const double kr : {40.0, 60.0}) {
    const auto at = [&](double angle) {
      return std::abs(waveguide_directivity(g, angle, frequency_for(g, kr), kC));
    };
    // On the axis itself the rim adds a ripple: the mean within is the measure.
    double within = 0.0;
    for (int i = 0; i < 20; ++i) within += at(0.02 * i) / 20.0;
    EXPECT_GT(at(0.55), 0.5 * within) << kr;
    EXPECT_LT(at(0.85), 0.5 * within) << kr;
  }
}

TEST(Waveguide, FarBelowItDoesNothing) {
  const Waveguide g = guide(0.8);
  EXPECT_NEAR(std::abs(waveguide_directivity(g, 1.2, 5.0, kC) - 1.0), 0.0, 0.01);
  EXPECT_NEAR(std::abs(mouth_gain(g, 1.0, kC) - 1.0), 0.0, 0.01);
  EXPECT_LT(std::abs(throat_load_pa_s_m3(g, 1.0, kC)),
            1e-3 * kAirDensity_kg_m3 * kC / g.throat_area_m2());
}

// Conservation: between the walls no power is lost, so |U|^2 Re(Z) is the same at throat and mouth.
TEST(Waveguide, KeepsThePower) {
  const Waveguide g = guide(0.7);
  Waveguide from_mouth = g;
  from_mouth.throat_radius_m = g.mouth_radius_m;
  for (const double f : {300.0, 1000.0, 5000.0}) {
    EXPECT_NEAR(std::norm(mouth_gain(g, f, kC)) * throat_load_pa_s_m3(from_mouth, f, kC).real() /
                    throat_load_pa_s_m3(g, f, kC).real(),
                1.0, 1e-9);
  }
}

}  // namespace
}  // namespace lalometer
