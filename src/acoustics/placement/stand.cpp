#include "acoustics/placement/stand.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace lalometer {

std::string trouble_of(const Stand& s) {
  if (!(s.distance_m > 0.01)) return "The microphone stands in the loudspeaker.";
  if (!s.ground_plane && !(s.speaker_height_m > 0.0 && s.microphone_height_m > 0.0))
    return "Loudspeaker and microphone have to stand above the floor.";
  if (s.ceiling_m && std::max(s.speaker_height_m, s.microphone_height_m) >= *s.ceiling_m)
    return fmt::format("The ceiling is {:.2f} m high: something would stand in it.", *s.ceiling_m);
  for (const auto& wall :
       {s.left_m, s.right_m, s.nearest_m, s.behind_speaker_m, s.behind_microphone_m}) {
    if (wall && !(*wall > 0.0)) return "A wall stands where the loudspeaker or the microphone is.";
  }
  return {};
}

std::vector<SurfaceReflection> reflections_of(const Stand& s, double c) {
  const double up = s.microphone_height_m - s.speaker_height_m;
  const double direct = std::hypot(s.distance_m, up);
  std::vector<SurfaceReflection> found;
  const auto add = [&](const char* surface, double path, double along) {
    found.push_back({surface, path, path - direct, (path - direct) / c, along});
  };
  if (!s.ground_plane) {
    const double sum = s.speaker_height_m + s.microphone_height_m;
    add("floor", std::hypot(s.distance_m, sum), s.speaker_height_m / sum);
  }
  if (s.ceiling_m) {
    const double first = *s.ceiling_m - s.speaker_height_m;
    const double sum = first + *s.ceiling_m - s.microphone_height_m;
    add("ceiling", std::hypot(s.distance_m, sum), first / sum);
  }
  if (s.left_m) add("left wall", std::hypot(direct, 2.0 * *s.left_m), 0.5);
  if (s.right_m) add("right wall", std::hypot(direct, 2.0 * *s.right_m), 0.5);
  if (s.nearest_m) add("nearest wall", std::hypot(direct, 2.0 * *s.nearest_m), 0.5);
  if (s.behind_speaker_m)
    add("wall behind the loudspeaker", std::hypot(s.distance_m + 2.0 * *s.behind_speaker_m, up),
        0.0);
  if (s.behind_microphone_m)
    add("wall behind the microphone", std::hypot(s.distance_m + 2.0 * *s.behind_microphone_m, up),
        1.0);
  std::stable_sort(found.begin(), found.end(),
                   [](const auto& a, const auto& b) { return a.path_m < b.path_m; });
  return found;
}

NamedReflection named_reflection(const Stand& stand, double delay_s, double c, double tolerance_s) {
  NamedReflection named{.name = {}, .later_m = delay_s * c};
  double nearest = std::max(tolerance_s, 0.04 * delay_s);
  for (const SurfaceReflection& r : reflections_of(stand, c)) {
    const double off = r.delay_s - delay_s;
    if (std::abs(off) > nearest) continue;
    nearest = std::abs(off);
    named.name = r.surface;
    named.off_s = off;
  }
  return named;
}

GateAllowance allowance_of(const Stand& stand, double c) {
  const auto found = reflections_of(stand, c);
  if (found.empty()) return {};
  const double gate = found.front().delay_s;
  return {gate, 1.0 / gate, found.front().surface};
}

double far_field_m(double largest_m) {
  return 3.0 * largest_m;
}

double far_field_up_to_hz(double largest_m, double distance_m, double c) {
  return c * distance_m / (largest_m * largest_m);
}

Stand suggested(const Stand& stand, double largest_m, double highest_m) {
  Stand best = stand;
  best.distance_m = std::max(far_field_m(largest_m), 0.3);
  const double height = stand.ground_plane ? 0.0
                        : stand.ceiling_m  ? std::min(0.5 * *stand.ceiling_m, highest_m)
                                           : highest_m;
  best.speaker_height_m = best.microphone_height_m = height;
  return best;
}

}  // namespace lalometer
