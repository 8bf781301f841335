#include "workbench/beams/lobe_study.h"

#include <algorithm>
#include <cmath>

#include "acoustics/directivity/coverage.h"
#include "acoustics/directivity/piston.h"
#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

constexpr double kReach_deg = 45.0;
constexpr double kToRadians = kPi / 180.0;

/// Mean level over a third of an octave at each angle of a map, dB.
struct Slice {
  std::vector<double> degrees;
  std::vector<double> level_db;
};
Slice slice_at(const FrequencyAxis& axis, const AngleMap& map, double f) {
  Slice slice;
  for (std::size_t r = 0; r < map.degrees.size(); ++r) {
    double sum = 0.0;
    double count = 0.0;
    for (std::size_t i = 0; i < axis.size(); ++i) {
      if (std::abs(std::log2(axis[i] / f)) > 1.0 / 6.0) continue;
      sum += std::pow(10.0, map.level_db[r][i] / 10.0);
      count += 1.0;
    }
    if (count == 0.0) continue;
    slice.degrees.push_back(map.degrees[r]);
    slice.level_db.push_back(10.0 * std::log10(sum / count));
  }
  return slice;
}

/// Top of the parabola through the loudest ray and its neighbours.
std::optional<Estimate> top_of(const Slice& s) {
  std::size_t top = s.degrees.size();
  for (std::size_t k = 1; k + 1 < s.degrees.size(); ++k)
    if (std::abs(s.degrees[k]) <= kReach_deg &&
        (top == s.degrees.size() || s.level_db[k] > s.level_db[top]))
      top = k;
  if (top == s.degrees.size()) return std::nullopt;
  const double h = 0.5 * (s.degrees[top + 1] - s.degrees[top - 1]);
  const double down = s.level_db[top - 1];
  const double up = s.level_db[top + 1];
  const double bend = down - 2.0 * s.level_db[top] + up;
  if (!(bend < -0.02)) return std::nullopt;
  const double at = s.degrees[top] + std::clamp(0.5 * h * (down - up) / bend, -h, h);
  // Levels 0.1 dB off shift the top by so much; the table's half degree beside it.
  const double by_level = 0.5 * h * std::sqrt(2.0) * 0.1 / std::abs(bend);
  return Estimate{at, std::hypot(0.5, kTwoSided95 * by_level)};
}

std::optional<double> null_of(const Slice& s, double sign, double from_deg) {
  std::optional<double> nearest;
  for (std::size_t k = 1; k + 1 < s.degrees.size(); ++k) {
    const double d = s.degrees[k];
    if (sign * (d - from_deg) <= 0.0 || std::abs(d) > 90.0) continue;
    if (s.level_db[k] > s.level_db[k - 1] || s.level_db[k] > s.level_db[k + 1] ||
        s.level_db[k] > -6.0)
      continue;
    if (!nearest || std::abs(d - from_deg) < std::abs(*nearest - from_deg)) nearest = d;
  }
  return nearest;
}

