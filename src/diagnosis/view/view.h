#pragma once

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "acoustics/impedance/fit/box_fit.h"
#include "acoustics/impedance/fit/driver_fit.h"
#include "acoustics/impedance/wiggles.h"
#include "base/progress.h"
#include "diagnosis/material.h"
#include "diagnosis/view/bass/losses.h"
#include "diagnosis/view/bass/tightness.h"
#include "diagnosis/view/sound/features.h"
#include "diagnosis/view/sound/second_arrival.h"

/// The takes as all causes look at them: computed once.
namespace lalometer {

/// Up to so many wavelengths round a cone may still move as one while its surround does not (found
/// on simulated drivers).
inline constexpr double kSurround_ka = 1.9;

/// What is left of a feature where one thing was changed.
struct SeenSwap {
  std::string change;   ///< the variant's word: "damping", "driver", ...
  std::string variant;  ///< its name
  double share = 1.0;   ///< of the feature that is still there
  std::int64_t take = 0;
};

/// What stands out of the reference curve, and what every other take says of it. Shares: 1 alike, 0
/// not there, below 0 the other way; nothing where no take could have shown it.
struct SeenFeature {
  CurveFeature feature;
  double at_hz = 0.0, low_hz = 0.0, high_hz = 0.0;
  double q = 1.0;
  std::optional<double> horizontal = std::nullopt;  ///< 20 to 60 degrees to the sides
  std::optional<double> vertical = std::nullopt;    ///< 10 to 45 degrees up and down
  std::optional<double> large_baffle = std::nullopt;
  std::optional<double> near = std::nullopt;    ///< near field of the driver that leads there
  std::optional<double> alone = std::nullopt;   ///< that driver alone in the box
  std::optional<double> others = std::nullopt;  ///< other samples
  std::vector<std::int64_t> other_takes = {};   ///< of those
  std::optional<double> behind = std::nullopt;  ///< 110 degrees and more
  std::vector<SeenSwap> swaps = {};             ///< variants that differ in one thing
  /// The harmonics that are heard there, made in the motor, in the same take.
  std::optional<double> in_harmonics = std::nullopt;
  bool sharp = false;  ///< found by a finer look: a Q of some 15 and more
  std::optional<double> from_edges =
      std::nullopt;  ///< what the drawing foretells there, over what is seen
  double edges_db = 0.0;
  std::string leads = {};          ///< the driver that plays most there
  double crossover_octaves = 9.0;  ///< from the nearest crossover
  /// Q of what rings on there, by the decay on the axis; 0: nothing does; nothing where it was not
  /// looked for.
  std::optional<double> rings_q = std::nullopt;
  bool in_comb = false;  ///< one of several evenly spaced in Hz
  std::optional<double> wiggle_box =
      std::nullopt;  ///< height of an impedance loop there, %; 0: none
  std::optional<double> wiggle_free = std::nullopt;
  /// Where that loop in free air stands: a resonance makes a dip or a peak on both sides of itself.
  std::optional<double> free_loop_hz = std::nullopt;
  double free_loop_q = 0.0;
  /// What that loop foretells of the response, if the cone moves as one: of the velocity the same
  /// share as of the motional part of the impedance, half of it to each side, dB.
  std::optional<double> by_loop_db = std::nullopt;
  /// How much likelier what is seen is where the cone moves as one; below 1: where it bends, and
  /// sounds more than its coil feels.
  [[nodiscard]] double moves_as_one() const;
  bool at_mode = false;  ///< it lies where a wave of the box does
};

/// A loop of the impedance in the box, and what else has it.
struct SeenWiggle {
  Wiggle wiggle;
  std::optional<bool> in_free_air = std::nullopt;
  std::optional<double> damped =
      std::nullopt;  ///< height where the damping was changed, over its own
  std::optional<double> port_changed = std::nullopt;
  double mode_off = 1.0;  ///< relative distance to the nearest wave of the box; 1: none near
  std::string mode = {};
  double pipe_off = 1.0;
};

/// What the impedances of one variant say; costs most of a view, and stays while no impedance is
/// added.
struct ImpedanceSide {
  std::optional<BoxFit> box = std::nullopt;
  std::optional<DriverFit> closed = std::nullopt;  ///< of a sealed box
  std::optional<DriverFit> free_air = std::nullopt;
  std::optional<LossKinds> losses = std::nullopt;
  std::optional<Tightness> tightness = std::nullopt;  ///< of a sealed box
  int bass_humps = 0;                                 ///< of the impedance in the box, below 200 Hz
  /// The curve begins low enough (a fifth of what is seen) to show a vented box's lower hump as
  /// well, where one is seen.
  bool lower_hump_in_range = false;
  bool begins_below_humps = false;  ///< well under the lowest that is seen
  std::vector<SeenWiggle> wiggles = {};
  std::optional<std::vector<Wiggle>> free_wiggles = std::nullopt;  ///< of the driver in free air
};

struct CaseView : ImpedanceSide {
  const CaseMaterial* material = nullptr;
  std::string variant = {}, sample = {};
  const CaseTake* axis_take = nullptr;               ///< on the axis, all drivers; null without one
  std::optional<FrequencyAxis> axis = std::nullopt;  ///< common to all curves
  std::vector<double> level_db = {};                 ///< of the reference
  std::vector<double> outstanding_db = {};
  ValidRange valid = {0.0, 0.0};
  /// How far the reference's repeats lie off it about each frequency, dB rms; empty without one.
  std::vector<double> repeats_off_db = {};
  std::vector<SeenFeature> features = {};
  /// Without the rows that the mains spoilt, as kept in `cleaned`.
  const CaseTake* box_impedance = nullptr;
  const CaseTake* free_impedance = nullptr;
  std::vector<std::shared_ptr<const CaseTake>> cleaned = {};
  /// What the edges and the step make of each driver on the axis, dB re an infinite baffle; NaN
  /// where it was not computed.
  std::map<std::string, std::vector<double>> edges = {};
  /// Of a comb: from one dip to the next, Hz; 0: none.
  double comb_hz = 0.0;
  /// The second arrival that makes it, by take: taken out of the levels here, while its dips and
  /// peaks stay among the features; empty where it was not found.
  std::map<const CaseTake*, SecondArrival> arrivals = {};
  /// Every take's level on the common axis; empty outside.
  std::map<const CaseTake*, std::vector<double>> levels = {};

