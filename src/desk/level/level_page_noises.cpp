#include <fmt/format.h>

#include <map>

#include "base/text.h"
#include "desk/level/level_page.h"
#include "desk/parts/page_parts.h"
#include "workbench/level/level_nodes.h"
#include "workbench/level/parts_study.h"

/// What the page tells beside harmonics and decays: tones, what touches, parts side by side.
namespace lalometer {

void LevelPage::fillTones(const std::vector<LaidTake>& laid) {
  std::vector<const LaidTake*> tones;
  for (const LaidTake& one : laid) {
    if (!one.time || !one.time->multitone) continue;
    tones.push_back(&one);
    for (const std::string& sentence : spoken(*one.time->multitone))
      addCard(cards_, fmt::format("{}: {}", one.take.name, sentence));
  }
  for (std::size_t i = 0; i < tones.size(); ++i)
    for (std::size_t k = i + 1; k < tones.size(); ++k) {
      const auto change = multitone_change(*tones[i]->time->multitone, *tones[k]->time->multitone);
      if (!change) continue;
      for (const std::string& sentence : spoken(*change))
        addCard(cards_, sentence, false, change->most_at_hz);
    }
  // Single tones against a sweep of the same place and drive.
  for (const LaidTake& steady : laid) {
    if (!holds_steady_tones(steady.take) || !steady.time || !steady.time->distortion) continue;
    for (const LaidTake& sweep : laid) {
      if (!holds_sweep(sweep.take) || !sweep.time || !sweep.time->distortion ||
          sweep.take.variant_id != steady.take.variant_id ||
          std::abs(sweep.take.conditions.drive_v / steady.take.conditions.drive_v - 1.0) > 1e-3)
        continue;
      if (const auto check = steady_check(*sweep.time->distortion, *steady.time->distortion))
        addCard(cards_, spoken(*check), std::abs(check->fundamental_db) > 1.0, check->worst_at_hz);
    }
  }
}

void LevelPage::fillNoises(const LaidTake& own, const std::vector<LaidTake>& laid) {
  if (!own.time->rub) {
    addCard(noises_,
            "Needs a recorded sweep with a silence before it; one of 6 s and more tells most.");
    return;
  }
  for (const std::string& sentence : spoken(*own.time->rub))
    addCard(noises_, sentence, sentence.find("sharp peaks") != std::string::npos);
  for (const std::string& note : own.time->rub->notes) addCard(noises_, note);
  // Against another sample or state at the same drive.
  for (const LaidTake& other : laid) {
    if (&other == &own || !other.time || !other.time->rub || other.take.kind() != own.take.kind() ||
        std::abs(other.take.conditions.drive_v / own.take.conditions.drive_v - 1.0) > 0.01 ||
        (other.take.conditions.sample == own.take.conditions.sample &&
         other.take.variant_id == own.take.variant_id))
      continue;
    const ResidueChange change = residue_change(own.time->rub->residue, other.time->rub->residue);
    const std::string good = other.take.conditions.sample != own.take.conditions.sample &&
                                     !other.take.conditions.sample.empty()
                                 ? "sample " + other.take.conditions.sample
                                 : other.variant_name;
    for (const std::string& sentence : spoken(change, good))
      addCard(noises_, sentence, !change.worse.empty(),
              change.worse.empty() ? 0.0 : change.worse.front().at_hz);
    break;
  }
  const auto* near = std::get_if<NearFieldSetup>(&own.take.setup);
  const auto part =
      near != nullptr && own.geometry ? part_of(*own.geometry, near->source) : std::nullopt;
  if (!part || !part->port) return;
  std::vector<PortStep> steps;
  for (const LaidTake& one : laid)
    if (one.time && one.time->rub && one.time->distortion && same_level_place(own.take, one.take))
      steps.push_back({one.time->rub.get(), one.time->distortion.get(), near->distance_mm / 1e3});
  if (const auto noise = port_noise(steps, part->radius_m))
    for (const std::string& sentence : spoken(*noise))
      addCard(noises_, sentence, false, noise->points.back().frequency_hz);
}

void LevelPage::fillParts(const LaidTake& own, const std::vector<LaidTake>& laid) {
  if (own.take.kind() != TakeKind::kNearField || !own.geometry) return;
  std::vector<const Take*> takes;
  std::vector<const LaidTake*> read;
  for (const LaidTake& one : laid)
    if (one.time && one.time->distortion && one.take.variant_id == own.take.variant_id) {
      takes.push_back(&one.take);
      read.push_back(&one);
    }
  std::vector<PartReading> parts;
  for (const PartTake& part : parts_side_by_side(takes, *own.geometry, own.take.conditions.drive_v))
    parts.push_back({part.source, part.radius_m, part.count, part.port, part.distance_m,
                     read[part.index]->time->distortion});
  if (parts.size() < 2) {
    addCard(noises_,
            "Lay the near fields of the other cones and ports at this drive: then what each of "
            "them adds stands side by side.");
    return;
  }
  const auto reading = parts_reading(std::move(parts));
  if (!reading) return addCard(noises_, reading.error().text());
  for (const std::string& sentence : spoken(*reading)) addCard(noises_, sentence);
}

}  // namespace lalometer
