// How loud takes are played: never more than asked, whatever happens; levels at 1 m; what a drawing
// and the takes so far forbid; tones as the program plays and keeps them.
#include "workbench/taking/level/level_setting.h"

#include <gmock/gmock.h>

#include <numeric>

#include "base/constants.h"
#include "rig/practice/practice_field.h"
#include "support/books.h"
#include "support/support.h"
#include "workbench/level/rub_study.h"
#include "workbench/level/tones_study.h"
#include "workbench/practice/demo_book.h"
#include "workbench/taking/level/drive_guard.h"
#include "workbench/taking/level/tones_runner.h"
#include "workbench/taking/plan/take_queue.h"

namespace lalometer {
namespace {

using testing::Contains;
using testing::Field;
using testing::HasSubstr;

/// The practice bench with an ear on its output, and an interface that is pulled out at will.
class Listener final : public AudioDevice {
 public:
  Listener() : bench_(demo_bench(false)) { bench_.setup().speaker = kiosk_two_way(false); }
  DeviceAbility ability() const override { return bench_.ability(); }
  Result<void> prepare(const StreamSetup& setup) override { return bench_.prepare(setup); }
  double input_rate_hz() const override { return bench_.input_rate_hz(); }
  void stop() override { bench_.stop(); }

  PracticeBenchSetup& setup() { return bench_.setup(); }
  /// Loudest that was played, V peak at the terminals; and of each run.
  double loudest_v() const {
    return runs.empty() ? 0.0 : *std::max_element(runs.begin(), runs.end());
  }
  std::vector<double> runs;
  std::vector<double> last;
  int pulled_out_at = 0;  ///< at that run, counted from 1
  std::function<void()> at_run = {};

