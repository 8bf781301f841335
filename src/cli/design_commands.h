#pragma once

namespace CLI {
class App;
}

namespace lalometer {

struct Doors;

/// Commands that compute from geometry and parameters alone: `diffraction`, `enclosure`.
void add_design_commands(CLI::App& app, Doors& doors, int& status);

}  // namespace lalometer
