#include "cli/curves/distortion_command.h"

#include <CLI/CLI.hpp>
#include <algorithm>
#include <cmath>
#include <memory>

#include "cli/options/option_checks.h"
#include "cli/options/reading_options.h"
#include "cli/output.h"
#include "exchange/audio_file.h"
#include "workbench/answers/level_answer.h"
#include "workbench/telling/level/level_told.h"
#include "workbench/telling/level/noises_told.h"

namespace lalometer {
namespace {

using Reading = std::shared_ptr<const DistortionReading>;

struct DistortionOptions {
  std::string path;
  LevelWish wish;
  HarmonicsWish harmonics;
  double microphone_percent = 0.0;
  std::vector<double> tones_hz;
  bool in_turn = false;
  bool rub = false;
  std::string good;
  ReadingOptions reading;
};

/// A sound file whose tones are told on the command line.
int tones_command(const Doors& doors, const DistortionOptions& o) {
  auto bytes = file_bytes(o.path);
  if (!bytes) return refuse(doors, bytes.error());
  Take take;
  take.raw_name = o.path;
  take.conditions.channel = o.reading.channel;
  take.conditions.loopback_channel = o.reading.loopback_channel;
  if (o.in_turn) {
    take.setup = SteadyTonesSetup{{}, {}, o.tones_hz};
    const auto study = steady_study(take, *bytes, o.harmonics);
    if (!study) return refuse(doors, study.error());
    return print(doors, told_of(*study));
  }
  const auto study = multitone_study(take, *bytes, o.tones_hz);
  if (!study) return refuse(doors, study.error());
  return print(doors, Told().put("multitone", told_of(*study)));
}

/// What a source holds, by what can be read of it.
struct Takes {
  std::vector<const Take*> sweeps;
  std::vector<const ImportItem*> of_sweeps;
  std::vector<const ImportItem*> multitones;
  std::vector<const ImportItem*> steady;
  bool curves = false;
};

Takes sorted(const ImportPreview& preview, const LevelWish& wish) {
  Takes all;
  for (const ImportItem& item : preview.items) {
    if (item.calibration) continue;
    const bool alone = item.take.conditions.driver == wish.driver;
    if (holds_multitone(item.take) && alone) all.multitones.push_back(&item);
    if (holds_steady_tones(item.take) && alone &&
        std::get<SteadyTonesSetup>(item.take.setup).source == wish.source)
      all.steady.push_back(&item);
    all.curves = all.curves || item.curve.has_value();
    if (!item.stage || !holds_sweep(item.take)) continue;
    all.sweeps.push_back(&item.take);
    all.of_sweeps.push_back(&item);
  }
  return all;
}

AnalysisInput input_of(const ImportItem& item) {
  return {item.take, item.raw.bytes, item.rig.value_or(RigCalibration{}),
          item.recipe.value_or(Recipe{})};
}

class Teller {
 public:
  Teller(const Doors& doors, const DistortionOptions& o, const ImportPreview& preview)
      : doors_(doors), options_(o), preview_(preview), takes_(sorted(preview, o.wish)) {
    wish_ = o.harmonics;
    wish_.microphone_ratio = o.microphone_percent / 100.0;
  }

  int run() {
    auto levels = level_answer(preview_, options_.wish, wish_);
    if (!levels) return refuse(doors_, levels.error());
    levels_ = *std::move(levels);
    if (levels_.items.empty() && takes_.multitones.empty() && takes_.steady.empty())
      return nothing();
    if (auto sweeps = tell_sweeps(); !sweeps) return refuse(doors_, sweeps.error());
    if (auto steady = tell_steady(); !steady) return refuse(doors_, steady.error());
    if (auto tones = tell_multitones(); !tones) return refuse(doors_, tones.error());
    if (auto parts = tell_parts(); !parts) return refuse(doors_, parts.error());
    return print(doors_, told_);
  }

 private:
  int nothing() const {
    if (!preview_.problems.empty()) return refuse(doors_, preview_.problems.front());
    return refuse(
        doors_,
        {ErrorCode::kBadInput,
         !takes_.sweeps.empty() ? "No recorded sweep of that driver or source was found here."
         : takes_.curves        ? "Harmonics need a recorded sweep, and levels several of them; "
                                  "this holds curves or impulse responses alone."
                                : "No recorded sweep and no tones were found here.",
         options_.path});
  }

