#include "paper/page/pdf_page.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "paper/page/cairo_parts.h"
#include "paper/page/page_figures.h"

namespace lalometer {
namespace {

constexpr double kWidth_pt = 595.28, kHeight_pt = 841.89;  // A4
constexpr double kMargin_pt = 56.0, kBottom_pt = 60.0;
constexpr double kText_pt = 9.5;
constexpr const char* kFamily = "Lato, DejaVu Sans";

struct Ink {
  double r, g, b;
};
constexpr Ink kInk{0.114, 0.157, 0.180}, kQuiet{0.373, 0.408, 0.412}, kLine{0.81, 0.78, 0.73},
    kAccent{0.055, 0.420, 0.447}, kWarn{0.588, 0.408, 0.016};

/// Lays blocks from the top of pages down.
class Writer {
 public:
  Writer(const Report& report, const ReportWish& wish) : report_(report), wish_(wish) {
    surface_.reset(
        cairo_pdf_surface_create_for_stream(append_bytes, &bytes_, kWidth_pt, kHeight_pt));
    const auto tell = [&](cairo_pdf_metadata_t what, const std::string& text) {
      cairo_pdf_surface_set_metadata(surface_.get(), what, text.c_str());
    };
    tell(CAIRO_PDF_METADATA_TITLE, report.title);
    tell(CAIRO_PDF_METADATA_SUBJECT, report.subtitle);
    tell(CAIRO_PDF_METADATA_CREATOR, fmt::format("lalometer {}", LALOMETER_VERSION));
    // The takes' own: the same book gives the same bytes.
    const std::string date = (report.date.empty() ? "2000-01-01" : report.date) + "T00:00:00Z";
    tell(CAIRO_PDF_METADATA_CREATE_DATE, date);
    tell(CAIRO_PDF_METADATA_MOD_DATE, date);
    cr_.reset(cairo_create(surface_.get()));
  }

  Result<Paper> written() {
    begin_page();
    begin("Document");
    front();
    for (const ReportSection& s : report_.sections) section(s);
    missing();
    end("Document");
    end_page();
    cr_.reset();
    cairo_surface_finish(surface_.get());
    if (const auto status = cairo_surface_status(surface_.get()); status != CAIRO_STATUS_SUCCESS)
      return bad_input(
          fmt::format("The PDF could not be made: {}.", cairo_status_to_string(status)));
    return Paper{std::move(bytes_), std::move(places_)};
  }

 private:
  void begin(const char* tag, const std::string& attributes = {}) {
    cairo_tag_begin(cr_.get(), tag, attributes.c_str());
  }
  void end(const char* tag) { cairo_tag_end(cr_.get(), tag); }

  void colour(Ink ink) { cairo_set_source_rgb(cr_.get(), ink.r, ink.g, ink.b); }

  void begin_page() {
    ++page_;
    y_ = kMargin_pt;
  }
  void end_page() {
    const auto line = [&](const std::string& text, PangoAlignment where) {
      const TextLayout layout = text_layout(text, 8.0, false, kWidth_pt - 2.0 * kMargin_pt, where);
      colour(kQuiet);
      cairo_move_to(cr_.get(), kMargin_pt, kHeight_pt - 36.0);
      pango_cairo_show_layout(cr_.get(), layout.get());
    };
    line(report_.title, PANGO_ALIGN_LEFT);
    line(std::to_string(page_), PANGO_ALIGN_RIGHT);
    cairo_show_page(cr_.get());
  }
  /// Turns the page where so much does not fit any more.
  void need(double height) {
    if (y_ + height <= kHeight_pt - kBottom_pt) return;
    end_page();
    begin_page();
  }

