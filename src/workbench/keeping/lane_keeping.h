#pragma once

#include <string>
#include <vector>

namespace lalometer {

/// A lane of the score as the book's view keeps it.
struct KeptLane {
  std::string kind;
  double weight = 1.0;
  bool fitted = true;  ///< the scale follows the data
  double low = 0.0;    ///< else it shows this
  double high = 1.0;
  friend bool operator==(const KeptLane&, const KeptLane&) = default;
};
[[nodiscard]] std::string to_json(const std::vector<KeptLane>& lanes);
/// Lanes with a kind; weights lie between 0.2 and 8, and a range that is none is fitted.
[[nodiscard]] std::vector<KeptLane> lanes_from_json(const std::string& text);

}  // namespace lalometer
