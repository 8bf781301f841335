#pragma once

#include <iosfwd>

namespace lalometer {

/// lalometer-cli as a function, so that tests can call it too. 0 done, 2 wrong usage, 3 input that
/// cannot be used.
int run_cli(int argc, const char* const* argv, std::ostream& out, std::ostream& err);

}  // namespace lalometer