  TextLayout text_layout(const std::string& text, double size, bool strong, double width,
                         PangoAlignment where = PANGO_ALIGN_LEFT) {
    TextLayout layout(pango_cairo_create_layout(cr_.get()));
    const FontDescription font(pango_font_description_from_string(kFamily));
    pango_font_description_set_absolute_size(font.get(), size * PANGO_SCALE);
    if (strong) pango_font_description_set_weight(font.get(), PANGO_WEIGHT_SEMIBOLD);
    pango_layout_set_font_description(layout.get(), font.get());
    pango_layout_set_width(layout.get(), static_cast<int>(width * PANGO_SCALE));
    pango_layout_set_wrap(layout.get(), PANGO_WRAP_WORD_CHAR);
    pango_layout_set_alignment(layout.get(), where);
    pango_layout_set_text(layout.get(), text.c_str(), static_cast<int>(text.size()));
    pango_layout_set_line_spacing(layout.get(), 1.15F);
    return layout;
  }
  static double height_of(PangoLayout* layout) {
    int height = 0;
    pango_layout_get_size(layout, nullptr, &height);
    return static_cast<double>(height) / PANGO_SCALE;
  }

  /// A paragraph that may run over pages line by line would split its tag; long ones turn first.
  /// @param key  of a sentence that somebody may want to find again; empty: none
  void text(const char* tag, const std::string& what, double size, bool strong, Ink ink,
            double after, double indent = 0.0, const std::string& key = {}) {
    const TextLayout layout =
        text_layout(what, size, strong, kWidth_pt - 2.0 * kMargin_pt - indent);
    const double height = height_of(layout.get());
    need(std::min(height, kHeight_pt - kMargin_pt - kBottom_pt));
    begin(tag);
    colour(ink);
    cairo_move_to(cr_.get(), kMargin_pt + indent, y_);
    pango_cairo_show_layout(cr_.get(), layout.get());
    end(tag);
    if (!key.empty())
      places_.push_back({page_, kMargin_pt, y_, kWidth_pt - 2.0 * kMargin_pt, height, false, key});
    y_ += height + after;
  }

  void front() {
    text("H1", report_.title, 22.0, true, kInk, 4.0);
    std::string under = report_.subtitle;
    if (!report_.date.empty())
      under += (under.empty() ? "" : ", ") + ("measured until " + report_.date);
    if (!under.empty()) text("P", under, kText_pt, false, kQuiet, 6.0);
    colour(kAccent);
    cairo_rectangle(cr_.get(), kMargin_pt, y_, kWidth_pt - 2.0 * kMargin_pt, 1.5);
    cairo_fill(cr_.get());
    y_ += 14.0;
    if (!report_.verdict.empty()) text("P", report_.verdict, 12.0, false, kInk, 12.0, 10.0);
    cards();
    for (const std::string& one : report_.highlights)
      text("P", "• " + one, kText_pt, false, kInk, 2.0);
  }

  void cards() {
    constexpr int kAcross = 3;
    constexpr double kGap_pt = 8.0;
    const double width = (kWidth_pt - 2.0 * kMargin_pt - (kAcross - 1) * kGap_pt) / kAcross;
    for (std::size_t i = 0; i < report_.cards.size(); i += kAcross) {
      double tallest = 0.0;
      struct Laid {
        TextLayout name, value, basis;
        double height;
      };
      std::vector<Laid> row;
      for (std::size_t k = i; k < std::min(i + kAcross, report_.cards.size()); ++k) {
        const ReportCard& c = report_.cards[k];
        Laid one{text_layout(c.name, 8.0, false, width - 14.0),
                 text_layout(c.value, 13.0, true, width - 14.0),
                 text_layout(c.basis, 8.0, false, width - 14.0), 0.0};
        one.height = 14.0 + height_of(one.name.get()) + height_of(one.value.get()) +
                     height_of(one.basis.get());
        tallest = std::max(tallest, one.height);
        row.push_back(std::move(one));
      }
      need(tallest);
      for (std::size_t k = 0; k < row.size(); ++k) {
        const double x = kMargin_pt + static_cast<double>(k) * (width + kGap_pt);
        colour(kLine);
        cairo_set_line_width(cr_.get(), 0.7);
        cairo_rectangle(cr_.get(), x, y_, width, tallest);
        cairo_stroke(cr_.get());
        begin("P");
        double y = y_ + 7.0;
        for (const auto& [layout, ink] :
             {std::pair{row[k].name.get(), kQuiet}, std::pair{row[k].value.get(), kInk},
              std::pair{row[k].basis.get(), kQuiet}}) {
          colour(ink);
          cairo_move_to(cr_.get(), x + 7.0, y);
          pango_cairo_show_layout(cr_.get(), layout);
          y += height_of(layout);
        }
        end("P");
      }
      y_ += tallest + kGap_pt;
    }
  }

