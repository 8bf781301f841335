#include "workbench/level/parts_study.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>

#include "acoustics/spectrum/bands.h"
#include "base/text.h"

namespace lalometer {
namespace {

constexpr double kNaN = std::numeric_limits<double>::quiet_NaN();
constexpr int kOrders = 5;
constexpr double kLimit_percent = 3.0;
/// Where the sum is so far under its loudest nothing of it is heard.
constexpr double kHardly = 0.1;  // -20 dB

/// A part's orders on the common axis, by its effective radius.
struct Shares {
  std::vector<std::complex<double>> first;
  std::vector<std::vector<double>> orders;  ///< magnitudes, NaN where not heard
};

Shares shares_of(const PartReading& part, const FrequencyAxis& axis) {
  const Harmonics& h = part.distortion->harmonics;
  const double weight =
      part.count * part.radius_m * part.radius_m / near_length_m(part.radius_m, part.distance_m);
  Shares s;
  for (std::size_t i = 0; i < axis.size(); ++i) {
    const std::size_t k = h.axis.bracket(axis[i]);
    const bool inside = axis[i] >= h.axis.front() && axis[i] <= h.axis.back() * 1.001;
    s.first.push_back(inside && h.order(1).valid.contains(axis[i]) ? weight * h.order(1).value[k]
                                                                   : 0.0);
  }
  for (int n = 1; n <= kOrders; ++n) {
    std::vector<double> each;
    for (std::size_t i = 0; i < axis.size(); ++i) {
      const std::size_t k = h.axis.bracket(axis[i]);
      each.push_back(h.order(n).heard(k, h.axis[k]) ? weight * std::abs(h.order(n).value[k])
                                                    : kNaN);
    }
    s.orders.push_back(std::move(each));
  }
  return s;
}

/// The range around the strongest point in which the ports give more than the cones.
std::optional<ValidRange> leading(const std::vector<double>& ports,
                                  const std::vector<double>& cones, const FrequencyAxis& axis) {
  std::size_t top = 0;
  double most = 0.0;
  for (std::size_t i = 0; i < axis.size(); ++i)
    if (ports[i] > cones[i] && ports[i] > most) {
      most = ports[i];
      top = i;
    }
  if (!(most > 0.0)) return std::nullopt;
  std::size_t low = top;
  std::size_t high = top;
  while (low > 0 && ports[low - 1] > cones[low - 1]) --low;
  while (high + 1 < axis.size() && ports[high + 1] > cones[high + 1]) ++high;
  return ValidRange{axis[low], axis[high]};
}

}  // namespace

Result<PartsReading> parts_reading(std::vector<PartReading> parts) {
  if (parts.empty()) return bad_input("No near field of a part is there.");
  for (const PartReading& p : parts)
    if (!(p.radius_m > 0.0))
      return bad_input(fmt::format("The drawing tells no size of {}.", p.source), p.source);
  const FrequencyAxis axis = parts.front().distortion->harmonics.axis;
  const std::size_t n = axis.size();
  PartsReading r{.parts = std::move(parts), .axis = axis};
  r.drive_v = r.parts.front().distortion->drive_v;
  std::vector<Shares> shares;
  for (const PartReading& p : r.parts) shares.push_back(shares_of(p, axis));
  std::vector<double> whole(n, 0.0);
  std::vector<double> ports(n, 0.0);
  std::vector<double> cones(n, 0.0);
  double loudest = 0.0;
  for (std::size_t i = 0; i < n; ++i) {
    std::complex<double> sum = 0.0;
    for (std::size_t k = 0; k < shares.size(); ++k) {
      sum += shares[k].first[i];
      (r.parts[k].port ? ports : cones)[i] += std::abs(shares[k].first[i]);
    }
    whole[i] = std::abs(sum);
    // Above, near fields are none any more.
    if (axis[i] < 300.0) loudest = std::max(loudest, whole[i]);
  }
  for (const Shares& s : shares) {
    std::vector<std::vector<double>> orders;
    for (const std::vector<double>& magnitudes : s.orders) {
      std::vector<double> each;
      for (std::size_t i = 0; i < n; ++i)
        each.push_back(whole[i] > kHardly * loudest ? magnitudes[i] / whole[i] : kNaN);
      orders.push_back(std::move(each));
    }
    r.share.push_back(std::move(orders));
  }
  r.port_leads = leading(ports, cones, axis);
  for (const Band& band : fractional_octave_bands(std::max(axis.front(), 20.0), 300.0, 3)) {
    std::vector<double> power(r.parts.size(), 0.0);
    double count = 0.0;
    for (std::size_t i = 0; i < n; ++i) {
      if (axis[i] < band.low_hz || axis[i] >= band.high_hz || whole[i] <= kHardly * loudest)
        continue;
      count += 1.0;
      for (std::size_t k = 0; k < r.parts.size(); ++k)
        for (int order = 2; order <= kOrders; ++order)
          if (const double v = r.share[k][static_cast<std::size_t>(order - 1)][i]; std::isfinite(v))
            power[k] += v * v;
    }
    if (count < 1.0) continue;
    double sum = 0.0;
    double of_port = 0.0;
    for (std::size_t k = 0; k < power.size(); ++k) {
      sum += power[k] / count;
      if (r.parts[k].port) of_port += power[k] / count;
    }
    if (100.0 * std::sqrt(sum) < kLimit_percent) continue;
    const auto worst =
        static_cast<std::size_t>(std::max_element(power.begin(), power.end()) - power.begin());
    r.culprits.push_back({band.low_hz, band.high_hz, worst, 100.0 * std::sqrt(sum),
                          100.0 * std::sqrt(sum - of_port), 100.0 * std::sqrt(of_port)});
  }
  r.notes.emplace_back(
      "Each part counts by its near pressure and its effective radius (Keele 1974); harmonics of "
      "two "
      "parts are added as powers, since their phases differ with the place.");
  return r;
}

std::optional<PartTake> part_of(const SubjectGeometry& geometry, const std::string& source) {
  if (const SubjectDriver* d = geometry.driver(source); d != nullptr)
    return d->radius_m ? std::optional(PartTake{0, source, *d->radius_m, 1, false}) : std::nullopt;
  for (const SubjectPort& p : geometry.ports)
    if (p.id == source && p.radius_m > 0.0) return PartTake{0, source, p.radius_m, p.count, true};
  for (const SubjectRadiator& p : geometry.radiators)
    if (p.id == source && p.radius_m > 0.0) return PartTake{0, source, p.radius_m, 1, true};
  return std::nullopt;
}

std::vector<PartTake> parts_side_by_side(const std::vector<const Take*>& takes,
                                         const SubjectGeometry& geometry, double drive_v) {
  // By state, sample and drive; of one part the latest take counts.
  struct Key {
    Id variant;
    std::string sample;
    long drive;
    auto operator<=>(const Key&) const = default;
  };
  std::map<Key, std::map<std::string, PartTake>> groups;
  for (std::size_t i = 0; i < takes.size(); ++i) {
    const auto* near = std::get_if<NearFieldSetup>(&takes[i]->setup);
    if (near == nullptr || !holds_sweep(*takes[i])) continue;
    auto part = part_of(geometry, near->source);
    if (!part) continue;
    const double volts = takes[i]->conditions.drive_v;
    if (drive_v > 0.0 && std::abs(volts / drive_v - 1.0) > 1e-3) continue;
    part->index = i;
    part->distance_m = near->distance_mm / 1e3;
    groups[{takes[i]->variant_id, takes[i]->conditions.sample, std::lround(1e4 * volts)}]
          [near->source] = *part;
  }
  const std::map<std::string, PartTake>* best = nullptr;
  for (const auto& [key, group] : groups)
    if (group.size() >= 2 && (best == nullptr || group.size() >= best->size())) best = &group;
  std::vector<PartTake> parts;
  if (best != nullptr)
    for (const auto& [source, part] : *best) parts.push_back(part);
  return parts;
}

std::vector<std::string> spoken(const PartsReading& r) {
  std::vector<std::string> all;
  if (r.port_leads)
    all.push_back(fmt::format("The port gives more than the cone from {} to {}.",
                              frequency_text(r.port_leads->low_hz),
                              frequency_text(r.port_leads->high_hz)));
  for (const PartsReading::Culprit& c : r.culprits) {
    const PartReading& part = r.parts[c.part];
    all.push_back(fmt::format(
        "From {} to {} they add {:.1f} % together at {} V, most of it {} ({:.1f} % by cones, "
        "{:.1f} % by ports).",
        frequency_text(c.low_hz), frequency_text(c.high_hz), c.percent, three_digits(r.drive_v),
        part.source, c.of_cone_percent, c.of_port_percent));
  }
  if (r.culprits.empty())
    all.push_back(fmt::format("Below 300 Hz all parts together add less than {:.0f} % at {} V.",
                              kLimit_percent, three_digits(r.drive_v)));
  return all;
}

}  // namespace lalometer
