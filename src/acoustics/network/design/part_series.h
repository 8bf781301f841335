#pragma once

namespace lalometer {

/// Preferred values of parts, IEC 60063.
enum class PartSeries { kAny, kE12, kE24 };
/// The nearest by ratio; kAny gives it back.
[[nodiscard]] double nearest_of(PartSeries series, double value);
/// Its neighbours up and down in the series.
[[nodiscard]] double next_of(PartSeries series, double value, int steps);

}  // namespace lalometer
