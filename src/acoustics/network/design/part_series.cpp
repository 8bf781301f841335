#include "acoustics/network/design/part_series.h"

#include <array>
#include <cmath>

namespace lalometer {
namespace {

constexpr std::array kE24 = {1.0, 1.1, 1.2, 1.3, 1.5, 1.6, 1.8, 2.0, 2.2, 2.4, 2.7, 3.0,
                             3.3, 3.6, 3.9, 4.3, 4.7, 5.1, 5.6, 6.2, 6.8, 7.5, 8.2, 9.1};

/// Place in the endless row of a series.
double value_at_place(int place, int every) {
  const int per_decade = static_cast<int>(kE24.size()) / every;
  const int decade = place >= 0 ? place / per_decade : -((per_decade - 1 - place) / per_decade);
  const int within = place - decade * per_decade;
  return kE24[static_cast<std::size_t>(within * every)] * std::pow(10.0, decade);
}

int nearest_place(double value, int every) {
  const int per_decade = static_cast<int>(kE24.size()) / every;
  const int guess =
      static_cast<int>(std::floor(std::log10(value) * static_cast<double>(per_decade)));
  int best = guess;
  for (int place = guess - 2; place <= guess + 3; ++place)
    if (std::abs(std::log(value_at_place(place, every) / value)) <
        std::abs(std::log(value_at_place(best, every) / value)))
      best = place;
  return best;
}

}  // namespace

double nearest_of(PartSeries series, double value) {
  return series == PartSeries::kAny ? value : next_of(series, value, 0);
}

double next_of(PartSeries series, double value, int steps) {
  if (series == PartSeries::kAny) return value * std::pow(10.0, steps / 24.0);
  const int every = series == PartSeries::kE12 ? 2 : 1;
  return value_at_place(nearest_place(value, every) + steps, every);
}

}  // namespace lalometer