void hold_against_sum(LobeReading& r, const OrbitMaterial& m, const SubjectDriver& low,
                      const SubjectDriver& high, const Slice& measured) {
  const Response* parts[2] = {nullptr, nullptr};
  for (const auto& [id, curve] : m.alone) {
    if (id == low.id) parts[0] = &curve;
    if (id == high.id) parts[1] = &curve;
  }
  if (parts[0] == nullptr || parts[1] == nullptr) {
    r.notes.push_back(fmt::format(
        "{} and {} were not taken alone on the axis with one time: no sum to hold it against.",
        low.id, high.id));
    return;
  }
  const SubjectDriver* drivers[2] = {&low, &high};
  Slice expected{measured.degrees, {}};
  for (const double degrees : measured.degrees) {
    double sum = 0.0;
    double axis_sum = 0.0;
    for (double f = r.crossover_hz * std::exp2(-1.0 / 6.0);
         f <= r.crossover_hz * std::exp2(1.0 / 6.0); f *= std::exp2(1.0 / 48.0)) {
      std::complex<double> at = 0.0;
      std::complex<double> ahead = 0.0;
      for (int k = 0; k < 2; ++k) {
        const SubjectDriver& d = *drivers[k];
        const double angle = degrees * kToRadians;
        const double along = r.plane == Plane::kVertical ? d.y_m : d.x_m;
        // What the axis take already holds of the driver's own path is taken out of the turn.
        const auto path = [&](double a) {
          return std::hypot(m.distance_m * std::sin(a) - along, m.distance_m * std::cos(a) - d.z_m);
        };
        const std::complex<double> own = value_at(*parts[k], f);
        const double beam =
            d.radius_m ? piston_directivity(*d.radius_m, angle, f, m.speed_of_sound_m_s) : 1.0;
        at += own * beam *
              std::polar(1.0, -2.0 * kPi * f / m.speed_of_sound_m_s * (path(angle) - path(0.0)));
        ahead += own;
      }
      sum += std::norm(at);
      axis_sum += std::norm(ahead);
    }
    expected.level_db.push_back(10.0 * std::log10(std::max(sum / axis_sum, 1e-12)));
  }
  if (const auto top = top_of(expected)) r.expected_tilt_deg = top->value;
  double square = 0.0;
  double count = 0.0;
  for (std::size_t k = 0; k < measured.degrees.size(); ++k) {
    if (std::abs(measured.degrees[k]) > 40.5) continue;
    square += std::pow(measured.level_db[k] - expected.level_db[k], 2);
    count += 1.0;
  }
  if (count > 2.0) r.off_sum_db = std::sqrt(square / count);
}

}  // namespace

std::vector<LobeReading> lobe_readings(const OrbitMaterial& m) {
  std::vector<LobeReading> all;
  if (!m.geometry) return all;
  for (const SubjectCrossover& x : m.geometry->crossovers) {
    const SubjectDriver* low = m.geometry->driver(x.low);
    const SubjectDriver* high = m.geometry->driver(x.high);
    if (low == nullptr || high == nullptr || !m.orbit.valid().contains(x.frequency_hz)) continue;
    LobeReading r{.low = x.low, .high = x.high, .crossover_hz = x.frequency_hz};
    const double across = std::abs(low->x_m - high->x_m);
    const double up = std::abs(low->y_m - high->y_m);
    if (std::max(across, up) < 0.01) continue;
    r.plane = across > up ? Plane::kHorizontal : Plane::kVertical;
    const auto map = angle_map(m.orbit, r.plane);
    if (!map || map->degrees.size() < 5) continue;
    const Slice slice = slice_at(m.orbit.axis(), *map, x.frequency_hz);
    r.tilt_deg = top_of(slice);
    const double about = r.tilt_deg ? r.tilt_deg->value : 0.0;
    r.null_plus_deg = null_of(slice, 1.0, about);
    r.null_minus_deg = null_of(slice, -1.0, about);
    hold_against_sum(r, m, *low, *high, slice);
    all.push_back(std::move(r));
  }
  return all;
}

CrossoverWindow crossover_window(const SubjectDriver& low, const SubjectDriver& high,
                                 std::optional<double> clean_from_hz, double c) {
  CrossoverWindow w{.low = low.id, .high = high.id};
  if (high.resonance_hz)
    w.limits.push_back(
        {fmt::format("twice the resonance of {}", high.id), 2.0 * *high.resonance_hz, true});
  else
    w.notes.push_back(fmt::format("The resonance of {} is not told.", high.id));
  if (low.radius_m)
    w.limits.push_back({fmt::format("{} is 6 dB down at 45°", low.id),
                        2.2151 * c / (2.0 * kPi * *low.radius_m * std::sin(45.0 * kToRadians)),
                        false});
  if (low.breakup_hz)
    w.limits.push_back({fmt::format("{} breaks up", low.id), *low.breakup_hz, false});
  const double apart = std::hypot(low.x_m - high.x_m, low.y_m - high.y_m);
  if (apart > 0.01)
    w.limits.push_back({fmt::format("the centres are a wavelength apart ({:.0f} mm)", apart * 1e3),
                        c / apart, false});
  if (!clean_from_hz)
    w.notes.push_back(fmt::format(
        "Distortion of {} was not looked at: sweep it by itself, straight ahead.", high.id));
  else if (*clean_from_hz > 0.0)
    w.limits.push_back({fmt::format("THD of {} passes 3 %", high.id), *clean_from_hz, true});
  for (const CrossoverWindow::Limit& limit : w.limits) {
    std::optional<double>& end = limit.lowest ? w.from_hz : w.to_hz;
    end = !end           ? limit.frequency_hz
          : limit.lowest ? std::max(*end, limit.frequency_hz)
                         : std::min(*end, limit.frequency_hz);
  }
  return w;
}

