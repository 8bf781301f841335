#pragma once

#include <array>
#include <compare>
#include <complex>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "acoustics/equaliser/biquad.h"
#include "acoustics/network/ladder.h"
#include "acoustics/spectrum/response.h"

/// What a crossover would do to drivers that were measured without one.
namespace lalometer {

/// What stands before a branch's own amplifier, where it has one.
struct ActivePart {
  double gain_db = 0.0;
  double delay_s = 0.0;
  std::vector<BandFilter> filters = {};
  std::vector<Biquad> sections = {};
  std::vector<double> fir = {};
  double sample_rate_hz = 48000.0;  ///< of filters, sections and fir

  /// True where there is anything: the branch has an amplifier of its own then.
  [[nodiscard]] bool any() const;
  [[nodiscard]] std::complex<double> at(double frequency_hz) const;
};

struct DesignBranch {
  std::string driver;
  int polarity = 1;  ///< 1 or -1
  ActivePart active = {};
  Ladder ladder = {};  ///< from the amplifier to the driver
  /// The driver stands so much to the right, up and toward the listener of where it was taken.
  std::array<double, 3> moved_m = {0.0, 0.0, 0.0};
};
/// Passive branches stand in parallel at one amplifier behind `source_ohm`; each active one at its
/// own, behind as much.
struct DesignedNetwork {
  double source_ohm = 0.0;
  std::vector<DesignBranch> branches = {};
  double tilt_deg = 0.0;  ///< the baffle leans so far back, about the origin of the drivers' places
};

/// Horizontal and vertical angle, degrees.
struct NetworkAngle {
  double horizontal_deg = 0.0, vertical_deg = 0.0;
  auto operator<=>(const NetworkAngle&) const = default;
};

/// A driver by itself in its place: its sound at 2.83 V at its terminals, all on one clock and at
/// one distance, and its impedance there.
struct NetworkDriver {
  std::string id;
  std::map<NetworkAngle, Response> responses;  ///< pressure; with phase
  Response impedance;
  /// From the subject's origin: right as seen from in front, up, toward the listener.
  std::array<double, 3> place_m = {0.0, 0.0, 0.0};
  /// What its cone's movement is reckoned with; nothing where nobody told it.
  struct Motor {
    double bl_tm, re_ohm, le_h;
    double xmax_m = 0.0;  ///< to one side; 0: not told
  };
  std::optional<Motor> motor = std::nullopt;
};

}  // namespace lalometer
