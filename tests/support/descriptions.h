#pragma once

#include <string>

#include "book/description/description_text.h"

namespace lalometer {

/// A description as a test writes it: the "subject" of a set.
inline Description described(const std::string& json) {
  return description_from_json(json).value();
}

}  // namespace lalometer
