#pragma once

namespace CLI {
class App;
}

namespace lalometer {

struct Doors;

/// Commands that read level and time: `distortion`, `decay`.
void add_level_commands(CLI::App& app, Doors& doors, int& status);

}  // namespace lalometer
