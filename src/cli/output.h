#pragma once

#include <fmt/format.h>

#include <nlohmann/json.hpp>
#include <ostream>

#include "base/result.h"

/// What all commands share: where they print, how they fail.
namespace lalometer {

using OrderedJson = nlohmann::ordered_json;

inline constexpr int kDone = 0;
inline constexpr int kWrongUsage = 2;
inline constexpr int kUnusable = 3;

struct Doors {
  std::ostream& out;
  std::ostream& err;
  bool json = false;
};

inline int refuse(const Doors& doors, const Error& error) {
  doors.err << error.text() << '\n';
  return kUnusable;
}

}  // namespace lalometer
