#pragma once

#include <gmock/gmock.h>

#include <cstdlib>
#include <functional>
#include <optional>
#include <random>

#include "base/result.h"
#include "support/support.h"

/// Files as they come from broken disks, half uploads and hands in a hurry: whatever is done to
/// their bytes, they are read or refused with a reason, and nothing crashes. LALOMETER_MUTANTS sets
/// how many of each kind are tried.
namespace lalometer::test {

inline int mutants() {
  const char* wanted = std::getenv("LALOMETER_MUTANTS");
  return wanted == nullptr ? 150 : std::max(std::atoi(wanted), 1);
}

/// The same content with a few things done to it, another each time, the same for a seed.
inline std::string mutated(std::string bytes, std::uint32_t seed) {
  std::mt19937 engine(seed);
  const auto upto = [&](std::size_t n) { return n == 0 ? 0 : engine() % n; };
  static const char* const kWords[] = {"1e308",
                                       "-1",
                                       "nan",
                                       "inf",
                                       "0",
                                       "1e-320",
                                       "null",
                                       "[]",
                                       "{}",
                                       "\"\"",
                                       "99999999999999999999",
                                       "true"};
  const std::size_t times = 1 + upto(6);
  for (std::size_t i = 0; i < times; ++i) {
    const std::size_t at = upto(bytes.size());
    const std::size_t length = std::min(1 + upto(40), bytes.size() - at);
    switch (engine() % 8) {
      case 0:
        if (!bytes.empty()) bytes[at] = static_cast<char>(bytes[at] ^ (1 << (engine() % 8)));
        break;
      case 1:
        if (!bytes.empty()) bytes[at] = static_cast<char>(engine());
        break;
      case 2:
        bytes.erase(at, length);
        break;
      case 3:
        bytes.insert(at, bytes.substr(upto(bytes.size()), length));
        break;
      case 4:
        bytes.resize(at);
        break;
      case 5:
        bytes.replace(at, length, length, '\0');
        break;
      case 6:
        bytes.replace(at, length, length, static_cast<char>(0xff));
        break;
      default: {
        // A number or word in its place.
        const auto digit = bytes.find_first_of("0123456789", at);
        const std::size_t from = digit == std::string::npos ? at : digit;
        const auto end = bytes.find_first_not_of("0123456789.eE+-", from);
        bytes.replace(from, (end == std::string::npos ? bytes.size() : end) - from,
                      kWords[engine() % std::size(kWords)]);
        break;
      }
    }
  }
  return bytes;
}

/// Reads all mutants; what is refused has a reason and the file's name.
inline void try_all(const std::string& sound, const std::string& name,
                    const std::function<std::optional<Error>(const std::filesystem::path&)>& read,
                    const std::function<void(const std::filesystem::path&)>& clear = {}) {
  const TemporaryFolder folder;
  int refused = 0;
  for (int i = 0; i < mutants(); ++i) {
    write(folder / name, mutated(sound, static_cast<std::uint32_t>(i)));
    SCOPED_TRACE(i);
    if (const auto problem = read(folder / name)) {
      ++refused;
      EXPECT_FALSE(problem->message.empty());
      EXPECT_THAT(problem->where, ::testing::HasSubstr(name)) << problem->text();
    }
    if (clear) clear(folder / name);
  }
  EXPECT_GT(refused, 0) << "nothing was hurt: the test tries nothing";
}

}  // namespace lalometer::test
