#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

/// A subject as it is described: drivers, baffle, box, ports, radiators, wings, crossovers, in the
/// units of the measurement set (docs/file-formats.md), as somebody told them. What is not
/// specified is absent, never guessed; what cannot be right is kept too, and is an error where it
/// is used (geometry_of, practice_speaker_of). Plain values without JSON.
namespace lalometer {

/// A member of a description that this version does not know: kept, and written out again.
struct UnreadMember {
  std::string key;
  std::string json;
  friend bool operator==(const UnreadMember&, const UnreadMember&) = default;
};
using Unread = std::vector<UnreadMember>;

/// A driver's small-signal figures, measured or from its maker's sheet.
struct DriverFigures {
  std::optional<double> re_ohm, fs_hz, qms, qes, qts, vas_l, le_mh, mms_g, bl_tm;
  std::optional<double> sensitivity_db_2v83_1m;
  friend bool operator==(const DriverFigures&, const DriverFigures&) = default;
};

/// The figure that files and tables call by this key ("fs_hz"); null where there is none.
[[nodiscard]] std::optional<double> DriverFigures::*figure_named(std::string_view key);

/// A part of a driver's network, from amplifier to driver.
struct DescribedLadderPart {
  std::string place;  ///< "series" or "shunt"
  std::optional<double> ohm, mh, uf;
  std::vector<DescribedLadderPart> parallel = {}, series = {};  ///< parts inside it, of either kind
  Unread unread = {};
  friend bool operator==(const DescribedLadderPart&, const DescribedLadderPart&) = default;
};

struct DescribedWaveguide {
  std::optional<double> throat_mm, mouth_mm, half_angle_deg;
  Unread unread = {};
  friend bool operator==(const DescribedWaveguide&, const DescribedWaveguide&) = default;
};

struct DescribedDriver {
  std::string id;
  std::string role;
  std::optional<double> diameter_mm, sd_cm2;
  std::optional<double> x_mm, y_mm, z_mm;  ///< from the baffle's origin: right, up, to the listener
  DriverFigures figures;                   ///< its own, for the models
  DriverFigures sheet;                     ///< what its maker quotes: compared, never modelled
  std::optional<double> xmax_mm, power_w, breakup_hz, delay_ms;
  bool inverted = false;
  std::vector<DescribedLadderPart> ladder;
  std::optional<DescribedWaveguide> waveguide;
  Unread unread = {};
  Unread unread_sheet = {};
  friend bool operator==(const DescribedDriver&, const DescribedDriver&) = default;
};

struct DescribedBaffle {
  std::optional<double> width_mm, height_mm, depth_mm;
  std::optional<double> left_mm, top_mm;  ///< from its left and top edge to the origin
  std::optional<double> edge_radius_mm, edge_chamfer_mm;
  Unread unread = {};
  friend bool operator==(const DescribedBaffle&, const DescribedBaffle&) = default;
};

struct DescribedBox {
  std::optional<double> net_volume_l;
  std::optional<double> inner_width_mm, inner_height_mm, inner_depth_mm;
  std::string damping;  ///< "none", "lined", "filled"; may be empty
  std::optional<double> ql, qa, qp, tuning_hz;
  Unread unread = {};
  friend bool operator==(const DescribedBox&, const DescribedBox&) = default;
};

struct DescribedPort {
  std::string id;
  std::string panel;
  std::optional<double> diameter_mm, length_mm, count, slot_height_mm, flare_radius_mm;
  std::optional<double> x_mm, y_mm;
  Unread unread = {};
  friend bool operator==(const DescribedPort&, const DescribedPort&) = default;
};

struct DescribedRadiator {
  std::string id;
  std::string panel;
  std::optional<double> diameter_mm, sd_cm2, moving_mass_g, fs_hz, qms;
  std::optional<double> x_mm, y_mm;
  Unread unread = {};
  friend bool operator==(const DescribedRadiator&, const DescribedRadiator&) = default;
};

/// Side panels of an open baffle.
struct DescribedWings {
  std::optional<double> left_mm, right_mm;
  Unread unread = {};
  friend bool operator==(const DescribedWings&, const DescribedWings&) = default;
};

struct DescribedCrossover {
  std::string low, high;  ///< ids of drivers
  std::optional<double> frequency_hz, order;
  Unread unread = {};
  friend bool operator==(const DescribedCrossover&, const DescribedCrossover&) = default;
};

struct Description {
  std::string loading;  ///< "sealed", "vented"...; may be empty
  std::vector<DescribedDriver> drivers;
  std::optional<DescribedBaffle> baffle;
  std::optional<DescribedBox> box;
  std::vector<DescribedPort> ports;
  std::vector<DescribedRadiator> passive_radiators;
  std::optional<DescribedWings> wings;
  std::vector<DescribedCrossover> crossovers;
  Unread unread = {};
  friend bool operator==(const Description&, const Description&) = default;

  /// The driver of that id, or the first where none is asked for; null where there is none.
  [[nodiscard]] const DescribedDriver* driver(const std::string& id) const;
  /// The same, added where there is none.
  DescribedDriver& driver_made(const std::string& id);
};

}  // namespace lalometer
