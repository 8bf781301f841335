// Evidence of impedances that circuits written out here have: a trap in series, a radiator's notch,
// the losses of a box, samples that differ.
#include <gmock/gmock.h>

#include "acoustics/enclosure/driver_circuit.h"
#include "diagnosis/made_curves.h"
#include "diagnosis/view/bass/losses.h"

namespace lalometer {
namespace {

using namespace made;
using testing::Contains;
using testing::HasSubstr;
using testing::Not;

using Complex = std::complex<double>;

TEST(ImpedanceEvidenceTest, ATrapInSeriesIsADipWithAPeakOfTheImpedance) {
  CaseMaterial m = one_cone(0.05);
  const DriverParameters cone = elements_of({.fs_hz = 70.0,
                                             .qms = 3.5,
                                             .qes = 0.6,
                                             .vas_m3 = 0.008,
                                             .sd_m2 = 0.0079,
                                             .re_ohm = 6.0,
                                             .le_h = 1e-4});
  BoxLoad box{.kind = BoxLoad::Kind::kSealed};
  box.volume_m3 = 0.012;
  // R, L and C side by side, tuned to 1.2 kHz.
  const auto trap = [](double f) {
    const Complex jw(0.0, 2.0 * kPi * f);
    const double l = 0.6e-3;
    const double c = 1.0 / (std::pow(2.0 * kPi * 1200.0, 2) * l);
    return 1.0 / (1.0 / 18.0 + 1.0 / (jw * l) + jw * c);
  };
  const auto driver = [&](double f) { return solve_driver(cone, box, f).impedance_ohm; };
  const auto impedance = [&](bool with) {
    return CaseTake{.kind = CaseTake::Kind::kImpedance,
                    .name = "box",
                    .condition = "in-box",
                    .curve = curve(Quantity::kImpedance, 8.0, 18000.0, 96.0, true,
                                   [&](double f) { return driver(f) + (with ? trap(f) : 0.0); })};
  };
  const auto sound = [&](double f) {
    return 85.0 + 20.0 * std::log10(std::abs(driver(f) / (driver(f) + trap(f))));
  };
  for (const double a : {0.0, 30.0, -30.0}) m.takes.push_back(at_angle(a, level_of(sound)));
  m.takes.push_back(impedance(true));
  const Diagnosis d = diagnose(m);
  EXPECT_GT(probability(d, "notch-filter"), 0.4);
  EXPECT_GT(probability(d, "notch-filter"), probability(d, "driver-breakup"));
  // The same dip without the peak is made by no network.
  m.takes.back() = impedance(false);
  EXPECT_LT(probability(diagnose(m), "notch-filter"), 0.1);
}

TEST(ImpedanceEvidenceTest, ARadiatorsNotchNearTheTuningIsSaidAndOneFarBelowIsNot) {
  const DriverParameters driver = woofer();
  const auto diagnosed = [&](double compliance_m_per_n) {
    CaseMaterial m = one_cone(0.065);
    m.subject.loading = "passive-radiator";
    m.subject.radiators.push_back({"radiator", 0.065});
    m.subject.volume_m3 = 0.014;
    BoxLoad box{.kind = BoxLoad::Kind::kPassiveRadiator};
    box.volume_m3 = 0.014;
    box.ql = 15.0;
    box.tuning_hz = 45.0;
    box.radiator = PassiveRadiator{0.0133, 0.05, compliance_m_per_n, 0.3};
    m.takes.push_back({.kind = CaseTake::Kind::kImpedance,
                       .name = "box",
                       .condition = "in-box",
                       .curve = curve(Quantity::kImpedance, 6.0, 6000.0, 96.0, true, [&](double f) {
                         return solve_driver(driver, box, f).impedance_ohm;
                       })});
    return probability(diagnose(m), "passive-radiator-notch");
  };
  // By the springs of box and suspension side by side the notch is at 0.85, at 0.4 of the tuning.
  const double box_n_m = 0.0133 * 0.0133 / acoustic_compliance(0.014);
  const auto at_share = [&](double share) { return (1.0 / (share * share) - 1.0) / box_n_m; };
  EXPECT_GT(diagnosed(at_share(0.85)), 0.5);
  EXPECT_LT(diagnosed(at_share(0.4)), 0.2);
}

DriverParameters boxed_woofer() {
  return elements_of({.fs_hz = 38.0,
                      .qms = 5.0,
                      .qes = 0.4,
                      .vas_m3 = 0.03,
                      .sd_m2 = 0.015,
                      .re_ohm = 6.2,
                      .le_h = 4e-4});
}

TEST(ImpedanceEvidenceTest, TheKindOfLossIsTheOneThatFollowsTheImpedanceBest) {
  const DriverParameters woofer = boxed_woofer();
  const auto z_of = [&](const BoxLoad& box) {
    return curve(Quantity::kImpedance, 6.0, 4000.0, 96.0, true,
                 [&](double f) { return solve_driver(woofer, box, f).impedance_ohm; });
  };
  const Response free = z_of({});
  const auto driver = fit_driver(free);
  ASSERT_TRUE(driver.has_value());
  for (const double q : {4.0, 6.0}) {
    BoxLoad box{.kind = BoxLoad::Kind::kVented};
    box.volume_m3 = 0.02;
    box.tuning_hz = 44.0;
    const auto kinds = [&](double leak, double port, double absorption) {
      box.ql = leak;
      box.qp = port;
      box.qa = absorption;
      const Response z = z_of(box);
      const auto fit = fit_box(z, BackLoad::kVented);
      return fit ? loss_kinds(z, *fit, &*driver, false) : std::nullopt;
    };
    const auto leak = kinds(q, 0.0, 0.0);
    ASSERT_TRUE(leak.has_value()) << q;
    EXPECT_EQ(leak->leak, 0.0) << "the best of the three";
    EXPECT_GT(std::min(leak->port, leak->absorption), 6.0);
    EXPECT_NEAR(leak->leak_q, q, 0.1 * q);
    EXPECT_LT(leak->departs_percent, 0.5) << "it follows within half a per cent";
    const auto port = kinds(14.0, q, 0.0);
    ASSERT_TRUE(port.has_value()) << q;
    EXPECT_EQ(port->port, 0.0);
    EXPECT_GT(std::min(port->leak, port->absorption), 6.0);
    EXPECT_NEAR(port->port_q, q, 0.1 * q);
    const auto fill = kinds(14.0, 0.0, q);
    ASSERT_TRUE(fill.has_value()) << q;
    EXPECT_EQ(fill->absorption, 0.0);
    EXPECT_NEAR(fill->absorption_q, q, 0.1 * q);
  }
}

/// A vented box by its circuit: what is told of it begins above the lower hump, which lies at 25
/// Hz.
CaseMaterial cut_off_box(double ql, double qp) {
  CaseMaterial m = one_cone(0.07);
  m.subject.loading = "vented";
  const DriverParameters woofer = boxed_woofer();
  BoxLoad box{.kind = BoxLoad::Kind::kVented};
  box.volume_m3 = 0.02;
  box.tuning_hz = 44.0;
  box.ql = ql;
  box.qp = qp;
  const auto of = [&](const char* condition, double low, const BoxLoad& load) {
    return CaseTake{.kind = CaseTake::Kind::kImpedance,
                    .name = condition,
                    .driver = std::string(condition) == "free-air" ? "cone" : "",
                    .condition = condition,
                    .curve = curve(Quantity::kImpedance, low, 4000.0, 48.0, true, [&](double f) {
                      return solve_driver(woofer, load, f).impedance_ohm;
                    })};
  };
  m.takes = {of("in-box", 31.0, box), of("free-air", 8.0, {})};
  return m;
}

TEST(ImpedanceEvidenceTest, ACurveThatBeginsAboveTheLowerHumpTellsLossesByTheDriverInFreeAir) {
  const Diagnosis leaky = diagnose(cut_off_box(3.0, 60.0));
  EXPECT_GT(probability(leaky, "box-leak"), 0.5);
  // What is said is what was there to see: not the lower hump.
  EXPECT_THAT(found(leaky, "box-leak")->evidence, Contains(HasSubstr("driver in free air")));
  EXPECT_THAT(found(leaky, "box-leak")->evidence, Not(Contains(HasSubstr("both humps"))));
  EXPECT_LT(probability(diagnose(cut_off_box(3.0, 60.0)), "overdamped-port"), 0.3);
  EXPECT_GT(probability(diagnose(cut_off_box(14.0, 4.0)), "overdamped-port"), 0.5);
  EXPECT_TRUE(diagnose(cut_off_box(14.0, 60.0)).clean());
}

// A port that is all but shut leaves one hump: then no box is made up from the driver in free air,
// and that one hump is what is told.
TEST(ImpedanceEvidenceTest, AShutPortIsToldByTheHumpThatIsMissing) {
  CaseMaterial m = cut_off_box(14.0, 0.5);
  const DriverParameters woofer = boxed_woofer();
  BoxLoad box{.kind = BoxLoad::Kind::kVented};
  box.volume_m3 = 0.02;
  box.tuning_hz = 44.0;
  box.ql = 14.0;
  box.qp = 0.3;
  m.takes[0].curve = curve(Quantity::kImpedance, 8.0, 4000.0, 48.0, true,
                           [&](double f) { return solve_driver(woofer, box, f).impedance_ohm; });
  const Diagnosis d = diagnose(m);
  EXPECT_GT(probability(d, "overdamped-port"), 0.5);
  EXPECT_THAT(found(d, "overdamped-port")->evidence, Contains(HasSubstr("one hump stands")));
}

/// A cone with a small mass on a spring, its impedance and its response by the circuit; and what it
/// sounds beyond how its coil moves.
CaseMaterial with_a_small_mass(double sounds_more_db) {
  CaseMaterial m = one_cone(0.07);
  constexpr double kAt_hz = 1250.0;
  const auto circuit = [&](double f) {
    const Complex s(0.0, 2.0 * kPi * f);
    constexpr double kMass = 0.012;
    constexpr double kForceFactor = 6.5;
    const double mass = 0.06 * kMass;
    const double w = 2.0 * kPi * kAt_hz;
    const Complex small = 1.0 / (1.0 / (s * mass) + 1.0 / (mass * w * w / s + w * mass / 7.0));
    const Complex mechanical = 0.9 + s * kMass + 1.0 / (s * 1.2e-3) + small;
    const Complex z = 5.8 + s * 3e-4 + kForceFactor * kForceFactor / mechanical;
    return std::pair(z, kForceFactor / (z * mechanical) * s);  // its acceleration sounds
  };
  const auto level = [&](double f) {
    return 116.0 + 20.0 * std::log10(std::abs(circuit(f).second) / 1e3) +
           bell(f, kAt_hz, sounds_more_db, 0.1);
  };
  for (const double a : {0.0, 30.0, -30.0, 45.0}) m.takes.push_back(at_angle(a, level_of(level)));
  m.takes.push_back({.kind = CaseTake::Kind::kImpedance,
                     .name = "free",
                     .driver = "cone",
                     .condition = "free-air",
                     .curve = curve(Quantity::kImpedance, 8.0, 12000.0, 96.0, true,
                                    [&](double f) { return circuit(f).first; })});
  return m;
}

// A surround moves the coil as much as it moves the sound; a cone that bends sounds more than its
// coil feels. The loop in free air tells the two apart.
TEST(ImpedanceEvidenceTest, TheLoopInFreeAirForetellsWhatASurroundDoesToTheSound) {
  const Diagnosis surround = diagnose(with_a_small_mass(0.0));
  EXPECT_GT(probability(surround, "suspension-resonance"), 0.7);
  EXPECT_LT(probability(surround, "driver-breakup"), 0.3);
  const Diagnosis bending = diagnose(with_a_small_mass(6.0));
  EXPECT_GT(probability(bending, "driver-breakup"), probability(bending, "suspension-resonance"));
}

// A dip above the loop and a peak below it are one resonance. Where the dip lies the cone measures
// 1.7 wavelengths round and might bend; where the peak lies it moves as one.
TEST(ImpedanceEvidenceTest, BothSidesOfOneResonanceAreOneCauses) {
  CaseMaterial m = with_a_small_mass(0.0);
  for (CaseTake& t : m.takes)
    if (t.kind == CaseTake::Kind::kResponse)
      t.curve = level_of(
          [](double f) { return 86.0 + bell(f, 1165.0, 3.5, 0.08) + bell(f, 1335.0, -4.5, 0.08); });
  const Diagnosis d = diagnose(m);
  EXPECT_GT(probability(d, "suspension-resonance"), 0.5);
  EXPECT_LT(probability(d, "driver-breakup"), 0.3);
}

// A wave of Q 12 spans an eighth of an octave: at 12 rows an octave its loop lies between them, and
// that none was seen speaks against nothing.
TEST(ImpedanceEvidenceTest, RowsFartherApartThanALoopIsWideSayNothingOfIt) {
  CaseMaterial m = one_cone(0.06);
  m.subject.inner = InnerBox{0.16, 0.348, 0.2};
  for (const double a : {0.0, 30.0, -30.0})
    m.takes.push_back(
        at_angle(a, level_of([](double f) { return 86.0 + bell(f, 493.0, -4.0, 0.05); })));
  const auto box = [](double rows_an_octave) {
    return CaseTake{
        .kind = CaseTake::Kind::kImpedance,
        .name = "box",
        .condition = "in-box",
        .curve = curve(Quantity::kImpedance, 8.0, 12000.0, rows_an_octave, true, [](double f) {
          return 6.0 + Complex(0.0, 2.0 * kPi * f * 3e-4) +
                 30.0 / (1.0 + Complex(0.0, 4.0) * (f / 60.0 - 60.0 / f));
        })};
  };
  m.takes.push_back(box(96.0));
  const double dense = probability(diagnose(m), "cabinet-standing-wave");
  m.takes.back() = box(12.0);
  EXPECT_GT(probability(diagnose(m), "cabinet-standing-wave"), dense + 0.1) << dense;
}

TEST(ImpedanceEvidenceTest, SamplesThatLieApartOverAThirdOfAnOctaveDiffer) {
  CaseMaterial m = one_cone(0.05);
  const auto sample = [](const char* name, double db) {
    CaseTake t =
        at_angle(0.0, level_of([db](double f) { return 86.0 + bell(f, 2200.0, db, 0.15); }));
    t.sample = name;
    t.name = name;
    return t;
  };
  m.takes = {sample("A", 0.0), sample("B", 3.5)};
  const Diagnosis d = diagnose(m);
  EXPECT_GT(probability(d, "sample-variation"), 0.6);
  EXPECT_THAT(found(d, "sample-variation")->evidence, Contains(HasSubstr("third of an octave")));
  m.takes = {sample("A", 0.0), sample("B", 0.6)};
  EXPECT_EQ(found(diagnose(m), "sample-variation"), nullptr);
}

TEST(ImpedanceEvidenceTest, ResonancesOfSamplesApartAreSaidInPerCent) {
  CaseMaterial m = one_cone(0.05);
  const auto free = [](const char* sample, double fs) {
    const DriverParameters cone = elements_of({.fs_hz = fs,
                                               .qms = 3.5,
                                               .qes = 0.6,
                                               .vas_m3 = 0.008,
                                               .sd_m2 = 0.0079,
                                               .re_ohm = 6.0,
                                               .le_h = 1e-4});
    return CaseTake{.kind = CaseTake::Kind::kImpedance,
                    .name = sample,
                    .sample = sample,
                    .driver = "cone",
                    .condition = "free-air",
                    .curve = curve(Quantity::kImpedance, 8.0, 6000.0, 96.0, true, [&](double f) {
                      return solve_driver(cone, {}, f).impedance_ohm;
                    })};
  };
  m.takes = {free("A", 70.0), free("B", 84.0)};
  const Diagnosis d = diagnose(m);
  EXPECT_GT(probability(d, "sample-variation"), 0.7);
  EXPECT_THAT(found(d, "sample-variation")->evidence, Contains(HasSubstr("18 % apart")));
  m.takes = {free("A", 70.0), free("B", 71.0)};
  EXPECT_EQ(found(diagnose(m), "sample-variation"), nullptr);
}

TEST(ImpedanceEvidenceTest, AListOfFewPointsWithoutPhaseTellsALeakToo) {
  const DriverParameters woofer = elements_of({.fs_hz = 30.0,
                                               .qms = 6.0,
                                               .qes = 0.38,
                                               .vas_m3 = 0.08,
                                               .sd_m2 = 0.033,
                                               .re_ohm = 5.8,
                                               .le_h = 8e-4});
  const auto leaky = [&](double per_octave, bool phase, double ql) {
    CaseMaterial m = one_cone(0.1);
    m.subject.loading = "vented";
    BoxLoad box{.kind = BoxLoad::Kind::kVented};
    box.volume_m3 = 0.05;
    box.tuning_hz = 33.0;
    box.ql = ql;
    m.takes.push_back({.kind = CaseTake::Kind::kImpedance,
                       .name = "box",
                       .condition = "in-box",
                       .curve = curve(Quantity::kImpedance, 6.0, 2000.0, per_octave, phase,
                                      [&](double f) -> Complex {
                                        const Complex z =
                                            solve_driver(woofer, box, f).impedance_ohm;
                                        return phase ? z : Complex(std::abs(z));
                                      })});
    return diagnose(m);
  };
  EXPECT_GT(probability(leaky(96.0, true, 2.5), "box-leak"), 0.6);
  EXPECT_GT(probability(leaky(24.0, false, 2.5), "box-leak"), 0.5);
  for (const auto& sound : {leaky(96.0, true, 12.0), leaky(24.0, false, 12.0)})
    EXPECT_TRUE(sound.clean());
}

// 0.65 dB between two units, which is what good pairs differ by, unless each taken again is the
// same.
TEST(ImpedanceEvidenceTest, RepeatsTellWhatOfADifferenceIsTheUnits) {
  const auto told = [](bool again, double repeat_db) {
    CaseMaterial m = one_cone(0.06);
    for (const char* sample : {"A", "B"})
      for (int k = 0; k < (again ? 2 : 1); ++k) {
        m.takes.push_back(at_angle(0.0, level_of([=](double f) {
                                     return 86.0 + repeat_db * k +
                                            (*sample == 'B' && f > 1000.0 ? 1.0 : 0.0);
                                   })));
        m.takes.back().sample = sample;
        m.takes.back().id = static_cast<std::int64_t>(m.takes.size());
      }
    return diagnose(m);
  };
  EXPECT_LT(probability(told(false, 0.0), "sample-variation"), 0.5);
  const Diagnosis exact = told(true, 0.02);
  EXPECT_GT(probability(exact, "sample-variation"), 0.5);
  EXPECT_LT(probability(told(true, 0.5), "sample-variation"), 0.5)
      << "repeats that differ by as much explain it";
  // The sentence is told by one take of each.
  const FindingCause* cause = found(exact, "sample-variation");
  ASSERT_NE(cause, nullptr);
  ASSERT_TRUE(cause->told_by.contains(cause->evidence.front()));
  EXPECT_EQ(cause->told_by.at(cause->evidence.front()).size(), 2U);
}

// What is there already is not asked for.
TEST(ImpedanceEvidenceTest, ATakeThatIsThereIsNoNextStep) {
  for (const Finding& f : diagnose(with_a_small_mass(0.0)).findings)
    EXPECT_EQ(f.next_step.find("impedance in free air"), std::string::npos) << f.next_step;
}

}  // namespace
}  // namespace lalometer
