#include "diagnosis/view/bass/alignment.h"

#include <algorithm>
#include <cmath>
#include <vector>

#include "acoustics/enclosure/driver_circuit.h"

namespace lalometer {
namespace {

constexpr double kLittle_db = 1.0;
constexpr double kUsualLoss = 10.0;
constexpr double kAllGone_db = 12.0;
constexpr double kPerOctave = 24.0;

struct Run {
  double hump_db;
  double f6_hz;
  double reach_hz;
};

/// Where it falls below, for good, coming from above; 0: nowhere.
double falls(const std::vector<std::pair<double, double>>& level, double below_db) {
  for (auto it = level.rbegin(); it != level.rend(); ++it)
    if (it->second < below_db) return it->first;
  return 0.0;
}

/// Volume velocity to all sides times the frequency, as the pressure goes.
Run run_of(const DriverParameters& driver, double alpha, double fb, double ql) {
  BoxLoad box{.kind = BoxLoad::Kind::kVented};
  box.volume_m3 = driver.vas_m3() / alpha;
  box.tuning_hz = fb;
  box.ql = ql;
  const double fs = driver.fs_hz();
  std::vector<std::pair<double, double>> level;
  double mean = 0.0, count = 0.0;
  for (double f = 0.3 * fs; f < 8.0 * fs; f *= std::exp2(1.0 / kPerOctave)) {
    const DriverSolution s = solve_driver(driver, box, f);
    const double db = 20.0 * std::log10(f * std::abs(s.cone_volume_velocity_m3_s_per_v +
                                                     s.port_volume_velocity_m3_s_per_v +
                                                     s.leak_volume_velocity_m3_s_per_v));
    level.emplace_back(f, db);
    if (f > 4.0 * fs) {
      mean += db;
      count += 1.0;
    }
  }
  mean /= count;
  Run out{-100.0, falls(level, mean - 6.0), level.front().first};
  for (const auto& [f, db] : level) {
    out.hump_db = std::max(out.hump_db, db - mean);
    // What is missing counts by its size: a shelf round -6 dB would throw F6 from one end of it to
    // the other.
    out.reach_hz *= std::exp2(std::clamp((mean - db) / kAllGone_db, 0.0, 1.0) / kPerOctave);
  }
  return out;
}

DriverParameters driver_of(const TunedBox& box) {
  return elements_of({.fs_hz = box.fs_hz,
                      .qms = box.qms,
                      .qes = box.qes,
                      .vas_m3 = 0.02,
                      .sd_m2 = 0.013,
                      .re_ohm = 6.0,
                      .le_h = 1e-7});
}

}  // namespace

TunedBox tuned(const BoxFit& fit) {
  return {fit.driver_fs_hz.value, fit.driver_qms.value, fit.driver_qes.value,
          fit.alpha.value,        fit.fb_hz.value,      fit.ql ? fit.ql->value : kUsualLoss};
}

std::optional<TunedBox> tuned_by_upper_hump(double fs, double qms, double qes, double upper,
                                            double fb) {
  const double lower = fs * fb / upper;
  const double alpha = (lower * lower + upper * upper - fb * fb) / (fs * fs) - 1.0;
  if (!(alpha > 0.05) || lower > upper) return std::nullopt;
  return TunedBox{fs, qms, qes, alpha, fb, kUsualLoss};
}

std::optional<Alignment> alignment_of(const TunedBox& box) {
  const DriverParameters driver = driver_of(box);
  const double fs = driver.fs_hz();
  Alignment out;
  const Run own = run_of(driver, box.alpha, box.fb_hz, box.ql);
  out.hump_db = own.hump_db;
  out.f6_hz = own.f6_hz;
  out.reach_hz = own.reach_hz;
  // Where every tuning lifts the bass, the one that does so least.
  Run best{1e9, 0.0, 0.0};
  for (double fb = 0.5 * fs; fb <= 2.0 * fs; fb *= std::exp2(1.0 / 12.0)) {
    const Run r = run_of(driver, box.alpha, fb, box.ql);
    if (r.reach_hz <= 0.0) continue;
    const bool little = r.hump_db <= kLittle_db;
    const bool better =
        best.hump_db > kLittle_db ? r.hump_db < best.hump_db : little && r.reach_hz < best.reach_hz;
    if (!better) continue;
    best = r;
    out.best_fb_hz = fb;
  }
  out.best_f6_hz = best.f6_hz;
  out.best_reach_hz = best.reach_hz;
  out.best_hump_db = best.hump_db;
  return out.best_f6_hz > 0.0 && out.f6_hz > 0.0 ? std::optional(out) : std::nullopt;
}

}  // namespace lalometer
