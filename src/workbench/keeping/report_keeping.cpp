#include "workbench/keeping/report_keeping.h"

#include <nlohmann/json.hpp>

#include "base/json_text.h"
#include "book/book.h"
#include "exchange/json_read.h"
#include "workbench/sharing/sources.h"

namespace lalometer {
namespace {

using Json = nlohmann::json;

std::vector<std::string> texts_of(const Json& json, const char* key) {
  std::vector<std::string> all;
  if (const auto found = json.find(key); found != json.end() && found->is_array())
    for (const Json& one : *found)
      if (one.is_string()) all.push_back(one.get<std::string>());
  return all;
}

Json json_of(const ReportWish& wish) {
  Json json{{"kind", std::string(word_of(wish.kind))}};
  if (!wish.verdict.empty()) json["verdict"] = wish.verdict;
  if (!wish.left_out.empty()) json["left_out"] = wish.left_out;
  if (!wish.order.empty()) json["order"] = wish.order;
  if (!wish.with.empty()) json["with"] = wish.with;
  if (wish.iec_proportions) json["iec_proportions"] = true;
  for (const ReportWish::Edit& e : wish.edits)
    json["edits"].push_back({{"key", e.key}, {"words", e.words}, {"of", e.of}});
  return json;
}

ReportWish wish_of(const Json& json) {
  ReportWish wish;
  if (!json.is_object()) return wish;
  wish.kind = report_kind(json_text(json, "kind")).value_or(ReportKind::kReview);
  wish.verdict = json_text(json, "verdict");
  wish.left_out = texts_of(json, "left_out");
  wish.order = texts_of(json, "order");
  wish.with = texts_of(json, "with");
  wish.iec_proportions = json.value("iec_proportions", Json(false)) == Json(true);
  if (const auto edits = json.find("edits"); edits != json.end() && edits->is_array())
    for (const Json& e : *edits)
      if (e.is_object())
        wish.edits.push_back({json_text(e, "key"), json_text(e, "words"), json_text(e, "of")});
  return wish;
}

}  // namespace

std::string to_json(const ReportWish& wish) {
  return dumped(json_of(wish));
}

ReportWish report_wish_from_json(const std::string& text) {
  return wish_of(parsed_json(text));
}

std::string to_json(const std::vector<ReportTemplate>& templates) {
  Json list = Json::array();
  for (const ReportTemplate& t : templates) {
    Json json = json_of(like_template(t, {}));
    json["name"] = t.name;
    list.push_back(std::move(json));
  }
  return dumped(list);
}

std::vector<ReportTemplate> report_templates_from_json(const std::string& text) {
  std::vector<ReportTemplate> all;
  const Json list = parsed_json(text);
  if (!list.is_array()) return all;
  for (const Json& json : list)
    if (json.is_object() && !json_text(json, "name").empty()) {
      ReportTemplate t{json_text(json, "name"), wish_of(json)};
      t.wish = like_template(t, {});
      all.push_back(std::move(t));
    }
  return all;
}

ReportWish like_template(const ReportTemplate& of, ReportWish wish) {
  wish.kind = of.wish.kind;
  wish.left_out = of.wish.left_out;
  wish.order = of.wish.order;
  wish.iec_proportions = of.wish.iec_proportions;
  return wish;
}

Result<ReportTemplate> kept_report_template(const std::filesystem::path& source,
                                            const std::string& name) {
  if (!is_book(source)) return bad_input("Templates are kept in a book.", source.string());
  const auto book = Book::open(source);
  if (!book) return tl::unexpected(book.error());
  std::string names;
  for (const ReportTemplate& t :
       report_templates_from_json(book->document(0, "report-templates"))) {
    if (t.name == name) return t;
    names += (names.empty() ? "\"" : ", \"") + t.name + "\"";
  }
  return bad_input(
      "There is no template \"" + name + "\" (there are " + (names.empty() ? "none" : names) + ").",
      source.string());
}

ReportWish kept_report_wish(const std::filesystem::path& source, const std::string& subject) {
  return report_wish_from_json(kept_document(source, subject, "report"));
}

}  // namespace lalometer
