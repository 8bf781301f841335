#pragma once

#include "workbench/beams/aim_study.h"
#include "workbench/beams/circle_study.h"
#include "workbench/beams/lobe_study.h"
#include "workbench/results/take_results.h"
#include "workbench/spin/equalise_study.h"
#include "workbench/spin/index_study.h"
#include "workbench/spin/spin_study.h"

namespace lalometer {

/// All that a set of angles tells, about the axis it is looked at from.
struct AngleReading {
  std::shared_ptr<const OrbitMaterial> material;  ///< about the view's axis
  std::shared_ptr<const OrbitMaterial> taken;     ///< about the axis as it was taken
  AngleView view;
  CircleReading horizontal, vertical;
  SpinReading spin;
  std::vector<IndexFeature> features = {};
  std::vector<RatingChange> rating_changes = {};
  std::vector<LobeReading> lobes = {};
  std::vector<CrossoverWindow> windows = {};
  std::optional<AimStudy> aim = std::nullopt;  ///< about the axis as it was taken
  std::vector<std::string> notes = {};

  [[nodiscard]] const CircleReading& circle(Plane plane) const {
    return plane == Plane::kVertical ? vertical : horizontal;
  }
};

/// What the drawing foretells of both circles.
struct BeamForetold {
  BeamModels horizontal, vertical;
};
[[nodiscard]] BeamForetold foretold_of(const OrbitMaterial& material, double fall_db);

/// @param material  as taken; it is turned here.
/// @param foretold  of the same fall; the causes come from it.
[[nodiscard]] AngleReading angle_reading(std::shared_ptr<const OrbitMaterial> material,
                                         const AngleView& view, const BeamForetold& foretold = {},
                                         const Parallel& parallel = in_turn);
/// The set as seen from the view's axis, with what the turning costs among its notes.
[[nodiscard]] OrbitMaterial turned_material(const OrbitMaterial& material, double horizontal_deg,
                                            double vertical_deg);
/// Fewer than half of the 70 angles: what they carry and what not, in words. Empty for full sets.
[[nodiscard]] std::string spoken_limits(const Orbit& orbit);

/// The takes of a set, by value.
struct AngleSetInputs {
  std::vector<TakeInputs> far, near, alone;
  std::shared_ptr<const SubjectGeometry> geometry = nullptr;  ///< null: not told
  std::string drawing;                                        ///< names the geometry
};
/// Which takes stand with this one in a set of angles: of its variant, sample and driver, at
/// another angle, the near fields, and the drivers alone ahead. Empty where it is no far field or
/// is alone.
struct AngleMembers {
  std::vector<const Take*> far, near, alone;
};
[[nodiscard]] AngleMembers angle_members(const std::vector<Take>& takes, const Take& of);

[[nodiscard]] Node<OrbitMaterial> orbit_node(const AngleSetInputs& inputs, const AngleView& view);
[[nodiscard]] Node<AngleReading> angles_node(const AngleSetInputs& inputs, const AngleView& view);
[[nodiscard]] Node<EqualiseAdvice> advice_node(const AngleSetInputs& inputs, const AngleView& view,
                                               const EqualiseWish& wish);

}  // namespace lalometer
