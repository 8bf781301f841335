#pragma once

#include <optional>
#include <string>
#include <vector>

#include "acoustics/enclosure/enclosure_model.h"
#include "workbench/reading/lane_content.h"

/// Boxes that are weighed against one another before any is built.
namespace lalometer {

struct BoxCandidate {
  enum class Kind { kSealed, kVented, kPassiveRadiator };
  std::string name;
  Kind kind = Kind::kVented;
  double volume_l = 14.0;
  double tuning_hz = 45.0;  ///< vented
  double port_diameter_mm = 50.0;
  int port_count = 1;
  double radiator_sd_cm2 = 130.0;  ///< passive radiator
  double radiator_mass_g = 30.0;
  double radiator_fs_hz = 18.0;
  double ql = 7.0;  ///< losses, 0: none
  double qa = 0.0;
  double qp = 0.0;
  double series_ohm = 0.0;  ///< of crossover and cable
};

/// The driver of a subject's description, and where its figures come from.
struct BoxDriver {
  std::string id;
  DriverParameters driver;
  double xmax_m;
  double power_w;
  bool usual;  ///< figures that are not specified are those usual for its size
  std::optional<double> inner_depth_m;
};
/// First driver that works into the box (not a tweeter). An error where there is none.
[[nodiscard]] Result<BoxDriver> box_driver_of(const Description& description);

/// A candidate to begin with: the box that the description tells, else one that suits the driver.
[[nodiscard]] BoxCandidate first_candidate(const Description& description,
                                           const BoxDriver& driver);

struct BoxOutcome {
  BoxCandidate candidate;
  EnclosureCurves curves;  ///< at the drive that puts `power_w` into Re
  std::vector<double> highest_level_db;
  double reference_db = 0.0;  ///< of the pass band at 2.83 V
  double drive_v = 2.83;
  std::optional<double> f3_hz = std::nullopt;
  std::optional<double> f6_hz = std::nullopt;
  std::optional<double> f10_hz = std::nullopt;
  double largest_excursion_m = 0.0;  ///< from F10 upward (20 Hz where there is none) at that power
  double largest_excursion_hz = 0.0;
  std::optional<double> too_far_below_hz = std::nullopt;  ///< below, the cone passes its excursion
  double fastest_air_m_s = 0.0;
  double fastest_air_hz = 0.0;
  std::optional<double> port_length_mm = std::nullopt;  ///< vented, where there is one
  double tuning_hz = 0.0;                               ///< fc, fB or the radiator's
  std::vector<std::string> words = {};                  ///< what it means
  std::vector<std::string> problems = {};               ///< why it cannot be built as it stands
};
/// Everything about one candidate: under a millisecond or two. A candidate that cannot be (no port
/// length gives the tuning) has problems and, where nothing can be computed, empty curves.
[[nodiscard]] BoxOutcome box_outcome(const BoxDriver& driver, const BoxCandidate& candidate,
                                     double power_w);

/// What one candidate is, in a few words: "vented, 14.0 l at 45.0 Hz, port 50 × 142 mm".
[[nodiscard]] std::string in_words(const BoxOutcome& outcome);

/// The lanes of the desk: level, excursion, speed of the port's air, impedance, group delay,
/// highest level.
[[nodiscard]] std::vector<std::pair<std::string, LaneContent>> box_lanes(
    const std::vector<BoxOutcome>& outcomes, std::size_t chosen, const BoxDriver& driver);

/// F3 over volume and tuning (row by row, tuning rising), Hz, for the field in which candidates are
/// moved; NaN where there is none. Losses and port as in the candidate.
struct BoxField2d {
  std::vector<double> volume_l;
  std::vector<double> tuning_hz;
  std::vector<double> f3_hz;
};
[[nodiscard]] BoxField2d f3_field(const BoxDriver& driver, const BoxCandidate& candidate,
                                  double lowest_l, double highest_l, double lowest_hz,
                                  double highest_hz);

/// The description with the candidate's box and port in it.
[[nodiscard]] Description with_candidate(Description description,
                                         const BoxOutcome& outcome);

}  // namespace lalometer
