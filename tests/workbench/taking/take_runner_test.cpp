#include "workbench/taking/take_runner.h"

#include <gmock/gmock.h>

#include "support/books.h"
#include "workbench/flatness.h"
#include "workbench/practice/demo_book.h"
#include "workbench/taking/take_checks.h"

namespace lalometer {
namespace {

TakeRequest quick(TakeKind kind = TakeKind::kResponse) {
  TakeRequest r;
  r.kind = kind;
  r.name = "quick";
  r.duration_s = 1.0;
  return r;
}

std::vector<std::string> refusals(const TakeOutcome& outcome) {
  std::vector<std::string> codes;
  for (const Remark& r : outcome.take.remarks) {
    if (r.weight == Remark::Weight::kRefusal) codes.push_back(r.code);
  }
  return codes;
}

TakeOutcome taken(const PracticeFaults& faults, TakeRequest wanted = quick()) {
  PracticeBenchSetup setup = demo_bench(false);
  setup.faults = faults;
  PracticeBench bench(setup);
  auto outcome = run_take(bench, setup.rig, wanted, {}, {});
  EXPECT_TRUE(outcome.has_value()) << outcome.error().text();
  return std::move(*outcome);
}

TEST(TakeRunner, AcceptsAGoodTakeOfBothKinds) {
  EXPECT_THAT(refusals(taken({})), ::testing::IsEmpty());
  EXPECT_THAT(refusals(taken({}, quick(TakeKind::kImpedance))), ::testing::IsEmpty());
}

TEST(TakeRunner, RefusesEachMishapByItsOwnName) {
  EXPECT_THAT(refusals(taken({.input_gain = 80.0})), ::testing::Contains("clipping"));
  EXPECT_THAT(refusals(taken({.loopback_missing = true})), ::testing::Contains("loopback-missing"));
  EXPECT_THAT(refusals(taken({.measure_missing = true})), ::testing::Contains("no-signal"));
  EXPECT_THAT(refusals(taken({.lost = PracticeFaults::Samples{0.9, 1}})),
              ::testing::Contains("lost-samples"));
  EXPECT_THAT(refusals(taken({.doubled = PracticeFaults::Samples{0.7, 64}})),
              ::testing::Contains("lost-samples"));
}

TEST(TakeRunner, EveryRefusalSaysWhatToDo) {
  for (const PracticeFaults& faults :
       {PracticeFaults{.input_gain = 80.0}, PracticeFaults{.loopback_missing = true},
        PracticeFaults{.measure_missing = true},
        PracticeFaults{.lost = PracticeFaults::Samples{0.9, 64}}}) {
    const TakeOutcome outcome = taken(faults);
    EXPECT_FALSE(outcome.accepted);
    for (const Remark& r : outcome.take.remarks) {
      if (r.weight == Remark::Weight::kRefusal) {
        EXPECT_FALSE(r.advice.empty()) << r.text;
      }
    }
  }
}

TEST(TakeRunner, ALowLevelIsADoubt) {
  bool doubted = false;
  const TakeOutcome outcome = taken({.input_gain = 0.02});
  for (const Remark& r : outcome.take.remarks)
    doubted = doubted || (r.code == "low-level" && r.weight == Remark::Weight::kDoubt);
  EXPECT_TRUE(doubted);
}

// Common practice, no source: a tweeter is not swept from the bass, nor driven at more than 2.83 V.
TEST(TakeRunner, LimitsStartAndDriveByTheDriversKindWithItsCaution) {
  TakeRequest wanted = quick();
  wanted.driver = SubjectKind::kTweeter;
  wanted.drive_v = 8.0;
  const LimitedRequest limited_request = limited(wanted);
  EXPECT_EQ(limited_request.request.start_hz, 500.0);
  EXPECT_EQ(limited_request.request.drive_v, 2.83);
  ASSERT_EQ(limited_request.remarks.size(), 2U);
  EXPECT_THAT(limited_request.remarks[0].advice, ::testing::HasSubstr("capacitor"));
  const TakeOutcome outcome = taken({}, wanted);
  EXPECT_GE(outcome.take.conditions.stimulus.start_hz, 500.0)
      << "the runner itself must hold to the limit";
}

TEST(TakeRunner, RefusesADriveTheRigCannotGive) {
  PracticeBenchSetup setup = demo_bench(false);
  setup.rig.output_v_per_unit = 1.0;
  PracticeBench bench(setup);
  const auto outcome = run_take(bench, setup.rig, quick(), {}, {});
  ASSERT_FALSE(outcome.has_value());
  EXPECT_THAT(outcome.error().message, ::testing::HasSubstr("dB more"));
}

TEST(TakeRunner, SetsAsideTheOneRepeatThatDisagrees) {
  /// A bench on which a door slams during the second of four runs.
  class SlamOnce final : public AudioDevice {
   public:
    SlamOnce() : bench_(demo_bench(false)) {}
    DeviceAbility ability() const override { return bench_.ability(); }
    Result<void> prepare(const StreamSetup& setup) override { return bench_.prepare(setup); }
    Result<Recording> do_run(const Playing& output, std::stop_token stop, const Progress& progress,
                             const Arrivals&) override {
      bench_.setup().faults.slam =
          ++run_ == 2 ? std::optional(PracticeFaults::Samples{0.8, 9000}) : std::nullopt;
      return bench_.run(output, stop, progress);
    }
    double input_rate_hz() const override { return bench_.input_rate_hz(); }
    void stop() override { bench_.stop(); }

    PracticeBench bench_;
    int run_ = 0;
  };
  SlamOnce device;
  TakeRequest wanted = quick();
  wanted.repeats = 4;
  const auto outcome = run_take(device, demo_bench(false).rig, wanted, {}, {});
  ASSERT_TRUE(outcome.has_value());
  EXPECT_TRUE(outcome->accepted);
  bool said = false;
  for (const Remark& r : outcome->take.remarks)
    said = said || (r.code == "repeat-set-aside" && r.text.starts_with("1 of 4"));
  EXPECT_TRUE(said);
}

// Sixteen samples at 80 Hz turn the phase by ten degrees only: the kink tells, not the delay.
TEST(TakeRunner, SeesAFewSamplesLostAtALowFrequency) {
  PracticeBenchSetup setup = demo_bench(false);
  for (const double at_s : {0.42, 0.5, 0.61}) {
    for (const std::size_t count : {4U, 16U, 300U}) {
      setup.faults.lost = PracticeFaults::Samples{at_s, count};
      PracticeBench bench(setup);
      const auto outcome = run_take(bench, setup.rig, quick(), {}, {});
      ASSERT_TRUE(outcome.has_value());
      EXPECT_FALSE(outcome->accepted) << count << " lost at " << at_s;
      EXPECT_EQ(outcome->tries, 3) << "it is tried twice more";
    }
  }
}

// A straight wire has no roll-off of its own: the sweep's lower end must not ring into the curve.
TEST(TakeRunner, AStraightWireReadsFlat) {
  class Wire final : public AudioDevice {
   public:
    DeviceAbility ability() const override { return {"wire", {48000.0}, 1, 2}; }
    Result<void> prepare(const StreamSetup&) override { return {}; }
    Result<Recording> do_run(const Playing& playing, std::stop_token, const Progress&,
                             const Arrivals&) override {
      Recording r{48000.0, std::vector<double>(playing.output.size()),
                  std::vector<double>(playing.output.size())};
      for (std::size_t i = 1000; i < playing.output.size(); ++i)
        r.loopback[i] = playing.output[i - 1000];
      for (std::size_t i = 1140; i < playing.output.size(); ++i)
        r.measured[i] = 0.5 * playing.output[i - 1140];
      return r;
    }
    double input_rate_hz() const override { return 48000.0; }
    void stop() override {}
  };
  Wire wire;
  const auto mistaken = run_take(wire, {}, {}, {}, {});
  ASSERT_TRUE(mistaken.has_value());
  EXPECT_TRUE(mistaken->accepted) << "3 ms late: it may be a very good loudspeaker";
  RigCalibration rig;
  rig.output_v_per_unit = 8.0;
  for (const double duration_s : {0.7, 1.4, 2.7}) {
    TakeRequest wanted;
    wanted.duration_s = duration_s;
    const auto outcome = run_take(wire, rig, wanted, {}, {});
    ASSERT_TRUE(outcome.has_value());
    ASSERT_TRUE(outcome->accepted);
    test::expect_flat(*outcome, rig, 0.5, 140.0 / 48000.0);
  }
}

TEST(TakeRunner, SeesThatTheMicrophonesInputHearsTheLoopback) {
  PracticeBenchSetup setup = demo_bench(false);
  PracticeBench bench(setup);
  const auto excitation = excitation_for(quick(), setup.rig);
  ASSERT_TRUE(excitation.has_value());
  ASSERT_TRUE(bench.prepare({48000.0, 0, 1, Hookup::kMicrophone}).has_value());
  Recording r = *bench.run(excitation->output, {}, {});
  const auto refusals = [&] {
    std::vector<std::string> codes;
    for (const Remark& remark : check_recording(r, *excitation, TakeKind::kResponse))
      if (remark.weight == Remark::Weight::kRefusal) codes.push_back(remark.code);
    return codes;
  };
  EXPECT_TRUE(refusals().empty());
  r.measured = r.loopback;
  EXPECT_THAT(refusals(), ::testing::ElementsAre("wrong-channel"));
}

TEST(TakeRunner, ReportsProgressUpToTheEnd) {
  PracticeBench bench(demo_bench(false));
  double last = -1.0;
  const auto outcome =
      run_take(bench, demo_bench(false).rig, quick(), {}, [&](const TakeProgress& p) {
        EXPECT_GE(p.done, last - 1e-9);
        last = p.done;
      });
  ASSERT_TRUE(outcome.has_value());
  EXPECT_DOUBLE_EQ(last, 1.0);
}

TEST(TakeRunner, AStopLeavesNothingBehind) {
  const test::TemporaryFolder folder;
  test::SmallBook small(folder / "a.lalo");
  PracticeBench bench(demo_bench(false));
  std::stop_source stop;
  const auto outcome =
      run_take(bench, demo_bench(false).rig, quick(), stop.get_token(), [&](const TakeProgress& p) {
        if (p.done > 0.3) stop.request_stop();
      });
  ASSERT_FALSE(outcome.has_value());
  EXPECT_EQ(outcome.error().code, ErrorCode::kCancelled);
  EXPECT_EQ(small.book.takes()->size(), 0U);
}

}  // namespace
}  // namespace lalometer
