#include "diagnosis/view/drivers.h"

#include <algorithm>
#include <cmath>

namespace lalometer {
namespace {

constexpr double kSameSize = 0.05;

bool same_kind(const CaseDriver& a, const CaseDriver& b) {
  return a.role == b.role && a.high == b.high &&
         std::abs(a.radius_m - b.radius_m) <= kSameSize * std::max(a.radius_m, b.radius_m);
}

bool is_named(const CaseSubject& s, const CaseDriver& d) {
  return std::any_of(s.crossovers.begin(), s.crossovers.end(),
                     [&](const CaseCrossover& x) { return x.low == d.id || x.high == d.id; });
}

}  // namespace

const CaseDriver& named_for(const CaseSubject& s, const CaseDriver& d) {
  if (is_named(s, d)) return d;
  for (const CaseDriver& other : s.drivers)
    if (is_named(s, other) && same_kind(d, other)) return other;
  return d;
}

std::vector<const CaseDriver*> alike(const CaseSubject& s, const std::string& id) {
  std::vector<const CaseDriver*> all;
  const CaseDriver* d = s.driver(id);
  if (d == nullptr) return all;
  for (const CaseDriver& other : s.drivers)
    if (&other == d || (same_kind(*d, other) && !(is_named(s, other) && is_named(s, *d))))
      all.push_back(&other);
  return all;
}

bool has_unlike_drivers(const CaseSubject& s) {
  return std::any_of(s.drivers.begin(), s.drivers.end(),
                     [&](const CaseDriver& d) { return !same_kind(d, s.drivers.front()); });
}

std::string leading_driver(const CaseSubject& s, double f) {
  for (const CaseDriver& d : s.drivers) {
    const std::string& id = named_for(s, d).id;
    const bool plays =
        std::none_of(s.crossovers.begin(), s.crossovers.end(), [&](const CaseCrossover& x) {
          return (x.low == id && f > x.frequency_hz) || (x.high == id && f < x.frequency_hz);
        });
    if (plays) return d.id;
  }
  return {};
}

double plays_share(const CaseSubject& s, const CaseDriver& d, double f) {
  const std::string& id = named_for(s, d).id;
  double share = 1.0 / static_cast<double>(alike(s, d.id).size());
  for (const CaseCrossover& x : s.crossovers) {
    if (x.low == id) share /= 1.0 + std::pow(f / x.frequency_hz, 4);
    if (x.high == id) share /= 1.0 + std::pow(x.frequency_hz / f, 4);
  }
  return share;
}

bool plays_low(const CaseSubject& s, const std::string& id) {
  constexpr double kMuchSmaller = 0.7;
  const CaseDriver* d = s.driver(id);
  if (d == nullptr) return true;
  const std::string& name = named_for(s, *d).id;
  if (std::any_of(s.crossovers.begin(), s.crossovers.end(),
                  [&](const CaseCrossover& x) { return x.high == name; }))
    return false;
  if (d->high)
    return std::all_of(s.drivers.begin(), s.drivers.end(),
                       [](const CaseDriver& each) { return each.high; });
  return std::none_of(s.drivers.begin(), s.drivers.end(), [&](const CaseDriver& each) {
    return !each.high && d->radius_m > 0.0 && d->radius_m < kMuchSmaller * each.radius_m;
  });
}

}  // namespace lalometer