  /// @param with  height of what must stand on the same page.
  void heading(const std::string& title, double with = 60.0) {
    constexpr double kHeading_pt = 30.0;
    y_ += 12.0;
    need(kHeading_pt + with);
    cairo_pdf_surface_add_outline(
        surface_.get(), CAIRO_PDF_OUTLINE_ROOT, title.c_str(),
        fmt::format("page={} pos=[{:.1f} {:.1f}]", page_, kMargin_pt, y_).c_str(),
        CAIRO_PDF_OUTLINE_FLAG_OPEN);
    text("H2", title, 15.0, true, kInk, 6.0);
  }

  void section(const ReportSection& s) {
    const auto* first = std::get_if<ReportPicture>(&s.blocks.front());
    heading(s.title, first == nullptr ? 60.0 : height_of(*first) + 30.0);
    for (const ReportBlock& block : s.blocks) {
      if (const auto* sentence = std::get_if<ReportSentence>(&block)) {
        text("P", sentence->shown(), kText_pt, false, kInk, sentence->outdated ? 1.0 : 4.0, 0.0,
             sentence->key);
        if (sentence->outdated)
          text("P", "Written of other figures; now: " + sentence->text, 8.0, false, kWarn, 4.0);
      }
      if (const auto* t = std::get_if<ReportTable>(&block)) table(*t);
      if (const auto* p = std::get_if<ReportPicture>(&block)) picture(*p);
    }
  }

  [[nodiscard]] double height_of(const ReportPicture& p) const {
    const FigureWish wish = figure_wish(p, wish_);
    constexpr double kAround_px = 80.0;  // heading, axis, names
    return (wish.height_px + kAround_px) * (kWidth_pt - 2.0 * kMargin_pt) / wish.width_px;
  }

  void picture(const ReportPicture& p) {
    const FigureWish wish = figure_wish(p, wish_);
    const SvgHandle handle = svg_handle(svg_figure(p.content, wish));
    if (!handle) return;
    const SvgSize size = size_of(handle.get());
    const double width = kWidth_pt - 2.0 * kMargin_pt;
    // A figure is never taller than a page.
    const double scale =
        std::min(width / size.width, (kHeight_pt - kMargin_pt - kBottom_pt - 40.0) / size.height);
    const TextLayout caption = text_layout(p.caption, 8.0, false, width);
    const double height = scale * size.height + 3.0 + height_of(caption.get());
    need(height);
    begin("Figure", fmt::format("alt='{}'", escaped(p.content.title + ". " + p.caption)));
    (void)draw_svg(cr_.get(), handle.get(), kMargin_pt, y_, scale * size.width,
                   scale * size.height);
    end("Figure");
    places_.push_back({page_, kMargin_pt, y_, scale * size.width, scale * size.height, true, p.id});
    begin("Caption");
    colour(kQuiet);
    cairo_move_to(cr_.get(), kMargin_pt, y_ + scale * size.height + 3.0);
    pango_cairo_show_layout(cr_.get(), caption.get());
    end("Caption");
    y_ += height + 10.0;
  }

