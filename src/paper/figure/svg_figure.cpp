#include "paper/figure/svg_figure.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "paper/figure/png_image.h"
#include "paper/figure/svg_parts.h"
#include "workbench/reading/scale/axis_scale.h"
#include "workbench/reading/scale/contours.h"

namespace lalometer {
namespace {

constexpr double kLeft_px = 46.0, kRight_px = 40.0, kHeading_px = 26.0, kAxis_px = 34.0;
constexpr double kLegend_px = 18.0;

struct Plot {
  AcrossMapping across;
  UpMapping up, right;
  double width = 0.0, height = 0.0;  ///< of the whole picture
  double legend_top = 0.0;
};

std::string mapping_text(bool logarithmic, double low, double high, double from, double to) {
  return fmt::format("{},{:g},{:g},{:g},{:g}", logarithmic ? "log" : "lin", low, high, from, to);
}

class Drawer {
 public:
  Drawer(const LaneContent& content, const FigureWish& wish) : c_(content), w_(wish) { lay(); }

  std::string drawn() {
    std::string out = fmt::format(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 {:g} {:g}\" width=\"{:g}\" "
        "height=\"{:g}\" role=\"img\" aria-label=\"{}\"{} data-x=\"{}\" data-y=\"{}\" "
        "data-r=\"{}\" data-unit=\"{}\" data-across=\"{}\">\n",
        p_.width, p_.height, p_.width, p_.height, xml_text(c_.title),
        w_.fonts_named ? " font-family=\"Lato, 'DejaVu Sans', sans-serif\"" : "",
        mapping_text(p_.across.logarithmic, p_.across.low, p_.across.high, p_.across.left_px,
                     p_.across.right_px),
        mapping_text(p_.up.logarithmic, p_.up.low, p_.up.high, p_.up.bottom_px, p_.up.top_px),
        mapping_text(p_.right.logarithmic, p_.right.low, p_.right.high, p_.right.bottom_px,
                     p_.right.top_px),
        xml_text(c_.left.unit), xml_text(c_.across.unit));
    out += fmt::format(
        "<title>{}</title>\n<clipPath id=\"{}-plot\"><rect x=\"{:.1f}\" y=\"{:.1f}\" "
        "width=\"{:.1f}\" height=\"{:.1f}\"/></clipPath>\n",
        xml_text(c_.title), w_.id, p_.across.left_px, p_.up.top_px, plot_width(), plot_height());
    if (!w_.ink.paper.empty())
      out += fmt::format("<rect width=\"{:g}\" height=\"{:g}\" fill=\"{}\"/>\n", p_.width,
                         p_.height, w_.ink.paper);
    out += text_at(p_.across.left_px, 15.0, "start", 14.0, w_.ink.ink, c_.title,
                   " font-weight=\"600\"");
    const double after = p_.across.left_px + rough_width(c_.title, 14.0) + 12.0;
    if (!c_.subtitle.empty() &&
        after + rough_width(c_.subtitle, 11.0) < p_.width - (map() != nullptr ? 150.0 : 0.0))
      out += text_at(after, 15.0, "start", 11.0, w_.ink.quiet, c_.subtitle);
    out += fmt::format(
        "<rect x=\"{:.1f}\" y=\"{:.1f}\" width=\"{:.1f}\" height=\"{:.1f}\" style=\"fill:{}\"/>\n",
        p_.across.left_px, p_.up.top_px, plot_width(), plot_height(), w_.ink.sheet);
    draw_map(out);
    draw_grid(out);
    draw_bands(out);
    draw_curves(out);
    draw_flags(out);
    draw_marks(out);
    draw_legend(out);
    out += fmt::format(
        "<rect x=\"{:.1f}\" y=\"{:.1f}\" width=\"{:.1f}\" height=\"{:.1f}\" fill=\"none\" "
        "style=\"stroke:{}\"/>\n</svg>\n",
        p_.across.left_px, p_.up.top_px, plot_width(), plot_height(), w_.ink.line);
    return out;
  }

 private:
  [[nodiscard]] const ValueMap* map() const { return c_.find<ValueMap>(); }
  [[nodiscard]] double plot_width() const { return p_.across.right_px - p_.across.left_px; }
  [[nodiscard]] double plot_height() const { return p_.up.bottom_px - p_.up.top_px; }

