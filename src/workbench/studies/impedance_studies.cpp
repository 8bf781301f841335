#include "workbench/studies/impedance_studies.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/constants.h"
#include "base/text.h"
#include "book/description/driver_parameters.h"
#include "workbench/level/distortion_study.h"
#include "workbench/studies/series_material.h"

namespace lalometer {
namespace {

/// Rounded to what the uncertainty lets mean something: a drawing is read by people.
double sensible(const Estimate& e, double scale) {
  const double value = e.value * scale;
  if (value == 0.0) return 0.0;
  const double step = std::pow(
      10.0, std::floor(std::log10(std::max(e.half_width * scale, std::abs(value) * 1e-4))) - 1.0);
  return std::round(value / step) * step;
}

Series plain_series(const Response& z, const std::string& label, int style) {
  Series s;
  s.label = label;
  s.style = style;
  for (std::size_t i = 0; i < z.size(); ++i) {
    s.x.push_back(z.axis()[i]);
    s.y.push_back(z.magnitude(i));
  }
  s.valid_low = z.valid().low_hz;
  s.valid_high = z.valid().high_hz;
  return s;
}

}  // namespace

std::string DriverGroup::name() const {
  std::string text = driver.empty() ? "driver" : driver;
  if (!sample.empty()) text += " " + sample;
  return text;
}

std::vector<DriverGroup> driver_groups(const std::vector<Take>& takes, Id subject) {
  std::vector<DriverGroup> all;
  for (const Take& t : takes) {
    const Conditions& c = t.conditions;
    const std::string condition = condition_of(t);
    const bool free_air = condition == "free-air";
    const bool second = condition == "added-mass" || condition == "test-box";
    if (t.subject_id != subject || t.kind() != TakeKind::kImpedance || !t.accepted) continue;
    if (!free_air && !second) continue;
    auto found = std::find_if(all.begin(), all.end(), [&](const DriverGroup& g) {
      return g.driver == c.driver && g.sample == c.sample;
    });
    if (found == all.end()) found = all.insert(all.end(), DriverGroup{c.driver, c.sample, {}, {}});
    (free_air ? found->free_air : found->second).push_back(t);
  }
  std::erase_if(all, [](const DriverGroup& g) { return g.free_air.empty(); });
  return all;
}

CurveSource book_curves(const std::filesystem::path& book,
                        std::vector<std::pair<Id, RigCalibration>> rigs, Recipe recipe) {
  return [book, rigs = std::move(rigs), recipe](const Take& take) -> Result<TakenCurve> {
    auto raw = Book::read_raw(book, take.raw_hash);
    if (!raw) return tl::unexpected(raw.error());
    RigCalibration rig;
    for (const auto& [id, calibration] : rigs) {
      if (id == take.rig_id) rig = calibration;
    }
    const Placement place = place_of(take);
    const bool alone = !take.conditions.driver.empty() && take.kind() == TakeKind::kResponse &&
                       place.horizontal_deg == 0.0 && place.vertical_deg == 0.0;
    std::optional<double> clean;
    if (alone && holds_sweep(take))
      if (const auto stage = impulse_stage({take, *raw, rig, recipe}, {}))
        clean = clean_from_hz(take, *stage);
    return analysed({take, std::move(*raw), rig, recipe}).map([&](Analysis&& a) {
      return TakenCurve{std::move(a.curve), rig.impedance_uncertainty_percent, clean};
    });
  };
}

LaneContent residual_lane(const Response& measured, const FittedImpedance& motor,
                          const std::vector<Wiggle>& wiggles) {
  LaneContent lane;
  lane.title = "Left over by the model";
  lane.left.unit = "%";
  Series s;
  double highest = 1.0;
  for (std::size_t i = 0; i < measured.size(); ++i) {
    const double f = measured.axis()[i];
    const auto model = motor.at(f);
    const double off = measured.has_phase()
                           ? std::abs(measured.value(i) - model) / std::abs(model)
                           : std::abs(measured.magnitude(i) / std::abs(model) - 1.0);
    s.x.push_back(f);
    s.y.push_back(100.0 * off);
    if (f > 10.0 && f < 5000.0) highest = std::max(highest, 100.0 * off);
  }
  lane.add_curves().push_back(std::move(s));
  lane.left.low = 0.0;
  lane.left.high = std::min(40.0, std::ceil(1.1 * highest));
  auto& marks = lane.layer<MarkLayer>().marks;
  for (const Wiggle& w : wiggles)
    marks.push_back({frequency_text(w.frequency_hz.value),
                     fmt::format("A secondary resonance, {:.1f} % high, Q {}.", w.height_percent,
                                 three_digits(w.q)),
                     0, w.frequency_hz.value, w.frequency_hz.value});
  std::sort(marks.begin(), marks.end(),
            [](const LaneMark& a, const LaneMark& b) { return a.low_hz < b.low_hz; });
  return lane;
}

Result<DriverStudy> study_driver(const DriverGroup& group, const CurveSource& curves, double sd_m2,
                                 std::optional<double> re_ohm, std::stop_token stop) {
  if (group.free_air.empty()) return bad_input("No take in free air.", group.name());
  std::vector<ThieleSmall> all;
  std::optional<DriverStudy> study;
  for (std::size_t i = 0; i < group.free_air.size(); ++i) {
    if (stop.stop_requested()) return cancelled();
    const Take& take = group.free_air[i];
    const auto z = curves(take);
    if (!z) return tl::unexpected(z.error());
    auto fit =
        fit_driver(z->curve, {.re_ohm = re_ohm, .calibration_percent = z->calibration_percent});
    if (!fit) return bad_input(fit.error().message, take.name);
    ThieleSmall t = electrical_parameters(*fit);
    if (sd_m2 > 0.0 && !group.second.empty()) {
      const Take& other = group.second[std::min(i, group.second.size() - 1)];
      const auto second = curves(other);
      if (!second) return tl::unexpected(second.error());
      const auto& setup = std::get<ImpedanceSetup>(other.setup);
      const bool box = setup.condition == "test-box";
      auto other_fit =
          fit_driver(second->curve, {.re_ohm = re_ohm,
                                     .in_closed_box = box,
                                     .calibration_percent = second->calibration_percent});
      if (!other_fit) return bad_input(other_fit.error().message, other.name);
      const double mass_kg = setup.added_mass_g * 1e-3;
      const double volume_m3 = setup.test_box_l * 1e-3;
      if (!(box ? volume_m3 > 0.0 : mass_kg > 0.0)) {
        return bad_input(box ? "The take does not tell the test box's volume."
                             : "The take does not tell the added mass.",
                         other.name);
      }
      auto whole = box ? thiele_small(*fit, sd_m2, {}, TestBox{std::move(*other_fit), volume_m3})
                       : thiele_small(*fit, sd_m2, AddedMass{std::move(*other_fit), mass_kg});
      if (!whole) return bad_input(whole.error().message, other.name);
      t = std::move(*whole);
    }
    all.push_back(std::move(t));
    if (!study) {
      const Response& curve = z->curve;
      WiggleSearch search;
      search.low_hz = 0.5 * fit->fs_hz.value;
      search.humps = {0.5 * fit->fs_hz.value, 1.6 * fit->fs_hz.value};
      search.model_to_hz = fit->fitted_to_hz;
      auto wiggles = find_wiggles(curve, &fit->motor, search);
      auto lane = residual_lane(curve, fit->motor, wiggles);
      const auto points = closed_signature(curve, fit->re_ohm.value);
      study =
          DriverStudy{all.front(), std::move(*fit), points, std::move(wiggles), std::move(lane), 1};
    }
  }
  study->repeats = all.size();
  study->parameters = mean_of_repeats(all);
  if (group.second.empty())
    study->parameters.notes.emplace_back(
        "Vas, Mms and Bl need a second take: with a known mass on the cone, or in a known box.");
  else if (!(sd_m2 > 0.0))
    study->parameters.notes.emplace_back("Vas, Mms and Bl need the radiating area Sd.");
  return std::move(*study);
}

Quoted sheet_of(const Description& description, const std::string& driver) {
  const DescribedDriver* told = description.driver(driver);
  if (told == nullptr) return {};
  const DriverFigures& f = told->sheet;
  return {.re_ohm = f.re_ohm,
          .fs_hz = f.fs_hz,
          .qms = f.qms,
          .qes = f.qes,
          .qts = f.qts,
          .vas_l = f.vas_l,
          .mms_g = f.mms_g,
          .bl_tm = f.bl_tm,
          .le_mh = f.le_mh,
          .sensitivity_db = f.sensitivity_db_2v83_1m};
}

Description with_sheet_value(Description description, const std::string& driver,
                             const std::string& key, std::optional<double> value) {
  if (const auto figure = figure_named(key)) description.driver_made(driver).sheet.*figure = value;
  return description;
}

double sd_of(const Description& description, const std::string& driver) {
  const DescribedDriver* told = description.driver(driver);
  return told == nullptr ? 0.0 : described_area_m2(*told);
}

std::optional<double> radiator_mass_of(const Description& description) {
  for (const DescribedRadiator& one : description.passive_radiators) {
    if (one.moving_mass_g.value_or(0.0) > 0.0) return *one.moving_mass_g * 1e-3;
  }
  return std::nullopt;
}

Description with_parameters(Description description, const std::string& driver,
                            const ThieleSmall& t, double sd_m2) {
  DescribedDriver& told = description.driver_made(driver);
  told.figures.re_ohm = sensible(t.re_ohm, 1.0);
  told.figures.fs_hz = sensible(t.fs_hz, 1.0);
  told.figures.qms = sensible(t.qms, 1.0);
  told.figures.qes = sensible(t.qes, 1.0);
  told.figures.le_mh = sensible(t.le_h, 1e3);
  if (t.vas_m3) told.figures.vas_l = sensible(*t.vas_m3, 1e3);
  if (sd_m2 > 0.0) told.sd_cm2 = std::round(sd_m2 * 1e6) / 100.0;
  return description;
}

Result<SeriesStudy> study_series(const SeriesOptions& wish, const CurveSource& curves,
                                 std::stop_token stop, const Progress& progress,
                                 const Parallel& parallel) {
  std::vector<std::pair<const Take*, TakenCurve>> have;
  std::size_t done = 0;
  for (const Take& take : wish.takes) {
    if (stop.stop_requested()) return cancelled();
    if (progress)
      progress(static_cast<double>(done++) / static_cast<double>(wish.takes.size() + 1));
    const Placement place = place_of(take);
    const bool on_axis = place.horizontal_deg == 0.0 && place.vertical_deg == 0.0;
    const bool read =
        take.kind() == TakeKind::kImpedance || (take.kind() == TakeKind::kResponse && on_axis);
    if (take.subject_id != wish.subject || !take.accepted || !read || !has_curve(take)) continue;
    auto curve = curves(take);
    if (!curve) return tl::unexpected(curve.error());
    have.emplace_back(&take, std::move(*curve));
  }
  std::vector<CurveOfTake> material;
  for (const auto& [take, taken] : have) {
    std::string id;
    std::string name;
    std::string changed;
    if (wish.by_sample) {
      id = name = take->conditions.sample;
    } else {
      for (const Variant& variant : wish.variants) {
        if (variant.id != take->variant_id) continue;
        name = variant.name;
        changed = variant.changed;
      }
      id = std::to_string(take->variant_id);
    }
    material.push_back({take, &taken.curve, id, name, taken.calibration_percent, changed});
  }
  const SeriesMaterial members = series_material(material, wish.loading);
  if (members.members.size() < 2) {
    return bad_input(wish.by_sample
                         ? "Fewer than two samples have takes. Tell the sample when taking: A, B…"
                         : "Fewer than two variants have takes that can be compared.");
  }
  SeriesStudy study;
  study.role = members.role;
  study.comparison = compared(members.members, members.role,
                              {.free_air = members.free_air ? &*members.free_air : nullptr,
                               .aims = wish.aims,
                               .stop = stop,
                               .parallel = parallel});
  if (stop.stop_requested()) return cancelled();
  study.factors = factor_tables(study.comparison, members.members);
  for (const std::string& note : members.notes) study.comparison.notes.push_back(note);
  study.overlay.title = "All over each other";
  study.overlay.left.unit = "ohm";
  double highest = 10.0;
  int style = 0;
  for (const ComparedMember& m : members.members) {
    study.impedances.push_back(m.impedances.empty() ? std::nullopt
                                                    : std::optional(m.impedances.front()));
    if (!m.impedances.empty()) {
      study.overlay.add_curves().push_back(plain_series(m.impedances.front(), m.name, style));
      for (const double y : study.overlay.curves().back().y) highest = std::max(highest, y);
    }
    ++style;
  }
  study.overlay.left.low = 0.0;
  study.overlay.left.high = std::ceil(1.08 * std::min(highest, 300.0) / 5.0) * 5.0;
  return study;
}

}  // namespace lalometer