 private:
  Result<Recording> do_run(const Playing& playing, std::stop_token stop, const Progress& progress,
                           const Arrivals& arrivals) override {
    double peak = 0.0;
    for (const double x : playing.output) peak = std::max(peak, std::abs(x));
    runs.push_back(peak * bench_.setup().rig.output_v_per_unit);
    last.assign(playing.output.begin(), playing.output.end());
    if (at_run) at_run();
    if (static_cast<int>(runs.size()) == pulled_out_at)
      return fail(ErrorCode::kDevice, "The interface does not answer any more.", "bench");
    return bench_.run(playing, stop, progress, arrivals);
  }
  PracticeBench bench_;
};

TakeRequest on_axis(double drive_v) {
  TakeRequest r;
  r.name = "On axis";
  r.drive_v = drive_v;
  r.duration_s = 0.7;
  r.start_hz = 60.0;
  r.driver = SubjectKind::kLoudspeaker;
  return r;
}

/// What the bench's own field gives at 1 m, mean of dB from 300 Hz to 3 kHz.
double true_level_db(const PracticeBenchSetup& setup, double volts) {
  PracticeRoom room = setup.room;
  room.distance_m = 1.0;
  room.floor_reflection = 0.0;
  const PracticeField field(setup.speaker, room);
  double sum = 0.0;
  int count = 0;
  for (double f = 300.0; f < 3000.0; f *= 1.02, ++count)
    sum += 20.0 * std::log10(std::abs(field.at(f).direct_pa_per_v) * volts / 20e-6);
  return sum / count;
}

TEST(LevelSettingTest, ALevelAtOneMetreIsFoundFromBelow) {
  Listener device;
  device.setup().room.distance_m = 0.8;
  const double usual = true_level_db(device.setup(), 2.83);
  for (const double up_db : {-12.0, 0.0, 5.0}) {
    device.runs.clear();
    TakeRequest wanted = on_axis(6.0);
    wanted.distance_m = 0.8;
    wanted.target_spl_db = usual + up_db;
    const auto set = set_level(device, device.setup().rig, wanted, {});
    ASSERT_TRUE(set.has_value()) << set.error().text();
    EXPECT_NEAR(20.0 * std::log10(set->drive_v / 2.83), up_db, 0.7) << "room and gate";
    EXPECT_THAT(set->remarks, Contains(Field(&Remark::code, "level-by-target")));
    EXPECT_LE(device.loudest_v(), set->drive_v * std::sqrt(2.0) * 1.001) << "nothing louder";
    EXPECT_TRUE(std::is_sorted(device.runs.begin(), device.runs.end()));
    for (std::size_t i = 1; i < device.runs.size(); ++i)
      EXPECT_LT(device.runs[i] / device.runs[i - 1], 3.3) << "in steps of 10 dB";
  }
}

TEST(LevelSettingTest, WhatIsOutOfReachIsSaidAndNotPlayed) {
  Listener device;
  TakeRequest wanted = on_axis(4.0);
  wanted.target_spl_db = 130.0;
  const auto set = set_level(device, device.setup().rig, wanted, {});
  ASSERT_TRUE(set.has_value());
  EXPECT_LE(set->drive_v, 4.0);
  EXPECT_THAT(set->remarks, Contains(Field(&Remark::code, "level-not-reached")));
  EXPECT_LE(device.loudest_v(), 4.0 * std::sqrt(2.0) * 1.001);
  RigCalibration unknown = device.setup().rig;
  unknown.level_known = false;
  EXPECT_THAT(set_level(device, unknown, wanted, {}).error().message, HasSubstr("calibrated"));
  wanted.kind = TakeKind::kNearField;
  EXPECT_FALSE(set_level(device, device.setup().rig, wanted, {}).has_value());
}

TEST(LevelSettingTest, AnInterfaceThatIsPulledOutEndsItAndNothingGetsLouder) {
  for (const int run : {1, 2, 3}) {
    Listener device;
    device.pulled_out_at = run;
    TakeRequest wanted = on_axis(2.83);
    wanted.target_spl_db = true_level_db(device.setup(), 2.0);
    const auto set = set_level(device, device.setup().rig, wanted, {});
    ASSERT_FALSE(set.has_value());
    EXPECT_EQ(set.error().code, ErrorCode::kDevice);
    EXPECT_EQ(static_cast<int>(device.runs.size()), run) << "no further try";
    // Plugged in again it begins below, as ever.
    device.runs.clear();
    device.pulled_out_at = 0;
    ASSERT_TRUE(set_level(device, device.setup().rig, wanted, {}).has_value());
    EXPECT_LT(device.runs.front(), 0.1);
    EXPECT_LE(device.loudest_v(), 2.83 * std::sqrt(2.0));
  }
}

TEST(LevelSettingTest, AStopBetweenTwoStepsEndsIt) {
  Listener device;
  std::stop_source stop;
  device.at_run = [&] {
    if (device.runs.size() == 2) stop.request_stop();
  };
  const auto set = set_level(device, device.setup().rig, on_axis(2.83), stop.get_token());
  ASSERT_FALSE(set.has_value());
  EXPECT_EQ(set.error().code, ErrorCode::kCancelled);
  EXPECT_EQ(device.runs.size(), 2U);
}

TEST(DriveGuardTest, TheConesTravelAndTheCoilsPowerLimitTheDrive) {
  const auto drawn = [](const char* more) {
    return described(fmt::format(R"({{"loading": "sealed", "box": {{"net_volume_l": 8}},
      "drivers": [{{"id": "woofer", "role": "woofer", "sd_cm2": 80, "fs_hz": 55, "qms": 4,
        "qes": 0.45, "vas_l": 8, "re_ohm": 6.2{}}}]}})",
                                 more));
  };
  TakeRequest r = on_axis(10.0);
  r.start_hz = 10.0;
  EXPECT_FALSE(drive_limit(drawn(""), r).has_value()) << "nothing is told";
  const auto travel = drive_limit(drawn(R"(, "xmax_mm": 3)"), r);
  ASSERT_TRUE(travel.has_value());
  EXPECT_THAT(travel->why, HasSubstr("4.5 mm"));
  // Far below resonance x = E Bl / (Re k), k of suspension and box: by hand from the parameters
  // (Small 1972: Cms = Vas / (rho c^2 Sd^2), Bl^2 = Re / (2 pi fs Qes Cms)).
  const double cms = 8e-3 / (1.204 * 343.2 * 343.2 * 80e-4 * 80e-4);
  const double bl = std::sqrt(6.2 / (2.0 * kPi * 55.0 * 0.45 * cms));
  const double travel_per_v = std::sqrt(2.0) * bl * cms / 2.0 / 6.2;  // Vas = Vb: half as soft
  // The box of the drawing leaks a little, and is softer at 10 Hz for that.
  EXPECT_NEAR(travel->highest_v, 4.5e-3 / travel_per_v, 0.12 * travel->highest_v);
  const auto wider = drive_limit(drawn(R"(, "xmax_mm": 6)"), r);
  EXPECT_NEAR(wider->highest_v / travel->highest_v, 2.0, 1e-6) << "linear";
  TakeRequest high = r;
  high.start_hz = 400.0;
  EXPECT_GT(drive_limit(drawn(R"(, "xmax_mm": 3)"), high)->highest_v, 5.0 * travel->highest_v);
  // 25 W into 6.2 Ohm: 12.4 V.
  const auto power = drive_limit(drawn(R"(, "power_w": 25)"), r);
  ASSERT_TRUE(power.has_value());
  EXPECT_NEAR(power->highest_v, std::sqrt(25.0 * 6.2), 0.02);
  // And the request is cut by it, with the reason.
  r.stands_v = 3.0;
  r.stands_why = travel->why;
  r.drive_v = 5.0;
  const LimitedRequest cut = limited(r);
  EXPECT_EQ(cut.request.drive_v, 3.0);
  EXPECT_THAT(cut.remarks, Contains(Field(&Remark::text, HasSubstr("4.5 mm"))));
}

