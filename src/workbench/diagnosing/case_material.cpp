#include "workbench/diagnosing/case_material.h"

#include <algorithm>

#include "acoustics/decay/impulse_of.h"
#include "acoustics/signal/recording/disturbance.h"
#include "acoustics/signal/recording/recording_checks.h"
#include "book/description/driver_parameters.h"
#include "book/description/subject_geometry.h"
#include "workbench/level/distortion_study.h"
#include "workbench/level/swept_sound.h"

namespace lalometer {
namespace {

CaseSubject subject_of(const Description& description, const SubjectGeometry& g,
                       const std::string& where) {
  CaseSubject s;
  s.loading = g.loading;
  for (const SubjectDriver& d : g.drivers) {
    CaseDriver one{.id = d.id,
                   .role = d.role,
                   .x_m = d.x_m,
                   .y_m = d.y_m,
                   .radius_m = d.radius_m.value_or(0.0),
                   .high = is_high_driver(d.role)};
    for (const DescribedDriver& told : description.drivers) {
      if (told.id != d.id) continue;
      if (const auto p = parameters_of(told, where); p && !p->usual) one.told = p->elements;
    }
    s.drivers.push_back(std::move(one));
  }
  s.baffle = g.baffle;
  s.origin_x_m = g.origin_x_m;
  s.origin_y_m = g.origin_y_m;
  s.volume_m3 = g.acoustic_volume_m3();
  s.inner = g.inner;
  s.damping = g.damping;
  for (const SubjectPort& p : g.ports) s.ports.push_back({p.id, p.geometry, p.panel == "front"});
  for (const SubjectRadiator& r : g.radiators) s.radiators.push_back({r.id, r.radius_m});
  s.wing_m = std::max(g.left_wing_m, g.right_wing_m);
  for (const SubjectCrossover& x : g.crossovers)
    s.crossovers.push_back({x.low, x.high, x.frequency_hz});
  return s;
}

/// Hum and noise in the silence before a sweep; samples at the rail.
void hear(const DiagnosedTake& t, std::vector<std::string>& seen) {
  constexpr double kHum = 0.006;   // 44 dB under the sweep
  constexpr double kNoise = 0.03;  // 30 dB
  const auto sound = swept_sound(*t.recording, *t.stage, {});
  if (!sound) return;
  const std::span<const double> all(sound->measured);
  if (find_clipping(all).clipped_count > 0) seen.emplace_back("clipping");
  if (sound->silence_count < 1024) return;
  const double rate = sound->spec.sample_rate_hz();
  const auto silence = all.subspan(sound->silence_from, sound->silence_count);
  const auto from =
      std::min(static_cast<std::size_t>(std::max(sound->arrives_at, 0.0)), all.size());
  const double loud =
      rms_of(all.subspan(from, std::min(sound->spec.sample_count(), all.size() - from)));
  const auto hum = find_hum(silence, rate);
  if (hum && hum->level > kHum * loud)
    seen.emplace_back("mains-hum");
  else if (rms_of(silence) > kNoise * loud)
    seen.emplace_back("noise");
}

/// What a recording showed, by the words of the checks and of the notes.
std::vector<std::string> seen_of(const DiagnosedTake& t) {
  std::vector<std::string> seen;
  for (const Remark& r : t.take->remarks) {
    if (r.code == "clipping" || r.code == "mains-hum") seen.push_back(r.code);
    if (r.code == "signal-to-noise" && r.weight != Remark::Weight::kNote)
      seen.emplace_back("noise");
  }
  for (const std::string& note : t.notes)
    if (note.find("clipped") != std::string::npos) seen.emplace_back("clipping");
  if (t.recording != nullptr && t.stage != nullptr && holds_sweep(*t.take)) hear(t, seen);
  return seen;
}

/// The whole loudspeaker on its axis: that is where features are found.
bool of_axis(const CaseTake& t) {
  return t.kind == CaseTake::Kind::kResponse && t.horizontal_deg == 0.0 && t.vertical_deg == 0.0 &&
         t.driver.empty() && t.flipped.empty() && t.condition.empty();
}

void look_for_ridges(CaseTake& t) {
  constexpr double kPeriods = 8.0;  // of the lowest that is valid, at most as long as usual gates
  if (!of_axis(t) || !t.curve.has_phase()) return;
  const double low = std::max(1.3 * t.curve.valid().low_hz, 100.0);
  const double high = std::min(t.curve.valid().high_hz / 1.3, 12000.0);
  if (high < 2.0 * low) return;
  t.ridges = decay_ridges(impulse_of(t.curve), {0.0, std::min(kPeriods / low, 0.05)},
                          {.low_hz = low, .high_hz = high});
}

/// A harmonic's level over the frequency at which it is heard, on the longest stretch where it
/// stands out of its noise.
std::optional<Response> heard_harmonic(const Harmonics& all, int order) {
  constexpr double kOverFloor = 2.0;
  const Harmonic& h = all.order(order);
  std::vector<double> hz;
  std::vector<std::complex<double>> values;
  ValidRange longest{0.0, 0.0};
  double begun = 0.0;
  for (std::size_t i = 0; i < all.axis.size(); ++i) {
    const double level = std::abs(h.value[i]);
    hz.push_back(order * all.axis[i]);
    values.emplace_back(std::max(level, 1e-30));
    if (!(level > kOverFloor * h.floor[i]) || !h.valid.contains(all.axis[i])) {
      begun = 0.0;
      continue;
    }
    if (begun == 0.0) begun = hz.back();
    if (longest.low_hz <= 0.0 || hz.back() / begun > longest.high_hz / longest.low_hz)
      longest = {begun, hz.back()};
  }
  auto axis = FrequencyAxis::make(std::move(hz));
  if (!axis || longest.high_hz < 1.5 * longest.low_hz) return std::nullopt;
  auto curve =
      Response::make(*std::move(axis), std::move(values), Quantity::kPressure, longest, false);
  return curve ? std::optional(*std::move(curve)) : std::nullopt;
}

/// Of a recorded sweep on the axis.
void look_for_harmonics(CaseTake& one, const DiagnosedTake& t) {
  if (!of_axis(one) || t.recording == nullptr || t.stage == nullptr || !holds_sweep(*t.take))
    return;
  const auto reading = distortion_reading(*t.take, *t.stage, with_microphone({}, t.recording->rig));
  if (!reading) return;
  for (const int order : {2, 3})
    if (auto curve = heard_harmonic(reading->harmonics, order))
      one.harmonics.push_back(*std::move(curve));
}

}  // namespace

Result<CaseMaterial> case_material(const Description& description, const std::string& where,
                                   const std::vector<DiagnosedTake>& takes,
                                   std::vector<CaseVariant> variants) {
  const auto geometry = geometry_of(description, where);
  if (!geometry) return tl::unexpected(geometry.error());
  CaseMaterial m{.subject = subject_of(description, *geometry, where),
                 .variants = std::move(variants)};
  for (const DiagnosedTake& t : takes) {
    if (t.curve == nullptr || t.curve->size() < 4) continue;
    const Take& take = *t.take;
    CaseTake one{.name = take.name,
                 .id = take.id,
                 .variant = t.variant,
                 .sample = take.conditions.sample,
                 .driver = take.conditions.driver,
                 .source = {},
                 .condition = condition_of(take),
                 .flipped = take.conditions.polarity_flipped,
                 .curve = *t.curve,
                 .seen = seen_of(t)};
    const Placement place = place_of(take);
    one.horizontal_deg = place.horizontal_deg;
    one.vertical_deg = place.vertical_deg;
    one.distance_m = place.distance_m;
    one.gate_s = t.gate_s > 0.0 ? t.gate_s : take.conditions.gate_s;
    one.drive_v = take.conditions.drive_v;
    switch (take.kind()) {
      case TakeKind::kNearField:
        one.kind = CaseTake::Kind::kNearField;
        one.source = std::get<NearFieldSetup>(take.setup).source;
        one.condition.clear();
        break;
      case TakeKind::kImpedance:
        one.kind = CaseTake::Kind::kImpedance;
        break;
      case TakeKind::kResponse:
      case TakeKind::kLevelStep:
        one.kind = CaseTake::Kind::kResponse;
        if (one.condition == "in-box") one.condition.clear();
        break;
      case TakeKind::kMultitone:
      case TakeKind::kSteadyTones:
      case TakeKind::kUnknown:
        continue;
    }
    if (t.stage != nullptr && t.stage->first_reflection_s)
      one.reflection_s = *t.stage->first_reflection_s - t.stage->gate_start_s();
    look_for_ridges(one);
    look_for_harmonics(one, t);
    m.takes.push_back(std::move(one));
  }
  if (m.takes.empty()) return bad_input("Nothing that could be diagnosed was found here.", where);
  return m;
}

}  // namespace lalometer
