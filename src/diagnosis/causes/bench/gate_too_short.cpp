#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "diagnosis/registry.h"

/// A gate that resolves less than what is read.
namespace lalometer {
namespace {

std::vector<Claim> claims(const CaseView& v) {
  double shortest_s = 1.0;
  std::int64_t take = 0;
  for (const CaseTake* t : v.responses())
    if (t->gate_s > 0.0 && t->gate_s < shortest_s) {
      shortest_s = t->gate_s;
      take = t->id;
    }
  if (shortest_s > 0.0034) return {};
  Claim c(0.3);
  c.saw(shortest_s < 0.0022  ? 12.0
        : shortest_s < 0.003 ? 2.0
                             : 0.6,
        fmt::format("a gate of {:.1f} ms tells nothing below {:.0f} Hz and resolves no finer",
                    1e3 * shortest_s, 1.0 / shortest_s),
        std::vector{take});
  c.next_step = "More distance to every surface, or the near field for the bass.";
  return {c};
}

}  // namespace

Cause causes::gate_too_short() {
  return {"gate-too-short", claims};
}

}  // namespace lalometer
