// What lies above a sweep's tenth order: a coil that ticks in each period, something loose, a hiss
// that swells with the cone, nothing at all; and the air of a port.
#include "acoustics/level/residue/residue.h"

#include <gmock/gmock.h>

#include <random>

#include "acoustics/level/residue/air_noise.h"
#include "base/constants.h"

namespace lalometer {
namespace {

constexpr double kRate = 48000.0;
constexpr std::size_t kLead = 24000;

enum class Fault { kNone, kRub, kLoose, kHiss };

struct Made {
  std::vector<double> signal;
  SweepSpec spec;
};

/// A sweep through a smooth bend (orders 2 and 3), with a fault where the cone travels: below some
/// 80 Hz, as the square of the frequency has it.
Made made(Fault fault, double strength, double duration_s = 8.0) {
  const SweepSpec spec = *SweepSpec::make_synchronised({20.0, 20000.0, duration_s, kRate});
  const auto sweep = exponential_sweep(spec);
  std::mt19937 engine(11);
  std::normal_distribution<double> normal;
  std::uniform_real_distribution<double> uniform;
  std::vector<double> out(kLead + sweep.size() + 24000, 0.0);
  double before = 0.0;
  double hiss = 0.0;
  for (std::size_t i = 0; i < sweep.size(); ++i) {
    const double x = 0.5 * sweep[i];
    const double f = sweep_frequency_hz(spec, static_cast<double>(i) / kRate);
    const double travel = x / (1.0 + std::pow(f / 60.0, 2));
    out[kLead + i] += x + 0.01 * x * x + 0.03 * x * x * x;
    const bool passes = travel > 0.2 && before <= 0.2;
    before = travel;
    const double ticks = fault == Fault::kRub ? 1.0 : uniform(engine) < 0.5 ? 0.0 : uniform(engine);
    if (passes && (fault == Fault::kRub || fault == Fault::kLoose)) {
      const auto late = fault == Fault::kRub ? 0U : static_cast<std::size_t>(400 * uniform(engine));
      for (std::size_t k = 0; k < 120 && kLead + i + late + k < out.size(); ++k)
        out[kLead + i + late + k] += strength * ticks * std::exp(-static_cast<double>(k) / 24.0) *
                                     std::sin(2.0 * kPi * 4000.0 * static_cast<double>(k) / kRate);
    }
    hiss += 0.3 * (normal(engine) - hiss);
    if (fault == Fault::kHiss) out[kLead + i] += strength * hiss * std::pow(travel / 0.4, 2);
  }
  for (double& v : out) v += 2e-5 * normal(engine);
  return {std::move(out), spec};
}

Residue read(const Made& m) {
  return residue_of(m.signal, m.spec, static_cast<double>(kLead),
                    std::span(m.signal).first(kLead - 500));
}

TEST(ResidueTest, ASmoothBendLeavesNothing) {
  const Residue r = read(made(Fault::kNone, 0.0));
  ASSERT_GT(r.frequency_hz.size(), 25U);
  EXPECT_GT(r.frequency_hz.back(), 700.0);
  for (std::size_t i = 0; i < r.frequency_hz.size(); ++i)
    EXPECT_FALSE(r.heard(i)) << r.frequency_hz[i];
}

TEST(ResidueTest, ATickInEachPeriodStandsInPeaksAndRepeats) {
  const Residue r = read(made(Fault::kRub, 0.01));
  std::size_t touched = 0;
  for (std::size_t i = 0; i < r.frequency_hz.size(); ++i) {
    if (r.in_peaks(i)) {
      ++touched;
      EXPECT_LT(r.frequency_hz[i], 85.0);
      EXPECT_GT(r.repeats[i], 0.6) << r.frequency_hz[i];
    }
  }
  EXPECT_GE(touched, 6U);
}

TEST(ResidueTest, SomethingLooseDoesNotRepeat) {
  const Residue r = read(made(Fault::kLoose, 0.02));
  double repeats = 0.0;
  double count = 0.0;
  for (std::size_t i = 0; i < r.frequency_hz.size(); ++i)
    if (r.in_peaks(i) && r.periods[i] >= 6.0) {
      repeats += r.repeats[i];
      count += 1.0;
    }
  ASSERT_GE(count, 3.0);
  EXPECT_LT(repeats / count, 0.25);
}

TEST(ResidueTest, AHissSwellsWithTheConeAndHasNoPeaks) {
  const Residue r = read(made(Fault::kHiss, 0.01));
  EXPECT_TRUE(r.heard(3));
  int peaks = 0;
  for (std::size_t i = 0; i < r.frequency_hz.size(); ++i) peaks += r.in_peaks(i) ? 1 : 0;
  EXPECT_LE(peaks, 1);
  EXPECT_GT(r.repeats[6], 0.5) << "in step with the cone";
}

TEST(ResidueTest, AgainstAGoodOneOnlyWhatIsWorseIsTold) {
  const Residue good = read(made(Fault::kNone, 0.0));
  EXPECT_TRUE(residue_change(good, good).worse.empty());
  const ResidueChange rub = residue_change(read(made(Fault::kRub, 0.01)), good);
  ASSERT_EQ(rub.worse.size(), 1U);
  EXPECT_TRUE(rub.worse[0].in_peaks);
  EXPECT_LT(rub.worse[0].high_hz, 100.0);
  EXPECT_GT(rub.worse[0].most_db, 15.0);
  const ResidueChange hiss = residue_change(read(made(Fault::kHiss, 0.01)), good);
  ASSERT_FALSE(hiss.worse.empty());
  EXPECT_FALSE(hiss.worse[0].in_peaks);
  EXPECT_TRUE(residue_change(good, read(made(Fault::kRub, 0.01))).worse.empty())
      << "the good one is better";
}

TEST(AirNoiseTest, SpeedByTheNearFieldOfAPiston) {
  // Keele 1974: p = rho c ka v for a small piston; 17 m/s at 40 Hz in a port of 35 mm radius.
  const double pa = 1.204 * 2.0 * kPi * 40.0 * 0.035 * 17.0 / std::sqrt(2.0);
  EXPECT_NEAR(port_air_speed_m_s(pa, 40.0, 0.035), 17.0, 0.01);
}

TEST(AirNoiseTest, ItsGrowthTellsWhereItComesOutOfTheNoise) {
  const auto point = [](double v) {
    const double noise = 1e-3 * std::pow(v / 10.0, 3);
    return AirNoisePoint{.drive_v = v,
                         .frequency_hz = 40.0,
                         .speed_m_s = v,
                         .noise_pa = noise > 2e-4 ? noise : 0.0,
                         .background_pa = 1e-4,
                         .fundamental_pa = 0.5 * v};
  };
  const AirNoise n = air_noise_of({point(20.0), point(2.0), point(10.0)});
  EXPECT_EQ(n.points.front().speed_m_s, 2.0) << "the slowest first";
  ASSERT_TRUE(n.power.has_value());
  EXPECT_NEAR(*n.power, 3.0, 1e-6);
  EXPECT_NEAR(*n.heard_from_m_s, 10.0 * std::pow(0.1, 1.0 / 3.0), 1e-6);
  EXPECT_NEAR(n.points.back().under_db(), 20.0 * std::log10(10.0 / 8e-3), 0.01);
  const AirNoise silent = air_noise_of({point(2.0)});
  EXPECT_FALSE(silent.heard_from_m_s.has_value());
}

}  // namespace
}  // namespace lalometer
