#pragma once

#include <optional>
#include <span>
#include <stop_token>
#include <string>
#include <vector>

#include "acoustics/signal/clocks/clock_drift.h"
#include "acoustics/signal/impulse_response.h"
#include "acoustics/signal/recording/continuity.h"
#include "acoustics/signal/sweep.h"
#include "book/records.h"

namespace lalometer {

/// One take's sweep out of a sound file without a loopback: from an interface that played it, or
/// from a recorder with a clock of its own, with one sweep or several in it.
struct HeardTake {
  /// t = 0: the moment of excitation as the file tells it, latency in; or, where it cannot tell
  /// (`start_known` false), the top of the pulse. Its rate is the recorder's own: samples per
  /// second of the player.
  ImpulseResponse impulse;
  SweepSpec spec;               ///< as the recorder's clock samples it
  std::vector<double> stretch;  ///< the first of the sweeps, with the silence before it
  std::vector<double> reference;
  std::size_t lead = 0;  ///< where it begins in there
  int found = 1;         ///< in the whole file
  int averaged = 1;
  bool start_known = true;
  std::optional<ClockDrift> drift = std::nullopt;
  /// Reference chirps told when it was played: t = 0 is that moment where their distance is told
  /// (`start_known`), else it is when their sound came.
  bool by_chirps = false;
  /// The drift is not known well enough to tell a phase.
  bool phase_open = false;
  RepeatSpread spread = {};  ///< of repeats
  std::vector<std::string> notes = {};
};

/// Several are looked for where the stimulus says "repeats", where a take names one of them, or
/// where the file is longer than two sweeps. Of repeats the mean is taken, of others the named one
/// (Conditions::sweep), else the first, with a note.
///
/// Reference chirps around the sweep tell its start and the drift exactly.
/// Drift: of repeats exactly, and taken out; of one sweep taken out where it is more than its
/// uncertainty, and then no phase is told. Where it is less, player and recorder count as one
/// clock.
/// @param split_s  of the impulse response: what is to be told apart before t = 0.
[[nodiscard]] Result<HeardTake> heard_take(std::span<const double> signal, double rate,
                                           const Conditions& conditions, double split_s,
                                           const std::string& file, std::stop_token stop);

/// Whether a sweep was heard at all, and whether samples are missing in it.
struct SweepHeard {
  /// Its pulse stands out of everything: a wrong stimulus, or silence, does not.
  bool stands_out = false;
  std::optional<SweepBreak> broken = std::nullopt;
};
[[nodiscard]] SweepHeard sweep_in(const HeardTake& heard);

}  // namespace lalometer
