#include "workbench/spin/spin_study.h"

#include <algorithm>
#include <cmath>
#include <optional>
#include <random>

#include "acoustics/near_field/bass_figures.h"
#include "acoustics/spectrum/figures.h"
#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

constexpr std::size_t kReplicas = 48;
constexpr double kStudent95 = 2.012;    // of 47 degrees of freedom
constexpr double kAngle_deg = 0.25;     // one standard deviation
constexpr double kDistance_m = 0.0015;  // the same
constexpr double kCorrection_db = 0.1;
constexpr double kCalibration_db = 0.25;  // the same

/// Figures as plain numbers; NaN where there is none.
struct Figures {
  double sensitivity, f3, f6, f10, deviation, slope, score;
};

constexpr double kNone = std::numeric_limits<double>::quiet_NaN();

double value_of(const std::optional<Estimate>& e) {
  return e ? e->value : kNone;
}

ValidRange band_of(const FrequencyAxis& axis, const ValidRange& valid, double f3) {
  const double low = std::max({100.0, valid.low_hz, std::isfinite(f3) ? 1.5 * f3 : 0.0});
  const double high = std::min({16000.0, valid.high_hz, axis.back()});
  return {low, high};
}

/// @param on_axis  the curve straight ahead; null where there is none.
Figures figures_of(const FrequencyAxis& axis, const ValidRange& valid, const Response* on_axis,
                   const Spinorama& spin, double to_reference_db) {
  Figures f{kNone, kNone, kNone, kNone, kNone, kNone, kNone};
  if (on_axis != nullptr) {
    const Response curve = on_axis->with_valid(intersect(on_axis->valid(), valid));
    if (const auto mean = sensitivity_db(curve)) {
      f.sensitivity = *mean + to_reference_db;
      const Response run = level_run(curve, 12);
      f.f3 = value_of(fall_off_hz(run, *mean, 3.0, 0.1));
      f.f6 = value_of(fall_off_hz(run, *mean, 6.0, 0.1));
      f.f10 = value_of(fall_off_hz(run, *mean, 10.0, 0.1));
      const ValidRange band = band_of(axis, valid, f.f3);
      double low = 1e9;
      double high = -1e9;
      for (std::size_t i = 0; i < curve.size(); ++i) {
        if (!band.contains(axis[i])) continue;
        low = std::min(low, curve.level_db(i));
        high = std::max(high, curve.level_db(i));
      }
      if (high > low) f.deviation = 0.5 * (high - low);
    }
  }
  const double from = std::max({100.0, valid.low_hz, axis.front()});
  const double to = std::min({16000.0, valid.high_hz, axis.back()});
  if (!spin.predicted_in_room_db.empty() && to > 8.0 * from)
    if (const auto trend = trend_of(axis, spin.predicted_in_room_db, from, to))
      f.slope = trend->slope_db_per_octave;
  const Preference p = preference_of(axis, valid, spin);
  if (p.score) f.score = *p.score;
  return f;
}

/// A microphone's correction that is off: slow waves over log f, 0.1 dB rms.
class OtherCorrection {
 public:
  explicit OtherCorrection(const FrequencyAxis& axis) : points_(axis.size()) {
    for (int k = 1; k <= kWaves; ++k)
      for (std::size_t i = 0; i < points_; ++i) {
        // The slowest goes through half a turn from 20 Hz to 20 kHz.
        const double turn = kPi * k * std::log2(axis[i] / 20.0) / std::log2(1000.0);
        up_.push_back(kCorrection_db / std::sqrt(kWaves) * std::cos(turn));
        across_.push_back(kCorrection_db / std::sqrt(kWaves) * std::sin(turn));
      }
  }
  [[nodiscard]] std::vector<double> drawn_db(std::mt19937_64& engine) const {
    std::normal_distribution<double> normal;
    std::vector<double> db(points_, 0.0);
    for (std::size_t at = 0; at < up_.size(); at += points_) {
      const double up = normal(engine);
      const double across = normal(engine);
      for (std::size_t i = 0; i < points_; ++i)
        db[i] += up * up_[at + i] + across * across_[at + i];
    }
    return db;
  }

