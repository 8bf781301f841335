#pragma once

#include <map>
#include <optional>
#include <stop_token>
#include <string>
#include <string_view>
#include <vector>

#include "base/progress.h"
#include "workbench/results/impedance_reading.h"

namespace lalometer {

/// What a series is asked for.
enum class SeriesAim { kSmoothness, kExtension, kOutput, kDecay, kLoad };
[[nodiscard]] const char* word_of(SeriesAim aim);
[[nodiscard]] std::optional<SeriesAim> series_aim(std::string_view word);
/// Closer ones are alike (common practice, no source).
inline constexpr double kExtensionAlike_hz = 2.0;
inline constexpr double kDecayAlike_ms = 0.3;
inline constexpr double kLoadAlike_ohm = 0.1;

/// Takes of one variant or one sample, for comparing it with its fellows.
struct ComparedMember {
  std::string id;
  std::string name;
  std::vector<Response> responses;  ///< on axis, Pa at one drive and distance; repeats of one thing
  std::vector<Response> impedances;  ///< of one condition
  /// Smooth error that each one's rig may have, per cent; those not told: the usual.
  std::vector<double> calibration_percent = {};
  std::string changed = {};  ///< what it says of itself, for factors.h
};

/// A member's own figures.
struct MemberFigures {
  std::string id;
  std::string name;
  /// Means of repeats; of a single take with what usual repeats differ by in their uncertainty.
  std::vector<ReadFigure> impedance;
  std::vector<Wiggle> wiggles;       ///< of the first impedance
  std::optional<Response> response;  ///< mean of repeats
  std::optional<Estimate> level_db;  ///< output: mean level 300 Hz to 3 kHz
  /// Rms departure from the curve smoothed over an octave, 100 Hz (or where it becomes valid) to
  /// 10 kHz, dB.
  std::optional<double> roughness_db;
  std::optional<double> f6_hz;  ///< where the level has fallen by 6 dB for good, going down
  std::string refusal;          ///< why an impedance was not read
  std::optional<double> minimum_ohm = {};  ///< lowest magnitude, 20 Hz to 20 kHz
  /// What rings longest on the axis, until 20 dB weaker, of ridges no more than 20 dB under the
  /// response there; 0: nothing rings. Nothing where no take has phase.
  std::optional<double> ring_ms = {};
};

struct FigureDifference {
  std::string key, name, unit;
  double difference;
  double uncertainty;  ///< 95 %, of both and of their repeats
  bool real;           ///< larger than that
};
struct PairDifference {
  std::size_t a = 0;
  std::size_t b = 0;
  std::vector<FigureDifference> figures;
  /// Of the responses where both are valid.
  std::optional<double> mean_db;     ///< b over a
  std::optional<double> rms_db;      ///< with the mean taken out
  std::optional<double> largest_db;  ///< of means over a third of an octave
  std::optional<double> largest_at_hz;
  bool real = false;  ///< any of it beyond repeat error
};

struct RankLine {
  std::size_t member;
  double score;  ///< sum of places over the criteria that were there; smaller is better
  std::vector<std::string> reasons;
};

struct SeriesComparison {
  std::vector<MemberFigures> members;
  std::vector<PairDifference> pairs;
  double repeat_db = 1.0;                   ///< what two takes of one thing differ by, 95 %
  bool repeat_measured = false;             ///< false: the usual 1 dB (common practice, no source)
  std::vector<RankLine> ranking;            ///< best first
  std::optional<std::size_t> nearest_pair;  ///< into pairs: the two that match best
  std::optional<std::size_t> odd_one_out;   ///< a member that differs from all others
  std::optional<Estimate> driver_fs_hz;     ///< of closed boxes, where it was taken in free air
  std::vector<std::string> notes;
};

/// Figures, differences and ranking of the members, in their order. Two figures differ really where
/// the difference exceeds both uncertainties together and the scatter of repeats. Ranking: places
/// in what is asked (smoothness, extension and output where nobody says), ties where the difference
/// is within repeat error. A stop leaves members that were not reached without figures.
struct ComparisonOptions {
  std::optional<double> re_ohm = std::nullopt;
  /// The driver alone, for what a filling won in a closed box; may be null.
  const Response* free_air = nullptr;
  /// What the ranking counts.
  std::vector<SeriesAim> aims = {SeriesAim::kSmoothness, SeriesAim::kExtension, SeriesAim::kOutput};
  std::stop_token stop = {};
  Parallel parallel = in_turn;
};
[[nodiscard]] SeriesComparison compared(const std::vector<ComparedMember>& members,
                                        ImpedanceRole role, const ComparisonOptions& options = {});

/// Figures that say something of a member by themselves; others follow from them.
[[nodiscard]] bool compared_figure(const std::string& key);
[[nodiscard]] const ReadFigure* figure_of(const MemberFigures& member, const std::string& key);

}  // namespace lalometer
