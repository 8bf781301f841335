#include "diagnosis/view/sound/ringing.h"

#include <fmt/format.h>

namespace lalometer {

bool saw_ringing(Claim& c, const SeenFeature& f, const RingingOdds& odds) {
  if (!f.rings_q) return false;
  constexpr double kLeast_q = 4.0;  // of what decay_ridges() tells
  const double q = *f.rings_q;
  if (q <= 0.0 && f.q < kLeast_q) return true;
  if (q <= 0.0)
    c.saw(odds.not_so, "nothing rings on there", ToldBy::kAxis);
  else
    c.saw(q > odds.low_q && q < odds.high_q ? odds.rings : odds.not_so,
          fmt::format("it rings on, with a Q of {:.0f}", q), ToldBy::kAxis);
  return true;
}

void saw_no_ringing(Claim& c, const SeenFeature& f) {
  constexpr double kOfAResonance = 5.0;
  if (f.rings_q && *f.rings_q > kOfAResonance)
    c.saw(0.2,
          fmt::format("it rings on, with a Q of {:.0f}, longer than a second arrival", *f.rings_q),
          ToldBy::kAxis);
}

}  // namespace lalometer
