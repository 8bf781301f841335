#include "acoustics/directivity/orbit.h"

#include <Eigen/Core>
#include <algorithm>
#include <cmath>

#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

constexpr double kSame_deg = 0.5;

void sort_once(std::vector<Orbit::Ray>& rays) {
  for (Orbit::Ray& ray : rays) ray.degrees = wrapped_deg(ray.degrees);
  std::stable_sort(rays.begin(), rays.end(),
                   [](const Orbit::Ray& a, const Orbit::Ray& b) { return a.degrees < b.degrees; });
  const auto twice =
      std::unique(rays.begin(), rays.end(), [](const Orbit::Ray& a, const Orbit::Ray& b) {
        return std::abs(a.degrees - b.degrees) < kSame_deg;
      });
  rays.erase(twice, rays.end());
}

}  // namespace

std::vector<double> levels_of(const Response& curve) {
  constexpr double kLeast = 1e-40;
  const double reference = level_reference(curve.quantity());
  const auto n = static_cast<Eigen::Index>(curve.size());
  const Eigen::Map<const Eigen::ArrayXcd> values(curve.values().data(), n);
  std::vector<double> level(curve.size());
  Eigen::Map<Eigen::ArrayXd>(level.data(), n) =
      (values.abs2() / (reference * reference)).max(kLeast).log() * (10.0 / std::log(10.0));
  return level;
}

Response of_levels(const FrequencyAxis& axis, const std::vector<double>& level_db,
                   Quantity quantity, ValidRange valid) {
  std::vector<Complex> values;
  values.reserve(level_db.size());
  for (const double level : level_db)
    values.push_back(from_level(level, 0.0, level_reference(quantity)));
  return *Response::make(axis, std::move(values), quantity, valid, false);
}

double wrapped_deg(double degrees) {
  // Two angles lie less than two turns apart.
  const double w = std::abs(degrees) < 180.0   ? degrees
                   : std::abs(degrees) < 540.0 ? degrees - std::copysign(360.0, degrees)
                                               : std::remainder(degrees, 360.0);
  return w <= -180.0 + 1e-9 ? w + 360.0 : w;
}

Result<Orbit> Orbit::make(std::vector<Ray> horizontal, std::vector<Ray> vertical) {
  sort_once(horizontal);
  sort_once(vertical);
  if (horizontal.empty() && vertical.empty())
    return bad_input("There is no response at any angle.");
  // What is straight ahead or straight behind lies on both circles.
  const auto share = [](const std::vector<Ray>& from, std::vector<Ray>& to) {
    if (to.empty()) return;
    for (const double degrees : {0.0, 180.0}) {
      const auto there = [&](const Ray& ray) {
        return std::abs(wrapped_deg(ray.degrees - degrees)) < kSame_deg;
      };
      if (std::any_of(to.begin(), to.end(), there)) continue;
      const auto found = std::find_if(from.begin(), from.end(), there);
      if (found != from.end()) to.push_back(*found);
    }
  };
  share(horizontal, vertical);
  share(vertical, horizontal);
  if (horizontal.empty())
    for (const Ray& ray : vertical)
      if (std::abs(ray.degrees) < kSame_deg || ray.degrees > 180.0 - kSame_deg)
        horizontal.push_back(ray);
  sort_once(horizontal);
  sort_once(vertical);
  const Ray* nearest = nullptr;
  double low = 0.0;
  double high = 1e12;
  Orbit orbit;
  for (const std::vector<Ray>* rays : {&horizontal, &vertical}) {
    for (const Ray& ray : *rays) {
      if (nearest == nullptr || std::abs(ray.degrees) < std::abs(nearest->degrees)) nearest = &ray;
      low = std::max(low, ray.curve.axis().front());
      high = std::min(high, ray.curve.axis().back());
      orbit.valid_ = intersect(orbit.valid_, ray.curve.valid());
    }
  }
  std::vector<double> hz;
  for (const double f : nearest->curve.axis().hz())
    if (f >= low * (1.0 - 1e-9) && f <= high * (1.0 + 1e-9)) hz.push_back(f);
  auto axis = FrequencyAxis::make(std::move(hz));
  if (!axis || axis->size() < 2)
    return bad_input("The responses at the angles share no range of frequencies.");
  orbit.axis_ = *std::move(axis);
  for (std::vector<Ray>* rays : {&horizontal, &vertical})
    for (Ray& ray : *rays) {
      const bool same = ray.curve.axis().size() == orbit.axis_->size() &&
                        std::equal(ray.curve.axis().hz().begin(), ray.curve.axis().hz().end(),
                                   orbit.axis_->hz().begin());
      if (!same) ray.curve = resampled(ray.curve, *orbit.axis_);
      if (same && ray.level_db.size() == ray.curve.size()) continue;
      ray.level_db = levels_of(ray.curve);
    }
  orbit.horizontal_ = std::move(horizontal);
  orbit.vertical_ = std::move(vertical);
  return orbit;
}

