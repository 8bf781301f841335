// Near fields of parts on two sides of a box, joined with a far field that boundary elements made
// (tests/reference/baffle_bem.py): a theory that nothing of the program rests on.
#include <complex>

#include "cli/cli_support.h"
#include "support/small_box.h"

namespace lalometer {
namespace {

using namespace test::small_box;  // NOLINT: the tests' own words

/// Rows of baffle_bem.py: re the same piston in a large wall, the way straight through the box.
struct Row {
  double hz, level_db, phase_deg;
};
/// 0.21 0.38 0.30 0.105 0.19 0.0648 2.0 0: the cone on the front, seen from before.
const std::vector<Row> kConeInFront = {
    {50, -5.533, 5.53},   {100, -5.369, 11.60}, {200, -4.220, 22.59}, {300, -2.695, 26.56},
    {400, -1.678, 28.24}, {500, -0.362, 30.97}, {600, 1.330, 27.83},  {700, 2.208, 19.72},
    {800, 2.344, 13.67},  {1000, 2.737, 4.84},  {1200, 2.027, -5.72}, {1400, 0.907, -7.48},
    {1600, 0.085, -6.01}, {2000, -0.037, -0.83}};
/// 0.21 0.38 0.30 0.105 0.19 0.025 2.3 180: the port on the back, seen from before.
const std::vector<Row> kPortBehind = {
    {50, -6.451, -6.46},      {100, -6.384, -12.96},   {200, -6.106, -26.52},
    {300, -5.727, -41.48},    {400, -5.359, -57.74},   {500, -5.002, -75.41},
    {600, -4.810, -95.19},    {700, -5.040, -115.82},  {800, -5.548, -135.24},
    {1000, -6.768, -173.03},  {1200, -8.593, -210.57}, {1400, -11.558, -246.79},
    {1600, -15.529, -275.91}, {2000, -24.939, -303.53}};
/// The same with the cone seen 330 mm behind its plane, and the port's the same within 0.1 dB: what
/// each adds at the other's microphone.
const std::vector<Row> kRoundTheBox = {
    {50, -10.711, -12.45}, {100, -10.687, -24.92}, {200, -10.563, -50.35}};

Complex ratio(const std::vector<Row>& rows, double f) {
  Row at = rows.front();
  at.phase_deg *= f / at.hz;
  for (std::size_t i = 1; i < rows.size() && f > rows[0].hz; ++i) {
    const Row& a = rows[i - 1];
    const Row& b = rows[i];
    const double t = std::min(1.0, (f - a.hz) / (b.hz - a.hz));
    at = {f, a.level_db + t * (b.level_db - a.level_db),
          a.phase_deg + t * (b.phase_deg - a.phase_deg)};
    if (f <= b.hz) break;
  }
  return std::polar(std::pow(10.0, at.level_db / 20.0), at.phase_deg * kPi / 180.0);
}

Complex at_two_metres(const Box& b, double f) {
  const auto [cone, port] = flows(b, f);
  return from_afar(cone, 2.0, f) * ratio(kConeInFront, f) +
         from_afar(port, 2.3, f) * ratio(kPortBehind, f);
}

// The listener is nearer to the front's acoustic centre and farther from the back's than the parts
// tell; left out, this was 1.7 dB off at half the tuning, where cone and port nearly cancel.
TEST(JoinRoundABox, APortOnTheBackJoinsWithinADecibel) {
  const Box b;
  const test::TemporaryFolder folder;
  const auto hz = bass_hz();
  const double a = std::sqrt(b.sd_m2 / kPi);
  test::write(folder / "w.frd", rows(hz, [&](double f) {
                const auto [cone, port] = flows(b, f);
                return before(cone, a, 0.005, f) +
                       from_afar(port, 0.33, f) * ratio(kRoundTheBox, f);
              }));
  test::write(folder / "p.frd", rows(hz, [&](double f) {
                const auto [cone, port] = flows(b, f);
                return before(port, b.port_m, 0.004, f) +
                       from_afar(cone, 0.33, f) * ratio(kRoundTheBox, f);
              }));
  std::vector<double> far_hz;
  for (double f = 200.0; f < 1900.0; f *= std::exp2(1.0 / 48.0)) far_hz.push_back(f);
  test::write(folder / "h0.frd", rows(far_hz, [&](double f) {
                return at_two_metres(b, f) * std::polar(1.0, 2.0 * kPi * f * 2.0 / kC);
              }));
  json set = set_of(b);
  set["subject"]["ports"][0]["panel"] = "back";
  set["subject"]["ports"][0]["y_mm"] = 0;
  set["takes"].push_back({{"id", "h0"},
                          {"kind", "response"},
                          {"file", "h0.frd"},
                          {"distance_m", 2.0},
                          {"drive_v", 2.83},
                          {"gate_ms", 5.0}});
  test::write(folder / "set.json", set.dump());
  const auto answer = test::run({"splice", folder.path().string(), "--json"});
  ASSERT_EQ(answer.status, 0) << answer.err;
  const json told = answer.parsed();
  int checked = 0;
  for (std::size_t i = 0; i < told["frequency_hz"].size(); ++i) {
    const double f = told["frequency_hz"][i];
    if (f < 25.0 || f > 1800.0) continue;
    ++checked;
    // Told at 1 m.
    EXPECT_NEAR(told["level_db"][i].get<double>(), level(2.0 * at_two_metres(b, f)), 1.0) << f;
  }
  EXPECT_GT(checked, 200);
}

}  // namespace
}  // namespace lalometer
