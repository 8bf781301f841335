#include "acoustics/signal/fft.h"
#include "rig/practice/practice_bench.h"
#include "support/support.h"
#include "workbench/practice/demo_book.h"

namespace lalometer {
namespace {

constexpr double kRate = 48000.0;
constexpr StreamSetup kMicrophone{kRate, 0, 1, Hookup::kMicrophone};
constexpr StreamSetup kJig{kRate, 0, 1, Hookup::kImpedanceJig};

std::vector<double> tone(double hz, double amplitude, double seconds = 1.0) {
  std::vector<double> x(static_cast<std::size_t>(seconds * kRate));
  for (std::size_t i = 0; i < x.size(); ++i)
    x[i] = amplitude * std::sin(2.0 * kPi * hz * static_cast<double>(i) / kRate);
  return x;
}

Recording recorded(const PracticeBenchSetup& setup, const std::vector<double>& played,
                   const StreamSetup& stream = kMicrophone) {
  PracticeBench bench(setup);
  EXPECT_TRUE(bench.prepare(stream).has_value());
  auto recording = bench.run(played, {}, {});
  EXPECT_TRUE(recording.has_value());
  return std::move(*recording);
}

/// Amplitude at a frequency over the last half of a signal, whole periods of a hertz.
double amplitude_at(const std::vector<double>& x, double hz) {
  const std::size_t from = x.size() / 2;
  std::complex<double> sum = 0.0;
  for (std::size_t i = from; i < x.size(); ++i)
    sum += x[i] * std::polar(1.0, -2.0 * kPi * hz * static_cast<double>(i) / kRate);
  return 2.0 * std::abs(sum) / static_cast<double>(x.size() - from);
}

PracticeBenchSetup quiet() {
  PracticeBenchSetup s = demo_bench(false);
  s.microphone_noise_pa = 0.0;
  s.room.floor_reflection = 0.0;
  return s;
}

TEST(PracticeFaults, HumStandsAtTheMainsAndItsMultiples) {
  PracticeBenchSetup s = quiet();
  s.mains_hum_pa = 0.1;
  const std::vector<double> silence(96000, 0.0);
  const Recording hum = recorded(s, silence);
  const double unit = 0.1 / s.rig.input_pa_per_unit;
  EXPECT_NEAR(amplitude_at(hum.measured, 50.0) / unit, 1.2, 0.01);
  EXPECT_NEAR(amplitude_at(hum.measured, 100.0) / unit, 0.6, 0.01);
  EXPECT_LT(amplitude_at(hum.measured, 75.0) / unit, 0.01);
  // All harmonics together are what was asked for: 0.1 Pa rms.
  double power = 0.0;
  for (const double x : hum.measured) power += x * x;
  EXPECT_NEAR(std::sqrt(power / static_cast<double>(hum.measured.size())) / unit, 1.0, 0.02);
  s.mains_hz = 60.0;
  EXPECT_GT(amplitude_at(recorded(s, silence).measured, 60.0), unit);
}

// The motor's curves make harmonics of themselves: with a bent motor at some volts, with a straight
// one at none.
TEST(PracticeFaults, DistortionComesFromTheMotorAndItsLevel) {
  const auto third = [](const PracticeBenchSetup& s, double volts) {
    const double unit = volts / s.rig.output_v_per_unit;
    const Recording r = recorded(s, tone(80.0, unit, 2.0));
    return amplitude_at(r.measured, 240.0) / amplitude_at(r.measured, 80.0);
  };
  PracticeBenchSetup straight = quiet();
  for (PracticeWay& way : straight.speaker.ways) way.motor.reset();
  straight.port_noise_pa = 0.0;
  PracticeBenchSetup bent = quiet();
  bent.port_noise_pa = 0.0;
  EXPECT_LT(third(straight, 12.0), 1e-4);
  const double low = third(bent, 3.0);
  const double high = third(bent, 12.0);
  EXPECT_GT(high, 0.01);
  EXPECT_GT(high, 4.0 * low) << "the third grows with the square of the level, then faster";
}

TEST(PracticeFaults, LoudBassIsCompressed) {
  PracticeBenchSetup s = quiet();
  s.port_noise_pa = 0.0;
  const auto gain = [&](double volts) {
    const double unit = volts / s.rig.output_v_per_unit;
    return amplitude_at(recorded(s, tone(50.0, unit, 2.0)).measured, 50.0) / volts;
  };
  EXPECT_LT(20.0 * std::log10(gain(18.0) / gain(0.5)), -0.5);
}

TEST(PracticeFaults, ThePortHissesWhenItsAirIsFast) {
  PracticeBenchSetup s = quiet();
  const auto hiss = [&](double volts) {
    const Recording r = recorded(s, tone(48.0, volts / s.rig.output_v_per_unit, 1.0));
    double power = 0.0;
    // Between the harmonics of 48 Hz, whole periods, in the band of the eddies.
    for (const double hz : {504.0, 600.0, 696.0, 792.0})
      power += std::pow(amplitude_at(r.measured, hz), 2);
    return std::sqrt(power);
  };
  EXPECT_GT(hiss(16.0), 20.0 * hiss(2.0));
}

TEST(PracticeFaults, ADriftingClockMovesTheTone) {
  PracticeBenchSetup s = quiet();
  s.faults.clock_ppm = 1000.0;
  const Recording r = recorded(s, tone(1000.0, 0.05, 2.0));
  // Inputs that run a thousandth too fast see the tone a thousandth too low.
  EXPECT_GT(amplitude_at(r.loopback, 999.0), 3.0 * amplitude_at(r.loopback, 1000.0));
  s.faults = {};
  s.faults.true_rate_hz = 44100.0;
  const Recording wrong = recorded(s, tone(1000.0, 0.05, 2.0));
  EXPECT_GT(amplitude_at(wrong.loopback, 1000.0 * 48000.0 / 44100.0),
            10.0 * amplitude_at(wrong.loopback, 1000.0));
}

TEST(PracticeFaults, AWrongMicrophoneTiltsTheResponseOnly) {
  PracticeBenchSetup s = quiet();
  const std::vector<double> played = tone(4000.0, 0.05);
  const double right = amplitude_at(recorded(s, played).measured, 4000.0);
  s.microphone_error = test::curve_from([](double f) { return std::complex<double>(f / 1000.0); },
                                        Quantity::kRatio, 5.0, 24000.0, 12.0);
  EXPECT_NEAR(amplitude_at(recorded(s, played).measured, 4000.0) / right, 4.0, 0.05);
  EXPECT_NEAR(amplitude_at(recorded(s, played, kJig).measured, 4000.0) /
                  amplitude_at(recorded(quiet(), played, kJig).measured, 4000.0),
              1.0, 1e-6);
}

// By hand: f = fs sqrt(M / (M + m)); a closed box of Vas raises fs by sqrt 2.
TEST(PracticeFaults, ABareDriverTakesMassAndBox) {
  PracticeBenchSetup s = quiet();
  const DriverParameters& d = s.speaker.ways[0].driver;
  const auto resonance = [&](const PracticeBareDriver& bare) {
    s.bare_driver = bare;
    double best = 0.0;
    double at = 0.0;
    for (double f = 15.0; f < 120.0; f *= 1.0005) {
      if (const double z = std::abs(bare_driver_ohm(s, f)); z > best) {
        best = z;
        at = f;
      }
    }
    return at;
  };
  EXPECT_NEAR(resonance({"woofer"}), d.fs_hz(), 0.1);
  EXPECT_NEAR(resonance({"woofer", d.mms_kg}), d.fs_hz() / std::sqrt(2.0), 0.1);
  EXPECT_NEAR(resonance({"woofer", 0.0, d.vas_m3()}), d.fs_hz() * std::sqrt(2.0), 0.1);
  s.bare_driver = PracticeBareDriver{"gone"};
  EXPECT_GT(std::abs(bare_driver_ohm(s, 100.0)), 1e4) << "open terminals";
}

TEST(PracticeFaults, TellsWhatTheLastRunDid) {
  PracticeBenchSetup s = quiet();
  PracticeBench bench(s);
  ASSERT_TRUE(bench.prepare(kMicrophone).has_value());
  ASSERT_TRUE(bench.run(tone(40.0, 10.0 / s.rig.output_v_per_unit, 0.5), {}, {}).has_value());
  EXPECT_GT(bench.last_run().farthest_m, 0.001);
  EXPECT_GT(bench.last_run().fastest_air_m_s, 3.0);
  EXPECT_GT(bench.last_run().warmest_k, 0.01);
}

}  // namespace
}  // namespace lalometer
