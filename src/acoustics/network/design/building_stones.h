#pragma once

#include <optional>
#include <string>

#include "acoustics/network/whatif/designed_network.h"
#include "base/result.h"

/// Small circuits that mend one thing of one driver, with first values from its own curves.
namespace lalometer {

enum class StoneKind {
  kBaffleStep,  ///< coil beside a resistor in the line: what the edges take from the bass
  kNotch,       ///< coil, capacitor and resistor beside one another in the line: a peak
  kPad,         ///< a resistor in the line and one across: too loud by itself
  kCoilAcross,  ///< resistor and capacitor across the driver: its coil's rising impedance
  kPeakAcross,  ///< coil, capacitor and resistor across the driver: its resonance's impedance
};
/// "baffle-step", "notch", "pad", "coil-compensation", "resonance-compensation".
[[nodiscard]] std::string_view word_of(StoneKind kind);

struct BuildingStone {
  StoneKind kind;
  std::string driver;
  Ladder parts;       ///< from the amplifier on
  bool first = true;  ///< stands before the branch's own parts; else behind them, at the driver
  double at_hz = 0.0;
  double db = 0.0;   ///< what it takes away; 0 of what only works on the impedance
  std::string told;  ///< in a sentence, with what it rests on
};

/// A shelf that takes back what the baffle gives: fitted to `step_db`, the level of this driver on
/// this baffle re far below the step (any curve that shows it: a model's or a measured one), by
/// least squares over log f. @param step_db  rows of `hz`. Errors: it rises by less than 1 dB.
[[nodiscard]] Result<BuildingStone> baffle_step_stone(const NetworkDriver& driver,
                                                      const std::vector<double>& hz,
                                                      const std::vector<double>& step_db);
/// The highest peak of the driver's response on the axis (over its own run of an octave, and over
/// the higher of the valleys beside it) between two frequencies, by the trap whose answer through
/// the measured impedance takes most of it away. Errors: none reaches 1.5 dB.
[[nodiscard]] Result<BuildingStone> notch_stone(const NetworkDriver& driver, double from_hz,
                                                double to_hz);
/// Takes `db` off into the driver's impedance at `hz`, which the amplifier goes on to see.
/// Errors: 0.5 to 30 dB.
[[nodiscard]] Result<BuildingStone> pad_stone(const NetworkDriver& driver, double db, double hz);
/// Resistor and capacitor that make the impedance evenest from its minimum above the resonance to
/// 20 kHz. Errors: it rises by less than a fifth.
[[nodiscard]] Result<BuildingStone> coil_stone(const NetworkDriver& driver);
/// The dual of the highest impedance peak (any text on one-ports: Z and R^2 / Z in series with R
/// each are R together): R + R^2/Res, C = Les/R^2, L = Ces R^2, with Res, Les and Ces of the peak,
/// R the resistance below it. Errors: no peak.
[[nodiscard]] Result<BuildingStone> resonance_stone(const NetworkDriver& driver);

/// A branch with the stone in its place.
void put_stone(DesignBranch& branch, const BuildingStone& stone);

}  // namespace lalometer
