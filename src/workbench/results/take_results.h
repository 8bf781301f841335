#pragma once

#include "workbench/design/modelled.h"
#include "workbench/results/analysis.h"
#include "workbench/results/impedance_reading.h"
#include "workbench/results/result_store.h"

/// The results of takes as nodes: impulse, curve, reading, miniature; and what a subject's
/// description predicts.
namespace lalometer {

/// Drive and distance that a level is brought to, by their ratios; 0: as it was taken.
struct LevelPlace {
  double drive_v = 0.0;
  double distance_m = 0.0;
  friend bool operator==(const LevelPlace&, const LevelPlace&) = default;
};

/// All that a take's results depend on, by value: what a worker may hold.
struct TakeInputs {
  Take take;
  std::shared_ptr<const RigCalibration> rig;  ///< never null
  std::string rig_json;                       ///< the same as text, for keys
  Recipe recipe;
  std::string loading;         ///< of the subject; may be empty
  std::filesystem::path book;  ///< where its raw data are
  /// Of a worked take: those it is made of, and the subject's drawing. Parts are never worked
  /// themselves.
  std::vector<TakeInputs> parts = {};
  std::shared_ptr<const SubjectGeometry> geometry = nullptr;
  std::string drawing = {};  ///< names the geometry
  LevelPlace level = {};
};

/// The take with its raw data, read from the book.
[[nodiscard]] Result<AnalysisInput> loaded(const TakeInputs& inputs);

/// Precondition: has_impulse(inputs.take).
[[nodiscard]] Node<ImpulseStage> impulse_node(const TakeInputs& inputs);
[[nodiscard]] Node<Analysis> curve_node(const TakeInputs& inputs);
/// Precondition: an impedance.
[[nodiscard]] Node<ImpedanceReading> reading_node(const TakeInputs& inputs);
/// Small curve for the shelf. Looked for in the book's cache first.
[[nodiscard]] Node<std::vector<float>> miniature_node(const TakeInputs& inputs);
/// Under which the book's cache keeps a miniature.
[[nodiscard]] std::string derived_key(const Node<std::vector<float>>& node);
[[nodiscard]] std::vector<std::byte> derived_bytes(const std::vector<float>& points);

[[nodiscard]] Node<ModelledCurves> model_node(const Description& description,
                                              const std::string& name);

}  // namespace lalometer
