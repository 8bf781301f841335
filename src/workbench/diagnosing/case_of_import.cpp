#include "workbench/diagnosing/case_of_import.h"

#include <list>

#include "workbench/diagnosing/case_material.h"

namespace lalometer {

Result<CaseMaterial> case_of(const ImportPreview& preview, const std::string& where) {
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
  if (takes.empty() && !preview.problems.empty()) return tl::unexpected(preview.problems.front());
  std::vector<CaseVariant> variants;
  for (const auto& [id, variant] : preview.variants)
    variants.push_back({id, variant.change, variant.name});
  const Description nothing;
  return case_material(preview.subject ? preview.subject->description : nothing, where, takes,
                       std::move(variants));
}

}  // namespace lalometer