  void lay() {
    const bool shared = c_.over_frequency();
    p_.width = w_.width_px;
    p_.across = {shared ? w_.low_hz : c_.across.low, shared ? w_.high_hz : c_.across.high, kLeft_px,
                 w_.width_px - kRight_px, c_.across.scale == AxisScale::kLogarithmic};
    double height = w_.height_px;
    if (w_.db_per_decade > 0.0 && c_.left.scale == AxisScale::kDecibel && p_.across.logarithmic)
      height = (c_.left.high - c_.left.low) / w_.db_per_decade * plot_width() /
               std::log10(p_.across.high / p_.across.low);
    const double bottom = kHeading_px + height;
    p_.up = {c_.left.low, c_.left.high, kHeading_px, bottom,
             c_.left.scale == AxisScale::kLogarithmic};
    p_.right = {c_.right.low, c_.right.high, kHeading_px, bottom,
                c_.right.scale == AxisScale::kLogarithmic};
    p_.legend_top = bottom + kAxis_px;
    double x = p_.across.left_px;
    double y = p_.legend_top;
    for (const auto& [series, side] : named()) {
      const double width = 30.0 + rough_width(name_of(*series, side), 11.0) + 16.0;
      if (x + width > p_.across.right_px + kRight_px && x > p_.across.left_px) {
        x = p_.across.left_px;
        y += kLegend_px;
      }
      places_.push_back({series, side, x, y});
      x += width;
    }
    p_.height = y + (places_.empty() ? 2.0 : kLegend_px);
  }

  [[nodiscard]] static std::string name_of(const Series& s, Side side) {
    return side == Side::kRight ? s.label + " (right scale)" : s.label;
  }

  /// Curves by name, each name once; of a family the chosen one alone.
  [[nodiscard]] std::vector<std::pair<const Series*, Side>> named() const {
    constexpr std::size_t kFamily = 14;
    std::vector<std::pair<const Series*, Side>> all;
    for (const Side side : {Side::kLeft, Side::kRight}) {
      const bool family = c_.curves(side).size() > kFamily;
      for (const Series& s : c_.curves(side)) {
        if (family && !s.chosen) continue;
        const bool there = std::any_of(all.begin(), all.end(), [&](const auto& one) {
          return one.first->label == s.label && one.second == side;
        });
        if (!there && !s.label.empty()) all.emplace_back(&s, side);
      }
    }
    return all;
  }

  void draw_map(std::string& out) const {
    const ValueMap* m = map();
    if (m == nullptr || m->x.size() < 2 || m->rows.size() < 2) return;
    // A pixel for each value, the first row below; unknown ones in the sheet's own grey.
    std::vector<Rgb> pixels;
    pixels.reserve(m->values.size());
    for (std::size_t r = m->rows.size(); r-- > 0;)
      for (std::size_t k = 0; k < m->x.size(); ++k) {
        const double v = static_cast<double>(m->values[r * m->x.size() + k]);
        pixels.push_back(std::isfinite(v)
                             ? map_share_colour((v - m->low) / (m->high - m->low), w_.ink.dark)
                             : Rgb{207, 200, 185});
      }
    const double y1 = p_.up.px(m->rows.back()), y2 = p_.up.px(m->rows.front());
    const std::vector<std::byte> png =
        png_of(pixels, static_cast<int>(m->x.size()), static_cast<int>(m->rows.size()));
    out += fmt::format(
        "<image clip-path=\"url(#{}-plot)\" x=\"{:.2f}\" y=\"{:.2f}\" width=\"{:.2f}\" "
        "height=\"{:.2f}\" preserveAspectRatio=\"none\" href=\"{}\"/>\n",
        w_.id, p_.across.px(m->x.front()), y1,
        p_.across.px(m->x.back()) - p_.across.px(m->x.front()), y2 - y1,
        w_.ink.by_name ? escaped_address(png) : data_address(png));
    if (const auto* contours = c_.find<ContourLayer>()) draw_contours(out, *m, contours->step);
    // Its colours' scale, at the right of the heading.
    const double right = p_.across.right_px;
    for (int i = 0; i < 24; ++i)
      out += fmt::format("<rect x=\"{:.1f}\" y=\"7\" width=\"4.2\" height=\"9\" fill=\"{}\"/>",
                         right - 130.0 + 4.0 * i,
                         hex_of(map_share_colour((i + 0.5) / 24.0, w_.ink.dark)));
    out += text_at(right - 134.0, 15.0, "end", 10.0, w_.ink.quiet, fmt::format("{:g}", m->low));
    out += text_at(right - 30.0, 15.0, "start", 10.0, w_.ink.quiet,
                   fmt::format("{:g} {}", m->high, m->unit));
  }

