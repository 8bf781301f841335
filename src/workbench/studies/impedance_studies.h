#pragma once

#include <functional>
#include <memory>
#include <stop_token>
#include <string>
#include <vector>

#include "workbench/reading/lane_content.h"
#include "workbench/studies/factors.h"

/// What the impedance desk analyses from a book's takes, on a worker.
namespace lalometer {

/// One driver's takes that belong together: a sample in free air, and with mass or in a test box.
struct DriverGroup {
  std::string driver;  ///< id; empty where the takes name none
  std::string sample;
  std::vector<Take> free_air;              ///< repeats
  std::vector<Take> second;                ///< added mass or test box
  [[nodiscard]] std::string name() const;  ///< "woofer A"
};
/// Of a subject, in the order of their first takes; groups without a free-air take are left out.
[[nodiscard]] std::vector<DriverGroup> driver_groups(const std::vector<Take>& takes, Id subject);

/// A take's curve, and the smooth error that its rig may have, per cent.
struct TakenCurve {
  Response curve;
  double calibration_percent = kUsualCalibration_percent;
  /// Of a driver's own sweep on the axis: above it its THD stays under 3 % (distortion_study.h).
  std::optional<double> clean_from_hz = std::nullopt;
};
/// Gives a take's curve; a worker's own way to the book.
using CurveSource = std::function<Result<TakenCurve>(const Take&)>;
/// Reads raw data through connections of its own.
[[nodiscard]] CurveSource book_curves(const std::filesystem::path& book,
                                      std::vector<std::pair<Id, RigCalibration>> rigs,
                                      Recipe recipe);

struct DriverStudy {
  ThieleSmall parameters;
  DriverFit fit;  ///< of the first free-air take
  std::optional<ClosedSignature> three_points;
  std::vector<Wiggle> wiggles;  ///< of that take
  LaneContent residual;         ///< the curve's departure from the model, %
  std::size_t repeats = 1;
};
/// @param sd_m2  0: not known; then the mechanical side stays unknown.
[[nodiscard]] Result<DriverStudy> study_driver(const DriverGroup& group, const CurveSource& curves,
                                               double sd_m2, std::optional<double> re_ohm,
                                               std::stop_token stop);

/// Departure from the fitted model in percent of the magnitude, real and imaginary part together,
/// with the loops named.
[[nodiscard]] LaneContent residual_lane(const Response& measured, const FittedImpedance& motor,
                                        const std::vector<Wiggle>& wiggles);

/// Figures of a driver as its datasheet quotes them.
[[nodiscard]] Quoted sheet_of(const Description& description, const std::string& driver);
/// @param key    as thiele-small prints it: "fs_hz".
/// @param value  nothing takes it out.
[[nodiscard]] Description with_sheet_value(Description description, const std::string& driver,
                                           const std::string& key, std::optional<double> value);
/// Sd of a driver: told, or by its diameter; 0 where neither is told.
[[nodiscard]] double sd_of(const Description& description, const std::string& driver);
/// The description with measured parameters in it, for the models.
[[nodiscard]] Description with_parameters(Description description, const std::string& driver,
                                          const ThieleSmall& parameters, double sd_m2);
/// Moving mass of the first passive radiator, kg; nothing where it is not specified.
[[nodiscard]] std::optional<double> radiator_mass_of(const Description& description);

/// Variants or samples of a subject against one another.
struct SeriesStudy {
  SeriesComparison comparison;
  std::vector<FactorTable> factors;  ///< where several things were varied
  ImpedanceRole role = ImpedanceRole::kDriver;
  std::vector<std::optional<Response>> impedances;  ///< of each member, for its small picture
  LaneContent overlay;                              ///< all of them over each other
};
struct SeriesOptions {
  Id subject = 0;
  bool by_sample = false;
  std::string loading;
  std::vector<Take> takes;  ///< of the subject
  std::vector<Variant> variants;
  std::vector<SeriesAim> aims = ComparisonOptions().aims;
};
[[nodiscard]] Result<SeriesStudy> study_series(const SeriesOptions& wish, const CurveSource& curves,
                                               std::stop_token stop, const Progress& progress = {},
                                               const Parallel& parallel = in_turn);

}  // namespace lalometer
