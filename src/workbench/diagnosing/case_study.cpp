#include "workbench/diagnosing/case_study.h"

#include <fmt/format.h>

#include "diagnosis/diagnose.h"
#include "diagnosis/view/view.h"
#include "workbench/diagnosing/case_material.h"

namespace lalometer {
namespace {

constexpr int kVersion = 3;

std::size_t bytes_of(const Diagnosis& d) {
  return sizeof(Diagnosis) + 2048 * (d.findings.size() + d.overall.size() + 1);
}

/// What the impedances say stays while none is added, and costs most: kept by itself.
Result<std::shared_ptr<const ImpedanceSide>> impedances(const CaseInputs& in,
                                                        const CaseMaterial& material,
                                                        const Making& making) {
  std::vector<std::string> parts = {in.drawing, main_variant(material)};
  for (const TakeInputs& each : in.takes)
    if (each.take.kind() == TakeKind::kImpedance)
      parts.push_back(fmt::format("{}/{}/{}", curve_node(each).key, each.take.variant_id,
                                  condition_of(each.take)));
  for (const Variant& v : in.variants) parts.push_back(std::to_string(v.id) + v.change);
  const Node<ImpedanceSide> node{
      node_key("case-impedances", kVersion, parts),
      [&material](const Making& own) -> Result<ImpedanceSide> {
        return impedance_side(material, own.parallel);
      },
      [](const ImpedanceSide& side) { return sizeof(side) + 256 * (side.wiggles.size() + 64); }};
  return making.store.get(node, making);
}

/// What is kept of one take; nothing of it where it cannot be read.
struct KeptTake {
  std::shared_ptr<const Analysis> curve = nullptr;
  std::shared_ptr<const ImpulseStage> stage = nullptr;
  std::shared_ptr<const std::vector<std::string>> heard = nullptr;
};

KeptTake kept_of(const TakeInputs& in, const Making& making) {
  KeptTake kept;
  // A take that cannot be read says so on the score; the others are diagnosed without it.
  if (auto curve = making.store.get(curve_node(in), making)) kept.curve = *std::move(curve);
  if (kept.curve == nullptr || !has_impulse(in.take)) return kept;
  if (auto stage = making.store.get(impulse_node(in), making)) kept.stage = *std::move(stage);
  if (auto heard = making.store.get(heard_beside_node(in), making)) kept.heard = *std::move(heard);
  return kept;
}

Result<Diagnosis> made(const CaseInputs& in, const Making& making) {
  std::vector<KeptTake> kept(in.takes.size());
  making.parallel(in.takes.size(), [&](std::size_t i) {
    if (!making.stop.stop_requested()) kept[i] = kept_of(in.takes[i], making);
  });
  if (making.stop.stop_requested()) return cancelled();
  std::vector<DiagnosedTake> takes;
  for (std::size_t i = 0; i < in.takes.size(); ++i) {
    const TakeInputs& each = in.takes[i];
    if (kept[i].curve == nullptr) continue;
    DiagnosedTake one{.take = &each.take,
                      .variant = std::to_string(each.take.variant_id),
                      .curve = &kept[i].curve->curve,
                      .stage = kept[i].stage.get(),
                      .rig = each.rig.get(),
                      .inputs = &each};
    if (one.stage != nullptr) {
      one.notes = one.stage->notes;
      if (each.recipe.gated) one.gate_s = each.recipe.gate_s;
    }
    if (kept[i].heard != nullptr) one.heard = *kept[i].heard;
    takes.push_back(std::move(one));
  }
  std::vector<CaseVariant> variants;
  for (const Variant& v : in.variants) variants.push_back({std::to_string(v.id), v.change, v.name});
  const AxisHearing hear = [&](const DiagnosedTake& take) {
    const auto heard = making.store.get(heard_on_axis_node(*take.inputs), making);
    return heard ? **heard : HeardOnAxis{};
  };
  return case_material(in.description, in.name, takes, std::move(variants), hear, making.parallel)
      .and_then([&](const CaseMaterial& material) -> Result<Diagnosis> {
        if (making.stop.stop_requested()) return cancelled();
        return impedances(in, material, making).map([&](const auto& side) {
          return diagnose(material, side.get(), making.parallel);
        });
      });
}

}  // namespace

bool is_case_take(const Take& take) {
  return take.accepted && is_measured(take) && has_curve(take);
}

Node<Diagnosis> case_node(const CaseInputs& in) {
  std::vector<std::string> parts = {in.name, in.drawing};
  for (const TakeInputs& each : in.takes) {
    parts.push_back(curve_node(each).key);
    parts.push_back(
        fmt::format("{}/{}/{}", each.take.id, each.take.variant_id, each.take.conditions.sample));
  }
  for (const Variant& v : in.variants) parts.push_back(std::to_string(v.id) + v.change + v.name);
  return {node_key("case", kVersion, parts),
          [in](const Making& making) { return made(in, making); }, bytes_of};
}

}  // namespace lalometer
