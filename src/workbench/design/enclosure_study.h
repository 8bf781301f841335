#pragma once

#include <optional>
#include <string>
#include <vector>

#include "acoustics/enclosure/enclosure_model.h"
#include "base/result.h"

/// A box by its figures, with or without a driver in it.
namespace lalometer {

/// What is wanted; lengths in the units of the command line, 0: not told.
struct EnclosureWish {
  std::string loading = "vented";  ///< or sealed, passive-radiator, open-baffle, large-baffle...
  double volume_l = 0.0;
  double tuning_hz = 0.0;
  double port_diameter_mm = 0.0;
  double port_length_mm = 0.0;
  double slot_height_mm = 0.0;
  double flare_mm = 0.0;
  int port_count = 1;
  /// Leakage; nothing: 7 for a vented box or a radiator (common practice, no source), none for a
  /// sealed one, which has no more than its seams. 0: none.
  std::optional<double> ql;
  double qa = 0.0;
  double qp = 0.0;
  double drive_v = 2.83;
  double series_ohm = 0.0;
  double radiator_sd_cm2 = 0.0;
  double radiator_mass_g = 0.0;
  double radiator_fs_hz = 0.0;
  double radiator_qms = 8.0;
  double inner_depth_mm = 0.0;
  double baffle_width_mm = 0.0;  ///< of an open baffle
  double baffle_height_mm = 0.0;
  double driver_x_mm = 0.0;  ///< from its left and lower edge; 0: the middle
  double driver_y_mm = 0.0;
  double wing_mm = 0.0;
};
struct EnclosedDriver {
  DriverParameters driver;
  std::optional<double> xmax_m;
  std::optional<double> power_w;
};

struct EnclosureStudy {
  std::string loading;
  std::optional<double> volume_l;
  std::optional<double> fb_hz;
  std::optional<double> port_length_m;
  std::optional<double> port_resonance_hz;
  std::optional<double> radiator_notch_hz;
  std::optional<DipoleRule> dipole;
  std::optional<double> cavity_hz;  ///< between the wings of an open baffle
  /// What the driver does in it.
  struct Driven {
    double reference_level_db;
    std::optional<double> f3_hz, f6_hz, f10_hz;
    std::optional<double> fc_hz, qtc;      ///< of a sealed box
    EnclosureCurves curves;                ///< 5 Hz to 5 kHz, 48 points per octave
    std::vector<double> highest_level_db;  ///< empty where travel or power are not told
    bool with_radiator = false;
  };
  std::optional<Driven> driven;
  std::vector<std::string> notes;
};
/// Errors name the figure that is missing or cannot be.
[[nodiscard]] Result<EnclosureStudy> study_enclosure(const EnclosureWish& wish,
                                                     const std::optional<EnclosedDriver>& driver);

}  // namespace lalometer
