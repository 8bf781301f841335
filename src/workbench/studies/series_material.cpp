#include "workbench/studies/series_material.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"

namespace lalometer {
namespace {

/// At 2.83 V and 1 m, whatever it was taken at: compared curves are treated alike.
Response at_reference(const Response& curve, const Take& take) {
  const double scale = 2.83 / take.conditions.drive_v * place_of(take).distance_m;
  if (std::abs(scale - 1.0) < 1e-9) return curve;
  std::vector<std::complex<double>> values = curve.values();
  for (auto& v : values) v *= scale;
  return *Response::make(curve.axis(), std::move(values), curve.quantity(), curve.valid(),
                         curve.has_phase());
}

ComparedMember& member_of(SeriesMaterial& material, const CurveOfTake& curve) {
  for (ComparedMember& m : material.members) {
    if (m.id == curve.member_id) return m;
  }
  return material.members.emplace_back(
      ComparedMember{curve.member_id, curve.member_name, {}, {}, {}, curve.member_changed});
}

}  // namespace

SeriesMaterial series_material(const std::vector<CurveOfTake>& curves, const std::string& loading) {
  SeriesMaterial out;
  // The condition that most members have; free air first, since it tells of the driver itself.
  std::map<std::string, std::vector<std::string>> having;
  for (const CurveOfTake& c : curves) {
    if (c.take->kind() != TakeKind::kImpedance || c.member_id.empty()) continue;
    auto& members = having[condition_of(*c.take)];
    if (std::find(members.begin(), members.end(), c.member_id) == members.end())
      members.push_back(c.member_id);
  }
  std::string condition;
  std::size_t most = 0;
  for (const auto& [name, members] : having) {
    const bool first = name == "free-air" && members.size() > 1;
    const std::size_t count = members.size() + (first ? 1000 : 0);
    if (count > most) {
      most = count;
      condition = name;
    }
  }
  out.role = impedance_role(condition, loading).value_or(ImpedanceRole::kDriver);
  bool guessed = impedance_role(condition, loading).has_value();
  // A driver alone or with its wires swapped is another thing than the whole; of a driver by itself
  // the takes may all name it.
  const auto whole = [](const Take& take) {
    const std::string own = condition_of(take);
    return take.conditions.driver.empty() && take.conditions.polarity_flipped.empty() &&
           (own.empty() || own == "in-box");
  };
  const auto compared_response = [](const CurveOfTake& c) {
    const Placement place = place_of(*c.take);
    return c.take->kind() == TakeKind::kResponse && place.horizontal_deg == 0.0 &&
           place.vertical_deg == 0.0;
  };
  const bool any_whole = std::any_of(curves.begin(), curves.end(), [&](const CurveOfTake& c) {
    return compared_response(c) && whole(*c.take);
  });
  int off_axis = 0;
  int other = 0;
  int parts = 0;
  for (const CurveOfTake& c : curves) {
    if (!out.free_air && c.take->accepted && c.take->kind() == TakeKind::kImpedance &&
        condition_of(*c.take) == "free-air")
      out.free_air = *c.curve;
    if (c.member_id.empty() || !c.take->accepted || !is_measured(*c.take)) continue;
    const Placement place = place_of(*c.take);
    if (c.take->kind() == TakeKind::kImpedance) {
      if (condition_of(*c.take) != condition) {
        ++other;
        continue;
      }
      if (!guessed) {
        out.role = guessed_role(*c.curve);
        guessed = true;
      }
      ComparedMember& member = member_of(out, c);
      member.impedances.push_back(*c.curve);
      member.calibration_percent.push_back(c.calibration_percent);
    } else if (place.horizontal_deg != 0.0 || place.vertical_deg != 0.0) {
      ++off_axis;
    } else if (c.take->kind() == TakeKind::kResponse && any_whole && !whole(*c.take)) {
      ++parts;
    } else if (c.take->kind() == TakeKind::kResponse) {
      member_of(out, c).responses.push_back(at_reference(*c.curve, *c.take));
    }
  }
  if (off_axis > 0)
    out.notes.push_back(
        fmt::format("Left out, off the axis: {} {}.", off_axis, off_axis == 1 ? "take" : "takes"));
  if (parts > 0)
    out.notes.push_back(fmt::format("Left out, of one driver alone or of another condition: {} {}.",
                                    parts, parts == 1 ? "take" : "takes"));
  if (other > 0)
    out.notes.push_back(fmt::format("Left out, of another condition than \"{}\": {} {}.", condition,
                                    other, other == 1 ? "impedance" : "impedances"));
  return out;
}

SeriesMaterial series_material(const ImportPreview& set, bool by_sample) {
  std::vector<CurveOfTake> curves;
  for (const ImportItem& item : set.items) {
    if (!item.curve || item.calibration) continue;
    std::string id = by_sample ? item.take.conditions.sample : item.variant_id;
    std::string name = id;
    std::string changed;
    for (const auto& [own, variant] : set.variants) {
      if (!by_sample && own == id) {
        name = variant.name;
        changed = variant.changed;
      }
    }
    curves.push_back(
        {&item.take, &*item.curve, id, name,
         item.rig ? item.rig->impedance_uncertainty_percent : kUsualCalibration_percent, changed});
  }
  return series_material(curves, set.subject ? set.subject->description.loading : std::string());
}

}  // namespace lalometer
