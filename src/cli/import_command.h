#pragma once

#include <CLI/CLI.hpp>

#include "cli/output.h"

namespace lalometer {

/// `import`: files, sets and recorded sessions into a book.
void add_import_command(CLI::App& app, Doors& doors, int& status);

}  // namespace lalometer
