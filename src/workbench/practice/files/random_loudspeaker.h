#pragma once

#include <cstdint>
#include <random>
#include <string>
#include <vector>

/// Loudspeakers drawn by lot for the practice bench: for practice cases and for benchmarks.
namespace lalometer {

/// Numbers by lot that are the same on every machine.
class Lot {
 public:
  explicit Lot(std::uint64_t seed) : engine_(seed) {}
  [[nodiscard]] double between(double low, double high) {
    return low + (high - low) * static_cast<double>(engine_() >> 11) * 0x1.0p-53;
  }
  [[nodiscard]] bool chance(double p) { return between(0.0, 1.0) < p; }
  /// 0 .. n − 1.
  [[nodiscard]] std::size_t below(std::size_t n);

 private:
  std::mt19937_64 engine_;
};

/// A vented two-way of random size, drivers, tuning, losses and crossover, as the subject of a
/// simulation plan: aligned as usual, nothing wrong with it.
[[nodiscard]] std::string random_two_way(Lot& lot);
/// Impedance, axis, near fields, angles of both planes (the vertical ones four times of five), free
/// air (three of four), drivers alone (one of two).
/// @param sweeps  the axis as a sweep whose record is kept, as faults of the rig need; else
/// response
[[nodiscard]] std::string random_takes(Lot& lot, bool sweeps);
/// What the bench can put into such a loudspeaker, words of the list of causes.
[[nodiscard]] const std::vector<std::string>& random_faults();
/// True for faults of the rig and the room, which only sweeps show.
[[nodiscard]] bool fault_of_the_rig(const std::string& fault);

}  // namespace lalometer
