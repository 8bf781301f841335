#include "book/description/driver_parameters.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <tuple>

#include "base/constants.h"

namespace lalometer {
namespace {

constexpr const char* kRoles[] = {"woofer",  "subwoofer", "midrange",
                                  "tweeter", "fullrange", "compression-driver"};

double usual_area_m2(const std::string& role) {
  if (role == "tweeter") return 7.5e-4;
  if (role == "compression-driver") return 15e-4;
  if (role == "midrange") return 55e-4;
  if (role == "subwoofer") return 330e-4;
  return 132e-4;
}

}  // namespace

bool is_high_driver(const std::string& role) {
  return role == "tweeter" || role == "compression-driver";
}

std::string role_or_woofer(const DescribedDriver& driver) {
  return driver.role.empty() ? "woofer" : driver.role;
}

double effective_radius_m(const DescribedDriver& driver) {
  if (driver.sd_cm2.value_or(0.0) > 0.0) return std::sqrt(*driver.sd_cm2 / 1e4 / kPi);
  const double share = is_high_driver(role_or_woofer(driver)) ? 0.5 : 0.4;
  return 1e-3 * share * std::max(driver.diameter_mm.value_or(0.0), 0.0);
}

double described_area_m2(const DescribedDriver& driver) {
  // What was told comes back to the last digit.
  if (driver.sd_cm2.value_or(0.0) > 0.0) return *driver.sd_cm2 / 1e4;
  return kPi * std::pow(effective_radius_m(driver), 2);
}

Result<DescribedParameters> parameters_of(const DescribedDriver& driver, const std::string& where) {
  const std::string here =
      fmt::format("{}: driver \"{}\"", where, driver.id.empty() ? driver.role : driver.id);
  const std::string role = role_or_woofer(driver);
  if (std::find(std::begin(kRoles), std::end(kRoles), role) == std::end(kRoles))
    return bad_input(fmt::format("\"{}\" is no role of a driver.", role), here);
  if (driver.sd_cm2 && !(*driver.sd_cm2 > 0.0)) return bad_input("sd_cm2 must be above 0.", here);
  const double told = described_area_m2(driver);
  const double sd = told > 0.0 ? told : usual_area_m2(role);
  DescribedParameters p;
  QuotedParameters q = usual_parameters(role, sd);
  const DriverFigures& f = driver.figures;
  for (const auto& [key, from, to, scale] : {std::tuple{"fs_hz", f.fs_hz, &q.fs_hz, 1.0},
                                             {"qms", f.qms, &q.qms, 1.0},
                                             {"qes", f.qes, &q.qes, 1.0},
                                             {"vas_l", f.vas_l, &q.vas_m3, 1e-3},
                                             {"re_ohm", f.re_ohm, &q.re_ohm, 1.0}}) {
    p.usual = p.usual || !from;
    if (!from) continue;
    if (!(*from > 0.0)) return bad_input(fmt::format("{} must be above 0.", key), here);
    *to = *from * scale;
  }
  if (f.le_mh) {
    if (!(*f.le_mh >= 0.0)) return bad_input("le_mh must not be below 0.", here);
    q.le_h = *f.le_mh * 1e-3;
  }
  p.elements = elements_of(q);
  if (!is_high_driver(role) && !f.le_mh) {
    p.elements.le2_h = 2.4 * q.le_h;
    p.elements.re2_ohm = 0.46 * q.re_ohm;
  }
  const double usual_travel_m = is_high_driver(role) ? 0.0004 : 0.0045 * std::sqrt(sd / 0.0132);
  p.xmax_m = driver.xmax_mm ? *driver.xmax_mm * 1e-3 : usual_travel_m;
  if (!(p.xmax_m > 0.0)) return bad_input("xmax_mm must be above 0.", here);
  p.power_w = driver.power_w.value_or(50.0);
  if (!(p.power_w > 0.0)) return bad_input("power_w must be above 0.", here);
  return p;
}

QuotedParameters usual_parameters(const std::string& role, double sd_m2) {
  if (role == "tweeter") {
    const double size = sd_m2 / 7.5e-4;
    return {.fs_hz = 820.0 / std::sqrt(size),
            .qms = 1.9,
            .qes = 1.35,
            .vas_m3 = 8.0e-6 * std::pow(size, 1.5),
            .sd_m2 = sd_m2,
            .re_ohm = 5.3,
            .le_h = 3e-5};
  }
  if (role == "compression-driver") {
    return {.fs_hz = 620.0,
            .qms = 4.0,
            .qes = 0.45,
            .vas_m3 = 1.6e-5 * sd_m2 / 15e-4,
            .sd_m2 = sd_m2,
            .re_ohm = 5.6,
            .le_h = 6e-5};
  }
  const double size = sd_m2 / 132e-4;
  const bool wide = role == "fullrange" || role == "midrange";
  return {.fs_hz = (wide                  ? 68.0
                    : role == "subwoofer" ? 34.0
                                          : 42.0) *
                   std::pow(size, -0.35),
          .qms = 4.2,
          .qes = wide ? 0.55 : 0.46,
          .vas_m3 = 0.0215 * std::pow(size, 1.6) * (wide ? 0.7 : 1.0),
          .sd_m2 = sd_m2,
          .re_ohm = 5.6,
          .le_h = (wide ? 1.2e-4 : 2.5e-4) * std::sqrt(size)};
}

}  // namespace lalometer
