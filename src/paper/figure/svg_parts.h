#pragma once

#include <string>

/// Words of SVG that every picture is written with.
namespace lalometer {

/// Text for XML.
[[nodiscard]] std::string xml_text(const std::string& text);
/// @param anchor  "start", "middle" or "end".
/// @param more    further attributes, with a blank before.
[[nodiscard]] std::string text_at(double x, double y, const char* anchor, double size,
                                  const std::string& colour, const std::string& text,
                                  const char* more = "");
[[nodiscard]] std::string line_at(double x1, double y1, double x2, double y2,
                                  const std::string& colour, double width);
/// Roughly what a text takes of a line: no fonts are measured here.
[[nodiscard]] double rough_width(const std::string& text, double size);

}  // namespace lalometer
