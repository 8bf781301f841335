#include "acoustics/level/level_series.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "acoustics/spectrum/bands.h"
#include "base/constants.h"

namespace lalometer {
namespace {

double db(double ratio) {
  return 20.0 * std::log10(std::max(ratio, 1e-30));
}

/// Mean power of an order over a third octave, where all of it was heard; and of its floor.
struct BandLevel {
  std::optional<double> power;
  double floor = 0.0;
};
BandLevel band_level(const Harmonics& h, int order, const Band& band) {
  const Harmonic& one = h.order(order);
  double sum = 0.0;
  double floor = 0.0;
  double count = 0.0;
  double heard = 0.0;
  for (std::size_t i = 0; i < h.axis.size(); ++i) {
    const double f = h.axis[i];
    if (f < band.low_hz || f >= band.high_hz || !one.valid.contains(f)) continue;
    count += 1.0;
    sum += std::norm(one.value[i]);
    floor += std::pow(one.floor[i], 2);
    if (order == 1 || one.heard(i, f)) heard += 1.0;
  }
  BandLevel b;
  if (count < 1.0) return b;
  b.floor = floor / count;
  if (heard >= 0.6 * count) b.power = sum / count;
  return b;
}

std::vector<Band> bands_of(const Harmonics& h) {
  return fractional_octave_bands(h.axis.front() * std::exp2(1.0 / 6.0),
                                 h.axis.back() / std::exp2(1.0 / 6.0), 3);
}

double thd_over(const Harmonics& h, const Band& band) {
  double sum = 0.0;
  double count = 0.0;
  for (std::size_t i = 0; i < h.axis.size(); ++i) {
    if (h.axis[i] < band.low_hz || h.axis[i] >= band.high_hz || !h.thd[i].known) continue;
    sum += h.thd[i].ratio * h.thd[i].ratio;
    count += 1.0;
  }
  return count > 0.0 ? std::sqrt(sum / count) : -1.0;
}

}  // namespace

Compression compression_of(const std::vector<LevelStep>& steps, std::size_t step) {
  const Harmonics& low = *steps.front().harmonics;
  const Harmonics& here = *steps[step].harmonics;
  const double drive_db = db(steps[step].drive_v / steps.front().drive_v);
  const bool same = low.axis == here.axis;
  Compression c;
  std::vector<double> magnitude(here.axis.size());
  for (std::size_t i = 0; i < magnitude.size(); ++i)
    magnitude[i] = steps[step].gain * std::abs(here.order(1).value[i]);
  for (std::size_t i = 0; i < low.axis.size(); ++i) {
    const double f = low.axis[i];
    const double level = same ? magnitude[i] : value_between(here.axis, magnitude, f);
    const double spread =
        same ? here.order(1).spread[i] : value_between(here.axis, here.order(1).spread, f);
    // Where noise is as loud as either of the two there is nothing to compare.
    const bool heard = low.order(1).heard(i, f) && std::isfinite(level) &&
                       here.order(1).valid.contains(f) &&
                       here.order(1).heard(same ? i : here.axis.bracket(f), f);
    c.level_db.push_back(
        heard ? db(level) - db(steps.front().gain * std::abs(low.order(1).value[i])) - drive_db
              : std::numeric_limits<double>::quiet_NaN());
    c.half_width.push_back(8.685890 * kTwoSided95 *
                           (step == 0 ? 0.0 : std::hypot(spread, low.order(1).spread[i])));
  }
  return c;
}

std::vector<Growth> growth_of(const std::vector<LevelStep>& steps) {
  constexpr double kJump_db = 10.0;
  std::vector<Growth> all;
  if (steps.size() < 2) return all;
  for (const Band& band : bands_of(*steps.front().harmonics)) {
    for (int order = 2; order <= 5; ++order) {
      std::vector<double> drive;
      std::vector<double> share;  // re the fundamental, dB
      std::vector<std::size_t> at;
      double quiet_share = 0.0;  // most it can be in the last step that does not hear it
      std::optional<std::size_t> quiet;
      for (std::size_t k = 0; k < steps.size(); ++k) {
        const BandLevel own = band_level(*steps[k].harmonics, order, band);
        const BandLevel fundamental = band_level(*steps[k].harmonics, 1, band);
        if (!fundamental.power || !(*fundamental.power > 0.0)) continue;
        if (own.power && *own.power > 0.0) {
          drive.push_back(db(steps[k].drive_v));
          share.push_back(10.0 * std::log10(*own.power / *fundamental.power));
          at.push_back(k);
        } else if (own.floor > 0.0) {
          quiet = k;
          quiet_share = 10.0 * std::log10(4.0 * own.floor / *fundamental.power);
        }
      }
      if (share.empty()) continue;
      Growth g{.order = order, .frequency_hz = band.centre_hz};
      const double usual = order - 1.0;
      for (std::size_t k = 1; k < share.size() && !g.jump_at; ++k)
        if (share[k] - share[k - 1] > usual * (drive[k] - drive[k - 1]) + kJump_db)
          g.jump_at = at[k];
      if (!g.jump_at && quiet && *quiet < at.front() &&
          share.front() - quiet_share >
              usual * (drive.front() - db(steps[*quiet].drive_v)) + kJump_db)
        g.jump_at = at.front();
      if (share.size() < 2 && !g.jump_at) continue;
      double sx = 0.0;
      double sy = 0.0;
      double sxx = 0.0;
      double sxy = 0.0;
      for (std::size_t k = 0; k < share.size(); ++k) {
        sx += drive[k];
        sy += share[k];
        sxx += drive[k] * drive[k];
        sxy += drive[k] * share[k];
      }
      const auto n = static_cast<double>(share.size());
      const double spread = n * sxx - sx * sx;
      g.db_per_db = spread > 1e-9 ? (n * sxy - sx * sy) / spread : 0.0;
      all.push_back(g);
    }
  }
  return all;
}

std::vector<CleanLevel> clean_levels(const std::vector<LevelStep>& steps, double percent) {
  std::vector<CleanLevel> all;
  if (steps.empty()) return all;
  const double limit = percent / 100.0;
  for (const Band& band : bands_of(*steps.front().harmonics)) {
    CleanLevel clean{.frequency_hz = band.centre_hz};
    double last_thd = -1.0;
    for (const LevelStep& step : steps) {
      const double thd = thd_over(*step.harmonics, band);
      const BandLevel level = band_level(*step.harmonics, 1, band);
      if (thd < 0.0 || !level.power) break;
      const double now = step.gain * std::sqrt(*level.power);
      if (thd >= limit) {
        if (last_thd > 0.0) {
          const double share = std::log(limit / last_thd) / std::log(thd / last_thd);
          clean.level *= std::pow(now / clean.level, std::clamp(share, 0.0, 1.0));
        }
        clean.at_least = false;
        break;
      }
      clean.level = now;
      clean.at_least = true;
      last_thd = thd;
    }
    if (clean.level > 0.0 && last_thd >= 0.0) all.push_back(clean);
  }
  return all;
}

ValidRange judged_band(const std::vector<LevelStep>& steps) {
  constexpr double kDown_db = 10.0;
  constexpr double kFrom_hz = 100.0;
  constexpr double kBassEnds_hz = 400.0;
  if (steps.empty()) return {};
  ValidRange band = own_band(*steps.front().harmonics, kDown_db);
  if (band.high_hz > kBassEnds_hz) band.low_hz = std::max(band.low_hz, kFrom_hz);
  return band;
}

std::optional<std::size_t> last_good_step(const std::vector<LevelStep>& steps,
                                          const ValidRange& judged) {
  constexpr double kMostThd = 0.03;
  constexpr double kMostLost_db = 1.0;
  if (steps.empty()) return std::nullopt;
  const std::vector<Growth> growth = growth_of(steps);
  std::optional<std::size_t> good;
  for (std::size_t k = 0; k < steps.size(); ++k) {
    const Compression lost = compression_of(steps, k);
    bool fine = true;
    for (const Band& band : bands_of(*steps.front().harmonics)) {
      if (band.low_hz < judged.low_hz || band.high_hz > judged.high_hz) continue;
      fine = fine && thd_over(*steps[k].harmonics, band) < kMostThd;
      double sum = 0.0;
      double count = 0.0;
      const FrequencyAxis& axis = steps.front().harmonics->axis;
      for (std::size_t i = 0; i < axis.size(); ++i)
        if (axis[i] >= band.low_hz && axis[i] < band.high_hz && std::isfinite(lost.level_db[i])) {
          sum += lost.level_db[i];
          count += 1.0;
        }
      fine = fine && (count < 1.0 || sum / count > -kMostLost_db);
    }
    for (const Growth& g : growth)
      fine = fine && !(g.jump_at && *g.jump_at <= k && judged.contains(g.frequency_hz));
    if (!fine) break;
    good = k;
  }
  return good;
}

double level_at(double level_1m_db, double distance_m, int loudspeakers) {
  return level_1m_db - 20.0 * std::log10(distance_m) + (loudspeakers > 1 ? 3.0 : 0.0);
}

}  // namespace lalometer
