#pragma once

namespace CLI {
class App;
}

namespace lalometer {

struct Doors;

/// Commands that read impedances and compare: `thiele-small`, `box-impedance`, `compare`.
void add_impedance_commands(CLI::App& app, Doors& doors, int& status);

}  // namespace lalometer
