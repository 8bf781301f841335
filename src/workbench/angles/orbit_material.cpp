#include "workbench/angles/orbit_material.h"

#include <algorithm>
#include <cmath>

#include "base/constants.h"
#include "base/text.h"
#include "workbench/bass/join_study.h"
#include "workbench/results/analysis.h"
#include "workbench/sharing/sources.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

bool is_far(const ImportItem& item) {
  return item.curve && !item.calibration && is_of_an_orbit(item.take);
}

/// The variant that is asked for, else the only one that has responses.
Result<std::string> variant_of(const ImportPreview& source, const std::string& wanted,
                               const std::string& where) {
  std::vector<std::string> with;
  for (const ImportItem& item : source.items)
    if (is_far(item) && std::find(with.begin(), with.end(), item.variant_id) == with.end())
      with.push_back(item.variant_id);
  for (const auto& [id, variant] : source.variants)
    if (!wanted.empty() && (id == wanted || variant.name == wanted)) return id;
  std::string names;
  for (const std::string& id : with) names += (names.empty() ? "\"" : ", \"") + id + "\"";
  if (!wanted.empty()) return bad_input(fmt::format("There is no variant \"{}\".", wanted), where);
  if (with.size() > 1)
    return bad_input(
        fmt::format("Responses of several variants are here: say --variant ({}).", names), where);
  return with.empty() ? std::string() : with.front();
}

Response scaled(Response curve, double factor) {
  if (factor == 1.0) return curve;
  std::vector<Complex> values = curve.values();
  for (Complex& v : values) v *= factor;
  return Response::make(curve.axis(), std::move(values), curve.quantity(), curve.valid(),
                        curve.has_phase())
      ->with_spread(curve.spread());
}

struct Chosen {
  std::vector<const ImportItem*> far;
  std::vector<const ImportItem*> near;
  std::vector<const ImportItem*> alone;
};

Result<Chosen> chosen_of(const ImportPreview& source, const OrbitWish& wish,
                         const std::string& where, std::vector<std::string>& notes) {
  const auto variant = variant_of(source, wish.variant, where);
  if (!variant) return tl::unexpected(variant.error());
  Chosen chosen;
  std::vector<std::string> drivers;
  bool whole = false;
  for (const ImportItem& item : source.items) {
    if (item.variant_id != *variant) continue;
    if (item.curve && item.take.kind() == TakeKind::kNearField) chosen.near.push_back(&item);
    if (!is_far(item)) continue;
    const std::string& driver = item.take.conditions.driver;
    whole = whole || driver.empty();
    if (std::find(drivers.begin(), drivers.end(), driver) == drivers.end())
      drivers.push_back(driver);
  }
  std::string driver = wish.driver;
  if (driver.empty() && !whole && drivers.size() == 1) {
    driver = drivers.front();
    notes.push_back(fmt::format("Only {} was playing.", driver));
  } else if (driver.empty() && !whole && drivers.size() > 1) {
    return bad_input("All responses are of single drivers: say --driver.", where);
  }
  for (const ImportItem& item : source.items) {
    if (item.variant_id != *variant || !is_far(item)) continue;
    if (item.take.conditions.driver == driver) chosen.far.push_back(&item);
    if (is_driver_alone_ahead(item.take)) chosen.alone.push_back(&item);
  }
  if (chosen.far.empty()) {
    if (!source.problems.empty() && source.items.empty())
      return tl::unexpected(source.problems.front());
    return bad_input("No response at any angle was found here.", where);
  }
  return chosen;
}

/// Near fields below the gate at one angle: the model's level there, brought to this angle's own
/// far field where they meet, and further down to what the axis says: in the deep bass all angles
/// hear the same.
struct Extension {
  const NearFields& near;
  const SubjectGeometry& geometry;
  double joined_at_hz;
  double axis_offset_db;
  ValidRange overlap;
  double c;
};

