#pragma once

#include <complex>
#include <memory>
#include <string>
#include <vector>

#include "acoustics/placement/stand.h"
#include "book/description/subject_geometry.h"
#include "workbench/design/modelled.h"
#include "workbench/reading/lane_layers.h"
#include "workbench/results/analysis.h"
#include "workbench/results/impedance_reading.h"
#include "workbench/results/result_store.h"
#include "workbench/spin/angle_view.h"
#include "workbench/studies/wiggle_causes.h"

/// What a lane of the score shows, as plain values; the desk only draws them. A new kind of lane is
/// one file in lanes/ and one line in lanes/lanes.h.
namespace lalometer {

struct AngleReading;
struct EqualiseAdvice;
struct LaidTime;

/// The set of angles that a laid take stands for.
struct LaidSet {
  std::shared_ptr<const AngleReading> reading = nullptr;   ///< null: on its way
  std::shared_ptr<const EqualiseAdvice> advice = nullptr;  ///< where it is wanted
  bool pending = false;                                    ///< a newer one is being worked out
  std::string key = {};                                    ///< of both
  std::string name = {};                                   ///< tells it from the other laid sets
  std::string problem = {};                                ///< why there is none
  MapLook look = {};
};

/// A take on the score with its result, if it is analysed already.
struct LaidTake {
  Take take;
  std::string variant_name;
  std::string variant_change = {};  ///< what kind of change its variant is; may be empty
  std::shared_ptr<const Analysis> analysis;
  std::shared_ptr<const SubjectGeometry> geometry = nullptr;  ///< of its subject, where it is told
  std::shared_ptr<const ModelledCurves> model = nullptr;  ///< of its subject, where it is wanted
  /// Of an impedance: what the fit says.
  std::shared_ptr<const ImpedanceReading> reading = nullptr;
  std::string result_key = {};   ///< of analysis and reading: names them for what is built on them
  std::string subject_key = {};  ///< of geometry and model
  Recipe recipe = {};            ///< as it was analysed
  /// What the room around it is told to be; null: nobody told.
  std::shared_ptr<const Stand> stand = nullptr;
  /// Nominal impedance of its variant, by an impedance that lies on the score.
  std::optional<double> nominal_ohm = std::nullopt;
  /// Of one take of each set, the chosen one or the first, where lanes of angles are wanted.
  std::optional<LaidSet> set = std::nullopt;
  /// Level and time, where lanes of it are wanted; null: not wanted, or on its way.
  std::shared_ptr<const LaidTime> time = nullptr;
};

/// The loops of a laid impedance with their causes, as far as what else lies on the score tells:
/// the subject's drawing, the driver in free air, the same box in other variants.
[[nodiscard]] std::vector<ExplainedWiggle> explained_loops(const LaidTake& laid,
                                                           const std::vector<LaidTake>& all);

/// Values at a frequency, for the reading: level, or magnitude and phase. In the order of the
/// lanes.
struct CursorValue {
  Id take_id = 0;
  std::string group;  ///< title of the lane it belongs to
  std::string label;
  int style = 0;
  std::string text;   ///< "81.4 dB", "14.8 ohm ∠ +9°"; "–" outside the curve
  bool valid = true;  ///< false: below the gate's limit and the like
};

/// Key figures of a take with the range they rest on.
struct KeyFigure {
  std::string name;
  std::string value;
  std::string basis;  ///< range, uncertainty or condition
};

/// A kind of lane as a plug: what it needs, shows, and reads. The window knows no lane by name.
struct LaneKind {
  std::string id;  ///< kept in the book's view
  std::string title;
  std::string explained;  ///< one sentence that teaches the term
  double usual_weight;    ///< share of the score's height
  LaneContent (*build)(const std::vector<LaidTake>& laid, Id chosen);
  /// Whether it shows something of such a take.
  bool (*needs)(const LaidTake& laid);
  /// Text of a curve's value at the cursor; null: this lane reads nothing there.
  std::string (*at_cursor)(const LaidTake& laid, double frequency_hz,
                           std::complex<double> value) = nullptr;
  /// What is told of an analysed take that it needs; null: nothing.
  std::vector<KeyFigure> (*figures)(const LaidTake& laid) = nullptr;
  bool shown_at_first = true;  ///< false: added by hand, since few need it daily
  bool wants_models = false;   ///< is made of what the subject's description predicts
  bool wants_angles = false;   ///< is made of all angles of a laid take's set
  bool wants_advice = false;   ///< shows how it is equalised
  unsigned wants_time = 0;     ///< a sum of TimeWant: is made of level and time
};
/// A lane's content as a node: built once for the same takes, results and choice. While what it
/// needs is on its way it says so.
[[nodiscard]] Node<LaneContent> lane_node(const LaneKind& kind, const std::vector<LaidTake>& laid,
                                          Id chosen);
[[nodiscard]] const std::vector<LaneKind>& lane_kinds();

/// What tells most of a book that nobody has looked at yet: of its first subject with takes, in the
/// first two variants that have them, one response on the axis and one impedance each.
[[nodiscard]] std::vector<Id> telling_takes(const std::vector<Take>& takes);
[[nodiscard]] const LaneKind* lane_kind(const std::string& id);

/// A curve's name on the score, as short as it can be told apart: the take's name; its variant
/// where takes of one name in several variants are laid; both where both differ; its sample where
/// only that differs.
[[nodiscard]] std::string series_label(const LaidTake& laid, const std::vector<LaidTake>& all);

/// What the lanes read at a frequency, in their order.
[[nodiscard]] std::vector<CursorValue> cursor_values(const std::vector<LaidTake>& laid,
                                                     double frequency_hz);

/// In what the laid responses are not treated alike, in words: "gate 3.0 to 4.5 ms". Empty: alike.
[[nodiscard]] std::vector<std::string> unlike(const std::vector<LaidTake>& laid);

/// Of all lanes that have some, from the tallest lane down.
[[nodiscard]] std::vector<KeyFigure> key_figures(const LaidTake& laid);

}  // namespace lalometer
