#pragma once

#include <CLI/CLI.hpp>
#include <string>

#include "base/text.h"

/// Checks of numbers on the command line whose complaint a person can read.
namespace lalometer {

inline CLI::Validator above_zero() {
  return {[](std::string& text) {
            const auto value = parse_number(text);
            return value && *value > 0.0 ? std::string() : text + " is not a number above 0";
          },
          "ABOVE 0"};
}

inline CLI::Validator not_negative() {
  return {[](std::string& text) {
            const auto value = parse_number(text);
            return value && *value >= 0.0 ? std::string() : text + " is not a number of 0 or above";
          },
          "0 OR ABOVE"};
}

}  // namespace lalometer
