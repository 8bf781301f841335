#include "diagnosis/view/told_by.h"

#include <algorithm>
#include <cmath>

namespace lalometer {
namespace {

/// A response of the state that is looked at, whatever plays in it.
bool of_state(const CaseView& v, const CaseTake& t) {
  return t.kind == CaseTake::Kind::kResponse && t.variant == v.variant && t.sample == v.sample;
}

bool on_axis(const CaseTake& t) {
  return t.horizontal_deg == 0.0 && t.vertical_deg == 0.0;
}

bool tells(const CaseView& v, const CaseTake& t, ToldBy by) {
  const bool whole = t.driver.empty() && t.flipped.empty() && t.condition.empty();
  const double side = std::abs(t.horizontal_deg);
  const double up = std::abs(t.vertical_deg);
  switch (by) {
    case ToldBy::kAxis:
      return &t == v.axis_take;
    case ToldBy::kSides:
      return of_state(v, t) && whole && up == 0.0 && side >= 9.0 && side <= 75.0;
    case ToldBy::kUpDown:
      return of_state(v, t) && whole && side == 0.0 && up >= 9.0 && up <= 46.0;
    case ToldBy::kBehind:
      return of_state(v, t) && whole && up == 0.0 && side >= 110.0;
    case ToldBy::kLargeBaffle:
      return t.kind == CaseTake::Kind::kResponse && t.condition == "large-baffle";
    case ToldBy::kNear:
      return t.kind == CaseTake::Kind::kNearField && t.variant == v.variant;
    case ToldBy::kAlone:
      return of_state(v, t) && !t.driver.empty() && t.condition.empty() && on_axis(t);
    case ToldBy::kFlipped:
      return of_state(v, t) && !t.flipped.empty() && on_axis(t);
    case ToldBy::kInBoxes:
      return t.kind == CaseTake::Kind::kImpedance &&
             (t.condition.empty() || t.condition == "in-box");
    case ToldBy::kNoTake:
    case ToldBy::kInBox:
    case ToldBy::kFreeAir:
      return false;
  }
  return false;
}

}  // namespace

std::vector<std::int64_t> takes_of(const CaseView& v, ToldBy by, const std::string& lead) {
  std::vector<const CaseTake*> found;
  const auto put = [&](const CaseTake* t) {
    if (t != nullptr) found.push_back(t);
  };
  if (by == ToldBy::kInBox || by == ToldBy::kFreeAir) put(v.box_impedance);
  if (by == ToldBy::kFreeAir) put(v.free_impedance);
  for (const CaseTake& t : v.material->takes)
    if (tells(v, t, by)) found.push_back(&t);
  std::stable_sort(found.begin(), found.end(), [&](const CaseTake* a, const CaseTake* b) {
    const auto leads = [&](const CaseTake* t) {
      return !lead.empty() && (t->driver == lead || t->source == lead);
    };
    return leads(a) && !leads(b);
  });
  std::vector<std::int64_t> ids;
  for (const CaseTake* t : found)
    if (t->id != 0) ids.push_back(t->id);
  return ids;
}

}  // namespace lalometer
