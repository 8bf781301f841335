#pragma once

#include <string>

#include "acoustics/enclosure/driver_circuit.h"
#include "base/result.h"
#include "book/description/description.h"

/// What the models take a described driver for: one reading for boxes, curves and practice bench.
namespace lalometer {

/// Usual parameters of a driver of a role and area (common practice, no source): those of the kiosk
/// two-way, scaled by size. Roles of the files: woofer, subwoofer, midrange, tweeter, fullrange,
/// compression-driver.
[[nodiscard]] QuotedParameters usual_parameters(const std::string& role, double sd_m2);

/// Effective radius of a driver, m; 0 where nothing tells it. Of its area where that is told; else
/// by its diameter and role, one rule for beaming, edges and areas (common practice, no source): a
/// cone's diameter is that of its frame, of which 0.4 radiates (a 165 mm woofer has about 132
/// cm^2); a dome's and a compression driver's is that of the diaphragm itself, half of it is the
/// radius.
[[nodiscard]] double effective_radius_m(const DescribedDriver& driver);
/// Radiating area by the same rule, m^2; 0 where nothing tells it.
[[nodiscard]] double described_area_m2(const DescribedDriver& driver);

/// Tweeters and compression drivers bring their own chamber and never work into the box.
[[nodiscard]] bool is_high_driver(const std::string& role);
/// The role as told, "woofer" where none is.
[[nodiscard]] std::string role_or_woofer(const DescribedDriver& driver);

struct DescribedParameters {
  DriverParameters elements{};
  double xmax_m = 0.0;
  double power_w = 0.0;
  bool usual = false;  ///< not all of fs, Qms, Qes, Vas and Re are told
};
/// What is not told is usual for the role and size. A figure that cannot be, or a role that there
/// is not, is an error that names the driver.
[[nodiscard]] Result<DescribedParameters> parameters_of(const DescribedDriver& driver,
                                                        const std::string& where);

}  // namespace lalometer