 private:
  static constexpr int kWaves = 5;
  std::size_t points_;
  std::vector<double> up_, across_;  ///< of each wave, one after the other
};

/// What the gate cuts off of the bass, at one standard deviation: of 48 high-passes (2nd and 4th
/// order, 25 to 120 Hz) behind gates of 3.3, 5 and 10 ms, in SciPy, 0.6 dB rms at 1/T, 0.31 at 1.5,
/// 0.2 at twice and 0.07 at three times that.
double cut_off_db(double hz, double gated_from_hz) {
  constexpr double kAtTheLimit_db = 0.6;
  if (!(gated_from_hz > 0.0) || hz < gated_from_hz) return 0.0;
  return kAtTheLimit_db * std::pow(gated_from_hz / hz, 2);
}

constexpr double kToLog = 0.23025850929940458;  // ln(10) / 10: nepers of power in a decibel

constexpr double kLittle = 0.4;
/// exp of a decibel or two, |x| <= kLittle: the series, to 1e-5.
double series_of_exp(double x) {
  return 1.0 + x * (1.0 + x * (0.5 + x * (1.0 / 6.0 + x * (1.0 / 24.0 + x * (1.0 / 120.0)))));
}

double exp_of_little(double x) {
  return std::abs(x) > kLittle ? std::exp(x) : series_of_exp(x);
}

/// A set's powers, and the same with everything a little elsewhere. How figures scatter shows at
/// fewer points than the figures themselves need.
class Shaker {
 public:
  explicit Shaker(const OrbitMaterial& m)
      : few_(thinned(m.orbit, 12.0)), base_(spin_powers(few_)), m_(m) {
    for (const Plane plane : {Plane::kHorizontal, Plane::kVertical})
      for (std::size_t k = 0; k < base_.horizontal.size(); ++k)
        if (const Orbit::Ray* ray = few_.at(plane, SpinPowers::degrees(k)))
          rays_.push_back({plane, k, slope_at(plane, *ray), deviation_of(*ray)});
    for (Ray& ray : rays_)
      for (const double slope : ray.slope) ray.steepest = std::max(ray.steepest, std::abs(slope));
    if (std::none_of(rays_.begin(), rays_.end(), [](const Ray& r) { return !r.deviation.empty(); }))
      return;
    std::normal_distribution<double> normal;
    std::mt19937_64 engine(kSeed);
    noise_.resize(16381);
    for (double& v : noise_) v = normal(engine);
  }

  /// Of the k-th shaken set; of any thread.
  [[nodiscard]] Figures figures(std::size_t k, double to_reference_db) const {
    const SpinPowers set = shaken(k);
    std::optional<Response> on_axis;
    if (const std::vector<double>& row = set.at(Plane::kHorizontal, 0.0); !row.empty()) {
      std::vector<Complex> values(row.size());
      for (std::size_t i = 0; i < row.size(); ++i) values[i] = std::sqrt(row[i]);
      on_axis = *Response::make(few_.axis(), std::move(values), set.quantity,
                                few_.on_axis()->curve.valid(), false);
    }
    return figures_of(few_.axis(), few_.valid(), on_axis ? &*on_axis : nullptr, spin_averages(set),
                      to_reference_db);
  }

 private:
  static constexpr std::uint64_t kSeed = 2034;
  struct Ray {
    Plane plane;
    std::size_t at;
    std::vector<double> slope;      ///< nepers of power a degree; empty where no neighbours tell
    std::vector<double> deviation;  ///< nepers, one standard deviation; empty where nobody knows
    double steepest = 0.0;          ///< of the slopes, by magnitude
  };