const Orbit::Ray* Orbit::at(Plane plane, double degrees) const {
  const double want = wrapped_deg(degrees);
  for (const Ray& ray : rays(plane)) {
    const double off = std::abs(ray.degrees - want);
    if (off < kSame_deg || off > 360.0 - kSame_deg) return &ray;
  }
  return nullptr;
}

Orbit Orbit::mirrored() const {
  Orbit out = *this;
  for (std::vector<Ray>* rays : {&out.horizontal_, &out.vertical_}) {
    std::vector<Ray> added;
    for (const Ray& ray : *rays) {
      const double other = wrapped_deg(-ray.degrees);
      const bool there = std::any_of(rays->begin(), rays->end(), [&](const Ray& r) {
        return std::abs(wrapped_deg(r.degrees - other)) < kSame_deg;
      });
      if (!there) added.push_back({other, ray.curve, true, ray.level_db});
    }
    rays->insert(rays->end(), added.begin(), added.end());
    sort_once(*rays);
  }
  return out;
}

std::optional<std::vector<double>> Orbit::level_at(Plane plane, double degrees,
                                                   double widest_deg) const {
  const std::vector<Ray>& all = rays(plane);
  const double want = wrapped_deg(degrees);
  const Ray* below = nullptr;
  const Ray* above = nullptr;
  double down = 1e9;
  double up = 1e9;
  for (const Ray& ray : all) {
    const double off = wrapped_deg(ray.degrees - want);
    if (off <= 1e-9 && -off < down) down = -off, below = &ray;
    if (off >= -1e-9 && off < up) up = off, above = &ray;
  }
  if (below == nullptr || above == nullptr || down + up > widest_deg + 1e-9) return std::nullopt;
  const double t = down + up > 0.0 ? down / (down + up) : 0.0;
  std::vector<double> level(axis_->size());
  for (std::size_t i = 0; i < level.size(); ++i)
    level[i] = (1.0 - t) * below->level_db[i] + t * above->level_db[i];
  return level;
}

Orbit thinned(const Orbit& orbit, double per_octave, double low_hz, double high_hz) {
  const FrequencyAxis& axis = orbit.axis();
  std::vector<std::size_t> kept;
  double next = low_hz;
  const double step = std::exp2(1.0 / per_octave);
  for (std::size_t i = 0; i < axis.size(); ++i) {
    if (axis[i] < next * (1.0 - 1e-9) || axis[i] > high_hz) continue;
    kept.push_back(i);
    next = (next > 0.0 && axis[i] < next * step ? next : axis[i]) * step;
  }
  if (kept.size() < 3 || kept.size() == axis.size()) return orbit;
  std::vector<double> hz;
  for (const std::size_t i : kept) hz.push_back(axis[i]);
  const FrequencyAxis coarse = *FrequencyAxis::make(std::move(hz));
  std::vector<Orbit::Ray> rays[2];
  for (const Plane plane : {Plane::kHorizontal, Plane::kVertical})
    for (const Orbit::Ray& ray : orbit.rays(plane)) {
      std::vector<Complex> values;
      std::vector<double> level;
      std::vector<double> spread;
      for (const std::size_t i : kept) {
        values.push_back(ray.curve.value(i));
        level.push_back(ray.level_db[i]);
        if (!ray.curve.spread().empty()) spread.push_back(ray.curve.spread()[i]);
      }
      rays[plane == Plane::kHorizontal ? 0 : 1].push_back(
          {ray.degrees,
           Response::make(coarse, std::move(values), ray.curve.quantity(), ray.curve.valid(),
                          ray.curve.has_phase())
               ->with_spread(std::move(spread)),
           ray.mirrored, std::move(level)});
    }
  auto made = Orbit::make(std::move(rays[0]), std::move(rays[1]));
  return made ? *std::move(made) : orbit;
}

