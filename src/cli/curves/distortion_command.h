#pragma once

namespace CLI {
class App;
}

namespace lalometer {

struct Doors;

/// `distortion`: harmonics, levels, tones, rub and buzz, noise of ports.
void add_distortion_command(CLI::App& app, Doors& doors, int& status);

}  // namespace lalometer
