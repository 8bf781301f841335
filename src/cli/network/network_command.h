#pragma once

namespace CLI {
class App;
}

namespace lalometer {

struct Doors;

/// `network`: what a crossover does to measured drivers, where they can meet, and one found for a
/// wish.
void add_network_command(CLI::App& app, Doors& doors, int& status);

}  // namespace lalometer