  /// At each point: what half a degree of the table moves.
  [[nodiscard]] std::vector<double> slope_at(Plane plane, const Orbit::Ray& ray) const {
    const std::vector<Orbit::Ray>& rays = few_.rays(plane);
    const auto k = static_cast<std::size_t>(&ray - rays.data());
    const Orbit::Ray& before = rays[(k + rays.size() - 1) % rays.size()];
    const Orbit::Ray& after = rays[(k + 1) % rays.size()];
    const double apart = std::abs(wrapped_deg(after.degrees - before.degrees));
    if (!(apart > 1.0 && apart < 60.0)) return {};
    std::vector<double> slope(after.level_db.size());
    for (std::size_t i = 0; i < slope.size(); ++i)
      slope[i] = kToLog * (after.level_db[i] - before.level_db[i]) / apart;
    return slope;
  }
  [[nodiscard]] static std::vector<double> deviation_of(const Orbit::Ray& ray) {
    std::vector<double> deviation = ray.curve.spread();
    for (double& v : deviation) v *= 2.0;
    return deviation;
  }

  [[nodiscard]] SpinPowers shaken(std::size_t k) const {
    std::mt19937_64 engine(kSeed + 1 + k);
    std::normal_distribution<double> normal;
    const FrequencyAxis& axis = few_.axis();
    std::vector<double> common = correction_.drawn_db(engine);
    // One bass for all angles, so one error.
    const double cut = m_.gated_from_hz > 0.0 ? normal(engine) : 0.0;
    for (std::size_t i = 0; i < common.size(); ++i)
      common[i] = std::exp(kToLog * (common[i] + cut * cut_off_db(axis[i], m_.gated_from_hz)));
    SpinPowers set = base_;
    for (const Ray& ray : rays_) {
      const double turn = kAngle_deg * normal(engine);
      const double nearer = std::pow(1.0 + kDistance_m * normal(engine) / m_.distance_m, -2.0);
      std::vector<double>& row =
          ray.plane == Plane::kHorizontal ? set.horizontal[ray.at] : set.vertical[ray.at];
      if (ray.slope.empty())
        for (std::size_t i = 0; i < row.size(); ++i) row[i] *= nearer * common[i];
      else if (std::abs(turn) * ray.steepest <= kLittle)
        for (std::size_t i = 0; i < row.size(); ++i)
          row[i] *= nearer * common[i] * series_of_exp(turn * ray.slope[i]);
      else
        for (std::size_t i = 0; i < row.size(); ++i)
          row[i] *= nearer * common[i] * std::exp(turn * ray.slope[i]);
      if (ray.deviation.empty()) continue;
      // From anywhere in a row of normal numbers: no two rays or sets have the same ones.
      std::size_t from = engine() % noise_.size();
      for (std::size_t i = 0; i < row.size(); ++i, from = from + 1 < noise_.size() ? from + 1 : 0)
        row[i] *= exp_of_little(ray.deviation[i] * noise_[from]);
    }
    return set;
  }

  Orbit few_;
  OtherCorrection correction_{few_.axis()};
  SpinPowers base_;
  const OrbitMaterial& m_;
  std::vector<Ray> rays_;
  std::vector<double> noise_ = {};
};

