#pragma once

#include "diagnosis/cause.h"

/// Attribution by swapping: one thing was changed and the take repeated. What goes with it was
/// made by it; what stays was not.
namespace lalometer {

/// What a change of one thing does to a cause's dips and peaks.
enum class SwapEffect { kGoes, kStays, kOpen };
/// @param change  a variant's word ("damping", "port", "panel", "box", "baffle", "driver",
///   "crossover", "place").
/// Open: it may do either, or the word says nothing of it.
[[nodiscard]] SwapEffect effect_of(const std::string& change, const std::string& cause);

/// Adds what variants and other samples say of the feature that a claim explains. Two takes differ
/// by 1 dB without anything being changed (usual repeat, common practice): what went by less is not
/// called gone.
void weigh_swaps(const CaseView& view, const std::string& cause, Claim& claim);

}  // namespace lalometer
