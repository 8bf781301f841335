#include "workbench/telling/comparison_told.h"

#include <fmt/format.h>

#include "base/text.h"
#include "workbench/studies/what_changed.h"

namespace lalometer {
namespace {

std::string csv_text(const std::string& text) {
  if (text.find_first_of(",\"\n") == std::string::npos) return text;
  std::string out = "\"";
  for (const char c : text) out += c == '"' ? std::string("\"\"") : std::string(1, c);
  return out + '"';
}

Told told_of(const MemberFigures& m) {
  Told figures;
  for (const ReadFigure& f : m.impedance) figures.put(f.key, f.value);
  std::vector<Told> wiggles;
  for (const Wiggle& w : m.wiggles) {
    wiggles.emplace_back()
        .put("frequency_hz", w.frequency_hz.value)
        .put("height_percent", w.height_percent)
        .put("q", w.q);
  }
  Told told;
  told.put("id", m.id).put("name", m.name).put("figures", std::move(figures));
  told.put("smoothness_db", m.roughness_db).put("f6_hz", m.f6_hz);
  told.put("decay_ms", m.ring_ms).put("minimum_ohm", m.minimum_ohm);
  told.put("output_db", m.level_db ? std::optional(m.level_db->value) : std::nullopt);
  return std::move(told.put("wiggles", std::move(wiggles)));
}

Told told_of(const PairDifference& p, const SeriesComparison& s) {
  Told told;
  told.put("a", s.members[p.a].id).put("b", s.members[p.b].id).put("real", p.real);
  told.put("mean_db", p.mean_db).put("rms_db", p.rms_db);
  told.put("largest_db", p.largest_db).put("largest_at_hz", p.largest_at_hz);
  Told figures;
  for (const FigureDifference& f : p.figures) {
    figures.put(f.key, Told()
                           .put("difference", f.difference)
                           .put("uncertainty", f.uncertainty)
                           .put("real", f.real));
  }
  told.put("figures", std::move(figures));
  std::vector<Told> changes;
  for (const Change& c :
       what_changed(s.members[p.a], s.members[p.b], s.repeat_db, s.driver_fs_hz)) {
    const char* const senses[] = {"won", "cost", "open"};
    changes.emplace_back().put("text", c.text).put("sense", senses[static_cast<int>(c.sense)]);
  }
  return std::move(told.put("changes", std::move(changes)));
}

}  // namespace

std::vector<Told> told_of(const std::vector<FactorTable>& tables) {
  std::vector<Told> all;
  for (const FactorTable& t : tables) {
    Told one;
    one.put("aim", word_of(t.aim)).put("unit", t.unit);
    one.put("rows", t.row_name).put("row_levels", t.row_levels);
    one.put("columns", t.column_name).put("column_levels", t.column_levels);
    std::vector<Told> cells;
    for (std::size_t r = 0; r < t.cells.size(); ++r)
      for (std::size_t c = 0; c < t.cells[r].size(); ++c)
        cells.emplace_back()
            .put("row", t.row_levels[r])
            .put("column", t.column_levels[c])
            .put("value", t.cells[r][c]);
    one.put("cells", std::move(cells));
    one.put("row_effect", t.row_effect).put("row_real", t.row_real);
    one.put("column_effect", t.column_effect).put("column_real", t.column_real);
    if (t.interaction)
      one.put("interaction", *t.interaction);
    else
      one.put("interaction", nullptr);
    one.put("interaction_real", t.interaction_real);
    all.push_back(std::move(one.put("told", t.told)));
  }
  return all;
}

Told told_of(const SeriesComparison& s) {
  Told told;
  std::vector<Told> members;
  for (const MemberFigures& m : s.members) members.push_back(told_of(m));
  told.put("members", std::move(members));
  std::vector<Told> pairs;
  for (const PairDifference& p : s.pairs) pairs.push_back(told_of(p, s));
  told.put("pairs", std::move(pairs));
  told.put("repeatability_db", s.repeat_db).put("repeatability_measured", s.repeat_measured);
  std::vector<Told> ranking;
  int place = 0;
  double before = -1.0;
  for (std::size_t i = 0; i < s.ranking.size(); ++i) {
    const RankLine& line = s.ranking[i];
    if (line.score > before) place = static_cast<int>(i) + 1;
    before = line.score;
    ranking.emplace_back()
        .put("place", place)
        .put("id", s.members[line.member].id)
        .put("reasons", line.reasons);
  }
  told.put("ranking", std::move(ranking));
  if (s.nearest_pair) {
    const PairDifference& p = s.pairs[*s.nearest_pair];
    told.put("nearest_pair", std::vector<std::string>{s.members[p.a].id, s.members[p.b].id});
  } else {
    told.put("nearest_pair", nullptr);
  }
  if (s.odd_one_out)
    told.put("odd_one_out", s.members[*s.odd_one_out].id);
  else
    told.put("odd_one_out", nullptr);
  return std::move(told.notes(s.notes));
}

std::string comparison_csv(const SeriesComparison& s) {
  std::string out = "member,figure,value,uncertainty,unit\n";
  for (const MemberFigures& m : s.members) {
    const auto line = [&](const std::string& key, double value, double spread,
                          const std::string& unit) {
      out += fmt::format("{},{},{},{},{}\n", csv_text(m.name), key, shortest(value),
                         shortest(spread), unit);
    };
    for (const ReadFigure& f : m.impedance) line(f.key, f.value.value, f.value.half_width, f.unit);
    if (m.level_db) line("output_db", m.level_db->value, m.level_db->half_width, "dB");
    if (m.roughness_db) line("smoothness_db", *m.roughness_db, 0.0, "dB");
    if (m.f6_hz) line("f6_hz", *m.f6_hz, 0.0, "Hz");
    for (const Wiggle& w : m.wiggles)
      line("wiggle_hz", w.frequency_hz.value, w.frequency_hz.half_width, "Hz");
  }
  return out;
}

std::string comparison_table(const SeriesComparison& s) {
  std::string out;
  for (const MemberFigures& m : s.members) {
    out += m.name + '\n';
    for (const ReadFigure& f : m.impedance)
      out += fmt::format("  {:<22} {}\n", f.name, with_uncertainty(f.value, f.unit));
    if (m.level_db) out += fmt::format("  {:<22} {:.1f} dB\n", "output", m.level_db->value);
    if (m.roughness_db) out += fmt::format("  {:<22} {:.2f} dB\n", "roughness", *m.roughness_db);
    if (m.f6_hz) out += fmt::format("  {:<22} {}\n", "F6", frequency_text(*m.f6_hz));
    for (const Wiggle& w : m.wiggles)
      out += fmt::format("  {:<22} {} ({:.1f} %)\n", "loop", frequency_text(w.frequency_hz.value),
                         w.height_percent);
  }
  for (const PairDifference& p : s.pairs) {
    out += fmt::format("{} -> {}:\n", s.members[p.a].name, s.members[p.b].name);
    out += "  " +
           in_words(what_changed(s.members[p.a], s.members[p.b], s.repeat_db, s.driver_fs_hz)) +
           '\n';
    if (p.rms_db)
      out += fmt::format("  curves differ by {:.2f} dB rms, most by {:+.1f} dB at {}: {}\n",
                         *p.rms_db, *p.largest_db, frequency_text(*p.largest_at_hz),
                         p.real ? "real" : "within repeat error");
  }
  for (const RankLine& line : s.ranking) {
    out += s.members[line.member].name + ":";
    for (const std::string& reason : line.reasons) out += " " + reason + ";";
    out += '\n';
  }
  if (s.nearest_pair)
    out += fmt::format("Best pair: {} and {}\n", s.members[s.pairs[*s.nearest_pair].a].name,
                       s.members[s.pairs[*s.nearest_pair].b].name);
  if (s.odd_one_out) out += fmt::format("Odd one out: {}\n", s.members[*s.odd_one_out].name);
  return out;
}

}  // namespace lalometer
