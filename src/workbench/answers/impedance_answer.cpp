#include "workbench/answers/impedance_answer.h"

#include "workbench/results/impedance_reading.h"

namespace lalometer {

Result<SourceImpedance> impedance_in(const ImportPreview& preview, const std::string& condition,
                                     const std::string& where, bool only) {
  const ImportItem* first = nullptr;
  const ImportItem* unsaid = nullptr;  // a plain file, or a set that does not say
  const auto told = [](const ImportItem& item) {
    return SourceImpedance{
        *item.curve, item.rig ? item.rig->impedance_uncertainty_percent : kUsualCalibration_percent,
        item.take};
  };
  for (const ImportItem& item : preview.items) {
    if (item.take.kind() != TakeKind::kImpedance || !item.curve) continue;
    if (first == nullptr) first = &item;
    if (condition_of(item.take) == condition) return told(item);
    if (unsaid == nullptr && condition_of(item.take).empty()) unsaid = &item;
  }
  if (unsaid != nullptr) return told(*unsaid);
  if (first != nullptr && !only) return told(*first);
  if (!preview.problems.empty()) return tl::unexpected(preview.problems.front());
  return bad_input("No impedance was found here.", where);
}

}  // namespace lalometer
