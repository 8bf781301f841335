#pragma once

#include <string>
#include <vector>

#include "book/description/subject_geometry.h"
#include "workbench/taking/take_runner.h"

namespace lalometer {

/// What somebody wants to know; each purpose has its list of takes.
enum class Purpose {
  kDriverCheck,
  kParameters,
  kBoxCheck,
  kQuickSet,
  kOrbit,
  kFullSet,
  kLevels,
  kDecay,
  kComparison,
  kListeningAxis,
  kMultitone,
  kSteadyTones,
  kNearLevels,
  kRub,
};
struct PurposeText {
  Purpose purpose;
  const char* word;     ///< as plans keep it: "box-check"
  const char* title;    ///< "Check a box"
  const char* answers;  ///< what will be known afterwards, in a sentence
};
[[nodiscard]] const std::vector<PurposeText>& purposes();
[[nodiscard]] const PurposeText& text_of(Purpose purpose);

/// How a purpose is to be carried out.
struct PlanOptions {
  double distance_m = 1.0;
  double drive_v = 2.83;
  double gate_ms = 0.0;  ///< what the room allows; 0: not specified
  int repeats = 1;
  std::vector<std::string> samples = {};  ///< "A", "B"; empty: there is but one
  std::vector<Id> variants = {};          ///< of a comparison; otherwise the first one is measured
  std::vector<double> levels_v = {0.7, 2.83, 5.66};
  /// Levels at 1 m, dB SPL, instead of the volts; empty: by volts.
  std::vector<double> levels_db = {};
  double highest_v = 6.0;           ///< that a level at 1 m may take
  double tones_per_octave = 3.0;    ///< of multitones and steady tones
  double subwoofer_from_hz = 80.0;  ///< what a multitone is played from, to see what that wins
  double upper_from_hz = 0.0;       ///< and its upper part alone; 0: by the drawing's crossover
  double step_deg = 10.0;
  bool vertical = false;       ///< of one orbit
  double added_mass_g = 10.0;  ///< of the parameters; 0: by a test box
  double test_box_l = 0.0;
  double sample_rate_hz = 48000.0;
};

struct PlannedTake {
  std::string id;  ///< within its plan, "h030"; kept with the take that fulfils it
  TakeRequest request;
  std::string instruction;  ///< who moves what before it; empty where the table does it alone
  bool skipped = false;
};

struct MeasuringPlan {
  Purpose purpose = Purpose::kQuickSet;
  Id subject_id = 0;
  std::string stamp;  ///< tells plans apart: takes of an earlier one do not fulfil this one
  std::vector<PlannedTake> takes;
};

/// The takes a purpose needs of a subject, in the order that moves least. A wish that cannot be (no
/// variant, no driver to hold a microphone to, a step that does not divide the circle) is an error.
[[nodiscard]] Result<MeasuringPlan> plan_for(Purpose purpose, const Subject& subject,
                                             const std::vector<Variant>& variants,
                                             const PlanOptions& wishes);

/// About how long a take takes, its moving included.
[[nodiscard]] double minutes_of(const PlannedTake& take, bool by_hand);

/// Key under which a take keeps which planned take it fulfils: "stamp/id".
[[nodiscard]] std::string plan_item(const MeasuringPlan& plan, const PlannedTake& take);

}  // namespace lalometer
