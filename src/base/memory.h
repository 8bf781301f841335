#pragma once

#include <malloc.h>

namespace lalometer {

/// For a program's start: memory that was freed is kept for the next take instead of going back to
/// the system page by page, which costs as much as some of the work on it. A set of 70 takes holds
/// some 40 MB; up to 64 MB are kept.
inline void keep_freed_memory() {
  // A refusal costs nothing but time.
  (void)mallopt(M_TRIM_THRESHOLD, 64 << 20);
  (void)mallopt(M_MMAP_THRESHOLD, 32 << 20);
}

}  // namespace lalometer
