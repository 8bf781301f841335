#include "paper/figure/figure_ink.h"

#include <fmt/format.h>

#include "book/records.h"
#include "workbench/reading/scale/palette.h"

namespace lalometer {

FigureInk FigureInk::light() {
  return {"#fbf9f5", "#1d282e", "#5f6869", "#e6e1d6", "#cfc8b9", false, false};
}
FigureInk FigureInk::night() {
  return {"#1c2428", "#e9e5db", "#9ca6a6", "#2b3539", "#414c50", false, true, "#141a1d"};
}
FigureInk FigureInk::of_page() {
  return {"var(--sheet)", "var(--ink)", "var(--quiet)", "var(--faint)", "var(--line)", true, false};
}

std::string FigureInk::line_colour_of(int style) const {
  if (style >= kGroupColours) {
    // A family: shades of one hue, toward the sheet.
    const int hue = (style - kGroupColours) / kShades;
    const double share = static_cast<double>((style - kGroupColours) % kShades) / (kShades - 1.0);
    const Rgb base = line_colour(hue, dark);
    const double other = dark ? 30.0 : 225.0;
    const auto mix = [&](std::uint8_t c) {
      return static_cast<std::uint8_t>(c + 0.75 * (1.0 - share) * (other - c));
    };
    return hex_of({mix(base.red), mix(base.green), mix(base.blue)});
  }
  const int i = ((style % kLineColours) + kLineColours) % kLineColours;
  return by_name ? fmt::format("var(--c{})", i) : hex_of(line_colour(i, dark));
}

}  // namespace lalometer
