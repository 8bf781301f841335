#pragma once

#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "acoustics/network/whatif/made_drivers.h"
#include "support/support.h"

namespace lalometer::test {

/// A set of two drivers taken alone without a network, each with its impedance: writes its lists
/// into the folder.
/// @return what belongs into its set.json.
inline nlohmann::json network_set(const std::filesystem::path& folder) {
  using nlohmann::json;
  json takes = json::array();
  made::TwoWay two;
  two.behind_m = 0.015;
  const auto write = [&](const std::string& file, const Response& r) {
    std::string text;
    const double reference = level_reference(r.quantity());
    const bool ohm = r.quantity() == Quantity::kImpedance;
    for (std::size_t i = 0; i < r.size(); ++i)
      text += fmt::format("{:.4f} {:.6f} {:.5f}\n", r.axis()[i],
                          ohm ? r.magnitude(i) : to_level_db(r.magnitude(i), reference),
                          std::arg(r.value(i)) * 180.0 / kPi);
    test::write(folder / file, text);
  };
  for (const NetworkDriver& d : two.drivers()) {
    write(d.id + ".zma", d.impedance);
    takes.push_back({{"id", "z-" + d.id},
                     {"kind", "impedance"},
                     {"driver", d.id},
                     {"condition", "in-box"},
                     {"file", d.id + ".zma"}});
    for (const int angle : {0, 30}) {
      const std::string file = fmt::format("{}-{}.frd", d.id, angle);
      write(file, d.responses.at({}));
      takes.push_back({{"id", file},
                       {"kind", "response"},
                       {"driver", d.id},
                       {"file", file},
                       {"horizontal_deg", angle},
                       {"distance_m", 1.0},
                       {"drive_v", 2.83}});
    }
  }
  return {{"format", "lalometer-set"},
          {"version", 1},
          {"subject",
           {{"name", "Lock gate"},
            {"kind", "loudspeaker"},
            {"drivers",
             {{{"id", "woofer"}, {"role", "woofer"}, {"sd_cm2", 132}, {"y_mm", -80}},
              {{"id", "tweeter"}, {"role", "tweeter"}, {"sd_cm2", 7}, {"y_mm", 60}}}}}},
          {"takes", takes}};
}

}  // namespace lalometer::test
