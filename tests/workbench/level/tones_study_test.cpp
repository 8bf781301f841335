// Takes of tones: two multitones against each other, single tones against a sweep, near fields
// side by side, a port's air.
#include "workbench/level/tones_study.h"

#include <gmock/gmock.h>

#include "acoustics/level/multitone.h"
#include "exchange/audio_file.h"
#include "support/support.h"
#include "workbench/level/parts_study.h"

namespace lalometer {
namespace {

using testing::Contains;
using testing::HasSubstr;

MultitoneStudy study_of(std::vector<double> tones, double tone, double rest) {
  MultitoneStudy s;
  s.reading.tones_hz = std::move(tones);
  s.reading.tone.assign(s.reading.tones_hz.size(), tone);
  for (double f = 25.0; f < 16000.0; f *= std::exp2(1.0 / 3.0)) {
    s.reading.band_hz.push_back(f);
    s.reading.rest.push_back(rest);
  }
  return s;
}

TEST(MultitoneChangeTest, WhatTheTonesLeftOutHadDone) {
  const MultitoneStudy whole = study_of({30, 60, 120, 500, 2000, 8000}, 0.1, 2e-3);
  // The part is 3 dB louder, its rest ten times weaker re its tones.
  const MultitoneStudy part = study_of({120, 500, 2000, 8000}, 0.1413, 2e-4 * 1.413);
  for (const bool turned : {false, true}) {
    const auto c = turned ? multitone_change(part, whole) : multitone_change(whole, part);
    ASSERT_TRUE(c.has_value());
    EXPECT_EQ(c->second_is_part, !turned);
    EXPECT_NEAR(c->mean_db, -20.0, 0.01);
    EXPECT_NEAR(c->tones_db, 3.0, 0.01);
    EXPECT_EQ(c->left_out_high_hz, 60.0);
    EXPECT_GE(c->band_hz.front(), 115.0);
    EXPECT_THAT(spoken(*c), Contains(HasSubstr("falls by 20 dB")));
    EXPECT_THAT(spoken(*c), Contains(HasSubstr("high-pass with a subwoofer")));
  }
  EXPECT_FALSE(multitone_change(whole, whole).has_value()) << "the same tones";
  EXPECT_FALSE(multitone_change(whole, study_of({100, 3000}, 0.1, 1e-3)).has_value());
}

/// Lower tones and upper ones from 2.5 kHz on, which are multiplied by 1 + `moved` times the lower;
/// the lower band bends by itself.
Result<MultitoneStudy> coaxial(const std::vector<double>& tones, bool lower, double moved,
                               double bent) {
  constexpr double kRate = 48000.0;
  test::Normals normal(9);
  std::vector<double> x;
  for (int n = 0; n < 5 * 48000; ++n) {
    double low = 0.0;
    double high = 0.0;
    for (std::size_t i = 0; i < tones.size(); ++i) {
      const double k = static_cast<double>(i);
      const double sine = 0.05 * std::sin(2.0 * kPi * tones[i] * n / kRate + 1.7 * k * k);
      if (tones[i] > 2500.0)
        high += sine;
      else if (lower)
        low += sine;
    }
    x.push_back(low + bent * low * low + high * (1.0 + moved * low) + 1e-6 * normal());
  }
  std::vector<double> played = tones;
  if (!lower) std::erase_if(played, [](double f) { return f <= 2500.0; });
  return read_multitone(x, kRate, played).map([](MultitoneReading&& r) {
    MultitoneStudy s;
    s.reading = std::move(r);
    return s;
  });
}

TEST(MultitoneChangeTest, AConeThatMovesTheUpperTonesIsToldFromALowerBandThatBends) {
  const auto tones = multitone({.low_hz = 30, .high_hz = 16000, .tones_per_octave = 3})->tones_hz;
  const auto change = [&](double moved, double bent) {
    return *multitone_change(*coaxial(tones, true, moved, bent),
                             *coaxial(tones, false, moved, bent));
  };
  const auto moved = change(0.1, 0.02);
  // 1 + m a cos: two lines of m a / 2 of the tone's amplitude for each lower one.
  double expected = 0.0;
  double uppers = 0.0;
  for (const double f : tones) {
    if (f <= 2500.0) continue;
    uppers += 1.0;
    for (const double slow : tones)
      if (slow < 0.25 * f && slow <= 2500.0) expected += 0.5 * std::pow(0.1 * 0.05, 2);
  }
  EXPECT_NEAR(moved.modulation_db, 10.0 * std::log10(expected / uppers), 0.3);
  EXPECT_GT(moved.modulation_share.value(), 0.5);
  EXPECT_THAT(spoken(moved), Contains(HasSubstr("mostly modulation")));
  const auto still = change(0.0, 0.0);
  EXPECT_TRUE(std::isnan(still.modulation_db)) << "noise beside a tone is no modulation";
  EXPECT_THAT(spoken(still), testing::Not(Contains(HasSubstr("idebands"))));
  const auto bent = change(0.0, 0.3);
  EXPECT_LT(bent.mean_db, -10.0);
  EXPECT_LT(bent.modulation_share.value(), 0.2);
  EXPECT_THAT(spoken(bent), Contains(HasSubstr("No sidebands")));
}

/// A take of a WAV that a bent wire made of single tones.
std::pair<Take, std::vector<std::byte>> steady_take(double volts) {
  const SteadyTones tones = *steady_tones(
      {.low_hz = 50, .high_hz = 2000, .tones_per_octave = 3, .sample_rate_hz = 48000});
  std::vector<double> x(24000, 0.0);
  for (const double v : steady_signal(tones)) x.push_back(0.1 * volts * v);
  std::vector<double> y = x;
  test::Normals normal(5);
  for (double& v : y) v = 0.5 * (v + 0.05 * v * v) + 1e-6 * normal();
  x.resize(x.size() + 24000, 0.0);
  y.resize(y.size() + 24000, 0.0);
  Take t;
  t.setup = SteadyTonesSetup{{1.0, 0.0, 0.0, {}}, {}, tones.tones_hz()};
  t.form = RawForm::kSoundFile;
  t.name = "Tones";
  t.raw_name = "tones.wav";
  t.rig_id = 1;
  t.conditions.drive_v = volts;
  t.conditions.loopback_channel = 1;
  return {t, *audio_bytes({48000, {y, x}, ""}, AudioFormat::kWavFloat32)};
}

TEST(SteadyStudyTest, LevelsStandOnTheRigAndItsMicrophoneHidesWhatIsItsOwn) {
  const auto [take, raw] = steady_take(2.0);
  RigCalibration rig;
  rig.loopback_v_per_unit = 10.0;
  rig.input_pa_per_unit = 4.0;
  const auto r = steady_study(take, raw, {}, &rig);
  ASSERT_TRUE(r.has_value()) << r.error().text();
  EXPECT_TRUE(r->calibrated);
  // 0.5 of what the loopback heard: 4 Pa over 10 V, times 2 V.
  const double pa = 0.5 * 4.0 / 10.0 * 2.0;
  EXPECT_NEAR(20.0 * std::log10(std::abs(r->harmonics.order(1).value[3]) / pa), 0.0, 0.01);
  EXPECT_NEAR(r->harmonics.thd[3].ratio, 0.5 * 0.05 * 0.2, 1e-5);
  EXPECT_THAT(r->notes, Contains(HasSubstr("own distortion is not told")));
  // 0.5 % at this level: what it tells of itself covers all.
  rig.microphone_thd_percent = 1.0;
  rig.microphone_thd_db_spl = 20.0 * std::log10(pa / 20e-6);
  const auto hidden = steady_study(take, raw, with_microphone({}, rig), &rig);
  EXPECT_EQ(hidden->harmonics.thd[3].ratio, 0.0);
  EXPECT_THAT(hidden->notes, Not(Contains(HasSubstr("own distortion is not told"))));
}

TEST(SteadyStudyTest, WithoutTonesOrWithOthersItSaysSo) {
  auto [take, raw] = steady_take(1.0);
  std::get<SteadyTonesSetup>(take.setup).tones_hz.clear();
  EXPECT_THAT(steady_study(take, raw).error().message, HasSubstr("tones_hz"));
  take.conditions.loopback_channel = 5;
  EXPECT_FALSE(steady_study(take, raw).has_value());
}

DistortionReading flat(double fundamental, double second, double drive_v) {
  const FrequencyAxis axis = FrequencyAxis::logarithmic(20, 400, 24);
  DistortionReading r{.harmonics = {.axis = axis, .orders = {}, .thd = {}},
                      .drive_v = drive_v,
                      .three_percent = {},
                      .ten_percent = {}};
  for (int n = 1; n <= kHighestOrder; ++n) {
    const double v = n == 1 ? fundamental : n == 2 ? second : 0.0;
    r.harmonics.orders.push_back({.order = n,
                                  .value = std::vector<std::complex<double>>(axis.size(), v),
                                  .floor = std::vector<double>(axis.size(), 1e-6),
                                  .spread = std::vector<double>(axis.size(), 0.0),
                                  .at_most = std::vector<double>(axis.size(), v),
                                  .valid = {20, 400}});
  }
  return r;
}

TEST(SteadyCheckTest, SweepAndTonesAreHeldAgainstEachOther) {
  const auto check = steady_check(flat(1.0, 0.01, 1.0), flat(1.0116, 0.01, 1.0));
  ASSERT_TRUE(check.has_value());
  EXPECT_NEAR(check->fundamental_db, 0.1, 0.001);
  EXPECT_NEAR(check->harmonics_db, 0.0, 0.001);
  EXPECT_THAT(spoken(*check), HasSubstr("within 0.1 dB"));
}

PartReading part(const char* id, double radius, bool port, double fundamental, double second) {
  return {id,   radius, 1,
          port, 0.0,    std::make_shared<const DistortionReading>(flat(fundamental, second, 2.0))};
}

TEST(PartsTest, EachCountsByItsPressureAndRadius) {
  // Cone 1 Pa x 60 mm against port 4 Pa x 30 mm: the port gives twice as much.
  const auto r =
      parts_reading({part("woofer", 0.06, false, 1.0, 0.02), part("port", 0.03, true, 4.0, 0.4)});
  ASSERT_TRUE(r.has_value());
  EXPECT_NEAR(r->share[0][0][10], 0.06 / 0.18, 1e-9);
  EXPECT_NEAR(r->share[1][1][10], 0.03 * 0.4 / 0.18, 1e-9);
  ASSERT_TRUE(r->port_leads.has_value());
  EXPECT_LE(r->port_leads->low_hz, 20.1);
  ASSERT_FALSE(r->culprits.empty());
  EXPECT_EQ(r->parts[r->culprits[0].part].source, "port");
  EXPECT_NEAR(r->culprits[0].of_port_percent, 100.0 * 0.012 / 0.18, 0.01);
  EXPECT_NEAR(r->culprits[0].of_cone_percent, 100.0 * 0.0012 / 0.18, 0.01);
  EXPECT_FALSE(parts_reading({part("woofer", 0.0, false, 1.0, 0.1)}).has_value());
  // The other way round the cone leads.
  const auto cone =
      parts_reading({part("woofer", 0.06, false, 3.0, 0.02), part("port", 0.03, true, 1.0, 0.001)});
  EXPECT_FALSE(cone->port_leads.has_value());
  EXPECT_TRUE(cone->culprits.empty());
}

TEST(PartsTest, NearFieldsOfOneDriveAndStateStandSideBySide) {
  SubjectGeometry g;
  g.drivers.push_back({.id = "woofer", .role = "woofer", .radius_m = 0.06});
  g.ports.push_back({"port", "front", PortGeometry{.diameter_m = 0.06, .length_m = 0.1}, 0.03});
  const auto near = [](const char* source, double volts) {
    Take t;
    t.setup = NearFieldSetup{source, 5.0};
    t.form = RawForm::kSweepFile;
    t.conditions.drive_v = volts;
    t.conditions.stimulus = {.start_hz = 20, .stop_hz = 20000, .duration_s = 1.0};
    return t;
  };
  const std::vector<Take> takes = {near("woofer", 1.0), near("port", 1.0),   near("woofer", 4.0),
                                   near("port", 4.0),   near("woofer", 8.0), near("nobody", 4.0)};
  std::vector<const Take*> all;
  for (const Take& t : takes) all.push_back(&t);
  const auto parts = parts_side_by_side(all, g);
  ASSERT_EQ(parts.size(), 2U);
  EXPECT_EQ(takes[parts[0].index].conditions.drive_v, 4.0) << "the highest that both have";
  EXPECT_TRUE(parts[0].port) << "in the order of their names";
  EXPECT_NEAR(parts[0].radius_m, 0.03, 1e-9);
  EXPECT_EQ(parts_side_by_side(all, g, 1.0).size(), 2U);
  EXPECT_TRUE(parts_side_by_side(all, g, 8.0).empty());
}

}  // namespace
}  // namespace lalometer
