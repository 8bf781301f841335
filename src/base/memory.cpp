#include "base/memory.h"

#include <malloc.h>

namespace lalometer {

void keep_freed_memory() {
  // A refusal costs nothing but time.
  (void)mallopt(M_TRIM_THRESHOLD, 64 << 20);
  (void)mallopt(M_MMAP_THRESHOLD, 32 << 20);
}

}  // namespace lalometer
