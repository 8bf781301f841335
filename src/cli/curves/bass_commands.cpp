#include "cli/curves/bass_commands.h"

#include <CLI/CLI.hpp>
#include <memory>

#include "cli/options/option_checks.h"
#include "cli/output.h"
#include "workbench/answers/bass_answer.h"
#include "workbench/sharing/sources.h"

namespace lalometer {
namespace {

int near_field_command(const Doors& doors, const std::string& path, const Placement& place) {
  const ImportPreview preview = read_for(doors, path);
  const auto material = bass_material(preview, doors.choice.variant, path);
  if (!material) return refuse(doors, material.error());
  const auto answer = near_answer(**material, place, path);
  return answer ? print(doors, answer->told) : refuse(doors, answer.error());
}

int splice_command(const Doors& doors, const std::string& path, double at_hz) {
  const ImportPreview preview = read_for(doors, path);
  const auto material = bass_material(preview, doors.choice.variant, path);
  if (!material) return refuse(doors, material.error());
  const auto answer = splice_answer(**material, at_hz, path);
  return answer ? print(doors, answer->told) : refuse(doors, answer.error());
}

}  // namespace

void add_bass_commands(CLI::App& app, Doors& doors, int& status) {
  struct NearOptions {
    std::string path;
    Placement place = {};
  };
  auto near = std::make_shared<NearOptions>();
  near->place.distance_m = kFarAway_m;
  CLI::App* command = app.add_subcommand(
      "near-field",
      "sum of the near fields of cones, ports and radiators, and what it makes at 1 m");
  command->add_option("path", near->path, "measurement set or book")->required();
  command->add_option("--horizontal-deg", near->place.horizontal_deg,
                      "the full space off the axis, to the right");
  command->add_option("--vertical-deg", near->place.vertical_deg, "the same upward");
  command->add_option("--distance-m", near->place.distance_m, "from where it is heard")
      ->check(above_zero());
  add_source_options(*command, doors.choice);
  command->callback(
      [&doors, &status, near] { status = near_field_command(doors, near->path, near->place); });

  struct SpliceOptions {
    std::string path;
    double at_hz = 0.0;
  };
  auto splice = std::make_shared<SpliceOptions>();
  command = app.add_subcommand("splice", "near fields and gated far field joined to one curve");
  command->add_option("path", splice->path, "measurement set or book")->required();
  command->add_option("--at", splice->at_hz, "where to join, Hz; the best place otherwise")
      ->check(above_zero());
  add_source_options(*command, doors.choice);
  command->callback(
      [&doors, &status, splice] { status = splice_command(doors, splice->path, splice->at_hz); });
}

}  // namespace lalometer
