#include "workbench/report/report_material.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "base/constants.h"
#include "diagnosis/diagnose.h"
#include "workbench/angles/orbit_material.h"
#include "workbench/diagnosing/case_of_import.h"
#include "workbench/telling/angles_told.h"
#include "workbench/telling/case/case_told.h"
#include "workbench/telling/impedance_told.h"
#include "workbench/telling/level/level_told.h"

namespace lalometer {
namespace {

/// The variant with most takes of a preview; empty where it has none.
std::string main_variant(const ImportPreview& preview) {
  std::map<std::string, int> counts;
  std::string best;
  for (const ImportItem& item : preview.items)
    if (!item.calibration && ++counts[item.variant_id] > (best.empty() ? 0 : counts[best]))
      best = item.variant_id;
  return best;
}

Result<std::string> variant_of(const ImportPreview& preview, const std::string& wanted,
                               const std::string& where) {
  if (wanted.empty()) return main_variant(preview);
  std::string names;
  for (const auto& [id, variant] : preview.variants) {
    if (id == wanted || variant.name == wanted) return id;
    names += (names.empty() ? "\"" : ", \"") + variant.name + "\"";
  }
  return bad_input("There is no variant \"" + wanted + "\" (there are " +
                       (names.empty() ? "none" : names) + ").",
                   where);
}

template <class Value, class Answer>
void keep(Answered<Value>& to, Result<Answer> answer, Told told = {}) {
  if (answer) {
    to.told = std::move(told);
    to.value = std::make_shared<const Value>(*std::move(answer));
  } else {
    to.why_not = answer.error().message;
  }
}

void answer_bass(ReportMaterial& m) {
  const auto bass = bass_material(m.preview, {}, m.where);
  if (!bass) {
    m.near.why_not = m.splice.why_not = bass.error().message;
    return;
  }
  Placement far;
  far.distance_m = kFarAway_m;
  auto near = near_answer(**bass, far, m.where);
  Told told = near ? near->told : Told();
  keep(m.near, std::move(near), std::move(told));
  auto splice = splice_answer(**bass, 0.0, m.where);
  told = splice ? splice->told : Told();
  keep(m.splice, std::move(splice), std::move(told));
}

void answer_box(ReportMaterial& m) {
  const auto z = impedance_in(m.preview, "in-box", m.where, true);
  if (!z) {
    m.box.why_not = z.error().message;
    return;
  }
  const std::string loading = m.preview.subject ? m.preview.subject->description.loading : "";
  const ImpedanceRole role = impedance_role("in-box", loading).value_or(guessed_role(z->curve));
  BoxAnswer answer{z->curve, read_impedance(z->curve, role, {}, z->calibration_percent), z->take};
  const auto value = std::make_shared<const BoxAnswer>(std::move(answer));
  m.box.told = told_of(BoxImpedance{.impedance = &value->impedance, .reading = &value->reading});
  m.box.value = value;
}

void answer_angles(ReportMaterial& m, const Parallel& parallel) {
  auto orbit = orbit_material(m.preview, {}, m.where, parallel);
  if (!orbit) {
    m.angles.why_not = orbit.error().message;
    return;
  }
  const auto taken = std::make_shared<const OrbitMaterial>(*std::move(orbit));
  const AngleView view;
  m.angles.value = std::make_shared<const AngleReading>(
      angle_reading(taken, view, foretold_of(*taken, view.fall_db), parallel));
  m.angles.told = told_of(*m.angles.value);
  m.horizontal = told_of(*taken, m.angles.value->horizontal);
  m.vertical = told_of(*taken, m.angles.value->vertical);
}

void answer_time(ReportMaterial& m) {
  if (const ImportItem* item = decay_item(m.preview, {}, {})) {
    auto reading = decay_reading(item->take, *item->stage,
                                 usual_wish(item->take, item->recipe, DecayMap::Kind::kCumulative));
    Told told = reading ? told_of(*reading) : Told();
    keep(m.decay, std::move(reading), std::move(told));
  } else {
    m.decay.why_not = "A decay needs an impulse response or a recorded sweep.";
  }
  auto levels = level_answer(m.preview, {}, {});
  if (!levels || levels->readings.empty()) {
    m.levels.why_not = levels ? "Harmonics need a recorded sweep." : levels.error().message;
    return;
  }
  m.usual = levels->readings[levels->usual];
  Told told = told_of(*m.usual);
  LevelsReading reading = levels_reading(levels->readings);
  if (reading.steps.size() > 1) put_levels(told, reading);
  m.levels.told = std::move(told);
  m.levels.value = std::make_shared<const LevelsReading>(std::move(reading));
}

void find_ahead(ReportMaterial& m) {
  double best = 1e12;
  for (const ImportItem& item : m.preview.items) {
    if (!item.curve || item.calibration || item.take.kind() != TakeKind::kResponse ||
        !is_measured(item.take) || !item.take.conditions.driver.empty())
      continue;
    const Placement p = place_of(item.take);
    const double angle = std::abs(p.horizontal_deg) + std::abs(p.vertical_deg);
    if (angle >= best) continue;
    best = angle;
    m.ahead = &item;
  }
  if (best > 0.5) m.ahead = nullptr;
}

}  // namespace

Result<std::shared_ptr<const ReportMaterial>> report_material(
    ImportPreview source, const std::string& wanted, const std::string& where, std::stop_token stop,
    const Progress& progress, const Parallel& parallel) {
  if (source.items.empty())
    return source.problems.empty() ? bad_input("Nothing was measured here.", where)
                                   : tl::unexpected(source.problems.front());
  const auto variant = variant_of(source, wanted, where);
  if (!variant) return tl::unexpected(variant.error());
  auto m = std::make_shared<ReportMaterial>();
  m->where = where;
  const auto step = [&](double share) {
    if (progress) progress(share);
    return stop.stop_requested();
  };
  // The case looks at other variants too: before they are put aside.
  if (const auto material = case_of(source, where, parallel)) {
    if (step(0.1)) return cancelled();
    Diagnosis diagnosis = diagnose(*material, nullptr, parallel);
    m->diagnosis.told = told_of(diagnosis);
    m->diagnosis.value = std::make_shared<const Diagnosis>(std::move(diagnosis));
  } else {
    m->diagnosis.why_not = material.error().message;
  }
  if (step(0.35)) return cancelled();
  m->preview = std::move(source);
  std::erase_if(m->preview.items, [&](const ImportItem& i) {
    return i.variant_id != *variant && !i.variant_id.empty();
  });
  std::erase_if(m->preview.variants, [&](const auto& v) { return v.first != *variant; });
  if (m->preview.subject) m->subject = m->preview.subject->name;
  if (!m->preview.variants.empty()) m->variant = m->preview.variants.front().second.name;
  // Lanes tell takes by their ids.
  Id id = 0;
  for (ImportItem& item : m->preview.items) item.take.id = ++id;
  answer_bass(*m);
  if (step(0.45)) return cancelled();
  answer_box(*m);
  if (step(0.5)) return cancelled();
  answer_angles(*m, parallel);
  if (step(0.75)) return cancelled();
  answer_time(*m);
  find_ahead(*m);
  if (step(0.9)) return cancelled();
  return std::shared_ptr<const ReportMaterial>(std::move(m));
}

}  // namespace lalometer
