#pragma once

#include <sys/resource.h>
#include <unistd.h>

namespace lalometer {

/// For jobs of the pool: the calling thread gets the processor when the window does not want it.
/// Without it a computation on every core makes the window wait its turn. Linux gives each thread
/// its own nice value; where that is refused nothing is lost but smoothness.
inline void yield_to_window() {
  (void)setpriority(PRIO_PROCESS, static_cast<id_t>(gettid()), 5);
}

}  // namespace lalometer
