#include "workbench/taking/plan/measuring_plan.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/hash.h"
#include "base/text.h"

namespace lalometer {
namespace {

/// A cone's own near field (D. Keele, J. Audio Eng. Soc. 22 (1974) 154): the microphone as near as
/// it may come without being touched.
constexpr double kNear_m = 0.006;

/// Makes the takes of one plan.
class Maker {
 public:
  Maker(const Subject& subject, const SubjectGeometry& geometry, const PlanOptions& wishes,
        MeasuringPlan& plan)
      : subject_(subject), geometry_(geometry), wishes_(wishes), plan_(plan) {}

  void at(Id variant, std::string sample = {}, std::string suffix = {}) {
    variant_ = variant;
    sample_ = std::move(sample);
    suffix_ = std::move(suffix);
  }

  TakeRequest& add(TakeKind kind, const std::string& id, const std::string& name,
                   std::string instruction) {
    PlannedTake take;
    take.id = id + suffix_;
    TakeRequest& r = take.request;
    r.kind = kind;
    r.driver = subject_.kind;
    r.name = sample_.empty() ? name : name + ", " + sample_;
    r.sample = sample_;
    r.sample_rate_hz = wishes_.sample_rate_hz;
    r.distance_m = wishes_.distance_m;
    r.drive_v = wishes_.drive_v;
    r.repeats = wishes_.repeats;
    r.gate_s = wishes_.gate_ms / 1e3;
    r.subject_id = subject_.id;
    r.variant_id = variant_;
    take.instruction = std::move(instruction);
    plan_.takes.push_back(std::move(take));
    return plan_.takes.back().request;
  }

  TakeRequest& impedance(const std::string& id, const std::string& name,
                         const std::string& condition, const std::string& instruction) {
    TakeRequest& r = add(TakeKind::kImpedance, id, name, instruction);
    r.condition = condition;
    r.start_hz = 5.0;
    r.duration_s = 2.7;
    r.drive_v = std::min(1.0, wishes_.drive_v);
    r.gate_s = 0.0;
    return r;
  }

  TakeRequest& response(double angle_deg, bool vertical, const std::string& instruction) {
    const std::string sign = angle_deg < 0.0 ? "-" : "";
    const std::string id =
        fmt::format("{}{}{:03.0f}", vertical ? "v" : "h", sign, std::abs(angle_deg));
    const std::string name = angle_deg == 0.0
                                 ? "On axis"
                                 : fmt::format("{}° {}", shortest(std::abs(angle_deg)),
                                               vertical ? (angle_deg > 0.0 ? "up" : "down")
                                                        : (angle_deg > 0.0 ? "right" : "left"));
    TakeRequest& r = add(TakeKind::kResponse, id, name, instruction);
    (vertical ? r.vertical_deg : r.horizontal_deg) = angle_deg;
    return r;
  }

  void near_field(const std::string& source, SubjectKind kind, const std::string& what) {
    TakeRequest& r =
        add(TakeKind::kNearField, "near-" + source, fmt::format("Near field, {}", what),
            fmt::format("Microphone to the middle of the {}, about {:.0f} mm away, and "
                        "square to it. It must not touch.",
                        what, kNear_m * 1e3));
    r.source = source;
    r.driver = kind;
    r.distance_m = kNear_m;
    r.gate_s = 0.0;
    // The near field is loud: a tenth of the drive leaves the microphone's preamplifier room.
    r.drive_v = std::min(0.5, wishes_.drive_v);
  }

  bool near_fields() {
    std::size_t count = 0;
    for (const SubjectDriver& driver : geometry_.drivers) {
      if (driver.role == "tweeter" || driver.role == "compression-driver") continue;
      near_field(driver.id, subject_kind_of(driver.role).value_or(SubjectKind::kWoofer), driver.id);
      ++count;
    }
    for (const SubjectPort& port : geometry_.ports) {
      near_field(port.id, subject_.kind, port.id + (port.id == "port" ? "" : " (port)"));
      ++count;
    }
    return count > 0;
  }

  void orbit(bool vertical, double step) {
    // From the axis outward to the right and behind, then the other half: no angle twice, and the
    // table turns one way for each half.
    for (double a = vertical ? step : 0.0; a <= 180.0 + 1e-9; a += step) {
      if (vertical && std::abs(a - 180.0) < 1e-9) continue;
      response(a, vertical, first_of_orbit(vertical, a, step));
    }
    for (double a = -step; a > -180.0 + 1e-9; a -= step) response(a, vertical, {});
  }

