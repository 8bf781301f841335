#pragma once

#include <cstddef>
#include <string>
#include <vector>

#include "workbench/reading/scale/palette.h"

namespace lalometer {

/// A PNG of opaque pixels, row by row. Precondition: pixels.size() == width * height, both above 0.
[[nodiscard]] std::vector<std::byte> png_of(const std::vector<Rgb>& pixels, int width, int height);
/// "data:image/png;base64,…"
/// @param in_page  for a page that browsers read: its '+' and '/' percent-encoded, as in any other
///   address (RFC 2397), so that no tool takes pieces of it for words or paths.
[[nodiscard]] std::string data_address(const std::vector<std::byte>& png, bool in_page = false);

}  // namespace lalometer