Response extended(const Extension& e, const Response& far, const Placement& place) {
  const auto model = full_space_at(e.near, e.geometry, place, e.c);
  const Response source = model ? *model : e.near.half_space;
  const auto level = [](Complex v) { return 20.0 * std::log10(std::max(std::abs(v), 1e-30)); };
  double own = 0.0;
  double count = 0.0;
  Complex turn = 0.0;
  for (std::size_t i = 0; i < far.size(); ++i) {
    const double f = far.axis()[i];
    if (f < e.overlap.low_hz || f > e.overlap.high_hz) continue;
    const Complex near = value_at(source, f);
    own += level(far.value(i)) - level(near);
    count += 1.0;
    if (f < e.joined_at_hz * 1.2) turn += far.value(i) / near / std::abs(far.value(i) / near);
  }
  if (count == 0.0) return far;
  own /= count;
  const bool phased = far.has_phase();
  const double sign = phased && turn.real() < 0.0 ? -1.0 : 1.0;
  std::vector<double> hz;
  std::vector<Complex> values;
  const double half = std::exp2(0.25);
  const FrequencyAxis below =
      FrequencyAxis::logarithmic(source.axis().front(), e.joined_at_hz * half, 48.0);
  const auto near_at = [&](double f) {
    // From the axis' offset an octave under the overlap to its own within it.
    const double t = std::clamp(std::log2(f / (0.5 * e.overlap.low_hz)), 0.0, 1.0);
    const double offset = e.axis_offset_db + t * (own - e.axis_offset_db);
    return sign * value_at(source, f) * std::pow(10.0, offset / 20.0);
  };
  for (const double f : below.hz()) {
    if (f >= e.joined_at_hz / half || f >= far.axis().back()) break;
    hz.push_back(f);
    values.push_back(near_at(f));
  }
  for (std::size_t i = 0; i < far.size(); ++i) {
    const double f = far.axis()[i];
    if (f < e.joined_at_hz / half || (!hz.empty() && f <= hz.back() * 1.0001)) continue;
    Complex v = far.value(i);
    if (f < e.joined_at_hz * half) {
      const double t = std::log(f * half / e.joined_at_hz) / std::log(half * half);
      const double share = 0.5 - 0.5 * std::cos(kPi * t);
      const Complex near = near_at(f);
      const double db = (1.0 - share) * level(near) + share * level(v);
      v = std::polar(std::pow(10.0, db / 20.0),
                     std::arg(near) + (phased ? share * std::arg(v / near) : 0.0));
    }
    hz.push_back(f);
    values.push_back(v);
  }
  const ValidRange valid{std::max(source.valid().low_hz, hz.front()), far.valid().high_hz};
  return *Response::make(*FrequencyAxis::make(std::move(hz)), std::move(values), far.quantity(),
                         valid, phased);
}

/// The near fields of the variant as `extended` needs them; a note where they do not carry.
struct Bass {
  NearFields near;
  JoinedResponse joined;
};
std::optional<Bass> bass_of(const std::vector<AngleTake>& near_takes,
                            const SubjectGeometry& geometry, const AngleTake& axis,
                            const std::string& where, std::vector<std::string>& notes) {
  std::vector<NearTake> takes;
  for (const AngleTake& one : near_takes)
    takes.push_back({one.take, one.curve, one.origin, one.calibrated});
  auto near = near_fields_of(geometry, takes, where, {}, place_of(*axis.take).distance_m);
  if (!near) {
    notes.push_back("The near fields do not carry the low end: " + near.error().message);
    return std::nullopt;
  }
  auto joined = joined_response(*near, {axis.take, axis.curve, true}, std::nullopt, where);
  if (!joined) {
    notes.push_back("The near fields do not carry the low end: " + joined.error().message);
    return std::nullopt;
  }
  return Bass{*std::move(near), *std::move(joined)};
}

/// Rays of both circles; what belongs to both counts once.
std::size_t count_of(const Orbit& orbit) {
  std::size_t count = orbit.rays(Plane::kHorizontal).size();
  for (const Orbit::Ray& ray : orbit.rays(Plane::kVertical))
    if (std::abs(ray.degrees) > 0.5 && ray.degrees < 179.5) ++count;
  return count;
}

bool is_vertical(const Placement& place) {
  return place.vertical_deg != 0.0;
}

