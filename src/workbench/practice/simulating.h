#pragma once

#include <cstdint>
#include <filesystem>
#include <stop_token>
#include <string>
#include <vector>

#include "base/result.h"
#include "rig/audio_device.h"
#include "workbench/practice/practice_takes.h"

namespace lalometer {

/// A described loudspeaker with what is to be taken of it: the content of a file for `simulate`.
struct SimulationPlan {
  struct Variant {
    std::string id;
    std::string name;
    std::string changed;
    PracticeBenchSetup bench;
  };
  std::string name;
  SubjectKind kind = SubjectKind::kLoudspeaker;
  Description description;
  std::vector<Variant> variants;
  std::vector<PracticeTake> takes;
  double sample_rate_hz = 48000.0;
  std::vector<std::string> faults;  ///< words of what was put in, of all variants
};

/// A plan's takes as a measurement set, with the truth of each. Takes that need no device
/// run side by side.
struct Simulation {
  MeasurementSet set;
  Told truth;
};
[[nodiscard]] Result<Simulation> simulated(const SimulationPlan& plan, std::stop_token stop,
                                           const Progress& progress,
                                           const Parallel& parallel = in_turn);

/// Reads a plan, simulates it and writes a folder with set.json and `truth.json` beside it: the
/// bench's own impedance and free-field response of the first impedance and response take at the
/// top (24 points per octave, flight time out), the same for each take under "takes", and the
/// faults.
[[nodiscard]] Result<void> simulate_set(const std::filesystem::path& subject_file,
                                        const std::filesystem::path& folder, std::uint64_t seed,
                                        std::stop_token stop, const Progress& progress,
                                        const Parallel& parallel = in_turn);

}  // namespace lalometer
