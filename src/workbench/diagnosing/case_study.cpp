#include "workbench/diagnosing/case_study.h"

#include <fmt/format.h>

#include "diagnosis/diagnose.h"
#include "diagnosis/view/view.h"
#include "workbench/diagnosing/case_material.h"

namespace lalometer {
namespace {

constexpr int kVersion = 2;

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
      [&material](const Making&) -> Result<ImpedanceSide> { return impedance_side(material); },
      [](const ImpedanceSide& side) { return sizeof(side) + 256 * (side.wiggles.size() + 64); }};
  return making.store.get(node, making);
}

Result<Diagnosis> made(const CaseInputs& in, const Making& making) {
  std::vector<std::shared_ptr<const Analysis>> curves;
  std::vector<std::shared_ptr<const ImpulseStage>> stages;
  std::vector<DiagnosedTake> takes;
  for (const TakeInputs& each : in.takes) {
    if (making.stop.stop_requested()) return cancelled();
    auto curve = making.store.get(curve_node(each), making);
    // A take that cannot be read says so on the score; the others are diagnosed without it.
    if (!curve) {
      if (curve.error().code == ErrorCode::kCancelled) return tl::unexpected(curve.error());
      continue;
    }
    curves.push_back(*curve);
    DiagnosedTake one{.take = &each.take,
                      .variant = std::to_string(each.take.variant_id),
                      .curve = &curves.back()->curve};
    if (has_impulse(each.take)) {
      if (auto stage = making.store.get(impulse_node(each), making)) {
        stages.push_back(*stage);
        one.stage = stages.back().get();
        one.notes = stages.back()->notes;
        if (each.recipe.gated) one.gate_s = each.recipe.gate_s;
      }
    }
    takes.push_back(std::move(one));
  }
  std::vector<CaseVariant> variants;
  for (const Variant& v : in.variants) variants.push_back({std::to_string(v.id), v.change, v.name});
  return case_material(in.description, in.name, takes, std::move(variants))
      .and_then([&](const CaseMaterial& material) {
        return impedances(in, material, making).map([&](const auto& side) {
          return diagnose(material, side.get());
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