  Result<Reading> read(const ImportItem& item) const {
    const RigCalibration rig = item.rig.value_or(RigCalibration{});
    return distortion_reading(item.take, *item.stage, with_microphone(wish_, rig))
        .map([](DistortionReading&& r) {
          return std::make_shared<const DistortionReading>(std::move(r));
        });
  }

  Result<void> tell_sweeps() {
    if (levels_.items.empty()) return {};
    usual_ = levels_.readings[levels_.usual];
    told_ = told_of(*usual_);
    if (auto rub = tell_rub(*levels_.items[levels_.usual]); !rub) return rub;
    if (auto noise = tell_port_noise(levels_.readings); !noise) return noise;
    const LevelsReading levels = levels_reading(levels_.readings);
    if (levels.steps.size() > 1) put_levels(told_, levels);
    return {};
  }

  Result<void> tell_rub(const ImportItem& item) {
    if (!options_.rub && options_.good.empty()) return {};
    const auto own = rub_reading(input_of(item), *item.stage, {});
    if (!own) return tl::unexpected(own.error());
    told_.put("rub", told_of(*own));
    if (options_.good.empty()) return {};
    const ImportPreview good = read_source(options_.good, choices_of(options_.reading), {});
    const Takes others = sorted(good, options_.wish);
    const ImportItem* best = nullptr;
    for (const ImportItem* other : others.of_sweeps)
      if (best == nullptr ||
          (same_level_place(item.take, other->take) &&
           std::abs(other->take.conditions.drive_v - item.take.conditions.drive_v) < 1e-3))
        best = other;
    if (best == nullptr)
      return good.problems.empty()
                 ? Result<void>(bad_input("No recorded sweep was found there.", options_.good))
                 : tl::unexpected(good.problems.front());
    const auto theirs = rub_reading(input_of(*best), *best->stage, {});
    if (!theirs) return tl::unexpected(theirs.error());
    told_.put("against_good",
              told_of(residue_change(own->residue, theirs->residue), "the good one"));
    return {};
  }

  /// Of a port's near field at several drives.
  Result<void> tell_port_noise(const std::vector<Reading>& readings) {
    if (!preview_.subject || options_.wish.source.empty()) return {};
    const auto geometry = geometry_of(preview_.subject->description, options_.path);
    if (!geometry) return tl::unexpected(geometry.error());
    const auto part = part_of(*geometry, options_.wish.source);
    if (!part || !part->port) return {};
    std::vector<RubReading> rubs;
    std::vector<PortStep> steps;
    rubs.reserve(readings.size());
    for (std::size_t i = 0; i < readings.size(); ++i) {
      const ImportItem& item = *levels_.items[i];
      auto rub = rub_reading(input_of(item), *item.stage, {});
      if (!rub) return {};  // without a silence nothing can be told
      rubs.push_back(*std::move(rub));
      steps.push_back({&rubs.back(), readings[i].get(), place_of(item.take).distance_m});
    }
    if (const auto noise = port_noise(steps, part->radius_m))
      told_.put("port_noise", told_of(*noise));
    return {};
  }

  Result<void> tell_steady() {
    if (takes_.steady.empty()) return {};
    const ImportItem& item = *takes_.steady.front();
    const RigCalibration rig = item.rig.value_or(RigCalibration{});
    auto study = steady_study(item.take, item.raw.bytes, with_microphone(wish_, rig),
                              item.rig ? &*item.rig : nullptr);
    if (!study) return tl::unexpected(study.error());
    if (usual_ == nullptr) {
      told_ = told_of(*study);
      return {};
    }
    Told steady = told_of(*study);
    if (const auto check = steady_check(*usual_, *study)) steady.put("check", told_of(*check));
    told_.put("steady_tones", std::move(steady));
    return {};
  }

