#pragma once

#include <complex>

namespace lalometer {

/// What the cone's back works into.
struct BoxLoad {
  enum class Kind { kFreeAir, kSealed, kVented };
  Kind kind = Kind::kFreeAir;
  double volume_m3 = 0.0;  ///< net volume
  /// Leakage, absorption and port losses as Q at the tuning (or, in a sealed box, at 1/(2 pi
  /// sqrt(...)) of the reference frequency below); infinite losses are not meaningful, 0 means
  /// none.
  double ql = 0.0;
  double qa = 0.0;
  double qp = 0.0;
  double tuning_hz =
      0.0;  ///< fB of a vented box; the reference frequency of QL and QA in a sealed one
};

/// Acoustic compliance of a volume, V / (rho c^2), m^5/N.
[[nodiscard]] double acoustic_compliance(double volume_m3);

/// Acoustic impedance at the back of the cone, and the share of the volume velocity that leaves by
/// the port. Vented: Ca (with Ra in series), Ral and Map (with Rap in series) in parallel; QL = wB
/// Ca Ral, QA = 1/(wB Ca Ra), QP = wB Map / Rap. Source: R. H. Small, "Vented-box loudspeaker
/// systems", JAES 21 (1973).
struct BoxState {
  std::complex<double> impedance_pa_s_m3;
  std::complex<double> port_share;  ///< port volume velocity over the cone's, outward over inward
};
[[nodiscard]] BoxState solve_box(const BoxLoad& box, double frequency_hz);

/// Port geometry. Round ports, alike.
struct Port {
  double diameter_m;
  double length_m;
  int count = 1;
};
/// Helmholtz tuning of a box with round ports, c/(2 pi) sqrt(S / (V L')), L' = L + end corrections,
/// one end flanged (0.849 r) and one free (0.613 r). Source: Beranek, Acoustics, end corrections of
/// tubes.
[[nodiscard]] double tuning_hz(double volume_m3, const Port& port);

}  // namespace lalometer
