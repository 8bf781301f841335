// How often the diagnosis is right: random loudspeakers of the practice bench with 0 to 3 faults,
// other losses, other noise, missing and wrong geometry and missing takes. Confusion by cause,
// precision, false alarms and the reliability of what is said: docs/accuracy.md. A run to look at,
// not a yardstick:
//   ./build/release/bin/diagnosis_run [loudspeakers of each kind] [first seed] [one kind] > table
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <map>
#include <nlohmann/json.hpp>
#include <set>

#include "diagnosis/diagnose.h"
#include "exchange/set/measurement_set.h"
#include "workbench/diagnosing/case_of_import.h"
#include "workbench/practice/files/random_loudspeaker.h"
#include "workbench/practice/files/simulation_file.h"
#include "workbench/practice/simulating.h"

namespace {

using namespace lalometer;
using Json = nlohmann::json;

/// Traits that random loudspeakers of the bench have by themselves: they count neither as right
/// nor as wrong.
const std::set<std::string> kTraits = {"baffle-step", "edge-diffraction", "source-spacing-lobing",
                                       "directivity-mismatch", "beaming"};

/// A fault with its usual figures.
Json fault(const std::string& word, const Json& subject, Lot& lot) {
  Json f{{"fault", word}};
  const double crossing = subject["crossovers"][0]["frequency_hz"].get<double>();
  if (word == "driver-breakup") {
    f["frequency_hz"] = std::min(lot.between(1500, 2200), 0.75 * crossing);
    f["q"] = lot.between(7, 16);
  }
  // They meet some 45 degrees apart, the upper one ahead (drawn_cases.cpp).
  if (word == "crossover-phase") f["delay_ms"] = 380.0 / crossing;
  return f;
}

struct Tally {
  int count = 0, right = 0;
  std::map<std::string, int> named;
};
struct Bin {
  int count = 0, right = 0;
  double said = 0.0;
};

std::filesystem::path scratch() {
  return std::filesystem::temp_directory_path() / fmt::format("diagnosis-run-{}", ::getpid());
}

Result<Diagnosis> diagnosed(const Json& spec, std::uint64_t seed) {
  std::filesystem::remove_all(scratch());
  auto plan = simulation_plan_of(spec.dump(), "random", seed);
  if (!plan) return tl::unexpected(plan.error());
  return simulated(*plan, {}, {})
      .and_then([&](const Simulation& s) { return write_set(s.set, scratch()); })
      .and_then([&] { return case_of(preview_import({scratch()}, {}, {}), "random"); })
      .map([](const CaseMaterial& m) { return diagnose(m); });
}

std::map<std::string, double> said_of(const Diagnosis& d) {
  std::map<std::string, double> said;
  const auto put = [&](const FindingCause& c) {
    said[c.cause] = std::max(said[c.cause], c.probability);
  };
  for (const Finding& f : d.findings)
    for (const FindingCause& c : f.causes) put(c);
  for (const FindingCause& c : d.overall) put(c);
  return said;
}

/// What is said above one half and was not put in, with its evidence, to stderr.
void tell_false(const Diagnosis& d, const std::string& name, std::uint64_t seed,
                const std::vector<std::string>& faults) {
  const auto put = [&](const FindingCause& c, double at_hz) {
    if (c.probability <= 0.5 || kTraits.contains(c.cause) ||
        std::find(faults.begin(), faults.end(), c.cause) != faults.end())
      return;
    fmt::print(stderr, "{} {}: {} {:.2f} at {:.0f} Hz: {} | {}\n", name, seed, c.cause,
               c.probability, at_hz, fmt::join(c.evidence, "; "), fmt::join(c.against, "; "));
  };
  for (const Finding& f : d.findings)
    for (const FindingCause& c : f.causes) put(c, f.frequency_hz);
  for (const FindingCause& c : d.overall) put(c, 0.0);
}

}  // namespace