/// The responses at their angles, brought to the drive and distance of the one that leads.
struct Rays {
  std::vector<Orbit::Ray> horizontal = {}, vertical = {};
  bool moved = false;
  bool calibrated = true;
};
double factor_to(const AngleTake& lead, const AngleTake& one) {
  return lead.take->conditions.drive_v / one.take->conditions.drive_v *
         place_of(*one.take).distance_m / place_of(*lead.take).distance_m;
}
Rays rays_of(const std::vector<AngleTake>& takes, const std::optional<Bass>& bass,
             const std::optional<SubjectGeometry>& geometry, const AngleTake& lead,
             const Parallel& parallel) {
  std::vector<std::optional<Orbit::Ray>> made(takes.size());
  parallel(made.size(), [&](std::size_t k) {
    const AngleTake& one = takes[k];
    const Placement place = place_of(*one.take);
    Response curve = *one.curve;
    if (bass) {
      const Extension e{bass->near,
                        *geometry,
                        bass->joined.joined_at_hz,
                        bass->joined.level_offset_db - 20.0 * std::log10(place.distance_m) +
                            20.0 * std::log10(one.take->conditions.drive_v / bass->near.drive_v),
                        bass->joined.overlap,
                        speed_of_sound_m_s(lead.take->conditions.temperature_c)};
      // The model's levels stand for 1 m and the near fields' drive; this take has its own.
      curve = extended(e, curve, place);
    }
    curve = scaled(std::move(curve), factor_to(lead, one));
    std::vector<double> level_db = levels_of(curve);
    made[k] = Orbit::Ray{is_vertical(place) ? place.vertical_deg : place.horizontal_deg,
                         std::move(curve), false, std::move(level_db)};
  });
  Rays rays;
  for (std::size_t k = 0; k < made.size(); ++k) {
    rays.moved = rays.moved || factor_to(lead, takes[k]) != 1.0;
    rays.calibrated = rays.calibrated && takes[k].calibrated;
    (is_vertical(place_of(*takes[k].take)) ? rays.vertical : rays.horizontal)
        .push_back(*std::move(made[k]));
  }
  return rays;
}

double off_axis_deg(const AngleTake& one) {
  const Placement p = place_of(*one.take);
  return std::abs(p.horizontal_deg) + std::abs(p.vertical_deg);
}

/// What sweeps straight ahead add: of the whole, and of each driver by itself.
void tell_strain(OrbitMaterial& out, const AngleTakes& takes) {
  for (const AngleTake& one : takes.far)
    if (one.distortion != nullptr && !out.strained) out.strained = strained_ranges(*one.distortion);
  for (const AngleTake& one : takes.alone) {
    if (one.distortion == nullptr) continue;
    const Threshold& t = one.distortion->three_percent;
    if (t.frequency_hz || t.why == Threshold::Why::kNeverOver)
      out.clean_from_hz.emplace_back(one.take->conditions.driver,
                                     t.frequency_hz ? t.frequency_hz->value : 0.0);
  }
}

/// The highest limit that lies above where its curve begins: a gate's, as far as a take tells.
double gated_from_hz(const std::vector<AngleTake>& far) {
  constexpr double kPlainly = 1.2;
  double limit = 0.0;
  for (const AngleTake& one : far) {
    const double low = one.curve->valid().low_hz;
    if (low > kPlainly * one.curve->axis().front()) limit = std::max(limit, low);
  }
  return limit;
}

}  // namespace

bool is_of_an_orbit(const Take& take) {
  return is_measured(take) && take.kind() == TakeKind::kResponse &&
         condition_of(take) != "large-baffle" && take.conditions.polarity_flipped.empty();
}

bool is_driver_alone_ahead(const Take& take) {
  const Placement p = place_of(take);
  return is_of_an_orbit(take) && !take.conditions.driver.empty() && p.horizontal_deg == 0.0 &&
         p.vertical_deg == 0.0;
}

bool tells_strain(const Take& take) {
  const Placement place = place_of(take);
  return holds_sweep(take) && place.horizontal_deg == 0.0 && place.vertical_deg == 0.0;
}