  static std::string escaped(const std::string& text) {
    std::string out;
    for (const char c : text) {
      if (c == '\'' || c == '\\') out += '\\';
      out += c;
    }
    return out;
  }

  /// Column widths by what stands in them, wrapped to the page.
  [[nodiscard]] std::vector<double> widths_of(const ReportTable& t) {
    const double whole = kWidth_pt - 2.0 * kMargin_pt;
    std::vector<double> widths(t.head.size(), 20.0);
    const auto widen = [&](const std::vector<std::string>& row) {
      for (std::size_t i = 0; i < std::min(row.size(), widths.size()); ++i) {
        const TextLayout layout = text_layout(row[i], kText_pt, false, whole);
        int width = 0;
        pango_layout_set_width(layout.get(), -1);
        pango_layout_get_size(layout.get(), &width, nullptr);
        widths[i] = std::max(widths[i], static_cast<double>(width) / PANGO_SCALE + 12.0);
      }
    };
    widen(t.head);
    for (const auto& row : t.rows) widen(row);
    double sum = 0.0;
    for (const double w : widths) sum += w;
    if (sum <= whole) return widths;
    // The wide ones give way.
    const double fair = whole / static_cast<double>(widths.size());
    double fixed = 0.0, wide = 0.0;
    for (const double w : widths) (w <= fair ? fixed : wide) += w;
    for (double& w : widths)
      if (w > fair) w *= (whole - fixed) / wide;
    return widths;
  }

  void table_row(const std::vector<std::string>& row, const std::vector<double>& widths,
                 bool head) {
    std::vector<TextLayout> cells;
    double tallest = 0.0;
    for (std::size_t i = 0; i < widths.size(); ++i) {
      cells.push_back(
          text_layout(i < row.size() ? row[i] : "", head ? 8.5 : kText_pt, head, widths[i] - 8.0));
      tallest = std::max(tallest, height_of(cells.back().get()));
    }
    need(tallest + 6.0);
    begin("TR");
    double x = kMargin_pt;
    for (std::size_t i = 0; i < cells.size(); ++i) {
      begin(head ? "TH" : "TD");
      colour(head ? kQuiet : kInk);
      cairo_move_to(cr_.get(), x, y_ + 2.0);
      pango_cairo_show_layout(cr_.get(), cells[i].get());
      end(head ? "TH" : "TD");
      x += widths[i];
    }
    end("TR");
    y_ += tallest + 5.0;
    colour(kLine);
    cairo_set_line_width(cr_.get(), 0.5);
    cairo_move_to(cr_.get(), kMargin_pt, y_);
    cairo_line_to(cr_.get(), x, y_);
    cairo_stroke(cr_.get());
    y_ += 1.0;
  }

  void table(const ReportTable& t) {
    const std::vector<double> widths = widths_of(t);
    need(48.0);
    begin("Table");
    table_row(t.head, widths, true);
    for (const auto& row : t.rows) table_row(row, widths, false);
    end("Table");
    y_ += 3.0;
    if (!t.caption.empty()) text("Caption", t.caption, 8.0, false, kQuiet, 8.0);
  }

  void missing() {
    if (report_.missing.empty()) return;
    heading("What was not measured");
    for (const std::string& one : report_.missing)
      text("P", "– " + one, kText_pt, false, kInk, 3.0);
  }

  const Report& report_;
  const ReportWish& wish_;
  std::vector<std::byte> bytes_;
  std::vector<PaperPlace> places_;
  CairoSurface surface_;
  Cairo cr_;
  int page_ = 0;
  double y_ = 0.0;
};

}  // namespace

Result<Paper> paper_of(const Report& report, const ReportWish& wish) {
  return Writer(report, wish).written();
}

Result<std::vector<std::byte>> pdf_page(const Report& report, const ReportWish& wish) {
  return paper_of(report, wish).map([](Paper p) { return std::move(p.pdf); });
}

}  // namespace lalometer
