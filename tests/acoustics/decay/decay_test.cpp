// Decays of resonances that were put in: a decaying sine falls by 8.686 / tau dB a second, and is
// 20 dB down after ln(10) tau. Boxes and crossovers alone have none.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "acoustics/decay/decay_map.h"
#include "acoustics/decay/ridges.h"
#include "support/coverage.h"
#include "support/support.h"

namespace lalometer {
namespace {

constexpr double kRate = 48000.0;

/// Second-order section of a bilinear transform.
std::vector<double> filtered(std::vector<double> x, double f, double q, char kind) {
  const double w = 2.0 * kPi * f / kRate;
  const double alpha = std::sin(w) / (2.0 * q);
  const double c = std::cos(w);
  const double b0 = kind == 'h' ? 0.5 * (1.0 + c) : 0.5 * (1.0 - c);
  const double b1 = kind == 'h' ? -(1.0 + c) : 1.0 - c;
  double x1 = 0, x2 = 0, y1 = 0, y2 = 0;
  for (double& v : x) {
    const double y =
        (b0 * v + b1 * x1 + b0 * x2 + 2.0 * c * y1 - (1.0 - alpha) * y2) / (1.0 + alpha);
    x2 = x1;
    x1 = v;
    y2 = y1;
    y1 = y;
    v = y;
  }
  return x;
}

struct Resonance {
  double f = 1000.0;
  double decay_s = 0.01;
  double level_db = -8.0;  ///< its own steady tone, re 1
  double phase = 0.7;
};

/// A loudspeaker without a resonance, or with some; arrival at 1 ms.
ImpulseResponse loudspeaker(int kind, const std::vector<Resonance>& resonances, double noise = 0.0,
                            std::uint64_t seed = 1, std::size_t n = 14400) {
  std::vector<double> x(n, 0.0);
  constexpr std::size_t kAt = 48;
  x[kAt] = 1.0;
  std::vector<double> y;
  switch (kind) {
    case 0:  // sealed two-way, fourth-order crossover (two equal second-order ones)
    {
      const auto bass = filtered(x, 60, 0.707, 'h');
      auto low = filtered(filtered(bass, 2500, 0.707, 'l'), 2500, 0.707, 'l');
      const auto high = filtered(filtered(bass, 2500, 0.707, 'h'), 2500, 0.707, 'h');
      for (std::size_t i = 0; i < n; ++i) low[i] += high[i];
      y = low;
      break;
    }
    case 1:  // vented, fourth order
      y = filtered(filtered(x, 42, 0.54, 'h'), 42, 1.31, 'h');
      break;
    default:  // with a roll-off above and a bump at its corner
      y = filtered(filtered(x, 90, 1.0, 'h'), 12000, 0.9, 'l');
      break;
  }
  for (const Resonance& r : resonances) {
    const double tau = r.decay_s / std::numbers::ln10;
    const double a = std::pow(10.0, r.level_db / 20.0) * 2.0 / (tau * kRate);
    for (std::size_t i = kAt; i < n; ++i) {
      const double t = static_cast<double>(i - kAt) / kRate;
      y[i] += a * std::exp(-t / tau) * std::cos(2.0 * kPi * r.f * t + r.phase);
    }
  }
  test::Normals normal(seed);
  for (double& v : y) v += noise * normal();
  return {.samples = y, .sample_rate_hz = kRate, .zero_at = 0.0, .excited = {10, 22000}};
}

const Ridge* near(const std::vector<Ridge>& ridges, double f, double within = 0.02) {
  const auto found = std::find_if(ridges.begin(), ridges.end(), [&](const Ridge& r) {
    return std::abs(r.frequency_hz.value / f - 1.0) < within;
  });
  return found == ridges.end() ? nullptr : &*found;
}

constexpr double kArrival_s = 0.001;

TEST(RidgesTest, CleanLoudspeakersHaveNone) {
  for (int kind = 0; kind < 3; ++kind)
    for (const double noise : {0.0, 1e-5, 3e-4})
      for (const double length : {0.005, 0.02, 0.25}) {
        const auto ridges = decay_ridges(loudspeaker(kind, {}, noise), {kArrival_s, length});
        EXPECT_TRUE(ridges.empty())
            << kind << ", " << noise << ", " << length << ": " << ridges.front().frequency_hz.value;
      }
}

TEST(RidgesTest, PlantedOnesComeBackWithinTheirIntervals) {
  int inside = 0;
  int all = 0;
  int planted = 0;
  test::Normals normal(11);
  for (int k = 0; k < 100; ++k) {
    const double q = 6.0 + 30.0 * std::abs(std::fmod(k * 0.618, 1.0));
    const double f = 160.0 * std::pow(50.0, std::fmod(k * 0.754877, 1.0));
    const Resonance one{.f = f,
                        .decay_s = q * std::numbers::ln10 / kPi / f,
                        .level_db = -12.0 + 10.0 * std::fmod(k * 0.382, 1.0),
                        .phase = normal()};
    const double length = f > 400.0 ? 0.02 : 0.2;
    const auto ridges = decay_ridges(
        loudspeaker(k % 3, {one}, 1e-5, static_cast<std::uint64_t>(k + 1)), {kArrival_s, length});
    const Ridge* found = near(ridges, f);
    if (one.decay_s > 2.0 * length || (k % 3 == 2 && f < 200.0)) continue;
    ++planted;
    if (found == nullptr) continue;
    ++all;
    EXPECT_NEAR(found->decay_s.value / one.decay_s, 1.0, 0.1) << f << " Hz, Q " << q;
    EXPECT_NEAR(found->level_db, one.level_db, 1.0) << f;
    EXPECT_NEAR(found->q(), q, 0.1 * q);
    inside += std::abs(found->decay_s.value - one.decay_s) <= found->decay_s.half_width;
  }
  EXPECT_GT(planted, 90);
  EXPECT_GE(all, planted - 2) << "noise may hide one";
  EXPECT_GE(inside, test::coverage_limits(all).first) << "of " << all;
}

TEST(RidgesTest, TwoAThirdOfAnOctaveApartAreToldApartInTwentyMilliseconds) {
  for (const double f : {420.0, 800.0, 2500.0, 6000.0}) {
    const double g = f * std::exp2(1.0 / 3.0);
    const auto ridges = decay_ridges(
        loudspeaker(0, {{.f = f, .decay_s = 9.0 / f, .level_db = -3.0, .phase = 0.3},
                        {.f = g, .decay_s = 7.0 / g, .level_db = -5.0, .phase = -1.0}}),
        {kArrival_s, 0.02});
    for (const double wanted : {f, g}) {
      const Ridge* found = near(ridges, wanted);
      ASSERT_NE(found, nullptr) << wanted;
      EXPECT_NEAR(found->decay_s.value * wanted, wanted == f ? 9.0 : 7.0, 0.9);
    }
  }
}

TEST(RidgesTest, ALateReflectionIsNoRidge) {
  ImpulseResponse h = loudspeaker(0, {});
  // A floor 6 ms later, 10 dB down; looked at as if nobody had gated it.
  for (std::size_t i = h.samples.size(); i-- > 288;) h.samples[i] += 0.3 * h.samples[i - 288];
  EXPECT_TRUE(decay_ridges(h, {kArrival_s, 0.05}).empty());
}

TEST(CumulativeDecayTest, TheFirstSliceIsTheResponseAndARidgeFallsEvenly) {
  const Resonance one{.f = 2000.0, .decay_s = 0.008, .level_db = 0.0};
  const ImpulseResponse h = loudspeaker(1, {one});
  const auto axis = FrequencyAxis::logarithmic(500, 16000, 48);
  const DecayMap map = cumulative_decay(h, {kArrival_s, 0.02}, axis);
  ASSERT_EQ(map.level_db.size(), 100U);
  for (std::size_t i = 0; i < axis.size(); i += 7) {
    std::complex<double> sum = 0.0;
    for (std::size_t k = 0; k < 48 + 720; ++k)
      sum += h.samples[k] * std::polar(1.0, -2.0 * kPi * axis[i] * static_cast<double>(k) / kRate);
    EXPECT_NEAR(map.level_db[0][i], 20.0 * std::log10(std::abs(sum)), 0.4) << axis[i];
  }
  const std::size_t at = axis.bracket(2000.0);
  const auto level = [&](double ms) {
    const auto k = static_cast<std::size_t>(std::lround(ms * 1e-3 / map.time[1]));
    return map.level_db[k][at];
  };
  // 20 dB in 8 ms, while the window has not begun to fall.
  EXPECT_NEAR(level(2.0) - level(6.0), 10.0, 0.8);
  EXPECT_GT(map.resolved_from_hz.back(), 4.0 * map.resolved_from_hz.front() * 0.9);
}

TEST(BurstDecayTest, AToneThatRingsFallsInPeriods) {
  // 20 dB in ten periods.
  const Resonance one{.f = 800.0, .decay_s = 10.0 / 800.0, .level_db = -6.0};
  const auto axis = FrequencyAxis::logarithmic(100, 8000, 24);
  const DecayMap map = burst_decay(loudspeaker(0, {one}), {kArrival_s, 0.25}, axis);
  const std::size_t at = axis.bracket(800.0);
  const auto level = [&](double periods) {
    return map.level_db[static_cast<std::size_t>(periods / 0.25)][at];
  };
  EXPECT_NEAR(level(5.0) - level(15.0), 20.0, 1.0);
  EXPECT_NEAR(level(5.0) - level(25.0), 40.0, 2.0);
  // Elsewhere the burst's own bell: 39 dB down three periods after its middle.
  const std::size_t clean = axis.bracket(5000.0);
  EXPECT_NEAR(map.level_db[0][clean], 0.0, 0.5) << "a steady tone's level";
  EXPECT_LT(map.level_db[12][clean], -30.0) << "the crossover's own delay is in it";
  EXPECT_LT(map.level_db[40][clean], -60.0);
}

TEST(BassDecayTest, TwoBoxesDifferByWhatWasPutIn) {
  const auto axis = FrequencyAxis::logarithmic(20, 300, 48);
  const auto map_of = [&](double decay_s) {
    return bass_decay(
        loudspeaker(1, {{.f = 60.0, .decay_s = decay_s, .level_db = 0.0}}, 0.0, 1, 48000),
        {kArrival_s, 0.9}, axis);
  };
  const DecayMap plain = map_of(0.100);
  const DecayMap printed = map_of(0.140);
  const std::size_t at = axis.bracket(60.0);
  const auto fall = [&](const DecayMap& m) {
    return m.level_db[30][at] - m.level_db[60][at];  // 150 to 300 ms
  };
  EXPECT_NEAR(fall(plain), 30.0, 1.5);
  EXPECT_NEAR(fall(printed), 30.0 / 1.4, 1.5);
}

// Of a pulse alone the energy stands at the arrival: the curve of an ideal band-limited pulse falls
// evenly to both sides.
TEST(EnergyTimeTest, APulseStandsAtItsTime) {
  const ImpulseResponse h = loudspeaker(0, {});
  const EnergyTime e = energy_time(h, {kArrival_s, 0.01});
  const auto top = std::max_element(e.level_db.begin(), e.level_db.end()) - e.level_db.begin();
  EXPECT_NEAR(e.time_s[static_cast<std::size_t>(top)], 0.0, 2.0 / kRate);
  EXPECT_LT(e.level_db[static_cast<std::size_t>(top) + 240], -35.0) << "5 ms later";
}

}  // namespace
}  // namespace lalometer
