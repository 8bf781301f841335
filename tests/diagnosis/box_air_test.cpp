// The air of a box and its port beside what is taken for them.
#include <gtest/gtest.h>

#include "acoustics/enclosure/driver_circuit.h"
#include "acoustics/enclosure/port.h"
#include "diagnosis/made_curves.h"

namespace lalometer {
namespace {

using namespace made;

struct Loop {
  double at_hz, share, q;
};

/// A woofer in 14 l with loops beside its humps, and the same in free air without.
CaseMaterial with_loops(const std::vector<Loop>& loops) {
  CaseMaterial m = one_cone(0.065);
  m.subject.inner = InnerBox{0.168, 0.348, 0.262};
  const DriverParameters driver = woofer();
  BoxLoad sealed{.kind = BoxLoad::Kind::kSealed};
  sealed.volume_m3 = 0.014;
  const auto take = [&](const char* condition, const BoxLoad& box, bool looped) {
    return CaseTake{.kind = CaseTake::Kind::kImpedance,
                    .name = condition,
                    .condition = condition,
                    .curve = curve(Quantity::kImpedance, 8.0, 6000.0, 96.0, true, [&](double f) {
                      std::complex<double> z = solve_driver(driver, box, f).impedance_ohm;
                      for (const Loop& l : loops)
                        if (looped)
                          z *= 1.0 + l.share / std::complex<double>(
                                                   1.0, l.q * (f / l.at_hz - l.at_hz / f));
                      return z;
                    })};
  };
  m.takes = {take("in-box", sealed, true), take("free-air", BoxLoad{}, false)};
  return m;
}

// Bare walls: the height's wave rings at 493 Hz, and above it many others. By itself the
// same small loop is a wall's.
TEST(BoxAirTest, HigherWavesOfARingingBoxAreNoWalls) {
  const Loop small = {740.0, 0.009, 35.0};
  const double alone = probability(diagnose(with_loops({small})), "panel-resonance");
  const double above =
      probability(diagnose(with_loops({{493.0, 0.12, 45.0}, small})), "panel-resonance");
  EXPECT_GT(alone, 0.5);
  EXPECT_LT(above, 0.5 * alone);
}

// The same of a sharp hole of the sound.
TEST(BoxAirTest, HolesAboveARingingWaveAreNoWalls) {
  const auto said = [](const std::vector<Loop>& loops) {
    CaseMaterial m = with_loops(loops);
    for (const double a : {0.0, 30.0, -30.0})
      m.takes.push_back(
          at_angle(a, level_of([](double f) { return 85.0 + bell(f, 740.0, -3.5, 0.02); })));
    return probability(diagnose(m), "panel-resonance");
  };
  EXPECT_GT(said({}), 0.3);
  EXPECT_LT(said({{493.0, 0.12, 45.0}}), 0.5 * said({}));
}

/// A vented box with its port in front, and what its level has, at three angles.
template <class Level>
CaseMaterial with_port(const PortGeometry& port, Level db) {
  CaseMaterial m = one_cone(0.065);
  m.subject.loading = "vented";
  m.subject.ports = {{"port", port, port.equivalent_radius_m(), 1, true}};
  for (const double a : {0.0, 30.0, -30.0}) m.takes.push_back(at_angle(a, level_of(db)));
  return m;
}

// What stands between a hole and the rest is as broad as an octave; a pipe has a Q of 5 and more
// (common practice, no source).
TEST(BoxAirTest, ABroadShoulderIsNoPipe) {
  const PortGeometry port{.diameter_m = 0.05, .length_m = 0.13};
  const double pipe = pipe_resonance_hz(port, kSpeedOfSound20_m_s);
  const auto said = [&](double octaves) {
    const CaseMaterial m =
        with_port(port, [&](double f) { return 85.0 + bell(f, pipe, 3.5, octaves); });
    return probability(diagnose(m), "port-pipe-resonance");
  };
  EXPECT_GT(said(0.06), 0.5);
  EXPECT_LT(said(0.45), 0.2);
}

// Beside a pipe that is heard it cancels the cone: the hole there is as sharp as a wall's.
TEST(BoxAirTest, AHoleBesideAHeardPipeIsNoWall) {
  const PortGeometry port{.diameter_m = 0.06, .length_m = 0.25};
  const double pipe = pipe_resonance_hz(port, kSpeedOfSound20_m_s);
  const auto said = [&](double pipe_db) {
    const CaseMaterial m = with_port(port, [&](double f) {
      return 85.0 + bell(f, pipe, pipe_db, 0.06) + bell(f, 1.25 * pipe, -3.5, 0.02);
    });
    return probability(diagnose(m), "panel-resonance");
  };
  EXPECT_GT(said(0.0), 0.2);
  EXPECT_LT(said(4.0), 0.5 * said(0.0));
}

}  // namespace
}  // namespace lalometer
