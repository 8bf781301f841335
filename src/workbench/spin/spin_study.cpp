#include "workbench/spin/spin_study.h"

#include <algorithm>
#include <cmath>
#include <random>

#include "acoustics/near_field/bass_figures.h"
#include "acoustics/spectrum/figures.h"
#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

constexpr int kReplicas = 24;
constexpr double kStudent95 = 2.069;    // of 23 degrees of freedom
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

ValidRange band_of(const Orbit& orbit, double f3) {
  const double low = std::max({100.0, orbit.valid().low_hz, std::isfinite(f3) ? 1.5 * f3 : 0.0});
  const double high = std::min({16000.0, orbit.valid().high_hz, orbit.axis().back()});
  return {low, high};
}

Figures figures_of(const Orbit& orbit, const Spinorama& spin, double to_reference_db) {
  Figures f{kNone, kNone, kNone, kNone, kNone, kNone, kNone};
  const Orbit::Ray* axis = orbit.on_axis();
  if (axis != nullptr) {
    const Response curve = axis->curve.with_valid(intersect(axis->curve.valid(), orbit.valid()));
    if (const auto mean = sensitivity_db(curve)) {
      f.sensitivity = *mean + to_reference_db;
      const Response run = level_run(curve, 12);
      f.f3 = value_of(fall_off_hz(run, *mean, 3.0, 0.1));
      f.f6 = value_of(fall_off_hz(run, *mean, 6.0, 0.1));
      f.f10 = value_of(fall_off_hz(run, *mean, 10.0, 0.1));
      const ValidRange band = band_of(orbit, f.f3);
      double low = 1e9;
      double high = -1e9;
      for (std::size_t i = 0; i < curve.size(); ++i) {
        if (!band.contains(curve.axis()[i])) continue;
        low = std::min(low, curve.level_db(i));
        high = std::max(high, curve.level_db(i));
      }
      if (high > low) f.deviation = 0.5 * (high - low);
    }
  }
  const double from = std::max({100.0, orbit.valid().low_hz, orbit.axis().front()});
  const double to = std::min({16000.0, orbit.valid().high_hz, orbit.axis().back()});
  if (!spin.predicted_in_room_db.empty() && to > 8.0 * from)
    if (const auto trend = trend_of(orbit.axis(), spin.predicted_in_room_db, from, to))
      f.slope = trend->slope_db_per_octave;
  const Preference p = preference_of(orbit.axis(), orbit.valid(), spin);
  if (p.score) f.score = *p.score;
  return f;
}

/// A microphone's correction that is off: slow waves over log f, 0.1 dB rms.
std::vector<double> other_correction(const FrequencyAxis& axis, std::mt19937_64& engine) {
  constexpr int kWaves = 5;
  std::normal_distribution<double> normal;
  std::vector<double> db(axis.size(), 0.0);
  for (int k = 1; k <= kWaves; ++k) {
    const double up = normal(engine);
    const double across = normal(engine);
    for (std::size_t i = 0; i < db.size(); ++i) {
      // The slowest goes through half a turn from 20 Hz to 20 kHz.
      const double turn = kPi * k * std::log2(axis[i] / 20.0) / std::log2(1000.0);
      db[i] += kCorrection_db / std::sqrt(kWaves) * (up * std::cos(turn) + across * std::sin(turn));
    }
  }
  return db;
}

/// dB a degree at each point of each ray: what half a degree of the table moves.
std::vector<std::vector<double>> slopes_of(const std::vector<Orbit::Ray>& rays) {
  std::vector<std::vector<double>> slopes(rays.size());
  for (std::size_t k = 0; k < rays.size(); ++k) {
    const Orbit::Ray& before = rays[(k + rays.size() - 1) % rays.size()];
    const Orbit::Ray& after = rays[(k + 1) % rays.size()];
    const double apart = std::abs(wrapped_deg(after.degrees - before.degrees));
    if (!(apart > 1.0 && apart < 60.0)) continue;
    for (std::size_t i = 0; i < after.level_db.size(); ++i)
      slopes[k].push_back((after.level_db[i] - before.level_db[i]) / apart);
  }
  return slopes;
}

