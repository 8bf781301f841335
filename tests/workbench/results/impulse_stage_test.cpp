#include "workbench/results/impulse_stage.h"

#include <random>

#include "acoustics/signal/fft.h"
#include "base/constants.h"
#include "exchange/audio_file.h"
#include "support/support.h"
#include "workbench/results/analysis.h"
#include "workbench/results/corrections.h"

/// When a curve begins, on loudspeakers made here by closed forms.
namespace lalometer {
namespace {

constexpr double kRate = 48000.0;
using System = std::function<std::complex<double>(double)>;

std::vector<double> impulse_of(const System& h, std::size_t n = 65536) {
  const RealTransform transform(n);
  Spectrum bins(transform.bin_count());
  for (std::size_t k = 0; k < bins.size(); ++k)
    bins[k] = h(static_cast<double>(k) * kRate / static_cast<double>(n));
  bins.back() = bins.back().real();
  Samples x(n);
  transform.inverse(bins, x);
  return {x.begin(), x.end()};
}

/// Low-pass of fourth order (Butterworth) at 120 Hz, high-pass of second order at 35 Hz.
std::complex<double> subwoofer(double f) {
  if (f <= 0.0) return 0.0;
  const std::complex<double> s(0.0, f / 120.0);
  const std::complex<double> u(0.0, f / 35.0);
  return u * u / (1.0 + 1.4142136 * u + u * u) / (1.0 + 0.7653669 * s + s * s) /
         (1.0 + 1.8477591 * s + s * s);
}

AnalysisInput file_of(const std::vector<double>& h, double distance_m, double angle_deg = 0.0) {
  AnalysisInput in;
  in.take.form = RawForm::kImpulseFile;
  in.take.name = "take";
  in.take.raw_name = "take.wav";
  in.take.setup = FarFieldSetup{{distance_m, angle_deg, 0.0, {}}, {}};
  in.take.sample_rate_hz = kRate;
  in.raw = *audio_bytes({kRate, {h}, ""}, AudioFormat::kWavFloat32);
  in.recipe.smoothing = 0;
  return in;
}

System flying(const System& h, double seconds) {
  return [=](double f) { return h(f) * std::polar(1.0, -2.0 * kPi * f * seconds); };
}

// The truth is the filter's own phase and level; its peak comes 7 ms after its onset.
TEST(TimeOrigin, OfASubwooferIsTheTapeMeasureWhereTheExcitationIsKnown) {
  AnalysisInput in = file_of(impulse_of(flying(subwoofer, 1.0 / 343.0)), 1.0);
  in.recipe.gate_s = 0.2;
  const auto a = analysed(in);
  ASSERT_TRUE(a.has_value()) << a.error().text();
  EXPECT_EQ(a->origin.source, TimeOrigin::Source::kTape);
  EXPECT_NEAR(a->origin.at_s, 1.0 / 343.0, 1e-9);
  EXPECT_NEAR(a->arrival_s, 1.0 / 343.0, 0.05 / 158.0);
  EXPECT_FALSE(a->first_reflection_s.has_value());
  for (const double f : {25.0, 40.0, 80.0, 120.0, 160.0}) {
    const auto ratio = value_at(a->curve, f) / subwoofer(f);
    EXPECT_NEAR(20.0 * std::log10(std::abs(ratio)), 0.0, 0.2) << f;
    EXPECT_NEAR(std::arg(ratio) * 180.0 / kPi, 0.0, 3.0) << f;
  }
}

TEST(TimeOrigin, IsTheOnsetWhereNobodyToldADistance) {
  AnalysisInput in = file_of(impulse_of(flying(subwoofer, 0.0123)), 1.0);
  in.take.conditions.distance_told = false;
  in.recipe.gate_s = 0.2;
  const auto a = analysed(in);
  ASSERT_TRUE(a.has_value()) << a.error().text();
  EXPECT_EQ(a->origin.source, TimeOrigin::Source::kOnset);
  EXPECT_NEAR(a->origin.at_s, 0.0123, 0.05 / 158.0);
  for (const double f : {30.0, 60.0, 120.0, 200.0})
    EXPECT_NEAR(20.0 * std::log10(std::abs(value_at(a->curve, f) / subwoofer(f))), 0.0, 0.2) << f;
}

TEST(TimeOrigin, ADistanceThatTheSoundContradictsIsSaid) {
  const auto flat = [](double) { return std::complex<double>(1.0); };
  const auto a = analysed(file_of(impulse_of(flying(flat, 2.0 / 343.0)), 1.0));
  ASSERT_TRUE(a.has_value());
  EXPECT_EQ(a->origin.source, TimeOrigin::Source::kOnset);
  EXPECT_THAT(a->notes, ::testing::Contains(::testing::HasSubstr("2.92 ms later")));
}

// Behind a cabinet the sound comes round one edge after the other: first 0.25 m of detour, then
// 0.32 m more, no room at all. In front the same would be a reflection.
TEST(TimeOrigin, BehindTheLoudspeakerLateEdgesAreNoReflection) {
  const auto edges = [](double f) {
    return 0.6 * std::polar(1.0, -2.0 * kPi * f * 0.25 / 343.0) +
           0.3 * std::polar(1.0, -2.0 * kPi * f * 0.57 / 343.0);
  };
  const std::vector<double> h = impulse_of(flying(edges, 1.0 / 343.0));
  EXPECT_FALSE(analysed(file_of(h, 1.0, 170.0))->first_reflection_s.has_value());
  EXPECT_TRUE(analysed(file_of(h, 1.0, 20.0))->first_reflection_s.has_value());
}

/// A microphone that rises by 6 dB an octave from 4 kHz on, on a list without phase.
Response rising_microphone(double offset_db) {
  const auto axis = FrequencyAxis::logarithmic(20.0, 20000.0, 12.0);
  std::vector<std::complex<double>> values;
  for (const double f : axis.hz())
    values.push_back(std::pow(10.0, offset_db / 20.0) *
                     std::abs(std::complex<double>(1.0, f / 4000.0)));
  return *Response::make(axis, std::move(values), Quantity::kRatio, {20.0, 20000.0}, false);
}

// (1 + jf/4 kHz) is minimum phase: its magnitude alone tells its phase (Bode 1945). Above the list
// its end holds, though the microphone goes on, which tells in phase toward the end.
TEST(Corrections, WithoutPhaseGetTheirMinimumPhase) {
  RigCalibration rig;
  rig.microphone_correction = rising_microphone(0.0);
  std::vector<std::string> notes;
  const auto applied = applied_correction(rig, notes);
  ASSERT_TRUE(applied.has_value());
  for (const double f : {100.0, 1000.0, 3000.0})
    EXPECT_NEAR(std::arg(value_at(*applied, f)) * 180.0 / kPi,
                std::atan(f / 4000.0) * 180.0 / kPi - f / 20000.0 * 36.5, 2.0)
        << f;
  EXPECT_TRUE(notes.empty());
}

// A calibrator at 1 kHz gives the sensitivity with what the microphone does at 1 kHz; counting the
// file's 1 kHz once more would be off by it. In absolute levels too.
TEST(Corrections, CountFromTheCalibratorsFrequencyOn) {
  for (const double offset_db : {0.0, 1.3, 27.0}) {
    RigCalibration rig;
    rig.microphone_correction = rising_microphone(offset_db);
    rig.calibrator_hz = 1000.0;
    std::vector<std::string> notes;
    const auto applied = applied_correction(rig, notes);
    EXPECT_NEAR(std::abs(value_at(*applied, 1000.0)), 1.0, 1e-9);
    EXPECT_NEAR(std::abs(value_at(*applied, 4000.0)), std::sqrt(2.0 / 1.0625), 0.01);
  }
}

TEST(Corrections, InAbsoluteLevelsAreSaidAndCountFromOneKilohertz) {
  RigCalibration rig;
  rig.microphone_correction = rising_microphone(-27.0);
  std::vector<std::string> notes;
  EXPECT_NEAR(std::abs(value_at(*applied_correction(rig, notes), 1000.0)), 1.0, 1e-9);
  EXPECT_THAT(notes, ::testing::ElementsAre(::testing::HasSubstr("absolute levels")));
  rig.microphone_correction = rising_microphone(1.0);
  notes.clear();
  EXPECT_NEAR(to_level_db(std::abs(value_at(*applied_correction(rig, notes), 20.0)), 1.0), 1.0,
              1e-3);
  EXPECT_TRUE(notes.empty()) << "a small offset is the file's own word";
}

}  // namespace
}  // namespace lalometer
