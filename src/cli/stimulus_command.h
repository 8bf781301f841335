#pragma once

namespace CLI {
class App;
}

namespace lalometer {

struct Doors;

/// `stimulus`: what is to be played, as a sound file.
void add_stimulus_command(CLI::App& app, Doors& doors, int& status);

}  // namespace lalometer
