#include "workbench/taking/live_meter.h"

#include "acoustics/signal/recording/recording_checks.h"
#include "rig/practice/practice_bench.h"
#include "support/support.h"
#include "workbench/practice/demo_book.h"

namespace lalometer {
namespace {

constexpr double kRate = 48000.0;

RigCalibration rig() {
  RigCalibration r;
  r.input_pa_per_unit = std::sqrt(2.0) * 2.0;  // a full-scale sine is 2 Pa rms, 100 dB
  return r;
}

void feed(LiveMeter& meter, const std::vector<double>& x) {
  for (std::size_t i = 0; i + 480 <= x.size(); i += 480)
    meter.take_up(std::span(x).subspan(i, 480), std::span(x).subspan(i, 480));
}

// By hand: a sine of half full scale is 1 Pa rms, 94 dB; its second harmonic is put in at -40 dB.
TEST(LiveMeter, ReadsLevelPeaksAndHarmonics) {
  LiveMeter meter(rig(), Hookup::kMicrophone, kRate, 500.0);
  std::vector<double> x(48000);
  for (std::size_t i = 0; i < x.size(); ++i) {
    const double w = 2.0 * kPi * 500.0 * static_cast<double>(i) / kRate;
    x[i] = 0.5 * std::sin(w) + 0.005 * std::sin(2.0 * w);
  }
  feed(meter, x);
  const LiveReading r = meter.reading();
  EXPECT_NEAR(r.level_db, 93.98, 0.02);
  EXPECT_NEAR(r.measured_peak, 0.5, 0.01);
  EXPECT_FALSE(r.clipped);
  ASSERT_TRUE(r.tone.has_value());
  EXPECT_NEAR(r.tone->level_db, 93.98, 0.02);
  EXPECT_NEAR(r.tone->harmonic_db.at(0), -40.0, 0.1);
  EXPECT_NEAR(r.tone->thd_percent, 1.0, 0.02);
  const auto loudest = std::max_element(r.band_db.begin(), r.band_db.end()) - r.band_db.begin();
  EXPECT_NEAR(r.band_hz[static_cast<std::size_t>(loudest)], 500.0, 35.0);
  double power = 0.0;
  for (const double db : r.band_db) power += std::pow(10.0, db / 10.0);
  EXPECT_NEAR(10.0 * std::log10(power), 93.98, 0.1) << "the tone lies between two bands";
}

TEST(LiveMeter, HoldsAPeakForThreeSeconds) {
  LiveMeter meter(rig(), Hookup::kMicrophone, kRate, {});
  std::vector<double> loud(4800, 0.0);
  loud[100] = 1.0;
  feed(meter, loud);
  EXPECT_TRUE(meter.reading().clipped);
  feed(meter, std::vector<double>(2 * 48000, 0.0));
  EXPECT_EQ(meter.reading().measured_hold, 1.0);
  EXPECT_EQ(meter.reading().measured_peak, 0.0);
  feed(meter, std::vector<double>(2 * 48000, 0.0));
  EXPECT_EQ(meter.reading().measured_hold, 0.0);
}

TEST(LiveMeter, PinkNoiseIsEvenOverOctaves) {
  LiveSource source{.signal = LiveSignal::kPinkNoise, .drive_v = 0.5, .seconds = 6.0};
  const auto noise = live_signal(source, rig(), kRate);
  ASSERT_TRUE(noise.has_value());
  EXPECT_NEAR(rms_of(*noise) * rig().output_v_per_unit, 0.5, 0.01);
  LiveMeter meter(rig(), Hookup::kMicrophone, kRate, {});
  feed(meter, *noise);
  const LiveReading r = meter.reading();
  double low = 0.0;
  double high = 0.0;
  for (std::size_t i = 0; i < r.band_hz.size(); ++i) {
    if (r.band_hz[i] > 200.0 && r.band_hz[i] < 800.0) low += r.band_db[i] / 12.0;
    if (r.band_hz[i] > 3200.0 && r.band_hz[i] < 12800.0) high += r.band_db[i] / 12.0;
  }
  EXPECT_NEAR(low, high, 0.5);
}

// A tone through the jig tells the impedance there: tuning a port by the lowest impedance.
TEST(LiveMeter, ReadsTheImpedanceOnTheJig) {
  PracticeBenchSetup setup = demo_bench(false);
  setup.speaker = kiosk_two_way(false);
  PracticeBench bench(setup);
  ASSERT_TRUE(bench.prepare({kRate, 0, 1, Hookup::kImpedanceJig}).has_value());
  for (const double f : {45.0, 200.0}) {
    const auto tone = live_signal(
        {.signal = LiveSignal::kTone, .frequency_hz = f, .drive_v = 0.5, .seconds = 1.2}, setup.rig,
        kRate);
    ASSERT_TRUE(tone.has_value());
    LiveMeter meter(setup.rig, Hookup::kImpedanceJig, kRate, f);
    const auto run = bench.run(
        *tone, {}, {}, [&](auto measured, auto loopback) { meter.take_up(measured, loopback); });
    ASSERT_TRUE(run.has_value());
    const LiveReading r = meter.reading();
    ASSERT_TRUE(r.tone && r.tone->impedance_ohm);
    const PracticeField field(setup.speaker, PracticeRoom{});
    const std::complex<double> truth = field.at(f).impedance_ohm;
    EXPECT_NEAR(std::abs(*r.tone->impedance_ohm), std::abs(truth), 0.03 * std::abs(truth)) << f;
  }
}

TEST(LiveMeter, RefusesWhatTheRigCannotPlay) {
  EXPECT_FALSE(
      live_signal({.signal = LiveSignal::kTone, .drive_v = 50.0}, rig(), kRate).has_value());
  EXPECT_FALSE(live_signal({.signal = LiveSignal::kTone, .frequency_hz = 30000.0}, rig(), kRate)
                   .has_value());
  EXPECT_EQ(peak_of(*live_signal({}, rig(), kRate)), 0.0);
}

TEST(Polarity, IsTheSignOfTheFirstHalfWave) {
  EXPECT_TRUE(*moves_outward(std::vector<double>{0, 0.01, 0.5, 1.0, 0.2, -0.9}));
  EXPECT_FALSE(*moves_outward(std::vector<double>{0, 0.1, -0.5, -0.6, 1.0, 0.4}));
  EXPECT_FALSE(moves_outward(std::vector<double>(8, 0.0)).has_value());
}

// A slow sweep passes its middle frequency half-way (exponential), at the drive that was asked for.
TEST(LiveSignal, ASlowSweepRunsEvenlyOverOctaves) {
  const auto sweep = live_signal({.signal = LiveSignal::kSlowSweep,
                                  .start_hz = 100.0,
                                  .stop_hz = 1600.0,
                                  .drive_v = 0.5,
                                  .seconds = 4.0},
                                 rig(), kRate);
  ASSERT_TRUE(sweep.has_value());
  int crossings = 0;
  for (std::size_t i = 96000; i < 96000 + 4800; ++i)
    crossings += ((*sweep)[i] < 0.0) != ((*sweep)[i + 1] < 0.0) ? 1 : 0;
  EXPECT_NEAR(crossings / 2.0 * 10.0, 414.0, 15.0) << "400 Hz at the middle, rising";
  EXPECT_NEAR(rms_of(*sweep) * rig().output_v_per_unit, 0.5, 0.02);
  EXPECT_EQ(sweep->front(), 0.0);
}

TEST(LiveMeter, ShowsNothingBeforeAnythingCame) {
  const LiveMeter meter(rig(), Hookup::kMicrophone, kRate, 500.0);
  const LiveReading r = meter.reading();
  EXPECT_TRUE(r.band_hz.empty());
  EXPECT_FALSE(r.tone.has_value());
  EXPECT_FALSE(r.clipped);
}

}  // namespace
}  // namespace lalometer
