#pragma once

#include <QByteArray>
#include <QImage>

#include "exchange/chart/chart_trace.h"

namespace lalometer {

/// A page of a chart's file as a picture: PNG, JPEG, or PDF (through poppler, at `dpi`).
struct ChartPage {
  QImage image;
  int pages = 1;  ///< of the file
};
/// @param page  from 1. Errors say what the file is not.
[[nodiscard]] Result<ChartPage> chart_page(const QByteArray& bytes, const QString& name, int page,
                                           double dpi = 200.0);

[[nodiscard]] ChartPixels pixels_of(const QImage& image);

}  // namespace lalometer
