#include "paper/page/cairo_parts.h"

#include "paper/page/pdf_page.h"

namespace lalometer {

SvgHandle svg_handle(const std::string& svg) {
  GError* error = nullptr;
  SvgHandle handle(
      rsvg_handle_new_from_data(reinterpret_cast<const guint8*>(svg.data()), svg.size(), &error));
  if (error != nullptr) g_error_free(error);
  return handle;
}

SvgSize size_of(RsvgHandle* handle) {
  SvgSize size;
  if (rsvg_handle_get_intrinsic_size_in_pixels(handle, &size.width, &size.height) == FALSE)
    return {};
  return size;
}

bool draw_svg(cairo_t* to, RsvgHandle* handle, double x, double y, double width, double height) {
  const RsvgRectangle box{x, y, width, height};
  GError* error = nullptr;
  const bool drawn = rsvg_handle_render_document(handle, to, &box, &error) != FALSE;
  if (error != nullptr) g_error_free(error);
  return drawn;
}

Result<std::vector<std::byte>> png_of_svg(const std::string& svg, int width) {
  const SvgHandle handle = svg_handle(svg);
  const SvgSize size = handle ? size_of(handle.get()) : SvgSize{};
  if (!(size.width > 0.0) || width < 1) return bad_input("This is no picture.");
  const int height = static_cast<int>(size.height * width / size.width + 0.5);
  const CairoSurface surface(cairo_image_surface_create(CAIRO_FORMAT_RGB24, width, height));
  const Cairo cr(cairo_create(surface.get()));
  cairo_set_source_rgb(cr.get(), 1.0, 1.0, 1.0);
  cairo_paint(cr.get());
  if (!draw_svg(cr.get(), handle.get(), 0.0, 0.0, width, height))
    return bad_input("The picture could not be drawn.");
  std::vector<std::byte> bytes;
  cairo_surface_write_to_png_stream(surface.get(), append_bytes, &bytes);
  return bytes;
}

Result<std::vector<std::byte>> pdf_of_svg(const std::string& svg) {
  const SvgHandle handle = svg_handle(svg);
  const SvgSize size = handle ? size_of(handle.get()) : SvgSize{};
  if (!(size.width > 0.0)) return bad_input("This is no picture.");
  std::vector<std::byte> bytes;
  const CairoSurface surface(
      cairo_pdf_surface_create_for_stream(append_bytes, &bytes, size.width, size.height));
  {
    const Cairo cr(cairo_create(surface.get()));
    if (!draw_svg(cr.get(), handle.get(), 0.0, 0.0, size.width, size.height))
      return bad_input("The picture could not be drawn.");
  }
  cairo_surface_finish(surface.get());
  return bytes;
}

}  // namespace lalometer
