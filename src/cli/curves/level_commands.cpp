#include "cli/curves/level_commands.h"

#include <CLI/CLI.hpp>
#include <cmath>
#include <memory>

#include "cli/curves/distortion_command.h"
#include "cli/options/option_checks.h"
#include "cli/options/reading_options.h"
#include "cli/output.h"
#include "workbench/answers/level_answer.h"
#include "workbench/telling/level/level_told.h"

namespace lalometer {
namespace {

struct DecayOptions {
  std::string path;
  std::string kind = "cumulative";
  double gate_ms = 0.0;
  std::string source;
  std::string driver;
  ReadingOptions reading;
};

int decay_command(const Doors& doors, const DecayOptions& o) {
  const ImportPreview preview = read_for(doors, o.path, choices_of(o.reading));
  const ImportItem* best = decay_item(preview, o.driver, o.source);
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
  add_distortion_command(app, doors, status);
  auto decay = std::make_shared<DecayOptions>();
  CLI::App* command = app.add_subcommand("decay", "how a response dies away, and what rings on");
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
