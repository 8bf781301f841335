#pragma once

#include <optional>
#include <vector>

#include "diagnosis/cause.h"
#include "diagnosis/view/meeting/lobe.h"
#include "diagnosis/view/view.h"

namespace lalometer {

/// Where two drivers meet, as all causes of a bad sum look at it.
struct SeenCrossing {
  const CaseCrossover* crossing = nullptr;
  double at_hz = 0.0;     ///< of the lowest level within half an octave
  double depth_db = 0.0;  ///< below what stands to both sides, one to two octaves off; negative
  std::optional<std::size_t> feature = std::nullopt;  ///< the dip of the reference curve that it is
  /// Phase of the lower driver over the upper one's, degrees, by takes of each alone.
  std::optional<double> between_deg = std::nullopt;
  std::optional<double> flipped_db = std::nullopt;  ///< louder with a driver flipped
  std::optional<double> sides_db = std::nullopt;    ///< the same depth to the sides, mean
  std::optional<Lobe> lobe = std::nullopt;          ///< what the angles up and down say
  /// The same a third to half an octave higher, where both still play: a delay has turned farther
  /// there.
  std::optional<Lobe> lobe_above = std::nullopt;
  bool too_near = false;  ///< the microphone, to hear two drivers as at a listener's place

  /// A deep hole plainly off the crossover: there the drivers are no longer alike in level, so that
  /// it takes a phase that turns, as a delay's does. Reversed ones are deepest where they are
  /// alike.
  [[nodiscard]] bool hole_beside() const;
  /// Far more is missing than the edges foretell of its dip.
  [[nodiscard]] bool beyond_edges(const CaseView& view) const;
  /// How much likelier the lobes are with a quarter period between the drivers; 1: there are none.
  [[nodiscard]] double quarter_ratio() const;
  /// The phase that the lobe tells falls again above: a late driver's grows, a network's stays.
  [[nodiscard]] bool turns_back() const;
  /// Of loudspeakers whose drivers meet in phase none came near it, edges and all.
  [[nodiscard]] bool lobes_say_quarter() const { return quarter_ratio() > 3.0; }
  /// What the lobe says, less where the phase itself was taken, which says more.
  [[nodiscard]] double beside_phase(double of_lobe) const;
};
/// All of the drawing's crossovers that the reference curve reaches.
[[nodiscard]] std::vector<SeenCrossing> crossings(const CaseView& view);
/// Puts a claim to where it belongs: on the dip, or on the crossing.
void place(Claim& claim, const SeenCrossing& seen);
/// Whether the lower driver's cone bends just below: then its phase turns there.
void saw_bent(Claim& claim, const CaseView& view, const SeenCrossing& seen);
/// Whether the microphone stood too near to hear how they add up.
void saw_distance(Claim& claim, const CaseView& view, const SeenCrossing& seen);
/// Whether the driver that leads has the dip by itself: then no sum made it.
void saw_alone(Claim& claim, const CaseView& view, const SeenCrossing& seen);

}  // namespace lalometer
