#include "paper/page/html_page.h"

#include <fmt/format.h>

#include "paper/figure/svg_figure.h"
#include "paper/page/html_style.h"
#include "paper/page/page_figures.h"

namespace lalometer {
namespace {

/// Line breaks of a tester's own words are kept.
std::string paragraph(const ReportSentence& s) {
  if (s.outdated)
    return fmt::format("<p class=\"old\">{}<small>Written of other figures; now: {}</small></p>\n",
                       xml_text(s.shown()), xml_text(s.text));
  return fmt::format("<p{}>{}</p>\n", s.own ? " class=\"own\"" : "", xml_text(s.shown()));
}

std::string table(const ReportTable& t) {
  std::string out = "<div class=\"scroll\"><table>\n";
  if (!t.caption.empty()) out += fmt::format("<caption>{}</caption>\n", xml_text(t.caption));
  out += "<thead><tr>";
  for (const std::string& head : t.head)
    out += fmt::format("<th scope=\"col\">{}</th>", xml_text(head));
  out += "</tr></thead>\n<tbody>\n";
  for (const auto& row : t.rows) {
    out += "<tr>";
    for (const std::string& cell : row) out += fmt::format("<td>{}</td>", xml_text(cell));
    out += "</tr>\n";
  }
  return out + "</tbody>\n</table></div>\n";
}

std::string figure(const ReportPicture& p, const ReportWish& wish) {
  FigureWish f = figure_wish(p, wish);
  f.ink = FigureInk::of_page();
  f.fonts_named = false;
  return fmt::format("<figure id=\"figure-{}\">\n{}<figcaption>{}</figcaption>\n</figure>\n", p.id,
                     svg_figure(p.content, f), xml_text(p.caption));
}

}  // namespace

std::string html_page(const Report& r, const ReportWish& wish) {
  std::string out = fmt::format(
      "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n"
      "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n"
      "<meta name=\"generator\" content=\"lalometer {}\">\n<title>{}</title>\n<style>{}</style>\n"
      "</head>\n<body>\n<main>\n<header>\n<h1>{}</h1>\n",
      LALOMETER_VERSION, xml_text(r.title), kPageStyle, xml_text(r.title));
  std::string under = r.subtitle;
  if (!r.date.empty()) under += (under.empty() ? "" : ", ") + ("measured until " + r.date);
  if (!under.empty()) out += fmt::format("<p>{}</p>\n", xml_text(under));
  out += "</header>\n<nav aria-label=\"Sections\">";
  for (const ReportSection& s : r.sections)
    out += fmt::format("<a href=\"#{}\">{}</a> ", s.id, xml_text(s.title));
  out += "</nav>\n";
  if (!r.verdict.empty()) out += fmt::format("<p class=\"verdict\">{}</p>\n", xml_text(r.verdict));
  if (!r.cards.empty()) {
    out += "<div class=\"cards\">\n";
    for (const ReportCard& c : r.cards)
      out += fmt::format("<div><span>{}</span><b>{}</b><i>{}</i></div>\n", xml_text(c.name),
                         xml_text(c.value), xml_text(c.basis));
    out += "</div>\n";
  }
  if (!r.highlights.empty()) {
    out += "<ul class=\"highlights\">\n";
    for (const std::string& one : r.highlights) out += fmt::format("<li>{}</li>\n", xml_text(one));
    out += "</ul>\n";
  }
  for (const ReportSection& s : r.sections) {
    out += fmt::format("<section id=\"{}\">\n<h2>{}</h2>\n", s.id, xml_text(s.title));
    for (const ReportBlock& block : s.blocks) {
      if (const auto* sentence = std::get_if<ReportSentence>(&block)) out += paragraph(*sentence);
      if (const auto* t = std::get_if<ReportTable>(&block)) out += table(*t);
      if (const auto* p = std::get_if<ReportPicture>(&block)) out += figure(*p, wish);
    }
    out += "</section>\n";
  }
  if (!r.missing.empty()) {
    out +=
        "<section id=\"not-measured\">\n<h2>What was not measured</h2>\n<ul class=\"missing\">\n";
    for (const std::string& one : r.missing) out += fmt::format("<li>{}</li>\n", xml_text(one));
    out += "</ul>\n</section>\n";
  }
  out += fmt::format(
      "</main>\n<div id=\"tip\" role=\"status\"></div>\n<script>{}</script>\n</body>\n</html>\n",
      kPageScript);
  return out;
}

}  // namespace lalometer