struct Day {
  explicit Day(const std::filesystem::path& path) : small(path) {}
  Result<QueueSummary> run(Listener& device, const MeasuringPlan& plan) {
    QueueHooks hooks;
    hooks.keep = [&](std::size_t, const TakeOutcome& o) {
      kept.push_back(o.take);
      return keep_take(small.book, o, device.setup().rig);
    };
    hooks.left_out = [&](std::size_t index, const Remark& why) { left_out[index] = why.text; };
    hooks.aim = [&](const TakeRequest& r) { device.setup().room.distance_m = r.distance_m; };
    return run_queue(device, nullptr, device.setup().rig, plan,
                     std::vector<PlanStatus>(plan.takes.size()), "", {}, hooks, {});
  }
  MeasuringPlan plan(Purpose purpose, const PlanOptions& wishes) {
    return *plan_for(purpose, small.book.subjects()->front(), *small.book.variants(small.subject),
                     wishes);
  }
  test::SmallBook small;
  std::vector<Take> kept;
  std::map<std::size_t, std::string> left_out;
};

TEST(DriveGuardTest, ASeriesEndsWhereOneDriveIsEnough) {
  const test::TemporaryFolder scratch;
  Day day(scratch / "d.lalo");
  Listener device;
  // A motor of little travel: the louder ones distort.
  for (PracticeWay& way : device.setup().speaker.ways)
    way.motor = MotorCurves{.bl_travel_m = 0.12e-3, .kms_travel_m = 0.12e-3};
  PlanOptions wishes;
  wishes.levels_v = {0.3, 2.0, 4.0, 5.0};
  MeasuringPlan plan = day.plan(Purpose::kLevels, wishes);
  const auto done = day.run(device, plan);
  ASSERT_TRUE(done.has_value()) << done.error().text();
  EXPECT_TRUE(done->finished);
  EXPECT_GT(done->left_out, 0U);
  EXPECT_EQ(done->kept + done->left_out, plan.takes.size());
  double loudest = 0.0;
  for (const Take& t : day.kept) loudest = std::max(loudest, t.conditions.drive_v);
  EXPECT_LT(loudest, 5.0);
  EXPECT_LE(device.loudest_v(), loudest * std::sqrt(2.0) * 1.001) << "nor in setting the level";
  EXPECT_THAT(day.left_out.begin()->second, HasSubstr("was not played"));
  // The softest stands twice: warmth is told by it, whatever was left out.
  EXPECT_EQ(day.kept.back().conditions.drive_v, 0.3);
}

