#pragma once

#include <array>
#include <complex>
#include <memory>
#include <optional>
#include <vector>

#include "acoustics/enclosure/box_modes.h"

namespace lalometer {

/// A passive radiator, seen acoustically: mass, compliance and losses over its area squared.
struct PassiveRadiator {
  double sd_m2;
  double mms_kg;
  double cms_m_per_n;
  double rms_kg_per_s;
  [[nodiscard]] double fs_hz() const;
};

/// A port as a pipe: lossless but for QP, open at both ends. Far below its resonance it is the mass
/// rho L / S.
struct PortPipe {
  double area_m2;
  double acoustic_length_m;
  /// Above 0: the outer end radiates as an open pipe of this radius, and its end correction is not
  /// in the length: Z = rho c / S * (j x || 1.5), x = 0.613 k a, whose resistance is (k a)^2 / 4
  /// far below and which hardly reflects once the mouth is as wide as the wave. Source of both
  /// limits: Levine and Schwinger 1948; the two elements in parallel are a usual shorthand for
  /// them.
  double mouth_radius_m = 0.0;
};

/// Where cone, port and a yielding panel sit in a box whose standing waves count. How strongly each
/// excites and hears each mode is computed at its making.
class BoxWaves {
 public:
  enum Spot { kCone, kPort, kPanel, kSpots };
  BoxWaves(std::shared_ptr<const BoxField> field, const BoxPlace& cone, const BoxPlace& port,
           const BoxPlace& panel = {0.0, 0.0, 0.0, 0.0});
  /// What the waves add between two spots, Pa s/m^3.
  [[nodiscard]] std::complex<double> between(Spot at, Spot from, double frequency_hz) const;
  /// The same places in the box with nothing in it.
  [[nodiscard]] BoxWaves undamped() const;
  [[nodiscard]] const BoxField& field() const { return *field_; }

  /// How many alike cones near one another excite them, where the load stands for one cone's share
  /// of the air.
  double cones = 1.0;

 private:
  std::shared_ptr<const BoxField> field_;
  std::array<BoxPlace, kSpots> places_;
  std::array<std::vector<double>, kSpots> shapes_;
};

/// What the cone's back works into.
struct BoxLoad {
  /// kOpenBack: the back is open to the room, straight or by a duct (`pipe`, the walls of a
  /// U-frame).
  enum class Kind { kFreeAir, kSealed, kVented, kPassiveRadiator, kOpenBack };
  Kind kind = Kind::kFreeAir;
  double volume_m3 = 0.0;  ///< net volume
  /// Leakage, absorption and port losses as Q at the tuning (in a sealed box at the reference
  /// frequency below); infinite losses are not meaningful, 0 means none.
  double ql = 0.0;
  double qa = 0.0;
  double qp = 0.0;
  double tuning_hz =
      0.0;  ///< fB of a vented box; the reference frequency of QL and QA in other boxes
  std::optional<PassiveRadiator> radiator = std::nullopt;  ///< of kPassiveRadiator
  std::optional<PortPipe> pipe = std::nullopt;  ///< with it the port's own resonances are in
  std::vector<PortPipe> more_pipes = {};        ///< further ports, unlike the first, beside it
  std::optional<BoxWaves> waves = std::nullopt;
  std::optional<PassiveRadiator> panel = std::nullopt;  ///< a wall that gives way to the pressure
};

/// Acoustic compliance of a volume, V / (rho c^2), m^5/N.
[[nodiscard]] double acoustic_compliance(double volume_m3);

/// What each of a box's pipes has of the volume velocity that leaves by all of them, in the order
/// of `pipe` and `more_pipes`; empty without any.
[[nodiscard]] std::vector<std::complex<double>> pipe_shares(const BoxLoad& box,
                                                            double frequency_hz);

/// Acoustic impedance at the back of the cone, and the shares of the volume velocity that leave by
/// the port (or passive radiator) and by the leak.
///
/// Lumped: Ca (with Ra in series), Ral and the port in parallel; QL = wB Ca Ral, QA = 1/(wB Ca Ra),
/// QP = wB Map / Rap. Port: j w Map, as a pipe j (rho c / S) tan(k' L), k' = k (1 - j / QP), whose
/// outer end moves by 1/cos(k' L) of its inner one. Source: R. H. Small, "Vented-box loudspeaker
/// systems", JAES 21 (1973); "Passive-radiator loudspeaker systems", JAES 22 (1974).
///
/// A panel is a second passive radiator: its mass, compliance and loss over its area squared.
///
/// An open back sends all of the cone's rear wave out: straight with share 1 and no load; through a
/// duct of length L' and area S with the load j (rho c / S) tan(k' L') and share 1/cos(k' L').
///
/// With waves the box is a two-port: the lumped compliance branch is the zeroth mode, the others
/// add between cone and port as BoxField tells.
struct BoxState {
  std::complex<double> impedance_pa_s_m3;
  std::complex<double> port_share;  ///< port volume velocity over the cone's, outward over inward
  std::complex<double> leak_share = 0.0;
  std::complex<double> panel_share = 0.0;
};
[[nodiscard]] BoxState solve_box(const BoxLoad& box, double frequency_hz);

}  // namespace lalometer
