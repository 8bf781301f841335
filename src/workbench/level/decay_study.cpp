#include "workbench/level/decay_study.h"

#include <algorithm>
#include <cmath>

#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

constexpr double kUsualMap_s = 0.02;
constexpr double kLongest_s = 1.0;
constexpr double kBassTop_hz = 400.0;

void raise(DecayReading& r, double by_db) {
  for (auto& row : r.map.level_db)
    for (double& v : row) v = std::max(v + by_db, -400.0);
  for (Ridge& ridge : r.ridges) ridge.level_db += by_db;
}

}  // namespace

DecayWish usual_wish(const Take& take, const std::optional<Recipe>& recipe, DecayMap::Kind kind) {
  DecayWish wish{.kind = kind};
  if (kind == DecayMap::Kind::kBass || take.kind() == TakeKind::kNearField) return wish;
  if (take.conditions.gate_s > 0.0)
    wish.gate_s = take.conditions.gate_s;
  else if (recipe && recipe->gated)
    wish.gate_s = recipe->gate_s;
  return wish;
}

Result<DecayReading> decay_reading(const Take& take, const ImpulseStage& stage,
                                   const DecayWish& wish) {
  const std::string where = take.raw_name.empty() ? take.name : take.raw_name;
  const ImpulseResponse& h = *stage.impulse;
  const double start_s = stage.gate_start_s();
  const double held_s = std::min(h.time_s(h.samples.size()) - start_s, kLongest_s);
  if (held_s < 1e-3) return bad_input("The response ends less than 1 ms after its arrival.", where);
  const bool bass = wish.kind == DecayMap::Kind::kBass;
  std::vector<std::string> notes = stage.notes;
  double length_s = held_s;
  if (wish.gate_s > 0.0) {
    length_s = std::min(wish.gate_s, held_s);
  } else if (!bass && take.kind() != TakeKind::kNearField && stage.first_reflection_s) {
    length_s = std::clamp(*stage.first_reflection_s - start_s, 1e-3, held_s);
    notes.push_back(fmt::format(
        "What comes {:.1f} ms after the arrival is a reflection: the decay ends there, and tells "
        "nothing below {}.",
        length_s * 1e3, frequency_text(1.0 / length_s)));
  } else if (take.kind() != TakeKind::kNearField) {
    notes.emplace_back("No reflection was cut off: what the room adds is in the decay.");
  }
  const DecaySpan span{start_s, length_s};
  // The sweep's own end rings too.
  const double top_hz = std::min({20000.0, h.excited.high_hz / 1.1, 0.47 * h.sample_rate_hz});
  const double low_hz = std::max(h.excited.low_hz, 20.0);
  DecayReading r{.map = {.axis = FrequencyAxis::logarithmic(20.0, 40.0, 1.0),
                         .time = {},
                         .level_db = {},
                         .resolved_from_hz = {}},
                 .ridges = {},
                 .span = span,
                 .calibrated = stage.calibrated};
  if (!(top_hz > 4.0 * low_hz)) return bad_input("The response is too narrow to decay.", where);
  RidgeWish ridges;
  if (wish.kind == DecayMap::Kind::kCumulative) {
    const double map_s = wish.gate_s > 0.0 ? length_s : std::min(length_s, kUsualMap_s);
    const auto axis = FrequencyAxis::logarithmic(
        std::min(std::max(low_hz, 1.0 / map_s), 0.5 * top_hz), top_hz, 48.0);
    r.map = cumulative_decay(h, {start_s, map_s}, axis);
  } else if (bass) {
    ridges.high_hz = std::min(kBassTop_hz, top_hz);
    r.map = bass_decay(h, span,
                       FrequencyAxis::logarithmic(low_hz, std::min(kBassTop_hz, top_hz), 48.0));
  } else {
    r.map = burst_decay(h, span, FrequencyAxis::logarithmic(low_hz, top_hz, 24.0));
  }
  r.ridges = decay_ridges(h, span, ridges);
  if (stage.calibrated)
    raise(r, -20.0 * std::log10(kReferencePressure_pa));
  else
    notes.emplace_back("Levels are relative: the take tells no sensitivity.");
  r.notes = std::move(notes);
  return r;
}

std::vector<RidgeChange> ridge_changes(const std::vector<Ridge>& first,
                                       const std::vector<Ridge>& second) {
  constexpr double kSame = 0.06;
  std::vector<RidgeChange> all;
  std::vector<char> met(second.size(), 0);
  for (const Ridge& a : first) {
    std::size_t best = second.size();
    for (std::size_t k = 0; k < second.size(); ++k) {
      const double off = std::abs(second[k].frequency_hz.value / a.frequency_hz.value - 1.0);
      if (met[k] == 0 && off < kSame &&
          (best == second.size() ||
           off < std::abs(second[best].frequency_hz.value / a.frequency_hz.value - 1.0)))
        best = k;
    }
    RidgeChange change{.first = a, .second = std::nullopt};
    if (best < second.size()) {
      met[best] = 1;
      const Ridge& b = second[best];
      change.second = b;
      change.longer_s = Estimate{b.decay_s.value - a.decay_s.value,
                                 std::hypot(a.decay_s.half_width, b.decay_s.half_width)};
      change.real = differ(a.decay_s, b.decay_s);
    }
    all.push_back(change);
  }
  for (std::size_t k = 0; k < second.size(); ++k)
    if (met[k] == 0) all.push_back({.first = std::nullopt, .second = second[k]});
  std::sort(all.begin(), all.end(), [](const RidgeChange& a, const RidgeChange& b) {
    const auto at = [](const RidgeChange& c) {
      return c.first ? c.first->frequency_hz.value : c.second->frequency_hz.value;
    };
    return at(a) < at(b);
  });
  return all;
}

std::string spoken(const RidgeChange& c) {
  if (!c.first) return "new at " + frequency_text(c.second->frequency_hz.value);
  if (!c.second) return "gone at " + frequency_text(c.first->frequency_hz.value);
  return fmt::format("{} at {} by {} ms: {}", c.longer_s->value < 0.0 ? "shorter" : "longer",
                     frequency_text(c.second->frequency_hz.value),
                     three_digits(std::abs(c.longer_s->value) * 1e3),
                     c.real ? "real" : "within what both intervals explain");
}

std::string spoken(const Ridge& r) {
  return fmt::format("{}: 20 dB down in {} ms ({:.1f} periods), Q {:.0f}",
                     frequency_text(r.frequency_hz.value), three_digits(r.decay_s.value * 1e3),
                     r.decay_periods(), r.q());
}

}  // namespace lalometer
