#pragma once

#include <filesystem>
#include <string>

#include "acoustics/network/whatif/designed_network.h"
#include "base/result.h"

namespace lalometer {

/// Reads a network file: {"source_ohm", "branches": [{"driver", "polarity", "gain_db", "delay_ms",
/// "filters", "fir", "ladder"}]} (docs/file-formats.md). "filters" as `equalise` prints them (type,
/// frequency_hz, gain_db, q; or coefficients b and a), for 48 kHz unless "sample_rate_hz" says
/// otherwise; "fir" a WAV beside the file. Errors name the file and the place in it.
[[nodiscard]] Result<DesignedNetwork> read_network(const std::filesystem::path& file);
[[nodiscard]] Result<DesignedNetwork> network_from_json(const std::string& text,
                                                        const std::string& where,
                                                        const std::filesystem::path& folder = {});

}  // namespace lalometer
