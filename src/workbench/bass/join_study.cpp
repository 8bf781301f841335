#include "workbench/bass/join_study.h"

#include <algorithm>
#include <cmath>

#include "acoustics/curves/phase_parts.h"
#include "acoustics/spectrum/figures.h"
#include "acoustics/spectrum/smoothing.h"
#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

constexpr double kLeast_octaves = 1.0 / 3.0;
constexpr double kBlend_octaves = 0.5;
constexpr double kPerOctave = 48.0;
/// A join whose phase bends more than this is said to.
constexpr double kPhaseMisfit_deg = 15.0;

double db(Complex v) {
  return 20.0 * std::log10(std::max(std::abs(v), 1e-30));
}

/// Both curves on one axis, as pressures scaled to 1 m at the far field's drive.
struct Pair {
  FrequencyAxis axis;
  std::vector<Complex> near;  ///< NaN above what it knows
  std::vector<Complex> far;   ///< NaN below what it knows
  ValidRange overlap;
};

std::vector<Complex> scaled(const Response& curve, const FrequencyAxis& axis, double factor) {
  std::vector<Complex> out;
  for (const double f : axis.hz()) out.push_back(factor * value_at(curve, f));
  return out;
}

/// Sign and delay that bring the near field's phase to the far field's over the overlap.
struct Turn {
  double sign = 1.0;
  double delay_s = 0.0;
};
Turn turn_of(const Pair& p) {
  double best = -1.0;
  Turn turn;
  // The delay is small: both have their flight time out. Half a millisecond is 17 cm.
  constexpr double kStep_s = 5e-6;
  std::vector<Complex> turned;
  std::vector<Complex> by;
  for (std::size_t i = 0; i < p.axis.size(); ++i) {
    const double f = p.axis[i];
    if (f < p.overlap.low_hz || f > p.overlap.high_hz) continue;
    const Complex ratio = p.far[i] / p.near[i];
    turned.push_back(ratio / std::abs(ratio) * std::polar(1.0, -2.0 * kPi * f * 1e-3));
    by.push_back(std::polar(1.0, 2.0 * kPi * f * kStep_s));
  }
  for (double delay = -1e-3; delay <= 1e-3; delay += kStep_s) {
    Complex sum = 0.0;
    for (std::size_t i = 0; i < turned.size(); ++i) {
      sum += turned[i];
      turned[i] *= by[i];
    }
    // In phase or turned by half, nothing between.
    const double agree = std::abs(sum.real());
    if (agree <= best) continue;
    best = agree;
    turn = {sum.real() < 0.0 ? -1.0 : 1.0, delay};
  }
  return turn;
}

/// Where to join: the half octave in which the two agree best.
double best_place(const Pair& p, double offset_db) {
  const double half = std::exp2(0.5 * kBlend_octaves);
  double best = std::sqrt(p.overlap.low_hz * p.overlap.high_hz);
  if (p.overlap.high_hz / p.overlap.low_hz <= half * half) return best;
  double least = 1e300;
  for (double at = p.overlap.low_hz * half; at <= p.overlap.high_hz / half; at *= 1.02) {
    double square = 0.0;
    int count = 0;
    for (std::size_t i = 0; i < p.axis.size(); ++i) {
      if (p.axis[i] < at / half || p.axis[i] > at * half) continue;
      square += std::pow(db(p.far[i]) - db(p.near[i]) - offset_db, 2);
      ++count;
    }
    if (count == 0 || square / count >= least) continue;
    least = square / count;
    best = at;
  }
  return best;
}

/// One curve of both: in dB and phase, by a raised cosine over log f.
std::vector<Complex> blended(const Pair& p, double at_hz, bool phased) {
  const double half = std::exp2(0.5 * kBlend_octaves);
  std::vector<Complex> out(p.axis.size());
  for (std::size_t i = 0; i < p.axis.size(); ++i) {
    const double f = p.axis[i];
    const double t = std::log(f / (at_hz / half)) / std::log(half * half);
    const double far_share = t <= 0.0 ? 0.0 : t >= 1.0 ? 1.0 : 0.5 - 0.5 * std::cos(kPi * t);
    if (far_share == 0.0) {
      out[i] = p.near[i];
    } else if (far_share == 1.0) {
      out[i] = p.far[i];
    } else {
      const double level = (1.0 - far_share) * db(p.near[i]) + far_share * db(p.far[i]);
      // By the short way from one to the other.
      const double turn = std::arg(p.far[i] / p.near[i]);
      out[i] = std::polar(std::pow(10.0, level / 20.0),
                          std::arg(p.near[i]) + (phased ? far_share * turn : 0.0));
    }
  }
  return out;
}

/// What is left of the phase about the join once minimum phase, a delay and a constant are out.
std::optional<double> phase_misfit_deg(const Response& curve, double at_hz) {
  const FrequencyAxis coarse =
      FrequencyAxis::logarithmic(curve.axis().front(), curve.axis().back(), 24.0);
  const auto parts = phase_parts(resampled(curve, coarse));
  if (!parts) return std::nullopt;
  std::vector<double> f;
  std::vector<double> left;
  for (std::size_t i = 0; i < coarse.size(); ++i) {
    if (coarse[i] < 0.5 * at_hz || coarse[i] > 2.0 * at_hz || !std::isfinite(parts->excess_deg[i]))
      continue;
    f.push_back(coarse[i]);
    double turn = parts->excess_deg[i];
    if (!left.empty()) turn -= 360.0 * std::round((turn - left.back()) / 360.0);
    left.push_back(turn);
  }
  if (f.size() < 6) return std::nullopt;
  const auto n = static_cast<double>(f.size());
  double sf = 0.0, sy = 0.0, sff = 0.0, sfy = 0.0, syy = 0.0;
  for (std::size_t i = 0; i < f.size(); ++i) {
    sf += f[i], sy += left[i], sff += f[i] * f[i], sfy += f[i] * left[i], syy += left[i] * left[i];
  }
  const double vff = sff - sf * sf / n;
  const double rest = syy - sy * sy / n - std::pow(sfy - sf * sy / n, 2) / vff;
  return std::sqrt(std::max(rest, 0.0) / n);
}

