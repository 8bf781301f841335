#include "workbench/networks/network_edits.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/text.h"

namespace lalometer {
namespace {

double* element_of(LadderPart& part, ElementKind kind) {
  return kind == ElementKind::kCoil        ? &part.inductance_h
         : kind == ElementKind::kCapacitor ? &part.capacitance_f
                                           : &part.resistance_ohm;
}

double unit_of(ElementKind kind) {
  return kind == ElementKind::kCoil ? 1e-3 : kind == ElementKind::kCapacitor ? 1e-6 : 1.0;
}

}  // namespace

LadderPart* part_at(DesignedNetwork& n, const NetworkPlace& place) {
  if (place.branch >= n.branches.size() || place.path.empty()) return nullptr;
  Ladder* parts = &n.branches[place.branch].ladder;
  LadderPart* part = nullptr;
  for (const std::size_t i : place.path) {
    if (i >= parts->size()) return nullptr;
    part = &(*parts)[i];
    parts = &part->parts;
  }
  return part;
}

const LadderPart* part_at(const DesignedNetwork& n, const NetworkPlace& place) {
  return part_at(const_cast<DesignedNetwork&>(n), place);
}

double value_of(const DesignedNetwork& n, const NetworkPlace& place) {
  const LadderPart* part = part_at(n, place);
  if (part == nullptr) return 0.0;
  LadderPart copy = *part;
  return *element_of(copy, place.kind) / unit_of(place.kind);
}

void set_value(DesignedNetwork& n, const NetworkPlace& place, double value) {
  LadderPart* part = part_at(n, place);
  if (part == nullptr) return;
  const bool coil = place.kind == ElementKind::kCoil;
  const bool capacitor = place.kind == ElementKind::kCapacitor;
  const double low = coil ? 0.01 : capacitor ? 0.1 : 0.01;
  const double high = coil ? 100.0 : 1000.0;
  *element_of(*part, place.kind) = std::clamp(value, low, high) * unit_of(place.kind);
}

std::string spoken_value(ElementKind kind, double value) {
  return fmt::format("{} {}", three_digits(value),
                     kind == ElementKind::kCoil        ? "mH"
                     : kind == ElementKind::kCapacitor ? "µF"
                                                       : "Ω");
}

NetworkPlace add_part(DesignedNetwork& n, std::size_t branch,
                      const std::optional<std::size_t>& after, LadderPart::Place place,
                      ElementKind kind) {
  LadderPart part{.place = place};
  *element_of(part, kind) = kind == ElementKind::kCoil        ? 0.56e-3
                            : kind == ElementKind::kCapacitor ? 10e-6
                                                              : 4.7;
  Ladder& ladder = n.branches[branch].ladder;
  const std::size_t at = after ? std::min(*after + 1, ladder.size()) : 0;
  ladder.insert(ladder.begin() + static_cast<std::ptrdiff_t>(at), std::move(part));
  return {branch, {at}, kind};
}

void remove_part(DesignedNetwork& n, const NetworkPlace& place) {
  if (part_at(n, place) == nullptr) return;
  Ladder& ladder = n.branches[place.branch].ladder;
  ladder.erase(ladder.begin() + static_cast<std::ptrdiff_t>(place.path.front()));
}

}  // namespace lalometer
