// What a drawing leaves out and the takes tell: where drivers meet, how long a port is, which waves
// a box has.
#include "diagnosis/view/meeting/untold.h"

#include <gmock/gmock.h>

#include "acoustics/enclosure/port.h"
#include "diagnosis/made_curves.h"
#include "diagnosis/view/bass/pipe.h"
#include "diagnosis/view/bass/tightness.h"
#include "diagnosis/view/view.h"

namespace lalometer {
namespace {

using namespace made;
using Complex = std::complex<double>;
using testing::Contains;
using testing::HasSubstr;

constexpr double kC = kSpeedOfSound20_m_s;

CaseMaterial untold() {
  CaseMaterial m = two_ways();
  m.subject.crossovers.clear();
  return m;
}

/// Of fourth order (Linkwitz 1976): both 6 dB down where they meet, and in phase.
double low_share(double f, double meet_hz) {
  return 1.0 / (1.0 + std::pow(f / meet_hz, 4));
}

double piston(double radius_m, double degrees, double f) {
  const double x = 2.0 * kPi * f / kC * radius_m * std::sin(degrees * kPi / 180.0);
  return x < 1e-6 ? 1.0 : 2.0 * std::cyl_bessel_j(1.0, x) / x;
}

TEST(UntoldTest, DriversMeetWhereTheirOwnLevelsCross) {
  for (const double meet_hz : {1500.0, 2200.0, 3400.0}) {
    CaseMaterial m = untold();
    const auto db = [](double share) { return 85.0 + 20.0 * std::log10(share); };
    m.takes = {at_angle(0.0, level_of([](double) { return 85.0; })),
               alone("woofer", level_of([&](double f) { return db(low_share(f, meet_hz)); })),
               alone("tweeter", level_of([&](double f) { return db(1 - low_share(f, meet_hz)); }))};
    const auto sought = sought_crossovers(m);
    ASSERT_EQ(sought.size(), 1U);
    EXPECT_EQ(sought[0].by, SoughtCrossover::By::kAlone);
    EXPECT_EQ(sought[0].crossover.low, "woofer");
    EXPECT_EQ(sought[0].crossover.high, "tweeter");
    EXPECT_NEAR(sought[0].crossover.frequency_hz, meet_hz, 0.04 * meet_hz);
  }
}

// Beranek, Acoustics, rigid circular piston: to the sides a cone's level falls until the tweeter
// takes over. Each side is a decibel and a half softer, as fronts make it.
TEST(UntoldTest, DriversMeetWhereTheSidesGoOverFromOneBeamToTheOther) {
  for (const double meet_hz : {1500.0, 2200.0, 3400.0}) {
    CaseMaterial m = untold();
    for (const double degrees : {0.0, 30.0, 45.0, 60.0})
      m.takes.push_back(
          at_angle(degrees, level_of([&](double f) {
                     const double share = low_share(f, meet_hz);
                     return 85.0 - (degrees > 0.0 ? 1.5 : 0.0) +
                            20.0 * std::log10(std::abs(share * piston(0.06, degrees, f) +
                                                       (1.0 - share) * piston(0.012, degrees, f)));
                   })));
    const auto sought = sought_crossovers(m);
    ASSERT_EQ(sought.size(), 1U);
    EXPECT_EQ(sought[0].by, SoughtCrossover::By::kAngles);
    EXPECT_NEAR(std::log2(sought[0].crossover.frequency_hz / meet_hz), 0.0, 0.15) << meet_hz;
  }
}

TEST(UntoldTest, NothingIsSoughtOfWhatIsToldOrHasOneKindOfDriver) {
  CaseMaterial m = two_ways();
  m.takes = {at_angle(0.0, level_of([](double) { return 85.0; }))};
  EXPECT_TRUE(sought_crossovers(m).empty());
  m = untold();
  m.subject.drivers[1] = m.subject.drivers[0];
  m.subject.drivers[1].id = "other";
  EXPECT_TRUE(sought_crossovers(m).empty());
}

// A hole where the drivers meet is a wrong polarity whether or not anybody told where that is.
TEST(UntoldTest, AReversedDriverIsFoundAndTheSoughtPlaceIsSaid) {
  CaseMaterial m = untold();
  for (const double degrees : {0.0, 30.0, -30.0, 60.0})
    m.takes.push_back(at_angle(degrees, level_of([&](double f) {
                                 const double share = low_share(f, 2200.0);
                                 const double sum = share * piston(0.06, degrees, f) -
                                                    (1.0 - share) * piston(0.012, degrees, f);
                                 return 85.0 + 10.0 * std::log10(sum * sum + 1e-4);
                               })));
  const Diagnosis d = diagnose(m);
  EXPECT_GT(probability(d, "driver-polarity"), 0.7);
  EXPECT_LT(probability(d, "notch-filter"), 0.3);
  EXPECT_THAT(d.notes, Contains(HasSubstr("No crossover is told: woofer and tweeter")));
}

/// A vented box of 14 l with a port of 50 mm whose length nobody told.
CaseMaterial with_port(double length_mm) {
  const PortGeometry port{.diameter_m = 0.05, .length_m = length_mm / 1e3};
  CaseMaterial m = one_cone(0.065);
  m.subject.loading = "vented";
  m.subject.volume_m3 = 0.014;
  m.subject.ports = {{"port", std::nullopt, 0.025, 1, true}};
  BoxLoad box{.kind = BoxLoad::Kind::kVented, .volume_m3 = 0.014, .ql = 9.0};
  box.tuning_hz = helmholtz_hz(0.014, {port}, kC);
  m.takes = {{.kind = CaseTake::Kind::kImpedance,
              .name = "box",
              .condition = "in-box",
              .curve = curve(Quantity::kImpedance, 8.0, 6000.0, 96.0, true, [&](double f) {
                return solve_driver(woofer(), box, f).impedance_ohm;
              })}};
  return m;
}

// Helmholtz: tuning, volume and width leave one length; a pipe open at both ends is half a wave.
TEST(UntoldTest, APipesLengthIsWhatTheTuningLeavesIt) {
  for (const double length_mm : {80.0, 130.0, 180.0}) {
    const CaseMaterial m = with_port(length_mm);
    const auto pipe = pipe_hz(view_of(m), m.subject.ports[0]);
    ASSERT_TRUE(pipe.has_value());
    const double wanted = pipe_resonance_hz({.diameter_m = 0.05, .length_m = length_mm / 1e3}, kC);
    EXPECT_NEAR(*pipe, wanted, 0.04 * wanted);
  }
}

TEST(UntoldTest, ThePortsOwnNearFieldTellsItsPipeBetterAndTheConesWaveIsNotTaken) {
  CaseMaterial m = with_port(130.0);
  const double by_tuning = *pipe_hz(view_of(m), m.subject.ports[0]);
  const auto near = [](const char* source, double wave_db, double pipe_hz) {
    return CaseTake{.kind = CaseTake::Kind::kNearField,
                    .name = source,
                    .source = source,
                    .curve = level_of([=](double f) {
                      return 90.0 + bell(f, 0.85 * pipe_hz, wave_db, 0.05) +
                             (wave_db > 12.0 ? 0.0 : bell(f, pipe_hz, 12.0, 0.08));
                    })};
  };
  m.takes.push_back(near("port", 10.0, 1.1 * by_tuning));
  m.takes.push_back(near("cone", 13.0, 1.1 * by_tuning));
  EXPECT_FALSE(pipe_by_near_field(view_of(with_port(130.0)), m.subject.ports[0]));
  EXPECT_NEAR(*pipe_hz(view_of(m), m.subject.ports[0]), 1.1 * by_tuning, 0.02 * by_tuning);
  EXPECT_TRUE(pipe_by_near_field(view_of(m), m.subject.ports[0]));
}

TEST(UntoldTest, WithNeitherVolumeNorNearFieldNoPipeIsTold) {
  CaseMaterial m = with_port(130.0);
  m.subject.volume_m3.reset();
  EXPECT_FALSE(pipe_hz(view_of(m), m.subject.ports[0]).has_value());
}

// A rectangular room's waves (Morse and Bolt 1944): what belongs to two of its sizes at once stands
// at the root of the sum of the squares.
TEST(UntoldTest, AWaveOfTwoSizesIsNoWallEvenWhereTheSizesAreNotTold) {
  const auto said = [](double third_hz) {
    CaseMaterial m = one_cone(0.065);
    m.subject.baffle = *Baffle::make({.width_m = 0.2,
                                      .height_m = 0.384,
                                      .depth_m = 0.3,
                                      .edge = EdgeShape::kSquare,
                                      .edge_size_m = 0.0});
    BoxLoad sealed{.kind = BoxLoad::Kind::kSealed, .volume_m3 = 0.014};
    const double height_hz = 0.5 * kC / 0.348;
    const double depth_hz = 0.5 * kC / 0.264;
    const auto take = [&](const char* condition, const BoxLoad& box, bool looped) {
      return CaseTake{.kind = CaseTake::Kind::kImpedance,
                      .name = condition,
                      .condition = condition,
                      .curve = curve(Quantity::kImpedance, 8.0, 6000.0, 96.0, true, [&](double f) {
                        Complex z = solve_driver(woofer(), box, f).impedance_ohm;
                        for (const double at : {height_hz, depth_hz, third_hz})
                          if (looped) z *= 1.0 + 0.02 / Complex(1.0, 25.0 * (f / at - at / f));
                        return z;
                      })};
    };
    m.takes = {take("in-box", sealed, true), take("free-air", BoxLoad{}, false)};
    return probability(diagnose(m), "panel-resonance");
  };
  const double both_hz = std::hypot(0.5 * kC / 0.348, 0.5 * kC / 0.264);
  EXPECT_GT(said(0.92 * both_hz), 0.4);
  EXPECT_LT(said(both_hz), 0.5 * said(0.92 * both_hz));
}

}  // namespace
}  // namespace lalometer
