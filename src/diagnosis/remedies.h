#pragma once

#include <string>

namespace lalometer {

/// What is done about a cause, and what it costs elsewhere, in a sentence; empty for an unknown
/// word. Common practice, no source.
[[nodiscard]] std::string remedy_of(const std::string& cause);

}  // namespace lalometer
