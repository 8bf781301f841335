#pragma once

#include <cstddef>
#include <string>
#include <vector>

#include "workbench/reading/scale/palette.h"

namespace lalometer {

/// A PNG of opaque pixels, row by row. Precondition: pixels.size() == width * height, both above 0.
[[nodiscard]] std::vector<std::byte> png_of(const std::vector<Rgb>& pixels, int width, int height);
/// "data:image/png;base64,…"
[[nodiscard]] std::string data_address(const std::vector<std::byte>& png);

}  // namespace lalometer
