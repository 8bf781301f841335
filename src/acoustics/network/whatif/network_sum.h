#pragma once

#include "acoustics/network/whatif/designed_network.h"
#include "base/result.h"

namespace lalometer {

/// The loudspeaker that a network would make of measured drivers, 2.83 V at the amplifier.
struct NetworkSum {
  FrequencyAxis axis;
  ValidRange valid = {};
  struct Branch {
    std::string driver;
    std::vector<std::complex<double>> pressure;  ///< on the axis, with its branch
    /// The driver's terminal voltage over the amplifier's open voltage, with polarity, gain, delay
    /// and filters.
    std::vector<std::complex<double>> transfer;
  };
  std::vector<Branch> branches = {};           ///< in the network's order
  std::vector<std::complex<double>> sum = {};  ///< on the axis, Pa
  /// Off the axis, of the angles that every driver has.
  std::map<NetworkAngle, std::vector<std::complex<double>>> angles = {};
  /// What the amplifier of the passive branches sees, without the source's own resistance; of a
  /// network without any, the only branch's. Empty where several amplifiers share the work.
  std::vector<std::complex<double>> load_ohm = {};
};

/// Complex sums at every angle. A driver that was moved, or leans with the baffle, comes sooner or
/// later by its way toward each angle's listener, far off; that its edges and its own beam are
/// others then is not in it. The axis is that of the first branch's response on the axis, cut to
/// what all drivers have there; the others and the impedances are interpolated
/// (Response::resampled); an impedance that ends inside the axis keeps its last value.
/// Errors: a driver that is not there, has no response on the axis, or no phase in one of them or
/// in its impedance; no frequency that all have.
[[nodiscard]] Result<NetworkSum> network_sum(const DesignedNetwork& network,
                                             const std::vector<NetworkDriver>& drivers);

/// The load and each branch's transfer over the impedances' own range within 20 Hz to 20 kHz, 24
/// rows an octave, however little of it the sounds' gate leaves. Empty where a driver is missing;
/// no loads where several amplifiers share the work.
struct NetworkStates {
  std::vector<double> hz = {};
  std::vector<std::complex<double>> load_ohm = {};
  std::vector<std::vector<std::complex<double>>> transfer = {};  ///< [branch][row]
};
[[nodiscard]] NetworkStates network_states(const DesignedNetwork& network,
                                           const std::vector<NetworkDriver>& drivers);

/// Transfer of each branch and the load at one frequency.
struct BranchStates {
  std::vector<std::complex<double>> transfer;
  std::complex<double> load_ohm = 0.0;  ///< 0: several amplifiers
};
/// @param driver_ohm  impedance of each branch's driver.
[[nodiscard]] BranchStates branch_states(const DesignedNetwork& network,
                                         const std::vector<std::complex<double>>& driver_ohm,
                                         double frequency_hz);

/// Where two branches that follow one another in frequency are equally loud.
struct NetworkCrossing {
  std::string low, high;
  double frequency_hz = 0.0;
  double phase_difference_deg = 0.0;  ///< high over low, -180 .. 180
  /// The sum of the two with one reversed, at its deepest within a third of an octave to each side,
  /// below the louder of the two there; positive.
  double reverse_null_db = 0.0;
};
/// By the branches' own levels on the axis: each neighbours' last crossing at which the lower one
/// falls away, weighed by how loud they are there. Nothing for a pair that never crosses.
[[nodiscard]] std::vector<NetworkCrossing> network_crossings(const NetworkSum& sum);

/// How far a driver's cone goes to one side for one volt (amplitude) at its terminals, by its
/// impedance alone, in whatever box: |Z - Re - j w Le| / (|Z| Bl w), since what the movement adds
/// to the impedance is Bl v / i. Small 1972. NaN without a motor. Right about the resonance and
/// below; where the movement adds little to Z (five times the resonance) it is small anyway.
[[nodiscard]] double excursion_m_per_v(const NetworkDriver& driver, double frequency_hz);

/// What a driver itself must stand, of the same noise as part_loads.
struct DriverLoad {
  std::string driver;
  double volts = 0.0;                            ///< rms at its terminals
  double watt = 0.0;                             ///< taken up
  std::optional<double> peak_mm = std::nullopt;  ///< of its cone, at a crest factor of 4
  std::optional<double> xmax_mm = std::nullopt;
};
[[nodiscard]] std::vector<DriverLoad> driver_loads(const DesignedNetwork& network,
                                                   const std::vector<NetworkDriver>& drivers,
                                                   double power_w);

/// A part's load.
struct PartLoad {
  std::string driver;
  std::string part;  ///< its name, else L1, C1, R1 ... from the amplifier on, each branch by itself
  double value = 0.0;
  std::string unit;     ///< "mH", "uF", "ohm"
  double peak_a = 0.0;  ///< at a crest factor of 4
  double watt = 0.0;    ///< in its resistance
};
/// Pink noise from 20 Hz to 20 kHz (equal power an octave) of `power_w` into the nominal impedance
/// (IEC 60268-5: of the load's minimum from 20 Hz to 20 kHz).
[[nodiscard]] std::vector<PartLoad> part_loads(const DesignedNetwork& network,
                                               const std::vector<NetworkDriver>& drivers,
                                               double power_w);

}  // namespace lalometer
