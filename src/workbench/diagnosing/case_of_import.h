#pragma once

#include <string>

#include "diagnosis/material.h"
#include "workbench/sharing/importing.h"

namespace lalometer {

/// The case of takes that were read from a set, a folder or a book (sources.h).
/// @param where  for errors: the path.
/// @return an error where nothing is there that could be diagnosed: the first problem of reading.
[[nodiscard]] Result<CaseMaterial> case_of(const ImportPreview& preview, const std::string& where,
                                           const Parallel& parallel = in_turn);

}  // namespace lalometer
