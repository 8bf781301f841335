#pragma once

#include "book/records.h"
#include "exchange/audio_file.h"
#include "exchange/set/set_reader.h"

namespace lalometer {

/// The "stimulus" of a take of a set, if it has one; `where` names the take in complaints.
[[nodiscard]] Result<void> read_stimulus(const nlohmann::ordered_json& take,
                                         const std::string& where, Stimulus& stimulus);
/// Whether a recording can hold what its stimulus tells.
[[nodiscard]] Result<void> check_stimulus(const Conditions& conditions, const AudioData& audio,
                                          const std::string& where);
/// As a set tells it.
[[nodiscard]] nlohmann::ordered_json stimulus_json(const Stimulus& stimulus);

}  // namespace lalometer
