#include "workbench/practice/files/drawn_cases.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <nlohmann/json.hpp>

#include "base/json_text.h"
#include "base/text.h"
#include "workbench/practice/files/random_loudspeaker.h"
#include "workbench/practice/practice_faults.h"

namespace lalometer {
namespace {

using Json = nlohmann::json;

constexpr int kSound = 6, kSingle = 20, kDouble = 4;

/// Where the loudspeakers stand in the mill: a name, and what the warden says of it.
struct Place {
  const char* name;
  const char* says;
};
constexpr std::array kPlaces = {
    Place{"sluice gate", "It plays beside the water all day."},
    Place{"wheel pit", "The masons built it in before anybody had listened."},
    Place{"granary", "One of the volunteers finds it odd and cannot say why."},
    Place{"miller's room", "It reads letters aloud; some visitors walk away."},
    Place{"flour loft", "It was carried up the ladder and set down hard."},
    Place{"eel trap", "It came back from the workshop last week."},
    Place{"tide table", "It tells the hours of the flood."},
    Place{"smithy", "The hammering hides much, perhaps too much."},
    Place{"boat landing", "The ferryman says that it always sounded so."},
    Place{"turbine hall", "It replaced an older one, and is said to be worse."},
    Place{"cart shed", "Built by apprentices, tested by nobody."},
    Place{"weir", "The spray reaches it when the wind is from the west."},
    Place{"sack hoist", "School classes lean on it."},
    Place{"map room", "The archivist wants to know before it goes on the wall."},
    Place{"bakery", "Warm and dry; only the children complain."},
};

/// Faults that stand in each other's light are not put in together.
int realm_of(const std::string& fault) {
  static const std::map<std::string, int> realms = {{"box-leak", 1},
                                                    {"overdamped-port", 1},
                                                    {"mistuned-box", 1},
                                                    {"driver-polarity", 2},
                                                    {"crossover-phase", 2},
                                                    {"notch-filter", 2},
                                                    {"noise", 3},
                                                    {"mains-hum", 3},
                                                    {"clipping", 3},
                                                    {"microphone-too-close", 3},
                                                    {"reflection", 3},
                                                    {"driver-breakup", 4},
                                                    {"panel-resonance", 5},
                                                    {"suspension-resonance", 4},
                                                    {"port-pipe-resonance", 6},
                                                    {"cabinet-standing-wave", 5}};
  const auto found = realms.find(fault);
  return found == realms.end() ? 0 : found->second;
}

/// A fault with random figures, large enough to be seen.
Json with_figures(const std::string& fault, const Json& subject, Lot& lot) {
  Json f{{"fault", fault}};
  const double crossing = subject["crossovers"][0]["frequency_hz"].get<double>();
  if (fault == "driver-breakup") {
    f["frequency_hz"] = std::min(lot.between(1400, 2200), 0.75 * crossing);
    f["q"] = lot.between(8, 14);
  } else if (fault == "suspension-resonance") {
    f["frequency_hz"] = lot.between(700, 1200);
    f["mass_share"] = 0.09;
    f["area_share"] = 0.2;
  } else if (fault == "panel-resonance") {
    f["frequency_hz"] = lot.between(190, 380);
    f["area_cm2"] = 550;
    f["kg_per_m2"] = 5;
  } else if (fault == "box-leak") {
    f["ql"] = lot.between(1.5, 2.6);
  } else if (fault == "overdamped-port") {
    f["qp"] = lot.between(2.0, 3.2);
  } else if (fault == "mistuned-box") {
    f["factor"] = lot.chance(0.5) ? lot.between(1.35, 1.55) : lot.between(0.62, 0.74);
  } else if (fault == "crossover-phase") {
    // The drivers of a random two-way meet some 45 degrees apart, the upper one ahead: late by so
    // much, it is a quarter of a period behind.
    f["delay_ms"] = 380.0 / crossing * lot.between(0.95, 1.05);
  } else if (fault == "notch-filter") {
    f["frequency_hz"] = lot.between(700, 1200);
  } else if (fault == "noise") {
    f["rms_pa"] = lot.between(0.08, 0.15);
  } else if (fault == "mains-hum") {
    f["rms_pa"] = lot.between(0.15, 0.3);
    f["mains_hz"] = lot.chance(0.5) ? 50.0 : 60.0;
  } else if (fault == "reflection") {
    f["distance_m"] = lot.between(0.35, 0.55);
    f["factor"] = lot.between(0.65, 0.85);
  } else if (fault == "clipping") {
    f["gain"] = lot.between(35, 60);
  }
  return f;
}

/// All as sweeps: lists where no fault of the rig is, and recordings where there is one, would give
/// it away.
Json takes_of() {
  constexpr const char* kind = "sweep";
  Json takes = {
      {{"kind", "impedance"}, {"id", "z"}, {"name", "Impedance in box"}},
      {{"kind", "impedance"},
       {"id", "free"},
       {"name", "Woofer in free air"},
       {"condition", "free-air"},
       {"driver", "woofer"}},
      {{"kind", kind}, {"id", "axis"}, {"name", "On axis"}, {"gate_ms", 5}},
      {{"kind", "near-field"}, {"id", "near-w"}, {"name", "Near the cone"}, {"source", "woofer"}},
      {{"kind", "near-field"}, {"id", "near-p"}, {"name", "Near the port"}, {"source", "port"}}};
  const auto add = [&](const char* plane, const char* spoken, double deg) {
    takes.push_back({{"kind", kind},
                     {"id", fmt::format("{}{}", plane, deg)},
                     {"name", fmt::format("{:.0f}° {}", std::abs(deg), spoken)},
                     {"gate_ms", 5},
                     {std::string(plane) + "_deg", deg}});
  };
  add("horizontal", "left", -30);
  add("horizontal", "right", 30);
  add("horizontal", "right", 60);
  add("vertical", "down", -15);
  add("vertical", "up", 15);
  return takes;
}

/// The true ones among others of the list, and that nothing is wrong is offered always.
std::vector<std::string> offered_beside(std::vector<std::string> offered, Lot& lot) {
  std::vector<std::string> others = random_faults();
  others.insert(others.end(), {"edge-diffraction", "baffle-step"});
  while (offered.size() < 8) {
    const std::string& one = others[lot.below(others.size())];
    if (std::find(offered.begin(), offered.end(), one) == offered.end()) offered.push_back(one);
  }
  std::sort(offered.begin(), offered.end());
  return offered;
}

std::string what_was_put_in(const std::vector<std::string>& faults) {
  if (faults.empty())
    return "Nothing was put in. What ripples there are come from edges, from the lining and from "
           "the angle between the drivers, as in any loudspeaker of this make.";
  std::string text = "Put in:";
  for (const std::string& fault : faults)
    for (const FaultKind& kind : fault_kinds())
      if (kind.word == fault) text += " " + kind.explained;
  return text;
}

PracticeCase drawn(int seed, int number, const std::vector<std::string>& faults) {
  Lot lot(static_cast<std::uint64_t>(seed) * 1000003U + static_cast<std::uint64_t>(number) * 7919U);
  const Json subject = parsed_json(random_two_way(lot));
  const Place& place = kPlaces[lot.below(kPlaces.size())];
  PracticeCase one;
  one.id = fmt::format("drawn-{}-{:02}", seed, number);
  one.title = fmt::format("{} · {}", number, capitalised(place.name));
  one.grade = 0;
  one.story = fmt::format(
      "A {:.0f} mm woofer and a dome in {:.0f} litres, from the {}. {} One fault, two, or none.",
      subject["drivers"][0]["diameter_mm"].get<double>(),
      subject["box"]["net_volume_l"].get<double>(), place.name, place.says);
  Json plan{{"subject", subject},
            {"bench", {{"distance_m", 1.0}, {"noise_pa", lot.between(1e-4, 4e-4)}}},
            {"faults", Json::array()},
            {"takes", takes_of()}};
  for (const std::string& fault : faults)
    plan["faults"].push_back(with_figures(fault, subject, lot));
  one.plan_json = dumped(plan);
  one.several = true;
  one.offered = offered_beside(faults, lot);
  one.causes = faults;
  one.explanation = what_was_put_in(faults);
  return one;
}

/// Each fault once in a shuffled row, then over again.
class Deal {
 public:
  explicit Deal(Lot& lot) : lot_(lot) {}
  std::string next(const std::function<bool(const std::string&)>& fits) {
    for (;;) {
      if (left_.empty()) left_ = random_faults();
      const std::size_t i = lot_.below(left_.size());
      const std::string one = left_[i];
      const bool any = std::any_of(left_.begin(), left_.end(), fits);
      if (!fits(one)) {
        if (!any) left_.clear();
        continue;
      }
      left_.erase(left_.begin() + static_cast<std::ptrdiff_t>(i));
      return one;
    }
  }

 private:
  Lot& lot_;
  std::vector<std::string> left_;
};

}  // namespace

std::vector<PracticeCase> drawn_case_list(int seed) {
  Lot lot(static_cast<std::uint64_t>(seed) * 2654435761U + 17U);
  Deal deal(lot);
  std::vector<std::vector<std::string>> hands(kSound);
  const auto any = [](const std::string&) { return true; };
  for (int i = 0; i < kSingle; ++i) hands.push_back({deal.next(any)});
  // What is clipped shows nothing else.
  const auto seen_beside = [](const std::string& f) { return f != "clipping"; };
  for (int i = 0; i < kDouble; ++i) {
    const std::string first = deal.next(seen_beside);
    hands.push_back({first, deal.next([&](const std::string& f) {
                       return seen_beside(f) && realm_of(f) != realm_of(first);
                     })});
  }
  for (std::size_t i = hands.size() - 1; i > 0; --i) std::swap(hands[i], hands[lot.below(i + 1)]);
  std::vector<PracticeCase> all;
  for (std::size_t i = 0; i < hands.size(); ++i)
    all.push_back(drawn(seed, static_cast<int>(i) + 1, hands[i]));
  return all;
}

}  // namespace lalometer
