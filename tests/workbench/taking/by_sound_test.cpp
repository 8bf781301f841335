// Rigs without a loopback on the practice bench: a microphone that is a device of its own.
#include "workbench/taking/by_sound.h"

#include <gmock/gmock.h>

#include "exchange/set/measurement_set.h"
#include "rig/practice/practice_bench.h"
#include "support/support.h"
#include "workbench/practice/demo_book.h"
#include "workbench/results/analysis.h"
#include "workbench/results/corrections.h"
#include "workbench/sharing/exporting.h"
#include "workbench/taking/calibrating.h"
#include "workbench/taking/rig_trial.h"

namespace lalometer {
namespace {

using testing::HasSubstr;

PracticeBenchSetup bench(double clock_ppm, double rate_hz) {
  PracticeBenchSetup setup = demo_bench(false);
  setup.own_input = PracticeOwnInput{.clock_ppm = clock_ppm, .rate_hz = rate_hz};
  return setup;
}

RigCalibration rig(TimeBase time) {
  RigCalibration out = demo_bench(false).rig;
  out.time = time;
  return out;
}

TakeRequest on_axis(int repeats = 1) {
  TakeRequest r;
  r.name = "0°";
  r.start_hz = 20.0;
  r.duration_s = 0.9;
  r.repeats = repeats;
  r.gate_s = 0.004;
  return r;
}

Analysis analysed_take(const TakeOutcome& outcome, const RigCalibration& of_rig) {
  const auto result = analysed(
      {outcome.take, raw_of(outcome).bytes, of_rig, {.gate_s = 0.004, .smoothing = 0}}, {});
  EXPECT_TRUE(result) << result.error().text();
  return *result;
}

Analysis with_loopback() {
  PracticeBench device(demo_bench(false));
  const RigCalibration known = rig(TimeBase::kLoopback);
  return analysed_take(*run_take(device, known, on_axis(), {}, {}), known);
}

/// Level and, after a delay of up to half a sample that onsets leave open, phase.
void expect_alike(const Response& got, const Response& want, double level_db, double phase_deg) {
  double turns = 0.0;
  double square = 0.0;
  for (double f = 300.0; f < 10000.0; f *= 1.02) {
    turns += f * std::arg(value_at(got, f) / value_at(want, f));
    square += f * f;
  }
  const double delay_s = phase_deg > 0.0 ? -turns / square / (2.0 * kPi) : 0.0;
  EXPECT_LT(std::abs(delay_s), 0.5 / 48000.0);
  // From a third above the gate's limit: nearer to it the tail that is continued decides.
  for (double f = 330.0; f < 10000.0; f *= 1.02) {
    const std::complex<double> ratio = value_at(got, f) / value_at(want, f);
    EXPECT_NEAR(20.0 * std::log10(std::abs(ratio)), 0.0, level_db) << f;
    if (!(phase_deg > 0.0)) continue;
    const double left = std::arg(ratio * std::polar(1.0, 2.0 * kPi * f * delay_s));
    EXPECT_NEAR(left * 180.0 / kPi, 0.0, phase_deg) << f;
  }
}

TEST(BySound, ABareSweepThroughTwoClocksKeepsLevelAndOnset) {
  const Analysis want = with_loopback();
  PracticeBench device(bench(40.0, 44100.0));
  const RigCalibration own = rig(TimeBase::kNone);
  TakeRequest wanted = on_axis();
  wanted.stop_hz = 20000.0;
  const auto outcome = run_take(device, own, wanted, {}, {});
  ASSERT_TRUE(outcome);
  EXPECT_TRUE(outcome->accepted) << outcome->take.remarks.back().text;
  EXPECT_EQ(outcome->take.form, RawForm::kSweepFile);
  EXPECT_EQ(outcome->take.sample_rate_hz, 44100.0);
  const Analysis got = analysed_take(*outcome, own);
  EXPECT_EQ(got.origin.source, TimeOrigin::Source::kOnset);
  EXPECT_TRUE(got.calibrated);
  expect_alike(got.curve, want.curve, 0.2, 0.0);
}

TEST(BySound, RepeatsTellTheDriftAndGiveWhatOneClockGives) {
  const Analysis want = with_loopback();
  const RigCalibration own = rig(TimeBase::kNone);
  for (const double ppm : {300.0, -300.0}) {
    PracticeBench device(bench(ppm, 48000.0));
    const auto outcome = run_take(device, own, on_axis(3), {}, {});
    ASSERT_TRUE(outcome);
    ASSERT_TRUE(outcome->accepted) << outcome->take.remarks.back().text;
    const auto stage = impulse_stage({outcome->take, raw_of(*outcome).bytes, own, {}}, {});
    ASSERT_TRUE(stage && stage->drift);
    EXPECT_NEAR(stage->drift->ppm, ppm, 1.0);
    const Analysis got = analysed_take(*outcome, own);
    expect_alike(got.curve, want.curve, 0.05, 2.0);
  }
}

TEST(BySound, ChirpsByASecondLoudspeakerGiveTakesOneTime) {
  RigCalibration own = rig(TimeBase::kChirps);
  own.chirps_by_second = true;
  own.chirp_distance_m = 1.2;
  const Analysis want = with_loopback();
  for (const double metres : {1.0, 1.3}) {
    PracticeBenchSetup setup = bench(-120.0, 44100.0);
    setup.room.distance_m = metres;
    PracticeBench device(setup);
    TakeRequest wanted = on_axis();
    wanted.distance_m = metres;
    wanted.stop_hz = 20000.0;
    const auto outcome = run_take(device, own, wanted, {}, {});
    ASSERT_TRUE(outcome);
    ASSERT_TRUE(outcome->accepted) << outcome->take.remarks.back().text;
    const Analysis got = analysed_take(*outcome, own);
    EXPECT_EQ(got.origin.source, TimeOrigin::Source::kReference);
    EXPECT_TRUE(is_common_time(got.origin));
    // Flight by the tape measure, without anybody's latency; the small loudspeaker of the chirps
    // is early by its own high-pass.
    EXPECT_NEAR(got.arrival_s, want.arrival_s + (metres - 1.0) / 343.2, 30e-6) << metres;
  }
}

TEST(BySound, LostSamplesAreNamedAndPlayedAgain) {
  for (const TimeBase time : {TimeBase::kChirps, TimeBase::kNone}) {
    const bool chirps = time == TimeBase::kChirps;
    for (const std::size_t count : {chirps ? 1U : 3U}) {
      PracticeBenchSetup setup = bench(90.0, 48000.0);
      setup.faults.lost = PracticeFaults::Samples{chirps ? 2.6 : 4.6, count};
      PracticeBench device(setup);
      // Four sweeps where no chirps tell.
      const auto outcome = run_take(device, rig(time), on_axis(chirps ? 1 : 4), {}, {});
      ASSERT_TRUE(outcome);
      EXPECT_FALSE(outcome->accepted) << count;
      EXPECT_EQ(outcome->tries, 3);
      const auto& remarks = outcome->take.remarks;
      const auto lost = std::find_if(remarks.begin(), remarks.end(),
                                     [](const Remark& r) { return r.code == "lost-samples"; });
      ASSERT_NE(lost, remarks.end());
      EXPECT_THAT(lost->text, HasSubstr(std::to_string(count) + " samples are missing"));
    }
  }
}

TEST(BySound, SaysWhatIsWrongWithATake) {
  const RigCalibration own = rig(TimeBase::kChirps);
  struct Case {
    void (*spoil)(PracticeBenchSetup&);
    const char* code;
  };
  const Case cases[] = {
      {[](PracticeBenchSetup& s) { s.faults.measure_missing = true; }, "no-signal"},
      {[](PracticeBenchSetup& s) { s.faults.input_gain = 60.0; }, "clipping"},
      {[](PracticeBenchSetup& s) {
         s.faults.slam = {2.2, 9000};
       },
       "disturbed"},
      {[](PracticeBenchSetup& s) { s.faults.input_gain = 0.004; }, "low-level"},
  };
  for (const Case& c : cases) {
    PracticeBenchSetup setup = bench(10.0, 48000.0);
    c.spoil(setup);
    PracticeBench device(setup);
    const auto outcome = run_take(device, own, on_axis(), {}, {});
    ASSERT_TRUE(outcome);
    const auto& remarks = outcome->take.remarks;
    EXPECT_TRUE(std::any_of(remarks.begin(), remarks.end(), [&](const Remark& r) {
      return r.code == c.code;
    })) << c.code;
  }
}

// A stereo line input tells an impedance whatever the output's clock does.
TEST(BySound, TheJigOnAnInputOfItsOwnGivesTheSameImpedance) {
  TakeRequest wanted = on_axis();
  wanted.kind = TakeKind::kImpedance;
  wanted.drive_v = 0.5;
  const auto taken = [&](PracticeBenchSetup setup, TimeBase time) {
    PracticeBench device(std::move(setup));
    const auto outcome = run_take(device, rig(time), wanted, {}, {});
    EXPECT_TRUE(outcome && outcome->accepted);
    return analysed_take(*outcome, rig(time)).curve;
  };
  const Response want = taken(demo_bench(false), TimeBase::kLoopback);
  for (const double rate : {48000.0, 44100.0}) {
    const Response got = taken(bench(-60.0, rate), TimeBase::kNone);
    for (double f = 30.0; f < 15000.0; f *= 1.05)
      EXPECT_NEAR(std::abs(value_at(got, f) / value_at(want, f)), 1.0, 0.003) << f;
  }
}

// A USB microphone has one input: nothing may ask it for a second one.
TEST(BySound, AMicrophoneWithOneInputIsCalibratedAndTaken) {
  PracticeBenchSetup setup = bench(20.0, 48000.0);
  setup.own_input->inputs = 1;
  PracticeBench device(setup);
  RigCalibration own = rig(TimeBase::kNone);
  own.level_known = false;
  own.taken_at.clear();
  const auto tone =
      read_tone(device, stream_of(own, TakeKind::kResponse, 48000.0), 100.0, 0.07, 1.0, {});
  ASSERT_TRUE(tone) << tone.error().text();
  EXPECT_GT(tone->measured.amplitude, 1e-5);
  EXPECT_EQ(tone->loopback.amplitude, 0.0);
  // 2.83 V read at the terminals; the loopback has nothing to say.
  const auto driven = with_amplifier(own, 0.2, 2.83, tone->loopback, "2026-11-28");
  ASSERT_TRUE(driven);
  EXPECT_NEAR(driven->output_v_per_unit, 2.83 * std::sqrt(2.0) / 0.2, 1e-9);
  EXPECT_FALSE(driven->level_known) << "the microphone's sensitivity is still missing";
  EXPECT_TRUE(run_take(device, own, on_axis(), {}, {}));
  const auto trial = try_rig(device, own, 48000.0, {});
  ASSERT_TRUE(trial) << trial.error().text();
  EXPECT_TRUE(trial->good) << trial->verdict;
  // The jig needs two, and says so.
  TakeRequest impedance = on_axis();
  impedance.kind = TakeKind::kImpedance;
  EXPECT_THAT(run_take(device, own, impedance, {}, {}).error().text(), HasSubstr("no input 2"));
}

// Calibrations are applied by reference: mended ones hold, and a set takes them along.
TEST(BySound, AMendedCalibrationHoldsAndGoesWithTheExportedSet) {
  RigCalibration own = rig(TimeBase::kNone);
  own.microphone_correction = *Response::make(*FrequencyAxis::make({20.0, 1000.0, 20000.0}),
                                              {1.0, 1.0, 1.4}, Quantity::kRatio, {}, true);
  PracticeBench device(bench(0.0, 48000.0));
  const auto outcome = run_take(device, own, on_axis(), {}, {});
  ASSERT_TRUE(outcome);
  RigCalibration mended = own;
  mended.input_pa_per_unit *= 2.0;
  const auto level = [](const Analysis& a, double f) { return std::abs(value_at(a.curve, f)); };
  const Analysis before = analysed_take(*outcome, own);
  EXPECT_NEAR(level(analysed_take(*outcome, mended), 1000.0) / level(before, 1000.0), 2.0, 1e-9);

  const test::TemporaryFolder folder;
  auto book = *Book::create(folder / "a.lalo");
  const Id subject = *book.add_subject({.name = "Kiosk"});
  TakeOutcome kept = *outcome;
  kept.take.subject_id = subject;
  kept.take.variant_id = *book.add_variant({0, subject, "As it is", "", ""});
  ASSERT_TRUE(keep_take(book, kept, own));
  ASSERT_TRUE(export_subject(book, subject, folder / "set"));
  const auto set = read_set(folder / "set");
  ASSERT_TRUE(set) << set.error().text();
  RigCalibration told;
  told.microphone_correction = set->takes[0].microphone_correction;
  ASSERT_TRUE(told.microphone_correction);
  const auto again = analysed(
      {set->takes[0].take, set->takes[0].raw.bytes, told, {.gate_s = 0.004, .smoothing = 0}}, {});
  ASSERT_TRUE(again);
  for (const double f : {500.0, 1000.0, 15000.0})
    EXPECT_NEAR(level(*again, f) / level(before, f), 1.0, 1e-4) << f;
  // Of a rig that nobody calibrated no level goes along.
  RigCalibration unknown = own;
  unknown.level_known = false;
  EXPECT_EQ(heard_pa_per_v(kept.take, unknown), 0.0);
}

TEST(BySound, WithoutCalibrationALevelIsRelative) {
  RigCalibration own = rig(TimeBase::kNone);
  own.level_known = false;
  PracticeBench device(bench(0.0, 48000.0));
  const auto outcome = run_take(device, own, on_axis(), {}, {});
  ASSERT_TRUE(outcome);
  const Analysis got = analysed_take(*outcome, own);
  EXPECT_FALSE(got.calibrated);
  EXPECT_EQ(got.curve.quantity(), Quantity::kRatio);
}

}  // namespace
}  // namespace lalometer