 private:
  std::string first_of_orbit(bool vertical, double angle, double step) const {
    if (vertical && angle == step)
      return "Lay the loudspeaker on its side on the table, its top to the left as the microphone "
             "sees "
             "it, the middle of its baffle over the table's axis.";
    if (angle == 0.0)
      return fmt::format(
          "Middle of the baffle over the table's axis, microphone on the 0° axis, {} m away.",
          shortest(wishes_.distance_m));
    return {};
  }

  const Subject& subject_;
  const SubjectGeometry& geometry_;
  const PlanOptions& wishes_;
  MeasuringPlan& plan_;
  Id variant_ = 0;
  std::string sample_;
  std::string suffix_;
};

const char* kOnAxis = "Microphone on the 0° axis, at the distance told.";

Result<void> fill_orbits(Maker& make, bool full_set, Id variant, const PlanOptions& w) {
  const double step = full_set ? 10.0 : w.step_deg;
  if (!(step >= 1.0) || std::abs(std::remainder(180.0, step)) > 1e-9)
    return bad_input(fmt::format("Steps of {}° do not come back to 180°.", shortest(step)));
  make.at(variant);
  if (full_set || !w.vertical) make.orbit(false, step);
  if (full_set) {
    make.orbit(true, step);
  } else if (w.vertical) {
    make.response(0.0, false, kOnAxis);
    make.orbit(true, step);
    make.response(180.0, true, {});
  }
  return {};
}

Result<void> fill_levels(Maker& make, Id variant, const PlanOptions& w) {
  make.at(variant);
  std::vector<double> levels = w.levels_v;
  std::sort(levels.begin(), levels.end());
  if (levels.empty()) return bad_input("No level is told.");
  for (const double v : levels) {
    TakeRequest& r = make.response(0.0, false, v == levels.front() ? kOnAxis : "");
    r.name = fmt::format("On axis, {} V", three_digits(v));
    r.drive_v = v;
    r.duration_s = 2.7;
  }
  return {};
}

Result<void> fill_comparison(Maker& make, const std::vector<Variant>& variants,
                             const PlanOptions& w) {
  std::vector<Id> compared = w.variants;
  if (compared.empty())
    for (const Variant& v : variants) compared.push_back(v.id);
  for (const Id id : compared) {
    const auto variant = std::find_if(variants.begin(), variants.end(),
                                      [&](const Variant& v) { return v.id == id; });
    const std::string state = variant == variants.end() ? "" : variant->name;
    make.at(id, {}, fmt::format("-{}", id));
    make.impedance("z-box", "Impedance in box", "in-box",
                   fmt::format("Bring the loudspeaker into the state “{}”; jig connected.", state));
    make.response(0.0, false, kOnAxis);
    // Put back and taken again: less than this differs by is no difference.
    make.response(0.0, false, "Take the microphone away and put it back: the repeat error.").name =
        "On axis, put back";
    make.near_fields();
  }
  return {};
}

Result<void> fill(Maker& make, Purpose purpose, const std::vector<Variant>& variants,
                  const PlanOptions& w) {
  const Id first = w.variants.empty() ? variants.front().id : w.variants.front();
  std::vector<std::string> samples = w.samples;
  if (samples.empty()) samples.emplace_back();
  const auto each_sample = [&](const auto& work) {
    for (const std::string& sample : samples) {
      make.at(first, sample, sample.empty() ? "" : "-" + sample);
      work();
    }
  };
  switch (purpose) {
    case Purpose::kDriverCheck:
      each_sample([&] {
        make.impedance(
            "z-free", "Impedance, free air", "free-air",
            "Driver free in the air, upright, nothing near its cone or vent; jig connected.");
        make.response(0.0, false, "Driver in its baffle, microphone on its axis.");
      });
      return {};
    case Purpose::kParameters:
      each_sample([&] {
        make.impedance(
            "z-free", "Impedance, free air", "free-air",
            "Driver free in the air, upright, nothing near its cone or vent; jig connected.");
        if (w.test_box_l > 0.0) {
          make.impedance("z-box", "Impedance, test box", "test-box",
                         fmt::format("Driver on the test box of {} l, sealed all round.",
                                     shortest(w.test_box_l)))
              .test_box_l = w.test_box_l;
        } else {
          make.impedance("z-mass", "Impedance, added mass", "added-mass",
                         fmt::format("{} g in a ring on the cone, near the coil; it must not buzz.",
                                     shortest(w.added_mass_g)))
              .added_mass_g = w.added_mass_g;
        }
      });
      return {};
    case Purpose::kBoxCheck:
      make.at(first);
      make.impedance("z-box", "Impedance in box", "in-box", "Jig on the loudspeaker's terminals.");
      if (!make.near_fields())
        return bad_input("The drawing names no cone or port to hold a microphone to.");
      return {};
    case Purpose::kQuickSet:
      make.at(first);
      for (const double a : {0.0, 15.0, 30.0, 45.0, 60.0})
        make.response(a, false, a == 0.0 ? kOnAxis : "");
      return {};
    case Purpose::kOrbit:
    case Purpose::kFullSet:
      return fill_orbits(make, purpose == Purpose::kFullSet, first, w);
    case Purpose::kLevels:
      return fill_levels(make, first, w);
    case Purpose::kDecay: {
      make.at(first);
      TakeRequest& r = make.response(0.0, false, kOnAxis);
      r.duration_s = 2.7;
      r.repeats = std::max(w.repeats, 2);
      make.near_fields();
      return {};
    }
    case Purpose::kComparison:
      return fill_comparison(make, variants, w);
    case Purpose::kListeningAxis:
      make.at(first);
      for (const double a : {0.0, 5.0, 10.0, 15.0, -5.0, -10.0, -15.0})
        make.response(a, a != 0.0,
                      a == 0.0 ? "Microphone on the 0° axis, at the listening distance." : "");
      for (const double a : {15.0, 30.0}) make.response(a, false, {});
      return {};
  }
  return {};
}

}  // namespace

const std::vector<PurposeText>& purposes() {
  static const std::vector<PurposeText> all = {
      {Purpose::kDriverCheck, "driver-check", "Check a driver",
       "Whether it is healthy, like its sheet, and like its brothers."},
      {Purpose::kParameters, "parameters", "Parameters of a driver",
       "fs, the Qs, Vas, moving mass and Bl, by an added mass or a test box."},
      {Purpose::kBoxCheck, "box-check", "Check a box",
       "Tuning, leaks, standing waves, and what cone and port each give."},
      {Purpose::kQuickSet, "quick-set", "Quick off-axis set",
       "How it changes to the side: 0, 15, 30, 45 and 60°."},
      {Purpose::kOrbit, "orbit", "One orbit", "How it radiates all around, in one plane."},
      {Purpose::kFullSet, "full-set", "All 70 angles",
       "Everything the spinorama needs: both planes in steps of 10°."},
      {Purpose::kLevels, "levels", "Distortion and compression",
       "What changes as it plays louder: harmonics, and level that is lost."},
      {Purpose::kDecay, "decay", "Decay", "What goes on sounding, and for how long."},
      {Purpose::kComparison, "comparison", "Compare variants",
       "Which state is better, and whether the difference is real."},
      {Purpose::kListeningAxis, "listening-axis", "Listening axis",
       "At which height and angle it should be heard."},
  };
  return all;
}

const PurposeText& text_of(Purpose purpose) {
  return *std::find_if(purposes().begin(), purposes().end(),
                       [&](const PurposeText& t) { return t.purpose == purpose; });
}

Result<MeasuringPlan> plan_for(Purpose purpose, const Subject& subject,
                               const std::vector<Variant>& variants, const PlanOptions& wishes) {
  if (variants.empty()) return bad_input("The subject has no variant to measure.", subject.name);
  if (!(wishes.distance_m > 0.0)) return bad_input("The distance must be above 0.", subject.name);
  const auto geometry = geometry_of(subject.description, subject.name);
  if (!geometry) return tl::unexpected(geometry.error());
  MeasuringPlan plan;
  plan.purpose = purpose;
  plan.subject_id = subject.id;
  plan.stamp = utc_now();
  Maker maker(subject, *geometry, wishes, plan);
  if (auto filled = fill(maker, purpose, variants, wishes); !filled) {
    Error why = filled.error();
    why.where = subject.name;
    return tl::unexpected(why);
  }
  // Takes of one name and id (levels, repeats) are told apart by number.
  for (std::size_t i = 0; i < plan.takes.size(); ++i) {
    int count = 1;
    for (std::size_t j = 0; j < i; ++j)
      if (plan.takes[j].id == plan.takes[i].id ||
          plan.takes[j].id.starts_with(plan.takes[i].id + "#"))
        ++count;
    if (count > 1) plan.takes[i].id += fmt::format("#{}", count);
  }
  return plan;
}

std::string plan_item(const MeasuringPlan& plan, const PlannedTake& take) {
  return plan.stamp + "/" + take.id;
}

double minutes_of(const PlannedTake& take, bool by_hand) {
  const double sweeps_s = take.request.repeats * (take.request.duration_s + 1.2);
  const double move_s = !take.instruction.empty() ? 60.0 : by_hand ? 15.0 : 3.0;
  return (sweeps_s + move_s) / 60.0;
}

}  // namespace lalometer
