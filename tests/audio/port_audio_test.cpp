#include <algorithm>
#include <cmath>

#include "acoustics/signal/deconvolve.h"
#include "audio/test_server.h"
#include "rig/audio/port_audio_device.h"
#include "support/support.h"
#include "workbench/flatness.h"
#include "workbench/results/analysis.h"
#include "workbench/taking/take_checks.h"
#include "workbench/taking/take_runner.h"

namespace lalometer {
namespace {

/// Real audio, out through PortAudio into a sound server, through a device under test and back;
/// only the sound card is missing.
class RealAudio : public ::testing::Test {
 protected:
  static void SetUpTestSuite() { server_ = new test::TestServer; }
  static void TearDownTestSuite() { delete server_; }
  void SetUp() override {
    if (!server_->trouble().empty()) GTEST_SKIP() << server_->trouble();
    device_under_test_ = std::make_unique<test::DeviceUnderTest>("speaker");
  }

  static TakeRequest request() {
    TakeRequest r;
    r.duration_s = 0.7;
    r.drive_v = 2.83;
    return r;
  }
  static RigCalibration rig() {
    RigCalibration r;
    r.output_v_per_unit = 8.0;
    return r;
  }

  inline static test::TestServer* server_ = nullptr;
  inline static const std::string kKey = "JACK Audio Connection Kit: speaker";
  std::unique_ptr<test::DeviceUnderTest> device_under_test_;
};

TEST_F(RealAudio, FindsTheInterfaceAndRefusesWhatItLacks) {
  const auto found = audio_interfaces();
  ASSERT_TRUE(found.has_value());
  EXPECT_TRUE(std::any_of(found->begin(), found->end(), [](const AudioInterface& i) {
    return i.key() == kKey && i.input_count == 2 && i.output_count == 1;
  }));
  PortAudioDevice device(kKey);
  EXPECT_FALSE(device.prepare({48000.0, 2, 1, Hookup::kMicrophone}).has_value()) << "third input";
  EXPECT_FALSE(device.prepare({44100.0, 0, 1, Hookup::kMicrophone}).has_value()) << "server's rate";
  EXPECT_FALSE(PortAudioDevice("JACK Audio Connection Kit: nobody")
                   .prepare({48000.0, 0, 1, Hookup::kMicrophone})
                   .has_value());
}

TEST_F(RealAudio, IsFlatWithinAHundredthOfADecibelAndFindsTheLatencyToTheSample) {
  PortAudioDevice device(kKey);
  for (int run = 0; run < 50; ++run) {
    const std::size_t delay = 100 + 37 * static_cast<std::size_t>(run);
    device_under_test_->behave({.delay = delay});
    TakeRequest wanted = request();
    wanted.duration_s = run == 0 ? 1.4 : 0.25;
    const auto excitation = excitation_for(wanted, rig());
    const auto outcome = run_take(device, rig(), wanted, {}, {});
    ASSERT_TRUE(outcome.has_value()) << outcome.error().text();
    ASSERT_TRUE(outcome->accepted) << outcome->take.remarks.front().text;
    const Recording& r = outcome->recording;
    if (run == 0) test::expect_flat(*outcome, rig(), 0.5, static_cast<double>(delay) / 48000.0);
    const auto impulse = deconvolve(r.measured, r.loopback, r.sample_rate_hz,
                                    {excitation->spec.start_hz(), excitation->spec.stop_hz()});
    const auto peak =
        std::max_element(impulse.samples.begin(), impulse.samples.end(),
                         [](double a, double b) { return std::abs(a) < std::abs(b); });
    const double at = impulse.time_s(static_cast<std::size_t>(peak - impulse.samples.begin()));
    EXPECT_NEAR(at * 48000.0, static_cast<double>(delay), 0.01) << "run " << run;
  }
}

TEST_F(RealAudio, NeverTakesLostDoubledOrClippedSamplesForGood) {
  PortAudioDevice device(kKey);
  using Behaviour = test::DeviceUnderTest::Behaviour;
  const Behaviour faults[] = {
      {.fault_at = 9000, .lost = 16},       {.fault_at = 12000, .lost = 1024},
      {.fault_at = 20000, .lost = 1},       {.fault_at = 12000, .doubled = 64},
      {.fault_at = 26000, .doubled = 1024}, {.gain = 1.5F, .rail = 0.5F},
  };
  for (const Behaviour& fault : faults) {
    device_under_test_->behave(fault);
    const auto recording = [&] {
      const auto excitation = excitation_for(request(), rig());
      EXPECT_TRUE(device.prepare({48000.0, 0, 1, Hookup::kMicrophone}).has_value());
      const auto r = device.run(excitation->output, {}, {});
      EXPECT_TRUE(r.has_value());
      return check_recording(*r, *excitation, TakeKind::kResponse);
    }();
    EXPECT_TRUE(std::any_of(recording.begin(), recording.end(),
                            [](const Remark& r) { return r.weight == Remark::Weight::kRefusal; }))
        << fault.lost << " lost, " << fault.doubled << " doubled at " << fault.fault_at;
  }
  // A stumble of the driver costs one more try, not the take.
  device_under_test_->behave(faults[0]);
  const auto outcome = run_take(device, rig(), request(), {}, {});
  ASSERT_TRUE(outcome.has_value());
  EXPECT_TRUE(outcome->accepted);
  EXPECT_EQ(outcome->tries, 2);
}

TEST_F(RealAudio, StopsWithinATenthOfASecond) {
  PortAudioDevice device(kKey);
  ASSERT_TRUE(device.prepare({48000.0, 0, 1, Hookup::kMicrophone}).has_value());
  std::stop_source stop;
  const auto stopped =
      device.run(std::vector<double>(480000, 0.0), stop.get_token(), [&](double d) {
        if (d > 0.02) stop.request_stop();
      });
  ASSERT_FALSE(stopped.has_value());
  EXPECT_EQ(stopped.error().code, ErrorCode::kCancelled);
}

// Two clients with clocks of their own: one is played to, the other one listens.
TEST_F(RealAudio, TwoInterfacesWithClocksOfTheirOwnGiveAFlatWireAndTheirDrift) {
  for (const double ppm : {250.0, -300.0}) {
    const std::string name = ppm > 0.0 ? "fast" : "slow";
    const test::OwnClockMicrophone microphone(name, *device_under_test_, ppm);
    PortAudioDevice device("JACK Audio Connection Kit: " + name, kKey);
    EXPECT_FALSE(device.one_clock());
    RigCalibration own = rig();
    own.time = TimeBase::kChirps;
    TakeRequest wanted = request();
    wanted.stop_hz = 20000.0;
    const auto outcome = run_take(device, own, wanted, {}, {});
    ASSERT_TRUE(outcome.has_value()) << outcome.error().text();
    ASSERT_TRUE(outcome->accepted) << outcome->take.remarks.front().text;
    EXPECT_FALSE(outcome->recording.one_clock);
    const auto stage = impulse_stage({outcome->take, raw_of(*outcome).bytes, own, {}}, {});
    ASSERT_TRUE(stage) << stage.error().text();
    ASSERT_TRUE(stage->drift);
    EXPECT_NEAR(stage->drift->ppm, ppm, 1.0);
    EXPECT_FALSE(stage->drift->slip_after);
    const Analysis told = curve_stage(*stage, {.gate_s = 0.01, .smoothing = 0});
    const double level = std::abs(value_at(told.curve, 1000.0));
    // Lower, the gate cuts into the ringing of the sweep's own start at 10 Hz: no loudspeaker
    // passes it.
    for (double f = 400.0; f < 10000.0; f *= 1.1) {
      const std::complex<double> z = value_at(told.curve, f) / level;
      EXPECT_NEAR(20.0 * std::log10(std::abs(z)), 0.0, 0.05) << f;
      EXPECT_NEAR(std::arg(z) * 180.0 / kPi, 0.0, 2.0) << f;
    }
  }
}

TEST_F(RealAudio, AServerThatDiesIsAnErrorNotAHang) {
  PortAudioDevice device(kKey);
  ASSERT_TRUE(device.prepare({48000.0, 0, 1, Hookup::kMicrophone}).has_value());
  bool killed = false;
  const auto cut = device.run(std::vector<double>(960000, 0.0), {}, [&](double d) {
    if (d > 0.02 && !killed) {
      server_->kill();
      killed = true;
    }
  });
  ASSERT_FALSE(cut.has_value());
  EXPECT_EQ(cut.error().code, ErrorCode::kDevice);
  // The client of a dead server cannot be closed cleanly: it goes with the program.
  (void)device_under_test_.release();
}

}  // namespace
}  // namespace lalometer
