#include "cli/curves/level_commands.h"

#include <CLI/CLI.hpp>
#include <cmath>
#include <memory>

#include "cli/options/option_checks.h"
#include "cli/options/reading_options.h"
#include "cli/output.h"
#include "exchange/audio_file.h"
#include "workbench/telling/level/level_told.h"

namespace lalometer {
namespace {

struct DistortionOptions {
  std::string path;
  LevelWish wish;
  HarmonicsWish harmonics;
  double microphone_percent = 0.0;
  std::vector<double> tones_hz;
  ReadingOptions reading;
};

/// A sound file whose tones are told on the command line.
int tones_command(const Doors& doors, const DistortionOptions& o) {
  auto bytes = file_bytes(o.path);
  if (!bytes) return refuse(doors, bytes.error());
  Take take;
  take.raw_name = o.path;
  take.conditions.channel = o.reading.channel;
  const auto study = multitone_study(take, *bytes, o.tones_hz);
  if (!study) return refuse(doors, study.error());
  return print(doors, Told().put("multitone", told_of(*study)));
}

int distortion_command(const Doors& doors, const DistortionOptions& o) {
  if (!o.tones_hz.empty()) return tones_command(doors, o);
  const ImportPreview preview = read_source(o.path, choices_of(o.reading), doors.choice);
  std::vector<const Take*> takes;
  std::vector<const ImportItem*> items;
  const ImportItem* tones = nullptr;
  bool response = false;
  for (const ImportItem& item : preview.items) {
    if (item.calibration) continue;
    if (holds_multitone(item.take) && tones == nullptr &&
        item.take.conditions.driver == o.wish.driver)
      tones = &item;
    response = response || item.curve.has_value();
    if (!item.stage || !holds_sweep(item.take)) continue;
    takes.push_back(&item.take);
    items.push_back(&item);
  }
  LevelWish wish = o.wish;
  std::vector<std::size_t> group = level_group(takes, wish);
  Told told;
  if (group.empty() && takes.size() == 1 && wish.driver.empty() && wish.source.empty())
    group = {0};  // a single file, whatever it is of
  if (group.empty() && tones == nullptr) {
    if (!preview.problems.empty()) return refuse(doors, preview.problems.front());
    return refuse(doors, {ErrorCode::kBadInput,
                          !takes.empty() ? "No recorded sweep of that driver or source was found "
                                           "here."
                          : response     ? "Harmonics need a recorded sweep, and levels several of "
                                           "them; this holds curves or impulse responses alone."
                                         : "No recorded sweep and no multitone was found here.",
                          o.path});
  }
  HarmonicsWish harmonics = o.harmonics;
  harmonics.microphone_ratio = o.microphone_percent / 100.0;
  if (!group.empty()) {
    std::vector<std::shared_ptr<const DistortionReading>> readings;
    for (const std::size_t k : group) {
      auto reading = distortion_reading(items[k]->take, *items[k]->stage, harmonics);
      if (!reading) return refuse(doors, reading.error());
      readings.push_back(std::make_shared<const DistortionReading>(*std::move(reading)));
    }
    // The usual drive stands for all.
    const auto usual = *std::min_element(readings.begin(), readings.end(), [](auto& a, auto& b) {
      return std::abs(std::log(a->drive_v / 2.83)) < std::abs(std::log(b->drive_v / 2.83));
    });
    told = told_of(*usual);
    const LevelsReading levels = levels_reading(std::move(readings));
    if (levels.steps.size() > 1) put_levels(told, levels);
  }
  if (tones != nullptr) {
    const auto study = multitone_study(tones->take, tones->raw.bytes);
    if (study)
      told.put("multitone", told_of(*study));
    else if (group.empty())
      return refuse(doors, study.error());
    else
      told.put("multitone", nullptr).note(study.error().text());
  }
  return print(doors, told);
}

struct DecayOptions {
  std::string path;
  std::string kind = "cumulative";
  double gate_ms = 0.0;
  std::string source;
  std::string driver;
  ReadingOptions reading;
};

int decay_command(const Doors& doors, const DecayOptions& o) {
  const ImportPreview preview = read_source(o.path, choices_of(o.reading), doors.choice);
  const ImportItem* best = nullptr;
  double best_angle = 1e12;
  for (const ImportItem& item : preview.items) {
    if (item.calibration || !item.stage) continue;
    if (item.take.conditions.driver != o.driver) continue;
    const auto* near = std::get_if<NearFieldSetup>(&item.take.setup);
    if (!o.source.empty() && (near == nullptr || near->source != o.source)) continue;
    const Placement place = place_of(item.take);
    const double angle = std::abs(place.horizontal_deg) + std::abs(place.vertical_deg) +
                         (near != nullptr ? 1e6 : 0.0);
    if (angle >= best_angle) continue;
    best_angle = angle;
    best = &item;
  }
  if (best == nullptr) {
    if (!preview.problems.empty()) return refuse(doors, preview.problems.front());
    return refuse(doors, {ErrorCode::kBadInput,
                          "A decay needs an impulse response or a recorded sweep; none was found "
                          "here.",
                          o.path});
  }
  const DecayMap::Kind kind = o.kind == "burst"  ? DecayMap::Kind::kBurst
                              : o.kind == "bass" ? DecayMap::Kind::kBass
                                                 : DecayMap::Kind::kCumulative;
  DecayWish wish = usual_wish(best->take, best->recipe, kind);
  if (o.gate_ms > 0.0) wish.gate_s = o.gate_ms / 1e3;
  const auto reading = decay_reading(best->take, *best->stage, wish);
  if (!reading) return refuse(doors, reading.error());
  return print(doors, told_of(*reading));
}

}  // namespace

void add_level_commands(CLI::App& app, Doors& doors, int& status) {
  auto distortion = std::make_shared<DistortionOptions>();
  CLI::App* command = app.add_subcommand(
      "distortion", "harmonics of a sweep, several drives at one place, what a multitone adds");
  command->add_option("path", distortion->path, "recorded sweep, measurement set or book")
      ->required();
  command->add_option("--driver", distortion->wish.driver, "only that driver playing");
  command->add_option("--source", distortion->wish.source, "near field of that part");
  command
      ->add_option("--smooth", distortion->harmonics.smoothing,
                   "1/N octave, of all orders alike; 0: none")
      ->capture_default_str()
      ->check(CLI::Range(0, 96));
  command
      ->add_option("--microphone-thd", distortion->microphone_percent,
                   "the microphone's own distortion at this level, %: nothing below it is told")
      ->check(not_negative());
  command->add_option("--tones", distortion->tones_hz, "of a bare multitone file: its tones, Hz")
      ->delimiter(',');
  add_sound_options(*command, distortion->reading);
  add_source_options(*command, doors.choice);
  command->callback(
      [&doors, &status, distortion] { status = distortion_command(doors, *distortion); });

  auto decay = std::make_shared<DecayOptions>();
  command = app.add_subcommand("decay", "how a response dies away, and what rings on");
  command->add_option("path", decay->path, "impulse response, recorded sweep, set or book")
      ->required();
  command->add_option("--kind", decay->kind, "cumulative, burst or bass")
      ->capture_default_str()
      ->check(CLI::IsMember({"cumulative", "burst", "bass"}));
  command->add_option("--gate-ms", decay->gate_ms, "how much of it is looked at")
      ->check(above_zero());
  command->add_option("--driver", decay->driver, "only that driver playing");
  command->add_option("--source", decay->source, "near field of that part");
  add_sound_options(*command, decay->reading);
  add_source_options(*command, doors.choice);
  command->callback([&doors, &status, decay] { status = decay_command(doors, *decay); });
}

}  // namespace lalometer
