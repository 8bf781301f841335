#include "cli/diagnose_command.h"

#include <CLI/CLI.hpp>
#include <memory>

#include "cli/options/reading_options.h"
#include "cli/output.h"
#include "diagnosis/diagnose.h"
#include "workbench/diagnosing/case_of_import.h"
#include "workbench/telling/case/case_told.h"

namespace lalometer {
namespace {

struct DiagnoseOptions {
  std::string path;
  ReadingOptions reading;
};

int diagnose_command(const Doors& doors, const DiagnoseOptions& o) {
  const ImportPreview preview = read_for(doors, o.path, choices_of(o.reading));
  const Parallel parallel = on_threads();
  const auto material = case_of(preview, o.path, parallel);
  if (!material) return refuse(doors, material.error());
  Told told = told_of(diagnose(*material, nullptr, parallel));
  for (const Error& problem : preview.problems) told.note(problem.text());
  return print(doors, told);
}

}  // namespace

void add_diagnose_command(CLI::App& app, Doors& doors, int& status) {
  auto o = std::make_shared<DiagnoseOptions>();
  CLI::App* command = app.add_subcommand(
      "diagnose", "what is wrong with a loudspeaker, why, and which take would settle it");
  command->add_option("path", o->path, "measurement set, folder or book")->required();
  add_sound_options(*command, o->reading);
  add_source_options(*command, doors.choice);
  command->callback([&doors, &status, o] { status = diagnose_command(doors, *o); });
}

}  // namespace lalometer
