#pragma once

#include <map>
#include <string>
#include <vector>

#include "workbench/practice/practice_subject.h"

namespace lalometer {

/// One fault that can be switched on: a word of the product's list of causes, or a mishap of the
/// bench.
struct FaultKind {
  std::string word;
  std::string explained;  ///< what is put in, in a sentence
};
[[nodiscard]] const std::vector<FaultKind>& fault_kinds();

/// A fault that is wanted, with figures that override the usual ones (docs/file-formats.md lists
/// them).
struct PracticeFault {
  std::string word;
  std::string driver = {};  ///< empty: the usual one
  std::map<std::string, double> figures = {};
};
/// Puts a fault into a bench. An unknown word, or one that does not fit the loudspeaker (a port
/// fault in a sealed box), is an error.
[[nodiscard]] Result<void> add_fault(PracticeBenchSetup& bench, const PracticeFault& fault,
                                     const std::string& where);

}  // namespace lalometer
