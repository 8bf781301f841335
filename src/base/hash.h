#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <string>
#include <string_view>

/// Content hashes: raw data is named by them, and results are cached under them.
namespace lalometer {

/// SHA-256 (FIPS 180-4) of the bytes, as 64 lower-case hex digits.
[[nodiscard]] std::string sha256_hex(std::span<const std::byte> bytes);
[[nodiscard]] std::string sha256_hex(const std::string& text);

/// FNV-1a, 64 bits: a seed out of a name. Not for content.
[[nodiscard]] constexpr std::uint64_t fnv1a(std::string_view text) {
  std::uint64_t hash = 14695981039346656037ULL;
  for (const char c : text) hash = (hash ^ static_cast<unsigned char>(c)) * 1099511628211ULL;
  return hash;
}

}  // namespace lalometer