  /// Over columns of two pixels or more: what lies closer nobody sees, and it would be most of the
  /// file.
  void draw_contours(std::string& out, const ValueMap& m, double step) const {
    constexpr double kColumn_px = 2.0, kSame_px = 0.06;
    ValueMap coarse = m;
    coarse.x.clear();
    coarse.values.clear();
    std::vector<double> px, py;
    std::vector<std::size_t> kept;
    for (std::size_t k = 0; k < m.x.size(); ++k) {
      const double x = p_.across.px(m.x[k]);
      if (x < p_.across.left_px || x > p_.across.right_px) continue;
      if (!px.empty() && x - px.back() < kColumn_px) continue;
      px.push_back(x);
      kept.push_back(k);
      coarse.x.push_back(m.x[k]);
    }
    for (std::size_t r = 0; r < m.rows.size(); ++r) {
      py.push_back(p_.up.px(m.rows[r]));
      for (const std::size_t k : kept) coarse.values.push_back(m.values[r * m.x.size() + k]);
    }
    if (px.size() < 2) return;
    std::string d;
    double x = -1e9, y = -1e9;
    const auto here = [&](double at_x, double at_y) {
      return std::abs(at_x - x) < kSame_px && std::abs(at_y - y) < kSame_px;
    };
    for (ContourPiece c : contour_pieces(coarse, step, px, py)) {
      // Pieces that meet are one line.
      if (here(c.x2, c.y2)) {
        std::swap(c.x1, c.x2);
        std::swap(c.y1, c.y2);
      }
      if (!here(c.x1, c.y1)) d += fmt::format("M{:.1f} {:.1f}", c.x1, c.y1);
      d += fmt::format("L{:.1f} {:.1f}", c.x2, c.y2);
      x = c.x2;
      y = c.y2;
    }
    out += fmt::format(
        "<path d=\"{}\" fill=\"none\" stroke=\"#1d282e\" stroke-opacity=\"0.4\" "
        "stroke-width=\"0.6\"/>\n",
        d);
  }

  void draw_grid(std::string& out) const {
    LaneAxis across = c_.across;
    const bool over_map = map() != nullptr;
    for (const Tick& t :
         axis_ticks(across, p_.across.low, p_.across.high, plot_width(), over_map ? 60.0 : 46.0)) {
      const double x = p_.across.px(t.value);
      if (!over_map)
        out += line_at(x, p_.up.top_px, x, p_.up.bottom_px, t.strong ? w_.ink.line : w_.ink.faint,
                       1.0);
      if (!t.label.empty())
        out += text_at(x, p_.up.bottom_px + 15.0, "middle", 11.0, w_.ink.quiet, t.label);
    }
    out +=
        text_at(p_.across.right_px, p_.up.bottom_px + 29.0, "end", 11.0, w_.ink.quiet, across.unit);
    for (const Tick& t : axis_ticks(c_.left, p_.up.low, p_.up.high, plot_height(), 24.0)) {
      const double y = p_.up.px(t.value);
      if (!over_map)
        out += line_at(p_.across.left_px, y, p_.across.right_px, y,
                       t.strong ? w_.ink.line : w_.ink.faint, 1.0);
      if (!t.label.empty())
        out += text_at(p_.across.left_px - 6.0, y + 4.0, "end", 11.0, w_.ink.quiet, t.label);
    }
    out += text_at(p_.across.left_px - 6.0, p_.up.top_px - 10.0, "end", 11.0, w_.ink.quiet,
                   c_.left.unit);
    if (c_.curves(Side::kRight).empty()) return;
    for (const Tick& t : axis_ticks(c_.right, p_.right.low, p_.right.high, plot_height(), 24.0))
      if (!t.label.empty())
        out += text_at(p_.across.right_px + 6.0, p_.right.px(t.value) + 4.0, "start", 11.0,
                       w_.ink.quiet, t.label);
  }

