#pragma once

#include <filesystem>
#include <stop_token>

#include "book/book.h"
#include "rig/practice/practice_bench.h"

namespace lalometer {

/// The practice loudspeaker that a set's subject describes: box volume, damping, ports, positions
/// from the geometry; drivers from the optional keys fs_hz, qms, qes, vas_l, re_ohm, le_mh of each
/// driver, else the kiosk two-way's own. Anything the first practice bench cannot play (other than
/// two drivers, other loadings) is an error that says so.
[[nodiscard]] Result<PracticeSpeaker> practice_speaker_of(const std::string& description_json,
                                                          const std::string& where);

/// Takes an impedance sweep and an on-axis response of the described subject on the practice bench
/// and writes them to a folder as a measurement set, with `truth.json` beside it: the bench's own
/// impedance and free-field response (at the microphone's distance, 2.83 V, flight time out) at 24
/// points per octave.
[[nodiscard]] Result<void> simulate_set(const std::filesystem::path& subject_file,
                                        const std::filesystem::path& folder, std::uint64_t seed,
                                        std::stop_token stop, const Progress& progress);

/// The demo book: a museum-kiosk two-way in two variants, impedance and on-axis takes, from fixed
/// seeds.
[[nodiscard]] Result<void> make_demo_book(const std::filesystem::path& path);

/// The bench on which the demo was taken; the window's practice bench starts as this one.
[[nodiscard]] PracticeBenchSetup demo_bench(bool lined);

}  // namespace lalometer
