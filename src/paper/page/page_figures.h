#pragma once

#include "paper/figure/svg_figure.h"
#include "workbench/report/report.h"

namespace lalometer {

/// How a report's figure is drawn: 20 Hz to 20 kHz across, its own height, levels in the
/// proportions of IEC 60263 (25 dB as long as a decade) where that is wanted.
[[nodiscard]] inline FigureWish figure_wish(const ReportPicture& picture, const ReportWish& wish) {
  constexpr double kDecade_db = 25.0;
  FigureWish f;
  f.id = picture.id;
  f.height_px = picture.height * f.width_px;
  if (wish.iec_proportions && picture.content.left.quantity == AxisQuantity::kLevel)
    f.db_per_decade = kDecade_db;
  return f;
}

}  // namespace lalometer
