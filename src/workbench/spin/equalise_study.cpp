#include "workbench/angles/equalise_study.h"

#include <algorithm>
#include <cmath>

#include "acoustics/curves/difference.h"
#include "acoustics/near_field/bass_figures.h"
#include "acoustics/spectrum/figures.h"
#include "base/text.h"
#include "workbench/design/baffle_prediction.h"

namespace lalometer {
namespace {

/// Departures smaller than this are nobody's concern.
constexpr double kFeature_db = 1.0;
constexpr double kShared = 0.5;

Response of_levels(const FrequencyAxis& axis, const std::vector<double>& level, ValidRange valid) {
  std::vector<std::complex<double>> values;
  for (const double v : level) values.push_back(from_level(v, 0.0, 1.0));
  return *Response::make(axis, std::move(values), Quantity::kRatio, valid, false);
}

/// What stands out of a curve's own run over two octaves, dB.
std::vector<double> outstanding(const Response& curve) {
  // Half-octave means three times over: a smooth run about two octaves wide.
  const Response fine = level_run(curve, 6);
  Response broad = level_run(curve, 1);
  broad = level_run(broad, 1);
  std::vector<double> out(curve.size());
  for (std::size_t i = 0; i < out.size(); ++i)
    out[i] = to_level_db(fine.magnitude(i), 1.0) - to_level_db(broad.magnitude(i), 1.0);
  return out;
}

struct Feature {
  std::size_t from, to;  ///< half open
  double height_db;      ///< below 0: a dip
};

std::vector<Feature> features_of(const FrequencyAxis& axis, const std::vector<double>& y,
                                 double low, double high) {
  std::vector<Feature> found;
  for (std::size_t i = 0; i < y.size();) {
    if (axis[i] < low || axis[i] > high || std::abs(y[i]) < 0.35) {
      ++i;
      continue;
    }
    std::size_t end = i;
    double top = y[i];
    while (end < y.size() && axis[end] <= high && std::abs(y[end]) >= 0.35 &&
           (y[end] > 0.0) == (y[i] > 0.0)) {
      if (std::abs(y[end]) > std::abs(top)) top = y[end];
      ++end;
    }
    if (std::abs(top) >= kFeature_db) found.push_back({i, end, top});
    i = end;
  }
  return found;
}

/// Mean share of a feature that other angles have.
double shared(const Feature& f, const std::vector<double>& own,
              const std::vector<std::vector<double>>& others) {
  if (others.empty()) return 1.0;
  double sum = 0.0;
  for (const auto& other : others) {
    double top = 0.0;
    double bottom = 0.0;
    for (std::size_t i = f.from; i < f.to; ++i) {
      top += own[i] * other[i];
      bottom += own[i] * own[i];
    }
    sum += std::clamp(top / bottom, -1.0, 1.5);
  }
  return sum / static_cast<double>(others.size());
}

std::vector<std::vector<double>> outstanding_at(const Orbit& orbit, Plane plane, double from,
                                                double to) {
  std::vector<std::vector<double>> all;
  for (const Orbit::Ray& ray : orbit.rays(plane)) {
    const double d = std::abs(ray.degrees);
    if (ray.mirrored || d < from - 0.5 || d > to + 0.5) continue;
    std::vector<double> level(orbit.axis().size());
    for (std::size_t i = 0; i < level.size(); ++i) level[i] = ray.curve.level_db(i);
    all.push_back(outstanding(of_levels(orbit.axis(), level, orbit.valid())));
  }
  return all;
}

/// Dips that the edges make on the axis, within a tenth of an octave of the feature.
bool edges_make(const OrbitMaterial& m, double f) {
  if (!m.geometry || !m.geometry->baffle) return false;
  for (const SubjectDriver& d : m.geometry->drivers) {
    const auto p = predict_diffraction(*m.geometry, d.id, m.distance_m, m.orbit.axis());
    if (!p) continue;
    for (const Departure& dip : departures(p->frequency_hz, p->level_db, 1.0))
      if (dip.level_db < 0.0 && std::abs(std::log2(dip.frequency_hz / f)) < 0.15) return true;
  }
  return false;
}

std::vector<LeftAlone> left_alone(const OrbitMaterial& m, const std::vector<double>& own,
                                  double low, double high) {
  const Orbit& orbit = m.orbit;
  const auto near_h = outstanding_at(orbit, Plane::kHorizontal, 10.0, 30.0);
  const auto wide_h = outstanding_at(orbit, Plane::kHorizontal, 40.0, 60.0);
  const auto near_v = outstanding_at(orbit, Plane::kVertical, 10.0, 30.0);
  std::vector<LeftAlone> alone;
  for (const Feature& f : features_of(orbit.axis(), own, low, high)) {
    double at = orbit.axis()[f.from];
    double most = 0.0;
    for (std::size_t i = f.from; i < f.to; ++i)
      if (std::abs(own[i]) > most) most = std::abs(own[i]), at = orbit.axis()[i];
    const double h = 0.5 * (shared(f, own, near_h) + shared(f, own, wide_h));
    const double v = shared(f, own, near_v);
    const char* what = f.height_db < 0.0 ? "dip" : "peak";
    const LeftAlone range{orbit.axis()[f.from], orbit.axis()[f.to - 1], {}};
    std::string reason;
    if (h < kShared && v < kShared && !near_v.empty())
      reason = f.height_db < 0.0 && edges_make(m, at)
                   ? "the cabinet's edges make this dip, and other angles do not have it"
                   : fmt::format(
                         "this {} changes with the angle: interference, not the driver's "
                         "response",
                         what);
    else if (h < kShared)
      reason = f.height_db < 0.0 && edges_make(m, at)
                   ? "the cabinet's edges make this dip, and the sides do not have it"
                   : fmt::format("this {} is not there at the sides", what);
    else if (v < kShared && !near_v.empty())
      reason = fmt::format("this {} stands in the horizontal plane only", what);
    if (reason.empty()) continue;
    alone.push_back({range.low_hz, range.high_hz, std::move(reason)});
  }
  return alone;
}

double level_at(const std::vector<std::pair<double, double>>& points, double f) {
  if (f <= points.front().first) return points.front().second;
  for (std::size_t i = 1; i < points.size(); ++i) {
    if (f > points[i].first) continue;
    const double t =
        std::log(f / points[i - 1].first) / std::log(points[i].first / points[i - 1].first);
    return points[i - 1].second + t * (points[i].second - points[i - 1].second);
  }
  return points.back().second;
}

/// Mean dB over log f from 300 Hz to 3 kHz.
double middle_of(const Orbit& orbit, const std::vector<double>& level) {
  const auto mean = mean_level_db(of_levels(orbit.axis(), level, {0.0, 1e12}), 300.0, 3000.0);
  if (mean) return *mean;
  double sum = 0.0;
  for (const double v : level) sum += v;
  return sum / static_cast<double>(level.size());
}

}  // namespace

std::optional<EqualiseFor> equalise_for(std::string_view word) {
  if (word == "on-axis") return EqualiseFor::kOnAxis;
  if (word == "listening-window") return EqualiseFor::kListeningWindow;
  if (word == "predicted-in-room") return EqualiseFor::kPredictedInRoom;
  return std::nullopt;
}

Result<EqualiseAdvice> equalise_advice(const OrbitMaterial& m, const EqualiseWish& wish,
                                       const std::string& where) {
  const Orbit& orbit = m.orbit;
  const Spinorama spin = spinorama(orbit);
  const std::vector<double>& level = wish.of == EqualiseFor::kOnAxis ? spin.on_axis_db
                                     : wish.of == EqualiseFor::kListeningWindow
                                         ? spin.listening_window_db
                                         : spin.predicted_in_room_db;
  if (level.empty())
    return bad_input(wish.of == EqualiseFor::kOnAxis
                         ? "There is no response at 0°."
                         : "An angle that this curve needs is missing (--for on-axis needs one; "
                           "--mirror takes one side for the other).",
                     where);
  EqualiseAdvice out;
  out.before_db = level;
  const double middle = middle_of(orbit, level);
  const Response curve = of_levels(orbit.axis(), level, orbit.valid());
  const double valid_from = std::max(orbit.axis().front(), orbit.valid().low_hz);
  double from = valid_from;
  if (const auto f3 = fall_off_hz(level_run(curve, 12), middle, 3.0, 0.1))
    from = std::max(from, f3->value);
  out.from_hz = wish.from_hz.value_or(from);
  out.to_hz = std::min({wish.to_hz.value_or(16000.0), orbit.axis().back(), orbit.valid().high_hz});
  if (!(out.to_hz > 2.0 * out.from_hz))
    return bad_input(fmt::format("From {} to {} there is less than an octave to mend.",
                                 frequency_text(out.from_hz), frequency_text(out.to_hz)),
                     where);
  const auto trend = trend_of(orbit.axis(), level, std::max(out.from_hz, 100.0), out.to_hz);
  const double told_middle = [&] {
    if (wish.target.empty()) return 0.0;
    std::vector<double> told;
    for (const double f : orbit.axis().hz()) told.push_back(level_at(wish.target, f));
    return middle_of(orbit, told);
  }();
  for (const double f : orbit.axis().hz()) {
    if (!wish.target.empty())
      out.target_db.push_back(level_at(wish.target, f) - told_middle + middle);
    else if (wish.slope && trend)
      out.target_db.push_back(trend->level_at_1k_db +
                              trend->slope_db_per_octave * std::log2(f / 1000.0));
    else
      out.target_db.push_back(middle);
  }
  out.refused = left_alone(m, outstanding(curve), out.from_hz, out.to_hz);
  EqualiseLimits limits{.from_hz = out.from_hz,
                        .to_hz = out.to_hz,
                        .filters = wish.filters,
                        .max_boost_db = wish.max_boost_db,
                        .sample_rate_hz = wish.sample_rate_hz};
  out.equalisation = equalised(orbit.axis(), level, out.target_db, out.refused, limits);
  if (out.from_hz > orbit.axis().front() * 1.05) {
    LeftAlone below{orbit.axis().front(), out.from_hz, {}};
    below.reason = std::string(out.from_hz > valid_from * 1.01
                                   ? "below F3: lifting the roll-off drives the cone, not the level"
                                   : "below the gate's limit nothing is known");
    std::vector<LeftAlone> all;
    all.push_back(std::move(below));
    for (LeftAlone& one : out.refused) all.push_back(std::move(one));
    out.refused = std::move(all);
  }
  out.notes.emplace_back(
      "Distortion and excursion were not looked at: where they stand in the way, less boost "
      "still.");
  return out;
}

}  // namespace lalometer
