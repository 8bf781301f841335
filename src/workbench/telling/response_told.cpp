#include "workbench/telling/response_told.h"

#include <algorithm>
#include <limits>

namespace lalometer {

Told told_of(const Response& curve) {
  std::vector<double> frequency;
  std::vector<double> level;
  std::vector<double> phase;
  std::vector<double> uncertainty;
  for (std::size_t i = 0; i < curve.size(); ++i) {
    if (!curve.valid().contains(curve.axis()[i])) continue;
    frequency.push_back(curve.axis()[i]);
    level.push_back(curve.level_db(i));
    if (!curve.spread().empty()) uncertainty.push_back(curve.uncertainty_db(i));
    phase.push_back(curve.has_phase() ? curve.phase_deg(i)
                                      : std::numeric_limits<double>::quiet_NaN());
  }
  Told told;
  told.put("frequency_hz", Told::Value(std::move(frequency)));
  told.put("level_db", Told::Value(std::move(level)));
  told.put("phase_deg", Told::Value(std::move(phase)));
  if (!curve.spread().empty()) told.put("uncertainty_db", Told::Value(std::move(uncertainty)));
  told.put("valid_from_hz", std::max(curve.valid().low_hz, curve.axis().front()));
  return std::move(told.columns_every(1));
}

Told told_of(const TextTable& table, double gate_s) {
  const std::size_t n = table.rows.size();
  Told told;
  told.put_each("frequency_hz", n, [&](std::size_t i) { return table.rows[i].frequency_hz; });
  told.put_each("level_db", n, [&](std::size_t i) { return table.rows[i].magnitude; });
  told.put_each("phase_deg", n, [&](std::size_t i) {
    return table.has_phase ? table.rows[i].phase_deg : std::numeric_limits<double>::quiet_NaN();
  });
  told.put("valid_from_hz", gate_s > 0.0 ? 1.0 / gate_s : table.rows.front().frequency_hz);
  return std::move(told.columns_every(1));
}

}  // namespace lalometer
