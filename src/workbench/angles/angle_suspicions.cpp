#include <fmt/format.h>

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
/// A ray that was filed wrongly makes the circle rough so far about it.
constexpr double kAbout_deg = 42.0;

/// Frequencies that are looked at: some twenty over the band.
std::vector<std::size_t> band_of(const Orbit& orbit) {
  std::vector<std::size_t> band;
  double next = std::max(kFrom_hz, orbit.valid().low_hz * 1.05);
  for (std::size_t i = 0; i < orbit.axis().size(); ++i) {
    const double f = orbit.axis()[i];
    if (f < next || f > std::min(kTo_hz, orbit.valid().high_hz)) continue;
    band.push_back(i);
    next = f * std::exp2(1.0 / 6.0);
  }
  return band;
}

struct Row {
  double degrees;
  std::vector<double> level;  ///< re the axis, over the band
  double mean;
};

/// A circle as it was filed, but for one row that stands elsewhere.
struct Filed {
  const std::vector<Row>& rows;
  std::size_t moved = static_cast<std::size_t>(-1);
  double to_deg = 0.0;
  [[nodiscard]] double degrees(std::size_t k) const {
    return k == moved ? to_deg : rows[k].degrees;
  }
};

/// Level of the other rows at an angle, `out` left out: by the cubic through the two nearest to
/// each side, else by the straight line between the nearest; nothing where they lie too far apart.
std::optional<std::vector<double>> others_at(const Filed& circle, std::size_t out, double degrees) {
  constexpr double kWidest_deg = 41.0;
  struct Beside {
    const Row* row = nullptr;
    double off = 1e9;  ///< degrees from the place, with its sign
  };
  Beside below[2];
  Beside above[2];
  const auto put = [](Beside(&side)[2], const Beside& one) {
    if (std::abs(one.off) < std::abs(side[0].off)) {
      side[1] = side[0];
      side[0] = one;
    } else if (std::abs(one.off) < std::abs(side[1].off)) {
      side[1] = one;
    }
  };
  for (std::size_t k = 0; k < circle.rows.size(); ++k) {
    if (k == out) continue;
    const double off = wrapped_deg(circle.degrees(k) - degrees);
    if (std::abs(off) < 1e-6) return circle.rows[k].level;
    if (std::abs(off) < 1.6 * kWidest_deg) put(off < 0.0 ? below : above, {&circle.rows[k], off});
  }
  const double apart = above[0].off - below[0].off;
  if (below[0].row == nullptr || above[0].row == nullptr || apart > kWidest_deg)
    return std::nullopt;
  const Beside nodes[4] = {below[0], above[0], below[1], above[1]};
  const std::size_t count = below[1].row != nullptr && above[1].row != nullptr ? 4 : 2;
  std::vector<double> level(below[0].row->level.size(), 0.0);
  for (std::size_t n = 0; n < count; ++n) {
    double weight = 1.0;
    for (std::size_t o = 0; o < count; ++o)
      if (o != n) weight *= nodes[o].off / (nodes[o].off - nodes[n].off);
    for (std::size_t i = 0; i < level.size(); ++i)
      level[i] += weight * std::max(nodes[n].row->level[i], 2.0 * kJudged_db);
  }
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

/// How far a row lies off what the others make of its angle.
double misfit(const Filed& circle, std::size_t k) {
  const auto there = others_at(circle, k, circle.degrees(k));
  return there ? rms_off(circle.rows[k].level, *there) : 0.0;
}

/// Roughness of the circle about a row's angle as it was filed, dB, if the row stood at another
/// one: how far every row there lies off what its neighbours make of it, root of the sum of
/// squares.
double rough_with(const std::vector<Row>& rows, std::size_t k, double degrees) {
  const Filed circle{rows, k, wrapped_deg(degrees)};
  double square = 0.0;
  for (std::size_t i = 0; i < rows.size(); ++i)
    if (i == k || std::abs(wrapped_deg(rows[i].degrees - rows[k].degrees)) < kAbout_deg)
      square += std::pow(misfit(circle, i), 2);
  return std::sqrt(square);
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

/// Where a row would make the circle smoothest.
struct Moved {
  double degrees;
  double told_db;
  double there_db;
};
Moved best_place(const std::vector<Row>& rows, std::size_t k) {
  Moved moved{rows[k].degrees, rough_with(rows, k, rows[k].degrees), 0.0};
  moved.there_db = moved.told_db;
  const auto look = [&](double degrees) {
    const double rough = rough_with(rows, k, degrees);
    if (rough < moved.there_db) moved.there_db = rough, moved.degrees = degrees;
  };
  for (const double off : {-20.0, -15.0, -10.0, -5.0, 5.0, 10.0, 15.0, 20.0})
    look(rows[k].degrees + off);
  const double best = moved.degrees;
  for (const double off : {-2.5, 2.5}) look(best + off);
  return moved;
}

std::string slipped(Plane plane, const Row& row, const Fit& fit, const char* held_against) {
  return fmt::format(
      "{} {:+.4g}° looks as if it was taken at {:+.3g}°: {} there within {:.1f} dB, "
      "here within {:.1f}.",
      name_of(plane), row.degrees, wrapped_deg(fit.degrees), held_against, fit.off_db,
      fit.as_told_db);
}

/// Rays whose circle is much smoother with them at another angle; of those that stand close, the
/// one that gains most. On 60 loudspeakers made apart no sound circle gained more than a fifth.
std::vector<std::size_t> find_moved(const std::vector<Row>& rows, Plane plane,
                                    std::vector<std::string>& found) {
  constexpr double kLeast_deg = 4.0;
  constexpr double kRough_db = 0.5;
  constexpr double kSmoother = 0.77;
  struct Candidate {
    std::size_t row;
    Moved moved;
    [[nodiscard]] double share() const { return moved.there_db / moved.told_db; }
  };
  std::vector<double> off;
  for (std::size_t k = 0; k < rows.size(); ++k) off.push_back(misfit({rows}, k));
  // It is itself among the roughest about it.
  const auto sticks_out = [&](std::size_t k) {
    for (std::size_t i = 0; i < rows.size(); ++i)
      if (std::abs(wrapped_deg(rows[i].degrees - rows[k].degrees)) < kAbout_deg &&
          off[k] < 0.6 * off[i])
        return false;
    return true;
  };
  std::vector<Candidate> candidates;
  for (std::size_t k = 0; rows.size() >= 5 && k < rows.size(); ++k) {
    if (rows[k].mean < kJudged_db || std::abs(rows[k].degrees) < 0.5 || !sticks_out(k)) continue;
    const Moved moved = best_place(rows, k);
    if (moved.told_db > kRough_db && moved.there_db < kSmoother * moved.told_db &&
        std::abs(wrapped_deg(moved.degrees - rows[k].degrees)) > kLeast_deg)
      candidates.push_back({k, moved});
  }
  // What both sides do alike is the loudspeaker's own.
  const std::vector<Candidate> all = candidates;
  std::erase_if(candidates, [&](const Candidate& one) {
    return std::any_of(all.begin(), all.end(), [&](const Candidate& other) {
      return std::abs(wrapped_deg(rows[other.row].degrees + rows[one.row].degrees)) < 0.5 &&
             other.row != one.row;
    });
  });
  std::sort(candidates.begin(), candidates.end(),
            [](const Candidate& a, const Candidate& b) { return a.share() < b.share(); });
  std::vector<std::size_t> named;
  for (const Candidate& c : candidates) {
    const double degrees = rows[c.row].degrees;
    if (std::any_of(named.begin(), named.end(), [&](std::size_t other) {
          return std::abs(wrapped_deg(rows[other].degrees - degrees)) < kAbout_deg;
        }))
      continue;
    named.push_back(c.row);
    found.push_back(fmt::format(
        "{} {:+.4g}° looks as if it was taken at {:+.3g}°: there the circle about it is {:.1f} "
        "times as smooth.",
        name_of(plane), degrees, wrapped_deg(c.moved.degrees), 1.0 / std::max(c.share(), 0.01)));
  }
  return named;
}

/// Median; `otherwise` of fewer than four.
double middle_of(std::vector<double> values, double otherwise) {
  if (values.size() < 4) return otherwise;
  const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
  std::nth_element(values.begin(), middle, values.end());
  return *middle;
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
                                        return others_at({rows}, rows.size(), -degrees);
                                      })
                           : std::nullopt);
    if (sides.back()) usual.push_back(sides.back()->as_told_db);
  }
  // What is usual in this circle.
  const double middle = middle_of(usual, 1e9);
  constexpr double kLeast_deg = 4.0;
  const std::vector<std::size_t> named = find_moved(rows, plane, found);
  for (std::size_t k = 0; k < rows.size(); ++k) {
    const bool said = std::any_of(named.begin(), named.end(), [&](std::size_t other) {
      return std::abs(wrapped_deg(rows[other].degrees - rows[k].degrees)) < kAbout_deg;
    });
    if (said || rows[k].mean < kJudged_db || std::abs(rows[k].degrees) < 0.5) continue;
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
    if (other < rows.size() && misfit({rows}, other) > misfit({rows}, k)) continue;
    found.push_back(slipped(plane, rows[k], *side, "the other side fits"));
  }
}

}  // namespace

std::vector<std::string> angle_suspicions(const Orbit& orbit, const Parallel& parallel) {
  const std::vector<std::size_t> band = band_of(orbit);
  if (band.size() < 8) return {};
  std::vector<std::string> found[2];
  parallel(2, [&](std::size_t p) {
    const Plane plane = p == 0 ? Plane::kHorizontal : Plane::kVertical;
    const auto& rays = orbit.rays(plane);
    const Orbit::Ray* axis = orbit.at(plane, 0.0);
    if (rays.size() < 3 || axis == nullptr) return;
    std::vector<Row> rows;
    for (const Orbit::Ray& ray : rays) {
      Row row{ray.degrees, {}, 0.0};
      for (const std::size_t i : band) row.level.push_back(ray.level_db[i] - axis->level_db[i]);
      row.mean = std::accumulate(row.level.begin(), row.level.end(), 0.0) /
                 static_cast<double>(row.level.size());
      rows.push_back(std::move(row));
    }
    find_doubles(rows, plane, found[p]);
    if (!find_swaps(rows, plane, found[p])) find_slips(rows, plane, found[p]);
  });
  found[0].insert(found[0].end(), found[1].begin(), found[1].end());
  return found[0];
}

}  // namespace lalometer
