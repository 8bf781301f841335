#include "workbench/taking/plan/take_suspicions.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "acoustics/spectrum/bands.h"
#include "base/constants.h"
#include "base/text.h"
#include "workbench/results/analysis.h"

namespace lalometer {
namespace {

constexpr double kLowest_hz = 200.0;
constexpr double kHighest_hz = 16000.0;
constexpr double kHighBand_hz = 1000.0;
/// A step that shows this much less than the one before did not happen.
constexpr double kStoodStill = 0.3;
constexpr double kLeastTurn_db = 0.4;
constexpr double kJump_db = 3.0;
/// Behind the loudspeaker only what comes round its edges is heard, and beats: jumps mean nothing
/// there.
constexpr double kFront_deg = 95.0;
constexpr double kArrivalJump_s = 0.25e-3;
constexpr double kLevelJump_db = 3.0;

const std::vector<Band>& sketch_bands() {
  static const std::vector<Band> bands = fractional_octave_bands(kLowest_hz, kHighest_hz, 6);
  return bands;
}

double mean_between(const TakeSketch& s, double low_hz, double high_hz) {
  double sum = 0.0;
  int count = 0;
  for (std::size_t i = 0; i < s.level_db.size(); ++i) {
    const double f = sketch_bands()[i].centre_hz;
    if (f < low_hz || f > high_hz) continue;
    sum += s.level_db[i];
    ++count;
  }
  return count > 0 ? sum / count : 0.0;
}

bool comparable(const TakeSketch& a, const TakeSketch& b) {
  return a.vertical == b.vertical && a.condition == b.condition && a.distance_m == b.distance_m &&
         a.drive_v == b.drive_v;
}

}  // namespace

std::optional<TakeSketch> sketch_of(const TakeOutcome& outcome, const RigCalibration& rig,
                                    double gate_s) {
  const Take& take = outcome.take;
  const Placement place = place_of(take);
  if (take.kind() != TakeKind::kResponse || outcome.recording.measured.empty()) return std::nullopt;
  AnalysisInput input;
  input.take = take;
  input.raw = raw_of(outcome).bytes;
  input.rig = rig;
  input.recipe.gate_s = gate_s > 0.0 ? gate_s : 0.004;
  input.recipe.smoothing = 0;
  auto stage = impulse_stage(input, {});
  if (!stage) return std::nullopt;
  const double arrival_s = stage->arrival_s;
  // One gate for all angles, by the tape measure where a loopback tells when it was played: behind
  // the loudspeaker the arrival itself is vague.
  if (take.form == RawForm::kRecording) {
    stage->arrival_s = place.distance_m / speed_of_sound_m_s(take.conditions.temperature_c);
    stage->origin = {stage->arrival_s, TimeOrigin::Source::kTape};
  }
  const Analysis worked = curve_stage(*stage, input.recipe);
  TakeSketch sketch;
  sketch.vertical = place.vertical_deg != 0.0;
  sketch.angle_deg = sketch.vertical ? place.vertical_deg : place.horizontal_deg;
  sketch.distance_m = place.distance_m;
  sketch.drive_v = take.conditions.drive_v;
  sketch.condition = condition_of(take);
  sketch.arrival_s = arrival_s;
  sketch.top_hz = stage->top_hz;
  for (const Band& band : sketch_bands()) {
    double power = 0.0;
    int count = 0;
    for (int i = 0; i < 8; ++i) {
      const double f = band.low_hz * std::pow(band.high_hz / band.low_hz, (i + 0.5) / 8.0);
      power += std::norm(value_at(worked.curve, f));
      ++count;
    }
    sketch.level_db.push_back(10.0 * std::log10(std::max(power / count, 1e-30)));
  }
  return sketch;
}

namespace {

double low_level(const TakeSketch& s) {
  return mean_between(s, 200.0, 500.0);
}

/// Of a loudspeaker smaller than the wavelength, from a sphere (share 1) over a cardioid (1/2) to
/// an open baffle's figure of eight (0).
double low_pattern(double share, double angle_deg) {
  return std::abs(share + (1.0 - share) * std::cos(angle_deg * kPi / 180.0));
}

/// What turning from one angle to another does to the bass of a loudspeaker like this one.
struct Turning {
  double louder_db = 0.0;  ///< what remains unexplained of the change
  bool null = false;       ///< into, out of or near a null, where levels mean nothing
};

/// The takes so far tell which patterns it may have; the one that explains the change best counts.
Turning low_turning(const TakeSketch& now, const std::vector<const TakeSketch*>& before) {
  constexpr double kFitsWithin_db = 1.5;
  constexpr double kNull = 0.3;
  const TakeSketch& last = *before.back();
  const double change = low_level(now) - low_level(last);
  Turning best{.louder_db = change, .null = false};
  for (int k = 0; k <= 50; ++k) {
    const double share = 0.02 * k;
    double n = 0.0;
    double sum = 0.0;
    double squares = 0.0;
    for (const TakeSketch* s : before) {
      const double g = low_pattern(share, s->angle_deg);
      if (g < kNull) continue;
      const double rest = low_level(*s) - 20.0 * std::log10(g);
      n += 1.0;
      sum += rest;
      squares += rest * rest;
    }
    if (n < 1.0 || squares / n - (sum / n) * (sum / n) > kFitsWithin_db * kFitsWithin_db) continue;
    const double here = low_pattern(share, now.angle_deg);
    const double there = low_pattern(share, last.angle_deg);
    if (here < kNull || there < kNull) {
      // It has to have been seen falling toward the null.
      best.null = best.null || before.size() > 2;
      continue;
    }
    const double rest = change - 20.0 * std::log10(here / there);
    if (std::abs(rest) < std::abs(best.louder_db)) best.louder_db = rest;
  }
  return best;
}

}  // namespace

double difference_db(const TakeSketch& a, const TakeSketch& b) {
  double sum = 0.0;
  int count = 0;
  for (std::size_t i = 0; i < std::min(a.level_db.size(), b.level_db.size()); ++i) {
    if (sketch_bands()[i].centre_hz < kHighBand_hz) continue;
    const double d = a.level_db[i] - b.level_db[i];
    sum += d * d;
    ++count;
  }
  return count > 0 ? std::sqrt(sum / count) : 0.0;
}

std::vector<Remark> suspicions(const TakeSketch& now, const std::vector<TakeSketch>& before) {
  std::vector<const TakeSketch*> alike;
  for (const TakeSketch& s : before)
    if (comparable(s, now)) alike.push_back(&s);
  std::vector<Remark> found;
  if (alike.empty()) return found;
  const auto doubt = [&](const char* code, std::string text, const char* advice) {
    found.push_back({Remark::Weight::kDoubt, code, std::move(text), advice});
  };
  const TakeSketch& last = *alike.back();
  const double later = now.arrival_s - last.arrival_s;
  const double step = std::abs(now.angle_deg - last.angle_deg);
  // An orbit that begins anew on its other side has no neighbour there.
  if (step > 45.0) return found;
  // An open baffle has a null to its sides: what is heard there is the room.
  const Turning turning = low_turning(now, alike);
  const double jump_s = std::max(kArrivalJump_s, now.top_hz > 0.0 ? 0.1 / now.top_hz : 0.0);
  if (!turning.null && std::abs(later) > jump_s) {
    doubt("microphone-moved",
          fmt::format("The sound arrives {:.2f} ms {} than in the take before.",
                      std::abs(later) * 1e3, later > 0.0 ? "later" : "earlier"),
          "Look whether the microphone slipped.");
  }
  double louder = turning.louder_db;
  // Behind the loudspeaker the level falls steadily: what goes on as it went is no jump.
  if (alike.size() > 1) {
    const double went = low_level(last) - low_level(*alike[alike.size() - 2]);
    if (std::abs(went) < kLevelJump_db && std::abs(louder - went) < std::abs(louder))
      louder -= went;
  }
  if (!turning.null && std::abs(louder) > kLevelJump_db && step < 21.0) {
    doubt("level-jump",
          fmt::format("200 to 500 Hz came out {:.1f} dB {} than in the take before; turning does "
                      "not do that.",
                      std::abs(louder), louder > 0.0 ? "louder" : "softer"),
          "Look at the microphone's place, its gain, and the amplifier's volume.");
  }
  if (alike.size() < 2 || step < 1.0) return found;
  const TakeSketch& older = *alike[alike.size() - 2];
  const double older_step = std::abs(last.angle_deg - older.angle_deg);
  if (older_step < 1.0 || older_step > 45.0) return found;
  const double turned = difference_db(now, last);
  const double turned_before = difference_db(last, older) * step / older_step;
  if (!turning.null && turned_before > kLeastTurn_db && turned < kStoodStill * turned_before) {
    doubt("angle-unchanged",
          "It is all but the same as the take before: the table may not have turned.",
          "Look at the table; home it and take it again.");
  } else if (!turning.null && std::abs(now.angle_deg) <= kFront_deg &&
             turned > std::max(kJump_db, 4.0 * turned_before)) {
    doubt("angle-jump",
          fmt::format(
              "It differs from the take before by {:.1f} dB, the one before that by {:.1f} dB.",
              turned, turned_before),
          "Look whether the loudspeaker slipped, or the table turned too far.");
  }
  return found;
}

}  // namespace lalometer
