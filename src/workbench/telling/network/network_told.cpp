#include "workbench/telling/network/network_told.h"

#include <fmt/format.h>

#include <cmath>

#include "acoustics/network/whatif/network_orbit.h"
#include "acoustics/spin/spinorama.h"
#include "base/constants.h"
#include "base/text.h"
#include "workbench/networks/sum_bumps.h"
#include "workbench/telling/angles_told.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

double level_db(Complex p) {
  return to_level_db(std::abs(p), kReferencePressure_pa);
}
double degrees(Complex p) {
  return std::arg(p) * 180.0 / kPi;
}

/// Without what two changes of unit leave behind: 6.8, not 6.799999999999999.
double tidy(double value) {
  return std::stod(fmt::format("{:.12g}", value));
}

Told told_of(const DesignBranch& b) {
  Told told;
  told.put("driver", b.driver).put("polarity", b.polarity);
  if (b.active.gain_db != 0.0) told.put("gain_db", b.active.gain_db);
  if (b.active.delay_s != 0.0) told.put("delay_ms", 1e3 * b.active.delay_s);
  if (!b.active.filters.empty() || !b.active.sections.empty()) {
    std::vector<Told> filters;
    for (const BandFilter& f : b.active.filters)
      filters.emplace_back()
          .put("type", word_of(f.kind))
          .put("frequency_hz", f.frequency_hz)
          .put("gain_db", f.gain_db)
          .put("q", f.q);
    for (const Biquad& q : b.active.sections)
      filters.emplace_back()
          .put("b", Told::Value(std::vector<double>(q.b.begin(), q.b.end())))
          .put("a", Told::Value(std::vector<double>(q.a.begin(), q.a.end())));
    told.put("filters", Told::Value(std::move(filters)));
    if (b.active.sample_rate_hz != 48000.0 && b.active.fir.empty())
      told.put("sample_rate_hz", b.active.sample_rate_hz);
  }
  if (!b.active.fir.empty()) {
    // By value: what a book keeps has no file beside it.
    told.put("fir_taps", Told::Value(b.active.fir));
    told.put("sample_rate_hz", b.active.sample_rate_hz);
  }
  if (b.moved_m != std::array<double, 3>{}) {
    std::vector<double> mm;
    for (const double m : b.moved_m) mm.push_back(tidy(1e3 * m));
    told.put("moved_mm", Told::Value(std::move(mm)));
  }
  std::vector<Told> ladder;
  for (const LadderPart& part : b.ladder) ladder.push_back(told_of(part, true));
  return std::move(told.put("ladder", Told::Value(std::move(ladder))));
}

std::string key_of(const NetworkAngle& a) {
  const bool vertical = a.vertical_deg != 0.0;
  const double degrees = vertical ? a.vertical_deg : a.horizontal_deg;
  std::string key =
      fmt::format("{}{}{}", vertical ? "v" : "h", degrees < 0.0 ? "-" : "+", std::abs(degrees));
  // Neither plane's.
  if (vertical && a.horizontal_deg != 0.0) key = fmt::format("h{:+}{}", a.horizontal_deg, key);
  return key;
}

/// The spinorama of the designed loudspeaker, as far as its angles carry it.
void tell_spin(Told& told, const NetworkSum& s) {
  const auto orbit = orbit_of(s);
  if (!orbit || s.angles.empty()) return;
  const Spinorama spin = spinorama(*orbit);
  const auto put = [&](const char* key, const SpatialAverage& average) {
    told.put(key, average.empty() ? Told::Value(nullptr) : Told::Value(average));
  };
  put("listening_window_db", spin.listening_window_db);
  put("early_reflections_db", spin.early_reflections_db);
  put("sound_power_db", spin.sound_power_db);
  put("predicted_in_room_db", spin.predicted_in_room_db);
  const Preference rating = preference_of(s.axis, s.valid, spin);
  told.put("rating", rating.score).put("rating_with_subwoofer", rating.score_with_subwoofer);
  // Of a few angles nobody expects them.
  constexpr std::size_t kMeantAsOne = 20;
  if (!spin.missing.empty() && s.angles.size() >= kMeantAsOne)
    told.note(
        fmt::format("Of the 70 angles of a spinorama {} were not taken: averages that need "
                    "them are left out.",
                    spin.missing.size()));
}

/// What the amplifier sees.
void tell_load(Told& told, const NetworkSum& s, const DesignedNetwork& network,
               const NetworkMaterial& material) {
  const std::size_t n = s.axis.size();
  if (s.load_ohm.empty()) {
    for (const char* key : {"impedance_ohm", "impedance_phase_deg", "minimum_ohm", "minimum_at_hz"})
      told.put(key, nullptr);
    told.note("Several amplifiers share the work: there is no one load.");
  } else {
    told.put_each("impedance_ohm", n, [&](std::size_t i) { return std::abs(s.load_ohm[i]); });
    told.put_each("impedance_phase_deg", n, [&](std::size_t i) { return degrees(s.load_ohm[i]); });
    std::size_t least = n;
    for (std::size_t i = 0; i < n; ++i)
      if (s.axis[i] >= 20.0 && s.axis[i] <= 20000.0 &&
          (least == n || std::abs(s.load_ohm[i]) < std::abs(s.load_ohm[least])))
        least = i;
    double minimum = least < n ? std::abs(s.load_ohm[least]) : 1e300;
    double at = least < n ? s.axis[least] : 0.0;
    // Below the gate as well.
    const NetworkStates wide = network_states(network, material.drivers);
    for (std::size_t i = 0; i < wide.load_ohm.size(); ++i)
      if ((wide.hz[i] < s.axis.front() || wide.hz[i] > s.axis.back()) &&
          std::abs(wide.load_ohm[i]) < minimum) {
        minimum = std::abs(wide.load_ohm[i]);
        at = wide.hz[i];
      }
    told.put("minimum_ohm", at > 0.0 ? std::optional(minimum) : std::nullopt);
    told.put("minimum_at_hz", at > 0.0 ? std::optional(at) : std::nullopt);
  }
}

