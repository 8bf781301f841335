#pragma once

#include <optional>
#include <string>
#include <vector>

#include "acoustics/impedance/fit/driver_fit.h"

namespace lalometer {

/// A box with a port or a passive radiator, as its impedance tells, by a fitted equivalent circuit.
struct BoxFit {
  Estimate re_ohm;
  Estimate driver_fs_hz;  ///< of the driver as it is loaded in this box, its compliance alone
  Estimate driver_qms;
  Estimate driver_qes;
  Estimate alpha;  ///< compliance of the suspension over that of the box's air
  Estimate fl_hz;  ///< lower impedance peak of the motional part
  Estimate fb_hz;  ///< tuning: the air of box and port (or box and radiator) resonates
  Estimate fh_hz;  ///< upper impedance peak
  /// All losses of the box taken together as leakage, as Small does it, but for absorption where
  /// the curve tells it apart; nothing where it cannot tell (interval over 60 %).
  std::optional<Estimate> ql = std::nullopt;
  /// Losses by absorption (damping material), where the curve tells them apart.
  std::optional<Estimate> qa = std::nullopt;
  /// The flow of a radiator over the cone's where it is largest, near the tuning: all losses
  /// together as one Q, also where they are not told apart. Nothing where the curve does not hold
  /// it (interval over 60 %, or no loss left for the driver).
  std::optional<Estimate> passed_q = std::nullopt;
  /// The radiator's own resonance, where it shorts the box and the response has its notch.
  std::optional<Estimate> notch_hz = std::nullopt;
  double misfit_percent = 0.0;
  double fitted_to_hz = 0.0;  ///< above, a crossover or the coil is left out
  FittedImpedance motor;
  std::vector<std::string> notes;
};

/// Least squares over the bass range, up to six times the upper impedance peak: driver, box, leak,
/// coil, and what a crossover adds as a series inductance and a capacitance across, where the data
/// plainly ask for it.
///
/// Refused, with the reason: no two impedance peaks in range; an impedance peak cut off by an end
/// of the curve; a curve that the model does not follow within 8 %. Source: R. H. Small,
/// "Vented-box loudspeaker systems", JAES 21 (1973), part IV; "Passive-radiator loudspeaker
/// systems", JAES 22 (1974).
[[nodiscard]] Result<BoxFit> fit_box(const Response& impedance, BackLoad back,
                                     std::optional<double> re_ohm = std::nullopt,
                                     double calibration_percent = kUsualCalibration_percent);

/// What a QL means: below 5 leaky, to 10 usual, above tight (Small 1973: 7 usual).
[[nodiscard]] const char* leak_word(double ql);

/// What stuffing did to a closed box: how much larger the air seems, from fc before and after with
/// the same driver, Vab' / Vab = (fc^2 - fs^2) / (fc'^2 - fs^2), and what share of the isothermal
/// limit 1.4 was won.
struct StuffingGain {
  Estimate volume_ratio;
  double share_of_limit;  ///< 0: nothing won, 1: isothermal
};
[[nodiscard]] std::optional<StuffingGain> stuffing_gain(const Estimate& fs_hz,
                                                        const Estimate& before,
                                                        const Estimate& after);

}  // namespace lalometer
