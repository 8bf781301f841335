#pragma once

namespace CLI {
class App;
}

namespace lalometer {

struct Doors;

/// "report": a review, driver sheet, comparison or case as PDF, HTML page or folder.
void add_report_command(CLI::App& app, Doors& doors, int& status);

}  // namespace lalometer
