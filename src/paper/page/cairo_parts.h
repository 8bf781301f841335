#pragma once

#include <cairo-pdf.h>
#include <cairo.h>
#include <librsvg/rsvg.h>
#include <pango/pangocairo.h>

#include <cstddef>
#include <memory>
#include <string>
#include <vector>

/// Owners for what the drawing libraries hand out.
namespace lalometer {

template <auto Free>
struct Freeing {
  template <class Thing>
  void operator()(Thing* thing) const {
    Free(thing);
  }
};
using CairoSurface = std::unique_ptr<cairo_surface_t, Freeing<cairo_surface_destroy>>;
using Cairo = std::unique_ptr<cairo_t, Freeing<cairo_destroy>>;
using SvgHandle = std::unique_ptr<RsvgHandle, Freeing<g_object_unref>>;
using TextLayout = std::unique_ptr<PangoLayout, Freeing<g_object_unref>>;
using FontDescription = std::unique_ptr<PangoFontDescription, Freeing<pango_font_description_free>>;

/// For streams of cairo: appends to a vector of bytes.
inline cairo_status_t append_bytes(void* to, const unsigned char* from, unsigned int count) {
  auto& out = *static_cast<std::vector<std::byte>*>(to);
  const auto* first = reinterpret_cast<const std::byte*>(from);
  out.insert(out.end(), first, first + count);
  return CAIRO_STATUS_SUCCESS;
}

/// Null where it is no SVG.
[[nodiscard]] SvgHandle svg_handle(const std::string& svg);
/// Its own size, pixels; 0 by 0 where it tells none.
struct SvgSize {
  double width = 0.0, height = 0.0;
};
[[nodiscard]] SvgSize size_of(RsvgHandle* handle);
/// Into a box from a point on; false where it could not be drawn.
bool draw_svg(cairo_t* to, RsvgHandle* handle, double x, double y, double width, double height);

}  // namespace lalometer
