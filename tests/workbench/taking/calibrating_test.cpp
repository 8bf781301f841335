#include "workbench/taking/calibrating.h"

#include <gmock/gmock.h>

#include "book/json.h"
#include "support/books.h"
#include "workbench/practice/demo_book.h"
#include "workbench/results/analysis.h"

namespace lalometer {
namespace {

using ::testing::HasSubstr;
constexpr const char* kNow = "2031-05-04T10:00:00Z";
constexpr StreamSetup kSetup{48000.0, 0, 1, Hookup::kMicrophone};

/// Inputs that hear what they are told, whatever is played.
class Inputs final : public AudioDevice {
 public:
  using Signal = std::function<double(double t, double played)>;
  Inputs(Signal measured, Signal loopback)
      : measured_(std::move(measured)), loopback_(std::move(loopback)) {}
  DeviceAbility ability() const override { return {"inputs", {48000.0}, 1, 2}; }
  Result<void> prepare(const StreamSetup& setup) override {
    swapped_ = setup.loopback_input == 0;
    return {};
  }
  double input_rate_hz() const override { return 48000.0; }
  void stop() override {}

 private:
  Result<Recording> do_run(const Playing& playing, std::stop_token, const Progress&,
                           const Arrivals&) override {
    Recording r{48000.0, {}, {}};
    for (std::size_t i = 0; i < playing.output.size(); ++i) {
      const double t = static_cast<double>(i) / 48000.0;
      const double played = i >= 300 ? playing.output[i - 300] : 0.0;
      r.measured.push_back((swapped_ ? loopback_ : measured_)(t, played));
      r.loopback.push_back((swapped_ ? measured_ : loopback_)(t, played));
    }
    return r;
  }
  Signal measured_;
  Signal loopback_;
  bool swapped_ = false;
};
double silence(double, double) {
  return 0.0;
}
double wire(double, double played) {
  return played;
}

// By hand: 94 dB are 1.0024 Pa rms, 1.4176 Pa peak; heard as 0.05, full scale is 28.35 Pa.
TEST(Calibrating, ACalibratorGivesTheSensitivity) {
  Inputs inputs([](double t, double) { return 0.05 * std::sin(2.0 * kPi * 1003.0 * t); }, silence);
  const auto heard = read_tone(inputs, kSetup, 1000.0, 0.0, 1.0, {});
  ASSERT_TRUE(heard.has_value());
  EXPECT_NEAR(heard->measured.frequency_hz, 1003.0, 0.01);
  const auto rig = with_sensitivity({}, heard->measured, 94.0, kNow);
  ASSERT_TRUE(rig.has_value());
  EXPECT_NEAR(rig->input_pa_per_unit, 28.352, 0.003);
  EXPECT_EQ(rig->taken_at.at(calibration::kSensitivity), kNow);
}

TEST(Calibrating, ACalibratorThatDoesNotSitIsRefused) {
  Inputs waving(
      [](double t, double) { return (0.05 + 0.01 * t) * std::sin(2.0 * kPi * 1000.0 * t); },
      silence);
  const auto heard = read_tone(waving, kSetup, 1000.0, 0.0, 1.0, {});
  EXPECT_THAT(with_sensitivity({}, heard->measured, 94.0, kNow).error().message,
              HasSubstr("wanders"));
  Inputs noisy(
      [](double t, double) {
        return 0.05 * std::sin(2.0 * kPi * 1000.0 * t) + 0.02 * std::sin(2.0 * kPi * 311.0 * t);
      },
      silence);
  const auto other = read_tone(noisy, kSetup, 1000.0, 0.0, 1.0, {});
  EXPECT_THAT(with_sensitivity({}, other->measured, 94.0, kNow).error().message,
              HasSubstr("Other sound"));
  Inputs dead(silence, silence);
  EXPECT_FALSE(
      with_sensitivity({}, read_tone(dead, kSetup, 1000.0, 0.0, 1.0, {})->measured, 94.0, kNow)
          .has_value());
}

// By hand: 0.1 of full scale came out as 2.0 V rms: 28.28 V peak for 1.0; the loopback heard 0.08.
TEST(Calibrating, AVoltmeterGivesTheAmplifiersGain) {
  Inputs inputs(silence, [](double, double played) { return 0.8 * played; });
  const auto heard = read_tone(inputs, kSetup, 100.0, 0.1, 1.0, {});
  ASSERT_TRUE(heard.has_value());
  const auto rig = with_amplifier({}, 0.1, 2.0, heard->loopback, kNow);
  ASSERT_TRUE(rig.has_value());
  EXPECT_NEAR(rig->output_v_per_unit, 28.284, 0.001);
  EXPECT_NEAR(rig->loopback_v_per_unit, 35.355, 0.002);
  EXPECT_FALSE(with_amplifier({}, 0.1, 0.0, heard->loopback, kNow).has_value());
}

TEST(Calibrating, WhatTheInputsDoDifferentlyIsTakenOut) {
  double before = 0.0;
  Inputs inputs(
      [&](double, double played) {
        // A low-pass of 20 kHz in one input only.
        before += (1.0 - std::exp(-2.0 * kPi * 20000.0 / 48000.0)) * (played - before);
        return 0.4 * before;
      },
      wire);
  const auto rig = with_inputs(inputs, {}, 48000.0, {}, kNow);
  ASSERT_TRUE(rig.has_value()) << rig.error().text();
  TakeRequest wanted;
  RigCalibration known = *rig;
  known.input_pa_per_unit = known.loopback_v_per_unit = 1.0;
  const auto outcome = run_take(inputs, known, wanted, {}, {});
  ASSERT_TRUE(outcome.has_value());
  AnalysisInput input{
      outcome->take,
      packed_recording(outcome->recording.measured, outcome->recording.loopback, 48000.0).bytes,
      known,
      {}};
  input.recipe.gated = false;
  input.recipe.smoothing = 0;
  const Response curve = analysed(input)->curve;
  for (const double f : {100.0, 1000.0, 5000.0, 15000.0})
    EXPECT_NEAR(20.0 * std::log10(std::abs(value_at(curve, f)) / std::abs(value_at(curve, 1000.0))),
                0.0, 0.05)
        << f;
  Inputs unlike([](double t, double) { return 0.1 * std::sin(900.0 * t); }, wire);
  EXPECT_FALSE(with_inputs(unlike, {}, 48000.0, {}, kNow).has_value());
}

// A resistor 3 % off and 0.2 ohm of cable: gone after open, short and known.
TEST(Calibrating, TheJigsResistorNoLongerMatters) {
  PracticeBenchSetup setup = demo_bench(false);
  setup.jig_resistor_error = 0.03;
  PracticeBench bench(setup);
  const auto state = [&](PracticeBenchSetup::JigLoad load) {
    bench.setup().jig_load = load;
    return *jig_ratio(bench, setup.rig, 48000.0, {});
  };
  using Load = PracticeBenchSetup::JigLoad;
  const auto rig = with_jig(setup.rig, state(Load::kOpen), state(Load::kShort),
                            state(Load::kKnown10Ohm), 10.0, kNow);
  ASSERT_TRUE(rig.has_value()) << rig.error().text();
  bench.setup().jig_load = Load::kSpeaker;
  TakeRequest wanted;
  wanted.kind = TakeKind::kImpedance;
  wanted.drive_v = 1.0;
  wanted.duration_s = 2.0;
  const auto outcome = run_take(bench, *rig, wanted, {}, {});
  ASSERT_TRUE(outcome.has_value());
  const auto worked = [&](const RigCalibration& with) {
    return analysed(
               {outcome->take,
                packed_recording(outcome->recording.measured, outcome->recording.loopback, 48000.0)
                    .bytes,
                with,
                {}})
        ->curve;
  };
  PracticeRoom room;
  const PracticeField field(setup.speaker, room);
  for (const double f : {60.0, 300.0, 2000.0}) {
    const double truth = std::abs(field.at(f).impedance_ohm);
    EXPECT_NEAR(std::abs(value_at(worked(*rig), f)) / truth, 1.0, 0.003) << f;
    EXPECT_GT(std::abs(std::abs(value_at(worked(setup.rig), f)) / truth - 1.0), 0.02) << f;
  }
  const auto swapped = with_jig(setup.rig, state(Load::kShort), state(Load::kOpen),
                                state(Load::kKnown10Ohm), 10.0, kNow);
  EXPECT_FALSE(swapped.has_value());
}

TEST(Calibrating, SaysWhatIsMissingAndWhatIsOld) {
  RigCalibration rig;
  rig.taken_at[calibration::kSensitivity] = "2031-05-01T09:00:00Z";
  rig.taken_at[calibration::kJig] = "2030-11-01T09:00:00Z";
  std::map<std::string, CalibrationStatus> found;
  for (const CalibrationStatus& s : status_of(rig, kNow)) found[s.part] = s;
  EXPECT_FALSE(found[calibration::kSensitivity].out_of_date);
  EXPECT_TRUE(found[calibration::kSensitivity].advice.empty());
  EXPECT_TRUE(found[calibration::kJig].out_of_date);
  EXPECT_TRUE(found[calibration::kAmplifier].taken_at.empty());
  EXPECT_FALSE(found[calibration::kAmplifier].advice.empty());
  rig.microphone_correction = *Response::make(*FrequencyAxis::make({20.0, 20000.0}), {1.0, 1.0},
                                              Quantity::kRatio, {20.0, 20000.0}, true);
  rig.microphone_correction_deg = 90.0;
  const RigCalibration kept = rig_from_json(to_json(rig));
  EXPECT_EQ(kept.taken_at, rig.taken_at);
  EXPECT_THAT(status_of(kept, kNow)[1].title, HasSubstr("90°"));
}

TEST(Calibrating, ALaterCalibrationMendsOldTakesAndCanBeUndone) {
  const test::TemporaryFolder folder;
  test::SmallBook small(folder / "b.lalo");
  RigCalibration rig;
  const Id old_rig = *small.book.add_rig(rig);
  Take take = small.text_take("On axis");
  take.rig_id = old_rig;
  take.taken_at = "2031-05-02T10:00:00Z";
  const Id id = *small.book.add_take(take, test::text_raw("100 80\n200 81\n"));
  rig.input_pa_per_unit = 31.0;
  EXPECT_EQ(*mend_takes(small.book, rig, "2031-05-03"), 0U) << "taken before that day";
  EXPECT_EQ(*mend_takes(small.book, rig, "2031-05-01"), 1U);
  EXPECT_EQ(small.book.rig(small.book.take(id)->rig_id)->input_pa_per_unit, 31.0);
  ASSERT_TRUE(small.book.undo().has_value());
  EXPECT_EQ(small.book.take(id)->rig_id, old_rig);
}

TEST(Calibrating, FindsTheLoopback) {
  Inputs second([](double t, double played) { return 0.3 * played + 0.2 * std::sin(700.0 * t); },
                wire);
  EXPECT_EQ(**find_loopback(second, 48000.0, 2, {}), 1);
  Inputs none([](double t, double) { return 0.1 * std::sin(700.0 * t); }, silence);
  EXPECT_FALSE(find_loopback(none, 48000.0, 2, {})->has_value());
}

// By hand: the measuring input is 0.8 of the other one, behind a first-order low-pass at 15 kHz;
// the load leaves 0.4 of the voltage.
TEST(Calibrating, SwappedLeadsCancelWhatTheInputsDoDifferently) {
  constexpr double kLoad = 0.4;
  const double pole = std::exp(-2.0 * kPi * 15000.0 / 48000.0);
  const auto input = [pole](double of_played) {
    return [pole, of_played, y = 0.0](double, double played) mutable {
      y = pole * y + (1.0 - pole) * 0.8 * of_played * played;
      return y;
    };
  };
  const auto other = [](double of_played) {
    return [of_played](double, double played) { return of_played * played; };
  };
  Inputs wired(input(kLoad), other(1.0));
  Inputs swapped(input(1.0), other(kLoad));
  const auto a = input_ratio(wired, {}, 48000.0, {});
  const auto b = input_ratio(swapped, {}, 48000.0, {});
  ASSERT_TRUE(a && b);
  const auto rig = with_swapped_leads({}, *a, *b, kNow);
  ASSERT_TRUE(rig) << rig.error().text();
  for (const double f : {30.0, 1000.0, 12000.0}) {
    const std::complex<double> z = std::polar(1.0, -2.0 * kPi * f / 48000.0);
    const std::complex<double> want = 0.8 * (1.0 - pole) / (1.0 - pole * z);
    EXPECT_NEAR(std::abs(value_at(*rig->jig_inputs, f) / want), 1.0, 0.003) << f;
    EXPECT_NEAR(std::abs(value_at(*a, f) / value_at(*rig->jig_inputs, f)), kLoad, 0.002) << f;
  }
  EXPECT_FALSE(with_swapped_leads({}, *a, *a, kNow)) << "the leads were not swapped";
}

}  // namespace
}  // namespace lalometer
