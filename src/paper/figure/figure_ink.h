#pragma once

#include <string>
#include <vector>

namespace lalometer {

/// Colours of a figure as SVG writes them: fixed ones for files and paper, or names that a page's
/// style sheet fills in (light, dark, print).
struct FigureInk {
  std::string sheet, ink, quiet, faint, line;
  bool by_name = false;  ///< the colours are the page's own: var(--ink), var(--c3), …
  bool dark = false;
  std::string paper = {};  ///< under the whole figure; empty: whatever it lies on

  [[nodiscard]] static FigureInk light();
  [[nodiscard]] static FigureInk night();
  [[nodiscard]] static FigureInk of_page();
  /// Of a series' style, families of angles included.
  [[nodiscard]] std::string line_colour_of(int style) const;
};

}  // namespace lalometer
