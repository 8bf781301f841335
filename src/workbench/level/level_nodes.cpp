#include "workbench/level/level_nodes.h"

#include <fmt/format.h>

#include "book/json.h"

namespace lalometer {
namespace {

// Raised whenever the same inputs give another result.
constexpr int kDistortionVersion = 3;
constexpr int kDecayVersion = 1;
constexpr int kMultitoneVersion = 2;
constexpr int kSteadyVersion = 1;
constexpr int kRubVersion = 2;

std::size_t bytes_of(const DecayReading& r) {
  return r.map.time.size() * (r.map.axis.size() + 4) * sizeof(double);
}

std::size_t bytes_of_harmonics(const DistortionReading& r) {
  return r.harmonics.axis.size() * kHighestOrder * 5 * sizeof(double);
}

std::vector<std::string> tones_source(const TakeInputs& in) {
  return {in.take.raw_hash, to_json(in.take.setup), to_json(in.take.conditions), in.rig_json};
}

Node<DistortionReading> steady_node(const TakeInputs& in) {
  return {node_key("steady", kSteadyVersion, tones_source(in)),
          [in](const Making&) {
            return Book::read_raw(in.book, in.take.raw_hash)
                .and_then([&](const std::vector<std::byte>& raw) {
                  return steady_study(in.take, raw, with_microphone({}, *in.rig), in.rig.get());
                });
          },
          bytes_of_harmonics};
}

}  // namespace

Node<DistortionReading> distortion_node(const TakeInputs& in) {
  if (holds_steady_tones(in.take)) return steady_node(in);
  Node<ImpulseStage> impulse = impulse_node(in);
  std::string key = node_key("distortion", kDistortionVersion, {impulse.key});
  return {std::move(key),
          [impulse = std::move(impulse), take = in.take, rig = in.rig](const Making& making) {
            return making.store.get(impulse, making)
                .and_then([&](const std::shared_ptr<const ImpulseStage>& stage) {
                  return distortion_reading(take, *stage, with_microphone({}, *rig));
                });
          },
          bytes_of_harmonics};
}

Node<RubReading> rub_node(const TakeInputs& in) {
  Node<ImpulseStage> impulse = impulse_node(in);
  std::string key = node_key("rub", kRubVersion, {impulse.key});
  return {std::move(key),
          [impulse = std::move(impulse), in](const Making& making) {
            return making.store.get(impulse, making)
                .and_then([&](const std::shared_ptr<const ImpulseStage>& stage) {
                  return loaded(in).and_then([&](const AnalysisInput& recording) {
                    return rub_reading(recording, *stage, making.stop);
                  });
                });
          },
          [](const RubReading& r) { return 7 * sizeof(double) * r.residue.rms.size(); }};
}

Node<DecayReading> decay_node(const TakeInputs& in, DecayMap::Kind kind) {
  Node<ImpulseStage> impulse = impulse_node(in);
  const DecayWish wish = usual_wish(in.take, in.recipe, kind);
  std::string key =
      node_key("decay", kDecayVersion,
               {impulse.key, fmt::format("{} {}", static_cast<int>(kind), wish.gate_s),
                kind_word(in.take.setup)});
  return {std::move(key),
          [impulse = std::move(impulse), take = in.take, wish](const Making& making) {
            return making.store.get(impulse, making)
                .and_then([&](const std::shared_ptr<const ImpulseStage>& stage) {
                  return decay_reading(take, *stage, wish);
                });
          },
          bytes_of};
}

Node<MultitoneStudy> multitone_node(const TakeInputs& in) {
  return {node_key("multitone", kMultitoneVersion, tones_source(in)),
          [in](const Making&) {
            return Book::read_raw(in.book, in.take.raw_hash)
                .and_then([&](const std::vector<std::byte>& raw) {
                  return multitone_study(in.take, raw, {}, in.rig.get());
                });
          },
          [](const MultitoneStudy& s) { return 64 * s.reading.band_hz.size(); }};
}

std::string time_key(const TakeInputs& in, unsigned wanted) {
  std::string key = fmt::format("{}", wanted);
  if ((wanted & kWantDistortion) != 0 && tells_harmonics(in.take)) key += distortion_node(in).key;
  if (holds_multitone(in.take)) return key + multitone_node(in).key;
  if (!has_impulse(in.take)) return key;
  if ((wanted & kWantRub) != 0 && holds_sweep(in.take)) key += rub_node(in).key;
  if ((wanted & ~(kWantDistortion | kWantRub)) != 0)
    key += decay_node(in, DecayMap::Kind::kCumulative).key;
  return key;
}

Result<LaidTime> time_of(const TakeInputs& in, unsigned wanted, const Making& making) {
  LaidTime all{.key = time_key(in, wanted)};
  const auto take_in = [&](auto node, auto& into) {
    auto made = making.store.get(node, making);
    if (made)
      into = *std::move(made);
    else if (made.error().code == ErrorCode::kCancelled)
      return false;
    else
      all.problem = made.error().message;
    return true;
  };
  if (holds_multitone(in.take)) {
    if ((wanted & kWantMultitone) != 0 && !take_in(multitone_node(in), all.multitone))
      return cancelled();
    return all;
  }
  const auto decay = [&](unsigned want, DecayMap::Kind kind, auto& into) {
    return (wanted & want) == 0 || take_in(decay_node(in, kind), into);
  };
  if ((wanted & kWantDistortion) != 0 && tells_harmonics(in.take) &&
      !take_in(distortion_node(in), all.distortion))
    return cancelled();
  if (!has_impulse(in.take)) return all;
  // Nothing is wrong where rub and buzz cannot be told: the harmonics are there.
  const std::string problem = all.problem;
  if ((wanted & kWantRub) != 0 && holds_sweep(in.take) && !take_in(rub_node(in), all.rub))
    return cancelled();
  all.problem = problem;
  if (!decay(kWantCumulative, DecayMap::Kind::kCumulative, all.cumulative) ||
      !decay(kWantBurst, DecayMap::Kind::kBurst, all.burst) ||
      !decay(kWantBass, DecayMap::Kind::kBass, all.bass))
    return cancelled();
  return all;
}

}  // namespace lalometer