/// What a set does not tell, and what its figures rest on.
void note_limits(SpinReading& r, const OrbitMaterial& m, bool intervals) {
  const auto need = [&](const SpatialAverage& average, const char* key) {
    if (average.empty()) r.notes.push_back(fmt::format("{}: an angle it needs is missing.", key));
  };
  need(r.spin.listening_window_db, "listening_window_db");
  need(r.spin.early_reflections_db, "early_reflections_db");
  need(r.spin.sound_power_db, "sound_power_db");
  if (r.spin.on_axis_db.empty()) r.notes.emplace_back("on_axis_db: there is no response at 0°.");
  if (!r.sensitivity_db)
    r.notes.emplace_back(m.calibrated
                             ? "sensitivity_db: the axis is not valid from 300 Hz to 3 kHz."
                             : "sensitivity_db: levels are relative, a take tells no sensitivity.");
  if (!r.f3_hz)
    r.notes.push_back(
        fmt::format("f3_hz: the axis has not fallen by 3 dB down to {}, where it ends "
                    "to be valid.",
                    frequency_text(m.valid_from_hz)));
  if (!r.preference.score)
    r.notes.emplace_back(
        !r.preference.nbd_on ? "preference: the set is not valid from 100 Hz to 12 kHz."
        : r.preference.score_with_subwoofer ? "preference.score: the sound power does not fall by "
                                              "6 dB within the valid range; with "
                                              "a subwoofer it counts."
                                            : "preference: an average it rests on is missing.");
  if (intervals && m.gated_from_hz > 0.0)
    r.notes.push_back(fmt::format(
        "Uncertainties count what the gate cuts off of the bass: 0.6 dB at {}, a quarter of it an "
        "octave above.",
        frequency_text(m.gated_from_hz)));
  r.notes.emplace_back("The preference rating knows nothing of output, distortion, room or taste.");
  if (r.deviation_db)
    r.notes.push_back(fmt::format("deviation_db counts from {} to {}.",
                                  frequency_text(r.deviation_over.low_hz),
                                  frequency_text(r.deviation_over.high_hz)));
}

}  // namespace

SpinReading spin_reading(const OrbitMaterial& m, bool intervals, const Parallel& parallel) {
  SpinReading r;
  const double to_reference_db = 20.0 * std::log10(2.83 / m.drive_v * m.distance_m);
  const Orbit::Ray* axis = m.orbit.on_axis();
  Figures f{};
  std::optional<Shaker> shaker;
  parallel(intervals ? 2 : 1, [&](std::size_t part) {
    if (part == 1) {
      shaker.emplace(m);
      return;
    }
    r.spin = spinorama(m.orbit);
    r.preference = preference_of(m.orbit.axis(), m.orbit.valid(), r.spin);
    f = figures_of(m.orbit.axis(), m.orbit.valid(), axis != nullptr ? &axis->curve : nullptr,
                   r.spin, to_reference_db);
  });
  std::vector<Figures> replicas(intervals ? kReplicas : 0);
  parallel(replicas.size(),
           [&](std::size_t k) { replicas[k] = shaker->figures(k, to_reference_db); });
  const auto told = [&](double Figures::*which, double beside) -> std::optional<Estimate> {
    if (!std::isfinite(f.*which)) return std::nullopt;
    // About their own mean: what makes every shaken set worse than the taken one is no scatter.
    double sum = 0.0;
    double square = 0.0;
    int count = 0;
    for (const Figures& one : replicas) {
      if (!std::isfinite(one.*which)) continue;
      sum += one.*which - f.*which;
      square += std::pow(one.*which - f.*which, 2);
      ++count;
    }
    const double scatter =
        count > 1 ? std::sqrt(std::max(0.0, square - sum * sum / count) / (count - 1)) : 0.0;
    // Student's: the scatter itself is known from so few.
    return Estimate{f.*which, std::hypot(kStudent95 * scatter, kTwoSided95 * beside)};
  };
  if (m.calibrated) r.sensitivity_db = told(&Figures::sensitivity, kCalibration_db);
  r.f3_hz = told(&Figures::f3, 0.0);
  r.f6_hz = told(&Figures::f6, 0.0);
  r.f10_hz = told(&Figures::f10, 0.0);
  r.deviation_db = told(&Figures::deviation, 0.0);
  r.deviation_over = band_of(m.orbit.axis(), m.orbit.valid(), f.f3);
  r.slope_db_per_octave = told(&Figures::slope, 0.0);
  r.score = told(&Figures::score, 0.0);

  note_limits(r, m, intervals);
  return r;
}

}  // namespace lalometer