/// What the gate cuts off of the bass, at one standard deviation: of 48 high-passes (2nd and 4th
/// order, 25 to 120 Hz) behind gates of 3.3, 5 and 10 ms, in SciPy, 0.6 dB rms at 1/T, 0.31 at 1.5,
/// 0.2 at twice and 0.07 at three times that.
double cut_off_db(double hz, double gated_from_hz) {
  constexpr double kAtTheLimit_db = 0.6;
  if (!(gated_from_hz > 0.0) || hz < gated_from_hz) return 0.0;
  return kAtTheLimit_db * std::pow(gated_from_hz / hz, 2);
}

/// exp of a decibel or two, in nepers: six terms of its series, to 1e-7.
double exp_of_little(double x) {
  if (std::abs(x) > 0.2) return std::exp(x);
  return 1.0 + x * (1.0 + x / 2.0 * (1.0 + x / 3.0 * (1.0 + x / 4.0 * (1.0 + x / 5.0))));
}

/// The same set with everything a little elsewhere.
Orbit shaken(const Orbit& orbit, const std::vector<std::vector<double>> (&slopes)[2],
             double distance_m, double gated_from_hz, std::mt19937_64& engine) {
  std::normal_distribution<double> normal;
  std::vector<double> correction_db = other_correction(orbit.axis(), engine);
  // One bass for all angles, so one error.
  const double cut = gated_from_hz > 0.0 ? normal(engine) : 0.0;
  for (std::size_t i = 0; i < correction_db.size(); ++i)
    correction_db[i] += cut * cut_off_db(orbit.axis()[i], gated_from_hz);
  constexpr double kToLog = 0.11512925464970229;  // ln(10) / 20
  std::vector<Orbit::Ray> rays[2];
  for (const Plane plane : {Plane::kHorizontal, Plane::kVertical}) {
    const std::size_t p = plane == Plane::kHorizontal ? 0 : 1;
    const auto& all = orbit.rays(plane);
    for (std::size_t k = 0; k < all.size(); ++k) {
      const double turn = kAngle_deg * normal(engine);
      const double nearer_db = -20.0 * std::log10(1.0 + kDistance_m * normal(engine) / distance_m);
      const std::vector<double>& slope = slopes[p][k];
      const std::vector<double>& spread = all[k].curve.spread();
      std::vector<Complex> values = all[k].curve.values();
      std::vector<double> level = all[k].level_db;
      for (std::size_t i = 0; i < values.size(); ++i) {
        double db = nearer_db + correction_db[i];
        if (!slope.empty()) db += turn * slope[i];
        if (!spread.empty()) db += spread[i] / kToLog * normal(engine);
        level[i] += db;
        values[i] *= exp_of_little(db * kToLog);
      }
      rays[p].push_back({all[k].degrees,
                         *Response::make(orbit.axis(), std::move(values), all[k].curve.quantity(),
                                         all[k].curve.valid(), all[k].curve.has_phase()),
                         all[k].mirrored, std::move(level)});
    }
  }
  auto made = Orbit::make(std::move(rays[0]), std::move(rays[1]));
  return made ? *std::move(made) : orbit;
}

}  // namespace

SpinReading spin_reading(const OrbitMaterial& m, bool intervals) {
  SpinReading r;
  r.spin = spinorama(m.orbit);
  r.preference = preference_of(m.orbit.axis(), m.orbit.valid(), r.spin);
  const double to_reference_db = 20.0 * std::log10(2.83 / m.drive_v * m.distance_m);
  const Figures f = figures_of(m.orbit, r.spin, to_reference_db);
  std::vector<Figures> replicas;
  if (intervals) {
    // How figures scatter shows at fewer points than the figures themselves need.
    const Orbit few = thinned(m.orbit, 12.0);
    const std::vector<std::vector<double>> slopes[2] = {slopes_of(few.rays(Plane::kHorizontal)),
                                                        slopes_of(few.rays(Plane::kVertical))};
    std::mt19937_64 engine(2034);
    for (int k = 0; k < kReplicas; ++k) {
      const Orbit other = shaken(few, slopes, m.distance_m, m.gated_from_hz, engine);
      replicas.push_back(figures_of(other, spinorama(other), to_reference_db));
    }
  }
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
  r.deviation_over = band_of(m.orbit, f.f3);
  r.slope_db_per_octave = told(&Figures::slope, 0.0);
  r.score = told(&Figures::score, 0.0);

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
  return r;
}

}  // namespace lalometer
