#include "support/mutants.h"

#include "exchange/audio_file.h"
#include "exchange/set/driver_file.h"
#include "exchange/set/measurement_set.h"
#include "exchange/text_table.h"
#include "support/books.h"

namespace lalometer {
namespace {

using test::try_all;

std::string curve_file() {
  std::string text = "* gate 4 ms\n";
  for (double f = 20.0; f < 20000.0; f *= 1.12)
    text += fmt::format("{:.3f} {:.2f} {:.1f}\n", f, 85.0 + 3.0 * std::sin(f / 300.0), -f / 200.0);
  return text;
}

TEST(MutatedFiles, Tables) {
  try_all(curve_file(), "a.frd", [](const auto& file) -> std::optional<Error> {
    const std::string text = test::slurp(file);
    const auto read =
        read_text_table(std::as_bytes(std::span(text)), file.string(), ColumnKind::kResponse);
    return read ? std::nullopt : std::optional(read.error());
  });
}

TEST(MutatedFiles, Sounds) {
  std::vector<double> x(4096, 0.0);
  for (std::size_t i = 0; i < 200; ++i) {
    const double n = static_cast<double>(i);
    x[i + 100] = 0.5 * std::exp(-n / 20.0) * std::cos(0.4 * n);
  }
  for (const auto format : {AudioFormat::kWavFloat32, AudioFormat::kWav24, AudioFormat::kFlac24}) {
    const auto bytes = audio_bytes({48000.0, {x}, ""}, format).value();
    try_all({reinterpret_cast<const char*>(bytes.data()), bytes.size()}, "a.wav",
            [](const auto& file) -> std::optional<Error> {
              const std::string text = test::slurp(file);
              const auto read = read_audio(std::as_bytes(std::span(text)), file.string());
              return read ? std::nullopt : std::optional(read.error());
            });
  }
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
  const std::string driver =
      R"({"fs_hz": {"value": 42.1, "uncertainty": 0.1}, "qms": 4.2, "qes": 0.46,
    "vas_l": 21.5, "sd_cm2": 132, "re_ohm": 5.6, "le_mh": 0.3, "xmax_mm": 4.5, "power_w": 40})";
  try_all(driver, "driver.json", [](const auto& file) -> std::optional<Error> {
    const auto read = read_driver(file);
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
      ASSERT_TRUE(small.book
                      .add_take(small.text_take(fmt::format("t{}", i)),
                                {{bytes.begin(), bytes.end()}, 0.0, 0, "a.frd"})
                      .has_value());
  }
  const auto clear = [](const std::filesystem::path& file) {
    for (const auto& entry : std::filesystem::directory_iterator(file.parent_path()))
      std::filesystem::remove(entry.path());
  };
  try_all(
      test::slurp(folder / "sound.lalo"), "a.lalo",
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
