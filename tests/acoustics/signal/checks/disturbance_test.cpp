#include "acoustics/signal/checks/disturbance.h"

#include "support/support.h"

namespace lalometer {
namespace {

constexpr double kRate = 48000.0;
constexpr std::size_t kLead = 12000;

/// A sweep with second and third harmonics, noise at -70 dB, and room after it.
std::vector<double> recording(const SweepSpec& spec) {
  std::vector<double> x(kLead + spec.sample_count() + 30000, 0.0);
  const std::vector<double> sweep = faded_sweep(spec);
  for (std::size_t i = 0; i < sweep.size(); ++i) {
    const double s = sweep[i];
    x[kLead + 700 + i] += 0.5 * (s + 0.05 * s * s + 0.03 * s * s * s);
  }
  std::mt19937 engine(3);
  std::normal_distribution<double> normal;
  for (double& v : x) v += 1e-4 * normal(engine);
  return x;
}

TEST(Disturbance, IsNotSeenInASweepWithItsHarmonics) {
  for (const double duration_s : {0.35, 1.4, 5.0}) {
    const SweepSpec spec = *SweepSpec::make_synchronised({20.0, 20000.0, duration_s, kRate});
    EXPECT_FALSE(find_disturbance(recording(spec), spec, kLead).has_value()) << duration_s;
  }
}

TEST(Disturbance, ASlamIsSeenWhereverItComes) {
  const SweepSpec spec = *SweepSpec::make_synchronised({20.0, 20000.0, 1.4, kRate});
  for (const double at_s : {0.3, 0.6, 1.0, 1.5, 1.8}) {
    std::vector<double> x = recording(spec);
    std::mt19937 engine(5);
    std::normal_distribution<double> normal;
    double rumble = 0.0;
    for (std::size_t i = 0; i < 9000; ++i) {
      rumble += 0.01 * (1.5 * normal(engine) - rumble);
      x[static_cast<std::size_t>(at_s * kRate) + i] += rumble;
    }
    const auto found = find_disturbance(x, spec, kLead);
    ASSERT_TRUE(found.has_value()) << at_s;
    EXPECT_NEAR(found->at_s, at_s, 0.2);
  }
}

TEST(Hum, IsACombAndNotABroadNoise) {
  std::vector<double> x(12000);
  std::mt19937 engine(2);
  std::normal_distribution<double> normal;
  for (double& v : x) v = 1e-3 * normal(engine);
  EXPECT_FALSE(find_hum(x, kRate).has_value());
  for (const double mains : {50.0, 60.0}) {
    std::vector<double> y = x;
    for (std::size_t i = 0; i < y.size(); ++i) {
      const double t = static_cast<double>(i) / kRate;
      y[i] += 2e-3 * std::sin(2.0 * kPi * mains * t) + 1e-3 * std::sin(4.0 * kPi * mains * t);
    }
    const auto hum = find_hum(y, kRate);
    ASSERT_TRUE(hum.has_value());
    EXPECT_EQ(hum->mains_hz, mains);
    EXPECT_NEAR(hum->level, std::sqrt(0.5 * (4e-6 + 1e-6)), 2e-4);
  }
}

}  // namespace
}  // namespace lalometer
