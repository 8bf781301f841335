#include "paper/figure/svg_parts.h"

#include <fmt/format.h>

namespace lalometer {

std::string xml_text(const std::string& text) {
  std::string out;
  out.reserve(text.size());
  for (const char c : text) {
    if (c == '&')
      out += "&amp;";
    else if (c == '<')
      out += "&lt;";
    else if (c == '>')
      out += "&gt;";
    else if (c == '"')
      out += "&quot;";
    else if (static_cast<unsigned char>(c) >= 0x20U || c == '\n')
      out += c;
  }
  return out;
}

std::string text_at(double x, double y, const char* anchor, double size, const std::string& colour,
                    const std::string& text, const char* more) {
  return fmt::format(
      "<text x=\"{:.1f}\" y=\"{:.1f}\" text-anchor=\"{}\" font-size=\"{:g}\" style=\"fill:{}\"{}>{}"
      "</text>\n",
      x, y, anchor, size, colour, more, xml_text(text));
}

std::string line_at(double x1, double y1, double x2, double y2, const std::string& colour,
                    double width) {
  return fmt::format(
      "<path d=\"M{:.1f} {:.1f}L{:.1f} {:.1f}\" style=\"stroke:{}\" stroke-width=\"{:g}\"/>\n", x1,
      y1, x2, y2, colour, width);
}

double rough_width(const std::string& text, double size) {
  double count = 0.0;
  for (const char c : text)
    if ((static_cast<unsigned char>(c) & 0xC0U) != 0x80U) count += 1.0;
  return 0.54 * size * count;
}

}  // namespace lalometer
