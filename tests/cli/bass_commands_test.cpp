// Near fields and the join through the command line, on boxes written out here: Small's equivalent
// circuit (J. Audio Eng. Soc. 21 (1973) 363), the piston on its own axis (Beranek), what one part
// adds at another's microphone, and boundary elements for the cabinet (tests/reference).
#include <gmock/gmock.h>

#include <complex>
#include <functional>
#include <nlohmann/json.hpp>
#include <sstream>

#include "acoustics/spectrum/bode_phase.h"
#include "base/constants.h"
#include "cli/cli_support.h"
#include "exchange/audio_file.h"
#include "support/small_box.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;
using json = nlohmann::json;
using namespace test::small_box;  // NOLINT: the tests' own words
using test::run;
using test::TemporaryFolder;
using testing::HasSubstr;

TEST(CliNearField, TheSumIsWhatTheCircuitMakesAtAMetre) {
  for (const Box& b :
       {Box{}, Box{.fb_hz = 38.0, .ql = 4.0}, Box{.volume_m3 = 0.02, .vented = false},
        Box{.fs_hz = 22.0,
        .vas_m3 = 0.12,
        .sd_m2 = 0.049,
        .volume_m3 = 0.08,
        .fb_hz = 25.0,
        .port_m = 0.05}}) {
    const TemporaryFolder folder;
    write_near(folder, b);
    test::write(folder / "set.json", set_of(b).dump());
    const auto answer = run({"near-field", folder.path().string(), "--json"});
    ASSERT_EQ(answer.status, 0) << answer.err;
    const json told = answer.parsed();
    for (std::size_t i = 0; i < told["frequency_hz"].size(); ++i) {
      const double f = told["frequency_hz"][i];
      if (f < 15.0 || f > 200.0) continue;
      EXPECT_NEAR(told["half_space_db"][i].get<double>(), level(half_space(b, f)), 0.3) << f;
    }
    if (!b.vented) {
      EXPECT_TRUE(told["fb_hz"].is_null());
      continue;
    }
    EXPECT_NEAR(told["fb_hz"].get<double>(), b.fb_hz, 0.02 * b.fb_hz);
    // F3 by the circuit itself, re its own mean from a third of the limit on.
    const double high = told["valid_to_hz"];
    double mean = 0.0;
    int count = 0;
    for (double f = high / 3.0; f < high; f *= 1.01, ++count) mean += level(half_space(b, f));
    double f3 = 0.5 * high;
    while (level(half_space(b, f3)) > mean / count - 3.0) f3 *= 0.999;
    EXPECT_NEAR(told["f3_hz"].get<double>(), f3, 0.025 * f3);
  }
}

// The port as a lossy tube 250 mm long by line theory, open at both ends: c / 2L is 686 Hz.
TEST(CliNearField, ThePortsPipeIsFoundAndHowFarItStandsBelow) {
  const Box b;
  constexpr double kTube_m = 0.25;
  const auto tube = [&](double f) {
    const double w = 2.0 * kPi * f;
    const Complex s(0.0, w);
    const Complex kl = w / kC * Complex(1.0, -0.01) * kTube_m;
    const double z0 = kRho * kC / (kPi * b.port_m * b.port_m);
    const Complex into = Complex(0.0, z0) * std::tan(kl);
    const double cab = b.volume_m3 / (kRho * kC * kC);
    const Complex air = 1.0 / (s * cab + 1e-7 + 1.0 / into);
    // The cone falls with frequency and moves least where the air pushes back: a plain motor.
    const Complex cone = 1e-3 / (0.2 + s / 200.0 + 60.0 / s + 4e-6 * air);
    return std::pair(cone, -cone * air / into / std::cos(kl));
  };
  const TemporaryFolder folder;
  const double a = std::sqrt(b.sd_m2 / kPi);
  test::write(folder / "w.frd",
              rows(bass_hz(), [&](double f) { return before(tube(f).first, a, 0.005, f); }));
  test::write(folder / "p.frd", rows(bass_hz(), [&](double f) {
                return before(tube(f).second, b.port_m, 0.004, f);
              }));
  test::write(folder / "set.json", set_of(b).dump());
  const json told = run({"near-field", folder.path().string(), "--json"}).parsed();
  ASSERT_GE(told["port_resonances_hz"].size(), 1U);
  EXPECT_NEAR(told["port_resonances_hz"][0].get<double>(), 686.0, 0.03 * 686.0);
}

TEST(CliNearField, WithoutPhaseThePhysicsAlignsPortAndCone) {
  const Box b;
  const TemporaryFolder folder;
  write_near(folder, b, 0.0);
  for (const char* name : {"w.frd", "p.frd"}) {
    std::string bare;
    const auto bytes = *file_bytes(folder / name);
    std::istringstream lines(
        std::string(reinterpret_cast<const char*>(bytes.data()), bytes.size()));
    for (std::string line; std::getline(lines, line);)
      bare += line.substr(0, line.rfind(' ')) + "\n";
    test::write(folder / name, bare);
  }
  json set = set_of(b);
  // No place: nothing of others can be taken out.
  set["subject"].erase("baffle");
  test::write(folder / "set.json", set.dump());
  const json told = run({"near-field", folder.path().string(), "--json"}).parsed();
  EXPECT_THAT(told["notes"].dump(), HasSubstr("half a turn"));
  EXPECT_TRUE(told["full_space_db"].is_null());
  for (std::size_t i = 0; i < told["frequency_hz"].size(); ++i) {
    const double f = told["frequency_hz"][i];
    if (f < 25.0 || f > 200.0) continue;
    EXPECT_NEAR(told["half_space_db"][i].get<double>(), level(half_space(b, f)), 0.7) << f;
  }
}

