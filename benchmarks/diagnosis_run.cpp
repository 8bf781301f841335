// How often the diagnosis is right: random loudspeakers of the practice bench with 0 to 3 faults,
// other losses, other noise, missing and wrong geometry and missing takes. Confusion by cause,
// precision, false alarms and the reliability of what is said: docs/accuracy.md. A run to look at,
// not a yardstick:
//   ./build/release/bin/diagnosis_run [loudspeakers of each kind] [first seed] > table
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
#include <random>
#include <set>

#include "base/constants.h"
#include "diagnosis/diagnose.h"
#include "exchange/set/measurement_set.h"
#include "workbench/diagnosing/case_of_import.h"
#include "workbench/practice/files/simulation_file.h"
#include "workbench/practice/simulating.h"

namespace {

using namespace lalometer;
using Json = nlohmann::json;

/// What the bench can put in, beside nothing.
constexpr std::array kFaults = {"driver-breakup",
                                "suspension-resonance",
                                "cabinet-standing-wave",
                                "port-pipe-resonance",
                                "panel-resonance",
                                "box-leak",
                                "overdamped-port",
                                "mistuned-box",
                                "driver-polarity",
                                "crossover-phase",
                                "notch-filter",
                                "noise",
                                "mains-hum",
                                "clipping",
                                "microphone-too-close",
                                "reflection"};
/// Traits that random loudspeakers of the bench have by themselves: they count neither as right
/// nor as wrong.
const std::set<std::string> kTraits = {"baffle-step", "edge-diffraction", "source-spacing-lobing",
                                       "directivity-mismatch", "beaming"};

class Maker {
 public:
  explicit Maker(std::uint64_t seed) : engine_(seed) {}

  Json loudspeaker() {
    const double w = between(170, 280);
    const double h = w * between(1.5, 2.2);
    const double d = std::max(w * between(1.0, 1.5), 230.0);
    const double dia = std::min(w - 40.0, chance(0.5) ? 165.0 : 130.0);
    const double iw = w - 32, ih = h - 32, id = d - 52;
    const double litres = iw * ih * id / 1e6 * 0.92;
    const double fs = between(38, 55);
    // Aligned as usual: what the driver wants, by a port of a length that fits.
    const double fb = fs * between(0.92, 1.12);
    const double whole_m = between(0.11, 0.18);
    const double area = std::pow(2.0 * kPi * fb / kSpeedOfSound20_m_s, 2) * litres / 1e3 * whole_m;
    const double port_m = std::clamp(2.0 * std::sqrt(area / kPi), 0.025, 0.07);
    const double real_m = kPi * port_m * port_m / 4.0 /
                          (std::pow(2.0 * kPi * fb / kSpeedOfSound20_m_s, 2) * litres / 1e3);
    const double port_mm = std::max(1e3 * (real_m - 0.731 * port_m), 20.0);
    Json s{{"kind", "loudspeaker"}, {"loading", "vented"}};
    s["drivers"] = {{{"id", "woofer"},
                     {"role", "woofer"},
                     {"diameter_mm", dia},
                     {"fs_hz", fs},
                     {"qms", between(3, 6)},
                     {"qes", between(0.36, 0.48)},
                     {"vas_l", litres * between(1.2, 2.0)},
                     {"x_mm", 0},
                     {"y_mm", -h * between(0.12, 0.2)}},
                    {{"id", "tweeter"},
                     {"role", "tweeter"},
                     {"diameter_mm", 28},
                     {"x_mm", between(-25, 25)},
                     {"y_mm", h * between(0.12, 0.2)}}};
    s["baffle"] = {{"width_mm", w},    {"height_mm", h},
                   {"depth_mm", d},    {"edge_radius_mm", between(5, 20)},
                   {"left_mm", w / 2}, {"top_mm", h / 2}};
    s["box"] = {{"net_volume_l", litres}, {"inner_width_mm", iw}, {"inner_height_mm", ih},
                {"inner_depth_mm", id},   {"damping", "lined"},   {"ql", between(7, 18)}};
    s["ports"] = {{{"id", "port"},
                   {"panel", chance(0.5) ? "back" : "front"},
                   {"diameter_mm", 1e3 * port_m},
                   {"length_mm", port_mm},
                   {"count", 1},
                   {"x_mm", 0},
                   {"y_mm", -h * 0.36}}};
    s["crossovers"] = {{{"low", "woofer"},
                        {"high", "tweeter"},
                        {"frequency_hz", between(1600, 2800)},
                        {"order", chance(0.5) ? 2 : 4}}};
    return s;
  }

