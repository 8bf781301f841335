// Leaks and chokes told by the impedance in the box alone, of circuits written out here.
#include <gmock/gmock.h>

#include "diagnosis/made_curves.h"
#include "diagnosis/view/bass/tightness.h"
#include "diagnosis/view/mains.h"

namespace lalometer {
namespace {

using namespace made;
using Complex = std::complex<double>;

/// What works on the back of a cone, all of it in units of the suspension's: a compliance with its
/// own loss, a leak beside it, and a port's mass with a loss; Q at `loss_hz`.
struct Back {
  double stiffer = 1.6;  ///< stiffness of the box's air over the suspension's
  double air_q = 20.0;
  double leak_q = 1e6;
  double loss_hz = 60.0;
  double tuning_hz = 0.0;  ///< 0: sealed
  double port_q = 60.0;
};

/// Small's circuits (JAES 20 (1972) 383, 21 (1973) 363): a driver of 5.6 ohm and 38 Hz.
Response impedance(const Back& back, bool phase = true, double rows = 48.0, double low = 10.0) {
  return curve(Quantity::kImpedance, low, 4000.0, rows, phase, [&](double f) {
    constexpr double kFs = 38.0;
    constexpr double kQms = 4.5;
    constexpr double kRes = 38.0;
    const Complex u(0.0, f / kFs);
    const Complex v(0.0, f / back.loss_hz);
    // Of the box's air, over its stiffness: 1 / (flow by compliance, leak and port).
    Complex flow = 1.0 / (1.0 + v / back.air_q) + 1.0 / (v * back.leak_q);
    if (back.tuning_hz > 0.0) {
      const Complex p(0.0, f / back.tuning_hz);
      flow += 1.0 / (p * p + p / back.port_q);
    }
    const Complex d = 1.0 + kQms * u + kQms / u * (1.0 + back.stiffer / flow);
    return 5.6 + Complex(0.0, 2.0 * kPi * f * 3e-4) + kRes / d;
  });
}

TEST(TightnessTest, ASealedBoxsLeakIsReadFromTheRunBelowItsHump) {
  for (const bool phase : {true, false})
    for (const double q : {1.5, 2.5, 4.0}) {
      const auto told = tightness_of(impedance({.leak_q = q}, phase), nullptr, false);
      ASSERT_TRUE(told.has_value());
      EXPECT_NEAR(told->leak_q, q, 0.25 * q) << phase;
      EXPECT_GT(told->ratio(), 3.0) << phase;
    }
}

TEST(TightnessTest, ATightBoxIsNotLeakyHoweverItIsFilled) {
  for (const double air_q : {6.0, 20.0, 100.0})
    for (const double leak_q : {30.0, 1e6})
      for (const double rows : {12.0, 96.0}) {
        const auto told =
            tightness_of(impedance({.air_q = air_q, .leak_q = leak_q}, true, rows), nullptr, false);
        ASSERT_TRUE(told.has_value());
        EXPECT_LT(told->ratio(), 0.3) << air_q << " " << leak_q << " " << rows;
      }
}

// Half of what a leak of 3.4 beside a filling loses would pass for the driver's own loss; free air
// tells how much that is.
TEST(TightnessTest, FreeAirTellsALeakFromTheDriversOwnLoss) {
  const auto free = fit_driver(impedance({.stiffer = 0.0}));
  ASSERT_TRUE(free.has_value()) << free.error().message;
  EXPECT_NEAR(free->qms.value, 4.5, 0.1);
  for (const double leak_q : {2.0, 3.4}) {
    const auto told = tightness_of(impedance({.air_q = 15.0, .leak_q = leak_q}), &*free, false);
    ASSERT_TRUE(told.has_value());
    EXPECT_NEAR(told->leak_q, leak_q, 0.12 * leak_q);
    EXPECT_GT(told->ratio(), 10.0);
  }
  const auto tight = tightness_of(impedance({.air_q = 8.0, .leak_q = 40.0}), &*free, false);
  ASSERT_TRUE(tight.has_value());
  EXPECT_LT(tight->ratio(), 0.3);
}

TEST(TightnessTest, WithoutTheRunBelowTheHumpNothingIsTold) {
  EXPECT_FALSE(
      tightness_of(impedance({.leak_q = 2.0}, true, 48.0, 45.0), nullptr, false).has_value());
}

CaseMaterial boxed(const char* loading, Response z) {
  CaseMaterial m = one_cone(0.07);
  m.subject.loading = loading;
  m.takes = {{.kind = CaseTake::Kind::kImpedance,
              .name = "box",
              .condition = "in-box",
              .curve = std::move(z)}};
  return m;
}

Back vented(double leak_q, double port_q, double air_q = 25.0) {
  return {.air_q = air_q, .leak_q = leak_q, .loss_hz = 44.0, .tuning_hz = 44.0, .port_q = port_q};
}

TEST(LossesAloneTest, WithoutFreeAirALeakAndAChokedPortAreTold) {
  for (const double low : {10.0, 19.5}) {
    const Diagnosis leaky =
        diagnose(boxed("vented", impedance(vented(2.5, 60.0), true, 48.0, low)));
    EXPECT_GT(probability(leaky, "box-leak"), 0.5) << low;
    EXPECT_LT(probability(leaky, "overdamped-port"), 0.3) << low;
    const Diagnosis choked =
        diagnose(boxed("vented", impedance(vented(14.0, 3.0), true, 48.0, low)));
    EXPECT_GT(probability(choked, "overdamped-port"), 0.5) << low;
    EXPECT_LT(probability(choked, "box-leak"), 0.3) << low;
    EXPECT_TRUE(diagnose(boxed("vented", impedance(vented(12.0, 60.0), true, 48.0, low))).clean());
  }
}

/// Rows by the mains' multiples, louder by so much.
Response with_hum(const Response& z, double db) {
  std::vector<Complex> values = z.values();
  for (int m = 1; m <= 6; ++m) {
    const std::size_t at = z.axis().bracket(50.0 * m);
    for (std::size_t i = at; i <= at + 1; ++i) values[i] *= std::pow(10.0, db / 20.0);
  }
  return *Response::make(z.axis(), std::move(values), z.quantity(), z.valid(), z.has_phase());
}

// The mains' second multiple lies on the flank of the upper hump.
TEST(MainsTest, HumOnAHumpsFlankIsToldAndSpoilsNoFit) {
  for (const double rows : {24.0, 48.0, 96.0}) {
    const Response z = impedance(vented(12.0, 60.0), true, rows);
    const Diagnosis d = diagnose(boxed("vented", with_hum(z, 3.0)));
    EXPECT_GT(probability(d, "mains-hum"), 0.7) << rows;
    EXPECT_LT(probability(d, "box-leak"), 0.3) << rows;
    EXPECT_LT(probability(d, "overdamped-port"), 0.3) << rows;
    EXPECT_EQ(probability(diagnose(boxed("vented", z)), "mains-hum"), 0.0) << rows;
    EXPECT_EQ(without_mains(z).size(), z.size()) << "nothing to leave out";
  }
  // With a leak beside it, both are told.
  const Diagnosis both =
      diagnose(boxed("sealed", with_hum(impedance({.leak_q = 2.0}, true, 48.0), 3.0)));
  EXPECT_GT(probability(both, "mains-hum"), 0.7);
  EXPECT_GT(probability(both, "box-leak"), 0.5);
}

// Of eleven takes one has hum: somebody's lamp. In all of them it is the rig.
TEST(MainsTest, HumOfOneTakeAmongManyIsLessSure) {
  const auto told = [](int with, int multiples) {
    CaseMaterial m = one_cone(0.06);
    for (int k = 0; k < 11; ++k)
      m.takes.push_back(at_angle(5.0 * k, level_of(
                                              [&](double f) {
                                                double db = 86.0;
                                                for (int n = 3; n < 3 + multiples; ++n)
                                                  if (k < with) db += bell(f, 50.0 * n, 2.0, 0.01);
                                                return db;
                                              },
                                              60.0, 96.0)));
    return probability(diagnose(m), "mains-hum");
  };
  EXPECT_GT(told(11, 4), 0.8);
  EXPECT_LT(told(1, 3), 0.5);
  EXPECT_EQ(told(0, 4), 0.0);
}

// A leaky box's tuning is not judged by its bass, which is gone whatever the tuning.
TEST(LossesAloneTest, ALeakIsNoWrongTuning) {
  CaseMaterial m = boxed("vented", impedance(vented(2.0, 60.0)));
  m.subject.volume_m3 = 0.014;
  // 44 Hz: a tube of 50 mm in 14 l.
  const double area = kPi * 0.025 * 0.025;
  const double length = area * std::pow(kSpeedOfSound20_m_s / (2.0 * kPi * 44.0), 2) / 0.014;
  m.subject.ports = {
      {"port", PortGeometry{.diameter_m = 0.05, .length_m = length - 1.463 * 0.025}, 0.025}};
  const Diagnosis d = diagnose(m);
  EXPECT_GT(probability(d, "box-leak"), 0.5);
  EXPECT_LT(probability(d, "mistuned-box"), 0.3);
}

}  // namespace
}  // namespace lalometer
