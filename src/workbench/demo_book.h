#pragma once

#include <filesystem>

#include "book/book.h"
#include "rig/practice/practice_bench.h"

namespace lalometer {

/// The demo book: a museum-kiosk two-way in two variants, impedance and on-axis takes, from fixed
/// seeds.
[[nodiscard]] Result<void> make_demo_book(const std::filesystem::path& path);

/// The bench on which the demo was taken; the window's practice bench starts as this one.
[[nodiscard]] PracticeBenchSetup demo_bench(bool lined);

}  // namespace lalometer
