#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <string>

/// Content hashes: raw data is named by them, and results are cached under them.
namespace lalometer {

/// SHA-256 (FIPS 180-4) of the bytes, as 64 lower-case hex digits.
[[nodiscard]] std::string sha256_hex(std::span<const std::byte> bytes);
[[nodiscard]] std::string sha256_hex(const std::string& text);

}  // namespace lalometer
