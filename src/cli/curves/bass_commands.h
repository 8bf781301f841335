#pragma once

namespace CLI {
class App;
}

namespace lalometer {

struct Doors;

/// Commands that read near fields: `near-field`, `splice`.
void add_bass_commands(CLI::App& app, Doors& doors, int& status);

}  // namespace lalometer
