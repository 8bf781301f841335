#include "cli/diagnose_command.h"

#include <CLI/CLI.hpp>
#include <list>
#include <memory>

#include "cli/options/reading_options.h"
#include "cli/output.h"
#include "diagnosis/diagnose.h"
#include "workbench/diagnosing/case_material.h"
#include "workbench/telling/case/case_told.h"

namespace lalometer {
namespace {

struct DiagnoseOptions {
  std::string path;
  ReadingOptions reading;
};

int diagnose_command(const Doors& doors, const DiagnoseOptions& o) {
  const ImportPreview preview = read_source(o.path, choices_of(o.reading), doors.choice);
  std::vector<DiagnosedTake> takes;
  std::list<AnalysisInput> recordings;  // they stay where they are
  for (const ImportItem& item : preview.items) {
    if (item.calibration || !item.curve) continue;
    if (item.stage)
      recordings.push_back({item.take, item.raw.bytes, item.rig.value_or(RigCalibration{}),
                            item.recipe.value_or(Recipe{})});
    takes.push_back({.take = &item.take,
                     .variant = item.variant_id,
                     .curve = &*item.curve,
                     .stage = item.stage.get(),
                     .gate_s = item.recipe && item.recipe->gated && item.stage ? item.recipe->gate_s
                                                                               : preview.gate_s,
                     .notes = item.stage ? item.stage->notes : std::vector<std::string>(),
                     .recording = item.stage ? &recordings.back() : nullptr});
  }
  if (takes.empty() && !preview.problems.empty()) return refuse(doors, preview.problems.front());
  std::vector<CaseVariant> variants;
  for (const auto& [id, variant] : preview.variants) variants.push_back({id, variant.change});
  const Description nothing;
  const auto material = case_material(preview.subject ? preview.subject->description : nothing,
                                      o.path, takes, std::move(variants));
  if (!material) return refuse(doors, material.error());
  Told told = told_of(diagnose(*material));
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
