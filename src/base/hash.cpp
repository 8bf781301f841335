#include "base/hash.h"

#include <openssl/evp.h>

#include <array>

namespace lalometer {

std::string sha256_hex(std::span<const std::byte> bytes) {
  std::array<unsigned char, EVP_MAX_MD_SIZE> digest{};
  unsigned int length = 0;
  EVP_Digest(bytes.data(), bytes.size(), digest.data(), &length, EVP_sha256(), nullptr);
  std::string hex;
  hex.reserve(2U * length);
  for (unsigned int i = 0; i < length; ++i) {
    hex.push_back("0123456789abcdef"[digest[i] >> 4U]);
    hex.push_back("0123456789abcdef"[digest[i] & 0xfU]);
  }
  return hex;
}

std::string sha256_hex(const std::string& text) {
  return sha256_hex(std::as_bytes(std::span(text.data(), text.size())));
}

}  // namespace lalometer
