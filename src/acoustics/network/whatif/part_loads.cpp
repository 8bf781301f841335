#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "acoustics/impedance/box_signature.h"
#include "acoustics/network/network.h"
#include "acoustics/network/whatif/network_sum.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

constexpr double kLow_hz = 20.0, kHigh_hz = 20000.0;
constexpr double kCrest = 4.0;  // 12 dB
constexpr double kPerOctave = 24.0;

const LadderPart& part_at(const Ladder& ladder, const std::vector<std::size_t>& path) {
  const LadderPart* part = &ladder[path.front()];
  for (std::size_t i = 1; i < path.size(); ++i) part = &part->parts[path[i]];
  return *part;
}

/// What one element is made of: coil, capacitor, resistor in series. A coil's or a capacitor's own
/// resistance is no part of the list.
std::vector<PartLoad> entries_of(const LadderPart& p, const std::string& driver,
                                 std::map<char, int>& counted) {
  std::vector<PartLoad> all;
  const auto add = [&](char letter, double value, const char* unit) {
    const int number = ++counted[letter];
    std::string name = all.empty() && !p.name.empty() ? p.name
                       : p.name.empty()               ? fmt::format("{}{}", letter, number)
                                                      : fmt::format("{} {}", p.name, letter);
    all.push_back({driver, std::move(name), value, unit});
  };
  if (p.inductance_h > 0.0) add('L', 1e3 * p.inductance_h, "mH");
  if (p.capacitance_f > 0.0) add('C', 1e6 * p.capacitance_f, "uF");
  if (p.resistance_ohm > 0.0 && all.size() != 1) add('R', p.resistance_ohm, "ohm");
  return all;
}

Complex value_held(const Response& z, double f) {
  return value_at(z, std::clamp(f, z.axis().front(), z.axis().back()));
}

}  // namespace

std::vector<PartLoad> part_loads(const DesignedNetwork& network,
                                 const std::vector<NetworkDriver>& drivers, double power_w) {
  std::vector<double> hz;
  const auto steps =
      static_cast<std::size_t>(std::ceil(std::log2(kHigh_hz / kLow_hz) * kPerOctave));
  for (std::size_t i = 0; i <= steps; ++i)
    hz.push_back(kLow_hz *
                 std::pow(kHigh_hz / kLow_hz, static_cast<double>(i) / static_cast<double>(steps)));
  std::vector<Ladder> on;
  for (const DesignBranch& b : network.branches) on.push_back(switched_on(b.ladder));
  // Groups of branches with one amplifier each.
  std::vector<std::vector<std::size_t>> groups(1);
  for (std::size_t b = 0; b < network.branches.size(); ++b) {
    if (network.branches[b].active.any())
      groups.push_back({b});
    else
      groups.front().push_back(b);
  }
  std::vector<PartLoad> all;
  for (const auto& group : groups) {
    if (group.empty()) continue;
    std::vector<const NetworkDriver*> of;
    for (const std::size_t b : group)
      for (const NetworkDriver& d : drivers)
        if (d.id == network.branches[b].driver) of.push_back(&d);
    if (of.size() != group.size()) continue;
    double smallest = 1e300;
    std::vector<std::vector<double>> squares;  // [part][frequency] |A / V|^2
    std::vector<std::pair<std::size_t, std::vector<std::size_t>>> where;
    for (std::size_t k = 0; k < hz.size(); ++k) {
      std::vector<NetworkBranch> branches;
      for (std::size_t i = 0; i < group.size(); ++i)
        branches.push_back({on[group[i]], value_held(of[i]->impedance, hz[k])});
      const NetworkState s = solve_network(branches, network.source_ohm, hz[k]);
      smallest = std::min(smallest, std::abs(s.input_ohm));
      if (k == 0) {
        squares.assign(s.parts.size(), std::vector<double>(hz.size()));
        for (const PartState& p : s.parts) where.emplace_back(group[p.branch], p.path);
      }
      const double before =
          std::norm(network.branches[group.front()].active.at(hz[k]));  // 1 for passive ones
      for (std::size_t p = 0; p < s.parts.size(); ++p)
        squares[p][k] = std::norm(s.parts[p].amps) * before;
    }
    const double nominal = nominal_impedance_ohm(smallest).value_or(smallest);
    const double volts2 = power_w * nominal;  // mean square of all the noise
    std::map<std::size_t, std::map<char, int>> counted;
    for (std::size_t p = 0; p < where.size(); ++p) {
      // Equal power in equal ratios: the mean over log f, by the trapezoidal rule.
      double mean = 0.0;
      for (std::size_t k = 0; k + 1 < hz.size(); ++k)
        mean += 0.5 * (squares[p][k] + squares[p][k + 1]);
      mean /= static_cast<double>(hz.size() - 1);
      const double amps2 = volts2 * mean;
      const DesignBranch& branch = network.branches[where[p].first];
      const LadderPart& part = part_at(on[where[p].first], where[p].second);
      auto entries = entries_of(part, branch.driver, counted[where[p].first]);
      for (PartLoad& e : entries) e.peak_a = kCrest * std::sqrt(amps2);
      if (entries.empty()) continue;
      // All heat is in the resistance, by itself or as the coil's or the capacitor's own.
      entries.back().watt = amps2 * part.resistance_ohm;
      for (PartLoad& e : entries) all.push_back(std::move(e));
    }
  }
  return all;
}

}  // namespace lalometer
