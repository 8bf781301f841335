#pragma once

#include <array>
#include <complex>
#include <optional>
#include <vector>

namespace lalometer {

/// Inner dimensions of a rectangular box, m.
struct InnerBox {
  double width_m;
  double height_m;
  double depth_m;
};

/// A place on or in the box, from its inner lower left front corner; a disc or opening of some size
/// averages the mode over itself.
struct BoxPlace {
  double x_m;
  double y_m;
  double z_m;  ///< 0 at the front wall, depth_m at the back
  double half_size_m = 0.0;
};

struct BoxMode {
  std::array<int, 3> order;  ///< along width, height, depth
  double frequency_hz;
};

/// Resonances of a rigid box below a frequency, rising: f = c/2 sqrt((l/W)^2 + (m/H)^2 + (n/D)^2).
/// Source: any acoustics text, e.g. Beranek, Acoustics, rectangular enclosures.
[[nodiscard]] std::vector<BoxMode> box_modes(const InnerBox& box, double highest_hz,
                                             double speed_of_sound_m_s);

/// Shape of a mode at a place, -1..1: product of cosines, averaged over the place's size along each
/// dimension but the one it faces (z).
[[nodiscard]] double mode_shape(const BoxMode& mode, const InnerBox& box, const BoxPlace& place);

/// What is on the walls or in the box, as the quality factor of a mode at its own frequency.
enum class BoxDamping { kNone, kLined, kFilled };

/// Quality factor of a mode, by the damping (common practice, no source: about 50 bare, 8
/// lined, 2.5 filled; a lining works less where it is thin against a quarter wavelength).
[[nodiscard]] double mode_q(BoxDamping damping, double frequency_hz);
/// Speed of sound inside: slowed in a fibre filling toward the isothermal limit c/sqrt(1.4); 0.93 c
/// is usual for a loose one (common practice, no source).
[[nodiscard]] double inner_speed_m_s(BoxDamping damping, double speed_of_sound_m_s);

/// Acoustic transfer impedance between two places of a rigid box, Pa s/m^3: pressure at `at` for a
/// volume velocity into the box at `from`,
///   Z = rho c^2 / V * sum_n e_n psi_n(at) psi_n(from) j w / (wn^2 - w^2 + j w wn / Qn),
/// e_n = 2 per dimension of order > 0. The zeroth term is the box's compliance 1/(j w Ca), so with
/// all modes above the range it is the lumped model; each dimension's terms alone are a
/// transmission line of that length. Modes up to four times the highest frequency of interest are
/// summed. Source: P. M. Morse, K. U. Ingard, Theoretical Acoustics, Green's function of a
/// rectangular room.
class BoxField {
 public:
  BoxField(const InnerBox& box, BoxDamping damping, double highest_hz, double speed_of_sound_m_s);
  [[nodiscard]] std::complex<double> transfer_pa_s_m3(const BoxPlace& at, const BoxPlace& from,
                                                      double frequency_hz) const;
  /// The same without its zeroth term: what the standing waves add to the compliance.
  [[nodiscard]] std::complex<double> waves_pa_s_m3(const BoxPlace& at, const BoxPlace& from,
                                                   double frequency_hz) const;
  /// mode_shape() of every mode at a place, in the order of modes().
  [[nodiscard]] std::vector<double> shapes(const BoxPlace& place) const;
  /// The waves between two places whose shapes are computed already.
  [[nodiscard]] std::complex<double> waves_pa_s_m3(const std::vector<double>& shapes_at,
                                                   const std::vector<double>& shapes_from,
                                                   double frequency_hz) const;
  [[nodiscard]] const std::vector<BoxMode>& modes() const { return modes_; }
  /// The same box with nothing in it.
  [[nodiscard]] BoxField undamped() const;

 private:
  InnerBox box_;
  BoxDamping damping_;
  double c_;
  double outer_c_;
  double highest_hz_;
  std::vector<BoxMode> modes_;
  /// Per mode: e_n, its square angular frequency, and that over Q.
  struct Resonance {
    double weight;
    double square;
    double loss;
  };
  std::vector<Resonance> resonances_;
};

}  // namespace lalometer
