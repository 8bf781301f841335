#pragma once

#include <cstdint>
#include <string>
#include <vector>

namespace lalometer {

/// A colour of the screen.
struct Rgb {
  std::uint8_t red = 0, green = 0, blue = 0;
  friend bool operator==(const Rgb&, const Rgb&) = default;
};
/// "#0e6b72".
[[nodiscard]] std::string hex_of(Rgb colour);

/// Eight colours that stay apart for colour-blind eyes, each with its own dash pattern, so that
/// colour is never the only code.
inline constexpr int kLineColours = 8;
[[nodiscard]] Rgb line_colour(int index, bool dark);
/// On, off, on, off in pixels; empty: solid. From the ninth curve on the dash moves on, so that
/// pairs stay distinct up to 32.
[[nodiscard]] const std::vector<double>& line_dash(int index);

/// Colour of a share 0..1 of a map's range, from deep (0) to paper (1): lightness falls evenly from
/// paper to deep teal ink, by five anchors at equal steps of CIE lightness.
[[nodiscard]] Rgb map_share_colour(double share, bool dark);

}  // namespace lalometer
