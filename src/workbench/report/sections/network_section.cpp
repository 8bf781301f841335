#include "workbench/report/sections/network_section.h"

#include <fmt/format.h>

#include "base/text.h"
#include "workbench/networks/network_study.h"
#include "workbench/networks/sum_bumps.h"
#include "workbench/telling/network/network_told.h"

namespace lalometer::sections {
namespace {

constexpr double kPower_w = 10.0;

std::string unit_text(const std::string& unit) {
  return unit == "uF" ? "µF" : printed_unit(unit);
}

bool has_parts(const DesignedNetwork& n) {
  return std::any_of(n.branches.begin(), n.branches.end(),
                     [](const DesignBranch& b) { return !b.ladder.empty() || b.active.any(); });
}

void put_parts(ReportWriter& w, const DesignedNetwork& network, const NetworkMaterial& m) {
  ReportTable parts{{"Branch", "part", "value", "peak current", "heat"},
                    {},
                    fmt::format("At {:.0f} W of pink noise, crest factor 4. A branch that is "
                                "turned round is wired the other way.",
                                kPower_w)};
  for (const PartLoad& p : part_loads(network, m.drivers, kPower_w))
    parts.rows.push_back({p.driver, p.part,
                          fmt::format("{} {}", three_digits(p.value), unit_text(p.unit)),
                          fmt::format("{:.2f} A", p.peak_a), fmt::format("{:.2f} W", p.watt)});
  w.table(std::move(parts));
  for (const DesignBranch& b : network.branches)
    if (b.polarity < 0) w.say("network.turned." + b.driver, b.driver + " is turned round.");
}

}  // namespace

void put_network(ReportWriter& w, const ImportPreview& preview, const DesignedNetwork& network,
                 const std::string& where) {
  if (!has_parts(network)) return;
  w.begin("network", "Network");
  auto material = network_material(preview, where);
  if (!material) {
    w.missing("The network could not be reckoned: " + capitalised(material.error().message));
    return w.end();
  }
  bring_to_one_axis(*material);
  const auto sum = network_sum(network, material->drivers);
  if (!sum) {
    w.missing("The network could not be reckoned: " + capitalised(sum.error().message));
    return w.end();
  }
  NetworkExtras extras;
  extras.network = &network;
  extras.drivers = &material->drivers;
  for (auto& [kind, lane] : network_lanes(*sum, extras))
    if (kind == "network-level" || kind == "network-angles" || kind == "network-load")
      w.picture({kind, std::move(lane), "Reckoned from the drivers as they were taken alone."});
  const Told told = told_of(*sum, network, *material, kPower_w);
  const auto minimum = w.state("network", told, "minimum_ohm");
  const auto at = w.state("network", told, "minimum_at_hz");
  if (minimum && at)
    w.say("network.load",
          fmt::format("The amplifier sees no less than {} (at {}).", *minimum, *at));
  int number = 0;
  for (const NetworkCrossing& x : network_crossings(*sum))
    w.say(fmt::format("network.crossing.{}", ++number),
          fmt::format("{} and {} meet at {}, {:.0f}° apart; with one turned round {:.1f} dB are "
                      "missing.",
                      capitalised(x.low), x.high, frequency_text(x.frequency_hz),
                      std::abs(x.phase_difference_deg), x.reverse_null_db));
  std::vector<std::string> bumps;
  for (const SumBump& b : sum_bumps(*sum)) bumps.push_back(b.told);
  w.say_all("network.bumps", bumps);
  put_parts(w, network, *material);
  w.end();
}

}  // namespace lalometer::sections
