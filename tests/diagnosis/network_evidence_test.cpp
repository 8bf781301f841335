#include <gtest/gtest.h>

#include <functional>

#include "diagnosis/made_curves.h"

namespace lalometer {
namespace {

using namespace made;
using Complex = std::complex<double>;

Complex beside(Complex a, Complex b) {
  return 1.0 / (1.0 / a + 1.0 / b);
}

/// A driver of 6 ohm with a hump at 60 Hz and a coil of 0.3 mH.
Complex driver_ohm(double f) {
  return 6.0 + Complex(0.0, 2.0 * kPi * f * 3e-4) +
         30.0 / (1.0 + Complex(0.0, 4.0) * (f / 60.0 - 60.0 / f));
}

/// A coil, a capacitor and a resistor side by side, in the line: ohm.
Complex trap_ohm(double f, double at, double resistor, double q) {
  return 1.0 / (1.0 / resistor * (1.0 + Complex(0.0, q) * (f / at - at / f)));
}

CaseTake impedance(const char* condition, const std::function<Complex(double)>& z) {
  return {.kind = CaseTake::Kind::kImpedance,
          .name = condition,
          .condition = condition,
          .curve = curve(Quantity::kImpedance, 10.0, 20000.0, 48.0, true, z)};
}

/// All angles alike, through a transfer.
void add_angles(CaseMaterial& m, const std::function<Complex(double)>& transfer) {
  for (const double a : {0.0, 15.0, -15.0, 30.0, -30.0})
    m.takes.push_back(at_angle(
        a, level_of([&](double f) { return 86.0 + 20.0 * std::log10(std::abs(transfer(f))); })));
}

TEST(TrapTest, ATrapInTheLineIsADipEverywhereWithAPeakAtTheTerminals) {
  for (const double q : {1.5, 3.0}) {
    CaseMaterial m = one_cone(0.06);
    const auto trap = [&](double f) { return trap_ohm(f, 900.0, 12.0, q); };
    add_angles(m, [&](double f) { return driver_ohm(f) / (driver_ohm(f) + trap(f)); });
    m.takes.push_back(impedance("in-box", [&](double f) { return driver_ohm(f) + trap(f); }));
    m.takes.push_back(impedance("free-air", driver_ohm));
    const Diagnosis d = diagnose(m);
    EXPECT_GT(probability(d, "notch-filter"), 0.7) << q;
    for (const Finding& f : d.findings)
      if (f.causes.front().cause == "notch-filter") {
        EXPECT_NEAR(f.frequency_hz, 900.0, 90.0);
      }
  }
}

TEST(TrapTest, ATrapAcrossTheDriverSinksWhatTheTerminalsSee) {
  CaseMaterial m = one_cone(0.06);
  // 1 ohm with a coil and a capacitor one after the other, behind 4 ohm of coil and wire.
  const auto across = [](double f) {
    return Complex(1.0, 0.0) + Complex(0.0, 5.0) * (f / 900.0 - 900.0 / f);
  };
  const auto both = [&](double f) { return beside(driver_ohm(f), across(f)); };
  add_angles(m, [&](double f) { return both(f) / (both(f) + 4.0) * 1.7; });
  m.takes.push_back(impedance("in-box", both));
  m.takes.push_back(impedance("free-air", driver_ohm));
  EXPECT_GT(probability(diagnose(m), "notch-filter"), 0.4);
  // The same dip of a driver whose terminals show nothing is none.
  for (CaseTake& t : m.takes)
    if (t.condition == "in-box") t.curve = impedance("in-box", driver_ohm).curve;
  EXPECT_LT(probability(diagnose(m), "notch-filter"), 0.2);
}

TEST(TrapTest, AlevelRunMakesAPeakOfTheTerminalsNoTrap) {
  CaseMaterial m = one_cone(0.06);
  add_angles(m, [](double) { return Complex(1.0, 0.0); });
  m.takes.push_back(
      impedance("in-box", [](double f) { return driver_ohm(f) + trap_ohm(f, 900.0, 12.0, 2.0); }));
  m.takes.push_back(impedance("free-air", driver_ohm));
  EXPECT_LT(probability(diagnose(m), "notch-filter"), 0.2) << "active behind it, or compensated";
}

// In series with the driver a peak of so many ohms takes so many dB: no less, no more.
TEST(TrapTest, ADipThatItsPeakDoesNotForetellIsAnothers) {
  const auto said = [](double ohm, double dip_db, double sharp_db) {
    CaseMaterial m = one_cone(0.06);
    add_angles(m, [&](double f) {
      return Complex(
          std::pow(10.0, (bell(f, 900.0, -dip_db, 0.35) - bell(f, 880.0, sharp_db, 0.03) +
                          bell(f, 945.0, sharp_db, 0.03)) /
                             20.0),
          0.0);
    });
    m.takes.push_back(impedance(
        "in-box", [&](double f) { return driver_ohm(f) + trap_ohm(f, 900.0, ohm, 2.0); }));
    return probability(diagnose(m), "notch-filter");
  };
  EXPECT_GT(said(6.0, 5.0, 0.0), 0.7) << "6 dB over 6 ohm and a coil's";
  EXPECT_LT(said(30.0, 3.0, 0.0), 0.5) << "30 ohm take 15 dB";
  EXPECT_LT(said(1.2, 4.5, 0.0), said(6.0, 5.0, 0.0) - 0.1) << "1.2 ohm take 1.6 dB";
  EXPECT_LT(said(6.0, 5.0, 5.0), said(6.0, 5.0, 0.0)) << "no coil is as sharp";
}

// Where two drivers meet a network has a peak of its own: LR2 of 7 ohm, written out.
TEST(TrapTest, ANetworksOwnPeakAtTheCrossoverIsNoTrap) {
  CaseMaterial m = two_ways();
  const auto network = [](double f) {
    const Complex s(0.0, 2.0 * kPi * f);
    const double w = 2.0 * kPi * 2000.0;
    const double coil = 2.0 * 7.0 / w;
    const double cap = 1.0 / (2.0 * 7.0 * w);
    const Complex low = s * coil + beside(driver_ohm(f), 1.0 / (s * cap));
    const Complex high = 1.0 / (s * cap) + beside(6.0, s * coil);
    return beside(low, high);
  };
  // A broad dip of 3 dB under the crossover, as shallow ladders leave it.
  add_angles(
      m, [](double f) { return Complex(std::pow(10.0, bell(f, 1300.0, -3.0, 0.4) / 20.0), 0.0); });
  m.takes.push_back(impedance("in-box", network));
  m.takes.push_back(impedance("free-air", driver_ohm));
  EXPECT_LT(probability(diagnose(m), "notch-filter"), 0.5);
}

// The flank of a reversed driver's hole is no dip of its own: LR2 as above, one half the other way.
TEST(TrapTest, TheHoleOfAReversedDriverIsNoTrapBesideTheNetworksPeak) {
  CaseMaterial m = two_ways();
  const auto sum = [](double f) {
    const Complex s(0.0, f / 2000.0);
    return (1.0 + s * s) / ((s + 1.0) * (s + 1.0)) + 0.05;
  };
  add_angles(m, sum);
  m.takes.push_back(
      impedance("in-box", [](double f) { return driver_ohm(f) + trap_ohm(f, 1000.0, 4.0, 0.8); }));
  m.takes.push_back(impedance("free-air", driver_ohm));
  const Diagnosis d = diagnose(m);
  EXPECT_LT(probability(d, "notch-filter"), 0.3);
  EXPECT_GT(probability(d, "driver-polarity"), 0.5);
}

// A cone that bends just below the crossover turns its phase: then neither a flipped wire nor a
// late driver is needed for a hole there.
TEST(TrapTest, ABendingConeBelowTheCrossoverTakesFromThePolarity) {
  CaseMaterial m = two_ways();
  const auto with = [](double peak_db) {
    return level_of([=](double f) {
      return 86.0 + bell(f, 1500.0, peak_db, 0.1) + bell(f, 2050.0, -9.0, 0.12);
    });
  };
  for (const double a : {0.0, 30.0, -30.0}) m.takes.push_back(at_angle(a, with(0.0)));
  const double plain = probability(diagnose(m), "driver-polarity");
  EXPECT_GT(plain, 0.3);
  for (CaseTake& t : m.takes) t.curve = with(6.0);
  m.takes.push_back(impedance("free-air", [](double f) {
    return driver_ohm(f) + 1.2 / (1.0 + Complex(0.0, 12.0) * (f / 1500.0 - 1500.0 / f));
  }));
  const double polarity = probability(diagnose(m), "driver-polarity");
  EXPECT_LT(polarity, plain);
  EXPECT_GT(probability(diagnose(m), "driver-breakup"), std::max(0.4, polarity));
}

}  // namespace
}  // namespace lalometer
