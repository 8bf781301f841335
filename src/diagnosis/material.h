#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "acoustics/baffle/baffle.h"
#include "acoustics/decay/ridges.h"
#include "acoustics/enclosure/box_modes.h"
#include "acoustics/enclosure/driver_circuit.h"
#include "acoustics/enclosure/port.h"
#include "acoustics/near_field/near_sources.h"
#include "acoustics/spectrum/response.h"

/// What there is of a subject: its drawing and its takes, as numbers.
namespace lalometer {

struct CaseDriver {
  std::string id;
  std::string role;
  double x_m = 0.0;  ///< from the baffle's origin
  double y_m = 0.0;
  double radius_m = 0.0;  ///< 0: not told
  bool high = false;      ///< a tweeter or a compression driver
  /// As told; nothing where fs, Qs, Vas and Re are not all told.
  std::optional<DriverParameters> told = std::nullopt;
};
struct CasePort {
  std::string id;
  std::optional<PortGeometry> geometry =
      std::nullopt;       ///< where both its width and its length are told
  double radius_m = 0.0;  ///< of a circle of one's area; 0: not told
  int count = 1;
  bool front = false;
};
struct CaseRadiator {
  std::string id;
  double radius_m = 0.0;  ///< 0: not told
};
struct CaseCrossover {
  std::string low, high;
  double frequency_hz = 0.0;
};
struct CaseSubject {
  std::string loading;  ///< "sealed", "vented", ...; empty: not told
  std::vector<CaseDriver> drivers;
  std::optional<Baffle> baffle = std::nullopt;
  double origin_x_m = 0.0;  ///< the origin in the baffle's own coordinates
  double origin_y_m = 0.0;
  std::optional<double> volume_m3 = std::nullopt;  ///< as the filling makes it act
  std::optional<InnerBox> inner = std::nullopt;
  BoxDamping damping = BoxDamping::kNone;
  std::vector<CasePort> ports = {};
  std::vector<CaseRadiator> radiators = {};
  /// Where drivers, ports and radiators stand, by id, for what their near fields hear of each
  /// other.
  std::vector<NearSource> places = {};
  double wing_m = 0.0;
  std::vector<CaseCrossover> crossovers = {};

  [[nodiscard]] const CaseDriver* driver(const std::string& id) const;
};

struct CaseTake {
  enum class Kind { kResponse, kNearField, kImpedance };
  Kind kind = Kind::kResponse;
  std::string name = {};  ///< for sentences
  std::int64_t id = 0;    ///< for links; 0: it has none
  std::string variant = {}, sample = {};
  std::string driver = {};     ///< the only one that plays, or the one measured; empty: all
  std::string source = {};     ///< of a near field
  std::string condition = {};  ///< "free-air", "in-box", "large-baffle"
  std::string flipped = {};    ///< driver whose polarity was flipped
  double horizontal_deg = 0.0, vertical_deg = 0.0;
  double distance_m = 1.0;
  double gate_s = 0.0;  ///< 0: not told
  double drive_v = 2.83;
  Response curve;
  std::vector<std::string> seen = {};  ///< codes of what its recording showed: "clipping", ...
  std::optional<double> reflection_s = std::nullopt;  ///< after the arrival
  /// What rings on, where it was looked for (on the axis, with phase); nothing: it was not.
  std::optional<std::vector<Ridge>> ridges = std::nullopt;
  /// Of a recorded sweep on the axis: the levels of the second and the third harmonic over the
  /// frequency at which they are heard, valid where they stand out of their noise. Empty: none
  /// does.
  std::vector<Response> harmonics = {};
};

struct CaseVariant {
  std::string id;
  std::string change;     ///< "damping", "port", ...; empty: not told
  std::string name = {};  ///< for sentences; empty: the id

  [[nodiscard]] const std::string& spoken() const { return name.empty() ? id : name; }
};

struct CaseMaterial {
  CaseSubject subject;
  std::vector<CaseVariant> variants = {};
  std::vector<CaseTake> takes = {};

  [[nodiscard]] const CaseVariant* variant(const std::string& id) const;
};

}  // namespace lalometer
