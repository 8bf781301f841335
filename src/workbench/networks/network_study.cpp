#include "workbench/networks/network_study.h"

#include <algorithm>
#include <map>

#include "book/description/subject_geometry.h"

namespace lalometer {

Result<NetworkMaterial> study_network(const NetworkStudyInputs& in, const CurveSource& curves,
                                      std::stop_token stop, const Progress& progress) {
  const auto geometry = geometry_of(in.description, in.name);
  if (!geometry) return tl::unexpected(geometry.error());
  std::map<Id, int> counts;
  Id main = 0;
  for (const Take& t : in.takes)
    if (!t.conditions.driver.empty() && t.accepted && ++counts[t.variant_id] > counts[main])
      main = t.variant_id;
  std::vector<TakenCurve> read;
  read.reserve(in.takes.size());
  std::vector<NetworkTake> takes;
  std::size_t done = 0;
  for (const Take& t : in.takes) {
    if (stop.stop_requested()) return cancelled();
    if (progress) progress(static_cast<double>(done++) / static_cast<double>(in.takes.size()));
    const bool wanted = t.kind() == TakeKind::kResponse || t.kind() == TakeKind::kImpedance;
    if (t.variant_id != main || !wanted || !t.accepted || !has_curve(t)) continue;
    auto curve = curves(t);
    if (!curve) return tl::unexpected(curve.error());
    read.push_back(*std::move(curve));
    takes.push_back({&t, &read.back().curve, read.back().clean_from_hz});
  }
  auto material = network_material(takes, *geometry, in.name);
  if (material) {
    add_motors(*material, in.description);
    bring_to_one_axis(*material);
  }
  return material;
}

Result<BuiltTakes> study_built(const NetworkStudyInputs& in, Id variant, const CurveSource& curves,
                               std::stop_token stop) {
  const auto geometry = geometry_of(in.description, in.name);
  // Of a subject with one driver every take is of the whole.
  BuiltTakes built;
  for (const Take& t : in.takes) {
    if (stop.stop_requested()) return cancelled();
    if (t.variant_id != variant || !t.accepted || !has_curve(t) || !t.conditions.driver.empty() ||
        !is_measured(t))
      continue;
    const bool sound = t.kind() == TakeKind::kResponse && !built.sound;
    const bool load = t.kind() == TakeKind::kImpedance && !built.load;
    const Placement p = place_of(t);
    if (!load && (!sound || p.horizontal_deg != 0.0 || p.vertical_deg != 0.0)) continue;
    auto curve = curves(t);
    if (!curve) return tl::unexpected(curve.error());
    if (sound)
      built.sound = std::move(curve->curve);
    else if (condition_of(t) != "free-air")
      built.load = std::move(curve->curve);
  }
  if (!built.sound && !built.load)
    return bad_input(
        "This variant has neither a response of the whole loudspeaker on the axis nor "
        "its impedance.",
        in.name);
  return built;
}

DesignedNetwork bare_network(const NetworkMaterial& m) {
  DesignedNetwork n;
  for (const NetworkDriver& d : m.drivers) n.branches.push_back({.driver = d.id});
  return n;
}

}  // namespace lalometer