  Json takes(bool sweeps) {
    Json all = {{{"kind", "impedance"}, {"id", "z"}},
                {{"kind", sweeps ? "sweep" : "response"}, {"id", "axis"}, {"gate_ms", 5}},
                {{"kind", "near-field"}, {"id", "near-w"}, {"source", "woofer"}},
                {{"kind", "near-field"}, {"id", "near-p"}, {"source", "port"}}};
    const auto add = [&](const char* plane, double deg) {
      all.push_back({{"kind", sweeps ? "sweep" : "response"},
                     {"id", fmt::format("{}{}", plane, deg)},
                     {"gate_ms", 5},
                     {std::string(plane) + "_deg", deg}});
    };
    for (const double a : {-60.0, -45.0, -30.0, -15.0, 15.0, 30.0, 45.0, 60.0})
      add("horizontal", a);
    if (chance(0.8))
      for (const double a : {-30.0, -15.0, 15.0, 30.0}) add("vertical", a);
    if (chance(0.75))
      all.push_back(
          {{"kind", "impedance"}, {"id", "free"}, {"condition", "free-air"}, {"driver", "woofer"}});
    if (chance(0.5))
      for (const char* one : {"woofer", "tweeter"})
        all.push_back({{"kind", "response"},
                       {"id", fmt::format("alone-{}", one)},
                       {"driver", one},
                       {"gate_ms", 5}});
    return all;
  }

  Json fault(const std::string& word, const Json& subject) {
    Json f{{"fault", word}};
    const double crossing = subject["crossovers"][0]["frequency_hz"].get<double>();
    if (word == "driver-breakup") {
      f["frequency_hz"] = std::min(between(1500, 2200), 0.75 * crossing);
      f["q"] = between(7, 16);
    }
    if (word == "crossover-phase") f["delay_ms"] = 250.0 / crossing;
    return f;
  }

  bool chance(double p) { return between(0.0, 1.0) < p; }
  double between(double low, double high) {
    return std::uniform_real_distribution<double>(low, high)(engine_);
  }
  std::size_t below(std::size_t n) {
    return std::min(n - 1, static_cast<std::size_t>(between(0.0, static_cast<double>(n))));
  }

 private:
  std::mt19937_64 engine_;
};

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

}  // namespace

int main(int argc, char** argv) {
  const int each = argc > 1 ? std::atoi(argv[1]) : 6;
  const std::uint64_t first = argc > 2 ? static_cast<std::uint64_t>(std::atoll(argv[2])) : 1000;
  std::vector<std::vector<std::string>> kinds = {{}, {}};  // sound ones, twice as many
  for (const char* f : kFaults) kinds.push_back({f});
  Maker pairs(first);
  for (int i = 0; i < 6; ++i) {
    std::vector<std::string> some;
    while (some.size() < (i < 4 ? 2U : 3U)) {
      const std::string f = kFaults[pairs.below(kFaults.size())];
      if (std::find(some.begin(), some.end(), f) == some.end()) some.push_back(f);
    }
    kinds.push_back(some);
  }
  std::map<std::string, Tally> tallies;
  std::array<Bin, 10> bins = {};
  int claimed = 0, true_claims = 0;
  std::uint64_t seed = first;
  for (const auto& faults : kinds)
    for (int k = 0; k < each; ++k) {
      Maker make(++seed * 7919);
      Json spec;
      spec["subject"] = make.loudspeaker();
      const std::set<std::string> rig = {"noise", "mains-hum", "clipping", "reflection"};
      const bool sweeps = std::any_of(faults.begin(), faults.end(),
                                      [&](const std::string& f) { return rig.contains(f); });
      spec["takes"] = make.takes(sweeps);
      spec["bench"] = {{"distance_m", 1.0}, {"noise_pa", make.between(1e-4, 1e-3)}};
      spec["faults"] = Json::array();
      for (const std::string& f : faults) spec["faults"].push_back(make.fault(f, spec["subject"]));
      const auto d = diagnosed(spec, seed);
      const std::string name =
          faults.empty() ? "none" : fmt::format("{}", fmt::join(faults, " + "));
      if (!d) {
        fmt::print(stderr, "{}: {}\n", name, d.error().text());
        continue;
      }
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
  std::filesystem::remove_all(scratch());
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
