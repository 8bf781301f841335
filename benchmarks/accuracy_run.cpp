// How often the stated 95 % intervals of impedance figures hold the truth, and how wide they are
// beside what they need to be: docs/accuracy.md. A run to look at, not a yardstick:
//   ./build/release/bin/accuracy_run [cases of each kind] [a kind] [magnitude] > table
// "magnitude": without phase.
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdlib>
#include <functional>
#include <map>
#include <random>

#include "acoustics/impedance/fit/box_fit.h"
#include "acoustics/impedance/thiele_small.h"
#include "base/constants.h"

namespace {

using namespace lalometer;
using Complex = std::complex<double>;

std::mt19937_64 engine(20);
double between(double low, double high) {
  return std::uniform_real_distribution<double>(low, high)(engine);
}
double around(double low, double high) {
  return std::exp(between(std::log(low), std::log(high)));
}

/// Elements of a driver in its box; nothing of the program's own models is in it.
struct Truth {
  double re, le, coil_n, fs, qms, qes;
  enum class Back { kNone, kSealed, kVented, kRadiator } back = Back::kNone;
  double alpha = 0.0, fb = 0.0, ql = 1e9, qa = 1e9, radiator_fs = 0.0, radiator_q = 8.0;
  bool crossed = false;
  double l1 = 0.0, c1 = 0.0, r1 = 0.0, c2 = 0.0;
  double added_share = 0.0;  ///< mass on the cone over its own
};

Complex impedance(const Truth& t, double f) {
  const Complex s(0.0, 2.0 * kPi * f);
  const double ws = 2.0 * kPi * t.fs;
  const double bl2 = ws * t.re / t.qes;  // moving mass 1 in its own unit
  Complex zm = ws / t.qms + s * (1.0 + t.added_share) + ws * ws / s;
  if (t.back != Truth::Back::kNone) {
    const double air = t.alpha * ws * ws;
    const double wb =
        2.0 * kPi * (t.back == Truth::Back::kSealed ? t.fs * std::sqrt(1.0 + t.alpha) : t.fb);
    const double wr = 2.0 * kPi * t.radiator_fs;
    Complex admittance = 1.0 / (air / s + air / (wb * t.qa)) + wb / (t.ql * air);
    if (t.back != Truth::Back::kSealed) {
      const double mass = air / (wb * wb - wr * wr);
      Complex port = s * mass;
      if (wr > 0.0) port += mass * wr / t.radiator_q + mass * wr * wr / s;
      admittance += 1.0 / port;
    }
    zm += 1.0 / admittance;
  }
  const double w1 = 2.0 * kPi * 1000.0;
  const Complex coil = w1 * t.le * std::pow(s / w1, t.coil_n);
  const Complex driver = t.re + coil + bl2 / zm;
  if (!t.crossed) return driver;
  const Complex across = 1.0 / (1.0 / driver + 1.0 / (t.r1 + 1.0 / (s * t.c1)));
  return 1.0 / (1.0 / (s * t.l1 + 0.0 + across) + s * t.c2);
}

/// Every third box has none at all.
double absorption(double strongest) {
  return between(0.0, 1.0) < 0.33 ? 1e9 : around(strongest, 100.0);
}

Truth driver() {
  return {.re = around(3.0, 12.0),
          .le = around(0.1e-3, 1.5e-3),
          .coil_n = between(0.0, 1.0) < 0.3 ? 1.0 : between(0.55, 0.9),
          .fs = around(20.0, 90.0),
          .qms = around(1.5, 9.0),
          .qes = around(0.25, 0.9)};
}

Truth truth_of(const std::string& kind) {
  Truth t = driver();
  if (kind == "driver") return t;
  if (kind == "sealed") {
    t.back = Truth::Back::kSealed;
    t.alpha = around(0.5, 5.0);
    t.qa = absorption(10.0);
    return t;
  }
  t.back = kind == "radiator" ? Truth::Back::kRadiator : Truth::Back::kVented;
  t.alpha = around(0.7, 4.0);
  t.fb = t.fs * between(0.75, 1.35);
  t.ql = around(4.0, 18.0);
  t.qa = absorption(15.0);
  if (kind == "radiator") {
    t.radiator_fs = t.fb * between(0.3, 0.9);
    t.radiator_q = around(4.0, 15.0);
  }
  if (kind == "crossed") {
    t.crossed = true;
    t.l1 = around(0.4e-3, 2.0e-3);
    t.c1 = around(6e-6, 25e-6);
    t.r1 = between(0.2, 6.0);
    t.c2 = around(1e-6, 5e-6);
  }
  return t;
}

/// One wave of a rig's smooth error over the logarithm of the frequency.
struct Wave {
  Complex size;  ///< relative to the impedance
  double octaves, phase;
};
struct RigError {
  double noise;
  std::vector<Wave> waves;
};
/// One wave of just the stated size; or three whose sum is normal, 95 % of it within that.
enum class Shape { kNone, kOneWave, kNormal };

RigError rig_error(Shape shape, double calibration) {
  RigError e{around(0.001, 0.01), {}};
  std::normal_distribution<double> normal;
  if (shape == Shape::kOneWave) {
    e.waves.push_back({std::polar(calibration, between(0.0, 2.0 * kPi)), between(3.0, 14.0),
                       between(0.0, 2.0 * kPi)});
  }
  for (int i = 0; i < 3 && shape == Shape::kNormal; ++i) {
    const double each = calibration / kTwoSided95 * std::sqrt(2.0 / 3.0);
    e.waves.push_back({each * Complex(normal(engine), normal(engine)), between(3.0, 14.0),
                       between(0.0, 2.0 * kPi)});
  }
  return e;
}

bool with_phase = true;

Response measured(const Truth& t, double per_octave, const RigError& e) {
  std::normal_distribution<double> normal;
  const FrequencyAxis axis = FrequencyAxis::logarithmic(5.0, 20000.0, per_octave);
  std::vector<Complex> z;
  for (const double f : axis.hz()) {
    Complex rig = 1.0;
    for (const Wave& w : e.waves)
      rig += w.size * std::sin(2.0 * kPi * std::log2(f) / w.octaves + w.phase);
    z.push_back(impedance(t, f) * (1.0 + e.noise * Complex(normal(engine), normal(engine))) * rig);
  }
  if (!with_phase)
    for (Complex& one : z) one = std::abs(one);
  return *Response::make(axis, std::move(z), Quantity::kImpedance, {}, with_phase);
}

/// Where the motional part has its humps, by a fine search without coil and crossover.
std::pair<double, double> true_humps(Truth t) {
  t.crossed = false;
  const double le = t.le;
  t.le = le;
  double before = 0.0;
  std::vector<double> tops;
  double here = std::abs(impedance(t, 5.0));
  for (double f = 5.0; f < 900.0 && tops.size() < 2; f *= 1.0005) {
    const double after = std::abs(impedance(t, f * 1.0005));
    if (here > before && here >= after) {
      const double bend = before - 2.0 * here + after;
      tops.push_back(f * std::pow(1.0005, bend < 0.0 ? 0.5 * (before - after) / bend : 0.0));
    }
    before = here;
    here = after;
  }
  if (tops.size() < 2) return {0.0, 0.0};
  return {tops[0], tops[1]};
}

struct Tally {
  int told = 0, held = 0, untold = 0;
  std::vector<double> ratio;  ///< |error| over half-width
  void add(const std::optional<Estimate>& e, double truth) {
    if (!e) {
      ++untold;
      return;
    }
    ++told;
    const double off = std::abs(e->value - truth);
    held += off <= e->half_width ? 1 : 0;
    ratio.push_back(off / std::max(e->half_width, 1e-300));
  }
  /// The 95 % point of |error| / half-width: 1 is just wide enough; below 0.67 is half again as
  /// wide as needed.
  [[nodiscard]] double needed() {
    std::sort(ratio.begin(), ratio.end());
    return ratio.empty() ? 0.0
                         : ratio[static_cast<std::size_t>(
                               0.95 * static_cast<double>(ratio.size() - 1) + 0.5)];
  }
};

}  // namespace

