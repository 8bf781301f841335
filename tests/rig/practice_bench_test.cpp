#include "rig/practice/practice_bench.h"

#include <thread>

#include "support/support.h"

namespace lalometer {
namespace {

PracticeBenchSetup setup() {
  PracticeBenchSetup s;
  s.speaker = kiosk_two_way(false);
  s.seed = 3;
  return s;
}

constexpr StreamSetup kMicrophone{48000.0, 0, 1, Hookup::kMicrophone};

std::vector<double> click(std::size_t length, double height) {
  std::vector<double> x(length, 0.0);
  x[100] = height;
  return x;
}

TEST(PracticeBench, IsDeterministicBySeed) {
  const auto recorded = [](std::uint64_t seed) {
    PracticeBenchSetup s = setup();
    s.seed = seed;
    PracticeBench bench(s);
    EXPECT_TRUE(bench.prepare(kMicrophone).has_value());
    return bench.run(click(9600, 0.3), {}, {})->measured;
  };
  EXPECT_EQ(recorded(3), recorded(3));
  EXPECT_NE(recorded(3), recorded(4));
}

TEST(PracticeBench, RefusesWhatItCannotDoByName) {
  PracticeBench bench(setup());
  EXPECT_NE(bench.prepare({12345.0, 0, 1, Hookup::kMicrophone}).error().message.find("12345"),
            std::string::npos);
  EXPECT_NE(bench.prepare({48000.0, 0, 7, Hookup::kMicrophone}).error().message.find("8"),
            std::string::npos);
  EXPECT_FALSE(bench.run(click(200, 0.1), {}, {}).has_value()) << "a stream that was not opened";
}

TEST(PracticeBench, StopsWhenAskedAndGivesNothing) {
  PracticeBenchSetup s = setup();
  s.pace = 1.0;
  PracticeBench bench(s);
  ASSERT_TRUE(bench.prepare(kMicrophone).has_value());
  std::stop_source stop;
  const std::jthread stopper([&] {
    std::this_thread::sleep_for(std::chrono::milliseconds(50));
    stop.request_stop();
  });
  const auto recording = bench.run(click(48000 * 60, 0.3), stop.get_token(), {});
  ASSERT_FALSE(recording.has_value());
  EXPECT_EQ(recording.error().code, ErrorCode::kCancelled);
}

// Two samples the other way round add to nothing with the two as they are.
TEST(PracticeBench, ADriverWhoseWiresAreSwappedPlaysTheOtherWayRound) {
  const auto recorded = [](const char* only, const char* flipped) {
    PracticeBenchSetup s = setup();
    s.microphone_noise_pa = 0.0;
    s.converter_noise = 0.0;
    s.room.only = only;
    s.flipped = flipped;
    PracticeBench bench(s);
    EXPECT_TRUE(bench.prepare(kMicrophone).has_value());
    return bench.run(click(9600, 0.05), {}, {})->measured;
  };
  const auto all = recorded("", "");
  const auto swapped = recorded("", "tweeter");
  const auto woofer = recorded("woofer", "");
  double most = 0.0;
  double off = 0.0;
  for (std::size_t i = 0; i < all.size(); ++i) {
    most = std::max(most, std::abs(all[i] - woofer[i]));
    off = std::max(off, std::abs(all[i] + swapped[i] - 2.0 * woofer[i]));
  }
  EXPECT_GT(most, 1e-3) << "the tweeter is heard";
  EXPECT_LT(off, 0.02 * most);
}

TEST(PracticeBench, ClipsItsInputAtFullScale) {
  PracticeBenchSetup s = setup();
  s.faults.input_gain = 1e4;
  PracticeBench bench(s);
  ASSERT_TRUE(bench.prepare(kMicrophone).has_value());
  const auto recording = bench.run(click(9600, 0.5), {}, {});
  for (const double v : recording->measured) {
    ASSERT_LE(v, 1.0);
    ASSERT_GE(v, -1.0);
  }
}

// Energy does not appear from nowhere: impedance real part is above 0 at all frequencies, for both
// variants.
TEST(PracticeSpeaker, IsPassive) {
  for (const bool lined : {false, true}) {
    for (double f = 2.0; f < 40000.0; f *= 1.02) {
      ASSERT_GT(practice_impedance_ohm(kiosk_two_way(lined), f).real(), 0.0) << f;
    }
  }
}

// Image source: microphone and driver 1.2 m up and 1 m apart, floor path sqrt(1 + 2.4^2) = 2.6 m
// (hand calculation).
TEST(PracticeSpeaker, FloorReflectionTravelsTheImagePath) {
  PracticeSpeaker s = kiosk_two_way(false);
  s.ways[0].y_m = s.ways[1].y_m = s.port.y_m = 0.0;
  s.baffle.reset();  // in a large wall, so that the angle to the floor changes nothing
  const PracticeOutput out =
      PracticeField(s, {.distance_m = 1.0, .origin_height_m = 1.2, .floor_reflection = 0.8})
          .at(1000.0);
  const std::complex<double> ratio = out.reflected_pa_per_v / out.direct_pa_per_v;
  EXPECT_NEAR(std::abs(ratio), 0.8 / 2.6, 1e-9);
  EXPECT_NEAR(test::wrapped_deg(std::arg(ratio) * 180.0 / kPi + 360.0 * 1000.0 * 1.6 / 343.0), 0.0,
              1e-6);
}

// Independent way to the same figure: the edge model on the axis (tests/acoustics/baffle), 6 dB in
// all.
TEST(PracticeSpeaker, ItsBoxLosesSixDecibelsInTheBassAndRipplesAbove) {
  PracticeSpeaker boxed = kiosk_two_way(false);
  // Without a port: below its tuning it nearly cancels the cone, and what is left depends on where
  // it is.
  boxed.ways[0].box.kind = BoxLoad::Kind::kSealed;
  PracticeSpeaker walled = boxed;
  walled.baffle.reset();
  const PracticeRoom far{.distance_m = 8.0};
  const PracticeField box(boxed, far);
  const PracticeField wall(walled, far);
  const auto difference_db = [&](double f) {
    return 20.0 * std::log10(std::abs(box.at(f).direct_pa_per_v / wall.at(f).direct_pa_per_v));
  };
  EXPECT_NEAR(difference_db(20.0), -6.0, 0.4);
  EXPECT_GT(difference_db(1600.0), 1.0);
  EXPECT_LT(difference_db(3100.0), -1.0) << "edges of the tweeter, 90 to 105 mm away";
}

TEST(PracticeSpeaker, LevelFallsAsOneOverDistance) {
  PracticeSpeaker s = kiosk_two_way(false);
  s.ways[0].y_m = s.ways[1].y_m = s.port.y_m = 0.0;
  s.baffle.reset();
  const double near = std::abs(PracticeField(s, {.distance_m = 1.0}).at(500.0).direct_pa_per_v);
  const double far = std::abs(PracticeField(s, {.distance_m = 4.0}).at(500.0).direct_pa_per_v);
  EXPECT_NEAR(near / far, 4.0, 1e-9);
}

}  // namespace
}  // namespace lalometer
