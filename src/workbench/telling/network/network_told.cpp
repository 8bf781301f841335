#include "workbench/telling/network/network_told.h"

#include <fmt/format.h>

#include <cmath>

#include "acoustics/network/whatif/network_orbit.h"
#include "acoustics/spin/spinorama.h"
#include "base/constants.h"
#include "base/text.h"
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
    if (b.active.sample_rate_hz != 48000.0) told.put("sample_rate_hz", b.active.sample_rate_hz);
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
  // Of a few angles nobody expects them.
  constexpr std::size_t kMeantAsOne = 20;
  if (!spin.missing.empty() && s.angles.size() >= kMeantAsOne)
    told.note(
        fmt::format("Of the 70 angles of a spinorama {} were not taken: averages that need "
                    "them are left out.",
                    spin.missing.size()));
}

}  // namespace

Told told_of(const DesignedNetwork& network) {
  Told told;
  told.put("source_ohm", network.source_ohm);
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
    told.put("minimum_ohm", least < n ? std::optional(std::abs(s.load_ohm[least])) : std::nullopt);
    told.put("minimum_at_hz", least < n ? std::optional(s.axis[least]) : std::nullopt);
  }
  tell_spin(told, s);
  std::vector<Told> crossings;
  for (const NetworkCrossing& x : network_crossings(s))
    crossings.emplace_back()
        .put("low", x.low)
        .put("high", x.high)
        .put("frequency_hz", x.frequency_hz)
        .put("phase_difference_deg", x.phase_difference_deg)
        .put("reverse_null_db", x.reverse_null_db);
  told.put("crossings", Told::Value(std::move(crossings)));
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
  if (material.valid_from_hz > 1.2 * s.axis.front())
    told.note(
        fmt::format("The gate resolves nothing below {}.", frequency_text(material.valid_from_hz)));
  return std::move(told.notes(material.notes).columns_every(16));
}

void tell(Told& told, const CrossoverDesign& d) {
  told.put("network", told_of(d.network));
  told.put("deviation_db", d.deviation_db).put("largest_db", d.largest_db);
  told.put("off_phase_deg", d.off_phase_deg)
      .put("part_count", d.parts)
      .put("rounding_cost_db", d.rounding_cost_db);
  told.put("possible", d.possible).put("verdict", d.verdict);
}

void tell(Told& told, const std::vector<CrossoverWindow>& windows) {
  std::vector<Told> rows;
  for (const CrossoverWindow& w : windows) {
    rows.push_back(told_of(w));
    told.note(spoken(w));
    told.notes(w.notes);
  }
  told.put("window", Told::Value(std::move(rows)));
}

void tell(Told& told, const ToleranceBand& band) {
  told.put("band_db", Told::Value(band.half_width_db));
  told.put("band_widest_db", band.widest_db).put("band_widest_at_hz", band.widest_at_hz);
  told.put("band_lowest_ohm",
           band.lowest_ohm > 0.0 ? std::optional(band.lowest_ohm) : std::nullopt);
}

void tell(Told& told, const AsBuilt& built) {
  told.put("as_drawn", built.as_drawn).put("misfit", built.misfit);
  told.put("level_off_db", built.level_off_db);
  std::vector<Told> rows;
  for (const BuiltOtherwise& one : built.otherwise)
    rows.emplace_back()
        .put("what", one.what)
        .put("probability", one.probability)
        .put("misfit", one.misfit);
  told.put("built_otherwise", Told::Value(std::move(rows)));
  told.note(built.told);
}

}  // namespace lalometer
