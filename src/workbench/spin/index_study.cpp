#include "workbench/spin/index_study.h"

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "diagnosis/view/sound/features.h"

namespace lalometer {
namespace {

constexpr double kFeature_db = 0.7;

/// Mean level of powers, dB.
std::vector<double> mean_of(const std::vector<const SpatialAverage*>& parts) {
  std::vector<double> sum(parts.front()->size(), 0.0);
  for (const SpatialAverage* part : parts)
    for (std::size_t i = 0; i < sum.size(); ++i) sum[i] += std::pow(10.0, (*part)[i] / 10.0);
  for (double& v : sum) v = 10.0 * std::log10(v / static_cast<double>(parts.size()));
  return sum;
}

/// The sphere's mean by the angles of one circle alone.
std::vector<double> power_of(const Orbit& orbit, Plane plane) {
  std::vector<double> sum(orbit.axis().size(), 0.0);
  double weights = 0.0;
  for (int d = -170; d <= 180; d += 10) {
    const Orbit::Ray* ray = orbit.at(plane, d);
    if (ray == nullptr) return {};
    const double w = power_weight(d);
    weights += w;
    for (std::size_t i = 0; i < sum.size(); ++i) sum[i] += w * std::norm(ray->curve.value(i));
  }
  for (double& v : sum) v = 10.0 * std::log10(v / weights);
  return sum;
}

std::vector<double> stands_out(const Orbit& orbit, const SpatialAverage& window,
                               const std::vector<double>& other) {
  std::vector<double> index(window.size());
  for (std::size_t i = 0; i < index.size(); ++i) index[i] = window[i] - other[i];
  return outstanding(orbit.axis(), index);
}

void add_features(std::vector<IndexFeature>& all, const Orbit& orbit, bool early,
                  const std::vector<double>& own, const std::vector<double>& horizontal,
                  const std::vector<double>& vertical) {
  const double low = std::max(200.0, orbit.valid().low_hz);
  const double high = std::min(16000.0, orbit.valid().high_hz);
  for (const CurveFeature& f : features_of(orbit.axis(), own, low, high, kFeature_db)) {
    const double h = shared_by(f, own, {horizontal});
    const double v = shared_by(f, own, {vertical});
    constexpr double kHas = 0.5;
    IndexFeature::In in = IndexFeature::In::kBoth;
    if (h >= kHas && v < kHas) in = IndexFeature::In::kHorizontal;
    if (v >= kHas && h < kHas) in = IndexFeature::In::kVertical;
    all.push_back({early, orbit.axis()[f.from], orbit.axis()[f.to - 1], f.at_hz, f.height_db, in});
  }
}

}  // namespace

std::vector<IndexFeature> index_features(const Orbit& orbit, const Spinorama& s) {
  std::vector<IndexFeature> all;
  if (!s.early_reflections_di_db.empty()) {
    const auto own = stands_out(orbit, s.listening_window_db, s.early_reflections_db);
    const auto h = mean_of({&s.front_wall_db, &s.side_wall_db, &s.rear_wall_db});
    const auto v = mean_of({&s.floor_db, &s.ceiling_db});
    add_features(all, orbit, true, own, stands_out(orbit, s.listening_window_db, h),
                 stands_out(orbit, s.listening_window_db, v));
  }
  if (!s.sound_power_di_db.empty()) {
    const auto own = stands_out(orbit, s.listening_window_db, s.sound_power_db);
    const auto h = power_of(orbit, Plane::kHorizontal);
    auto v = power_of(orbit, Plane::kVertical);
    if (v.empty() && !orbit.rays(Plane::kVertical).empty()) {
      // Straight ahead and behind stand with the horizontal circle.
      std::vector<Orbit::Ray> rays = orbit.rays(Plane::kVertical);
      for (const double d : {0.0, 180.0})
        if (const Orbit::Ray* ray = orbit.at(Plane::kHorizontal, d)) rays.push_back(*ray);
      if (const auto with = Orbit::make({}, std::move(rays))) v = power_of(*with, Plane::kVertical);
    }
    if (!h.empty() && !v.empty())
      add_features(all, orbit, false, own, stands_out(orbit, s.listening_window_db, h),
                   stands_out(orbit, s.listening_window_db, v));
  }
  std::stable_sort(all.begin(), all.end(),
                   [](const IndexFeature& a, const IndexFeature& b) { return a.at_hz < b.at_hz; });
  return all;
}

std::string spoken(const IndexFeature& f) {
  const char* in = f.in == IndexFeature::In::kHorizontal ? "is horizontal only"
                   : f.in == IndexFeature::In::kVertical ? "is vertical only"
                                                         : "is in both planes";
  return fmt::format(
      "The {} of the {} index at {} ({:+.1f} dB) {}", f.height_db < 0.0 ? "dip" : "bump",
      f.early ? "early-reflections" : "sound-power", frequency_text(f.at_hz), f.height_db, in);
}

std::vector<RatingChange> rating_changes(const Orbit& orbit, const Spinorama& s,
                                         const Preference& preference) {
  constexpr double kLeast = 0.05;
  const std::optional<double> now =
      preference.score ? preference.score : preference.score_with_subwoofer;
  if (!now) return {};
  std::vector<RatingChange> changes;
  const auto own = outstanding(orbit.axis(), s.listening_window_db);
  for (const CurveFeature& f : features_of(orbit.axis(), own, 100.0, 16000.0, kFeature_db)) {
    Spinorama mended = s;
    for (SpatialAverage* curve : {&mended.on_axis_db, &mended.listening_window_db,
                                  &mended.sound_power_db, &mended.predicted_in_room_db})
      for (std::size_t i = f.from; i < f.to && !curve->empty(); ++i) (*curve)[i] -= own[i];
    const Preference then = preference_of(orbit.axis(), orbit.valid(), mended);
    const auto score = preference.score ? then.score : then.score_with_subwoofer;
    if (!score) continue;
    changes.push_back(
        {fmt::format("the {} at {} ({:+.1f} dB) mended", f.height_db < 0.0 ? "dip" : "peak",
                     frequency_text(f.at_hz), f.height_db),
         *score - *now});
  }
  // 4.31 of the rating for each decade of bass.
  if (preference.score)
    changes.push_back({"the bass half an octave deeper", 4.31 * std::log10(std::sqrt(2.0))});
  std::erase_if(changes, [](const RatingChange& c) { return std::abs(c.by) < kLeast; });
  std::stable_sort(changes.begin(), changes.end(),
                   [](const RatingChange& a, const RatingChange& b) { return a.by > b.by; });
  return changes;
}

}  // namespace lalometer
