#pragma once

#include <filesystem>

#include "book/book.h"
#include "rig/practice/practice_bench.h"

namespace lalometer {

/// The demo book, from fixed seeds: a museum-kiosk two-way in two variants, impedance and on-axis
/// takes; and, in the whole of it, the same box with a leak, near fields, all angles of the bare
/// one, and three samples of its woofer in free air, one with a known mass too.
enum class DemoExtent { kKioskOnly, kWhole };
[[nodiscard]] Result<void> make_demo_book(const std::filesystem::path& path,
                                          DemoExtent extent = DemoExtent::kWhole);

/// The bench on which the demo was taken; the window's practice bench starts as this one.
[[nodiscard]] PracticeBenchSetup demo_bench(bool lined);

}  // namespace lalometer
