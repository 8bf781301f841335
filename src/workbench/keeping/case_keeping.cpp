#include "workbench/keeping/case_keeping.h"

#include <nlohmann/json.hpp>

#include "base/json_text.h"
#include "exchange/json_read.h"

namespace lalometer {
namespace {

nlohmann::json json_of(const FindingPlace& p) {
  nlohmann::json json{{"at_hz", p.at_hz}, {"shape", p.shape}, {"cause", p.cause}};
  if (!p.variant.empty()) json["variant"] = p.variant;
  if (!p.split_off.empty()) json["split_off"] = p.split_off;
  return json;
}

FindingPlace place_from(const nlohmann::json& j) {
  return {json_number(j, "at_hz", 0.0), json_text(j, "shape"), json_text(j, "cause"),
          json_text(j, "variant"), json_text(j, "split_off")};
}

}  // namespace

std::string to_json(const CaseFile& file) {
  nlohmann::json json{{"of", file.of}, {"changes", file.changes}, {"changed_on", file.changed_on}};
  json["verdicts"] = nlohmann::json::array();
  for (const KeptVerdict& v : file.verdicts)
    json["verdicts"].push_back({{"place", json_of(v.place)},
                                {"verdict", word_of(v.verdict)},
                                {"reason", v.reason},
                                {"date", v.date}});
  json["merges"] = nlohmann::json::array();
  for (const CaseFile::Merge& m : file.merges)
    json["merges"].push_back({{"into", json_of(m.into)}, {"part", json_of(m.part)}});
  json["splits"] = nlohmann::json::array();
  for (const CaseFile::Split& s : file.splits)
    json["splits"].push_back({{"of", json_of(s.of)}, {"cause", s.cause}});
  json["seen"] = nlohmann::json::array();
  for (const SeenFinding& s : file.seen)
    json["seen"].push_back(
        {{"place", json_of(s.place)}, {"probability", s.probability}, {"size_db", s.size_db}});
  return dumped(json);
}

CaseFile case_file_from_json(const std::string& text) {
  using Type = nlohmann::json::value_t;
  const nlohmann::json json = parsed_json(text);
  CaseFile file;
  if (!json.is_object()) return file;
  file.of = json_text(json, "of");
  file.changed_on = json_text(json, "changed_on");
  for (const auto& each : json_member(json, "changes", Type::array))
    if (each.is_string()) file.changes.push_back(each.get<std::string>());
  for (const auto& each : json_member(json, "verdicts", Type::array)) {
    if (!each.is_object()) continue;
    const std::string word = json_text(each, "verdict");
    for (const CaseVerdict v :
         {CaseVerdict::kAgreed, CaseVerdict::kDoubted, CaseVerdict::kDismissed})
      if (word == word_of(v))
        file.verdicts.push_back({place_from(json_member(each, "place", Type::object)), v,
                                 json_text(each, "reason"), json_text(each, "date")});
  }
  for (const auto& each : json_member(json, "merges", Type::array))
    if (each.is_object())
      file.merges.push_back({place_from(json_member(each, "into", Type::object)),
                             place_from(json_member(each, "part", Type::object))});
  for (const auto& each : json_member(json, "splits", Type::array))
    if (each.is_object())
      file.splits.push_back(
          {place_from(json_member(each, "of", Type::object)), json_text(each, "cause")});
  for (const auto& each : json_member(json, "seen", Type::array))
    if (each.is_object())
      file.seen.push_back({place_from(json_member(each, "place", Type::object)),
                           json_number(each, "probability", 0.0),
                           json_number(each, "size_db", 0.0)});
  return file;
}

}  // namespace lalometer