std::vector<CrossoverWindow> crossover_windows(const OrbitMaterial& m) {
  std::vector<CrossoverWindow> all;
  if (!m.geometry) return all;
  const double c = m.speed_of_sound_m_s;
  for (const SubjectCrossover& x : m.geometry->crossovers) {
    const SubjectDriver* low = m.geometry->driver(x.low);
    const SubjectDriver* high = m.geometry->driver(x.high);
    if (low == nullptr || high == nullptr) continue;
    const auto clean = std::find_if(m.clean_from_hz.begin(), m.clean_from_hz.end(),
                                    [&](const auto& one) { return one.first == high->id; });
    all.push_back(crossover_window(
        *low, *high, clean == m.clean_from_hz.end() ? std::nullopt : std::optional(clean->second),
        c));
  }
  return all;
}

std::string spoken(const LobeReading& r) {
  std::string text = fmt::format("About {} the main lobe of {} and {} ",
                                 frequency_text(r.crossover_hz), r.low, r.high);
  const bool vertical = r.plane == Plane::kVertical;
  if (!r.tilt_deg)
    text += "has no clear top";
  else if (std::abs(r.tilt_deg->value) <= std::max(1.0, r.tilt_deg->half_width))
    text += "points straight ahead";
  else
    text += fmt::format("points {:.0f}° {}", std::abs(r.tilt_deg->value),
                        vertical ? (r.tilt_deg->value > 0.0 ? "up" : "down")
                                 : (r.tilt_deg->value > 0.0 ? "right" : "left"));
  if (r.null_plus_deg) text += fmt::format(", a null at {:+.0f}°", *r.null_plus_deg);
  if (r.null_minus_deg) text += fmt::format(", a null at {:+.0f}°", *r.null_minus_deg);
  if (r.off_sum_db)
    text += fmt::format("; the sum of both drivers at their places says {}, {:.1f} dB off rms",
                        r.expected_tilt_deg ? fmt::format("{:+.0f}°", *r.expected_tilt_deg)
                                            : std::string("no clear top"),
                        *r.off_sum_db);
  return text;
}

std::string spoken(const CrossoverWindow& w) {
  std::string text = fmt::format("{} and {} can meet ", w.low, w.high);
  if (w.from_hz && w.to_hz && *w.from_hz >= *w.to_hz)
    text += fmt::format("nowhere: above {} and below {} exclude each other",
                        frequency_text(*w.from_hz), frequency_text(*w.to_hz));
  else if (w.from_hz && w.to_hz)
    text += fmt::format("between {} and {}", frequency_text(*w.from_hz), frequency_text(*w.to_hz));
  else if (w.to_hz)
    text += fmt::format("below {}", frequency_text(*w.to_hz));
  else if (w.from_hz)
    text += fmt::format("above {}", frequency_text(*w.from_hz));
  else
    text += "anywhere, as far as is told";
  std::string why;
  for (const CrossoverWindow::Limit& limit : w.limits)
    why += fmt::format("{}{} ({})", why.empty() ? "" : ", ", frequency_text(limit.frequency_hz),
                       limit.what);
  return why.empty() ? text : text + ": " + why;
}

}  // namespace lalometer
