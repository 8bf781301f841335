#pragma once

#include "book/description/subject_geometry.h"
#include "workbench/bass/box_check.h"
#include "workbench/bass/join_study.h"
#include "workbench/results/impedance_reading.h"
#include "workbench/sharing/importing.h"
#include "workbench/telling/told.h"

/// What a command, the window and a report are told alike of what was read (sources.h): which takes
/// stand for a question, and the figures out of them.
namespace lalometer {

/// Near fields, far field on the axis and in-box impedance of one variant. Points into the preview
/// that it was made of.
struct BassMaterial {
  const ImportPreview* preview = nullptr;
  SubjectGeometry geometry;
  std::vector<Response> curves = {};  ///< of `near`, in their order
  std::vector<Response> noises = {};  ///< of those that know theirs
  std::vector<NearTake> near = {};
  const ImportItem* impedance = nullptr;  ///< in the box
  std::optional<FarTake> far = std::nullopt;
  const ImportItem* far_item = nullptr;
};
/// @param variant  by id or name; empty: the only one with a near field.
/// @param where    for errors: the path.
/// Errors: no subject, impossible geometry, no near field, several variants and none was asked for.
[[nodiscard]] Result<std::shared_ptr<const BassMaterial>> bass_material(
    const ImportPreview& preview, const std::string& variant, const std::string& where);

/// The near fields' sum and what it tells beside the impedance and the box that is told.
struct NearAnswer {
  NearFields near;
  Told told;
};
/// @param place  of the full-space curve.
[[nodiscard]] Result<NearAnswer> near_answer(const BassMaterial& material, const Placement& place,
                                             const std::string& where);
/// Near and far field joined.
struct SpliceAnswer {
  JoinedResponse joined;
  Told told;
};
/// @param at_hz  0: the best place.
[[nodiscard]] Result<SpliceAnswer> splice_answer(const BassMaterial& material, double at_hz,
                                                 const std::string& where);

}  // namespace lalometer
