#include "cli/curves/bass_commands.h"

#include <CLI/CLI.hpp>
#include <memory>

#include "base/constants.h"
#include "base/text.h"
#include "cli/options/option_checks.h"
#include "cli/output.h"
#include "workbench/results/analysis.h"
#include "workbench/results/impedance_reading.h"
#include "workbench/sharing/sources.h"
#include "workbench/telling/bass_told.h"

namespace lalometer {
namespace {

/// Curves of a set or book that belong to one variant.
struct BassMaterial {
  ImportPreview preview;
  SubjectGeometry geometry;
  std::vector<Response> curves;  ///< of `near`, in their order
  std::vector<Response> noises;  ///< of those that know theirs
  std::vector<NearTake> near;
  const ImportItem* impedance = nullptr;  ///< in the box
  std::optional<FarTake> far = std::nullopt;
  std::vector<std::string> notes = {};
};

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

Result<std::shared_ptr<BassMaterial>> material_of(const Doors& doors, const std::string& path) {
  auto m = std::make_shared<BassMaterial>();
  m->preview = read_source(path, {}, doors.choice);
  if (!m->preview.subject) {
    if (!m->preview.problems.empty()) return tl::unexpected(m->preview.problems.front());
    return bad_input("A measurement set or a book is needed, for the areas of the parts.", path);
  }
  auto geometry = geometry_of(m->preview.subject->description, path);
  if (!geometry) return tl::unexpected(geometry.error());
  m->geometry = *std::move(geometry);
  const auto variant = variant_of(m->preview, doors.choice.variant, path);
  if (!variant) return tl::unexpected(variant.error());
  std::vector<const ImportItem*> near;
  double best_angle = 1e9;
  for (const ImportItem& item : m->preview.items) {
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

int near_field_command(const Doors& doors, const std::string& path, const Placement& place) {
  const auto material = material_of(doors, path);
  if (!material) return refuse(doors, material.error());
  const BassMaterial& m = **material;
  auto near = near_fields_of(m.geometry, m.near, path, {});
  if (!near) return refuse(doors, near.error());
  const double c = speed_of_sound_m_s(m.near.front().take->conditions.temperature_c);
  if (place.horizontal_deg != 0.0 || place.vertical_deg != 0.0 || place.distance_m != kFarAway_m)
    near->full_space = full_space_at(*near, m.geometry, place, c);
  std::optional<ImpedanceReading> reading;
  if (m.impedance != nullptr) {
    const auto role = impedance_role("in-box", m.preview.subject->description.loading);
    reading = read_impedance(*m.impedance->curve, role.value_or(guessed_role(*m.impedance->curve)));
  }
  auto expected = expected_bass(m.preview.subject->description);
  if (!expected && reading && reading->box) expected = expected_bass(*reading->box);
  Told told = told_of(*near);
  put_box(told, cone_waves(*near, m.geometry, reading ? &reading->wiggles : nullptr, c),
          expected ? missing_output(*near, *expected) : std::nullopt);
  return print(doors, told);
}

int splice_command(const Doors& doors, const std::string& path, double at_hz) {
  const auto material = material_of(doors, path);
  if (!material) return refuse(doors, material.error());
  const BassMaterial& m = **material;
  if (!m.far)
    return refuse(doors, {ErrorCode::kBadInput, "No far field on the axis was found here.", path});
  const auto near = near_fields_of(m.geometry, m.near, path, {}, place_of(*m.far->take).distance_m);
  if (!near) return refuse(doors, near.error());
  const auto joined =
      joined_response(*near, *m.far, at_hz > 0.0 ? std::optional(at_hz) : std::nullopt, path);
  if (!joined) return refuse(doors, joined.error());
  return print(doors, told_of(*joined).notes(near->notes));
}

}  // namespace

void add_bass_commands(CLI::App& app, Doors& doors, int& status) {
  struct NearOptions {
    std::string path;
    Placement place = {};
  };
  auto near = std::make_shared<NearOptions>();
  near->place.distance_m = kFarAway_m;
  CLI::App* command = app.add_subcommand(
      "near-field",
      "sum of the near fields of cones, ports and radiators, and what it makes at 1 m");
  command->add_option("path", near->path, "measurement set or book")->required();
  command->add_option("--horizontal-deg", near->place.horizontal_deg,
                      "the full space off the axis, to the right");
  command->add_option("--vertical-deg", near->place.vertical_deg, "the same upward");
  command->add_option("--distance-m", near->place.distance_m, "from where it is heard")
      ->check(above_zero());
  add_source_options(*command, doors.choice);
  command->callback(
      [&doors, &status, near] { status = near_field_command(doors, near->path, near->place); });

  struct SpliceOptions {
    std::string path;
    double at_hz = 0.0;
  };
  auto splice = std::make_shared<SpliceOptions>();
  command = app.add_subcommand("splice", "near fields and gated far field joined to one curve");
  command->add_option("path", splice->path, "measurement set or book")->required();
  command->add_option("--at", splice->at_hz, "where to join, Hz; the best place otherwise")
      ->check(above_zero());
  add_source_options(*command, doors.choice);
  command->callback(
      [&doors, &status, splice] { status = splice_command(doors, splice->path, splice->at_hz); });
}

}  // namespace lalometer
