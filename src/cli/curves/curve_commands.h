#pragma once

#include <CLI/CLI.hpp>

#include "cli/output.h"

namespace lalometer {

/// mean, difference, offset: what several curves make together.
void add_curve_commands(CLI::App& app, Doors& doors, int& status);

}  // namespace lalometer
