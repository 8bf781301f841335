#include "workbench/reading/scale/palette.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace lalometer {

std::string hex_of(Rgb c) {
  return fmt::format("#{:02x}{:02x}{:02x}", c.red, c.green, c.blue);
}

Rgb line_colour(int index, bool dark) {
  static constexpr std::array<Rgb, kLineColours> kLight = {{{0x0E, 0x6B, 0x72},
                                                            {0xC4, 0x55, 0x3B},
                                                            {0x4C, 0x50, 0x99},
                                                            {0xA0, 0x74, 0x08},
                                                            {0x5B, 0x78, 0x2E},
                                                            {0x8A, 0x45, 0x80},
                                                            {0x2F, 0x80, 0xB0},
                                                            {0x53, 0x58, 0x5C}}};
  static constexpr std::array<Rgb, kLineColours> kNight = {{{0x4F, 0xC0, 0xC0},
                                                            {0xF0, 0x8A, 0x70},
                                                            {0xA0, 0xA6, 0xF0},
                                                            {0xE2, 0xB8, 0x4A},
                                                            {0xA6, 0xCB, 0x70},
                                                            {0xD9, 0x94, 0xCE},
                                                            {0x7A, 0xC2, 0xEE},
                                                            {0xC4, 0xC9, 0xCC}}};
  const auto i = static_cast<std::size_t>(((index % kLineColours) + kLineColours) % kLineColours);
  return dark ? kNight[i] : kLight[i];
}

const std::vector<double>& line_dash(int index) {
  static const std::array<std::vector<double>, kLineColours> dashes = {
      {{}, {9, 4}, {2, 3}, {12, 3, 2, 3}, {5, 3}, {16, 5}, {2, 6}, {8, 3, 2, 3, 2, 3}}};
  const int i = std::max(index, 0) % (kLineColours * 4);
  return dashes[static_cast<std::size_t>((i % kLineColours + i / kLineColours) % kLineColours)];
}

Rgb map_share_colour(double share, bool dark) {
  static constexpr std::array<Rgb, 5> kLight = {
      {{16, 42, 67}, {26, 91, 112}, {84, 141, 137}, {168, 191, 158}, {249, 243, 224}}};
  static constexpr std::array<Rgb, 5> kNight = {
      {{12, 18, 26}, {22, 58, 78}, {46, 106, 116}, {116, 160, 146}, {226, 220, 190}}};
  const auto& anchors = dark ? kNight : kLight;
  const double at = std::clamp(share, 0.0, 1.0) * 4.0;
  const auto i = std::min(static_cast<std::size_t>(at), std::size_t{3});
  const double t = at - static_cast<double>(i);
  const auto mix = [&](std::uint8_t a, std::uint8_t b) {
    return static_cast<std::uint8_t>(std::lround(a + t * (b - a)));
  };
  return {mix(anchors[i].red, anchors[i + 1].red), mix(anchors[i].green, anchors[i + 1].green),
          mix(anchors[i].blue, anchors[i + 1].blue)};
}

}  // namespace lalometer
