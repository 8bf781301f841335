#include "workbench/answers/level_answer.h"

#include <algorithm>
#include <cmath>

namespace lalometer {

const ImportItem* decay_item(const ImportPreview& preview, const std::string& driver,
                             const std::string& source) {
  const ImportItem* best = nullptr;
  double best_angle = 1e12;
  for (const ImportItem& item : preview.items) {
    if (item.calibration || !item.stage) continue;
    if (item.take.conditions.driver != driver) continue;
    const auto* near = std::get_if<NearFieldSetup>(&item.take.setup);
    if (!source.empty() && (near == nullptr || near->source != source)) continue;
    const Placement place = place_of(item.take);
    const double angle = std::abs(place.horizontal_deg) + std::abs(place.vertical_deg) +
                         (near != nullptr ? 1e6 : 0.0);
    if (angle >= best_angle) continue;
    best_angle = angle;
    best = &item;
  }
  return best;
}

Result<LevelAnswer> level_answer(const ImportPreview& preview, const LevelWish& wish,
                                 const HarmonicsWish& harmonics) {
  std::vector<const Take*> sweeps;
  std::vector<const ImportItem*> of;
  for (const ImportItem& item : preview.items) {
    if (item.calibration || !item.stage || !holds_sweep(item.take)) continue;
    sweeps.push_back(&item.take);
    of.push_back(&item);
  }
  std::vector<std::size_t> group = level_group(sweeps, wish);
  // A single file, whatever it is of.
  if (group.empty() && sweeps.size() == 1 && wish.driver.empty() && wish.source.empty())
    group = {0};
  LevelAnswer out;
  for (const std::size_t k : group) {
    auto reading =
        distortion_reading(of[k]->take, *of[k]->stage,
                           with_microphone(harmonics, of[k]->rig.value_or(RigCalibration{})));
    if (!reading) return tl::unexpected(reading.error());
    out.items.push_back(of[k]);
    out.readings.push_back(std::make_shared<const DistortionReading>(*std::move(reading)));
  }
  const auto off = [](const std::shared_ptr<const DistortionReading>& r) {
    return std::abs(std::log(r->drive_v / 2.83));
  };
  const auto usual =
      std::min_element(out.readings.begin(), out.readings.end(),
                       [&](const auto& a, const auto& b) { return off(a) < off(b); });
  if (usual != out.readings.end())
    out.usual = static_cast<std::size_t>(usual - out.readings.begin());
  return out;
}

}  // namespace lalometer