void tell_figures(JoinedResponse& out, const NearFields& near) {
  if (const auto reference = mean_level_db(out.curve, 300.0, 3000.0)) {
    const Response run = level_run(out.curve, 12);
    const auto fall = [&](double by) -> std::optional<Estimate> {
      const auto rough = fall_off_hz(run, *reference, by, 0.1);
      if (!rough) return std::nullopt;
      const double off = bass_deviation_db(near, near.half_space, rough->value, out.overlap);
      return fall_off_hz(run, *reference, by, std::hypot(out.offset_deviation_db, off));
    };
    out.f3_hz = fall(3.0);
    out.f6_hz = fall(6.0);
    out.f10_hz = fall(10.0);
  } else {
    out.notes.emplace_back("f3_hz: the curve does not cover 300 Hz to 3 kHz, whose mean is 0 dB.");
  }
  if (std::abs(out.level_offset_db) > 1.0)
    out.notes.push_back(fmt::format(
        "Near and far field differ by {:.1f} dB: a drive, a distance, the calibration or a cone's "
        "area is not what was told.",
        out.level_offset_db));
  if (out.mismatch_db > 1.0)
    out.notes.push_back(fmt::format(
        "They do not run alike where both are valid ({:.1f} dB rms): a part may be missing, or the "
        "cabinet's size wrong.",
        out.mismatch_db));
  if (out.curve.has_phase()) out.phase_misfit_deg = phase_misfit_deg(out.curve, out.joined_at_hz);
  if (out.phase_misfit_deg && *out.phase_misfit_deg > kPhaseMisfit_deg)
    out.notes.push_back(fmt::format(
        "About the join the phase bends {:.0f}° off minimum phase: do not add it to others there.",
        *out.phase_misfit_deg));
}

}  // namespace

Result<JoinedResponse> joined_response(const NearFields& n, const FarTake& far,
                                       std::optional<double> at_hz, const std::string& where) {
  const Response& source = n.full_space ? *n.full_space : n.half_space;
  const Response& distant = *far.curve;
  const double low = std::max(distant.valid().low_hz, distant.axis().front());
  const double high = std::min({n.valid_to_hz, source.axis().back(), distant.axis().back()});
  if (!(high > low * std::exp2(kLeast_octaves)))
    return bad_input(
        fmt::format("The far field is valid from {}, the near field up to {}: they share less than "
                    "a third of an octave. A longer gate (more room) or a smaller cone would join.",
                    frequency_text(low), frequency_text(high)),
        where);
  if (at_hz && (*at_hz < low || *at_hz > high))
    return bad_input(fmt::format("{} lies outside of what both know, {} to {}.",
                                 frequency_text(*at_hz), frequency_text(low), frequency_text(high)),
                     where);
  const double to_drive = far.take->conditions.drive_v / n.drive_v;
  const bool phased = distant.has_phase();
  Pair p{
      .axis = FrequencyAxis::logarithmic(source.axis().front(), distant.axis().back(), kPerOctave),
      .near = {},
      .far = {},
      .overlap = {low, high}};
  p.near = scaled(source, p.axis, to_drive);
  p.far = scaled(distant, p.axis, place_of(*far.take).distance_m);

  double mean = 0.0;
  double square = 0.0;
  double count = 0.0;
  for (std::size_t i = 0; i < p.axis.size(); ++i) {
    if (p.axis[i] < low || p.axis[i] > high) continue;
    const double d = db(p.far[i]) - db(p.near[i]);
    mean += d;
    square += d * d;
    count += 1.0;
  }
  mean /= count;
  const double rms = std::sqrt(std::max(0.0, square / count - mean * mean));
  // Departures hang together over about a third of an octave.
  const double independent = std::max(1.0, 3.0 * std::log2(high / low));

  JoinedResponse out{.curve = source, .overlap = {low, high}};
  out.level_offset_db = mean;
  out.offset_deviation_db = kTwoSided95 * rms / std::sqrt(independent);
  out.mismatch_db = rms;
  out.calibrated = n.calibrated && far.calibrated;
  if (phased) {
    const Turn turn = turn_of(p);
    for (std::size_t i = 0; i < p.axis.size(); ++i)
      p.near[i] *= turn.sign * std::polar(1.0, -2.0 * kPi * p.axis[i] * turn.delay_s);
    if (turn.sign < 0.0)
      out.notes.emplace_back("The near field is inverted against the far field: it was turned.");
  }
  for (Complex& v : p.near) v *= std::pow(10.0, mean / 20.0);
  out.joined_at_hz = at_hz.value_or(best_place(p, 0.0));
  const std::vector<Complex> values = blended(p, out.joined_at_hz, phased);
  out.valid_from_hz = std::max(source.axis().front(), n.valid_from_hz);
  out.curve =
      *Response::make(p.axis, values, out.calibrated ? Quantity::kPressure : Quantity::kRatio,
                      {out.valid_from_hz, distant.valid().high_hz}, phased);
  tell_figures(out, n);
  if (!n.full_space)
    out.notes.emplace_back("Without the cabinet's size the near field stands for a large wall.");
  return out;
}

}  // namespace lalometer
