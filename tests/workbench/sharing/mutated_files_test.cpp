#include <gmock/gmock.h>

#include <cstdlib>
#include <functional>
#include <random>

#include "acoustics/signal/sweep.h"
#include "exchange/audio_file.h"
#include "exchange/set/driver_file.h"
#include "exchange/set/measurement_set.h"
#include "support/books.h"
#include "workbench/practice/files/simulation_file.h"
#include "workbench/sharing/importing.h"

/// Files as they come from broken disks, half uploads and hands in a hurry: whatever is done to
/// their bytes, they are read or refused with a reason, and nothing crashes. LALOMETER_MUTANTS sets
/// how many of each kind are tried.
namespace lalometer {
namespace {

int mutants() {
  const char* wanted = std::getenv("LALOMETER_MUTANTS");
  return wanted == nullptr ? 150 : std::max(std::atoi(wanted), 1);
}

/// The same content with a few things done to it, another each time, the same for a seed.
std::string mutated(std::string bytes, std::uint32_t seed) {
  std::mt19937 engine(seed);
  const auto upto = [&](std::size_t n) { return n == 0 ? 0 : engine() % n; };
  static const char* const kWords[] = {"1e308", "-1",   "nan",  "inf", "0",
                                       "1e-320", "null", "[]",  "{}",  "\"\"",
                                       "99999999999999999999", "true"};
  const std::size_t times = 1 + upto(6);
  for (std::size_t i = 0; i < times; ++i) {
    const std::size_t at = upto(bytes.size());
    const std::size_t length = std::min(1 + upto(40), bytes.size() - at);
    switch (engine() % 8) {
      case 0:
        if (!bytes.empty()) bytes[at] = static_cast<char>(bytes[at] ^ (1 << (engine() % 8)));
        break;
      case 1:
        if (!bytes.empty()) bytes[at] = static_cast<char>(engine());
        break;
      case 2:
        bytes.erase(at, length);
        break;
      case 3:
        bytes.insert(at, bytes.substr(upto(bytes.size()), length));
        break;
      case 4:
        bytes.resize(at);
        break;
      case 5:
        bytes.replace(at, length, length, '\0');
        break;
      case 6:
        bytes.replace(at, length, length, static_cast<char>(0xff));
        break;
      default: {
        // A number or word in its place.
        const auto digit = bytes.find_first_of("0123456789", at);
        const std::size_t from = digit == std::string::npos ? at : digit;
        const auto end = bytes.find_first_not_of("0123456789.eE+-", from);
        bytes.replace(from, (end == std::string::npos ? bytes.size() : end) - from,
                      kWords[engine() % std::size(kWords)]);
        break;
      }
    }
  }
  return bytes;
}

/// Reads all mutants; what is refused has a reason and the file's name.
void try_all(const std::string& sound, const std::string& name,
             const std::function<std::optional<Error>(const std::filesystem::path&)>& read,
             const std::function<void(const std::filesystem::path&)>& clear = {}) {
  const test::TemporaryFolder folder;
  int refused = 0;
  for (int i = 0; i < mutants(); ++i) {
    test::write(folder / name, mutated(sound, static_cast<std::uint32_t>(i)));
    SCOPED_TRACE(i);
    if (const auto problem = read(folder / name)) {
      ++refused;
      EXPECT_FALSE(problem->message.empty());
      EXPECT_THAT(problem->where, ::testing::HasSubstr(name)) << problem->text();
    }
    if (clear) clear(folder / name);
  }
  EXPECT_GT(refused, 0) << "nothing was hurt: the test tries nothing";
}

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

TEST(MutatedFiles, Sets) {
  const std::string set = R"({"format": "lalometer-set", "version": 1,
  "subject": {"name": "Kiosk", "kind": "loudspeaker", "loading": "vented",
    "drivers": [{"id": "woofer", "role": "woofer", "diameter_mm": 165, "x_mm": 0, "y_mm": -95}],
    "baffle": {"width_mm": 210, "height_mm": 380, "depth_mm": 300},
    "ports": [{"id": "port", "panel": "back", "diameter_mm": 50, "length_mm": 130}]},
  "variants": [{"id": "bare", "changed": "no damping"}],
  "takes": [
    {"id": "h0", "kind": "response", "file": "h0.frd", "horizontal_deg": 0, "distance_m": 1.0, "gate_ms": 4.5, "variant": "bare"},
    {"id": "nf", "kind": "near-field", "file": "h0.frd", "source": "woofer"},
    {"id": "mt", "kind": "photograph", "file": "h0.frd"}]})";
  try_all(set, "set.json", [](const auto& file) -> std::optional<Error> {
    test::write(file.parent_path() / "h0.frd", curve_file());
    const auto read = read_set(file);
    if (read) return std::nullopt;
    // A take's own file that cannot be read is the one that is named.
    Error problem = read.error();
    const std::string folder = file.parent_path().string();
    if (problem.where.starts_with(folder) && !problem.where.starts_with(file.string()))
      problem.where = file.string();
    return problem;
  });
}

TEST(MutatedFiles, Drivers) {
  const std::string driver = R"({"fs_hz": {"value": 42.1, "uncertainty": 0.1}, "qms": 4.2, "qes": 0.46,
    "vas_l": 21.5, "sd_cm2": 132, "re_ohm": 5.6, "le_mh": 0.3, "xmax_mm": 4.5, "power_w": 40})";
  try_all(driver, "driver.json", [](const auto& file) -> std::optional<Error> {
    const auto read = read_driver(file);
    return read ? std::nullopt : std::optional(read.error());
  });
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

TEST(MutatedFiles, Books) {
  const test::TemporaryFolder folder;
  {
    test::SmallBook small(folder / "sound.lalo");
    const std::string text = curve_file();
    const auto bytes = std::as_bytes(std::span(text));
    for (int i = 0; i < 4; ++i)
      ASSERT_TRUE(small.book.add_take(small.text_take(fmt::format("t{}", i)),
                                      {{bytes.begin(), bytes.end()}, 0.0, 0, "a.frd"})
                      .has_value());
  }
  const auto clear = [](const std::filesystem::path& file) {
    for (const auto& entry : std::filesystem::directory_iterator(file.parent_path()))
      std::filesystem::remove(entry.path());
  };
  try_all(test::slurp(folder / "sound.lalo"), "a.lalo",
          [](const auto& file) -> std::optional<Error> {
            const auto book = Book::open(file);
            if (!book) return book.error();
            const auto subjects = book->subjects();
            if (!subjects) return subjects.error();
            for (const Subject& s : *subjects) (void)book->variants(s.id);
            const auto takes = book->takes();
            if (!takes) return takes.error();
            for (const Take& take : *takes) (void)book->raw(take.raw_hash);
            const auto whole = book->check_integrity();
            return whole ? std::nullopt : std::optional(whole.error());
          },
          clear);
}

}  // namespace
}  // namespace lalometer
