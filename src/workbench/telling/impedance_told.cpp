#include "workbench/telling/impedance_told.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/text.h"

namespace lalometer {
namespace {

struct ParameterLine {
  const char* key;
  std::optional<Estimate> value;
  double scale;
};
std::vector<ParameterLine> lines_of(const ThieleSmall& t) {
  return {{"re_ohm", t.re_ohm, 1.0},
          {"fs_hz", t.fs_hz, 1.0},
          {"qms", t.qms, 1.0},
          {"qes", t.qes, 1.0},
          {"qts", t.qts, 1.0},
          {"vas_l", t.vas_m3, 1e3},
          {"mms_g", t.mms_kg, 1e3},
          {"cms_mm_per_n", t.cms_m_per_n, 1e3},
          {"rms_kg_per_s", t.rms_kg_per_s, 1.0},
          {"bl_tm", t.bl_tm, 1.0},
          {"le_mh", t.le_h, 1e3},
          {"sensitivity_db_2v83_1m", t.sensitivity_2v83_db, 1.0},
          {"sensitivity_db_1w_1m", t.sensitivity_1w_db, 1.0},
          {"reference_efficiency_percent", t.efficiency, 100.0}};
}

/// What the impedance peaks alone say, where the whole curve does not follow the model.
void tell_by_hand(Told& told, const BoxImpedance& box) {
  const Response& z = *box.impedance;
  if (box.reading->role == ImpedanceRole::kClosedBox) {
    const auto s = closed_signature(z, box.re_ohm);
    told.put("fc_hz", s ? std::optional(s->resonance_hz) : std::nullopt);
    told.put("qtc", s ? std::optional(s->qts) : std::nullopt);
    told.note(s ? "fc_hz, qtc: by three frequencies of the impedance peak alone."
                : "fc_hz, qtc: no impedance peak with both flanks lies in the range of the file.");
    return;
  }
  const auto s = vented_signature(z, box.re_ohm, box.alone);
  told.put("fl_hz", s ? std::optional(s->low_peak_hz) : std::nullopt);
  told.put("fb_hz", s ? std::optional(s->tuning_hz) : std::nullopt);
  told.put("fh_hz", s ? std::optional(s->high_peak_hz) : std::nullopt);
  told.put("ql", s ? s->ql : std::nullopt);
  told.note(s ? "fl_hz, fb_hz, fh_hz: by the three frequencies alone."
              : "fl_hz, fb_hz, fh_hz: two impedance peaks with a valley between are not in the "
                "range of the file.");
  if (s && !s->ql) told.note("ql: needs the driver's free-air impedance (--free-air).");
}

void tell_fitted(Told& told, const ImpedanceReading& r) {
  if (r.driver) {
    told.put_apart("fc_hz", r.driver->fs_hz);
    told.put_apart("qtc", r.driver->qts);
    told.put_apart("qmc", r.driver->qms);
    told.put_apart("qec", r.driver->qes);
    told.put_apart("re_ohm", r.driver->re_ohm);
    told.put("misfit_percent", r.driver->misfit_percent);
    return;
  }
  told.put_apart("fl_hz", r.box->fl_hz);
  told.put_apart("fb_hz", r.box->fb_hz);
  told.put_apart("fh_hz", r.box->fh_hz);
  if (r.box->ql) {
    told.put_apart("ql", *r.box->ql);
    told.put("ql_means", leak_word(r.box->ql->value));
  } else {
    told.put("ql", nullptr);
  }
  if (r.box->qa) told.put_apart("qa", *r.box->qa);
  if (r.box->notch_hz) told.put_apart("notch_hz", *r.box->notch_hz);
  if (holds(r.box->alpha)) {
    told.put_apart("compliance_ratio", r.box->alpha);
  } else {
    told.put("compliance_ratio", nullptr);
    told.note(fmt::format("compliance_ratio: between {} and {} the curve tells nothing.",
                          three_digits(std::max(0.0, r.box->alpha.value - r.box->alpha.half_width)),
                          three_digits(r.box->alpha.value + r.box->alpha.half_width)));
  }
  told.put_apart("re_ohm", r.box->re_ohm);
  told.put("misfit_percent", r.box->misfit_percent);
}

Told told_of(const Wiggle& w) {
  Told told;
  told.put("frequency_hz", w.frequency_hz.value);
  told.put("height_ohm", w.height_ohm);
  told.put("height_percent", w.height_percent);
  told.put("q", w.q);
  told.put("uncertainty_hz", w.frequency_hz.half_width);
  told.put("significance", w.significance);
  return told;
}

/// What every impedance tells, boxed or not: the amplifier's load and the peaks.
void tell_load(Told& told, const Response& z, const ImpedanceReading& r) {
  const auto& low = r.minimum;
  told.put("minimum_ohm", low ? std::optional(low->magnitude_ohm) : std::nullopt);
  told.put("minimum_at_hz", low ? std::optional(low->frequency_hz) : std::nullopt);
  told.put("nominal_ohm", r.nominal_ohm);
  const auto& worst = r.dissipation;
  told.put("peak_dissipation_ohm", worst ? std::optional(worst->resistance_ohm) : std::nullopt);
  told.put("peak_dissipation_at_hz", worst ? std::optional(worst->frequency_hz) : std::nullopt);
  if (!z.has_phase())
    told.note(
        "The file has no phase: magnitudes alone were fitted, the amplifier's load is not known.");
  std::vector<Told> peaks;
  for (const ImpedancePeak& peak : r.peaks) {
    peaks.emplace_back()
        .put("frequency_hz", peak.frequency_hz)
        .put("magnitude_ohm", peak.magnitude_ohm);
  }
  told.put("peaks", std::move(peaks));
}

}  // namespace

Told told_of(const ThieleSmall& t, const DriverFit& fit, double sd_m2, const Response* free_air) {
  Told told;
  for (const ParameterLine& line : lines_of(t)) told.put(line.key, line.value, line.scale);
  if (sd_m2 > 0.0) told.put("sd_cm2", sd_m2 * 1e4);
  told.put("coil", Told().put("model", fit.coil.name()).put("parameters", fit.coil.parameters));
  told.put("creep", fit.creep, 1.0);
  told.put("misfit_percent", fit.misfit_percent);
  if (fit.second) told.put("second_resonance_hz", fit.second->frequency_hz, 1.0);
  told.notes(t.notes);
  told.note("le_mh: the inductance that has the coil's reactance at 1 kHz.");
  if (!t.mms_kg) {
    told.note(
        "vas_l, mms_g, cms_mm_per_n, rms_kg_per_s, bl_tm, sensitivity, efficiency: one curve does "
        "not tell; add one with a known mass (--added-mass) or a known box (--test-box).");
  }
  if (free_air == nullptr) return told;
  if (const auto points = closed_signature(*free_air, t.re_ohm.value)) {
    told.put("three_frequency_check", Told()
                                          .put("fs_hz", points->resonance_hz)
                                          .put("qms", points->qms)
                                          .put("qes", points->qes)
                                          .put("qts", points->qts));
  } else {
    told.put("three_frequency_check", nullptr);
    told.note("three_frequency_check: the impedance peak's flanks are not clear.");
  }
  return told;
}

Told told_of(const BoxImpedance& box) {
  const ImpedanceReading& r = *box.reading;
  Told told;
  told.notes(r.notes);
  if (r.refusal.empty()) {
    tell_fitted(told, r);
  } else {
    told.note(r.refusal);
    tell_by_hand(told, box);
  }
  tell_load(told, *box.impedance, r);
  if (r.motor() == nullptr) {
    told.put("wiggles", nullptr);
    told.note("wiggles: without a fitted model there is no ground to see them on.");
    return told;
  }
  std::vector<Told> wiggles;
  for (const ExplainedWiggle& e : explained(r.wiggles, box.context)) {
    Told one = told_of(e.wiggle);
    if (box.context.free_air) one.put("in_driver", e.name == "in the driver itself");
    wiggles.push_back(std::move(one));
  }
  return std::move(told.put("wiggles", std::move(wiggles)));
}

std::string parameters_csv(const ThieleSmall& t) {
  std::string out = "figure,value,uncertainty,unit\n";
  for (const ParameterLine& line : lines_of(t)) {
    if (line.value)
      out += fmt::format("{},{},{},{}\n", line.key, shortest(line.value->value * line.scale),
                         shortest(line.value->half_width * line.scale), unit_of(line.key));
  }
  return out;
}

}  // namespace lalometer
