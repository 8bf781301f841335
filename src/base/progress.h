#pragma once

#include <cstddef>
#include <functional>

/// What long computations are given by whoever runs them. The core owns no threads: it says how far
/// it is and what may run side by side.
namespace lalometer {

/// Called now and then with the share that is done, 0..1.
using Progress = std::function<void(double)>;

/// Runs body(0) ... body(count - 1), in any order and possibly side by side, and returns when all
/// are through. Bodies must not write what another one touches, and must not throw.
using Parallel =
    std::function<void(std::size_t count, const std::function<void(std::size_t)>& body)>;

/// One after the other, on the calling thread.
inline void in_turn(std::size_t count, const std::function<void(std::size_t)>& body) {
  for (std::size_t i = 0; i < count; ++i) body(i);
}

}  // namespace lalometer
