#pragma once

namespace CLI {
class App;
}

namespace lalometer {

struct Doors;

/// `diagnose`: what is wrong, why, and what to do next.
void add_diagnose_command(CLI::App& app, Doors& doors, int& status);

}  // namespace lalometer
