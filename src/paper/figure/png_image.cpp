#include "paper/figure/png_image.h"

#include <cairo.h>

#include <cstring>
#include <memory>

namespace lalometer {

std::vector<std::byte> png_of(const std::vector<Rgb>& pixels, int width, int height) {
  const std::unique_ptr<cairo_surface_t, decltype(&cairo_surface_destroy)> surface(
      cairo_image_surface_create(CAIRO_FORMAT_RGB24, width, height), &cairo_surface_destroy);
  unsigned char* data = cairo_image_surface_get_data(surface.get());
  const int stride = cairo_image_surface_get_stride(surface.get());
  for (int y = 0; y < height; ++y)
    for (int x = 0; x < width; ++x) {
      const Rgb c = pixels[static_cast<std::size_t>(y) * static_cast<std::size_t>(width) +
                           static_cast<std::size_t>(x)];
      const std::uint32_t value =
          (std::uint32_t{c.red} << 16U) | (std::uint32_t{c.green} << 8U) | std::uint32_t{c.blue};
      std::memcpy(data + y * stride + x * 4, &value, sizeof value);
    }
  cairo_surface_mark_dirty(surface.get());
  std::vector<std::byte> bytes;
  cairo_surface_write_to_png_stream(
      surface.get(),
      [](void* to, const unsigned char* from, unsigned int count) {
        auto& out = *static_cast<std::vector<std::byte>*>(to);
        const auto* first = reinterpret_cast<const std::byte*>(from);
        out.insert(out.end(), first, first + count);
        return CAIRO_STATUS_SUCCESS;
      },
      &bytes);
  return bytes;
}

std::string escaped_address(const std::vector<std::byte>& png) {
  static constexpr char kDigits[] = "0123456789ABCDEF";
  std::string text = "data:image/png,";
  for (const std::byte b : png) {
    const auto value = std::to_integer<unsigned>(b);
    text += '%';
    text += kDigits[value >> 4U];
    text += kDigits[value & 15U];
  }
  return text;
}

std::string data_address(const std::vector<std::byte>& png) {
  static constexpr char kDigits[] =
      "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
  std::string text = "data:image/png;base64,";
  for (std::size_t i = 0; i < png.size(); i += 3) {
    std::uint32_t three = 0;
    for (std::size_t k = 0; k < 3; ++k)
      three =
          (three << 8U) | (i + k < png.size() ? std::to_integer<std::uint32_t>(png[i + k]) : 0U);
    for (std::size_t k = 0; k < 4; ++k) {
      const char digit = i + k > png.size() ? '=' : kDigits[(three >> (6U * (3U - k))) & 63U];
      text += digit;
    }
  }
  return text;
}

}  // namespace lalometer
