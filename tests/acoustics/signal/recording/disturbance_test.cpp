#include "acoustics/signal/recording/disturbance.h"

#include "acoustics/signal/fft.h"
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

/// A room: exponentially decaying noise, T60 the same everywhere but below 60 Hz, where there is
/// one mode at 38 Hz of its own decay.
std::vector<double> in_room(const std::vector<double>& dry, double t60_s, double mode_t60_s,
                            unsigned seed) {
  std::mt19937 engine(seed);
  std::normal_distribution<double> normal;
  std::vector<double> h(static_cast<std::size_t>(1.5 * std::max(t60_s, mode_t60_s) * kRate));
  double low = 0.0;
  const double keep = std::exp(-2.0 * kPi * 60.0 / kRate);
  for (std::size_t i = 0; i < h.size(); ++i) {
    const double t = static_cast<double>(i) / kRate;
    const double noise = normal(engine);
    low = keep * low + (1.0 - keep) * noise;
    h[i] = 0.02 * (noise - low) * std::pow(10.0, -3.0 * t / t60_s) +
           2e-3 * std::sin(2.0 * kPi * 38.0 * t) * std::pow(10.0, -3.0 * t / mode_t60_s);
  }
  h[0] += 1.0;
  const std::size_t n = fast_length(dry.size() + h.size()) / 2 * 2;
  Spectrum a = real_spectrum(dry, n);
  const Spectrum b = real_spectrum(h, n);
  for (std::size_t k = 0; k < a.size(); ++k) a[k] *= b[k];
  Samples time(n);
  RealTransform(n).inverse(a, time);
  std::vector<double> wet(time.begin(), time.begin() + static_cast<std::ptrdiff_t>(dry.size()));
  for (double& v : wet) v += 1e-4 * normal(engine);
  return wet;
}

// Room impulse responses are decaying noise (Schroeder; Polack 1988): live, but nobody slams a
// door.
TEST(Disturbance, ALiveRoomIsNone) {
  const SweepSpec spec = *SweepSpec::make_synchronised({20.0, 20000.0, 1.4, kRate});
  const std::vector<double> dry = recording(spec);
  for (const double t60_s : {0.2, 0.5, 1.2, 2.0}) {
    for (unsigned seed = 1; seed <= 6; ++seed) {
      const auto found = find_disturbance(in_room(dry, t60_s, 1.5, seed), spec, kLead);
      EXPECT_FALSE(found.has_value())
          << t60_s << " s, seed " << seed << ": " << found->around_hz << " Hz at " << found->at_s;
    }
  }
}

TEST(Disturbance, ASlamIsSeenInALiveRoomToo) {
  const SweepSpec spec = *SweepSpec::make_synchronised({20.0, 20000.0, 1.4, kRate});
  std::vector<double> x = in_room(recording(spec), 1.2, 1.5, 4);
  std::mt19937 engine(5);
  std::normal_distribution<double> normal;
  double rumble = 0.0;
  for (std::size_t i = 0; i < 9000; ++i) {
    rumble += 0.02 * (8.0 * normal(engine) - rumble);
    x[static_cast<std::size_t>(1.1 * kRate) + i] +=
        rumble * std::exp(-static_cast<double>(i) / 2000.0);
  }
  const auto found = find_disturbance(x, spec, kLead);
  ASSERT_TRUE(found.has_value());
  EXPECT_TRUE(found->certain);
  EXPECT_NEAR(found->at_s, 1.1, 0.2);
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
