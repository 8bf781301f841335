#pragma once

#include <cstddef>
#include <vector>

/// What goes wrong between a converter and a file: its clock, its losses.
namespace lalometer {

/// A recording by a converter whose clock runs `ratio` times as fast as the player's: sample i is
/// the sound at i / ratio. Windowed sinc over 32 samples.
/// @param length  of the recording, samples.
[[nodiscard]] std::vector<double> at_other_clock(const std::vector<double>& x, double ratio,
                                                 std::size_t length);

/// Takes out a stretch of what was delivered; the end is filled with silence.
void lose(std::vector<double>& x, std::size_t at, std::size_t count);
/// Delivers a stretch twice; the end is cut.
void repeat(std::vector<double>& x, std::size_t at, std::size_t count);

}  // namespace lalometer