TEST(CliNearField, SaysWhatIsMissing) {
  const TemporaryFolder folder;
  write_near(folder, {});
  json set = set_of({});
  set["takes"][1]["source"] = "slot";
  test::write(folder / "set.json", set.dump());
  const auto unknown = run({"near-field", folder.path().string()});
  EXPECT_EQ(unknown.status, 3);
  EXPECT_THAT(unknown.err, HasSubstr("\"slot\" is none of the subject's parts"));
  // The same part twice counts once; a port that nobody took is named.
  set = set_of({});
  set["takes"][1] = set["takes"][0];
  set["takes"][1]["id"] = "nf-w again";
  test::write(folder / "set.json", set.dump());
  const json twice = run({"near-field", folder.path().string(), "--json"}).parsed();
  EXPECT_THAT(twice["notes"].dump(), HasSubstr("several near fields of woofer"));
  EXPECT_THAT(twice["notes"].dump(), HasSubstr("no near field of port"));
  EXPECT_NEAR(twice["sum_db"][100].get<double>(), twice["cone_db"][100].get<double>(), 1e-9);
  set["takes"] = json::array();
  test::write(folder / "set.json", set.dump());
  EXPECT_THAT(run({"near-field", folder.path().string()}).err, HasSubstr("No near field"));
}

/// On the axis of the kiosk's middle at 2 m over a large wall, dB: boundary elements
/// (tests/reference/baffle_bem.py).
const std::vector<std::pair<double, double>> kBoundaryElements = {
    {50, -5.513},  {100, -5.338},  {200, -4.151},  {300, -2.591},  {400, -1.529},
    {500, -0.135}, {600, 1.624},   {700, 2.533},   {800, 2.700},   {1000, 3.226},
    {1200, 2.498}, {1400, 1.203},  {1600, 0.045},  {1800, -0.464}, {2000, -0.268},
    {2500, 0.248}, {3000, -2.097}, {3500, -1.010}, {4000, 2.070}};

double cabinet_db(double f) {
  if (f <= 50.0) return -5.513;
  for (std::size_t i = 1; i < kBoundaryElements.size(); ++i) {
    const auto [a, at_a] = kBoundaryElements[i - 1];
    const auto [b, at_b] = kBoundaryElements[i];
    if (f <= b) return at_a + (at_b - at_a) * std::log(f / a) / std::log(b / a);
  }
  return kBoundaryElements.back().second;
}

// The far field's gain is 0.8 dB off; its axis ends where the gate does.
TEST(CliSplice, JoinsANearAndAFarFieldThatBoundaryElementsMade) {
  for (const bool vented : {true, false}) {
    const Box b{.vented = vented};
    const TemporaryFolder folder;
    write_near(folder, b);
    std::vector<double> hz;
    for (double f = 150.0; f < 4000.0; f *= std::exp2(1.0 / 48.0)) hz.push_back(f);
    std::vector<Complex> shape;
    for (const double f : hz)
      shape.emplace_back(std::pow(10.0, (level(half_space(b, f)) + cabinet_db(f) + 0.8) / 20.0) *
                         20e-6);
    const Response far =
        with_minimum_phase(*Response::make(*FrequencyAxis::make(hz), std::move(shape),
                                           Quantity::kPressure, {hz.front(), hz.back()}, false));
    test::write(folder / "h0.frd", rows(hz, [&](double f) { return 0.5 * value_at(far, f); }));
    json set = set_of(b);
    set["takes"].push_back({{"id", "h0"},
                            {"kind", "response"},
                            {"file", "h0.frd"},
                            {"horizontal_deg", 0},
                            {"vertical_deg", 0},
                            {"distance_m", 2.0},
                            {"drive_v", 2.83},
                            {"gate_ms", 5.0}});
    test::write(folder / "set.json", set.dump());
    const auto answer = run({"splice", folder.path().string(), "--json"});
    ASSERT_EQ(answer.status, 0) << answer.err;
    const json told = answer.parsed();
    EXPECT_NEAR(told["level_offset_db"].get<double>(), 0.8, 0.3);
    EXPECT_LT(told["mismatch_db"].get<double>(), 0.6);
    EXPECT_GE(told["joined_at_hz"].get<double>(), 200.0);
    std::size_t within = 0;
    std::size_t all = 0;
    for (std::size_t i = 0; i < told["frequency_hz"].size(); ++i) {
      const double f = told["frequency_hz"][i];
      if (f < 25.0 || f > 3900.0) continue;
      ++all;
      const double want = level(half_space(b, f)) + cabinet_db(f) + 0.8;
      within += std::abs(told["level_db"][i].get<double>() - want) < 1.0 ? 1U : 0U;
    }
    EXPECT_GE(static_cast<double>(within), 0.95 * static_cast<double>(all)) << vented;
    EXPECT_TRUE(told["f3_hz"]["value"].is_number());
    // Outside of what both know.
    EXPECT_EQ(run({"splice", folder.path().string(), "--at", "120"}).status, 3);
  }
}

TEST(CliSplice, RefusesWhatDoesNotMeet) {
  const TemporaryFolder folder;
  write_near(folder, {});
  test::write(folder / "h0.frd", "700 80 0\n1000 80 0\n2000 80 0\n");
  json set = set_of({});
  set["takes"].push_back({{"id", "h0"},
                          {"kind", "response"},
                          {"file", "h0.frd"},
                          {"distance_m", 1.0},
                          {"gate_ms", 1.2}});
  test::write(folder / "set.json", set.dump());
  const auto apart = run({"splice", folder.path().string()});
  EXPECT_EQ(apart.status, 3);
  EXPECT_THAT(apart.err, HasSubstr("less than a third of an octave"));
}

}  // namespace
}  // namespace lalometer
