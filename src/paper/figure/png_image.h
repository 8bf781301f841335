#pragma once

#include <cstddef>
#include <string>
#include <vector>

#include "workbench/reading/scale/palette.h"

namespace lalometer {

/// A PNG of opaque pixels, row by row. Precondition: pixels.size() == width * height, both above 0.
[[nodiscard]] std::vector<std::byte> png_of(const std::vector<Rgb>& pixels, int width, int height);
/// "data:image/png,%89%50…" (RFC 2397): for a page, which people search for words, and base64 is
/// full of them.
[[nodiscard]] std::string escaped_address(const std::vector<std::byte>& png);
/// "data:image/png;base64,…": for files, a third of that length.
[[nodiscard]] std::string data_address(const std::vector<std::byte>& png);

}  // namespace lalometer
