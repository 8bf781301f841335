#include "workbench/studies/comparison_text.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "base/json_text.h"
#include "base/text.h"
#include "exchange/json_read.h"
#include "workbench/studies/what_changed.h"

namespace lalometer {
namespace {

using Json = nlohmann::ordered_json;

Json optional_json(const std::optional<double>& v) {
  return v && std::isfinite(*v) ? Json(*v) : Json(nullptr);
}

/// At 2.83 V and 1 m, whatever it was taken at: compared curves are treated alike.
Response at_reference(const Response& curve, const Take& take) {
  const double scale = 2.83 / take.conditions.drive_v * place_of(take).distance_m;
  if (std::abs(scale - 1.0) < 1e-9) return curve;
  std::vector<std::complex<double>> values = curve.values();
  for (auto& v : values) v *= scale;
  return *Response::make(curve.axis(), std::move(values), curve.quantity(), curve.valid(),
                         curve.has_phase());
}

ComparedMember& member_of(SeriesMaterial& material, const CurveOfTake& curve) {
  for (ComparedMember& m : material.members) {
    if (m.id == curve.member_id) return m;
  }
  return material.members.emplace_back(ComparedMember{curve.member_id, curve.member_name, {}, {}});
}

std::string csv_text(const std::string& text) {
  if (text.find_first_of(",\"\n") == std::string::npos) return text;
  std::string out = "\"";
  for (const char c : text) out += c == '"' ? std::string("\"\"") : std::string(1, c);
  return out + '"';
}

}  // namespace

SeriesMaterial series_material(const std::vector<CurveOfTake>& curves, const std::string& loading) {
  SeriesMaterial out;
  // The condition that most members have; free air first, since it tells of the driver itself.
  std::map<std::string, std::vector<std::string>> having;
  for (const CurveOfTake& c : curves) {
    if (c.take->kind() != TakeKind::kImpedance || c.member_id.empty()) continue;
    auto& members = having[condition_of(*c.take)];
    if (std::find(members.begin(), members.end(), c.member_id) == members.end())
      members.push_back(c.member_id);
  }
  std::string condition;
  std::size_t most = 0;
  for (const auto& [name, members] : having) {
    const bool first = name == "free-air" && members.size() > 1;
    const std::size_t count = members.size() + (first ? 1000 : 0);
    if (count > most) {
      most = count;
      condition = name;
    }
  }
  out.role = impedance_role(condition, loading).value_or(ImpedanceRole::kDriver);
  bool guessed = impedance_role(condition, loading).has_value();
  int off_axis = 0;
  int other = 0;
  for (const CurveOfTake& c : curves) {
    if (!out.free_air && c.take->accepted && c.take->kind() == TakeKind::kImpedance &&
        condition_of(*c.take) == "free-air")
      out.free_air = *c.curve;
    if (c.member_id.empty() || !c.take->accepted) continue;
    const Placement place = place_of(*c.take);
    if (c.take->kind() == TakeKind::kImpedance) {
      if (condition_of(*c.take) != condition) {
        ++other;
        continue;
      }
      if (!guessed) {
        out.role = guessed_role(*c.curve);
        guessed = true;
      }
      member_of(out, c).impedances.push_back(*c.curve);
    } else if (place.horizontal_deg != 0.0 || place.vertical_deg != 0.0) {
      ++off_axis;
    } else if (c.take->kind() == TakeKind::kResponse) {
      member_of(out, c).responses.push_back(at_reference(*c.curve, *c.take));
    }
  }
  if (off_axis > 0)
    out.notes.push_back(
        fmt::format("Left out, off the axis: {} {}.", off_axis, off_axis == 1 ? "take" : "takes"));
  if (other > 0)
    out.notes.push_back(fmt::format("Left out, of another condition than \"{}\": {} {}.", condition,
                                    other, other == 1 ? "impedance" : "impedances"));
  return out;
}

SeriesMaterial series_material(const ImportPreview& set, bool by_sample) {
  std::vector<CurveOfTake> curves;
  for (const ImportItem& item : set.items) {
    if (!item.curve || item.calibration) continue;
    std::string id = by_sample ? item.take.conditions.sample : item.variant_id;
    std::string name = id;
    for (const auto& [own, variant] : set.variants) {
      if (!by_sample && own == id) name = variant.name;
    }
    curves.push_back({&item.take, &*item.curve, id, name});
  }
  return series_material(curves, set.subject ? set.subject->description.loading : std::string());
}

nlohmann::ordered_json comparison_json(const SeriesComparison& s) {
  Json json{{"members", Json::array()},        {"pairs", Json::array()},
            {"repeatability_db", s.repeat_db}, {"repeatability_measured", s.repeat_measured},
            {"ranking", Json::array()},        {"nearest_pair", nullptr},
            {"odd_one_out", nullptr},          {"notes", s.notes}};
  for (const MemberFigures& m : s.members) {
    Json one{{"id", m.id}, {"name", m.name}, {"figures", Json::object()}};
    for (const ReadFigure& f : m.impedance)
      one["figures"][f.key] = {{"value", f.value.value}, {"uncertainty", f.value.half_width}};
    one["smoothness_db"] = optional_json(m.roughness_db);
    one["f6_hz"] = optional_json(m.f6_hz);
    one["output_db"] = m.level_db ? Json(m.level_db->value) : Json(nullptr);
    one["wiggles"] = Json::array();
    for (const Wiggle& w : m.wiggles)
      one["wiggles"].push_back({{"frequency_hz", w.frequency_hz.value},
                                {"height_percent", w.height_percent},
                                {"q", w.q}});
    json["members"].push_back(std::move(one));
  }
  const auto names = [&](const PairDifference& p) {
    return Json{s.members[p.a].id, s.members[p.b].id};
  };
  for (const PairDifference& p : s.pairs) {
    Json one{{"a", s.members[p.a].id}, {"b", s.members[p.b].id}, {"real", p.real}};
    one["mean_db"] = optional_json(p.mean_db);
    one["rms_db"] = optional_json(p.rms_db);
    one["largest_db"] = optional_json(p.largest_db);
    one["largest_at_hz"] = optional_json(p.largest_at_hz);
    one["figures"] = Json::object();
    for (const FigureDifference& f : p.figures)
      one["figures"][f.key] = {
          {"difference", f.difference}, {"uncertainty", f.uncertainty}, {"real", f.real}};
    one["changes"] = Json::array();
    for (const Change& c :
         what_changed(s.members[p.a], s.members[p.b], s.repeat_db, s.driver_fs_hz)) {
      const char* const senses[] = {"won", "cost", "open"};
      one["changes"].push_back({{"text", c.text}, {"sense", senses[static_cast<int>(c.sense)]}});
    }
    json["pairs"].push_back(std::move(one));
  }
  int place = 0;
  double before = -1.0;
  for (std::size_t i = 0; i < s.ranking.size(); ++i) {
    const RankLine& line = s.ranking[i];
    if (line.score > before) place = static_cast<int>(i) + 1;
    before = line.score;
    json["ranking"].push_back(
        {{"place", place}, {"id", s.members[line.member].id}, {"reasons", line.reasons}});
  }
  if (s.nearest_pair) json["nearest_pair"] = names(s.pairs[*s.nearest_pair]);
  if (s.odd_one_out) json["odd_one_out"] = s.members[*s.odd_one_out].id;
  return json;
}

std::string comparison_json_text(const SeriesComparison& s) {
  return dumped(comparison_json(s), 2);
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
