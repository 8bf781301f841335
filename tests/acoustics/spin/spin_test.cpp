// Spatial averages, rating, coverage: against sums written out here, areas of a sphere's zones, and
// the piston's closed forms (Beranek, Acoustics).
#include <gmock/gmock.h>

#include <cmath>
#include <functional>
#include <map>

#include "acoustics/directivity/coverage.h"
#include "acoustics/directivity/piston.h"
#include "acoustics/spin/spinorama.h"
#include "support/support.h"

namespace lalometer {
namespace {

using testing::Contains;

/// dB at a plane, an angle and a frequency.
using Pattern = std::function<double(Plane, double, double)>;

Orbit orbit_of(const Pattern& level, double step = 10.0, double per_octave = 24.0,
               double low = 20.0, double last = 180.0, bool vertical = true) {
  const FrequencyAxis axis = FrequencyAxis::logarithmic(low, 20000.0, per_octave);
  std::vector<Orbit::Ray> rays[2];
  for (const Plane plane : {Plane::kHorizontal, Plane::kVertical}) {
    if (plane == Plane::kVertical && !vertical) continue;
    for (double d = -last; d <= last + 0.1; d += step) {
      if (d < -179.9) continue;
      std::vector<std::complex<double>> values;
      for (const double f : axis.hz())
        values.push_back(from_level(level(plane, d, f), 0.0, kReferencePressure_pa));
      rays[plane == Plane::kHorizontal ? 0 : 1].push_back(
          {d, *Response::make(axis, std::move(values), Quantity::kPressure, {low, 20000.0}, false),
           false});
    }
  }
  return *Orbit::make(std::move(rays[0]), std::move(rays[1]));
}

double mean_db(const std::vector<double>& levels) {
  double power = 0.0;
  for (const double l : levels) power += std::pow(10.0, l / 10.0);
  return 10.0 * std::log10(power / static_cast<double>(levels.size()));
}

// The standard's ten weights, over the 70 rays, sum to 0.99637 (from memory); both sides, both
// planes, front and back alike.
TEST(Spinorama, WeightsAreTheStandards) {
  double whole = 0.0;
  for (int d = -170; d <= 180; d += 10) whole += power_weight(d) * (d == 0 || d == 180 ? 1.0 : 2.0);
  EXPECT_NEAR(whole, 0.99637, 2e-5);
  EXPECT_EQ(power_weight(30.0), power_weight(-150.0));
  EXPECT_EQ(power_weight(90.0), 0.019629373);
  for (int d = 10; d <= 90; d += 10) EXPECT_GT(power_weight(d), power_weight(d - 10));
}

TEST(Spinorama, EveryAverageIsThePowerMeanOfItsAngles) {
  const Pattern level = [](Plane plane, double d, double f) {
    return 85.0 - 0.0004 * d * d * std::log10(f / 20.0) +
           (plane == Plane::kVertical ? 0.01 * d : 0.0) + 2.0 * std::sin(d / 25.0);
  };
  const Orbit orbit = orbit_of(level);
  const Spinorama s = spinorama(orbit);
  const std::size_t i = 100;
  const double f = orbit.axis()[i];
  const auto h = [&](double d) { return level(Plane::kHorizontal, d, f); };
  // Straight ahead and behind are one ray of both circles: the horizontal one.
  const auto v = [&](double d) { return level(Plane::kVertical, d, f); };
  EXPECT_NEAR(s.listening_window_db[i],
              mean_db({h(0), h(10), h(-10), h(20), h(-20), h(30), h(-30), v(10), v(-10)}), 1e-9);
  const double floor = mean_db({v(-20), v(-30), v(-40)});
  const double ceiling = mean_db({v(40), v(50), v(60)});
  const double front = mean_db({h(0), h(10), h(-10), h(20), h(-20), h(30), h(-30)});
  const double side =
      mean_db({h(40), h(50), h(60), h(70), h(80), h(-40), h(-50), h(-60), h(-70), h(-80)});
  std::vector<double> behind;
  for (int d = 90; d <= 180; d += 10) {
    behind.push_back(h(d));
    if (d < 180) behind.push_back(h(-d));
  }
  const double rear = mean_db(behind);
  EXPECT_NEAR(s.floor_db[i], floor, 1e-9);
  EXPECT_NEAR(s.ceiling_db[i], ceiling, 1e-9);
  EXPECT_NEAR(s.front_wall_db[i], front, 1e-9);
  EXPECT_NEAR(s.side_wall_db[i], side, 1e-9);
  EXPECT_NEAR(s.rear_wall_db[i], rear, 1e-9);
  const double early = mean_db({floor, ceiling, front, side, rear});
  EXPECT_NEAR(s.early_reflections_db[i], early, 1e-9);
  double power = 0.0;
  double weights = 0.0;
  for (int d = -170; d <= 180; d += 10) {
    power += power_weight(d) * std::pow(10.0, h(d) / 10.0);
    weights += power_weight(d);
    if (d == 0 || d == 180) continue;
    power += power_weight(d) * std::pow(10.0, v(d) / 10.0);
    weights += power_weight(d);
  }
  const double sound_power = 10.0 * std::log10(power / weights);
  EXPECT_NEAR(s.sound_power_db[i], sound_power, 1e-9);
  EXPECT_NEAR(s.sound_power_di_db[i], s.listening_window_db[i] - sound_power, 1e-9);
  const auto p = [](double l) { return std::pow(10.0, l / 10.0); };
  EXPECT_NEAR(s.predicted_in_room_db[i],
              10.0 * std::log10(0.12 * p(s.listening_window_db[i]) + 0.44 * p(early) +
                                0.44 * p(sound_power)),
              1e-9);
}

TEST(Spinorama, MissingAnglesAreNamedAndMirroredOnlyOnRequest) {
  const Pattern flat = [](Plane, double, double) { return 80.0; };
  const FrequencyAxis axis = FrequencyAxis::logarithmic(100.0, 10000.0, 12.0);
  std::vector<Orbit::Ray> half;
  for (double d = 0.0; d <= 180.0; d += 10.0)
    half.push_back({d,
                    *Response::make(axis, std::vector<std::complex<double>>(axis.size(), 1.0),
                                    Quantity::kPressure, {100.0, 10000.0}, false),
                    false});
  const Orbit right = *Orbit::make(half, {});
  const Spinorama without = spinorama(right);
  EXPECT_TRUE(without.listening_window_db.empty());
  EXPECT_THAT(without.missing, Contains("horizontal -10°"));
  EXPECT_FALSE(without.on_axis_db.empty());
  const Spinorama with = spinorama(right.mirrored());
  EXPECT_FALSE(with.front_wall_db.empty());
  EXPECT_TRUE(with.listening_window_db.empty()) << "nothing vertical was taken";
  EXPECT_THAT(with.mirrored, Contains("horizontal -40°"));
}

// On a straight slope each half octave holds ten points 1/20 octave apart: their mean departure is
// 2.5 steps of slope / 20, and the line fits itself.
TEST(Preference, OfAStraightSlopeFollowsByHand) {
  const double slope = -1.0;
  const Orbit orbit = orbit_of(
      [&](Plane, double, double f) {
        return 85.0 + slope * std::log2(f / 1000.0) -
               10.0 * std::log10(1.0 + std::pow(30.0 / f, 8));
      },
      10.0, 96.0, 10.0);
  const Spinorama s = spinorama(orbit);
  const Preference p = preference_of(orbit.axis(), orbit.valid(), s);
  ASSERT_TRUE(p.nbd_on && p.nbd_pir && p.sm_pir && p.lfx && p.score);
  EXPECT_NEAR(*p.nbd_on, std::abs(slope) * 2.5 / 20.0, 0.004);
  EXPECT_NEAR(*p.sm_pir, 1.0, 1e-4);
  // The listening window's mean from 300 Hz to 10 kHz stands at sqrt(300 * 10000) Hz.
  const double mean = 85.0 + slope * std::log2(std::sqrt(300.0 * 10000.0) / 1000.0);
  double f6 = 300.0;
  while (85.0 + slope * std::log2(f6 / 1000.0) - 10.0 * std::log10(1.0 + std::pow(30.0 / f6, 8)) >
         mean - 6.0)
    f6 *= 0.9999;
  EXPECT_NEAR(*p.lfx, std::log10(f6), 0.002);
  EXPECT_NEAR(*p.score,
              12.69 - 2.49 * *p.nbd_on - 2.99 * *p.nbd_pir - 4.31 * *p.lfx + 2.32 * *p.sm_pir,
              1e-9);
  EXPECT_NEAR(*p.score_with_subwoofer - *p.score, 4.31 * (*p.lfx - std::log10(14.5)), 1e-9);
}

TEST(Preference, IsNotPrintedWhereTheDataEnd) {
  const Orbit orbit = orbit_of([](Plane, double, double) { return 80.0; }, 10.0, 24.0, 250.0);
  const Preference p = preference_of(orbit.axis(), orbit.valid(), spinorama(orbit));
  EXPECT_FALSE(p.score);
  EXPECT_FALSE(p.nbd_on);
}

/// A piston in a wall: nothing behind.
Orbit piston(double radius, double step) {
  return orbit_of(
      [&](Plane, double d, double f) {
        if (std::abs(d) > 90.0) return -40.0;
        return 80.0 +
               20.0 * std::log10(std::max(
                          std::abs(piston_directivity(radius, d * kPi / 180.0, f, 343.2)), 1e-4));
      },
      step, 24.0);
}

TEST(Coverage, OfAPistonIsItsClosedForm) {
  constexpr double kRadius = 0.065;
  const Orbit orbit = piston(kRadius, 5.0);
  const auto map = angle_map(orbit, Plane::kHorizontal);
  ASSERT_TRUE(map);
  const auto width = beamwidth_deg(*map, 6.0);
  const CircleIndex index = index_of(orbit, Plane::kHorizontal);
  for (std::size_t i = 0; i < orbit.axis().size(); ++i) {
    const double f = orbit.axis()[i];
    const double ka = 2.0 * kPi * f / 343.2 * kRadius;
    if (ka > 2.6 && ka < 12.0) {
      const double want = 2.0 * std::asin(2.2151 / ka) * 180.0 / kPi;
      EXPECT_NEAR(width[i], want, 0.03 * want) << f;
    }
    if (ka > 0.3 && ka < 6.0) {
      const double want =
          10.0 * std::log10(ka * ka / (1.0 - std::cyl_bessel_j(1.0, 2.0 * ka) / ka));
      EXPECT_NEAR(index.index_db[i], want, 0.2) << f;
    }
  }
  // -3 dB at ka sin = 1.6163.
  const auto from = separation_hz(orbit, Plane::kHorizontal, 30.0);
  ASSERT_TRUE(from);
  EXPECT_NEAR(*from, 1.6163 / 0.5 * 343.2 / (2.0 * kPi * kRadius), 0.01 * *from);
}

TEST(Coverage, ANarrowingIsFoundWithItsPlaceAndDepth) {
  // 90 degrees wide, at 2 kHz 50.
  const Orbit orbit = orbit_of([](Plane, double d, double f) {
    const double width = 90.0 - 40.0 * std::exp(-std::pow(std::log2(f / 2000.0) / 0.35, 2));
    return 80.0 - 6.0 * std::pow(2.0 * std::abs(d) / width, 2);
  });
  const auto map = angle_map(orbit, Plane::kHorizontal);
  const auto width = beamwidth_deg(*map, 6.0);
  const auto found = narrowings(orbit.axis(), orbit.valid(), width);
  ASSERT_EQ(found.size(), 1U);
  EXPECT_NEAR(found[0].at_hz, 2000.0, 80.0);
  EXPECT_NEAR(found[0].beamwidth_deg, 50.0, 3.0);
  EXPECT_NEAR(found[0].by_deg, 40.0, 4.0);
  EXPECT_LT(found[0].low_hz, 1750.0);
  EXPECT_GT(found[0].high_hz, 2250.0);
  const auto coverage = coverage_of(orbit.axis(), orbit.valid(), width);
  ASSERT_TRUE(coverage);
  EXPECT_NEAR(coverage->degrees, 90.0, 4.0);
}

TEST(Coverage, AsymmetryIsTheRmsOverPairs) {
  const Orbit orbit =
      orbit_of([](Plane, double d, double) { return 80.0 + (d > 0 && d < 179 ? 1.5 : 0.0); });
  EXPECT_NEAR(asymmetry_db(orbit, Plane::kHorizontal)[50], 1.5, 1e-9);
  EXPECT_TRUE(asymmetry_db(orbit.mirrored(), Plane::kHorizontal).size() > 0);
}

TEST(Turned, ALoudspeakerThatIsRoundAboutItsAxisLooksTheSameFromItsOwnAxisAlone) {
  const Pattern round = [](Plane, double d, double f) {
    return 80.0 - 10.0 * std::log10(1.0 + std::pow(d / 60.0, 2) * f / 1000.0);
  };
  const Orbit orbit = orbit_of(round);
  const Orbit aside = turned(orbit, 30.0, 0.0);
  const std::size_t i = 120;
  const double f = orbit.axis()[i];
  // On the horizontal circle everything is where it was, 30 degrees on.
  for (const double d : {-60.0, -30.0, 0.0, 20.0, 100.0})
    EXPECT_NEAR(aside.at(Plane::kHorizontal, d)->curve.level_db(i),
                round(Plane::kHorizontal, d + 30.0, f), 1e-9)
        << d;
  // Straight up from there: arccos(cos 30 cos 40) off the loudspeaker's own axis.
  const double polar =
      std::acos(std::cos(30.0 * kPi / 180.0) * std::cos(40.0 * kPi / 180.0)) * 180.0 / kPi;
  EXPECT_NEAR(aside.at(Plane::kVertical, 40.0)->curve.level_db(i),
              round(Plane::kVertical, polar, f), 0.15);
  const Orbit back = turned(orbit, 0.0, 0.0);
  EXPECT_NEAR(back.at(Plane::kVertical, 70.0)->curve.level_db(i), round(Plane::kVertical, 70.0, f),
              1e-9);
}

/// Far field of a cap of 30 degrees half-angle on a rigid sphere: sum U_n j^(n+1) P_n / h_n'(ka),
/// U_n = (P_(n-1)(cos a) - P_(n+1)(cos a)) / 2 (Morse and Ingard, Theoretical Acoustics, 7.2; from
/// memory). Its power is the sum of the squares, for the P_n are orthogonal.
struct CapOnSphere {
  explicit CapOnSphere(double ka) {
    const double c = std::cos(kPi / 6.0);
    const auto count = static_cast<unsigned>(2.0 * ka) + 12;
    const auto hankel = [&](unsigned n) {
      return std::complex<double>(std::sph_bessel(n, ka), -std::sph_neumann(n, ka));
    };
    for (unsigned n = 0; n < count; ++n) {
      const double u = 0.5 * ((n == 0 ? 1.0 : std::legendre(n - 1, c)) - std::legendre(n + 1, c));
      const std::complex<double> slope =
          n == 0 ? -hankel(1) : hankel(n - 1) - (n + 1.0) / ka * hankel(n);
      parts.push_back(u / slope * std::pow(std::complex<double>(0.0, 1.0), n + 1));
    }
  }
  [[nodiscard]] std::complex<double> at(double degrees) const {
    std::complex<double> sum = 0.0;
    for (unsigned n = 0; n < parts.size(); ++n)
      sum += parts[n] * std::legendre(n, std::cos(degrees * kPi / 180.0));
    return sum;
  }
  [[nodiscard]] double index_db() const {
    double mean = 0.0;
    for (unsigned n = 0; n < parts.size(); ++n) mean += std::norm(parts[n]) / (2.0 * n + 1.0);
    return 10.0 * std::log10(std::norm(at(0.0)) / mean);
  }
  std::vector<std::complex<double>> parts;
};

TEST(Index, OfACapOnASphereIsItsSeries) {
  constexpr double kRadius_m = 0.15;
  std::map<double, CapOnSphere> caps;
  const auto cap = [&](double f) -> const CapOnSphere& {
    return caps.try_emplace(f, 2.0 * kPi * f / 343.2 * kRadius_m).first->second;
  };
  const Orbit orbit = orbit_of(
      [&](Plane, double d, double f) { return 80.0 + 20.0 * std::log10(std::abs(cap(f).at(d))); },
      10.0, 3.0, 60.0);
  const CircleIndex index = index_of(orbit, Plane::kHorizontal);
  const auto map = angle_map(orbit, Plane::kHorizontal);
  ASSERT_TRUE(map);
  const std::vector<double> width = beamwidth_deg(*map, 6.0);
  for (std::size_t i = 0; i < orbit.axis().size(); ++i) {
    const double f = orbit.axis()[i];
    if (f > 4000.0) break;
    EXPECT_NEAR(index.index_db[i], cap(f).index_db(), 0.2) << f;
    // Where it has fallen by 6 dB for the first time, found by small steps.
    double falls = 0.0;
    while (falls < 180.0 && std::abs(cap(f).at(falls)) > 0.50119 * std::abs(cap(f).at(0.0)))
      falls += 0.1;
    if (falls > 150.0) continue;
    EXPECT_NEAR(width[i], 2.0 * falls, 0.03 * 2.0 * falls) << f;
  }
}

}  // namespace
}  // namespace lalometer
