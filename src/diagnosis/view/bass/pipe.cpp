#include "diagnosis/view/bass/pipe.h"

#include <algorithm>
#include <cmath>

#include "acoustics/enclosure/port.h"
#include "base/constants.h"
#include "diagnosis/view/drivers.h"
#include "diagnosis/view/sound/features.h"

namespace lalometer {

std::optional<double> drawn_tuning_hz(const CaseSubject& s) {
  std::vector<PortGeometry> ports;
  for (const CasePort& p : s.ports) {
    if (!p.geometry) return std::nullopt;
    ports.push_back(*p.geometry);
  }
  if (ports.empty() || !s.volume_m3) return std::nullopt;
  return helmholtz_hz(*s.volume_m3, ports, kSpeedOfSound20_m_s);
}

namespace {

std::optional<double> by_tuning_hz(const CaseView& v, const CasePort& port) {
  const double c = kSpeedOfSound20_m_s;
  const CaseSubject& s = v.material->subject;
  if (!(port.radius_m > 0.0) || !s.volume_m3 || !v.box) return std::nullopt;
  // Its mass: (2 pi fb)^2 = c^2 S / (L' V).
  const double area_m2 = port.count * kPi * port.radius_m * port.radius_m;
  const double length_m =
      area_m2 / *s.volume_m3 * std::pow(c / (2.0 * kPi * v.box->fb_hz.value), 2);
  // Shorter than its own end corrections no port is.
  if (length_m < 1.3 * port.radius_m) return std::nullopt;
  return 0.5 * c / length_m;
}

/// The first near field of a port or, without a port, of a driver that plays the bass.
const CaseTake* near_field_of(const CaseView& v, const CasePort* port) {
  const CaseSubject& s = v.material->subject;
  for (const CaseTake& t : v.material->takes) {
    if (t.kind != CaseTake::Kind::kNearField || t.variant != v.variant || t.sample != v.sample)
      continue;
    const bool cone = s.driver(t.source) != nullptr && plays_low(s, t.source);
    if (port != nullptr ? t.source == port->id : cone) return &t;
  }
  return nullptr;
}

/// Where a port's near field stands out most, while the cone's does not.
std::optional<double> by_near_field_hz(const CaseView& v, const CasePort& port,
                                       std::optional<double> about_hz) {
  constexpr double kLowest_hz = 250.0;
  constexpr double kHighest_hz = 2000.0;
  constexpr double kPlain_db = 6.0;
  constexpr double kAbout = 0.29;
  const CaseTake* own = near_field_of(v, &port);
  if (own == nullptr || !v.axis) return std::nullopt;
  const std::vector<double> out = outstanding(*v.axis, with_ends(v.levels.at(own)));
  std::vector<double> cone;
  if (const CaseTake* t = near_field_of(v, nullptr))
    cone = outstanding(*v.axis, with_ends(v.levels.at(t)));
  std::optional<double> best;
  double highest = kPlain_db;
  const double low = std::max(kLowest_hz, own->curve.valid().low_hz);
  const double high = std::min({kHighest_hz, own->curve.valid().high_hz, own->curve.axis().back()});
  for (const CurveFeature& f : features_of(*v.axis, out, low, high, kPlain_db)) {
    if (about_hz && std::abs(std::log(f.at_hz / *about_hz)) > kAbout) continue;
    const double beside = cone.empty() ? 0.0 : cone[v.axis->bracket(f.at_hz)];
    if (f.height_db < highest || beside > 0.5 * f.height_db) continue;
    highest = f.height_db;
    best = f.at_hz;
  }
  return best;
}

}  // namespace

std::optional<double> pipe_hz(const CaseView& v, const CasePort& port) {
  if (port.geometry) return pipe_resonance_hz(*port.geometry, kSpeedOfSound20_m_s);
  if (v.material->subject.ports.size() != 1) return std::nullopt;
  const auto tuned = by_tuning_hz(v, port);
  const auto near = by_near_field_hz(v, port, tuned);
  return near ? near : tuned;
}

bool pipe_by_near_field(const CaseView& v, const CasePort& port) {
  return !port.geometry && v.material->subject.ports.size() == 1 &&
         by_near_field_hz(v, port, by_tuning_hz(v, port)).has_value();
}

std::vector<double> heard_pipes_hz(const CaseView& v) {
  constexpr double kHeard_db = 2.0;
  constexpr double kAbout = 0.12;  // of the drawing's pipe
  std::vector<double> heard;
  for (const CasePort& p : v.material->subject.ports) {
    const auto pipe = pipe_hz(v, p);
    if (!pipe) continue;
    for (const SeenFeature& f : v.features)
      if (f.feature.height_db >= kHeard_db && std::abs(std::log(f.at_hz / *pipe)) <= kAbout)
        heard.push_back(f.at_hz);
  }
  return heard;
}

bool at_pipes_overtone(const CaseView& v, double hz) {
  constexpr double kNear = 0.06;
  const std::vector<double> heard = heard_pipes_hz(v);
  return std::any_of(heard.begin(), heard.end(), [&](double pipe) {
    return std::abs(std::log(hz / (2.0 * pipe))) < kNear ||
           std::abs(std::log(hz / (3.0 * pipe))) < kNear;
  });
}

bool beside_heard_pipe(const CaseView& v, double hz) {
  constexpr double kBeside = 0.29;
  const std::vector<double> heard = heard_pipes_hz(v);
  return std::any_of(heard.begin(), heard.end(),
                     [&](double pipe) { return std::abs(std::log(hz / pipe)) < kBeside; });
}

}  // namespace lalometer