  void draw_bands(std::string& out) const {
    const auto px = [&](double x) {
      return x <= p_.across.low    ? p_.across.left_px
             : x >= p_.across.high ? p_.across.right_px
                                   : p_.across.px(x);
    };
    for (const InvalidBand& band : c_.invalid()) {
      const double x1 = px(band.low), x2 = px(band.high);
      if (x2 - x1 < 1.0) continue;
      std::string d;
      const double height = plot_height();
      for (double x = std::floor((x1 - height) / 9.0) * 9.0; x < x2; x += 9.0) {
        // A slanting line cut to the band.
        const double from = std::max(x, x1), to = std::min(x + height, x2);
        if (to <= from) continue;
        d += fmt::format("M{:.1f} {:.1f}L{:.1f} {:.1f}", from, p_.up.bottom_px - (from - x), to,
                         p_.up.bottom_px - (to - x));
      }
      out +=
          fmt::format("<path d=\"{}\" fill=\"none\" style=\"stroke:{}\" stroke-width=\"0.7\"/>\n",
                      d, w_.ink.line);
      if (!band.text.empty() && rough_width(band.text, 11.0) + 16.0 < x2 - x1)
        out += text_at(x1 + 8.0, p_.up.bottom_px - 8.0, "start", 11.0, w_.ink.quiet, band.text);
    }
  }

  /// A curve's path; what cannot be seen on the figure is left out, straight runs are one piece.
  [[nodiscard]] std::string path_of(const Series& s, const UpMapping& up, bool valid_part,
                                    double sign_of_spread = 0.0) const {
    std::string d;
    bool open = false;
    double last_x = 0.0, last_y = 0.0, held_x = 0.0, held_y = 0.0;
    bool held = false;
    const auto flush = [&] {
      if (held) d += fmt::format("L{:.1f} {:.1f}", held_x, held_y);
      held = false;
    };
    for (std::size_t i = 0; i < s.x.size(); ++i) {
      const bool valid = s.x[i] >= s.valid_low && s.x[i] <= s.valid_high;
      double value = s.y[i];
      if (sign_of_spread != 0.0) value += sign_of_spread * s.spread[i];
      const double x = p_.across.px(s.x[i]);
      if (!std::isfinite(value) || valid != valid_part || x < p_.across.left_px - 0.05 ||
          x > p_.across.right_px + 0.05) {
        flush();
        open = false;
        continue;
      }
      const double y = std::clamp(up.px(value), p_.up.top_px - 200.0, p_.up.bottom_px + 200.0);
      if (!open) {
        d += fmt::format("M{:.1f} {:.1f}", x, y);
        open = true;
        last_x = x;
        last_y = y;
        continue;
      }
      if (held) {
        // On the straight line from the last kept point to this one it needs no point of its own.
        const double there = last_y + (y - last_y) * (held_x - last_x) / std::max(x - last_x, 1e-9);
        if (std::abs(there - held_y) > 0.06) {
          d += fmt::format("L{:.1f} {:.1f}", held_x, held_y);
          last_x = held_x;
          last_y = held_y;
        }
      }
      held = true;
      held_x = x;
      held_y = y;
    }
    flush();
    return d;
  }

  [[nodiscard]] static std::string dash_of(int style) {
    if (style >= 10000) return {};
    std::string text;
    for (const double d : line_dash(style))
      text += fmt::format("{}{:g}", text.empty() ? "" : " ", d);
    return text.empty() ? text : fmt::format(" stroke-dasharray=\"{}\"", text);
  }

  void draw_curve(std::string& out, const Series& s, const UpMapping& up, double width,
                  double opacity, bool right) const {
    const std::string colour = w_.ink.line_colour_of(s.style);
    if (const std::string faint = path_of(s, up, false); !faint.empty())
      out += fmt::format(
          "<path d=\"{}\" fill=\"none\" style=\"stroke:{}\" stroke-width=\"1\" "
          "stroke-opacity=\"0.4\" stroke-dasharray=\"1.5 3.5\"/>\n",
          faint, colour);
    const std::string d = path_of(s, up, true);
    if (d.empty()) return;
    out += fmt::format(
        "<path class=\"curve\" data-name=\"{}\" data-side=\"{}\" d=\"{}\" fill=\"none\" "
        "style=\"stroke:{}\" stroke-width=\"{:g}\" stroke-opacity=\"{:g}\" "
        "stroke-linejoin=\"round\"{}/>\n",
        xml_text(s.label), right ? "right" : "left", d, colour, width, opacity, dash_of(s.style));
  }

