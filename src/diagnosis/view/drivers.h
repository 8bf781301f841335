#pragma once

#include <string>
#include <vector>

#include "diagnosis/material.h"

/// Which driver plays what. Crossovers name one of two equal woofers, and microphones are held to
/// one of them: its twins count as it does.
namespace lalometer {

/// Itself where a crossover names it or none of its role and size; else the one that is named.
[[nodiscard]] const CaseDriver& named_for(const CaseSubject& subject, const CaseDriver& driver);
/// A driver and those of its role and size, in the order of the drawing; of those that a crossover
/// names by themselves, only itself.
[[nodiscard]] std::vector<const CaseDriver*> alike(const CaseSubject& subject,
                                                   const std::string& driver);
/// Whether there are at least two kinds of them.
[[nodiscard]] bool has_unlike_drivers(const CaseSubject& subject);
/// The driver that plays most at a frequency: by the crossovers; the only one where there is none.
[[nodiscard]] std::string leading_driver(const CaseSubject& subject, double frequency_hz);
/// How much it plays at a frequency, 0 to 1, by slopes of the fourth order at its crossovers: two
/// that meet have a half each. Twins share theirs.
[[nodiscard]] double plays_share(const CaseSubject& subject, const CaseDriver& driver,
                                 double frequency_hz);
/// Whether it plays the bass: no crossover has it for its upper part, and no larger one does. True
/// of an unknown one.
[[nodiscard]] bool plays_low(const CaseSubject& subject, const std::string& driver);

}  // namespace lalometer
