#pragma once

#include "diagnosis/cause.h"

namespace lalometer {

/// What the recordings themselves show, by its code: one claim where some take has it.
/// @param sentence  of the first one; "{}" is its name.
[[nodiscard]] std::vector<Claim> claims_by_code(const CaseView& view, const char* code,
                                                const char* sentence, const char* next_step);

}  // namespace lalometer
