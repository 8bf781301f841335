#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "diagnosis/codes.h"
#include "diagnosis/registry.h"

/// The mains in the microphone's or the jig's line.
namespace lalometer {
namespace {

/// How far a list's rows by a frequency stand over those around, dB. Nothing where rows are sparse.
std::optional<double> stands_db(const Response& curve, double f) {
  double there = -1e9;
  std::vector<double> around;
  for (std::size_t i = 0; i < curve.size(); ++i) {
    const double octaves = std::abs(std::log2(curve.axis()[i] / f));
    if (octaves < 0.022) there = std::max(there, curve.level_db(i));
    if (octaves > 0.045 && octaves < 0.17) around.push_back(curve.level_db(i));
  }
  if (around.size() < 4 || there < -1e8) return std::nullopt;
  const auto middle = around.begin() + static_cast<std::ptrdiff_t>(around.size() / 2);
  std::nth_element(around.begin(), middle, around.end());
  const double run = *middle;
  double scatter = 0.0;
  for (const double each : around) scatter += std::abs(each - run);
  scatter /= static_cast<double>(around.size());
  return there - run > 4.0 * scatter ? there - run : 0.0;
}

struct Spikes {
  int count = 0;
  double mean_db = 0.0;
};

Spikes spikes_at(const Response& curve, double mains_hz, double shifted_by) {
  constexpr double kLeast_db = 0.8;
  Spikes s;
  for (int m = 1; m <= 7; ++m)
    if (const auto over = stands_db(curve, (m + shifted_by) * mains_hz);
        over && *over > kLeast_db) {
      s.mean_db = (s.mean_db * s.count + *over) / (s.count + 1);
      ++s.count;
    }
  return s;
}

/// In a list of numbers: rows by the mains' multiples stand out, and none between them.
std::vector<Claim> of_lists(const CaseView& v) {
  Spikes most;
  double mains = 0.0;
  std::string name;
  int takes = 0;
  for (const CaseTake& t : v.material->takes)
    for (const double hz : {50.0, 60.0}) {
      const Spikes on = spikes_at(t.curve, hz, 0.0);
      const Spikes between = spikes_at(t.curve, hz, 0.5);
      if (on.count < 3 || between.count > 0) continue;
      ++takes;
      if (on.count <= most.count) continue;
      most = on;
      mains = hz;
      name = t.name;
    }
  if (most.count == 0) return {};
  Claim c(0.3);
  c.saw(most.count >= 4 ? 20.0 : 6.0,
        fmt::format("rows of “{}” at {} multiples of {:.0f} Hz stand out by {:.1f} dB", name,
                    most.count, mains, most.mean_db));
  if (takes > 1) c.saw(3.0, fmt::format("{} takes have it", takes));
  c.next_step = "Keep signal and mains cables apart, use one outlet for all, and take again.";
  return {c};
}

std::vector<Claim> claims(const CaseView& v) {
  auto heard =
      claims_by_code(v, "mains-hum", "“{}” holds hum of the mains and its multiples",
                     "Keep signal and mains cables apart, use one outlet for all, and take again.");
  return heard.empty() ? of_lists(v) : heard;
}

}  // namespace

Cause causes::mains_hum() {
  return {"mains-hum", claims};
}

}  // namespace lalometer
