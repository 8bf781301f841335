#pragma once

#include <filesystem>
#include <utility>
#include <vector>

#include "base/result.h"

namespace lalometer {

/// A target drawn by somebody: rows of frequency and dB, rising in frequency (read_text_table).
[[nodiscard]] Result<std::vector<std::pair<double, double>>> read_target(
    const std::filesystem::path& file);

}  // namespace lalometer
