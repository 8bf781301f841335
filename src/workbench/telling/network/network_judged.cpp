#include "workbench/telling/angles_told.h"
#include "workbench/telling/network/network_told.h"

namespace lalometer {

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

void tell(Told& told, const StoneList& list) {
  std::vector<Told> rows;
  for (const BuildingStone& s : list.stones) {
    std::vector<Told> parts;
    for (const LadderPart& p : s.parts) parts.push_back(told_of(p, true));
    rows.emplace_back()
        .put("driver", s.driver)
        .put("kind", word_of(s.kind))
        .put("at_hz", s.at_hz)
        .put("db", s.db)
        .put("stands", s.first ? "first" : "at-the-driver")
        .put("ladder", Told::Value(std::move(parts)))
        .put("told", s.told);
    told.note(s.told);
  }
  told.put("stones", Told::Value(std::move(rows)));
  told.notes(list.why_not);
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
