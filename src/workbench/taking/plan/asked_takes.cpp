#include "workbench/taking/plan/asked_takes.h"

#include <fmt/format.h>

#include <algorithm>

#include "book/book.h"
#include "workbench/taking/plan/plan_maker.h"

namespace lalometer {
namespace {

void add_angles(PlanMaker& make, bool vertical) {
  for (const double a : {15.0, 30.0, -15.0, -30.0})
    make.response(a, vertical,
                  vertical && a == 15.0
                      ? "Tilt the loudspeaker, or lay it on its side on the table; the microphone "
                        "stays as far away."
                      : "");
}

bool add_alone(PlanMaker& make, const SubjectGeometry& g) {
  for (const SubjectDriver& d : g.drivers) {
    TakeRequest& r = make.response(
        0.0, false, fmt::format("Only {} plays: unplug the others behind the network.", d.id));
    r.name = fmt::format("On axis, {} alone", d.id);
    r.source = d.id;
  }
  return g.drivers.size() > 1;
}

bool add_flipped(PlanMaker& make, const SubjectGeometry& g) {
  if (g.crossovers.empty()) return false;
  const std::string& high = g.crossovers.front().high;
  TakeRequest& r = make.response(
      0.0, false, fmt::format("Swap the two wires of {}; swap them back afterwards.", high));
  r.name = fmt::format("On axis, {} flipped", high);
  r.flipped = high;
  return true;
}

bool add(PlanMaker& make, const std::string& code, const SubjectGeometry& g) {
  if (code == "side" || code == "vertical") {
    add_angles(make, code == "vertical");
    return true;
  }
  if (code == "alone") return add_alone(make, g);
  if (code == "flipped") return add_flipped(make, g);
  if (code == "near-cone" || code == "near-back") return make.near_fields();
  if (code == "box-impedance") {
    make.impedance("z-box", "Impedance in box", "in-box", "Jig on the loudspeaker's terminals.");
    return true;
  }
  if (code == "free-air-impedance") {
    make.impedance("z-free", "Impedance, free air", "free-air",
                   "Driver out of the box, upright, nothing near its cone or vent; jig on it.");
    return true;
  }
  if (code == "large-baffle") {
    TakeRequest& r = make.response(0.0, false,
                                   "Driver flush in a baffle of at least 1.2 m each way, or in a "
                                   "wall between two rooms.");
    r.name = "On axis, large baffle";
    r.condition = "large-baffle";
    return true;
  }
  return false;
}

bool alike(const TakeRequest& a, const TakeRequest& b) {
  return a.kind == b.kind && a.horizontal_deg == b.horizontal_deg &&
         a.vertical_deg == b.vertical_deg && a.source == b.source && a.flipped == b.flipped &&
         a.condition == b.condition && a.variant_id == b.variant_id && a.sample == b.sample;
}

}  // namespace

Result<MeasuringPlan> plan_with_asked(const std::optional<MeasuringPlan>& plan,
                                      const std::string& code, const Subject& subject, Id variant) {
  const auto geometry = geometry_of(subject.description, subject.name);
  if (!geometry) return tl::unexpected(geometry.error());
  MeasuringPlan asked;
  const PlanOptions wishes;
  PlanMaker make(subject, *geometry, wishes, asked);
  make.at(variant, {}, fmt::format("-asked-{}", code));
  if (!add(make, code, *geometry))
    return bad_input("That step is no take by itself, or the drawing lacks what it needs.",
                     subject.name);
  MeasuringPlan out = plan.value_or(MeasuringPlan{
      .purpose = Purpose::kBoxCheck, .subject_id = subject.id, .stamp = {}, .takes = {}});
  if (out.stamp.empty()) out.stamp = utc_now();
  for (PlannedTake& take : asked.takes) {
    const bool there = std::any_of(out.takes.begin(), out.takes.end(), [&](const PlannedTake& t) {
      return !t.skipped && alike(t.request, take.request);
    });
    take.request.drawing = subject.drawing_mark;
    if (!there) out.takes.push_back(std::move(take));
  }
  for (PlannedTake& take : out.takes) take.request.plan_item = plan_item(out, take);
  return out;
}

}  // namespace lalometer