void tell_crossings(Told& told, const NetworkSum& s) {
  std::vector<Told> crossings;
  for (const NetworkCrossing& x : network_crossings(s))
    crossings.emplace_back()
        .put("low", x.low)
        .put("high", x.high)
        .put("frequency_hz", x.frequency_hz)
        .put("phase_difference_deg", x.phase_difference_deg)
        .put("reverse_null_db", x.reverse_null_db);
  told.put("crossings", Told::Value(std::move(crossings)));
}

/// What parts and drivers must stand.
void tell_burden(Told& told, const DesignedNetwork& network, const NetworkMaterial& material,
                 double power_w) {
  std::vector<Told> parts;
  for (const PartLoad& p : part_loads(network, material.drivers, power_w))
    parts.emplace_back()
        .put("driver", p.driver)
        .put("part", p.part)
        .put("value", tidy(p.value))
        .put("unit", p.unit)
        .put("peak_a", p.peak_a)
        .put("watt", p.watt);
  told.put("parts", Told::Value(std::move(parts)));
  std::vector<Told> loads;
  for (const DriverLoad& d : driver_loads(network, material.drivers, power_w))
    loads.emplace_back()
        .put("driver", d.driver)
        .put("volts", d.volts)
        .put("watt", d.watt)
        .put("peak_mm", d.peak_mm)
        .put("xmax_mm", d.xmax_mm);
  told.put("driver_loads", Told::Value(std::move(loads)));
}

void tell_bumps(Told& told, const NetworkSum& s) {
  std::vector<Told> bumps;
  for (const SumBump& b : sum_bumps(s)) {
    bumps.emplace_back()
        .put("at_hz", b.at_hz)
        .put("height_db", b.height_db)
        .put("cause", word_of(b.cause))
        .put("driver", b.driver)
        .put("by_driver_db", b.by_driver_db)
        .put("by_network_db", b.by_network_db)
        .put("by_other_db", b.by_other_db)
        .put("fill", b.fill);
    told.note(b.told);
  }
  told.put("bumps", Told::Value(std::move(bumps)));
}

}  // namespace

Told told_of(const LadderPart& part, bool top) {
  Told told;
  if (top) told.put("place", part.place == LadderPart::Place::kShunt ? "shunt" : "series");
  if (!part.name.empty()) told.put("name", part.name);
  if (part.off) told.put("off", true);
  if (part.inductance_h > 0.0) told.put("mh", tidy(1e3 * part.inductance_h));
  if (part.capacitance_f > 0.0) told.put("uf", tidy(1e6 * part.capacitance_f));
  if (part.resistance_ohm > 0.0) told.put("ohm", part.resistance_ohm);
  if (!part.parts.empty()) {
    std::vector<Told> inside;
    for (const LadderPart& one : part.parts) inside.push_back(told_of(one, false));
    told.put(part.join == LadderPart::Join::kParallel ? "parallel" : "series",
             Told::Value(std::move(inside)));
  }
  return told;
}

Told told_of(const DesignedNetwork& network) {
  Told told;
  told.put("source_ohm", network.source_ohm);
  if (network.tilt_deg != 0.0) told.put("tilt_deg", network.tilt_deg);
  std::vector<Told> branches;
  for (const DesignBranch& b : network.branches) branches.push_back(told_of(b));
  return std::move(told.put("branches", Told::Value(std::move(branches))));
}

Told told_of(const NetworkSum& s, const DesignedNetwork& network, const NetworkMaterial& material,
             double power_w) {
  const std::size_t n = s.axis.size();
  Told told;
  told.put_each("frequency_hz", n, [&](std::size_t i) { return s.axis[i]; });
  told.put_each("sum_db", n, [&](std::size_t i) { return level_db(s.sum[i]); });
  told.put_each("sum_phase_deg", n, [&](std::size_t i) { return degrees(s.sum[i]); });
  Told angles;
  for (const auto& [angle, sum] : s.angles)
    angles.put_each(key_of(angle), n, [&, &p = sum](std::size_t i) { return level_db(p[i]); });
  told.put("angles", std::move(angles));
  Told drivers;
  for (const NetworkSum::Branch& b : s.branches) {
    Told one;
    one.put_each("level_db", n, [&](std::size_t i) { return level_db(b.pressure[i]); });
    one.put_each("phase_deg", n, [&](std::size_t i) { return degrees(b.pressure[i]); });
    one.put_each("transfer_db", n,
                 [&](std::size_t i) { return to_level_db(std::abs(b.transfer[i]), 1.0); });
    one.put_each("transfer_deg", n, [&](std::size_t i) { return degrees(b.transfer[i]); });
    drivers.put(b.driver, std::move(one));
  }
  told.put("drivers", std::move(drivers));
  tell_load(told, s, network, material);
  tell_spin(told, s);
  tell_crossings(told, s);
  tell_burden(told, network, material, power_w);
  tell_bumps(told, s);
  if (material.valid_from_hz > 1.2 * s.axis.front())
    told.note(
        fmt::format("The gate resolves nothing below {}.", frequency_text(material.valid_from_hz)));
  return std::move(told.notes(material.notes).columns_every(16));
}

}  // namespace lalometer
