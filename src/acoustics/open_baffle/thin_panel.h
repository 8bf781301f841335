#pragma once

#include <complex>
#include <memory>
#include <vector>

#include "acoustics/baffle/diffraction.h"
#include "acoustics/open_baffle/dipole.h"

namespace lalometer {

/// A driver in a thin rigid panel, front minus rear, at any place and angle; also with wings.
///
/// Below highest_hz(): the jump of the sound potential over the panel, as a sheet of doublets. A
/// panel of doublets of one strength is a ring of vortex filaments, whose field at rest is exact;
/// what the finite wavelength adds is smooth. Filaments and control points lie by the cosine rule,
/// half a step from free edges, which catches the root behaviour there: C. E. Lan, J. Aircraft 11
/// (1974) 518, for wings in a stream. Solved for a source at the listener, whose jump gives the
/// answer for every driver at once (reciprocity). For a disc this is Lamb's jump (4 U / pi)
/// sqrt(a^2 - r^2) (H. Lamb, Hydrodynamics, section 102).
/// Above: direct sound and twice the edges' first and second order as thin half planes (the two
/// faces' waves are opposite there), U. P. Svensson, R. I. Fred, J. Vanderkooy, J. Acoust. Soc. Am.
/// 106 (1999) 2331, with an open wedge of 2 pi; a wing's fold counts as a box's edge. Between
/// 3/4 of highest_hz() and itself one goes over into the other.
///
/// Not in it: the panel's thickness (20 mm take up to 1 dB off the bass).
class ThinPanel {
 public:
  /// Solves the panel at some forty frequencies: about half a second.
  /// Precondition: check(panel) holds.
  ThinPanel(const OpenBaffle& panel, double speed_of_sound_m_s);
  ~ThinPanel();
  ThinPanel(ThinPanel&&) noexcept;
  ThinPanel& operator=(ThinPanel&&) noexcept;

  /// Pressure over that of a point source of the same volume velocity in an infinite baffle at the
  /// same distance, as baffle_response() gives it.
  /// @param at        in the panel's coordinates, z toward the listener; at least 0.2 m away.
  /// @param radius_m  of the piston; cut to the panel's nearest edge.
  [[nodiscard]] std::vector<std::complex<double>> response(const BafflePoint& at, double radius_m,
                                                           const FrequencyAxis& axis) const;
  [[nodiscard]] double highest_hz() const;

 private:
  class Sheet;
  OpenBaffle panel_;
  double c_;
  std::unique_ptr<Sheet> sheet_;
};

/// Solved once for each panel and kept for the last few: many angles, many takes of one
/// loudspeaker. Safe from any thread.
[[nodiscard]] std::shared_ptr<const ThinPanel> solved_panel(const OpenBaffle& panel,
                                                            double speed_of_sound_m_s);

/// How far from the panel its figures are meant, on its axis: as far as people measure.
inline constexpr double kPanelDistance_m = 2.0;

/// First peak on the axis and the dip after it, by the solved panel; the path's mean as a measure
/// of its size.
[[nodiscard]] DipoleRule solved_dipole(const OpenBaffle& panel, double radius_m,
                                       double speed_of_sound_m_s);

}  // namespace lalometer
