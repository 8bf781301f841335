#pragma once

#include <string>

#include "book/records.h"
#include "book/rig_calibration.h"

/// The book's JSON columns to values and back. Unknown keys are ignored, missing ones take their
/// defaults, so that a newer program's optional key does no harm.
namespace lalometer {

[[nodiscard]] std::string to_json(const Conditions& conditions);
[[nodiscard]] Conditions conditions_from_json(const std::string& text);
[[nodiscard]] std::string to_json(const std::vector<Remark>& remarks);
[[nodiscard]] std::vector<Remark> remarks_from_json(const std::string& text);
[[nodiscard]] std::string to_json(const Recipe& recipe);
[[nodiscard]] Recipe recipe_from_json(const std::string& text);
[[nodiscard]] std::string to_json(const RigCalibration& rig);
[[nodiscard]] RigCalibration rig_from_json(const std::string& text);

}  // namespace lalometer
