#include <fmt/format.h>

#include <map>

#include "base/text.h"
#include "workbench/report/report_lanes.h"
#include "workbench/report/sections/driver_section.h"
#include "workbench/studies/factors.h"
#include "workbench/studies/series_material.h"

namespace lalometer::sections {
namespace {

/// The figures of a member that stand in the table, by key.
struct Column {
  const char* key;
  const char* name;
};
constexpr Column kColumns[] = {{"fc_hz", "fc"}, {"fs_hz", "fs"}, {"qtc", "Qtc"},
                               {"qts", "Qts"},  {"fb_hz", "fB"}, {"ql", "Ql"}};

void put_members(ReportWriter& w, const SeriesComparison& s) {
  ReportTable table{{"Variant", "level", "roughness", "F6", "lowest impedance"}, {}, ""};
  std::vector<const Column*> used;
  for (const Column& c : kColumns)
    for (const MemberFigures& m : s.members)
      if (figure_of(m, c.key) != nullptr) {
        used.push_back(&c);
        break;
      }
  for (const Column* c : used) table.head.emplace_back(c->name);
  const auto text = [](const std::optional<double>& v, const char* unit) {
    return v ? stated_text(*v, {}, unit) : std::string("not told");
  };
  for (const MemberFigures& m : s.members) {
    std::vector<std::string> row{
        m.name,
        m.level_db ? stated_text(m.level_db->value, m.level_db->half_width, "dB")
                   : std::string("not told"),
        text(m.roughness_db, "dB"), text(m.f6_hz, "Hz"), text(m.minimum_ohm, "ohm")};
    for (const Column* c : used) {
      const ReadFigure* f = figure_of(m, c->key);
      row.push_back(f == nullptr ? "not told"
                                 : stated_text(f->value.value, f->value.half_width, f->unit));
    }
    table.rows.push_back(std::move(row));
  }
  table.caption =
      fmt::format("Two takes of one thing differ by {:.1f} dB ({}).", s.repeat_db,
                  s.repeat_measured ? "by the repeats here" : "common practice: no repeats here");
  w.table(std::move(table));
}

void put_pairs(ReportWriter& w, const SeriesComparison& s) {
  for (std::size_t i = 0; i < s.pairs.size(); ++i) {
    const PairDifference& p = s.pairs[i];
    std::string text = fmt::format("“{}” against “{}”: ", s.members[p.b].name, s.members[p.a].name);
    if (!p.real) {
      w.say(fmt::format("comparison.pair.{}", i + 1),
            text + "nothing differs by more than two takes of one thing do.");
      continue;
    }
    std::vector<std::string> parts;
    if (p.mean_db) parts.push_back(fmt::format("{:+.1f} dB in the mean", *p.mean_db));
    if (p.largest_db && p.largest_at_hz)
      parts.push_back(
          fmt::format("most at {} ({:+.1f} dB)", frequency_text(*p.largest_at_hz), *p.largest_db));
    for (const FigureDifference& f : p.figures)
      if (f.real)
        parts.push_back(fmt::format("{} {}{}", f.name, f.difference > 0.0 ? "+" : "",
                                    stated_text(f.difference, f.uncertainty, f.unit)));
    w.say(fmt::format("comparison.pair.{}", i + 1),
          text + fmt::format("{}.", fmt::join(parts, ", ")));
  }
}

/// Curves of the variant with most takes, as members of their subject's name.
void add_subject(std::vector<CurveOfTake>& curves, const ImportPreview& p) {
  std::map<std::string, int> counts;
  std::string main;
  for (const ImportItem& item : p.items)
    if (item.curve && !item.calibration && ++counts[item.variant_id] > counts[main])
      main = item.variant_id;
  const std::string name = p.subject ? p.subject->name : "subject";
  for (const ImportItem& item : p.items) {
    if (!item.curve || item.calibration || item.variant_id != main) continue;
    CurveOfTake one{&item.take, &*item.curve, name, name};
    if (item.rig) one.calibration_percent = item.rig->impedance_uncertainty_percent;
    curves.push_back(std::move(one));
  }
}

SeriesMaterial subjects_material(const ImportPreview& first,
                                 const std::vector<ImportPreview>& others) {
  std::vector<CurveOfTake> curves;
  add_subject(curves, first);
  for (const ImportPreview& other : others) add_subject(curves, other);
  return series_material(curves, first.subject ? first.subject->description.loading : "");
}

}  // namespace

void put_comparison(ReportWriter& w, const ImportPreview& preview,
                    const std::vector<ImportPreview>& others) {
  w.begin("comparison", "Side by side");
  const SeriesMaterial material =
      others.empty() ? series_material(preview, false) : subjects_material(preview, others);
  if (material.members.size() < 2) {
    w.missing(others.empty() ? "There are no two variants with takes to compare."
                             : "There are no two subjects with takes to compare.");
    return w.end();
  }
  const SeriesComparison s =
      compared(material.members, material.role,
               {.free_air = material.free_air ? &*material.free_air : nullptr});
  LaneContent level = level_lane_of("On the axis", "dB re 20 µPa, 2.83 V, 1 m");
  LaneContent ohm;
  ohm.title = "Impedance";
  double highest = 10.0;
  for (std::size_t i = 0; i < s.members.size(); ++i) {
    const int style = static_cast<int>(i);
    if (s.members[i].response)
      add_level(level, *s.members[i].response, s.members[i].name, style, i == 0);
    if (material.members[i].impedances.empty()) continue;
    const Response& z = material.members[i].impedances.front();
    Series line;
    line.label = s.members[i].name;
    line.style = style;
    line.chosen = i == 0;
    for (std::size_t k = 0; k < z.size(); ++k) {
      line.x.push_back(z.axis()[k]);
      line.y.push_back(z.magnitude(k));
      highest = std::max(highest, z.magnitude(k));
    }
    ohm.add_curves().push_back(std::move(line));
  }
  fit_levels(level);
  ohm.left = {.scale = AxisScale::kLinear,
              .unit = "Ω",
              .low = 0.0,
              .high = 10.0 * std::ceil(highest / 10.0)};
  w.picture({"compared-level", std::move(level), "Means of repeats, brought to 2.83 V and 1 m."});
  w.picture({"compared-impedance", std::move(ohm), "Magnitudes."});
  put_members(w, s);
  put_pairs(w, s);
  for (std::size_t i = 0; i < s.ranking.size(); ++i)
    w.say(fmt::format("comparison.rank.{}", i + 1),
          fmt::format("{}. “{}”{}{}.", i + 1, s.members[s.ranking[i].member].name,
                      s.ranking[i].reasons.empty() ? "" : ": ",
                      fmt::join(s.ranking[i].reasons, ", ")));
  std::vector<std::string> told;
  for (const FactorTable& t : factor_tables(s, material.members)) told.push_back(t.told);
  w.say_all("comparison.factors", told);
  w.say_all("comparison.notes", s.notes);
  w.end();
}

}  // namespace lalometer::sections
