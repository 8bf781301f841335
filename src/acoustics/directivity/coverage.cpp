#include "acoustics/directivity/coverage.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/constants.h"

namespace lalometer {
namespace {

constexpr double kNaN = std::numeric_limits<double>::quiet_NaN();

/// The rows of one side by rising angle from the axis; straight behind belongs to both.
using Half = std::vector<std::pair<double, const std::vector<double>*>>;
Half half_of(const AngleMap& map, double sign) {
  Half half;
  for (std::size_t r = 0; r < map.degrees.size(); ++r) {
    const double d = map.degrees[r];
    if (d * sign > 0.25 || (d > 179.5 && sign < 0.0))
      half.emplace_back(d > 179.5 ? 180.0 : d * sign, &map.level_db[r]);
  }
  std::sort(half.begin(), half.end());
  return half;
}

/// Angle at which one side has fallen by so much; 180 where it never does; NaN where the data end.
double fall_angle(const Half& half, std::size_t i, double fall_db) {
  double last_angle = 0.0;
  double last_level = 0.0;
  for (const auto& [angle, row] : half) {
    const double level = (*row)[i];
    if (level <= -fall_db) {
      // A lobe's top is a parabola: straight over the square of the angle.
      const double t = (last_level + fall_db) / (last_level - level);
      return std::sqrt(last_angle * last_angle + t * (angle * angle - last_angle * last_angle));
    }
    last_angle = angle;
    last_level = level;
  }
  return last_angle > 179.5 ? 180.0 : kNaN;
}

/// More than straight behind.
bool taken(const Half& half) {
  return !half.empty() && half.front().first < 179.5;
}

}  // namespace

std::optional<AngleMap> angle_map(const Orbit& orbit, Plane plane) {
  const Orbit::Ray* axis = orbit.at(plane, 0.0);
  if (axis == nullptr) axis = orbit.on_axis();
  if (axis == nullptr) return std::nullopt;
  AngleMap map;
  for (const Orbit::Ray& ray : orbit.rays(plane)) {
    map.degrees.push_back(ray.degrees);
    std::vector<double> row(orbit.axis().size());
    for (std::size_t i = 0; i < row.size(); ++i) row[i] = ray.level_db[i] - axis->level_db[i];
    map.level_db.push_back(std::move(row));
  }
  return map;
}

std::vector<double> beamwidth_deg(const AngleMap& map, double fall_db) {
  const std::size_t n = map.level_db.empty() ? 0 : map.level_db.front().size();
  const Half right = half_of(map, 1.0);
  const Half left = half_of(map, -1.0);
  std::vector<double> width(n, kNaN);
  if (!taken(right) && !taken(left)) return width;
  for (std::size_t i = 0; i < n; ++i) {
    const double a = fall_angle(taken(right) ? right : left, i, fall_db);
    width[i] = a + (taken(right) && taken(left) ? fall_angle(left, i, fall_db) : a);
  }
  return width;
}

std::optional<double> separation_hz(const Orbit& orbit, Plane plane, double degrees, double by_db) {
  constexpr double kWidest_deg = 20.5;
  const Orbit::Ray* axis = orbit.at(plane, 0.0);
  if (axis == nullptr) return std::nullopt;
  std::vector<std::vector<double>> sides;
  const bool taken = orbit.at(plane, degrees) != nullptr || orbit.at(plane, -degrees) != nullptr;
  for (const double angle : {degrees, -degrees}) {
    // Between rays only where neither side was taken.
    if (taken && orbit.at(plane, angle) == nullptr) continue;
    if (auto level = orbit.level_at(plane, angle, kWidest_deg)) sides.push_back(*std::move(level));
  }
  if (sides.empty()) return std::nullopt;
  const auto off = [&](std::size_t i) {
    double power = 0.0;
    for (const auto& side : sides) power += std::pow(10.0, side[i] / 10.0);
    return 10.0 * std::log10(power / static_cast<double>(sides.size())) - axis->level_db[i];
  };
  std::optional<double> from;
  for (std::size_t i = orbit.axis().size(); i-- > 0;) {
    const double f = orbit.axis()[i];
    if (!orbit.valid().contains(f)) continue;
    const double here = off(i);
    if (here > -by_db) {
      if (!from || i + 1 >= orbit.axis().size()) return std::nullopt;
      const double next = off(i + 1);
      const double t = std::clamp((here + by_db) / (here - next), 0.0, 1.0);
      return f * std::pow(orbit.axis()[i + 1] / f, t);
    }
    from = f;
  }
  return from;
}

namespace {

/// Over a sixth of an octave, where it is known.
std::vector<double> smooth_width(const FrequencyAxis& axis, const std::vector<double>& width) {
  std::vector<double> out(width.size(), kNaN);
  const double reach = std::exp2(1.0 / 12.0) * (1.0 + 1e-9);
  std::size_t from = 0;
  std::size_t to = 0;
  for (std::size_t i = 0; i < width.size(); ++i) {
    while (axis[from] < axis[i] / reach) ++from;
    while (to + 1 < width.size() && axis[to + 1] <= axis[i] * reach) ++to;
    double sum = 0.0;
    double n = 0.0;
    for (std::size_t k = from; k <= to; ++k) {
      if (!std::isfinite(width[k])) continue;
      sum += width[k];
      n += 1.0;
    }
    if (n > 0.0 && std::isfinite(width[i])) out[i] = sum / n;
  }
  return out;
}

/// Places where `sign` times the width is lowest between two sides.
std::vector<Narrowing> extremes(const FrequencyAxis& axis, const ValidRange& valid,
                                const std::vector<double>& beamwidth, double least_deg,
                                double sign) {
  constexpr double kAllRound_deg = 300.0;
  const std::vector<double> smooth = smooth_width(axis, beamwidth);
  std::vector<std::size_t> known;
  std::vector<double> width;
  for (std::size_t i = 0; i < smooth.size(); ++i) {
    if (!std::isfinite(smooth[i]) || !valid.contains(axis[i]) || smooth[i] >= kAllRound_deg)
      continue;
    known.push_back(i);
    width.push_back(sign * smooth[i]);
  }
  std::vector<Narrowing> found;
  for (std::size_t k = 1; k + 1 < known.size(); ++k) {
    const double here = width[k];
    if (!(here <= width[k - 1] && here < width[k + 1])) continue;
    // The highest to both sides until something lower comes.
    double left = here;
    std::size_t low = k;
    for (std::size_t j = k; j-- > 0 && width[j] >= here;) {
      if (width[j] <= left) continue;
      left = width[j];
      low = j;
    }
    double right = here;
    std::size_t high = k;
    for (std::size_t j = k + 1; j < known.size() && width[j] >= here; ++j) {
      if (width[j] <= right) continue;
      right = width[j];
      high = j;
    }
    const double by = std::min(left, right) - here;
    if (by < least_deg) continue;
    const double half = here + 0.5 * by;
    std::size_t a = k;
    while (a > low && width[a] < half) --a;
    std::size_t b = k;
    while (b < high && width[b] < half) ++b;
    found.push_back({axis[known[k]], axis[known[a]], axis[known[b]], sign * here, by});
  }
  return found;
}

}  // namespace

std::vector<Narrowing> narrowings(const FrequencyAxis& axis, const ValidRange& valid,
                                  const std::vector<double>& beamwidth, double least_deg) {
  return extremes(axis, valid, beamwidth, least_deg, 1.0);
}

std::vector<Narrowing> widenings(const FrequencyAxis& axis, const ValidRange& valid,
                                 const std::vector<double>& beamwidth, double least_deg) {
  return extremes(axis, valid, beamwidth, least_deg, -1.0);
}

std::optional<Coverage> coverage_of(const FrequencyAxis& axis, const ValidRange& valid,
                                    const std::vector<double>& beamwidth) {
  constexpr double kWithin = 0.25;
  const std::vector<double> width = smooth_width(axis, beamwidth);
  std::vector<double> middle;
  for (std::size_t i = 0; i < width.size(); ++i)
    if (std::isfinite(width[i]) && valid.contains(axis[i]) && axis[i] >= 1000.0 &&
        axis[i] <= 10000.0)
      middle.push_back(width[i]);
  if (middle.size() < 5) return std::nullopt;
  std::nth_element(middle.begin(), middle.begin() + static_cast<std::ptrdiff_t>(middle.size() / 2),
                   middle.end());
  const double nominal = middle[middle.size() / 2];
  // The longest stretch within the tolerance.
  Coverage best{nominal, 0.0, 0.0};
  std::size_t from = 0;
  bool open = false;
  const auto inside = [&](std::size_t i) {
    return i < width.size() && std::isfinite(width[i]) && valid.contains(axis[i]) &&
           std::abs(width[i] - nominal) <= kWithin * nominal;
  };
  for (std::size_t i = 0; i <= width.size(); ++i) {
    if (inside(i)) {
      if (!open) from = i;
      open = true;
      continue;
    }
    if (open && (best.from_hz == 0.0 || axis[i - 1] / axis[from] > best.to_hz / best.from_hz)) {
      best.from_hz = axis[from];
      best.to_hz = axis[i - 1];
    }
    open = false;
  }
  if (best.from_hz == 0.0) return std::nullopt;
  return best;
}

CircleIndex index_of(const Orbit& orbit, Plane plane) {
  CircleIndex out{{}, 0.0};
  const Orbit::Ray* axis = orbit.at(plane, 0.0);
  if (axis == nullptr) return out;
  // Both sides' mean power over the polar angle.
  struct Polar {
    double degrees;
    std::vector<const Orbit::Ray*> rays;
  };
  std::vector<Polar> polar;
  for (const Orbit::Ray& ray : orbit.rays(plane)) {
    const double d = std::abs(ray.degrees);
    const auto same = std::find_if(polar.begin(), polar.end(),
                                   [&](const Polar& p) { return std::abs(p.degrees - d) < 0.5; });
    if (same != polar.end())
      same->rays.push_back(&ray);
    else
      polar.push_back({d, {&ray}});
  }
  std::sort(polar.begin(), polar.end(),
            [](const Polar& a, const Polar& b) { return a.degrees < b.degrees; });
  for (std::size_t k = 1; k < polar.size(); ++k)
    if (polar[k].degrees - polar[k - 1].degrees > 20.5) return out;
  if (polar.back().degrees < 59.5) return out;
  out.reaches_deg = polar.back().degrees;
  // Each stands for the zone half-way to its neighbours.
  const auto zone = [&](std::size_t k) {
    const double low = k == 0 ? 0.0 : 0.5 * (polar[k - 1].degrees + polar[k].degrees);
    const double high =
        k + 1 == polar.size() ? polar[k].degrees : 0.5 * (polar[k].degrees + polar[k + 1].degrees);
    return std::cos(low * kPi / 180.0) - std::cos(high * kPi / 180.0);
  };
  std::vector<double> sum(orbit.axis().size(), 0.0);
  double area = 0.0;
  for (std::size_t k = 0; k < polar.size(); ++k) {
    area += zone(k);
    const double each = zone(k) / static_cast<double>(polar[k].rays.size());
    for (const Orbit::Ray* ray : polar[k].rays)
      for (std::size_t i = 0; i < sum.size(); ++i) sum[i] += each * std::norm(ray->curve.value(i));
  }
  out.index_db.resize(sum.size());
  for (std::size_t i = 0; i < sum.size(); ++i)
    out.index_db[i] = 10.0 * std::log10(std::norm(axis->curve.value(i)) / (sum[i] / area));
  return out;
}

std::vector<double> asymmetry_db(const Orbit& orbit, Plane plane) {
  std::vector<double> square(orbit.axis().size(), 0.0);
  double pairs = 0.0;
  for (const Orbit::Ray& ray : orbit.rays(plane)) {
    if (ray.degrees < 0.5 || ray.degrees > 179.5 || ray.mirrored) continue;
    const Orbit::Ray* other = orbit.at(plane, -ray.degrees);
    if (other == nullptr || other->mirrored) continue;
    pairs += 1.0;
    for (std::size_t i = 0; i < square.size(); ++i)
      square[i] += (ray.level_db[i] - other->level_db[i]) * (ray.level_db[i] - other->level_db[i]);
  }
  if (pairs == 0.0) return {};
  for (double& v : square) v = std::sqrt(v / pairs);
  return square;
}

}  // namespace lalometer