Result<OrbitMaterial> orbit_material(const AngleTakes& takes,
                                     const std::optional<SubjectGeometry>& geometry,
                                     const OrbitWish& wish, const std::string& where,
                                     std::vector<std::string> notes, const Parallel& parallel) {
  const AngleTake& lead = *std::min_element(
      takes.far.begin(), takes.far.end(),
      [](const AngleTake& a, const AngleTake& b) { return off_axis_deg(a) < off_axis_deg(b); });
  const double drive = lead.take->conditions.drive_v;
  const double distance = place_of(*lead.take).distance_m;
  const double c = speed_of_sound_m_s(lead.take->conditions.temperature_c);
  std::optional<Bass> bass;
  if (wish.extend && !takes.near.empty() && geometry)
    bass = bass_of(takes.near, *geometry, lead, where, notes);
  Rays far = rays_of(takes.far, bass, geometry, lead, parallel);
  if (far.moved)
    notes.push_back(fmt::format("Takes of another drive or distance were brought to {} V and {} m.",
                                three_digits(drive), three_digits(distance)));
  auto orbit = Orbit::make(std::move(far.horizontal), std::move(far.vertical));
  if (!orbit) return tl::unexpected(Error{orbit.error().code, orbit.error().message, where});
  if (const std::size_t counted = count_of(*orbit); counted < takes.far.size())
    notes.push_back(fmt::format("{} take{} of an angle that is there already: the first counts.",
                                takes.far.size() - counted,
                                takes.far.size() - counted == 1 ? "" : "s"));
  for (const std::string& text : angle_suspicions(*orbit, parallel)) notes.push_back(text);
  OrbitMaterial out{.orbit = wish.mirror ? orbit->mirrored() : *std::move(orbit),
                    .drive_v = drive,
                    .distance_m = distance,
                    .speed_of_sound_m_s = c,
                    .calibrated = far.calibrated,
                    .geometry = geometry,
                    .notes = std::move(notes)};
  out.valid_from_hz = std::max(out.orbit.valid().low_hz, out.orbit.axis().front());
  out.gated_from_hz = gated_from_hz(takes.far);
  for (const AngleTake& one : takes.alone) {
    if (!one.curve->has_phase() ||
        (!is_common_time(one.origin) && one.origin.source != TimeOrigin::Source::kFile))
      continue;
    out.alone.emplace_back(one.take->conditions.driver, scaled(*one.curve, factor_to(lead, one)));
  }
  tell_strain(out, takes);
  if (bass) {
    out.extended_below_hz = bass->joined.joined_at_hz;
    const bool sized = full_space_at(bass->near, *geometry, place_of(*lead.take), c).has_value();
    out.notes.push_back(fmt::format(
        "Below {} the near fields carry all angles, {}: what rests on it is no measurement off the "
        "axis.",
        frequency_text(bass->joined.joined_at_hz),
        sized ? "with the directivity that the cabinet's size makes"
              : "alike at each of them, for the cabinet's size is not told"));
  }
  return out;
}

Result<OrbitMaterial> orbit_material(const ImportPreview& source, const OrbitWish& wish,
                                     const std::string& where, const Parallel& parallel) {
  std::vector<std::string> notes;
  const auto chosen = chosen_of(source, wish, where, notes);
  if (!chosen) return tl::unexpected(chosen.error());
  const auto file = TimeOrigin{.at_s = 0.0, .source = TimeOrigin::Source::kFile};
  AngleTakes takes;
  for (const ImportItem* item : chosen->far)
    takes.far.push_back(
        {&item->take, &*item->curve, file, !item->stage || item->stage->calibrated});
  for (const ImportItem* item : chosen->alone)
    takes.alone.push_back(
        {&item->take, &*item->curve, item->stage ? item->stage->origin : file, true});
  Recipe recipe = usual_recipe(TakeRole::kNearField);
  recipe.smoothing = 0;
  std::vector<Response> near;
  near.reserve(chosen->near.size());
  for (const ImportItem* item : chosen->near) {
    near.push_back(item->stage ? curve_stage(*item->stage, recipe).curve : *item->curve);
    takes.near.push_back({&item->take, &near.back(), item->stage ? item->stage->origin : file,
                          !item->stage || item->stage->calibrated});
  }
  std::optional<SubjectGeometry> geometry;
  if (source.subject)
    if (auto drawn = geometry_of(source.subject->description, where)) geometry = *std::move(drawn);
  // References to them stay good.
  std::vector<DistortionReading> read;
  read.reserve(chosen->far.size() + chosen->alone.size());
  const auto hear = [&](const std::vector<const ImportItem*>& items, std::vector<AngleTake>& to) {
    for (std::size_t i = 0; i < items.size(); ++i) {
      if (!items[i]->stage || !tells_strain(items[i]->take)) continue;
      auto distortion = distortion_reading(items[i]->take, *items[i]->stage);
      if (distortion) to[i].distortion = &read.emplace_back(*std::move(distortion));
    }
  };
  hear(chosen->far, takes.far);
  hear(chosen->alone, takes.alone);
  return orbit_material(takes, geometry, wish, where, std::move(notes), parallel);
}

}  // namespace lalometer
