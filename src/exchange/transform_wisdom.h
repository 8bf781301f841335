#pragma once

#include <filesystem>

namespace lalometer {

/// What one run of a program has learned about its Fourier transforms, kept for the next one in the
/// user's cache (XDG base directories). What cannot be read or written is done without.
class TransformWisdom {
 public:
  TransformWisdom();
  ~TransformWisdom();
  TransformWisdom(const TransformWisdom&) = delete;
  TransformWisdom& operator=(const TransformWisdom&) = delete;

 private:
  std::filesystem::path file_;  ///< empty where there is no place for it
};

}  // namespace lalometer
