#include <gmock/gmock.h>

#include "acoustics/signal/sweep.h"
#include "exchange/audio_file.h"
#include "support/mutants.h"
#include "workbench/practice/files/simulation_file.h"
#include "workbench/sharing/importing.h"

/// The readers by themselves are tried in exchange/mutants_test.cpp.
namespace lalometer {
namespace {

using test::try_all;

std::optional<Error> previewed(const std::filesystem::path& file, const ImportChoices& choices) {
  const ImportPreview preview = preview_import({file}, choices);
  if (!preview.problems.empty()) return preview.problems.front();
  return std::nullopt;
}

std::string curve_file() {
  std::string text = "* gate 4 ms\n";
  for (double f = 20.0; f < 20000.0; f *= 1.12)
    text += fmt::format("{:.3f} {:.2f} {:.1f}\n", f, 85.0 + 3.0 * std::sin(f / 300.0), -f / 200.0);
  return text;
}

std::string sound_file(AudioFormat format, bool sweep) {
  std::vector<double> x(4096, 0.0);
  if (sweep) {
    const auto spec = SweepSpec::make({100.0, 20000.0, 0.08, 48000.0});
    std::vector<double> played = exponential_sweep(*spec);
    for (std::size_t i = 0; i < played.size() && i + 96 < x.size(); ++i) x[i + 96] = 0.4 * played[i];
  } else {
    for (std::size_t i = 0; i < 200; ++i)
      x[i + 100] = 0.5 * std::exp(-static_cast<double>(i) / 20.0) * std::cos(0.4 * static_cast<double>(i));
  }
  const auto bytes = audio_bytes({48000.0, {x}, ""}, format).value();
  return {reinterpret_cast<const char*>(bytes.data()), bytes.size()};
}

TEST(MutatedFiles, Responses) {
  try_all(curve_file(), "a.frd", [](const auto& file) { return previewed(file, {}); });
}

TEST(MutatedFiles, Impedances) {
  std::string text;
  for (double f = 20.0; f < 20000.0; f *= 1.12)
    text += fmt::format("{:.3f};{:.3f};{:.1f}\n", f,
                        6.0 + 30.0 / (1.0 + std::pow((f - 45.0) / 8.0, 2.0)), 0.0);
  try_all(text, "a.zma", [](const auto& file) { return previewed(file, {}); });
}

TEST(MutatedFiles, Corrections) {
  try_all(curve_file(), "a.cal", [](const auto& file) { return previewed(file, {}); });
}

TEST(MutatedFiles, ImpulseResponsesInWav) {
  try_all(sound_file(AudioFormat::kWavFloat32, false), "a.wav",
          [](const auto& file) { return previewed(file, {}); });
}

TEST(MutatedFiles, ImpulseResponsesInFlac) {
  try_all(sound_file(AudioFormat::kFlac24, false), "a.flac",
          [](const auto& file) { return previewed(file, {}); });
}

TEST(MutatedFiles, RecordedSweeps) {
  ImportChoices choices;
  choices.stimulus = Stimulus{100.0, 20000.0, 0.08, 0.0, 1.0};
  try_all(sound_file(AudioFormat::kWav24, true), "a.wav",
          [choices](const auto& file) { return previewed(file, choices); });
}

TEST(MutatedFiles, PracticeFiles) {
  const std::string plan = R"({"subject": {"loading": "passive-radiator",
      "drivers": [{"id": "w", "role": "woofer", "sd_cm2": 132, "ladder": [{"place": "series", "mh": 0.5}]}],
      "baffle": {"width_mm": 210, "height_mm": 380, "depth_mm": 300},
      "box": {"net_volume_l": 14, "inner_width_mm": 178, "inner_height_mm": 348, "inner_depth_mm": 262},
      "passive_radiators": [{"id": "pr", "panel": "back", "sd_cm2": 200, "moving_mass_g": 60}]},
    "bench": {"sample_rate_hz": 48000, "distance_m": 1.0, "floor_m": 1.2},
    "faults": ["box-leak", {"fault": "driver-breakup", "frequency_hz": 4200, "q": 10}],
    "variants": [{"id": "a"}, {"id": "b", "subject": {"box": {"damping": "lined"}}}],
    "takes": [{"kind": "impedance", "id": "z", "variant": "a"},
              {"kind": "impulse-response", "orbit": "both", "step_deg": 30, "length": 512}]})";
  try_all(plan, "plan.json", [](const auto& file) -> std::optional<Error> {
    const auto read = simulation_plan_of(test::slurp(file), file.string(), 1);
    return read ? std::nullopt : std::optional(read.error());
  });
}

}  // namespace
}  // namespace lalometer