int main(int argc, char** argv) {
  const int each = argc > 1 ? std::atoi(argv[1]) : 6;
  const std::uint64_t first = argc > 2 ? static_cast<std::uint64_t>(std::atoll(argv[2])) : 1000;
  std::vector<std::vector<std::string>> kinds = {{}, {}};  // sound ones, twice as many
  for (const std::string& f : random_faults()) kinds.push_back({f});
  Lot pairs(first);
  for (int i = 0; i < 6; ++i) {
    std::vector<std::string> some;
    while (some.size() < (i < 4 ? 2U : 3U)) {
      const std::string& f = random_faults()[pairs.below(random_faults().size())];
      if (std::find(some.begin(), some.end(), f) == some.end()) some.push_back(f);
    }
    kinds.push_back(some);
  }
  std::map<std::string, Tally> tallies;
  std::array<Bin, 10> bins = {};
  int claimed = 0, true_claims = 0;
  const std::string only = argc > 3 ? argv[3] : "";
  std::uint64_t seed = first;
  for (const auto& faults : kinds)
    for (int k = 0; k < each; ++k) {
      Lot lot(++seed * 7919);
      if (!only.empty() && fmt::format("{}", fmt::join(faults, " + ")) != only) continue;
      Json spec;
      spec["subject"] = Json::parse(random_two_way(lot));
      const bool sweeps = std::any_of(faults.begin(), faults.end(), fault_of_the_rig);
      spec["takes"] = Json::parse(random_takes(lot, sweeps));
      spec["bench"] = {{"distance_m", 1.0}, {"noise_pa", lot.between(1e-4, 1e-3)}};
      spec["faults"] = Json::array();
      for (const std::string& f : faults) spec["faults"].push_back(fault(f, spec["subject"], lot));
      const auto d = diagnosed(spec, seed);
      const std::string name =
          faults.empty() ? "none" : fmt::format("{}", fmt::join(faults, " + "));
      if (!d) {
        fmt::print(stderr, "{}: {}\n", name, d.error().text());
        continue;
      }
      tell_false(*d, name, seed, faults);
      Tally& t = tallies[name];
      ++t.count;
      std::vector<std::pair<double, std::string>> order;
      for (const auto& [cause, p] : said_of(*d)) {
        const bool put_in = std::find(faults.begin(), faults.end(), cause) != faults.end();
        if (kTraits.contains(cause)) continue;
        order.emplace_back(p, cause);
        Bin& bin = bins[std::min<std::size_t>(9, static_cast<std::size_t>(10.0 * p))];
        ++bin.count;
        bin.right += put_in ? 1 : 0;
        bin.said += p;
        if (p > 0.5) {
          ++claimed;
          true_claims += put_in ? 1 : 0;
        }
      }
      std::sort(order.rbegin(), order.rend());
      std::set<std::string> best;
      for (std::size_t i = 0; i < std::min(std::max<std::size_t>(faults.size(), 1), order.size());
           ++i)
        if (!faults.empty() || order[i].first > 0.5) best.insert(order[i].second);
      const bool right = faults.empty()
                             ? best.empty()
                             : best == std::set<std::string>(faults.begin(), faults.end());
      t.right += right ? 1 : 0;
      ++t.named[order.empty() || best.empty() ? "nothing" : order.front().second];
    }
  // Of one kind the last set stays, to be looked at.
  if (only.empty())
    std::filesystem::remove_all(scratch());
  else
    fmt::print(stderr, "the last set: {}\n", scratch().string());
  int all = 0, right = 0;
  for (const auto& [name, t] : tallies) {
    fmt::print("| {} | {} of {} |", name, t.right, t.count);
    for (const auto& [cause, n] : t.named) fmt::print(" {} {}", cause, n);
    fmt::print(" |\n");
    if (name != "none") {
      all += t.count;
      right += t.right;
    }
  }
  fmt::print("\nmost probable right: {} of {}; of what stands above one half, true: {} of {}\n",
             right, all, true_claims, claimed);
  double off = 0.0;
  int counted = 0;
  for (std::size_t i = 0; i < bins.size(); ++i) {
    const Bin& b = bins[i];
    if (b.count == 0) continue;
    fmt::print("| {} to {} % | {} | {:.0f} % | {:.0f} % |\n", 10 * i, 10 * i + 10, b.count,
               100.0 * b.said / b.count, 100.0 * b.right / b.count);
    off += std::abs(b.said - b.right);
    counted += b.count;
  }
  fmt::print("expected calibration error {:.3f}\n", off / std::max(counted, 1));
  return 0;
}
