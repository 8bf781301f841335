#pragma once

#include <functional>
#include <limits>
#include <optional>
#include <utility>
#include <vector>

#include "workbench/reading/lane_content.h"

/// What the builders of lanes share.
namespace lalometer {

inline constexpr double kNaN = std::numeric_limits<double>::quiet_NaN();
/// Grey and dashed: what is modelled is never taken for what was measured.
inline constexpr int kModelStyle = 7;

[[nodiscard]] bool is_response(const LaidTake& one);
[[nodiscard]] bool is_impedance(const LaidTake& one);
[[nodiscard]] bool is_drawn(const LaidTake& one);
/// It is of that kind and analysed.
[[nodiscard]] bool shows(const LaidTake& laid, TakeKind kind);
/// A take's curve without its values.
[[nodiscard]] Series series_for(const LaidTake& laid, const std::vector<LaidTake>& all, Id chosen);
/// A curve by itself, levels over its own axis.
[[nodiscard]] Series level_series(const Response& curve, const LaidTake& laid, std::string label,
                                  int style);
/// Made of near fields: their sum, or a join.
[[nodiscard]] bool is_of_near_fields(const LaidTake& one);
/// The chosen one of those that are analysed, else the first; null without any.
[[nodiscard]] const LaidTake* shown_sum(const std::vector<LaidTake>& laid, Id chosen);
/// It stands for a set of angles that is read.
[[nodiscard]] bool is_of_set(const LaidTake& one);
/// Those of them, the chosen take's first.
[[nodiscard]] std::vector<const LaidTake*> shown_sets(const std::vector<LaidTake>& laid, Id chosen);
/// A set's name: as the laid sets are told apart, else its variant, and driver where one plays
/// alone.
[[nodiscard]] std::string set_label(const LaidTake& one);
/// Values over a set's axis as a curve, valid where the set is.
[[nodiscard]] Series set_series(const LaidTake& one, const std::vector<double>& values,
                                std::string label, int style);
/// Why there is no set to show, where there is none.
[[nodiscard]] std::string no_set_text(const std::vector<LaidTake>& laid);
/// Lowest and highest finite value where valid, over all series.
[[nodiscard]] std::optional<std::pair<double, double>> extent(const std::vector<Series>& all);
/// The ranges in which no curve of the lane means anything are hatched; nothing above `highest` is
/// valid. Why the lower one is invalid may be told from where it ends.
void hatch_invalid(LaneContent& content, const std::function<std::string(double)>& why_below = {},
                   double highest = std::numeric_limits<double>::infinity());
/// The take whose subject's model is laid under a lane of its kind: the chosen one's, else the
/// first.
[[nodiscard]] const LaidTake* modelled_take(const std::vector<LaidTake>& laid, TakeKind kind,
                                            Id chosen);
[[nodiscard]] Series model_series(const ModelledCurves& model, const std::vector<double>& y,
                                  double shift);

/// Puts phases into a series, in degrees; a wrap is a break, not a line across the lane.
void put_wrapped(Series& series, const std::vector<double>& phase_deg);
/// Left scale in dB that shows [low, high]: at least 25 dB high, at most 60.
void fit_level_scale(LaneAxis& axis, std::pair<double, double> extent);

/// What a phase's zero rests on: "by the distance", "by reference chirps", "by the sound's onset",
/// "as its file tells".
[[nodiscard]] std::string basis_of(const TimeOrigin& origin);

}  // namespace lalometer
