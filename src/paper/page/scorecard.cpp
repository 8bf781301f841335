#include "paper/page/scorecard.h"

#include <fmt/format.h>

#include "paper/page/page_figures.h"

namespace lalometer {
namespace {

/// The spinorama where there is one, else the first figure.
const ReportPicture* telling_picture(const Report& r) {
  const ReportPicture* first = nullptr;
  for (const ReportSection& s : r.sections)
    for (const ReportBlock& block : s.blocks)
      if (const auto* p = std::get_if<ReportPicture>(&block)) {
        if (p->id == "spinorama") return p;
        if (first == nullptr) first = p;
      }
  return first;
}

std::string text(double x, double y, double size, const char* weight, const std::string& colour,
                 const std::string& what) {
  return fmt::format(
      "<text x=\"{:g}\" y=\"{:g}\" font-size=\"{:g}\" font-weight=\"{}\" fill=\"{}\">{}</text>\n",
      x, y, size, weight, colour, xml_text(what));
}

/// Cut so that it fits; a name is never broken inside a letter.
std::string cut(const std::string& what, std::size_t most) {
  std::size_t count = 0, at = 0;
  while (at < what.size() && count < most) {
    ++at;
    while (at < what.size() && (static_cast<unsigned char>(what[at]) & 0xC0U) == 0x80U) ++at;
    ++count;
  }
  return at < what.size() ? what.substr(0, at) + "…" : what;
}

}  // namespace

std::string scorecard_svg(const Report& r, const ReportWish& wish) {
  const FigureInk ink = FigureInk::light();
  std::string out = fmt::format(
      "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"1200\" height=\"630\" viewBox=\"0 0 1200 "
      "630\" font-family=\"Lato, 'DejaVu Sans', sans-serif\">\n<rect width=\"1200\" height=\"630\" "
      "fill=\"#f1ede4\"/>\n<rect width=\"1200\" height=\"10\" fill=\"#0e6b72\"/>\n");
  out += text(48, 72, 40, "600", ink.ink, cut(r.title, 48));
  std::string under = r.subtitle;
  if (!r.date.empty()) under += (under.empty() ? "" : ", ") + r.date;
  out += text(48, 108, 22, "400", ink.quiet, cut(under, 80));
  constexpr std::size_t kMost = 6;
  for (std::size_t i = 0; i < std::min(kMost, r.cards.size()); ++i) {
    const double y = 168.0 + 74.0 * static_cast<double>(i);
    out += text(48, y, 18, "400", ink.quiet, cut(r.cards[i].name, 34));
    out += text(48, y + 32.0, 28, "600", ink.ink, cut(r.cards[i].value, 22));
  }
  if (const ReportPicture* p = telling_picture(r)) {
    FigureWish f = figure_wish(*p, wish);
    f.ink = ink;
    f.width_px = 760.0;
    f.height_px = 380.0;
    f.db_per_decade = 0.0;
    std::string figure = svg_figure(p->content, f);
    out += "<g transform=\"translate(400 136)\">" + figure + "</g>\n";
  }
  return out + "</svg>\n";
}

}  // namespace lalometer
