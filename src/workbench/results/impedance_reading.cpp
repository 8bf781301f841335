#include "workbench/results/impedance_reading.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"

namespace lalometer {

std::optional<ImpedanceRole> impedance_role(const std::string& condition,
                                            const std::string& loading) {
  if (condition == "free-air" || condition == "added-mass") return ImpedanceRole::kDriver;
  if (condition == "test-box") return ImpedanceRole::kClosedBox;
  if (condition != "in-box") return std::nullopt;
  if (loading == "sealed") return ImpedanceRole::kClosedBox;
  if (loading == "vented") return ImpedanceRole::kVented;
  if (loading == "passive-radiator") return ImpedanceRole::kRadiator;
  if (loading == "free-air" || loading == "large-baffle" || loading == "open-baffle")
    return ImpedanceRole::kDriver;
  return std::nullopt;
}

ImpedanceRole guessed_role(const Response& impedance) {
  const auto points = fit_points(impedance, 0.0, 2000.0);
  if (!points) return ImpedanceRole::kDriver;
  int low = 0;
  for (const Hump& h : humps(*points, 0.15)) low += h.frequency_hz < 300.0 ? 1 : 0;
  return low >= 2 ? ImpedanceRole::kVented : ImpedanceRole::kDriver;
}

const FittedImpedance* ImpedanceReading::motor() const {
  if (driver) return &driver->motor;
  if (box) return &box->motor;
  return nullptr;
}

ImpedanceReading read_impedance(const Response& z, ImpedanceRole role, std::optional<double> re_ohm,
                                double calibration_percent) {
  ImpedanceReading out;
  out.role = role;
  if (role == ImpedanceRole::kDriver || role == ImpedanceRole::kClosedBox) {
    auto fit = fit_driver(z, {.re_ohm = re_ohm,
                              .in_closed_box = role == ImpedanceRole::kClosedBox,
                              .calibration_percent = calibration_percent});
    if (fit) {
      out.notes.insert(out.notes.end(), fit->notes.begin(), fit->notes.end());
      out.three_points = closed_signature(z, fit->re_ohm.value);
      out.driver = std::move(*fit);
    } else {
      out.refusal = fit.error().message;
    }
  } else {
    auto fit = fit_box(z, role == ImpedanceRole::kVented ? BackLoad::kVented : BackLoad::kRadiator,
                       re_ohm, calibration_percent);
    if (fit) {
      out.notes.insert(out.notes.end(), fit->notes.begin(), fit->notes.end());
      out.box = std::move(*fit);
    } else {
      out.refusal = fit.error().message;
    }
  }
  if (calibration_percent > 0.0 && out.refusal.empty()) {
    out.notes.push_back(fmt::format("Uncertainties count {} % for a smooth error of the rig.",
                                    shortest(calibration_percent)));
  }
  out.peaks = impedance_peaks(z);
  out.minimum = impedance_minimum(z);
  if (out.minimum) out.nominal_ohm = nominal_impedance_ohm(out.minimum->magnitude_ohm);
  if (z.has_phase()) out.dissipation = lowest_peak_dissipation(z);
  // A model that was refused leaves no ground to see loops on: the impedance peaks themselves would
  // be called loops.
  if (const FittedImpedance* motor = out.motor()) {
    WiggleSearch search;
    const double lower = out.driver ? out.driver->fs_hz.value : out.box->fl_hz.value;
    const double upper = out.driver ? lower : out.box->fh_hz.value;
    search.low_hz = 0.5 * lower;
    search.humps = {0.5 * lower, 1.6 * upper};
    search.model_to_hz = out.driver ? out.driver->fitted_to_hz : out.box->fitted_to_hz;
    out.wiggles = find_wiggles(z, motor, search);
  }
  return out;
}

std::vector<ReadFigure> figures_of(const ImpedanceReading& r) {
  std::vector<ReadFigure> all;
  if (r.driver) {
    const DriverFit& d = *r.driver;
    const bool closed = r.role == ImpedanceRole::kClosedBox;
    all.push_back({closed ? "fc_hz" : "fs_hz", closed ? "fc" : "fs", d.fs_hz, "Hz", ""});
    all.push_back({closed ? "qtc" : "qts", closed ? "Qtc" : "Qts", d.qts, "",
                   closed ? (d.qts.value > 0.9    ? "an impedance peak in the bass"
                             : d.qts.value < 0.58 ? "tightly damped"
                                                  : "near the flattest, 0.71")
                          : ""});
    all.push_back({"qes", closed ? "Qec" : "Qes", d.qes, "", ""});
    all.push_back({"qms", closed ? "Qmc" : "Qms", d.qms, "", ""});
    all.push_back({"re_ohm", "Re", d.re_ohm, "ohm", ""});
    all.push_back({"le_mh",
                   "Le at 1 kHz",
                   {d.le_1khz_h.value * 1e3, d.le_1khz_h.half_width * 1e3},
                   "mH",
                   d.coil.name()});
    if (d.creep) all.push_back({"creep", "creep", *d.creep, "", "compliance lost per decade"});
    if (d.second)
      all.push_back({"second_hz", "second resonance", d.second->frequency_hz, "Hz",
                     fmt::format("{} ohm high", three_digits(d.second->height_ohm))});
  } else if (r.box) {
    const BoxFit& b = *r.box;
    const bool radiator = r.role == ImpedanceRole::kRadiator;
    all.push_back(
        {"fb_hz", "fB", b.fb_hz, "Hz", radiator ? "tuning by the radiator" : "tuning by the port"});
    all.push_back({"fl_hz", "fL", b.fl_hz, "Hz", ""});
    all.push_back({"fh_hz", "fH", b.fh_hz, "Hz", ""});
    if (b.ql) all.push_back({"ql", "QL", *b.ql, "", leak_word(b.ql->value)});
    if (b.qa) all.push_back({"qa", "QA", *b.qa, "", "absorption by what is in the box"});
    if (b.notch_hz)
      all.push_back({"notch_hz", "notch", *b.notch_hz, "Hz", "the radiator's own resonance"});
    // What the curve does not hold is no figure.
    for (const ReadFigure& figure :
         {ReadFigure{"alpha", "compliance ratio", b.alpha, "", "suspension over box air"},
          ReadFigure{"driver_fs_hz", "driver's fs in it", b.driver_fs_hz, "Hz", ""},
          ReadFigure{"driver_qes", "driver's Qes in it", b.driver_qes, "", ""}})
      if (holds(figure.value)) all.push_back(figure);
    all.push_back({"re_ohm", "Re", b.re_ohm, "ohm", ""});
  }
  return all;
}

std::string with_uncertainty(const Estimate& v, const std::string& unit) {
  const std::string tail = unit.empty() ? "" : " " + unit;
  if (!(v.half_width > 0.0) || !std::isfinite(v.half_width)) return three_digits(v.value) + tail;
  // One digit of the uncertainty, two where it begins with a 1: the usual habit of laboratories.
  const int power = static_cast<int>(std::floor(std::log10(v.half_width)));
  const double lead = v.half_width / std::pow(10.0, power);
  const int places = std::clamp(-power + (lead < 1.95 ? 1 : 0), 0, 9);
  // More than four digits say nothing in acoustics.
  const int least =
      v.value != 0.0 ? 3 - static_cast<int>(std::floor(std::log10(std::abs(v.value)))) : 3;
  const int shown = std::min(places, std::max(0, least));
  const double smallest = std::pow(10.0, -shown);
  return fmt::format("{:.{}f} ± {:.{}f}{}", v.value, shown, std::max(v.half_width, smallest), shown,
                     tail);
}

}  // namespace lalometer
