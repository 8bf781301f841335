#include "workbench/answers/bass_answer.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/constants.h"
#include "workbench/results/analysis.h"
#include "workbench/telling/bass_told.h"

namespace lalometer {
namespace {

/// The variant that is asked for, by id or name; the only one with a near field where none is.
Result<std::string> variant_of(const ImportPreview& preview, const std::string& wanted,
                               const std::string& path) {
  std::string names;
  std::vector<std::string> with_near;
  for (const ImportItem& item : preview.items)
    if (item.take.kind() == TakeKind::kNearField &&
        std::find(with_near.begin(), with_near.end(), item.variant_id) == with_near.end())
      with_near.push_back(item.variant_id);
  for (const auto& [id, variant] : preview.variants) {
    if (id == wanted || (!wanted.empty() && variant.name == wanted)) return id;
    names += (names.empty() ? "\"" : ", \"") + (wanted.empty() ? id : variant.name) + "\"";
  }
  if (!wanted.empty())
    return bad_input(fmt::format("There is no variant \"{}\" (there are {}).", wanted,
                                 names.empty() ? "none" : names),
                     path);
  if (with_near.size() == 1) return with_near.front();
  if (with_near.empty()) return bad_input("No near field was found here.", path);
  return bad_input(
      fmt::format("Near fields of several variants are here: say --variant ({}).", names), path);
}

}  // namespace

Result<std::shared_ptr<const BassMaterial>> bass_material(const ImportPreview& preview,
                                                          const std::string& wanted,
                                                          const std::string& path) {
  auto m = std::make_shared<BassMaterial>();
  m->preview = &preview;
  if (!preview.subject) {
    if (!preview.problems.empty()) return tl::unexpected(preview.problems.front());
    return bad_input("A measurement set or a book is needed, for the areas of the parts.", path);
  }
  auto geometry = geometry_of(preview.subject->description, path);
  if (!geometry) return tl::unexpected(geometry.error());
  m->geometry = *std::move(geometry);
  const auto variant = variant_of(preview, wanted, path);
  if (!variant) return tl::unexpected(variant.error());
  std::vector<const ImportItem*> near;
  double best_angle = 1e9;
  for (const ImportItem& item : preview.items) {
    if (!item.curve || item.calibration || item.variant_id != *variant) continue;
    if (item.take.kind() == TakeKind::kNearField) near.push_back(&item);
    if (item.take.kind() == TakeKind::kImpedance && condition_of(item.take) != "free-air" &&
        condition_of(item.take) != "added-mass" && condition_of(item.take) != "test-box")
      m->impedance = &item;
    if (!is_measured(item.take) || item.take.kind() != TakeKind::kResponse ||
        !item.take.conditions.driver.empty() || condition_of(item.take) == "large-baffle")
      continue;
    const Placement place = place_of(item.take);
    const double angle = std::abs(place.horizontal_deg) + std::abs(place.vertical_deg);
    if (angle >= best_angle) continue;
    best_angle = angle;
    m->far_item = &item;
    m->far = FarTake{&item.take, &*item.curve, !item.stage || item.stage->calibrated};
  }
  m->curves.reserve(near.size());
  m->noises.reserve(near.size());
  for (const ImportItem* item : near) {
    // A gate would only take the bass away.
    Recipe recipe = usual_recipe(TakeRole::kNearField);
    recipe.smoothing = 0;
    const Response* noise = nullptr;
    if (item->stage) {
      Analysis a = curve_stage(*item->stage, recipe);
      m->curves.push_back(std::move(a.curve));
      if (a.noise) noise = &m->noises.emplace_back(*std::move(a.noise));
    } else {
      m->curves.push_back(*item->curve);
    }
    m->near.push_back({&item->take, &m->curves.back(),
                       item->stage ? item->stage->origin
                                   : TimeOrigin{.at_s = 0.0, .source = TimeOrigin::Source::kFile},
                       !item->stage || item->stage->calibrated, noise});
  }
  return m;
}

Result<NearAnswer> near_answer(const BassMaterial& m, const Placement& place,
                               const std::string& path) {
  auto near = near_fields_of(m.geometry, m.near, path, {});
  if (!near) return tl::unexpected(near.error());
  const double c = speed_of_sound_m_s(m.near.front().take->conditions.temperature_c);
  if (place.horizontal_deg != 0.0 || place.vertical_deg != 0.0 || place.distance_m != kFarAway_m)
    near->full_space = full_space_at(*near, m.geometry, place, c);
  const Description& description = m.preview->subject->description;
  std::optional<ImpedanceReading> reading;
  if (m.impedance != nullptr) {
    const auto role = impedance_role("in-box", description.loading);
    reading = read_impedance(*m.impedance->curve, role.value_or(guessed_role(*m.impedance->curve)));
  }
  auto expected = expected_bass(description);
  if (!expected && reading && reading->box) expected = expected_bass(*reading->box);
  Told told = told_of(*near);
  put_box(told, cone_waves(*near, m.geometry, reading ? &reading->wiggles : nullptr, c),
          expected ? missing_output(*near, *expected) : std::nullopt);
  return NearAnswer{*std::move(near), std::move(told)};
}

Result<SpliceAnswer> splice_answer(const BassMaterial& m, double at_hz, const std::string& path) {
  if (!m.far) return bad_input("No far field on the axis was found here.", path);
  const auto near = near_fields_of(m.geometry, m.near, path, {}, place_of(*m.far->take).distance_m);
  if (!near) return tl::unexpected(near.error());
  auto joined =
      joined_response(*near, *m.far, at_hz > 0.0 ? std::optional(at_hz) : std::nullopt, path);
  if (!joined) return tl::unexpected(joined.error());
  Told told = told_of(*joined);
  told.notes(near->notes);
  return SpliceAnswer{*std::move(joined), std::move(told)};
}

}  // namespace lalometer
