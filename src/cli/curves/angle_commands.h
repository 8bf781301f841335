#pragma once

#include <CLI/CLI.hpp>

#include "cli/output.h"

namespace lalometer {

/// spin, directivity, equalise.
void add_angle_commands(CLI::App& app, Doors& doors, int& status);

}  // namespace lalometer
