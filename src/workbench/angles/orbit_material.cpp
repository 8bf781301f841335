#include "workbench/angles/orbit_material.h"

#include <algorithm>
#include <cmath>

#include "base/constants.h"
#include "base/text.h"
#include "workbench/results/analysis.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

bool is_far(const ImportItem& item) {
  return item.curve && !item.calibration && is_measured(item.take) &&
         item.take.kind() == TakeKind::kResponse && condition_of(item.take) != "large-baffle" &&
         item.take.conditions.polarity_flipped.empty();
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

Response scaled(const Response& curve, double factor) {
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
  for (const ImportItem& item : source.items)
    if (item.variant_id == *variant && is_far(item) && item.take.conditions.driver == driver)
      chosen.far.push_back(&item);
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
std::optional<Bass> bass_of(const Chosen& chosen, const SubjectGeometry& geometry,
                            const ImportItem& axis_item, const Response& axis_curve,
                            const std::string& where, std::vector<std::string>& notes) {
  std::vector<Response> curves;
  curves.reserve(chosen.near.size());
  std::vector<NearTake> takes;
  for (const ImportItem* item : chosen.near) {
    Recipe recipe = usual_recipe(TakeRole::kNearField);
    recipe.smoothing = 0;
    curves.push_back(item->stage ? curve_stage(*item->stage, recipe).curve : *item->curve);
    takes.push_back({&item->take, &curves.back(),
                     item->stage ? item->stage->origin
                                 : TimeOrigin{.at_s = 0.0, .source = TimeOrigin::Source::kFile},
                     !item->stage || item->stage->calibrated});
  }
  auto near = near_fields_of(geometry, takes, where, {}, place_of(axis_item.take).distance_m);
  if (!near) {
    notes.push_back("The near fields do not carry the low end: " + near.error().message);
    return std::nullopt;
  }
  auto joined = joined_response(*near, {&axis_item.take, &axis_curve, true}, std::nullopt, where);
  if (!joined) {
    notes.push_back("The near fields do not carry the low end: " + joined.error().message);
    return std::nullopt;
  }
  return Bass{*std::move(near), *std::move(joined)};
}

}  // namespace

Result<OrbitMaterial> orbit_material(const ImportPreview& source, const OrbitWish& wish,
                                     const std::string& where) {
  std::vector<std::string> notes;
  const auto chosen = chosen_of(source, wish, where, notes);
  if (!chosen) return tl::unexpected(chosen.error());
  const auto off_axis = [](const ImportItem* item) {
    const Placement p = place_of(item->take);
    return std::abs(p.horizontal_deg) + std::abs(p.vertical_deg);
  };
  const ImportItem* lead = *std::min_element(
      chosen->far.begin(), chosen->far.end(),
      [&](const ImportItem* a, const ImportItem* b) { return off_axis(a) < off_axis(b); });
  const double drive = lead->take.conditions.drive_v;
  const double distance = place_of(lead->take).distance_m;
  const double c = speed_of_sound_m_s(lead->take.conditions.temperature_c);
  std::optional<SubjectGeometry> geometry;
  if (source.subject)
    if (auto drawn = geometry_of(source.subject->description, where)) geometry = *std::move(drawn);
  std::optional<Bass> bass;
  if (wish.extend && !chosen->near.empty() && geometry)
    bass = bass_of(*chosen, *geometry, *lead, *lead->curve, where, notes);
  std::vector<Orbit::Ray> rays[2];
  bool moved = false;
  bool calibrated = true;
  for (const ImportItem* item : chosen->far) {
    const Placement place = place_of(item->take);
    Response curve = *item->curve;
    if (bass) {
      const Extension e{bass->near,
                        *geometry,
                        bass->joined.joined_at_hz,
                        bass->joined.level_offset_db - 20.0 * std::log10(place.distance_m) +
                            20.0 * std::log10(item->take.conditions.drive_v / bass->near.drive_v),
                        bass->joined.overlap,
                        c};
      // The model's levels stand for 1 m and the near fields' drive; this take has its own.
      curve = extended(e, curve, place);
    }
    const double factor = drive / item->take.conditions.drive_v * place.distance_m / distance;
    moved = moved || factor != 1.0;
    calibrated = calibrated && (!item->stage || item->stage->calibrated);
    const bool vertical = place.vertical_deg != 0.0;
    rays[vertical ? 1 : 0].push_back(
        {vertical ? place.vertical_deg : place.horizontal_deg, scaled(curve, factor), false});
  }
  if (moved)
    notes.push_back(fmt::format("Takes of another drive or distance were brought to {} V and {} m.",
                                three_digits(drive), three_digits(distance)));
  auto orbit = Orbit::make(std::move(rays[0]), std::move(rays[1]));
  if (!orbit) return tl::unexpected(Error{orbit.error().code, orbit.error().message, where});
  for (const std::string& text : angle_suspicions(*orbit)) notes.push_back(text);
  OrbitMaterial out{.orbit = wish.mirror ? orbit->mirrored() : *std::move(orbit),
                    .drive_v = drive,
                    .distance_m = distance,
                    .speed_of_sound_m_s = c,
                    .calibrated = calibrated,
                    .geometry = geometry,
                    .notes = std::move(notes)};
  out.valid_from_hz = std::max(out.orbit.valid().low_hz, out.orbit.axis().front());
  if (bass) {
    out.extended_below_hz = bass->joined.joined_at_hz;
    out.notes.push_back(
        fmt::format("Below {} the near fields carry all angles, with the directivity that the "
                    "cabinet's size makes: what rests on it is no measurement off the axis.",
                    frequency_text(bass->joined.joined_at_hz)));
  }
  return out;
}

}  // namespace lalometer
