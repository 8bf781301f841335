#pragma once

#include <complex>
#include <vector>

#include "acoustics/network/design/crossover_design.h"

/// Two drivers and their targets on a design's grid, and how far a try is off. Inside of
/// crossover_design.
namespace lalometer::design {

using Complex = std::complex<double>;

[[nodiscard]] double db_of(double magnitude);

/// A driver on the design's grid.
struct Side {
  std::vector<Complex> sound, ohm;
  std::vector<double> target_db;
};

struct Grid {
  std::vector<double> hz;
  double crossing_hz = 0.0;
  std::vector<double> sum_db;  ///< the targets' sum, re their level, with the system's target
  std::vector<Complex> turn;   ///< of the targets' low against high, length 1
  Side low, high;
  double level_db = 0.0;          ///< what both are brought to, where the system's target is 0
  std::vector<double> system_db;  ///< of the system's target

  /// An octave to each side.
  [[nodiscard]] bool near(std::size_t i) const {
    return hz[i] > crossing_hz / 2.001 && hz[i] < crossing_hz * 2.001;
  }
};
[[nodiscard]] Result<Grid> grid_of(const NetworkDriver& low, const NetworkDriver& high,
                                   const CrossoverWish& wish);

/// Mean level between two frequencies, over the system's target.
[[nodiscard]] double mean_db(const Grid& grid, const Side& side, double from_hz, double to_hz);
/// Where a driver stands highest beyond the crossing: for a trap.
[[nodiscard]] double trouble_hz(const Grid& grid, const Side& side, bool low);

/// Sound through a ladder.
/// @param input  gets the ladder's admittance added; may be null
[[nodiscard]] std::vector<Complex> through(const Ladder& ladder, const Side& side,
                                           const std::vector<double>& hz,
                                           std::vector<Complex>* input = nullptr);
/// Departures of one side's slope: all that lies within an octave, lightly what the other side does
/// not cover, and beyond the crossing only what stands out.
void add_slope(std::vector<double>& residual, const Grid& grid, const Side& side, bool low,
               const std::vector<Complex>& sound, double weight);

struct Deviation {
  double rms_db = 0.0, largest_db = 0.0, largest_at_hz = 0.0;
};
/// Of the sum, after a level fit, an octave to each side.
/// @param residual  gets its rows; may be null
[[nodiscard]] Deviation deviation_of(const Grid& grid, const std::vector<Complex>& low,
                                     const std::vector<Complex>& high, double sign,
                                     std::vector<double>* residual = nullptr);
[[nodiscard]] double slope_rms(const Grid& grid, const Side& side,
                               const std::vector<Complex>& sound);

/// How far the two stand from the targets' own phase to each other; 2 is half a turn. A sum that is
/// right by chance on one axis is wrong on the next.
[[nodiscard]] double off_phase(const Grid& grid, std::size_t i, Complex low, Complex high);
/// By how much both play.
[[nodiscard]] double phase_weight(Complex low, Complex high);

}  // namespace lalometer::design
