#include "book/description/description.h"

#include <utility>

namespace lalometer {

std::optional<double> DriverFigures::*figure_named(std::string_view key) {
  using F = DriverFigures;
  for (const auto& [name, figure] : {std::pair{"re_ohm", &F::re_ohm},
                                     {"fs_hz", &F::fs_hz},
                                     {"qms", &F::qms},
                                     {"qes", &F::qes},
                                     {"qts", &F::qts},
                                     {"vas_l", &F::vas_l},
                                     {"le_mh", &F::le_mh},
                                     {"mms_g", &F::mms_g},
                                     {"bl_tm", &F::bl_tm},
                                     {"sensitivity_db_2v83_1m", &F::sensitivity_db_2v83_1m}}) {
    if (key == name) return figure;
  }
  return nullptr;
}

const DescribedDriver* Description::driver(const std::string& id) const {
  for (const DescribedDriver& d : drivers) {
    if (id.empty() || d.id == id) return &d;
  }
  return nullptr;
}

DescribedDriver& Description::driver_made(const std::string& id) {
  for (DescribedDriver& d : drivers) {
    if (id.empty() || d.id == id) return d;
  }
  drivers.emplace_back().id = id;
  return drivers.back();
}

}  // namespace lalometer
