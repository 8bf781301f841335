#include "workbench/taking/plan/measuring_plan.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "acoustics/level/steady_tones.h"
#include "base/hash.h"
#include "base/text.h"
#include "workbench/taking/plan/level_plans.h"
#include "workbench/taking/plan/plan_maker.h"

namespace lalometer {
namespace {

Result<void> fill_orbits(PlanMaker& make, bool full_set, Id variant, const PlanOptions& w) {
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

Result<void> fill_comparison(PlanMaker& make, const std::vector<Variant>& variants,
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

void fill_parameters(PlanMaker& make, const PlanOptions& w) {
  make.impedance("z-free", "Impedance, free air", "free-air",
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
}

Result<void> fill(PlanMaker& make, Purpose purpose, const std::vector<Variant>& variants,
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
      each_sample([&] { fill_parameters(make, w); });
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
    case Purpose::kMultitone:
    case Purpose::kSteadyTones:
    case Purpose::kNearLevels:
      make.at(first);
      return fill_levels(make, purpose);
    case Purpose::kRub:
      each_sample([&] { fill_rub(make); });
      return {};
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
      {Purpose::kMultitone, "multitone", "Many tones at once",
       "What comes back that was not played, and what a subwoofer or a driver of its own would "
       "win."},
      {Purpose::kSteadyTones, "steady-tones", "Tones one by one",
       "Harmonics once everything has settled: a check of the sweep's."},
      {Purpose::kNearLevels, "near-levels", "Distortion of cone and port",
       "What each of them adds as it plays louder, and when the port's air gets noisy."},
      {Purpose::kRub, "rub", "Rub, buzz and leaks",
       "Whether something touches, rattles or hisses, each sample against a good one."},
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
  PlanMaker maker(subject, *geometry, wishes, plan);
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
  double sweeps_s = take.request.repeats * (take.request.duration_s + 1.2);
  if (take.request.kind == TakeKind::kSteadyTones)
    if (const auto tones =
            steady_tones({take.request.start_hz, take.request.stop_hz,
                          take.request.tones_per_octave, take.request.sample_rate_hz}))
      sweeps_s = static_cast<double>(tones->length()) / take.request.sample_rate_hz;
  const double move_s = !take.instruction.empty() ? 60.0 : by_hand ? 15.0 : 3.0;
  return (sweeps_s + move_s) / 60.0;
}

}  // namespace lalometer