namespace {

struct Direction {
  double x, y, z;  ///< right, up, toward the listener
};

Direction of_angles(double horizontal_deg, double vertical_deg) {
  const double h = horizontal_deg * kPi / 180.0;
  const double v = vertical_deg * kPi / 180.0;
  return {std::sin(h) * std::cos(v), std::sin(v), std::cos(h) * std::cos(v)};
}

/// Turns what is told about the new axis into the loudspeaker's own directions: first up by the
/// vertical angle, then to the side.
Direction turned_back(const Direction& d, double horizontal_deg, double vertical_deg) {
  const double h = horizontal_deg * kPi / 180.0;
  const double v = vertical_deg * kPi / 180.0;
  const Direction up{d.x, d.y * std::cos(v) + d.z * std::sin(v),
                     d.z * std::cos(v) - d.y * std::sin(v)};
  return {up.x * std::cos(h) + up.z * std::sin(h), up.y, up.z * std::cos(h) - up.x * std::sin(h)};
}

std::optional<std::vector<double>> level_toward(const Orbit& orbit, const Direction& d) {
  constexpr double kToDegrees = 180.0 / kPi;
  const double side = std::hypot(d.x, d.y);
  const double polar = std::atan2(side, d.z) * kToDegrees;
  const double along = side < 1e-9 ? 1.0 : d.x * d.x / (side * side);  // cos^2 of the roll
  const auto h = orbit.level_at(Plane::kHorizontal, d.x >= 0.0 ? polar : -polar);
  if (along > 1.0 - 1e-6) return h;
  const auto v = orbit.level_at(Plane::kVertical, d.y >= 0.0 ? polar : -polar);
  if (along < 1e-6) return v;
  if (!h || !v) return std::nullopt;
  std::vector<double> level(h->size());
  for (std::size_t i = 0; i < level.size(); ++i)
    level[i] = along * (*h)[i] + (1.0 - along) * (*v)[i];
  return level;
}

}  // namespace

Orbit turned(const Orbit& orbit, double horizontal_deg, double vertical_deg) {
  std::vector<Orbit::Ray> rays[2];
  for (const Plane plane : {Plane::kHorizontal, Plane::kVertical}) {
    // The angles that a full set has, whatever was taken.
    for (int degrees = -170; degrees <= 180; degrees += 10) {
      const Direction here =
          plane == Plane::kHorizontal ? of_angles(degrees, 0.0) : of_angles(0.0, degrees);
      const auto level = level_toward(orbit, turned_back(here, horizontal_deg, vertical_deg));
      if (!level) continue;
      const Quantity quantity = orbit.rays(Plane::kHorizontal).empty()
                                    ? orbit.rays(Plane::kVertical).front().curve.quantity()
                                    : orbit.rays(Plane::kHorizontal).front().curve.quantity();
      rays[plane == Plane::kHorizontal ? 0 : 1].push_back(
          {static_cast<double>(degrees), of_levels(orbit.axis(), *level, quantity, orbit.valid()),
           false, *level});
    }
  }
  auto made = Orbit::make(std::move(rays[0]), std::move(rays[1]));
  return made ? *std::move(made) : orbit;
}

std::optional<std::vector<double>> level_along(const Orbit& orbit, double horizontal_deg,
                                               double vertical_deg) {
  return level_toward(orbit, turned_back(of_angles(0.0, 0.0), horizontal_deg, vertical_deg));
}

std::optional<double> between_rays_db(const Orbit& orbit, Plane plane) {
  const std::vector<Orbit::Ray>& rays = orbit.rays(plane);
  double square = 0.0;
  double count = 0.0;
  for (std::size_t k = 1; k + 1 < rays.size(); ++k) {
    const double down = rays[k].degrees - rays[k - 1].degrees;
    const double up = rays[k + 1].degrees - rays[k].degrees;
    if (std::abs(down - up) > 0.1 * up || rays[k].mirrored) continue;
    for (std::size_t i = 0; i < orbit.axis().size(); ++i) {
      const double f = orbit.axis()[i];
      if (!orbit.valid().contains(f) || f < 300.0 || f > 10000.0) continue;
      const double off =
          rays[k].level_db[i] - 0.5 * (rays[k - 1].level_db[i] + rays[k + 1].level_db[i]);
      square += 0.0625 * off * off;
      count += 1.0;
    }
  }
  if (count == 0.0) return std::nullopt;
  return std::sqrt(square / count);
}

}  // namespace lalometer
