#include "diagnosis/view/bass/flow.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <vector>

#include "acoustics/near_field/near_sources.h"
#include "base/constants.h"
#include "diagnosis/view/bass/pipe.h"
#include "diagnosis/view/drivers.h"

namespace lalometer {
namespace {

struct Part {
  const CaseTake* take;
  double radius_m;
  double count;
};

/// How many cones one stands for: its twins that were not taken themselves, in equal parts.
double counts_for(const CaseView& v, const CaseDriver& cone) {
  const auto twins = alike(v.material->subject, cone.id);
  double taken = 0.0;
  for (const CaseDriver* twin : twins)
    if (std::any_of(v.material->takes.begin(), v.material->takes.end(), [&](const CaseTake& t) {
          return t.kind == CaseTake::Kind::kNearField && t.variant == v.variant &&
                 t.sample == v.sample && t.source == twin->id;
        }))
      taken += 1.0;
  return static_cast<double>(twins.size()) / std::max(taken, 1.0);
}

std::vector<Part> near_fields(const CaseView& v, bool cones) {
  const CaseSubject& s = v.material->subject;
  std::vector<Part> all;
  for (const CaseTake& t : v.material->takes) {
    if (t.kind != CaseTake::Kind::kNearField || t.variant != v.variant || t.sample != v.sample)
      continue;
    if (cones) {
      const CaseDriver* d = s.driver(t.source);
      if (d != nullptr && plays_low(s, d->id) && d->radius_m > 0.0)
        all.push_back({&t, d->radius_m, counts_for(v, *d)});
      continue;
    }
    for (const CasePort& p : s.ports)
      if (p.id == t.source && p.radius_m > 0.0)
        all.push_back({&t, p.radius_m, static_cast<double>(p.count)});
    for (const CaseRadiator& r : s.radiators)
      if (r.id == t.source && r.radius_m > 0.0) all.push_back({&t, r.radius_m, 1.0});
  }
  return all;
}

/// Flows of all cones and of all ports or radiators, times the frequency: in one unit, whichever.
struct Flows {
  std::optional<Response> cones, backs;
  bool phase = false;
};

std::complex<double> at(const Response& flows, double f) {
  const FrequencyAxis& axis = flows.axis();
  return f < axis.front() || f > axis.back() ? std::complex<double>(std::nan(""))
                                             : value_at(flows, f);
}

bool have_phase(const std::vector<Part>& parts) {
  return std::all_of(parts.begin(), parts.end(),
                     [](const Part& p) { return p.take->curve.has_phase(); });
}

std::vector<NearSource> sources_of(const CaseSubject& s, const std::vector<Part>& parts) {
  std::vector<NearSource> all;
  for (const Part& p : parts) {
    const auto place = std::find_if(s.places.begin(), s.places.end(), [&](const NearSource& each) {
      return each.id == p.take->source;
    });
    NearSource one = place == s.places.end() ? NearSource{.id = p.take->source} : *place;
    one.radius_m = p.radius_m;
    one.count = static_cast<int>(std::lround(p.count));
    all.push_back(one);
  }
  return all;
}

/// What all of them cover; nothing where that is less than an octave.
std::optional<FrequencyAxis> common_axis(const std::vector<Part>& parts) {
  constexpr double kPerOctave = 48.0;
  double low = 5.0;
  double high = 2000.0;
  for (const Part& p : parts) {
    low = std::max(low, p.take->curve.axis().front());
    high = std::min(high, p.take->curve.axis().back());
  }
  if (high < 2.0 * low) return std::nullopt;
  return FrequencyAxis::logarithmic(low, high, kPerOctave);
}

/// A microphone by the cone hears the port as well. What of it the takes themselves tell is taken
/// out; where they tell nothing it stays.
/// @param middle_hz  about which they are asked: the tuning, as far as it is known.
Flows flows_of(const CaseView& v, const std::vector<Part>& cones, const std::vector<Part>& backs,
               const FrequencyAxis& axis, double middle_hz) {
  std::vector<Part> all = cones;
  all.insert(all.end(), backs.begin(), backs.end());
  Flows out;
  out.phase = have_phase(all);
  std::vector<Response> pressures;
  for (const Part& p : all) {
    std::vector<std::complex<double>> value;
    for (const double f : axis.hz()) value.push_back(value_at(p.take->curve, f) / p.take->drive_v);
    pressures.push_back(*Response::make(axis, std::move(value), p.take->curve.quantity(),
                                        p.take->curve.valid(), out.phase));
  }
  std::vector<std::vector<std::complex<double>>> flows(all.size());
  for (std::size_t k = 0; k < all.size(); ++k)
    for (const std::complex<double>& each : pressures[k].values())
      flows[k].push_back(each * all[k].radius_m * all[k].count);
  const std::vector<NearSource> sources = sources_of(v.material->subject, all);
  const bool placed =
      std::all_of(sources.begin(), sources.end(), [](const NearSource& s) { return s.placed; });
  if (out.phase && placed && middle_hz > 0.0) {
    std::vector<bool> is_cone(all.size(), false);
    std::fill_n(is_cone.begin(), cones.size(), true);
    constexpr double kC = kSpeedOfSound20_m_s;
    if (const auto share = crosstalk_share(sources, pressures, is_cone, middle_hz, kC);
        share.told) {
      flows = volume_velocities(sources, pressures, kC, share.value);
      for (std::size_t i = 0; i < axis.size(); ++i)
        for (std::vector<std::complex<double>>& each : flows) each[i] *= axis[i];
    }
  }
  const auto sum = [&](std::size_t from, std::size_t to) {
    std::vector<std::complex<double>> value(axis.size(), 0.0);
    for (std::size_t k = from; k < to; ++k)
      for (std::size_t i = 0; i < axis.size(); ++i) value[i] += flows[k][i];
    return *Response::make(axis, std::move(value), pressures.front().quantity(),
                           {axis.front(), axis.back()}, out.phase);
  };
  out.cones = sum(0, cones.size());
  out.backs = sum(cones.size(), all.size());
  return out;
}

/// Where the flow of ports or radiators is most, over the cones'.
void find_tuning(BassFlow& out, const Flows& flows, double low, double high) {
  out.total_q.reset();
  for (double f = low; f <= high; f *= std::exp2(1.0 / 48.0)) {
    const double ratio = std::abs(at(*flows.backs, f)) / std::abs(at(*flows.cones, f));
    if (!std::isfinite(ratio) || (out.total_q && ratio <= *out.total_q)) continue;
    out.total_q = ratio;
    out.tuning_hz = f;
  }
}

/// The deepest hole of the sum between two frequencies.
void find_hole(BassFlow& out, const Flows& flows, double from_hz, double to_hz) {
  const auto level = [&](double f) {
    return 20.0 * std::log10(std::abs(at(*flows.cones, f) + at(*flows.backs, f)) * f);
  };
  for (double f = from_hz; f <= to_hz; f *= std::exp2(1.0 / 48.0)) {
    const double beside = std::min(level(f * std::exp2(-0.35)), level(f * std::exp2(0.35)));
    const double hole = level(f) - beside;
    if (std::isfinite(hole) && hole < out.hole_db) {
      out.hole_db = hole;
      out.hole_hz = f;
    }
  }
}

/// Without phase the flows are known to be opposite below the tuning and alike above it; close by
/// it neither; what is left at the tuning is the losses' part, which stands across.
std::optional<double> own_share(const Flows& flows, double tuning_hz, double total_q) {
  constexpr double kCloseBy = 0.1;
  // a and b by least squares, in ratios of the tuning.
  double n = 0.0, sx = 0.0, sxx = 0.0, sy = 0.0, sxy = 0.0;
  int count = 0;
  for (double f = 0.55 * tuning_hz; f <= 1.7 * tuning_hz; f *= std::exp2(1.0 / 48.0)) {
    std::complex<double> ratio = at(*flows.cones, f) / at(*flows.backs, f);
    if (!std::isfinite(ratio.real())) continue;
    const double x = std::pow(f / tuning_hz, 2);
    if (!flows.phase) {
      if (std::abs(f / tuning_hz - 1.0) < kCloseBy) continue;
      const double along = std::sqrt(std::max(std::norm(ratio) - 1.0 / (total_q * total_q), 0.0));
      ratio = f < tuning_hz ? -along : along;
    }
    const double weight = 1.0 / std::max(std::norm(ratio), 0.04);
    n += weight;
    sx += weight * x;
    sxx += weight * x * x;
    sy += weight * -ratio.real();
    sxy += weight * x * -ratio.real();
    ++count;
  }
  constexpr int kOctave = 48;
  const double spread = n * sxx - sx * sx;
  if (count < kOctave || !(spread > 0.0)) return std::nullopt;
  const double a = (sxx * sy - sx * sxy) / spread;
  if (!(a > 0.5)) return std::nullopt;  // no two flows of one box
  return std::sqrt(std::max(0.0, a - 1.0) / a);
}

}  // namespace

std::optional<BassFlow> bass_flow(const CaseView& v) {
  const CaseSubject& s = v.material->subject;
  const auto cones = near_fields(v, true);
  const auto backs = near_fields(v, false);
  if (cones.empty() || backs.empty() || backs.size() < s.ports.size() + s.radiators.size())
    return std::nullopt;
  double wanted = v.box ? v.box->fb_hz.value : 0.0;
  if (wanted <= 0.0) wanted = drawn_tuning_hz(s).value_or(0.0);
  BassFlow out;
  const double low = wanted > 0.0 ? 0.6 * wanted : 20.0;
  const double high = wanted > 0.0 ? 1.6 * wanted : 120.0;
  std::vector<Part> all = cones;
  all.insert(all.end(), backs.begin(), backs.end());
  const auto axis = common_axis(all);
  if (!axis) return out;
  find_tuning(out, flows_of(v, cones, backs, *axis, 0.0), low, high);
  if (!out.total_q) return out;
  const Flows flows = flows_of(v, cones, backs, *axis, out.tuning_hz);
  find_tuning(out, flows, low, high);
  if (flows.phase) find_hole(out, flows, std::max(0.4 * out.tuning_hz, 12.0), 0.97 * out.tuning_hz);
  out.own_share = own_share(flows, out.tuning_hz, *out.total_q);
  return out;
}

bool saw_flow(Claim& claim, const CaseView& v, bool beside) {
  const auto flow = bass_flow(v);
  if (!flow || !flow->total_q) return false;
  const double q = *flow->total_q;
  claim.saw(
      beside ? std::clamp(std::exp(0.5 * (5.5 - q)), 0.3, 1.8)
             : std::clamp(std::exp(0.9 * (5.0 - q)), 0.02, 6.0),
      fmt::format("by the near fields the port moves {:.1f} times the cone's air at {:.0f} Hz", q,
                  flow->tuning_hz),
      ToldBy::kNear);
  return true;
}

}  // namespace lalometer