int main(int argc, char** argv) {
  const int cases = argc > 1 ? std::atoi(argv[1]) : 500;
  with_phase = argc < 4;
  fmt::print(
      "| kind | calibration error | figure | told | within its interval | needed width |\n"
      "|---|---|---|---|---|---|\n");
  for (const Shape shape : {Shape::kNone, Shape::kOneWave, Shape::kNormal}) {
    const double calibration = shape == Shape::kNone ? 0.0 : 0.5;
    const char* error = shape == Shape::kNone      ? "none"
                        : shape == Shape::kOneWave ? "0.5 %, one wave"
                                                   : "0.5 %, normal";
    for (const std::string kind : {"driver", "sealed", "vented", "radiator", "crossed"}) {
      if (argc > 2 && kind != argv[2]) continue;
      std::map<std::string, Tally> tallies;
      int refused = 0;
      for (int i = 0; i < cases; ++i) {
        const Truth t = truth_of(kind);
        const double per_octave = std::array{24.0, 48.0, 96.0}[static_cast<std::size_t>(i % 3)];
        const RigError e = rig_error(shape, calibration / 100.0);
        const Response z = measured(t, per_octave, e);
        if (kind == "driver" || kind == "sealed") {
          const auto fit = fit_driver(
              z, {.in_closed_box = kind == "sealed", .calibration_percent = calibration});
          if (!fit) {
            ++refused;
            continue;
          }
          tallies["re"].add(fit->re_ohm, t.re);
          if (kind == "driver") {
            tallies["fs"].add(fit->fs_hz, t.fs);
            tallies["qms"].add(fit->qms, t.qms);
            tallies["qes"].add(fit->qes, t.qes);
            tallies["qts"].add(fit->qts, t.qms * t.qes / (t.qms + t.qes));
            // With a mass of 0.3 to 0.8 of the moving mass, known without error here.
            Truth heavy = t;
            heavy.added_share = between(0.3, 0.8);
            const auto loaded =
                fit_driver(measured(heavy, per_octave, e), {.calibration_percent = calibration});
            const double mms = 0.02;
            if (loaded) {
              const auto ts = thiele_small(*fit, 0.013, AddedMass{*loaded, heavy.added_share * mms},
                                           {}, {0.0, 0.0, 0.0});
              if (ts) {
                const double w = 2.0 * kPi * t.fs;
                tallies["mms"].add(ts->mms_kg, mms);
                tallies["vas"].add(
                    ts->vas_m3, kAirDensity_kg_m3 * 343.0 * 343.0 * 0.013 * 0.013 / (w * w * mms));
                tallies["bl"].add(ts->bl_tm, std::sqrt(w * mms * t.re / t.qes));
              }
            }
          } else {
            // Loss of the box's part of the stiffness counts in its share (Small 1972).
            const double rise = std::sqrt(1.0 + t.alpha);
            const double qec = t.qes * rise;
            tallies["fc"].add(fit->fs_hz, t.fs * rise);
            const double boxed = 1.0 - 1.0 / (rise * rise);
            const double qmc = 1.0 / (1.0 / (t.qms * rise) + boxed / t.qa);
            tallies["qtc"].add(fit->qts, qmc * qec / (qmc + qec));
          }
        } else {
          const auto fit = fit_box(z, kind == "radiator" ? BackLoad::kRadiator : BackLoad::kVented,
                                   {}, calibration);
          if (!fit) {
            ++refused;
            continue;
          }
          tallies["re"].add(fit->re_ohm, t.re);
          tallies["fb"].add(fit->fb_hz, t.fb);
          tallies["ql"].add(fit->ql, t.ql);
          tallies["alpha"].add(holds(fit->alpha) ? std::optional(fit->alpha) : std::nullopt,
                               t.alpha);
          const auto [low, high] = true_humps(t);
          if (low > 0.0) {
            tallies["fl"].add(fit->fl_hz, low);
            tallies["fh"].add(fit->fh_hz, high);
          }
          if (kind == "radiator") tallies["notch"].add(fit->notch_hz, t.radiator_fs);
        }
      }
      for (auto& [name, tally] : tallies) {
        fmt::print("| {} | {} | {} | {} of {} | {:.1f} % | {:.2f} |\n", kind, error, name,
                   tally.told, tally.told + tally.untold,
                   100.0 * tally.held / std::max(1, tally.told), tally.needed());
      }
      fmt::print("| {} | {} | refused | {} of {} | | |\n", kind, error, refused, cases);
      std::fflush(stdout);
    }
  }
  return 0;
}