  /// Circumference of a driver over the wavelength; where no size is told, of a usual cone's.
  [[nodiscard]] double ka(const std::string& driver, double frequency_hz) const;
  /// The same of the cone whose coil has a loop of the impedance there: just above a crossover the
  /// lower driver's, a tweeter being behind its capacitor; of a loop in free air that driver's.
  [[nodiscard]] double loop_ka(const SeenWiggle& wiggle) const;
  [[nodiscard]] std::vector<const CaseTake*> responses() const;  ///< of the main state, all angles
};
/// Of the variant and the sample that most takes are of.
[[nodiscard]] CaseView view_of(const CaseMaterial& material);
/// @param known  the impedances' side of this very variant, where somebody has it; may be null
[[nodiscard]] CaseView view_of(const CaseMaterial& material, const std::string& variant,
                               const ImpedanceSide* known = nullptr,
                               const Parallel& parallel = in_turn);
/// Of each variant the take on whose axis its features are found: the first of the whole
/// loudspeaker, of the sample that most takes are of. By their places among the takes.
[[nodiscard]] std::vector<std::size_t> axis_takes(const CaseMaterial& material);
/// The variant that most takes are of.
[[nodiscard]] std::string main_variant(const CaseMaterial& material);
/// Of it.
[[nodiscard]] ImpedanceSide impedance_side(const CaseMaterial& material,
                                           const Parallel& parallel = in_turn);

}  // namespace lalometer
