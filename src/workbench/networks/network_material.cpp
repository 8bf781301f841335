#include "workbench/networks/network_material.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "acoustics/impedance/box_signature.h"
#include "base/constants.h"
#include "base/text.h"
#include "book/description/driver_parameters.h"
#include "workbench/level/distortion_study.h"

namespace lalometer {
namespace {

constexpr double kDrive_v = 2.83;

Response at_drive(const Response& curve, double drive_v) {
  const double scale = drive_v > 0.0 ? kDrive_v / drive_v : 1.0;
  if (std::abs(scale - 1.0) < 1e-9) return curve;
  std::vector<std::complex<double>> values = curve.values();
  for (auto& v : values) v *= scale;
  return *Response::make(curve.axis(), std::move(values), curve.quantity(), curve.valid(),
                         curve.has_phase());
}

/// The driver that a take is of; empty: the whole loudspeaker's.
std::string driver_of(const Take& take, const std::optional<SubjectGeometry>& g) {
  if (!take.conditions.driver.empty()) return take.conditions.driver;
  return g && g->drivers.size() == 1 ? g->drivers.front().id : std::string();
}

struct Found {
  std::map<NetworkAngle, Response> responses;
  std::optional<Response> in_box, free_air;
  double distance_m = 0.0;
  double valid_from_hz = 0.0;
};

void add_take(std::map<std::string, Found>& all, const NetworkTake& one, NetworkMaterial& out,
              const std::optional<SubjectGeometry>& g) {
  const Take& take = *one.take;
  if (!take.accepted || !is_measured(take) || !take.conditions.polarity_flipped.empty()) return;
  const std::string id = driver_of(take, g);
  if (id.empty()) return;
  const std::string condition = condition_of(take);
  if (take.kind() == TakeKind::kImpedance) {
    if (condition == "free-air" && !all[id].free_air) all[id].free_air = *one.curve;
    if ((condition == "in-box" || condition.empty()) && !all[id].in_box)
      all[id].in_box = *one.curve;
    return;
  }
  if (take.kind() != TakeKind::kResponse || (!condition.empty() && condition != "in-box")) return;
  Found& found = all[id];
  const Placement p = place_of(take);
  const NetworkAngle angle{p.horizontal_deg, p.vertical_deg};
  if (found.distance_m <= 0.0) found.distance_m = p.distance_m;
  if (std::abs(p.distance_m / found.distance_m - 1.0) > 0.01)
    out.notes.push_back(fmt::format("{} was taken at {} m and {} m: what sums is at one distance.",
                                    id, three_digits(found.distance_m),
                                    three_digits(p.distance_m)));
  if (!found.responses.emplace(angle, at_drive(*one.curve, take.conditions.drive_v)).second) return;
  if (angle == NetworkAngle{}) {
    found.valid_from_hz = one.curve->valid().low_hz;
    if (one.clean_from_hz) out.clean_from_hz.emplace_back(id, *one.clean_from_hz);
  }
}

/// The variant that most takes of single drivers are of.
std::string main_variant(const ImportPreview& set, const std::optional<SubjectGeometry>& g) {
  std::map<std::string, int> counts;
  std::string best;
  for (const ImportItem& item : set.items) {
    if (!item.curve || driver_of(item.take, g).empty()) continue;
    if (++counts[item.variant_id] > counts[best]) best = item.variant_id;
  }
  return best;
}

std::optional<double> resonance_of(const NetworkDriver& d) {
  double height = 0.0;
  std::optional<double> at;
  for (const ImpedancePeak& p : impedance_peaks(d.impedance))
    if (p.magnitude_ohm > height && p.frequency_hz < 5000.0) {
      height = p.magnitude_ohm;
      at = p.frequency_hz;
    }
  return at;
}

}  // namespace

Result<NetworkMaterial> network_material(const std::vector<NetworkTake>& takes,
                                         const std::optional<SubjectGeometry>& geometry,
                                         const std::string& where) {
  NetworkMaterial out{.geometry = geometry};
  std::map<std::string, Found> all;
  for (const NetworkTake& one : takes) add_take(all, one, out, geometry);
  std::vector<std::string> order;
  if (geometry)
    for (const SubjectDriver& d : geometry->drivers) order.push_back(d.id);
  for (const auto& [id, found] : all)
    if (std::find(order.begin(), order.end(), id) == order.end()) order.push_back(id);
  std::string missing;
  for (const std::string& id : order) {
    const auto found = all.find(id);
    if (found == all.end()) continue;
    Found& f = found->second;
    const bool sound = !f.responses.empty();
    if (!sound || (!f.in_box && !f.free_air)) {
      missing += fmt::format(" {} has no {}.", id, sound ? "impedance" : "response alone");
      continue;
    }
    if (!f.in_box)
      out.notes.push_back(
          fmt::format("The impedance of {} is that in free air: in its box its bass differs.", id));
    out.valid_from_hz = std::max(out.valid_from_hz, f.valid_from_hz);
    out.drivers.push_back(
        {id, std::move(f.responses), f.in_box ? *std::move(f.in_box) : *std::move(f.free_air)});
    if (const SubjectDriver* d = geometry ? geometry->driver(id) : nullptr; d != nullptr)
      out.drivers.back().place_m = {d->x_m, d->y_m, d->z_m};
  }
  if (out.drivers.empty())
    return bad_input(
        "A network is tried on drivers that were taken alone, each with its impedance." + missing,
        where);
  if (!missing.empty()) out.notes.push_back("Left out:" + missing);
  return out;
}

Result<NetworkMaterial> network_material(const ImportPreview& set, const std::string& where) {
  std::optional<SubjectGeometry> geometry;
  if (set.subject) {
    auto g = geometry_of(set.subject->description, where);
    if (!g) return tl::unexpected(g.error());
    geometry = *std::move(g);
  }
  const std::string variant = main_variant(set, geometry);
  std::vector<NetworkTake> takes;
  for (const ImportItem& item : set.items) {
    if (!item.curve || item.calibration || item.variant_id != variant) continue;
    NetworkTake one{&item.take, &*item.curve};
    const Placement p = place_of(item.take);
    if (item.stage && !item.take.conditions.driver.empty() && p.horizontal_deg == 0.0 &&
        p.vertical_deg == 0.0)
      one.clean_from_hz = clean_from_hz(item.take, *item.stage);
    takes.push_back(one);
  }
  if (takes.empty() && !set.problems.empty()) return tl::unexpected(set.problems.front());
  auto material = network_material(takes, geometry, where);
  if (material && set.subject) add_motors(*material, set.subject->description);
  return material;
}

void add_motors(NetworkMaterial& m, const Description& description) {
  for (NetworkDriver& d : m.drivers)
    for (const DescribedDriver& told : description.drivers) {
      if (told.id != d.id) continue;
      const auto p = parameters_of(told, d.id);
      if (p && !p->usual)
        d.motor = {.bl_tm = p->elements.bl_tm,
                   .re_ohm = p->elements.re_ohm,
                   .le_h = p->elements.le_h,
                   .xmax_m = p->xmax_m};
    }
}

void bring_to_one_axis(NetworkMaterial& m) {
  double low = 0.0, high = 1e300;
  for (const NetworkDriver& d : m.drivers) {
    const auto ahead = d.responses.find(NetworkAngle{});
    if (ahead == d.responses.end()) return;
    low = std::max(low, ahead->second.axis().front());
    high = std::min(high, ahead->second.axis().back());
  }
  std::vector<double> hz;
  if (!m.drivers.empty())
    for (const double f : m.drivers.front().responses.at({}).axis().hz())
      if (f >= low * (1.0 - 1e-9) && f <= high * (1.0 + 1e-9)) hz.push_back(f);
  const auto axis = FrequencyAxis::make(std::move(hz));
  if (!axis || axis->size() < 2) return;
  for (NetworkDriver& d : m.drivers)
    for (auto& [angle, curve] : d.responses) curve = resampled(curve, *axis);
}

std::vector<CrossoverWindow> network_windows(const NetworkMaterial& m) {
  const auto told = [&](const NetworkDriver& d) {
    const SubjectDriver* known = m.geometry ? m.geometry->driver(d.id) : nullptr;
    SubjectDriver driver;
    driver.id = d.id;
    if (known != nullptr) driver = *known;
    if (!driver.resonance_hz) driver.resonance_hz = resonance_of(d);
    return driver;
  };
  std::vector<std::pair<std::string, std::string>> pairs;
  const auto has = [&](const std::string& id) {
    return std::any_of(m.drivers.begin(), m.drivers.end(),
                       [&](const NetworkDriver& d) { return d.id == id; });
  };
  if (m.geometry)
    for (const SubjectCrossover& x : m.geometry->crossovers)
      if (has(x.low) && has(x.high)) pairs.emplace_back(x.low, x.high);
  if (pairs.empty()) {
    // What its role says counts before its resonance: a horn's may lie anywhere.
    std::vector<std::pair<std::pair<int, double>, std::string>> by_resonance;
    for (const NetworkDriver& d : m.drivers) {
      const SubjectDriver known = told(d);
      const int rank = is_high_driver(known.role)                    ? 2
                       : known.role.find("mid") != std::string::npos ? 1
                                                                     : 0;
      by_resonance.emplace_back(std::pair(rank, known.resonance_hz.value_or(1e9)), d.id);
    }
    std::sort(by_resonance.begin(), by_resonance.end());
    for (std::size_t i = 0; i + 1 < by_resonance.size(); ++i)
      pairs.emplace_back(by_resonance[i].second, by_resonance[i + 1].second);
  }
  const auto of = [&](const std::string& id) -> const NetworkDriver& {
    return *std::find_if(m.drivers.begin(), m.drivers.end(),
                         [&](const NetworkDriver& d) { return d.id == id; });
  };
  std::vector<CrossoverWindow> all;
  for (const auto& [low, high] : pairs) {
    const auto clean = std::find_if(m.clean_from_hz.begin(), m.clean_from_hz.end(),
                                    [&, h = high](const auto& one) { return one.first == h; });
    all.push_back(crossover_window(
        told(of(low)), told(of(high)),
        clean == m.clean_from_hz.end() ? std::nullopt : std::optional(clean->second),
        kSpeedOfSound20_m_s));
  }
  return all;
}

}  // namespace lalometer