  void draw_spread(std::string& out, const Series& s) const {
    if (s.spread.size() != s.y.size()) return;
    const std::string above = path_of(s, p_.up, true, 1.0);
    Series turned = s;
    std::reverse(turned.x.begin(), turned.x.end());
    std::reverse(turned.y.begin(), turned.y.end());
    std::reverse(turned.spread.begin(), turned.spread.end());
    std::string below = path_of(turned, p_.up, true, -1.0);
    if (above.empty() || below.empty() || above.find('M', 1) != std::string::npos) return;
    below.front() = 'L';
    out += fmt::format("<path d=\"{}{}Z\" style=\"fill:{}\" fill-opacity=\"0.18\"/>\n", above,
                       below, w_.ink.line_colour_of(s.style));
  }

  void draw_curves(std::string& out) const {
    out += fmt::format("<g clip-path=\"url(#{}-plot)\">\n", w_.id);
    for (const Series& s : c_.curves())
      if (s.chosen || c_.all_spreads) draw_spread(out, s);
    for (const Series& s : c_.curves(Side::kRight)) draw_curve(out, s, p_.right, 1.0, 0.75, true);
    for (const bool chosen : {false, true})
      for (const Series& s : c_.curves())
        if (s.chosen == chosen) draw_curve(out, s, p_.up, chosen ? 2.0 : 1.5, 1.0, false);
    out += "</g>\n";
  }

  void draw_flags(std::string& out) const {
    const auto* flags = c_.find<FlagLayer>();
    if (flags == nullptr) return;
    double row = 0.0;
    for (const LaneMark& f : flags->flags) {
      const double x = p_.across.px(f.centre_hz());
      if (x < p_.across.left_px || x > p_.across.right_px) continue;
      out += fmt::format(
          "<path d=\"M{0:.1f} {1:.1f}V{2:.1f}\" style=\"stroke:{3}\" stroke-width=\"0.8\" "
          "stroke-opacity=\"0.6\" stroke-dasharray=\"3 3\"/>\n",
          x, p_.up.top_px, p_.up.bottom_px, w_.ink.quiet);
      const bool left = x + rough_width(f.name, 10.0) + 6.0 > p_.across.right_px;
      out += text_at(left ? x - 4.0 : x + 4.0, p_.up.top_px + 12.0 + 12.0 * row,
                     left ? "end" : "start", 10.0, w_.ink.quiet, f.name);
      row = row > 2.5 ? 0.0 : row + 1.0;
    }
  }

  void draw_marks(std::string& out) const {
    double row = 0.0;
    for (const LaneMark& m : c_.marks()) {
      const double x1 = std::clamp(p_.across.px(m.low_hz), p_.across.left_px, p_.across.right_px);
      const double x2 = std::clamp(p_.across.px(m.high_hz), p_.across.left_px, p_.across.right_px);
      if (x2 <= p_.across.left_px || x1 >= p_.across.right_px) continue;
      const double y = p_.up.top_px + 14.0 + 14.0 * row;
      if (y > p_.up.bottom_px - 4.0) break;
      out += line_at(x1, y - 4.0, std::max(x2, x1 + 3.0), y - 4.0, w_.ink.line_colour_of(m.style),
                     4.0);
      const bool left = x2 + rough_width(m.name, 10.0) + 8.0 > p_.across.right_px;
      out += text_at(left ? x1 - 5.0 : x2 + 5.0, y, left ? "end" : "start", 10.0, w_.ink.quiet,
                     m.name);
      row += 1.0;
    }
  }

  void draw_legend(std::string& out) const {
    for (const Place& place : places_) {
      const Series& s = *place.series;
      out += fmt::format(
          "<path d=\"M{:.1f} {:.1f}h22\" style=\"stroke:{}\" stroke-width=\"{:g}\"{}/>\n", place.x,
          place.y + 8.0, w_.ink.line_colour_of(s.style), s.chosen ? 2.2 : 1.7, dash_of(s.style));
      out += text_at(place.x + 28.0, place.y + 12.0, "start", 11.0, w_.ink.ink,
                     name_of(s, place.side));
    }
  }

  struct Place {
    const Series* series;
    Side side;
    double x, y;
  };
  const LaneContent& c_;
  const FigureWish& w_;
  Plot p_;
  std::vector<Place> places_;
};

}  // namespace

std::string svg_figure(const LaneContent& content, const FigureWish& wish) {
  return Drawer(content, wish).drawn();
}

}  // namespace lalometer
