#include <algorithm>
#include <cmath>
#include <numeric>

#include "workbench/angles/orbit_material.h"

/// Angles that their own data speak against.
namespace lalometer {
namespace {

constexpr double kFrom_hz = 1000.0;
constexpr double kTo_hz = 10000.0;
constexpr double kJudged_db = -25.0;

/// Frequencies that are looked at: some forty over the band.
std::vector<std::size_t> band_of(const Orbit& orbit) {
  std::vector<std::size_t> band;
  double next = std::max(kFrom_hz, orbit.valid().low_hz * 1.05);
  for (std::size_t i = 0; i < orbit.axis().size(); ++i) {
    const double f = orbit.axis()[i];
    if (f < next || f > std::min(kTo_hz, orbit.valid().high_hz)) continue;
    band.push_back(i);
    next = f * std::exp2(1.0 / 12.0);
  }
  return band;
}

struct Row {
  double degrees;
  std::vector<double> level;  ///< re the axis, over the band
  double mean;
};

/// Level of the other rows at an angle: by straight lines between the nearest, `out` left out;
/// nothing where they lie too far apart.
std::optional<std::vector<double>> others_at(const std::vector<Row>& rows, std::size_t out,
                                             double degrees) {
  constexpr double kWidest_deg = 41.0;
  const Row* below = nullptr;
  const Row* above = nullptr;
  double down = 1e9;
  double up = 1e9;
  for (std::size_t k = 0; k < rows.size(); ++k) {
    if (k == out) continue;
    const double off = wrapped_deg(rows[k].degrees - degrees);
    if (off <= 1e-6 && -off < down) down = -off, below = &rows[k];
    if (off >= -1e-6 && off < up) up = off, above = &rows[k];
  }
  if (below == nullptr || above == nullptr || down + up > kWidest_deg) return std::nullopt;
  const double t = down + up > 0.0 ? down / (down + up) : 0.0;
  std::vector<double> level(below->level.size());
  for (std::size_t i = 0; i < level.size(); ++i)
    level[i] = (1.0 - t) * below->level[i] + t * above->level[i];
  return level;
}

double rms_off(const std::vector<double>& a, const std::vector<double>& b) {
  double square = 0.0;
  for (std::size_t i = 0; i < a.size(); ++i) {
    // Depths of nulls say little.
    const double x = std::max(a[i], kJudged_db);
    const double y = std::max(b[i], kJudged_db);
    square += (x - y) * (x - y);
  }
  return std::sqrt(square / static_cast<double>(std::max<std::size_t>(a.size(), 1)));
}

const char* name_of(Plane plane) {
  return plane == Plane::kHorizontal ? "horizontal" : "vertical";
}

/// How far a row lies off its neighbours' middle, squared.
double bend(const std::vector<Row>& rows, const std::vector<std::size_t>& order, std::size_t k) {
  if (k == 0 || k + 1 >= order.size()) return 0.0;
  const Row& a = rows[order[k - 1]];
  const Row& c = rows[order[k + 1]];
  std::vector<double> middle(a.level.size());
  for (std::size_t i = 0; i < middle.size(); ++i) middle[i] = 0.5 * (a.level[i] + c.level[i]);
  return std::pow(rms_off(rows[order[k]].level, middle), 2);
}

/// Roughness about two places of the circle.
double roughness(const std::vector<Row>& rows, const std::vector<std::size_t>& order, std::size_t a,
                 std::size_t b) {
  std::vector<std::size_t> near;
  for (const std::size_t place : {a, b})
    for (std::size_t k = place > 0 ? place - 1 : 0; k <= place + 1; ++k)
      if (std::find(near.begin(), near.end(), k) == near.end()) near.push_back(k);
  double sum = 0.0;
  for (const std::size_t k : near) sum += bend(rows, order, k);
  return std::sqrt(sum);
}

void find_doubles(const std::vector<Row>& rows, Plane plane, std::vector<std::string>& found) {
  for (std::size_t a = 0; a < rows.size(); ++a)
    for (std::size_t b = a + 1; b < rows.size(); ++b) {
      // Left and right of a symmetric loudspeaker may be alike to the last digit in a simulation.
      if (rows[a].degrees * rows[b].degrees < 0.0) continue;
      if (rms_off(rows[a].level, rows[b].level) > 0.005) continue;
      found.push_back(
          fmt::format("{} {:+.4g}° and {:+.4g}° hold the same curve: one of them was "
                      "filed twice.",
                      name_of(plane), rows[a].degrees, rows[b].degrees));
    }
}

/// Two rays whose exchange makes the circle about them much smoother.
bool find_swaps(const std::vector<Row>& rows, Plane plane, std::vector<std::string>& found) {
  if (rows.size() < 6) return false;
  std::vector<std::size_t> order(rows.size());
  std::iota(order.begin(), order.end(), 0);
  constexpr double kRough_db = 1.5;
  constexpr double kSmoother = 0.45;
  double best = kSmoother;
  std::pair<std::size_t, std::size_t> pair{0, 0};
  for (std::size_t a = 0; a < rows.size(); ++a)
    for (std::size_t b = a + 1; b < rows.size(); ++b) {
      // Neighbours, or a left one for its right one.
      const bool near = rows[b].degrees - rows[a].degrees <= 45.0;
      const bool sides = std::abs(rows[a].degrees + rows[b].degrees) < 0.5;
      if (!near && !sides) continue;
      const double as_told = roughness(rows, order, a, b);
      if (as_told < kRough_db) continue;
      std::vector<std::size_t> other = order;
      std::swap(other[a], other[b]);
      const double share = roughness(rows, other, a, b) / as_told;
      if (share < best) best = share, pair = {a, b};
    }
  if (pair.first == pair.second) return false;
  found.push_back(
      fmt::format("{} {:+.4g}° and {:+.4g}° look swapped: exchanged, the circle about "
                  "them is {:.1f} times as smooth.",
                  name_of(plane), rows[pair.first].degrees, rows[pair.second].degrees,
                  1.0 / std::max(best, 0.01)));
  return true;
}

/// How far a row lies off what the others make of its angle, with another one left out as well.
double misfit(const std::vector<Row>& rows, std::size_t k, std::size_t without) {
  std::vector<Row> some;
  std::size_t own = 0;
  for (std::size_t i = 0; i < rows.size(); ++i) {
    if (i == without) continue;
    if (i == k) own = some.size();
    some.push_back(rows[i]);
  }
  const auto there = others_at(some, own, rows[k].degrees);
  return there ? rms_off(rows[k].level, *there) : 0.0;
}

/// The loudspeaker itself bends there: the other side does so too, or the circle is rough about it
/// without this ray.
bool bends_itself(const std::vector<Row>& rows, std::size_t k, double as_told) {
  for (std::size_t i = 0; i < rows.size(); ++i) {
    if (i != k && std::abs(wrapped_deg(rows[i].degrees + rows[k].degrees)) < 0.5 &&
        misfit(rows, i, rows.size()) > 0.6 * as_told)
      return true;
  }
  for (const std::size_t i : {k + rows.size() - 1, k + 1}) {
    const std::size_t beside = i % rows.size();
    if (beside != k && misfit(rows, beside, k) > 0.5 * as_told) return true;
  }
  return false;
}

/// The angle at which a row fits best.
struct Fit {
  double degrees;
  double off_db;
  double as_told_db;
};
/// @param there  level that an angle should have, dB; nothing where it is not known.
template <class Function>
std::optional<Fit> best_fit(const Row& row, Function there) {
  const auto here = there(row.degrees);
  if (!here) return std::nullopt;
  Fit fit{row.degrees, rms_off(row.level, *here), 0.0};
  fit.as_told_db = fit.off_db;
  for (double off = -30.0; off <= 30.1; off += 2.5) {
    const auto other = there(row.degrees + off);
    if (!other) continue;
    const double fits = rms_off(row.level, *other);
    if (fits < fit.off_db) fit.off_db = fits, fit.degrees = row.degrees + off;
  }
  return fit;
}

std::string slipped(Plane plane, const Row& row, const Fit& fit, const char* held_against) {
  return fmt::format(
      "{} {:+.4g}° looks as if it was taken at {:+.3g}°: {} there within {:.1f} dB, "
      "here within {:.1f}.",
      name_of(plane), row.degrees, wrapped_deg(fit.degrees), held_against, fit.off_db,
      fit.as_told_db);
}

void find_slips(const std::vector<Row>& rows, Plane plane, std::vector<std::string>& found) {
  // The other side's level at the mirrored angle: a loudspeaker is more alike on both sides than
  // from one angle to the next.
  std::vector<std::optional<Fit>> sides;
  std::vector<double> usual;
  for (const Row& row : rows) {
    const bool judged =
        row.mean > kJudged_db && std::abs(row.degrees) > 5.0 && std::abs(row.degrees) < 175.0;
    sides.push_back(judged ? best_fit(row,
                                      [&](double degrees) -> std::optional<std::vector<double>> {
                                        // Of its own side nothing may stand in.
                                        if (wrapped_deg(degrees) * row.degrees <= 0.0)
                                          return std::nullopt;
                                        return others_at(rows, rows.size(), -degrees);
                                      })
                           : std::nullopt);
    if (sides.back()) usual.push_back(sides.back()->as_told_db);
  }
  double middle = 1e9;
  if (usual.size() >= 4) {
    std::nth_element(usual.begin(), usual.begin() + static_cast<std::ptrdiff_t>(usual.size() / 2),
                     usual.end());
    middle = usual[usual.size() / 2];
  }
  constexpr double kLeast_deg = 4.0;
  for (std::size_t k = 0; k < rows.size(); ++k) {
    if (rows[k].mean < kJudged_db || std::abs(rows[k].degrees) < 0.5) continue;
    const auto near =
        best_fit(rows[k], [&](double degrees) { return others_at(rows, k, degrees); });
    if (near && near->as_told_db > 1.0 && near->off_db < 0.4 * near->as_told_db &&
        std::abs(near->degrees - rows[k].degrees) > kLeast_deg &&
        !bends_itself(rows, k, near->as_told_db)) {
      found.push_back(slipped(plane, rows[k], *near, "its neighbours fit"));
      continue;
    }
    const auto& side = sides[k];
    if (!side || side->as_told_db < std::max(0.6, 2.5 * middle) ||
        side->off_db > 0.65 * side->as_told_db ||
        std::abs(side->degrees - rows[k].degrees) < kLeast_deg)
      continue;
    // Of the two that differ it is the one that its neighbours speak against.
    const std::size_t other = static_cast<std::size_t>(
        std::find_if(rows.begin(), rows.end(),
                     [&](const Row& r) {
                       return std::abs(wrapped_deg(r.degrees + rows[k].degrees)) < 0.5;
                     }) -
        rows.begin());
    if (other < rows.size() && misfit(rows, other, rows.size()) > misfit(rows, k, rows.size()))
      continue;
    found.push_back(slipped(plane, rows[k], *side, "the other side fits"));
  }
}

}  // namespace

std::vector<std::string> angle_suspicions(const Orbit& orbit) {
  std::vector<std::string> found;
  const std::vector<std::size_t> band = band_of(orbit);
  if (band.size() < 8) return found;
  for (const Plane plane : {Plane::kHorizontal, Plane::kVertical}) {
    const auto& rays = orbit.rays(plane);
    const Orbit::Ray* axis = orbit.at(plane, 0.0);
    if (rays.size() < 3 || axis == nullptr) continue;
    std::vector<Row> rows;
    for (const Orbit::Ray& ray : rays) {
      Row row{ray.degrees, {}, 0.0};
      for (const std::size_t i : band)
        row.level.push_back(ray.curve.level_db(i) - axis->curve.level_db(i));
      row.mean = std::accumulate(row.level.begin(), row.level.end(), 0.0) /
                 static_cast<double>(row.level.size());
      rows.push_back(std::move(row));
    }
    find_doubles(rows, plane, found);
    if (!find_swaps(rows, plane, found)) find_slips(rows, plane, found);
  }
  return found;
}

}  // namespace lalometer
