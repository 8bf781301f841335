#include "diagnosis/view/bass/flow.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <vector>

#include "base/constants.h"

namespace lalometer {
namespace {

struct Part {
  const CaseTake* take;
  double radius_m;
  double count;
};

std::vector<Part> near_fields(const CaseView& v, bool cones) {
  const CaseSubject& s = v.material->subject;
  std::vector<Part> all;
  for (const CaseTake& t : v.material->takes) {
    if (t.kind != CaseTake::Kind::kNearField || t.variant != v.variant || t.sample != v.sample)
      continue;
    if (cones) {
      const CaseDriver* d = s.driver(t.source);
      if (d != nullptr && !d->high && d->radius_m > 0.0) all.push_back({&t, d->radius_m, 1.0});
      continue;
    }
    for (const CasePort& p : s.ports)
      if (p.id == t.source)
        all.push_back(
            {&t, p.geometry.equivalent_radius_m(), static_cast<double>(p.geometry.count)});
    for (const CaseRadiator& r : s.radiators)
      if (r.id == t.source && r.radius_m > 0.0) all.push_back({&t, r.radius_m, 1.0});
  }
  return all;
}

std::complex<double> flow(const std::vector<Part>& parts, double f) {
  std::complex<double> sum = 0.0;
  for (const Part& p : parts) {
    const FrequencyAxis& axis = p.take->curve.axis();
    if (f < axis.front() || f > axis.back()) return std::nan("");
    sum += value_at(p.take->curve, f) * p.radius_m * p.count / p.take->drive_v;
  }
  return sum;
}

bool have_phase(const std::vector<Part>& parts) {
  return std::all_of(parts.begin(), parts.end(),
                     [](const Part& p) { return p.take->curve.has_phase(); });
}

/// The deepest hole of the sum between two frequencies.
void find_hole(BassFlow& out, const std::vector<Part>& cones, const std::vector<Part>& backs,
               double from_hz, double to_hz) {
  const auto level = [&](double f) {
    return 20.0 * std::log10(std::abs(flow(cones, f) + flow(backs, f)) * f);
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
std::optional<double> own_share(const std::vector<Part>& cones, const std::vector<Part>& backs,
                                double tuning_hz, double total_q) {
  const bool phase = have_phase(cones) && have_phase(backs);
  constexpr double kCloseBy = 0.1;
  // a and b by least squares, in ratios of the tuning.
  double n = 0.0, sx = 0.0, sxx = 0.0, sy = 0.0, sxy = 0.0;
  int count = 0;
  for (double f = 0.55 * tuning_hz; f <= 1.7 * tuning_hz; f *= std::exp2(1.0 / 48.0)) {
    std::complex<double> ratio = flow(cones, f) / flow(backs, f);
    if (!std::isfinite(ratio.real())) continue;
    const double x = std::pow(f / tuning_hz, 2);
    if (!phase) {
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
  if (wanted <= 0.0 && s.volume_m3 && !s.ports.empty()) {
    std::vector<PortGeometry> ports;
    for (const CasePort& p : s.ports) ports.push_back(p.geometry);
    wanted = helmholtz_hz(*s.volume_m3, ports, kSpeedOfSound20_m_s);
  }
  BassFlow out;
  const double low = wanted > 0.0 ? 0.6 * wanted : 20.0;
  const double high = wanted > 0.0 ? 1.6 * wanted : 120.0;
  for (double f = low; f <= high; f *= std::exp2(1.0 / 48.0)) {
    const double ratio = std::abs(flow(backs, f)) / std::abs(flow(cones, f));
    if (!std::isfinite(ratio) || (out.total_q && ratio <= *out.total_q)) continue;
    out.total_q = ratio;
    out.tuning_hz = f;
  }
  if (!out.total_q) return out;
  if (have_phase(cones) && have_phase(backs))
    find_hole(out, cones, backs, std::max(0.4 * out.tuning_hz, 12.0), 0.97 * out.tuning_hz);
  out.own_share = own_share(cones, backs, out.tuning_hz, *out.total_q);
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
