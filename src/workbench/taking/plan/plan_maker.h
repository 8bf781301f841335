#pragma once

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <string>
#include <vector>

#include "base/text.h"
#include "book/description/subject_geometry.h"
#include "workbench/taking/plan/measuring_plan.h"

namespace lalometer {

/// A cone's own near field (D. Keele, J. Audio Eng. Soc. 22 (1974) 154): the microphone as near as
/// it may come without being touched.
inline constexpr double kNear_m = 0.006;

/// Makes the takes of one plan.
class PlanMaker {
 public:
  PlanMaker(const Subject& subject, const SubjectGeometry& geometry, const PlanOptions& wishes,
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

  /// @param drives  one take for each; empty: one at a tenth of the usual drive, since the near
  ///                field is loud and the microphone's preamplifier needs room.
  void near_field(const std::string& source, SubjectKind kind, const std::string& what,
                  const std::vector<double>& drives) {
    const std::vector<double> usual = {std::min(0.5, wishes_.drive_v)};
    bool moved = true;
    for (const double volts : drives.empty() ? usual : drives) {
      std::string name = fmt::format("Near field, {}", what);
      if (!drives.empty()) name += fmt::format(", {} V", three_digits(volts));
      TakeRequest& r =
          add(TakeKind::kNearField, "near-" + source, name,
              moved ? fmt::format("Microphone to the middle of the {}, about {:.0f} mm "
                                  "away, and square to it. It must not touch.",
                                  what, kNear_m * 1e3)
                    : "");
      moved = false;
      r.source = source;
      r.driver = kind;
      r.distance_m = kNear_m;
      r.gate_s = 0.0;
      r.drive_v = volts;
      if (!drives.empty()) r.duration_s = 2.7;
    }
  }

  /// Of each cone and port; false where the drawing names none.
  bool near_fields(const std::vector<double>& drives = {}) {
    std::size_t count = 0;
    for (const SubjectDriver& driver : geometry_.drivers) {
      if (driver.role == "tweeter" || driver.role == "compression-driver") continue;
      near_field(driver.id, subject_kind_of(driver.role).value_or(SubjectKind::kWoofer), driver.id,
                 drives);
      ++count;
    }
    for (const SubjectPort& port : geometry_.ports) {
      near_field(port.id, subject_.kind, port.id + (port.id == "port" ? "" : " (port)"), drives);
      ++count;
    }
    return count > 0;
  }

  [[nodiscard]] const PlanOptions& wishes() const { return wishes_; }
  /// Where the drawing has its highest crossover, 0 without one.
  [[nodiscard]] double highest_crossover_hz() const {
    double highest = 0.0;
    for (const SubjectCrossover& x : geometry_.crossovers)
      highest = std::max(highest, x.frequency_hz);
    return highest;
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

inline constexpr const char* kOnAxis = "Microphone on the 0° axis, at the distance told.";

}  // namespace lalometer