  Result<void> tell_multitones() {
    std::vector<std::pair<std::string, MultitoneStudy>> studies;
    for (const ImportItem* item : takes_.multitones) {
      auto study =
          multitone_study(item->take, item->raw.bytes, {}, item->rig ? &*item->rig : nullptr);
      if (study) {
        studies.emplace_back(item->take.name, *std::move(study));
        continue;
      }
      if (usual_ == nullptr && takes_.multitones.size() == 1) return tl::unexpected(study.error());
      told_.put("multitone", nullptr).note(study.error().text());
    }
    if (studies.empty()) return {};
    // The one with the most tones stands first.
    std::stable_sort(studies.begin(), studies.end(), [](const auto& a, const auto& b) {
      return a.second.reading.tones_hz.size() > b.second.reading.tones_hz.size();
    });
    told_.put("multitone", told_of(studies.front().second));
    if (studies.size() < 2) return {};
    std::vector<Told> rows;
    std::vector<Told> changes;
    for (const auto& [name, study] : studies) rows.push_back(told_of(study).put("name", name));
    for (std::size_t i = 0; i < studies.size(); ++i)
      for (std::size_t k = i + 1; k < studies.size(); ++k)
        if (const auto change = multitone_change(studies[i].second, studies[k].second))
          changes.push_back(told_of(*change, studies[i].first, studies[k].first));
    told_.put("multitones", Told::Value(std::move(rows)));
    told_.put("multitone_changes", Told::Value(std::move(changes)));
    return {};
  }

  /// Near fields of cone and port side by side, where nobody asked for one alone.
  Result<void> tell_parts() {
    if (!preview_.subject || !options_.wish.source.empty() || !options_.wish.driver.empty())
      return {};
    const auto geometry = geometry_of(preview_.subject->description, options_.path);
    if (!geometry) return {};
    std::vector<PartReading> parts;
    for (const PartTake& part : parts_side_by_side(takes_.sweeps, *geometry)) {
      auto reading = read(*takes_.of_sweeps[part.index]);
      if (!reading) return tl::unexpected(reading.error());
      parts.push_back({part.source, part.radius_m, part.count, part.port, part.distance_m,
                       *std::move(reading)});
    }
    if (parts.size() < 2) return {};
    const auto reading = parts_reading(std::move(parts));
    if (!reading) return tl::unexpected(reading.error());
    told_.put("side_by_side", told_of(*reading));
    return {};
  }

  const Doors& doors_;
  const DistortionOptions& options_;
  const ImportPreview& preview_;
  Takes takes_;
  HarmonicsWish wish_;
  LevelAnswer levels_;
  Reading usual_;
  Told told_;
};

int distortion_command(const Doors& doors, const DistortionOptions& o) {
  if (!o.tones_hz.empty()) return tones_command(doors, o);
  const ImportPreview preview = read_for(doors, o.path, choices_of(o.reading));
  return Teller(doors, o, preview).run();
}

}  // namespace

void add_distortion_command(CLI::App& app, Doors& doors, int& status) {
  auto distortion = std::make_shared<DistortionOptions>();
  CLI::App* command = app.add_subcommand(
      "distortion",
      "harmonics of a sweep or of tones, several drives at one place, what a multitone adds, rub "
      "and buzz");
  command->add_option("path", distortion->path, "recorded sweep, measurement set or book")
      ->required();
  command->add_option("--driver", distortion->wish.driver, "only that driver playing");
  command->add_option("--source", distortion->wish.source,
                      "near field of that part; of a port at several drives also its noise");
  command
      ->add_option("--smooth", distortion->harmonics.smoothing,
                   "1/N octave, of all orders alike; 0: none")
      ->capture_default_str()
      ->check(CLI::Range(0, 96));
  command
      ->add_option("--microphone-thd", distortion->microphone_percent,
                   "the microphone's own distortion at this level, %: nothing below it is told")
      ->check(not_negative());
  command->add_option("--tones", distortion->tones_hz, "of a bare file of tones: them, Hz")
      ->delimiter(',');
  command->add_flag("--in-turn", distortion->in_turn,
                    "they were played one after the other, as `stimulus --in-turn` writes them");
  command->add_flag("--rub", distortion->rub, "also what lies above the tenth order");
  command->add_option("--good", distortion->good,
                      "a good one's recording, set or book: what is worse above the tenth order");
  add_sound_options(*command, distortion->reading);
  add_source_options(*command, doors.choice);
  command->callback(
      [&doors, &status, distortion] { status = distortion_command(doors, *distortion); });
}

}  // namespace lalometer
