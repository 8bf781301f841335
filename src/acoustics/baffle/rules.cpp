#include "acoustics/baffle/rules.h"

#include <algorithm>
#include <cmath>

namespace lalometer {

std::vector<EdgeRule> edge_rules(const Baffle& baffle, const BafflePiston& piston, double c) {
  std::vector<EdgeRule> edges;
  for (const auto& [name, distance] : {std::pair{"left", piston.x_m()},
                                       {"right", baffle.width_m() - piston.x_m()},
                                       {"top", baffle.height_m() - piston.y_m()},
                                       {"bottom", piston.y_m()}}) {
    edges.push_back({name, distance, 0.5 * c / distance, c / distance});
  }
  std::stable_sort(edges.begin(), edges.end(),
                   [](const auto& a, const auto& b) { return a.distance_m < b.distance_m; });
  return edges;
}

std::vector<EqualEdges> equal_edges(const std::vector<EdgeRule>& edges) {
  std::vector<EqualEdges> groups;
  std::size_t i = 0;
  while (i < edges.size()) {
    std::size_t end = i + 1;
    while (end < edges.size() && edges[end].distance_m < 1.2 * edges[i].distance_m) ++end;
    if (end - i >= 2) {
      EqualEdges group{{}, 0.0};
      for (std::size_t k = i; k < end; ++k) {
        group.names.push_back(edges[k].name);
        group.distance_m += edges[k].distance_m / static_cast<double>(end - i);
      }
      groups.push_back(std::move(group));
    }
    i = end;
  }
  return groups;
}

double baffle_step_rule_hz(const Baffle& baffle) {
  return 115.0 / baffle.width_m();
}

std::optional<double> half_step_hz(const std::vector<double>& f, const std::vector<double>& db) {
  for (std::size_t i = 1; i < f.size(); ++i) {
    if (db[i - 1] < -3.0 && db[i] >= -3.0) {
      const double t = (-3.0 - db[i - 1]) / (db[i] - db[i - 1]);
      return f[i - 1] * std::pow(f[i] / f[i - 1], t);
    }
  }
  return std::nullopt;
}

double ripple_db(const std::vector<double>& f, const std::vector<double>& db, double low_hz,
                 double high_hz) {
  double sum = 0.0;
  double squares = 0.0;
  double count = 0.0;
  for (std::size_t i = 0; i < f.size(); ++i) {
    if (f[i] < low_hz || f[i] > high_hz) continue;
    sum += db[i];
    squares += db[i] * db[i];
    count += 1.0;
  }
  if (count < 2.0) return 0.0;
  return std::sqrt(std::max(squares / count - (sum / count) * (sum / count), 0.0));
}

}  // namespace lalometer
