#pragma once

#include <vector>

#include "exchange/chart/line_pixels.h"

namespace lalometer {

/// A dashed or dotted line, piece by piece to both sides of where it was pointed at: of the pieces
/// of its colour that lie ahead, the one that its course leads to, where gap and turn are small.
/// A plain line that it crosses is passed over.
/// @param start  a column of one of its pieces.
/// @return the columns of all pieces from left to right, none for the gaps; nothing where the piece
/// at the start is long (a plain line) or leads to no others.
[[nodiscard]] std::vector<Step> followed_pieces(const ChartPixels& pixels, const Coverage& line,
                                                const Rules& rules, const Step& start,
                                                double width_px);

}  // namespace lalometer
