#pragma once

#include <optional>
#include <string>
#include <vector>

#include "acoustics/enclosure/driver_circuit.h"
#include "acoustics/impedance/fit/driver_fit.h"

namespace lalometer {

/// A second curve of the same driver, by which its mechanical side becomes known.
struct AddedMass {
  DriverFit fit;
  double mass_kg;
};
struct TestBox {
  DriverFit fit;  ///< of the driver in the closed box
  double volume_m3;
};

/// Thiele/Small parameters as practitioners quote them, each with the half-width of its 95 %
/// interval; nothing where the takes do not tell it.
struct ThieleSmall {
  Estimate re_ohm, fs_hz, qms, qes, qts, le_h;
  std::optional<Estimate> vas_m3, mms_kg, cms_m_per_n, rms_kg_per_s, bl_tm;
  std::optional<Estimate> sensitivity_2v83_db;  ///< 1 m, half space
  std::optional<Estimate> sensitivity_1w_db;    ///< into Re
  std::optional<Estimate> efficiency;           ///< reference efficiency, a ratio
  std::vector<std::string> notes;
};

/// Half-widths of what was put in by hand, per cent; 0 leaves one out. Usual care (common
/// practice): 1 % of the diameter is 2 % of Sd and 4 % of Vas.
struct HandUncertainty {
  double sd_percent = 3.0;
  double mass_percent = 2.0;
  double volume_percent = 3.0;
};

/// @param sd_m2  effective radiating area, > 0.
/// @param hand   counts in every figure that rests on it; each term is named in the notes.
///
/// Added mass: Mms = m / ((fs/fs')^2 - 1), and with creep the stiffness at both frequencies is
/// counted. Test box: Vas = V ((fc Qec) / (fs Qes) - 1), which a changed air load does not disturb
/// (Small 1972). From Mms and fs: Cms; Vas = rho c^2 Sd^2 Cms; Rms = 2 pi fs Mms / Qms; Bl^2 = 2 pi
/// fs Mms Re / Qes. Efficiency 4 pi^2 fs^3 Vas / (c^3 Qes); level at 1 W: 10 log10 of it above
/// one acoustic watt into half a space at 1 m, 112.16 dB (Small 1972 rounds to 112).
///
/// Refused: added mass that did not lower fs, a box that did not raise it, and so small a shift
/// that the result would be worth nothing (interval over 30 %); Re of the two curves more than 10 %
/// apart (another driver, or another jig).
[[nodiscard]] Result<ThieleSmall> thiele_small(const DriverFit& free_air, double sd_m2,
                                               const std::optional<AddedMass>& added = {},
                                               const std::optional<TestBox>& box = {},
                                               const HandUncertainty& hand = {});
/// Electrical side alone.
[[nodiscard]] ThieleSmall electrical_parameters(const DriverFit& free_air);

/// As the models want it; nothing where the mechanical side is not known.
[[nodiscard]] std::optional<DriverParameters> driver_parameters(const ThieleSmall& parameters,
                                                                const DriverFit& free_air,
                                                                double sd_m2);

/// Mean over repeats of one driver, figure by figure.
[[nodiscard]] ThieleSmall mean_of_repeats(const std::vector<ThieleSmall>& repeats);

/// Datasheet values beside measured ones. Usual tolerances of makers: fs and Qms 15 %, Re 10 %, Qes
/// and Qts 15 %, Vas and Le 25 %, Mms and Bl 10 %, sensitivity 1.5 dB (common practice, no
/// source).
struct Comparison {
  std::string name;  ///< "fs"
  std::string unit;
  double quoted;
  Estimate measured;
  double difference_percent;                                 ///< of a level: dB
  enum class Verdict { kAlike, kWithin, kOutside } verdict;  ///< kAlike: within the uncertainty
};
struct Quoted {
  std::optional<double> re_ohm, fs_hz, qms, qes, qts, vas_l, mms_g, bl_tm, le_mh, sensitivity_db;
};
[[nodiscard]] std::vector<Comparison> against_sheet(const ThieleSmall& measured,
                                                    const Quoted& quoted);

}  // namespace lalometer
