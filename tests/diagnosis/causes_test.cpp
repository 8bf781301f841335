// Causes one by one: impedances of circuits solved here, near fields, angles and recordings that
// only one of them explains.
#include <gmock/gmock.h>

#include <random>

#include "acoustics/enclosure/driver_circuit.h"
#include "acoustics/enclosure/port.h"
#include "diagnosis/made_curves.h"

namespace lalometer {
namespace {

using made::bell;
using made::level_of;
using made::probability;
using made::woofer;
using testing::Contains;
using testing::HasSubstr;

constexpr double kC = kSpeedOfSound20_m_s;

/// A small resonance beside the motor's.
struct Loop {
  double at_hz = 0.0;
  double share = 0.0;
  double q = 20.0;
};

Response impedance_of(const BoxLoad& box, const std::vector<Loop>& loops = {}) {
  const FrequencyAxis axis = FrequencyAxis::logarithmic(8.0, 6000.0, 96.0);
  std::vector<std::complex<double>> values;
  for (const double f : axis.hz()) {
    std::complex<double> z = solve_driver(woofer(), box, f).impedance_ohm;
    for (const Loop& l : loops)
      z *= 1.0 + l.share / std::complex<double>(1.0, l.q * (f / l.at_hz - l.at_hz / f));
    values.push_back(z);
  }
  return *Response::make(axis, std::move(values), Quantity::kImpedance, {8.0, 6000.0}, true);
}

PortGeometry port() {
  return {.diameter_m = 0.05, .length_m = 0.13};
}

BoxLoad vented(double ql = 12.0) {
  BoxLoad box{.kind = BoxLoad::Kind::kVented};
  box.volume_m3 = 0.014;
  box.ql = ql;
  box.tuning_hz = helmholtz_hz(0.014, {port()}, kC);
  return box;
}

CaseTake impedance(const char* name, Response z, const char* condition = "in-box") {
  return {.kind = CaseTake::Kind::kImpedance,
          .name = name,
          .driver = std::string(condition) == "free-air" ? "woofer" : "",
          .condition = condition,
          .curve = std::move(z)};
}

CaseMaterial kiosk() {
  CaseMaterial m;
  m.subject.loading = "vented";
  m.subject.drivers = {
      {.id = "woofer", .role = "woofer", .y_m = -0.09, .radius_m = 0.065},
      {.id = "tweeter", .role = "tweeter", .y_m = 0.06, .radius_m = 0.0155, .high = true}};
  m.subject.baffle = *Baffle::make({.width_m = 0.21,
                                    .height_m = 0.38,
                                    .depth_m = 0.3,
                                    .edge = EdgeShape::kRound,
                                    .edge_size_m = 0.012});
  m.subject.origin_x_m = 0.105;
  m.subject.origin_y_m = 0.23;
  m.subject.volume_m3 = 0.014;
  m.subject.inner = InnerBox{0.178, 0.348, 0.262};
  m.subject.damping = BoxDamping::kLined;
  m.subject.ports = {{"port", port(), port().equivalent_radius_m(), 1, false}};
  m.subject.crossovers = {{"woofer", "tweeter", 2000.0}};
  return m;
}

const Finding* at(const Diagnosis& d, double hz) {
  for (const Finding& f : d.findings)
    if (std::abs(std::log(f.frequency_hz / hz)) < 0.03) return &f;
  return nullptr;
}

CaseTake response(double degrees, Response curve, bool vertical = false) {
  CaseTake t{.name = "response", .gate_s = 0.006, .curve = std::move(curve)};
  (vertical ? t.vertical_deg : t.horizontal_deg) = degrees;
  return t;
}

TEST(BoxCausesTest, ALeakAndStuffingBeforeThePortAreToldApartByTheHumps) {
  BoxLoad choked = vented();
  choked.qp = 2.4;  // a flow resistance: the lower hump falls, the upper one stays
  for (const bool with_free : {true, false}) {
    CaseMaterial m = kiosk();
    if (with_free) m.takes.push_back(impedance("free", impedance_of({}), "free-air"));
    m.takes.push_back(impedance("box", impedance_of(vented(2.3))));
    const Diagnosis leak = diagnose(m);
    EXPECT_GT(probability(leak, "box-leak"), 0.7);
    EXPECT_LT(probability(leak, "overdamped-port"), 0.2);
    m.takes.back().curve = impedance_of(choked);
    const Diagnosis stuffed = diagnose(m);
    EXPECT_GT(probability(stuffed, "overdamped-port"), 0.6);
    EXPECT_LT(probability(stuffed, "box-leak"), 0.2);
    // Choked so far that one hump is left.
    choked.qp = 0.7;
    m.takes.back().curve = impedance_of(choked);
    EXPECT_GT(probability(diagnose(m), "overdamped-port"), 0.5);
    choked.qp = 2.4;
    m.takes.back().curve = impedance_of(vented());
    EXPECT_TRUE(diagnose(m).clean()) << "a tight box";
  }
}

TEST(BoxCausesTest, ATuningOffFromItsPortIsSaidWithBothFigures) {
  CaseMaterial m = kiosk();
  BoxLoad box = vented();
  box.tuning_hz *= 1.3;
  m.takes.push_back(impedance("box", impedance_of(box)));
  const Diagnosis d = diagnose(m);
  EXPECT_GT(probability(d, "mistuned-box"), 0.7);
  ASSERT_FALSE(d.overall.empty());
  EXPECT_THAT(d.overall.front().evidence, Contains(HasSubstr("30 % above")));
  // Within what a tape measure leaves it is none.
  m.takes[0].curve = impedance_of([&] {
    BoxLoad near = vented();
    near.tuning_hz *= 1.05;
    return near;
  }());
  EXPECT_LT(probability(diagnose(m), "mistuned-box"), 0.2);
}

TEST(BoxCausesTest, ASealedBoxOfTooHighAQAndOneThatLeaks) {
  CaseMaterial m = kiosk();
  m.subject.loading = "sealed";
  m.subject.ports.clear();
  BoxLoad box{.kind = BoxLoad::Kind::kSealed};
  box.volume_m3 = 0.0025;  // Qtc 1.3
  m.takes.push_back(impedance("box", impedance_of(box)));
  EXPECT_GT(probability(diagnose(m), "mistuned-box"), 0.5);
  box.volume_m3 = 0.02;
  box.ql = 1.0;
  box.tuning_hz = 60.0;
  m.takes[0].curve = impedance_of(box);
  m.takes.push_back(impedance("free", impedance_of({}), "free-air"));
  EXPECT_GT(probability(diagnose(m), "box-leak"), 0.5);
  box.ql = 0.0;
  m.takes[0].curve = impedance_of(box);
  EXPECT_TRUE(diagnose(m).clean());
}

// A filling absorbs by itself: the lower hump of a tight box is no leak, that of a leaky one is.
TEST(BoxCausesTest, AFilledBoxThatIsTightIsNotLeaky) {
  CaseMaterial m = kiosk();
  m.subject.loading = "sealed";
  m.subject.ports.clear();
  m.subject.damping = BoxDamping::kFilled;
  BoxLoad box{.kind = BoxLoad::Kind::kSealed};
  box.volume_m3 = 0.014;
  box.tuning_hz = 60.0;
  box.qa = 4.0;
  m.takes.push_back(impedance("box", impedance_of(box)));
  m.takes.push_back(impedance("free", impedance_of({}), "free-air"));
  EXPECT_LT(probability(diagnose(m), "box-leak"), 0.3);
  box.ql = 1.3;
  m.takes[0].curve = impedance_of(box);
  EXPECT_GT(probability(diagnose(m), "box-leak"), 0.5);
}

TEST(BoxCausesTest, ALoopBelongsToTheAirThePanelOrTheSurroundByWhatElseHasIt) {
  // The height's half wave: 343.2 / 2 / 0.348 = 493 Hz.
  CaseMaterial m = kiosk();
  m.takes.push_back(impedance("box", impedance_of(vented(), {{493.0, 0.05, 40.0}})));
  m.takes.push_back(impedance("free", impedance_of({}), "free-air"));
  const Diagnosis wave = diagnose(m);
  ASSERT_NE(at(wave, 493.0), nullptr);
  EXPECT_EQ(at(wave, 493.0)->causes.front().cause, "cabinet-standing-wave");
  EXPECT_GT(at(wave, 493.0)->causes.front().probability, 0.6);
  EXPECT_EQ(at(wave, 493.0)->shape, FindingShape::kWiggle);
  // Where no wave of the box lies, and sharp: a wall.
  m.takes[0].curve = impedance_of(vented(), {{330.0, 0.02, 30.0}});
  const Diagnosis panel = diagnose(m);
  ASSERT_NE(at(panel, 330.0), nullptr);
  EXPECT_EQ(at(panel, 330.0)->causes.front().cause, "panel-resonance");
  // A port opens an end: the wave lies up to a sixth higher.
  m.takes[0].curve = impedance_of(vented(), {{540.0, 0.01, 14.0}});
  EXPECT_LT(probability(diagnose(m), "panel-resonance"), 0.2);
  m.subject.ports.clear();
  EXPECT_GT(probability(diagnose(m), "panel-resonance"), 0.3);
  m.subject.ports = kiosk().subject.ports;
  // In free air too: the driver.
  m.takes[0].curve = impedance_of(vented(), {{850.0, 0.04, 8.0}});
  m.takes[1].curve = impedance_of({}, {{850.0, 0.04, 8.0}});
  const Diagnosis own = diagnose(m);
  ASSERT_NE(at(own, 850.0), nullptr);
  EXPECT_EQ(at(own, 850.0)->causes.front().cause, "suspension-resonance");
  // Without the free-air take nobody is as sure, and that very take is asked for.
  m.takes.pop_back();
  const Diagnosis without = diagnose(m);
  EXPECT_LT(probability(without, "suspension-resonance"), probability(own, "suspension-resonance"));
}

// Where the inner sizes were not told, the outer ones less the usual walls must do: 380 mm less 36
// have their half wave at 499 Hz.
TEST(BoxCausesTest, AWaveIsFoundByTheOuterSizesToo) {
  CaseMaterial m = kiosk();
  m.subject.inner.reset();
  m.takes.push_back(impedance("box", impedance_of(vented(), {{493.0, 0.05, 40.0}})));
  m.takes.push_back(impedance("free", impedance_of({}), "free-air"));
  const Diagnosis wave = diagnose(m);
  ASSERT_NE(at(wave, 493.0), nullptr);
  EXPECT_EQ(at(wave, 493.0)->causes.front().cause, "cabinet-standing-wave");
  EXPECT_GT(at(wave, 493.0)->causes.front().probability, 0.5);
  EXPECT_THAT(at(wave, 493.0)->causes.front().evidence, Contains(HasSubstr("18 mm of wall")));
  // An open panel has no inside.
  m.subject.loading = "open-baffle";
  EXPECT_LT(probability(diagnose(m), "cabinet-standing-wave"), 0.1);
}

// Without any impedance the cone's near field tells the box's air from what lies before it.
TEST(BoxCausesTest, AWaveIsFoundByItsSoundWhereNoImpedanceWasTaken) {
  const auto with_dip = [](double level) {
    return level_of([=](double f) { return level + bell(f, 493.0, -4.0, 0.05); });
  };
  CaseMaterial m = kiosk();
  for (const double a : {0.0, 30.0, -30.0}) m.takes.push_back(response(a, with_dip(85.0)));
  m.takes.push_back({.kind = CaseTake::Kind::kNearField,
                     .name = "near",
                     .source = "woofer",
                     .curve = with_dip(110.0)});
  const double both = probability(diagnose(m), "cabinet-standing-wave");
  EXPECT_GT(both, 0.3);
  m.takes.back().curve = level_of([](double) { return 110.0; });
  EXPECT_LT(probability(diagnose(m), "cabinet-standing-wave"), 0.5 * both);
}

TEST(BoxCausesTest, LiningThatShrinksALoopSpeaksForTheAir) {
  CaseMaterial m = kiosk();
  m.variants = {{"bare", ""}, {"lined", "damping"}};
  m.takes.push_back(impedance("box", impedance_of(vented(), {{493.0, 0.03, 22.0}})));
  m.takes[0].variant = "bare";
  m.takes.push_back(impedance("again", impedance_of(vented(), {{493.0, 0.03, 22.0}})));
  m.takes[1].variant = "bare";
  const double alone = probability(diagnose(m), "cabinet-standing-wave");
  CaseTake lined = impedance("lined", impedance_of(vented(), {{493.0, 0.004, 6.0}}));
  lined.variant = "lined";
  m.takes.push_back(lined);
  EXPECT_GT(probability(diagnose(m), "cabinet-standing-wave"), alone);
  m.takes[2].curve = impedance_of(vented(), {{493.0, 0.03, 22.0}});
  EXPECT_LT(probability(diagnose(m), "cabinet-standing-wave"), alone) << "lining did nothing";
}

// A lining leaves a wave a Q of about ten, bare walls 25 and more (common practice, no source): an
// ordinary box has a little of it always.
TEST(BoxCausesTest, ALinedBoxsOwnWaveIsNoFault) {
  CaseMaterial m = kiosk();
  m.takes.push_back(impedance("box", impedance_of(vented(), {{493.0, 0.035, 26.0}})));
  CaseTake free = impedance("free", impedance_of({}));
  free.condition = "free-air";
  m.takes.push_back(free);
  EXPECT_GT(probability(diagnose(m), "cabinet-standing-wave"), 0.8);
  m.takes[0].curve = impedance_of(vented(), {{493.0, 0.035, 10.0}});
  EXPECT_LT(probability(diagnose(m), "cabinet-standing-wave"), 0.5);
}

TEST(SoundCausesTest, APortThatSoundsAsLoudAsTheConeIsHeardAsAPipe) {
  CaseMaterial m = kiosk();
  m.subject.ports[0].front = true;
  const double pipe = pipe_resonance_hz(port(), kC);
  ASSERT_NEAR(pipe, 1000.0, 150.0);
  const auto near = [&](const char* source, Response curve) {
    return CaseTake{.kind = CaseTake::Kind::kNearField,
                    .name = source,
                    .source = source,
                    .curve = std::move(curve)};
  };
  m.takes.push_back(response(0.0, level_of([](double f) {
                               return 85.0 +
                                      4.0 * std::exp(-std::pow(std::log2(f / 1040.0) / 0.1, 2));
                             })));
  m.takes.push_back(near("woofer", level_of([](double) { return 100.0; })));
  m.takes.push_back(near("port", level_of([](double f) {
                           return 88.0 + 22.0 * std::exp(-std::pow(std::log2(f / 1040.0) / 0.2, 2));
                         })));
  const double loud = probability(diagnose(m), "port-pipe-resonance");
  EXPECT_GT(loud, 0.6);
  m.subject.ports[0].front = false;
  m.takes[0].curve = level_of([](double) { return 85.0; });
  EXPECT_LT(probability(diagnose(m), "port-pipe-resonance"), 0.3)
      << "round the box nobody hears it";
}

// A port at the back that the sum shows has come round, whatever was thought of the way.
TEST(SoundCausesTest, APipeAtTheBackCountsByWhatTheSumShows) {
  CaseMaterial m = kiosk();
  const double pipe = pipe_resonance_hz(port(), kC);
  const auto near = [](const char* source, Response curve) {
    return CaseTake{.kind = CaseTake::Kind::kNearField,
                    .name = source,
                    .source = source,
                    .curve = std::move(curve)};
  };
  for (const double a : {0.0, 30.0, -30.0})
    m.takes.push_back(
        response(a, level_of([&](double f) { return 85.0 + bell(f, pipe, 3.5, 0.04); })));
  m.takes.push_back(near("woofer", level_of([](double) { return 100.0; })));
  // 9 dB more by its smaller radius: 4 dB under the cone.
  m.takes.push_back(
      near("port", level_of([&](double f) { return 75.0 + bell(f, pipe, 30.0, 0.06); })));
  EXPECT_GT(probability(diagnose(m), "port-pipe-resonance"), 0.6);
  // As soft a port cannot have made that peak.
  m.takes.back().curve = level_of([&](double f) { return 55.0 + bell(f, pipe, 30.0, 0.06); });
  EXPECT_LT(probability(diagnose(m), "port-pipe-resonance"), 0.3);
}

TEST(SoundCausesTest, LevelsThatJumpToTheSidesThroughTheCrossoverAreAMismatch) {
  CaseMaterial m = kiosk();
  m.subject.drivers[0].radius_m = 0.1;  // 3.7 wavelengths round: too large for it
  m.takes.push_back(response(0.0, level_of([](double) { return 85.0; })));
  for (const double a : {45.0, -45.0, 60.0})
    m.takes.push_back(response(a, level_of([](double f) { return f < 2000.0 ? 78.0 : 84.5; })));
  const Diagnosis d = diagnose(m);
  EXPECT_GT(probability(d, "directivity-mismatch"), 0.6);
  ASSERT_NE(at(d, 2000.0), nullptr);
  EXPECT_EQ(at(d, 2000.0)->shape, FindingShape::kStep);
  for (CaseTake& t : m.takes)
    if (t.horizontal_deg != 0.0) t.curve = level_of([](double) { return 83.0; });
  EXPECT_LT(probability(diagnose(m), "directivity-mismatch"), 0.1);
}

TEST(SoundCausesTest, SourcesFarApartMakeADipUpAndDownOnly) {
  CaseMaterial m = kiosk();
  m.subject.drivers[0].y_m = -0.2;  // 260 mm: 1.5 wavelengths at 2 kHz
  m.takes.push_back(response(0.0, level_of([](double) { return 85.0; })));
  m.takes.push_back(response(30.0, level_of([](double) { return 84.0; })));
  m.takes.push_back(response(15.0, level_of([](double f) {
                               return 85.0 -
                                      14.0 * std::exp(-std::pow(std::log2(f / 2100.0) / 0.3, 2));
                             }),
                             true));
  EXPECT_GT(probability(diagnose(m), "source-spacing-lobing"), 0.6);
  m.subject.drivers[0].y_m = -0.02;  // close together the same dip is another's
  EXPECT_LT(probability(diagnose(m), "source-spacing-lobing"), 0.3);
}

TEST(SoundCausesTest, AnOpenPanelHasItsNullWhereTheRearMeetsTheFront) {
  CaseMaterial m = kiosk();
  m.subject.loading = "open-baffle";
  m.subject.ports.clear();
  m.subject.crossovers.clear();
  m.subject.drivers.resize(1);
  // 105 mm to the side: a null near 343.2 / 0.105 = 3.27 kHz.
  m.takes.push_back(response(0.0, level_of([](double f) {
                               return 85.0 -
                                      9.0 * std::exp(-std::pow(std::log2(f / 3270.0) / 0.2, 2));
                             })));
  EXPECT_GT(probability(diagnose(m), "dipole-cancellation"), 0.5);
  CaseTake baffle = response(0.0, m.takes[0].curve);
  baffle.condition = "large-baffle";
  m.takes.push_back(baffle);
  EXPECT_LT(probability(diagnose(m), "dipole-cancellation"), 0.5)
      << "a large baffle has no rear sound";
}

TEST(BenchCausesTest, ScatteredRowsAreNoiseAndSharpNullsAreNot) {
  CaseMaterial m = kiosk();
  const auto with = [](double scatter_db, bool null) {
    const FrequencyAxis axis = FrequencyAxis::logarithmic(200.0, 18000.0, 48.0);
    std::mt19937 engine(4);
    std::normal_distribution<double> normal;
    std::vector<std::complex<double>> values;
    for (const double f : axis.hz())
      values.push_back(from_level(
          85.0 + scatter_db * normal(engine) - (null && std::abs(f - 3000.0) < 60.0 ? 25.0 : 0.0),
          0.0, level_reference(Quantity::kPressure)));
    return *Response::make(axis, std::move(values), Quantity::kPressure, {200.0, 18000.0}, false);
  };
  m.takes.push_back(response(0.0, with(0.9, false)));
  EXPECT_GT(probability(diagnose(m), "noise"), 0.5);
  m.takes[0].curve = with(0.02, true);
  EXPECT_LT(probability(diagnose(m), "noise"), 0.1);
}

// Near fields down to 20 Hz show seven multiples of the mains; the axis, gated from 190 Hz on, has
// three of them among its own dips: they are the mains', and no walls.
TEST(BenchCausesTest, HumThatOtherTakesShowIsNoWallOnTheAxis) {
  const auto hummed = [](double level, double low, double slope_db) {
    const FrequencyAxis axis = FrequencyAxis::logarithmic(low, 18000.0, 48.0);
    std::vector<std::complex<double>> values;
    for (std::size_t i = 0; i < axis.size(); ++i) {
      const double multiple = std::round(axis[i] / 50.0);
      const bool nearest = multiple >= 1.0 && multiple <= 7.0 &&
                           std::abs(std::log2(axis[i] / (50.0 * multiple))) < 0.5 / 48.0;
      values.push_back(from_level(
          level + (nearest ? 2.5 : 0.0) + slope_db * std::sin(2.0 * kPi * axis[i] / 430.0), 0.0,
          level_reference(Quantity::kPressure)));
    }
    return *Response::make(axis, std::move(values), Quantity::kPressure, {low, 18000.0}, false);
  };
  CaseMaterial m = kiosk();
  for (const double a : {0.0, 30.0, -30.0})
    m.takes.push_back(response(a, hummed(85.0, 190.0, 2.5)));
  for (const char* source : {"woofer", "port"})
    m.takes.push_back({.kind = CaseTake::Kind::kNearField,
                       .name = source,
                       .source = source,
                       .curve = hummed(110.0, 20.0, 0.0)});
  const Diagnosis d = diagnose(m);
  EXPECT_GT(probability(d, "mains-hum"), 0.7);
  EXPECT_LT(probability(d, "panel-resonance"), 0.3);
}

TEST(BenchCausesTest, HumOfOneTakeIsNamedWithIt) {
  CaseMaterial m = kiosk();
  m.takes.push_back(response(0.0, level_of([](double) { return 85.0; })));
  m.takes.push_back(response(30.0, level_of([](double) { return 85.0; })));
  EXPECT_EQ(probability(diagnose(m), "mains-hum"), 0.0);
  m.takes[1].name = "30 deg, evening";
  m.takes[1].seen = {"mains-hum"};
  const Diagnosis d = diagnose(m);
  EXPECT_GT(probability(d, "mains-hum"), 0.7);
  ASSERT_FALSE(d.overall.empty());
  EXPECT_THAT(d.overall.front().evidence, Contains(HasSubstr("30 deg, evening")));
}

}  // namespace
}  // namespace lalometer
