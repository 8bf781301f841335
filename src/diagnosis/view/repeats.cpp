#include "diagnosis/view/repeats.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace lalometer {
namespace {

constexpr double kLow_hz = 300.0;
constexpr double kHigh_hz = 5000.0;

}  // namespace

bool taken_again(const CaseTake& a, const CaseTake& b) {
  return &a != &b && a.kind == CaseTake::Kind::kResponse && b.kind == a.kind &&
         a.sample == b.sample && a.condition == b.condition && a.variant == b.variant &&
         a.driver == b.driver && a.flipped == b.flipped && a.distance_m == b.distance_m &&
         a.horizontal_deg == b.horizontal_deg && a.vertical_deg == b.vertical_deg;
}

std::vector<double> apart_db(const CaseView& v, const CaseTake& one, const CaseTake& other) {
  const std::vector<double>& a = v.levels.at(&one);
  const std::vector<double>& b = v.levels.at(&other);
  std::vector<double> off(a.size(), std::numeric_limits<double>::quiet_NaN());
  double sum = 0.0;
  double count = 0.0;
  for (std::size_t i = 0; i < a.size(); ++i) {
    off[i] = a[i] - b[i];
    if (!std::isfinite(off[i]) || (*v.axis)[i] < kLow_hz || (*v.axis)[i] > kHigh_hz) continue;
    sum += off[i];
    count += 1.0;
  }
  if (count > 0.0)
    for (double& each : off) each -= sum / count;
  return off;
}

std::optional<double> repeats_apart_db(const CaseView& v) {
  double square = 0.0;
  double count = 0.0;
  for (const CaseTake& a : v.material->takes)
    for (const CaseTake& b : v.material->takes) {
      if (&b <= &a || !taken_again(a, b)) continue;
      const std::vector<double> off = apart_db(v, a, b);
      for (std::size_t i = 0; i < off.size(); ++i) {
        if (!std::isfinite(off[i]) || (*v.axis)[i] < kLow_hz || (*v.axis)[i] > kHigh_hz) continue;
        square += off[i] * off[i];
        count += 1.0;
      }
    }
  return count > 0.0 ? std::optional(std::sqrt(square / count)) : std::nullopt;
}

std::vector<double> axis_apart_db(const CaseView& v) {
  constexpr double kHalfThird = 1.0 / 6.0;
  std::vector<double> square(v.axis->size(), 0.0);
  std::vector<double> count(v.axis->size(), 0.0);
  if (v.axis_take == nullptr) return {};
  bool again = false;
  for (const CaseTake& t : v.material->takes) {
    if (!taken_again(*v.axis_take, t)) continue;
    again = true;
    const std::vector<double> off = apart_db(v, *v.axis_take, t);
    for (std::size_t i = 0, from = 0; i < off.size(); ++i) {
      while (std::log2((*v.axis)[i] / (*v.axis)[from]) > kHalfThird) ++from;
      for (std::size_t k = from;
           k < off.size() && std::log2((*v.axis)[k] / (*v.axis)[i]) < kHalfThird; ++k) {
        if (!std::isfinite(off[k])) continue;
        square[i] += off[k] * off[k];
        count[i] += 1.0;
      }
    }
  }
  if (!again) return {};
  // A few rows are alike by chance.
  constexpr double kLeastOfAll = 0.7;
  const double least = kLeastOfAll * repeats_apart_db(v).value_or(0.0);
  for (std::size_t i = 0; i < square.size(); ++i)
    square[i] = std::max(least, count[i] > 0.0 ? std::sqrt(square[i] / count[i]) : 0.0);
  return square;
}

}  // namespace lalometer