TEST(TonesRunnerTest, AMultitoneHasTheDriveThatWasAskedForAndItsPartsAreParts) {
  Listener device;
  TakeRequest r = on_axis(1.0);
  r.kind = TakeKind::kMultitone;
  r.start_hz = 20.0;
  r.stop_hz = 20000.0;
  r.duration_s = 8.0;
  const auto all = run_take(device, device.setup().rig, r, {}, {});
  ASSERT_TRUE(all.has_value()) << all.error().text();
  EXPECT_TRUE(all->accepted);
  // Rms of the whole periods that sound.
  const auto from = device.last.begin() + 48000;
  const double rms =
      std::sqrt(std::inner_product(from, from + 4 * 48000, from, 0.0) / (4.0 * 48000.0)) *
      device.setup().rig.output_v_per_unit;
  EXPECT_NEAR(rms, 1.0, 0.01);
  EXPECT_LT(device.loudest_v(), 4.5);
  r.start_hz = 80.0;
  const auto part = run_take(device, device.setup().rig, r, {}, {});
  ASSERT_TRUE(part.has_value());
  Take a = all->take;
  Take b = part->take;
  a.rig_id = b.rig_id = 1;
  const auto whole_study = multitone_study(a, raw_of(*all).bytes, {}, &device.setup().rig);
  const auto part_study = multitone_study(b, raw_of(*part).bytes, {}, &device.setup().rig);
  ASSERT_TRUE(whole_study && part_study);
  EXPECT_GT(part_study->reading.tones_hz.size(), 20U);
  EXPECT_TRUE(multitone_change(*whole_study, *part_study).has_value());
  EXPECT_NEAR(whole_study->unit_pa, device.setup().rig.input_pa_per_unit, 1e-9);
}

TEST(TonesRunnerTest, SingleTonesOfABentMotorAgreeWithItsSweep) {
  Listener device;
  for (PracticeWay& way : device.setup().speaker.ways)
    way.motor = MotorCurves{.bl_travel_m = 2e-3, .kms_travel_m = 2e-3, .bl_centre_m = 0.3e-3};
  device.setup().room.floor_reflection = 0.0;
  device.setup().microphone_noise_pa = 1e-4;
  TakeRequest r = on_axis(2.83);
  r.duration_s = 5.0;
  r.start_hz = 10.0;
  const auto sweep = run_take(device, device.setup().rig, r, {}, {});
  r.kind = TakeKind::kSteadyTones;
  r.start_hz = 50.0;
  r.stop_hz = 800.0;
  r.tones_per_octave = 3.0;
  const auto tones = run_take(device, device.setup().rig, r, {}, {});
  ASSERT_TRUE(sweep && tones);
  for (const Remark& remark : tones->take.remarks)
    EXPECT_NE(remark.weight, Remark::Weight::kRefusal) << remark.text;
  EXPECT_LE(device.loudest_v(), 2.83 * std::sqrt(2.0) * 1.001);
  Take kept = tones->take;
  kept.rig_id = 1;
  const auto steady = steady_study(kept, raw_of(*tones).bytes, {}, &device.setup().rig);
  ASSERT_TRUE(steady.has_value()) << steady.error().text();
  AnalysisInput input{sweep->take, raw_of(*sweep).bytes, device.setup().rig, {}};
  const auto stage = impulse_stage(input, {});
  const auto swept = distortion_reading(sweep->take, *stage);
  const auto check = steady_check(*swept, *steady);
  ASSERT_TRUE(check.has_value());
  EXPECT_LT(check->fundamental_db, 0.15);
  EXPECT_LT(check->harmonics_db, 0.5);
}

TEST(TonesRunnerTest, LostSamplesClippingAndASilentInputAreSeen) {
  TakeRequest r = on_axis(1.0);
  r.kind = TakeKind::kMultitone;
  r.start_hz = 20.0;
  r.stop_hz = 20000.0;
  r.duration_s = 8.0;
  const auto first_code = [&](const std::function<void(PracticeBenchSetup&)>& spoil) {
    Listener device;
    spoil(device.setup());
    const auto outcome = run_take(device, device.setup().rig, r, {}, {});
    if (!outcome || outcome->accepted) return std::string();
    for (const Remark& remark : outcome->take.remarks)
      if (remark.weight == Remark::Weight::kRefusal) return remark.code;
    return std::string("?");
  };
  EXPECT_EQ(first_code([](PracticeBenchSetup& s) {
              s.faults.lost = PracticeFaults::Samples{4.0, 40};
            }),
            "lost-samples");
  EXPECT_EQ(first_code([](PracticeBenchSetup& s) { s.faults.input_gain = 200.0; }), "clipping");
  EXPECT_EQ(first_code([](PracticeBenchSetup& s) { s.faults.loopback_missing = true; }),
            "loopback-missing");
  EXPECT_EQ(first_code([](PracticeBenchSetup&) {}), "") << "and a sound one is kept";
}

