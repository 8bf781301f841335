#include "workbench/diagnosing/case_material.h"

#include <algorithm>

#include "book/description/driver_parameters.h"
#include "book/description/subject_geometry.h"
#include "diagnosis/view/view.h"
#include "workbench/bass/near_material.h"

namespace lalometer {
namespace {

CaseSubject subject_of(const Description& description, const SubjectGeometry& g,
                       const std::string& where) {
  CaseSubject s;
  s.loading = g.loading;
  for (const SubjectDriver& d : g.drivers) {
    CaseDriver one{.id = d.id,
                   .role = d.role,
                   .x_m = d.x_m,
                   .y_m = d.y_m,
                   .radius_m = d.radius_m.value_or(0.0),
                   .high = is_high_driver(d.role)};
    for (const DescribedDriver& told : description.drivers) {
      if (told.id != d.id) continue;
      if (const auto p = parameters_of(told, where); p && !p->usual) one.told = p->elements;
    }
    s.drivers.push_back(std::move(one));
  }
  s.baffle = g.baffle;
  s.origin_x_m = g.origin_x_m;
  s.origin_y_m = g.origin_y_m;
  s.volume_m3 = g.acoustic_volume_m3();
  s.inner = g.inner;
  s.damping = g.damping;
  for (const SubjectPort& p : g.ports)
    s.ports.push_back({p.id, p.geometry, p.radius_m, p.count, p.panel == "front"});
  for (const SubjectRadiator& r : g.radiators) s.radiators.push_back({r.id, r.radius_m});
  const auto put = [&](const std::string& id, const std::string& panel, double x, double y) {
    s.places.push_back(source_at(g, id, {panel_of(panel).value_or(Panel::kFront), x, y}));
  };
  for (const SubjectDriver& d : g.drivers) put(d.id, "front", d.x_m, d.y_m);
  for (const SubjectPort& p : g.ports) put(p.id, p.panel, p.x_m, p.y_m);
  for (const SubjectRadiator& r : g.radiators) put(r.id, r.panel, r.x_m, r.y_m);
  s.wing_m = std::max(g.left_wing_m, g.right_wing_m);
  for (const SubjectCrossover& x : g.crossovers)
    s.crossovers.push_back({x.low, x.high, x.frequency_hz});
  return s;
}

/// What a recording showed, by the words of the checks and of the notes.
std::vector<std::string> seen_of(const DiagnosedTake& t) {
  std::vector<std::string> seen;
  for (const Remark& r : t.take->remarks) {
    if (r.code == "clipping" || r.code == "mains-hum") seen.push_back(r.code);
    if (r.code == "signal-to-noise" && r.weight != Remark::Weight::kNote)
      seen.emplace_back("noise");
  }
  for (const std::string& note : t.notes)
    if (note.find("clipped") != std::string::npos) seen.emplace_back("clipping");
  seen.insert(seen.end(), t.heard.begin(), t.heard.end());
  return seen;
}

}  // namespace

HeardOnAxis heard_now(const DiagnosedTake& t) {
  return heard_on_axis(*t.take, *t.curve, t.stage, t.rig);
}

Result<CaseMaterial> case_material(const Description& description, const std::string& where,
                                   const std::vector<DiagnosedTake>& takes,
                                   std::vector<CaseVariant> variants, const AxisHearing& hear,
                                   const Parallel& parallel) {
  const auto geometry = geometry_of(description, where);
  if (!geometry) return tl::unexpected(geometry.error());
  CaseMaterial m{.subject = subject_of(description, *geometry, where),
                 .variants = std::move(variants)};
  std::vector<const DiagnosedTake*> sources;
  for (const DiagnosedTake& t : takes) {
    if (t.curve == nullptr || t.curve->size() < 4) continue;
    const Take& take = *t.take;
    CaseTake one{.name = take.name,
                 .id = take.id,
                 .variant = t.variant,
                 .sample = take.conditions.sample,
                 .driver = take.conditions.driver,
                 .source = {},
                 .condition = condition_of(take),
                 .flipped = take.conditions.polarity_flipped,
                 .curve = *t.curve,
                 .seen = seen_of(t)};
    const Placement place = place_of(take);
    one.horizontal_deg = place.horizontal_deg;
    one.vertical_deg = place.vertical_deg;
    one.distance_m = place.distance_m;
    one.gate_s = t.gate_s > 0.0 ? t.gate_s : take.conditions.gate_s;
    one.drive_v = take.conditions.drive_v;
    switch (take.kind()) {
      case TakeKind::kNearField:
        one.kind = CaseTake::Kind::kNearField;
        one.source = std::get<NearFieldSetup>(take.setup).source;
        one.condition.clear();
        break;
      case TakeKind::kImpedance:
        one.kind = CaseTake::Kind::kImpedance;
        break;
      case TakeKind::kResponse:
      case TakeKind::kLevelStep:
        one.kind = CaseTake::Kind::kResponse;
        if (one.condition == "in-box") one.condition.clear();
        break;
      case TakeKind::kMultitone:
      case TakeKind::kSteadyTones:
      case TakeKind::kUnknown:
        continue;
    }
    if (t.stage != nullptr && t.stage->first_reflection_s)
      one.reflection_s = *t.stage->first_reflection_s - t.stage->gate_start_s();
    m.takes.push_back(std::move(one));
    sources.push_back(&t);
  }
  if (m.takes.empty()) return bad_input("Nothing that could be diagnosed was found here.", where);
  const std::vector<std::size_t> axes = axis_takes(m);
  parallel(axes.size(), [&](std::size_t i) {
    HeardOnAxis heard = hear(*sources[axes[i]]);
    m.takes[axes[i]].ridges = std::move(heard.ridges);
    m.takes[axes[i]].harmonics = std::move(heard.harmonics);
  });
  return m;
}

}  // namespace lalometer
