#include <algorithm>
#include <cmath>

#include "acoustics/spectrum/figures.h"
#include "acoustics/spectrum/smoothing.h"
#include "base/constants.h"
#include "base/text.h"
#include "workbench/bass/near_material.h"

/// What the sum of near fields tells.
namespace lalometer {
namespace {

using Complex = std::complex<double>;

/// Noise may stand so far under a curve that is still shown as valid.
constexpr double kOverNoise_db = 10.0;
/// Levels that rest on phases which physics gave, not a clock.
constexpr double kByPhysics_db = 1.0;

/// Far from the tuning a port plays next to nothing, and anything is louder.
void tell_others(NearFields& n, const std::vector<NearSource>& sources, const Flows& velocities,
                 double c, double share) {
  const double middle = n.least_movement_hz.value_or(60.0);
  const double low = 0.5 * middle;
  const double high = 2.0 * middle;
  const auto others = crosstalk_db(sources, velocities, n.cone.axis(), low, high, c, share);
  for (std::size_t k = 0; k < sources.size(); ++k)
    if (others[k] && *others[k] > -30.0)
      n.notes.push_back(fmt::format(
          "From {} to {} the other parts come up to {:.0f} dB {} {} at its microphone: taken out.",
          frequency_text(low), frequency_text(high), std::abs(*others[k]),
          *others[k] > 0.0 ? "over" : "under", sources[k].id));
}

void tell_falls(NearFields& n, bool by_physics) {
  const double high = std::min(n.valid_to_hz, n.half_space.axis().back());
  const ValidRange band{std::max(high / 3.0, n.half_space.axis().front()), high};
  const auto reference = mean_level_db(n.half_space, band.low_hz, band.high_hz);
  if (!reference) return;
  // A wave in noise crosses a line several times: a twelfth of an octave tells the run.
  const Response curve = level_run(n.half_space, 12);
  const auto fall = [&](double by) -> std::optional<Estimate> {
    const auto rough = fall_off_hz(curve, *reference, by, 0.1);
    if (!rough) return std::nullopt;
    const double off = bass_deviation_db(n, n.half_space, rough->value, band);
    return fall_off_hz(curve, *reference, by, by_physics ? std::hypot(off, kByPhysics_db) : off);
  };
  n.f3_hz = fall(3.0);
  n.f6_hz = fall(6.0);
  n.f10_hz = fall(10.0);
  n.notes.push_back(
      fmt::format("F3, F6, F10 are re the mean of the half-space level from {} to {}.",
                  frequency_text(band.low_hz), frequency_text(band.high_hz)));
}

/// By how much the half-space level moves where one part is louder by what it may be off.
void tell_sensitivity(NearFields& n, const std::vector<NearSource>& sources,
                      const Flows& velocities, double c) {
  const FrequencyAxis& axis = n.sum.axis();
  for (std::size_t k = 0; k < sources.size(); ++k) {
    const NearSource& s = sources[k];
    const double nearer =
        std::abs(std::abs(near_impedance(s.radius_m, s.microphone_m, 50.0, c)) /
                     std::abs(near_impedance(s.radius_m, s.microphone_m + kNearPlace_m, 50.0, c)) -
                 1.0);
    // The area stands in the volume velocity as its root: pressure times radius.
    const double off = std::hypot(nearer, 0.5 * kNearArea, kNearDrift_db * std::log(10.0) / 20.0);
    std::vector<double> moved(axis.size());
    for (std::size_t i = 0; i < axis.size(); ++i) {
      Complex all = 0.0;
      for (const auto& each : velocities) all += each[i];
      moved[i] = 20.0 * std::log10(std::abs(1.0 + off * velocities[k][i] / all));
    }
    n.level_off_db.push_back(std::move(moved));
  }
}

/// Standing waves load the cone from behind: each leaves a narrow dip on its smooth run.
void tell_cone_waves(NearFields& n) {
  const double low = 1.6 * n.fb_hz.value_or(Estimate{n.f3_hz ? n.f3_hz->value : 50.0, 0.0}).value;
  const double high = std::min(1.6 * n.valid_to_hz, n.cone.axis().back());
  if (!(high > 1.5 * low)) return;
  const Response fine = smoothed(n.cone, 24);
  const Response broad = smoothed(n.cone, 2);
  std::vector<double> hz;
  std::vector<double> left;
  for (std::size_t i = 0; i < fine.size(); ++i) {
    const double f = fine.axis()[i];
    if (f < low || f > high) continue;
    hz.push_back(f);
    left.push_back(fine.level_db(i) - broad.level_db(i));
  }
  for (const Departure& one : departures(hz, left, 0.4))
    if (one.level_db < 0.0) n.cone_waves.push_back(one);
}

void tell_tuning(NearFields& n, const NearMaterial& m, bool ported, const Flows& velocities) {
  std::vector<Complex> cone_flow(n.cone.size(), 0.0);
  std::vector<Complex> port_flow(n.cone.size(), 0.0);
  for (std::size_t k = 0; k < m.parts.size(); ++k)
    for (std::size_t i = 0; i < n.cone.size(); ++i)
      (m.parts[k].cone ? cone_flow : port_flow)[i] += velocities[k][i];
  if (ported) {
    n.least_movement_hz =
        least_movement_hz(level_run(n.cone, 24), 1.2 * n.cone.axis().front(), 0.5 * n.valid_to_hz);
    // Phases that were made of magnitudes with others' sound in them tell no quarter turn.
    if (n.least_movement_hz && (!m.by_physics || m.share_told))
      n.fb_hz = tuning_by_movements(n.cone.axis(), cone_flow, port_flow, *n.least_movement_hz);
    if (n.least_movement_hz && !n.fb_hz) n.fb_hz = from_relative(*n.least_movement_hz, 0.03);
    if (!n.fb_hz) n.notes.emplace_back("fb_hz: the cone has no least movement in this range.");
  } else {
    n.notes.emplace_back("fb_hz: no port or passive radiator was taken.");
  }
}

/// What it does to level and tuning that nobody knows the crosstalk to the last.
void tell_share(NearFields& n, const NearMaterial& m, const std::vector<NearSource>& sources,
                const Flows& velocities, double c, const CrosstalkShare& share) {
  const FrequencyAxis& axis = n.sum.axis();
  const Flows more = volume_velocities(sources, m.pressures, c, share.value + share.half_width);
  std::vector<double> moved(axis.size());
  for (std::size_t i = 0; i < axis.size(); ++i) {
    Complex was = 0.0;
    Complex is = 0.0;
    for (std::size_t k = 0; k < sources.size(); ++k) {
      was += velocities[k][i];
      is += more[k][i];
    }
    moved[i] = 20.0 * std::log10(std::abs(is / was));
  }
  n.level_off_db.push_back(std::move(moved));
  if (!n.fb_hz || !n.least_movement_hz) return;
  std::vector<Complex> cone_flow(axis.size(), 0.0);
  std::vector<Complex> port_flow(axis.size(), 0.0);
  for (std::size_t k = 0; k < sources.size(); ++k)
    for (std::size_t i = 0; i < axis.size(); ++i)
      (m.parts[k].cone ? cone_flow : port_flow)[i] += more[k][i];
  if (const auto other = tuning_by_movements(axis, cone_flow, port_flow, *n.least_movement_hz))
    n.fb_hz->half_width = std::hypot(n.fb_hz->half_width, other->value - n.fb_hz->value);
}

/// Where a port's microphone hears the port itself, not the rest of what the others leave.
std::vector<bool> heard_itself(const NearMaterial& m, const std::vector<NearSource>& sources,
                               const Flows& velocities, double c) {
  constexpr double kShare = 0.2;
  const FrequencyAxis& axis = m.pressures.front().axis();
  std::vector<bool> itself(axis.size(), false);
  for (std::size_t k = 0; k < sources.size(); ++k) {
    if (m.parts[k].cone) continue;
    for (std::size_t i = 0; i < axis.size(); ++i) {
      const Complex own = near_impedance(sources[k].radius_m, sources[k].microphone_m, axis[i], c) /
                          static_cast<double>(sources[k].count) * velocities[k][i];
      itself[i] = itself[i] || std::abs(own) > kShare * m.pressures[k].magnitude(i);
    }
  }
  return itself;
}

void tell_port(NearFields& n, double top_hz, const std::vector<bool>& itself) {
  if (!n.port) return;
  const double least = n.least_movement_hz.value_or(n.fb_hz ? n.fb_hz->value : 40.0);
  // Over a twelfth of an octave, so that noise is no resonance.
  const Response heard = smoothed(n.port->with_valid({n.port->axis().front(), top_hz}), 12);
  for (std::size_t i = 0; i < heard.size(); ++i) {
    const double f = heard.axis()[i];
    if (f < 0.5 * least || f > 2.5 * least) continue;
    if (!n.port_top || heard.level_db(i) > n.port_top->level_db)
      n.port_top = StandingOut{f, heard.level_db(i), 0.0};
  }
  n.port_resonances = tops(heard, 3.0 * least, top_hz, 3.0);
  std::erase_if(n.port_resonances, [&](const StandingOut& one) {
    return !itself[heard.axis().bracket(one.frequency_hz)];
  });
  if (n.port_top && !n.port_resonances.empty()) {
    const auto loudest = std::max_element(
        n.port_resonances.begin(), n.port_resonances.end(),
        [](const StandingOut& a, const StandingOut& b) { return a.level_db < b.level_db; });
    n.notes.push_back(fmt::format("The port stands {:.1f} dB above its resonance at {}.",
                                  n.port_top->level_db - loudest->level_db,
                                  frequency_text(loudest->frequency_hz)));
  }
}

}  // namespace

void tell_noise(NearFields& n, const NearMaterial& m, const std::vector<NearSource>& sources,
                double c) {
  n.valid_from_hz = n.half_space.valid().low_hz;
  for (const auto& noise : m.noises)
    if (!noise) return;
  const FrequencyAxis& axis = n.sum.axis();
  std::vector<Complex> values(axis.size());
  for (std::size_t i = 0; i < axis.size(); ++i) {
    double square = 0.0;
    for (std::size_t k = 0; k < sources.size(); ++k) {
      const double per =
          std::abs(near_impedance(sources[k].radius_m, sources[k].microphone_m, axis[i], c)) /
          sources[k].count;
      square += std::pow(m.noises[k]->magnitude(i) / per * axis[i] * kAirDensity_kg_m3, 2);
    }
    values[i] = std::sqrt(square);
  }
  n.noise = pressure_over(axis, std::move(values), m.calibrated, n.valid_to_hz);
  for (std::size_t i = axis.size(); i-- > 0;) {
    if (axis[i] > n.valid_to_hz) continue;
    if (n.half_space.level_db(i) < n.noise->level_db(i) + kOverNoise_db) {
      n.valid_from_hz = axis[std::min(i + 1, axis.size() - 1)];
      n.notes.push_back(fmt::format("Below {} the sum stands less than {:.0f} dB over the noise.",
                                    frequency_text(n.valid_from_hz), kOverNoise_db));
      break;
    }
  }
  const auto cut = [&](Response& r) {
    r = r.with_valid(intersect(r.valid(), {n.valid_from_hz, n.valid_to_hz}));
  };
  cut(n.half_space);
  cut(n.sum);
}

void tell_near_fields(NearFields& n, const NearMaterial& m, const std::vector<NearSource>& sources,
                      const Flows& velocities, double c, const CrosstalkShare& share) {
  tell_tuning(n, m, n.port.has_value(), velocities);
  tell_sensitivity(n, sources, velocities, c);
  if (share.half_width > 0.0) tell_share(n, m, sources, velocities, c, share);
  tell_falls(n, m.by_physics && !m.share_told);
  tell_cone_waves(n);
  tell_port(n, std::min(n.cone.axis().back(), 2500.0), heard_itself(m, sources, velocities, c));
  tell_others(n, sources, velocities, c, share.value);
}

Response pressure_over(const FrequencyAxis& axis, std::vector<Complex> values, bool calibrated,
                       double valid_to_hz) {
  return *Response::make(axis, std::move(values),
                         calibrated ? Quantity::kPressure : Quantity::kRatio,
                         {axis.front(), std::min(valid_to_hz, axis.back())}, true);
}

namespace {

/// Standard deviation of the level over a twelfth of an octave, from what its points scatter about
/// a bent run (a parabola) over a quarter.
double scatter_db(const Response& curve, double f) {
  const double reach = std::exp2(0.125);
  std::vector<double> x;
  std::vector<double> y;
  for (std::size_t i = 0; i < curve.size(); ++i) {
    if (curve.axis()[i] < f / reach || curve.axis()[i] > f * reach) continue;
    x.push_back(8.0 * std::log2(curve.axis()[i] / f));
    y.push_back(curve.level_db(i));
  }
  const auto n = static_cast<double>(x.size());
  if (n < 8.0) return 0.0;
  // Legendre polynomials on -1 to 1 are nearly orthogonal on evenly spaced points.
  const auto shape = [](int k, double t) { return k == 0 ? 1.0 : k == 1 ? t : 1.5 * t * t - 0.5; };
  double left = 0.0;
  for (int round = 0; round < 3; ++round) {
    for (int k = 0; k < 3; ++k) {
      double top = 0.0;
      double bottom = 0.0;
      for (std::size_t i = 0; i < x.size(); ++i) {
        top += shape(k, x[i]) * y[i];
        bottom += shape(k, x[i]) * shape(k, x[i]);
      }
      for (std::size_t i = 0; i < x.size(); ++i) y[i] -= top / bottom * shape(k, x[i]);
    }
  }
  for (const double each : y) left += each * each;
  return std::sqrt(left / (n - 3.0) / std::max(n / 3.0, 1.0));
}

}  // namespace

double bass_deviation_db(const NearFields& n, const Response& curve, double f,
                         ValidRange reference) {
  const FrequencyAxis& axis = n.sum.axis();
  double square = 0.0;
  const std::size_t at = axis.bracket(f);
  for (const auto& moved : n.level_off_db) {
    double mean = 0.0;
    double count = 0.0;
    for (std::size_t i = 0; i < axis.size(); ++i) {
      if (!reference.contains(axis[i])) continue;
      mean += moved[i];
      count += 1.0;
    }
    square += std::pow(moved[at] - (count > 0.0 ? mean / count : 0.0), 2);
  }
  return std::max(std::hypot(std::sqrt(square), kTwoSided95 * scatter_db(curve, f)),
                  kNearCorrection_db);
}

}  // namespace lalometer