TEST(PortNoiseTest, SpeedAndGrowthOfTheAirAreThoseOfTheBench) {
  // The practice bench's port: its air's speed is what its motor model says, its noise rises with
  // the third power of that.
  PracticeBenchSetup setup = demo_bench(false);
  setup.room.near_source = "port";
  setup.port_noise_pa = 0.05;
  // An interface that stands the near field.
  setup.rig.input_pa_per_unit = 400.0;
  PracticeBench bench(setup);
  std::vector<RubReading> rubs;
  std::vector<DistortionReading> distortions;
  std::vector<double> fastest;
  for (const double volts : {1.5, 3.0, 6.0}) {
    TakeRequest r = on_axis(volts);
    r.kind = TakeKind::kNearField;
    r.source = "port";
    r.distance_m = setup.room.near_m;
    r.start_hz = 10.0;
    r.duration_s = 6.0;
    const auto take = run_take(bench, setup.rig, r, {}, {});
    ASSERT_TRUE(take.has_value()) << take.error().text();
    fastest.push_back(bench.last_run().fastest_air_m_s);
    AnalysisInput input{take->take, raw_of(*take).bytes, setup.rig, {}};
    const auto stage = impulse_stage(input, {});
    rubs.push_back(*rub_reading(input, *stage, {}));
    distortions.push_back(*distortion_reading(take->take, *stage));
  }
  std::vector<PortStep> steps;
  for (std::size_t i = 0; i < rubs.size(); ++i)
    steps.push_back({&rubs[i], &distortions[i], setup.room.near_m});
  const double radius = std::sqrt(setup.speaker.port_area_m2 / kPi);
  const auto noise = port_noise(steps, radius);
  ASSERT_TRUE(noise.has_value());
  ASSERT_EQ(noise->points.size(), 3U);
  for (std::size_t i = 0; i < 3; ++i)
    EXPECT_NEAR(noise->points[i].speed_m_s / fastest[i], 1.0, 0.06) << fastest[i] << " m/s";
  ASSERT_TRUE(noise->power.has_value());
  EXPECT_NEAR(*noise->power, 3.0, 0.5);
}

TEST(LevelPlansTest, EachPurposeTakesWhatItsQuestionNeeds) {
  const test::TemporaryFolder scratch;
  Day day(scratch / "d.lalo");
  PlanOptions wishes;
  wishes.levels_db = {75.0, 85.0};
  wishes.highest_v = 5.0;
  const auto levels = day.plan(Purpose::kLevels, wishes).takes;
  ASSERT_EQ(levels.size(), 3U);
  EXPECT_EQ(levels[1].request.target_spl_db, 85.0);
  EXPECT_EQ(levels[1].request.drive_v, 5.0) << "the most";
  EXPECT_THAT(levels[2].request.name, HasSubstr("again"));
  wishes.levels_db.clear();
  wishes.levels_v = {2.0};
  wishes.upper_from_hz = 2000.0;
  const auto tones = day.plan(Purpose::kMultitone, wishes).takes;
  ASSERT_EQ(tones.size(), 3U);
  EXPECT_EQ(tones[2].request.start_hz, 2000.0);
  // A third of the octaves, so a root of that of the volts: each tone is as loud as in the whole.
  EXPECT_NEAR(tones[2].request.drive_v, 2.0 * std::sqrt(std::log2(10.0) / std::log2(1000.0)), 1e-9);
  EXPECT_EQ(day.plan(Purpose::kSteadyTones, wishes).takes.back().request.kind,
            TakeKind::kSteadyTones);
  wishes.samples = {"A", "B"};
  const auto rub = day.plan(Purpose::kRub, wishes).takes;
  ASSERT_EQ(rub.size(), 2U);
  EXPECT_GE(rub[0].request.duration_s, 6.0);
  EXPECT_EQ(rub[1].request.sample, "B");
}

}  // namespace
}  // namespace lalometer
