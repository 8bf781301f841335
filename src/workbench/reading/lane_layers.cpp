#include "workbench/reading/lane_layers.h"

#include <algorithm>
#include <tuple>

namespace lalometer {
namespace {

/// NaN breaks a line and is the same break as another.
template <class T>
bool same(const std::vector<T>& a, const std::vector<T>& b) {
  return std::equal(a.begin(), a.end(), b.begin(), b.end(),
                    [](T x, T y) { return x == y || (std::isnan(x) && std::isnan(y)); });
}

}  // namespace

bool operator==(const Series& a, const Series& b) {
  return std::tie(a.take_id, a.label, a.style, a.chosen, a.valid_low, a.valid_high) ==
             std::tie(b.take_id, b.label, b.style, b.chosen, b.valid_low, b.valid_high) &&
         same(a.x, b.x) && same(a.y, b.y) && same(a.spread, b.spread);
}

bool operator==(const ValueMap& a, const ValueMap& b) {
  return std::tie(a.low, a.high, a.unit) == std::tie(b.low, b.high, b.unit) && same(a.x, b.x) &&
         same(a.rows, b.rows) && same(a.values, b.values);
}

bool LaneContent::blank() const {
  return std::none_of(layers.begin(), layers.end(), [](const LaneLayer& layer) {
    if (const auto* curves = std::get_if<CurveLayer>(&layer)) return !curves->curves.empty();
    if (const auto* marks = std::get_if<MarkLayer>(&layer)) return !marks->marks.empty();
    return std::holds_alternative<ValueMap>(layer);
  });
}

const std::vector<Series>& LaneContent::curves(Side side) const {
  static const std::vector<Series> none;
  for (const LaneLayer& layer : layers) {
    const auto* found = std::get_if<CurveLayer>(&layer);
    if (found != nullptr && found->side == side) return found->curves;
  }
  return none;
}

std::vector<Series>& LaneContent::add_curves(Side side) {
  for (LaneLayer& layer : layers) {
    auto* found = std::get_if<CurveLayer>(&layer);
    if (found != nullptr && found->side == side) return found->curves;
  }
  return std::get<CurveLayer>(layers.emplace_back(CurveLayer{side, {}})).curves;
}

const std::vector<LaneMark>& LaneContent::marks() const {
  static const std::vector<LaneMark> none;
  const auto* layer = find<MarkLayer>();
  return layer == nullptr ? none : layer->marks;
}

const std::vector<InvalidBand>& LaneContent::invalid() const {
  static const std::vector<InvalidBand> none;
  const auto* layer = find<BandLayer>();
  return layer == nullptr ? none : layer->bands;
}

}  // namespace lalometer
