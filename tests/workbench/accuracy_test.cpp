#include <functional>
#include <map>

#include "support/books.h"
#include "workbench/practice/demo_book.h"
#include "workbench/results/analysis.h"
#include "workbench/taking/take_runner.h"

namespace lalometer {
namespace {

/// The kiosk without what rings longer than a gate: standing waves and the port's pipe. A gate
/// cannot tell those from the truth by any means (resolution 1/T).
PracticeBenchSetup plain_bench(bool lined) {
  PracticeBenchSetup setup = demo_bench(lined);
  setup.speaker = kiosk_two_way(lined);
  return setup;
}

TakeRequest request(TakeKind kind, double distance_m = 1.0) {
  TakeRequest r;
  r.kind = kind;
  r.name = "take";
  r.start_hz = kind == TakeKind::kImpedance ? 5.0 : 10.0;
  r.duration_s = kind == TakeKind::kImpedance ? 2.7 : 1.4;
  r.drive_v = kind == TakeKind::kImpedance ? 1.0 : 2.83;
  r.distance_m = distance_m;
  return r;
}

Analysis measured(const PracticeBenchSetup& setup, const TakeRequest& wanted,
                  const Recipe& recipe) {
  PracticeBench bench(setup);
  const auto outcome = run_take(bench, setup.rig, wanted, {}, {});
  EXPECT_TRUE(outcome.has_value() && outcome->accepted);
  const RawData raw =
      packed_recording(outcome->recording.measured, outcome->recording.loopback, 48000.0);
  auto a = analysed({outcome->take, raw.bytes, setup.rig, recipe});
  EXPECT_TRUE(a.has_value()) << a.error().text();
  return std::move(*a);
}

struct Worst {
  double level_db = 0.0;
  double phase_deg = 0.0;
};

/// Against the bench's own free-field transfer function, from the valid limit to 20 kHz.
Worst against_truth(const Analysis& a, const PracticeBenchSetup& setup) {
  Worst worst;
  const double flight_s = setup.room.distance_m / speed_of_sound_m_s(setup.room.temperature_c);
  const PracticeField field(setup.speaker, setup.room);
  for (std::size_t i = 0; i < a.curve.size(); ++i) {
    const double f = a.curve.axis()[i];
    if (!a.curve.valid().contains(f) || f > 20000.0) continue;
    const auto truth =
        field.at(f).direct_pa_per_v * 2.83 * std::polar(1.0, 2.0 * kPi * f * flight_s);
    const auto ratio = a.curve.value(i) / truth;
    EXPECT_TRUE(std::isfinite(ratio.real()));
    worst.level_db = std::max(worst.level_db, std::abs(20.0 * std::log10(std::abs(ratio))));
    worst.phase_deg = std::max(worst.phase_deg, std::abs(std::arg(ratio)) * 180.0 / kPi);
  }
  return worst;
}

Recipe plain(double gate_s) {
  Recipe r;
  r.smoothing = 0;
  r.gate_s = gate_s;
  return r;
}

// The oracle is the bench's equivalent circuit, itself checked against ngspice (tests/acoustics).
TEST(Accuracy, ResponseComesBackWithinATenthOfADecibelAndOneDegree) {
  for (const std::uint64_t seed : {1U, 2U}) {
    for (const bool lined : {false, true}) {
      for (const std::size_t latency : {0U, 1387U, 4001U}) {
        PracticeBenchSetup setup = plain_bench(lined);
        setup.seed = seed;
        setup.latency_samples = latency;
        const Worst worst =
            against_truth(measured(setup, request(TakeKind::kResponse), plain(0.004)), setup);
        EXPECT_LT(worst.level_db, 0.1) << "latency " << latency;
        EXPECT_LT(worst.phase_deg, 1.0) << "latency " << latency;
      }
    }
  }
}

// Noise at -60 dB re the sweep's level at the microphone: 90 dB SPL is 0.63 Pa, so 0.63 mPa rms.
TEST(Accuracy, HoldsWithNoiseSixtyDecibelsDown) {
  PracticeBenchSetup setup = plain_bench(false);
  setup.microphone_noise_pa = 0.00063;
  const Worst worst =
      against_truth(measured(setup, request(TakeKind::kResponse), plain(0.0035)), setup);
  EXPECT_LT(worst.level_db, 0.1);
  EXPECT_LT(worst.phase_deg, 1.0);
}

TEST(Accuracy, MicrophoneCorrectionIsTakenOut) {
  PracticeBenchSetup setup = plain_bench(false);
  setup.rig.microphone_correction = test::curve_from(
      [](double f) {
        return std::polar(std::pow(10.0, 0.15 * std::log2(f / 1000.0) / 20.0 * 4.0), 0.0);
      },
      Quantity::kRatio, 5.0, 24000.0, 12.0);
  const Worst worst =
      against_truth(measured(setup, request(TakeKind::kResponse), plain(0.004)), setup);
  EXPECT_LT(worst.level_db, 0.1);
}

TEST(Accuracy, ImpedanceComesBackWithinHalfAPerCentAndHalfADegree) {
  for (const bool lined : {false, true}) {
    const PracticeBenchSetup setup = plain_bench(lined);
    const Analysis a = measured(setup, request(TakeKind::kImpedance), plain(0.004));
    for (std::size_t i = 0; i < a.curve.size(); ++i) {
      const double f = a.curve.axis()[i];
      if (f < 10.0 || f > 20000.0) continue;
      const auto ratio = a.curve.value(i) / practice_impedance_ohm(setup.speaker, f);
      ASSERT_NEAR(std::abs(ratio), 1.0, 0.005) << f;
      ASSERT_NEAR(std::arg(ratio) * 180.0 / kPi, 0.0, 0.5) << f;
    }
  }
}

// A resistor 3 % off spoils the divider; open, short and a known resistor put it right again.
TEST(Accuracy, JigCalibrationMendsAWrongResistor) {
  PracticeBenchSetup setup = plain_bench(false);
  setup.jig_resistor_error = 0.03;
  setup.rig.cable_ohm = 0.15;
  const auto ratio_with = [&](PracticeBenchSetup::JigLoad load) {
    PracticeBenchSetup s = setup;
    s.jig_load = load;
    // Any fixed resistor in the formula will do to get the ratio back out of an impedance: m = Z /
    // (Z + R).
    RigCalibration neutral = s.rig;
    neutral.cable_ohm = 0.0;
    PracticeBench bench(s);
    const auto outcome = run_take(bench, s.rig, request(TakeKind::kImpedance), {}, {});
    EXPECT_TRUE(outcome.has_value());
    const RawData raw =
        packed_recording(outcome->recording.measured, outcome->recording.loopback, 48000.0);
    const Analysis a = *analysed({outcome->take, raw.bytes, neutral, {}});
    std::vector<std::complex<double>> m;
    for (const auto& z : a.curve.values()) m.push_back(z / (z + neutral.reference_ohm));
    return *Response::make(a.curve.axis(), std::move(m), Quantity::kRatio, a.curve.valid(), true);
  };
  using Load = PracticeBenchSetup::JigLoad;
  const Response short_ratio = ratio_with(Load::kShort);
  RigCalibration calibrated = setup.rig;
  calibrated.jig =
      JigCalibration{ratio_with(Load::kOpen), short_ratio, ratio_with(Load::kKnown10Ohm), 10.0};
  PracticeBench bench(setup);
  const auto outcome = run_take(bench, setup.rig, request(TakeKind::kImpedance), {}, {});
  const RawData raw =
      packed_recording(outcome->recording.measured, outcome->recording.loopback, 48000.0);
  const auto worst = [&](const RigCalibration& rig) {
    const Analysis a = *analysed({outcome->take, raw.bytes, rig, {}});
    double error = 0.0;
    for (std::size_t i = 0; i < a.curve.size(); ++i) {
      const double f = a.curve.axis()[i];
      if (f < 10.0 || f > 10000.0) continue;
      const double off =
          std::abs(a.curve.value(i) / practice_impedance_ohm(setup.speaker, f) - 1.0);
      EXPECT_TRUE(std::isfinite(off)) << f;
      error = std::max(error, off);
    }
    return error;
  };
  EXPECT_GT(worst(setup.rig), 0.02);
  EXPECT_LT(worst(calibrated), 0.005);
}

// One thing at a time: each of them alone makes another result, and no two of them the same one.
TEST(Analysis, KeyChangesWithEachThingThatChangesTheResult) {
  struct Inputs {
    Take take;
    RigCalibration rig;
    Recipe recipe;
  };
  using Change = std::function<void(Inputs&)>;
  const Response flat = test::curve_from([](double) { return std::complex<double>(1.0); },
                                         Quantity::kRatio, 20.0, 20000.0, 3.0);
  const std::vector<std::pair<const char*, Change>> changes = {
      {"nothing", [](Inputs&) {}},
      {"raw data", [](Inputs& i) { i.take.raw_hash = "b"; }},
      {"form", [](Inputs& i) { i.take.form = RawForm::kTextFile; }},
      {"rate", [](Inputs& i) { i.take.sample_rate_hz = 44100.0; }},
      {"distance",
       [](Inputs& i) {
         i.take.setup = FarFieldSetup{{2.0, 0.0, 0.0, {}}, {}};
       }},
      {"angle",
       [](Inputs& i) {
         i.take.setup = FarFieldSetup{{1.0, 30.0, 0.0, {}}, {}};
       }},
      {"kind",
       [](Inputs& i) {
         i.take.setup = ImpedanceSetup{"free-air", 0.0, 0.0};
       }},
      {"near field",
       [](Inputs& i) {
         i.take.setup = NearFieldSetup{"woofer", 5.0};
       }},
      {"drive", [](Inputs& i) { i.take.conditions.drive_v = 8.0; }},
      {"temperature", [](Inputs& i) { i.take.conditions.temperature_c = 30.0; }},
      {"flight time", [](Inputs& i) { i.take.conditions.delay_included = true; }},
      {"channel", [](Inputs& i) { i.take.conditions.channel = 1; }},
      {"own gate", [](Inputs& i) { i.take.conditions.gate_s = 0.005; }},
      {"own scale", [](Inputs& i) { i.take.conditions.pa_per_v = 12.0; }},
      {"excitation", [](Inputs& i) { i.take.conditions.t0_s = 0.01; }},
      {"loopback", [](Inputs& i) { i.take.conditions.loopback_channel = 1; }},
      {"sweep's start", [](Inputs& i) { i.take.conditions.stimulus.start_hz = 5.0; }},
      {"sweep's stop", [](Inputs& i) { i.take.conditions.stimulus.stop_hz = 5000.0; }},
      {"sweep's length", [](Inputs& i) { i.take.conditions.stimulus.duration_s = 3.0; }},
      {"lead-in", [](Inputs& i) { i.take.conditions.stimulus.lead_in_s = 0.7; }},
      {"amplitude", [](Inputs& i) { i.take.conditions.stimulus.amplitude = 0.3; }},
      {"microphone's sensitivity", [](Inputs& i) { i.rig.input_pa_per_unit = 1.0; }},
      {"loopback's scale", [](Inputs& i) { i.rig.loopback_v_per_unit = 3.3; }},
      {"reference resistor", [](Inputs& i) { i.rig.reference_ohm = 33.3; }},
      {"cable", [](Inputs& i) { i.rig.cable_ohm = 0.2; }},
      {"correction", [&](Inputs& i) { i.rig.microphone_correction = flat; }},
      {"inputs", [&](Inputs& i) { i.rig.inputs = flat; }},
      {"jig",
       [&](Inputs& i) {
         i.rig.jig = JigCalibration{flat, flat, flat, 10.0};
       }},
      {"gate", [](Inputs& i) { i.recipe.gate_s = 0.003; }},
      {"gated", [](Inputs& i) { i.recipe.gated = false; }},
      {"tail", [](Inputs& i) { i.recipe.continue_tail = false; }},
      {"smoothing", [](Inputs& i) { i.recipe.smoothing = 6; }}};
  std::map<std::string, const char*> keys;
  for (const auto& [name, change] : changes) {
    Inputs inputs;
    inputs.take.raw_hash = "a";
    inputs.take.sample_rate_hz = 48000.0;
    change(inputs);
    const auto [there, fresh] =
        keys.emplace(analysis_key(inputs.take, inputs.rig, inputs.recipe), name);
    EXPECT_TRUE(fresh) << name << " gives the key of " << there->second;
  }
}

// A name, a note or a colour changes no curve: what was computed is used again.
TEST(Analysis, KeyStaysWhereTheResultDoes) {
  Take take;
  take.raw_hash = "a";
  const std::string key = analysis_key(take, {}, {});
  take.name = "On axis, once more";
  take.note = "heard a rattle";
  take.colour = 5;
  take.id = 77;
  take.plan_item = "x/y";
  EXPECT_EQ(analysis_key(take, {}, {}), key);
}

TEST(Analysis, AReflectionInsideTheGateIsSaid) {
  const Analysis a = measured(plain_bench(false), request(TakeKind::kResponse), plain(0.008));
  bool said = false;
  for (const std::string& note : a.notes)
    said = said || note.find("inside the gate") != std::string::npos;
  EXPECT_TRUE(said);
}

// Behind the loudspeaker the floor's reflection is louder than what comes round the edges; the tape
// measure says which is the direct sound.
TEST(Accuracy, InTheShadowTheReflectionIsNotTakenForTheArrival) {
  PracticeBenchSetup setup = plain_bench(false);
  setup.room.floor_reflection = 0.9;
  const double flight_s = setup.room.distance_m / speed_of_sound_m_s(setup.room.temperature_c);
  for (const double angle : {-80.0, -130.0, 100.0, 150.0}) {
    setup.room.vertical_deg = angle;
    PracticeBench bench(setup);
    TakeRequest wanted = request(TakeKind::kResponse);
    wanted.vertical_deg = angle;
    const auto outcome = run_take(bench, setup.rig, wanted, {}, {});
    ASSERT_TRUE(outcome.has_value());
    const RawData raw =
        packed_recording(outcome->recording.measured, outcome->recording.loopback, 48000.0);
    const auto stage = impulse_stage({outcome->take, raw.bytes, setup.rig, {}}, {});
    ASSERT_TRUE(stage.has_value());
    EXPECT_GT(stage->arrival_s, flight_s - 0.5e-3) << angle;
    EXPECT_LT(stage->arrival_s, flight_s + 2.0e-3) << angle;
  }
}

}  // namespace
}  // namespace lalometer
