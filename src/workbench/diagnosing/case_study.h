#pragma once

#include <string>
#include <vector>

#include "diagnosis/finding.h"
#include "workbench/results/take_results.h"

namespace lalometer {

/// All that the diagnosis of a subject depends on, by value.
struct CaseInputs {
  std::string name;  ///< of the subject, for errors
  Description description;
  std::string drawing = {};  ///< mark of the description
  std::vector<TakeInputs> takes = {};
  std::vector<Variant> variants = {};
};

/// Takes of a subject that the diagnosis looks at: good ones with a curve of their own.
[[nodiscard]] bool is_case_take(const Take& take);

/// Curves and what is heard in takes come from the store, so that one more take costs one more of
/// each.
[[nodiscard]] Node<Diagnosis> case_node(const CaseInputs& inputs);

}  // namespace lalometer
