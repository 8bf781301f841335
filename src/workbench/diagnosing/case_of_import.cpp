#include "workbench/diagnosing/case_of_import.h"

#include "workbench/diagnosing/case_material.h"

namespace lalometer {

Result<CaseMaterial> case_of(const ImportPreview& preview, const std::string& where,
                             const Parallel& parallel) {
  std::vector<DiagnosedTake> takes;
  std::vector<const ImportItem*> items;
  for (const ImportItem& item : preview.items) {
    if (item.calibration || !item.curve) continue;
    takes.push_back({.take = &item.take,
                     .variant = item.variant_id,
                     .curve = &*item.curve,
                     .stage = item.stage.get(),
                     .gate_s = item.recipe && item.recipe->gated && item.stage ? item.recipe->gate_s
                                                                               : preview.gate_s,
                     .notes = item.stage ? item.stage->notes : std::vector<std::string>(),
                     .rig = item.rig ? &*item.rig : nullptr});
    items.push_back(&item);
  }
  parallel(items.size(), [&](std::size_t i) {
    const ImportItem& item = *items[i];
    if (item.stage)
      takes[i].heard = heard_beside({item.take, item.raw.bytes, item.rig.value_or(RigCalibration{}),
                                     item.recipe.value_or(Recipe{})},
                                    *item.stage);
  });
  if (takes.empty() && !preview.problems.empty()) return tl::unexpected(preview.problems.front());
  std::vector<CaseVariant> variants;
  for (const auto& [id, variant] : preview.variants)
    variants.push_back({id, variant.change, variant.name});
  const Description nothing;
  return case_material(preview.subject ? preview.subject->description : nothing, where, takes,
                       std::move(variants), heard_now, parallel);
}

}  // namespace lalometer
