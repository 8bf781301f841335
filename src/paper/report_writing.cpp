#include "paper/report_writing.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>

#include "base/text.h"
#include "exchange/audio_file.h"
#include "exchange/curve_file.h"
#include "paper/page/html_page.h"
#include "paper/page/page_figures.h"
#include "paper/page/pdf_page.h"
#include "paper/page/scorecard.h"
#include "workbench/sharing/exporting.h"
#include "workbench/sharing/sources.h"

namespace lalometer {
namespace {

namespace fs = std::filesystem;

constexpr int kFigure_px = 1440;
constexpr int kScorecard_px = 1200;

std::string plain(const std::string& name) {
  std::string out;
  for (const char c : name)
    if (std::isalnum(static_cast<unsigned char>(c)) != 0)
      out += static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    else if (!out.empty() && out.back() != '-')
      out += '-';
  while (!out.empty() && out.back() == '-') out.pop_back();
  return out.empty() ? "take" : out;
}

/// "h+030.frd", "near-port.frd", "impedance-in-box.zma".
std::string data_name(const ImportItem& item) {
  const std::string driver =
      item.take.conditions.driver.empty() ? "" : "-" + plain(item.take.conditions.driver);
  const std::string sample =
      item.take.conditions.sample.empty() ? "" : "-" + plain(item.take.conditions.sample);
  if (item.take.kind() == TakeKind::kImpedance) {
    const std::string c = condition_of(item.take);
    return fmt::format("impedance{}{}{}.zma", c.empty() ? "" : "-" + plain(c), driver, sample);
  }
  if (const auto* near = std::get_if<NearFieldSetup>(&item.take.setup))
    return fmt::format("near-{}{}.frd", plain(near->source), sample);
  const Placement p = place_of(item.take);
  const bool vertical = p.vertical_deg != 0.0;
  const double degrees = vertical ? p.vertical_deg : p.horizontal_deg;
  return fmt::format("{}{}{:03.0f}{}{}.frd", vertical ? "v" : "h", degrees < 0.0 ? "-" : "+",
                     std::abs(degrees), driver, sample);
}

std::string figures_csv(const Report& r) {
  std::string text = "name,command,value,uncertainty,unit,valid\n";
  for (const StatedFigure& f : r.figures)
    text += fmt::format("{},{},{},{},{},{}\n", f.name, f.command, f.value ? shortest(*f.value) : "",
                        f.uncertainty ? shortest(*f.uncertainty) : "", f.unit,
                        f.valid ? "true" : "false");
  return text;
}

/// Writes one file after the other; the first that fails ends it.
class Folder {
 public:
  explicit Folder(fs::path root) : root_(std::move(root)) {}

  template <class Bytes>
  Result<void> put(const fs::path& name, const Bytes& bytes) {
    const fs::path file = root_ / name;
    std::error_code error;
    fs::create_directories(file.parent_path(), error);
    if (error)
      return fail(ErrorCode::kStorage, "Cannot be made: " + error.message(),
                  file.parent_path().string());
    if (auto written = write_file(file, bytes); !written) return written;
    files.push_back(file);
    return {};
  }
  std::vector<fs::path> files;

 private:
  fs::path root_;
};

Result<void> put_figures(Folder& folder, const Report& r, const ReportWish& wish,
                         const std::stop_token& stop) {
  for (const ReportSection& s : r.sections)
    for (const ReportBlock& block : s.blocks) {
      const auto* p = std::get_if<ReportPicture>(&block);
      if (p == nullptr) continue;
      if (stop.stop_requested()) return cancelled();
      for (const bool dark : {false, true}) {
        FigureWish f = figure_wish(*p, wish);
        if (dark) f.ink = FigureInk::night();
        const fs::path place = dark ? fs::path("figures") / "dark" : fs::path("figures");
        const std::string svg = svg_figure(p->content, f);
        if (auto put = folder.put(place / (p->id + ".svg"), svg); !put) return put;
        const auto png = png_of_svg(svg, kFigure_px);
        if (!png) return tl::unexpected(png.error());
        if (auto put = folder.put(place / (p->id + ".png"), *png); !put) return put;
      }
    }
  return {};
}

Result<void> put_data(Folder& folder, const MadeReport& made, const Report& report,
                      const std::stop_token& stop) {
  std::vector<std::string> names;
  for (const ImportItem& item : made.material->preview.items) {
    if (!item.curve || item.calibration) continue;
    if (stop.stop_requested()) return cancelled();
    std::string name = data_name(item);
    // Repeats and several drives stand side by side.
    const std::string ending = fs::path(name).extension().string();
    const std::string stem = fs::path(name).stem().string();
    for (int n = 2; std::find(names.begin(), names.end(), name) != names.end(); ++n)
      name = fmt::format("{}-{}{}", stem, n, ending);
    names.push_back(name);
    const std::string text =
        curve_text(*item.curve, {item.take.name, "taken " + item.take.taken_at});
    if (auto put = folder.put(fs::path("data") / name, text); !put) return put;
  }
  return folder.put(fs::path("data") / "figures.csv", figures_csv(report));
}

}  // namespace

std::optional<ReportForm> report_form(std::string_view word) {
  if (word == "pdf") return ReportForm::kPdf;
  if (word == "html") return ReportForm::kHtml;
  if (word == "folder") return ReportForm::kFolder;
  return std::nullopt;
}

Result<std::vector<fs::path>> write_report(const MadeReport& made, const Report& r,
                                           const ReportWish& wish, ReportForm form,
                                           const fs::path& to, std::stop_token stop) {
  if (form == ReportForm::kHtml)
    return write_file(to, html_page(r, wish)).map([&] { return std::vector{to}; });
  auto pdf = pdf_page(r, wish);
  if (!pdf) return tl::unexpected(pdf.error());
  if (form == ReportForm::kPdf) return write_file(to, *pdf).map([&] { return std::vector{to}; });
  if (stop.stop_requested()) return cancelled();
  Folder folder(to);
  if (auto put = folder.put("report.html", html_page(r, wish)); !put)
    return tl::unexpected(put.error());
  if (auto put = folder.put("report.pdf", *pdf); !put) return tl::unexpected(put.error());
  const auto card = png_of_svg(scorecard_svg(r, wish), kScorecard_px);
  if (!card) return tl::unexpected(card.error());
  if (auto put = folder.put("scorecard.png", *card); !put) return tl::unexpected(put.error());
  if (auto put = put_figures(folder, r, wish, stop); !put) return tl::unexpected(put.error());
  if (auto put = put_data(folder, made, r, stop); !put) return tl::unexpected(put.error());
  // The takes themselves, as a set: it reads back to the same figures.
  const fs::path set = to / "data" / "set.json";
  if (is_book(made.material->where) || fs::exists(fs::path(made.material->where) / "set.json") ||
      fs::path(made.material->where).filename() == "set.json") {
    std::error_code error;
    fs::remove(set, error);
    if (auto exported =
            export_source(made.material->where, made.material->subject, to / "data", stop);
        !exported)
      return tl::unexpected(exported.error());
    // All that it brought along, in the order of names.
    std::vector<fs::path> brought;
    for (const auto& entry : fs::directory_iterator(to / "data", error))
      if (std::find(folder.files.begin(), folder.files.end(), entry.path()) == folder.files.end())
        brought.push_back(entry.path());
    std::sort(brought.begin(), brought.end());
    folder.files.insert(folder.files.end(), brought.begin(), brought.end());
  }
  return std::move(folder.files);
}

}  // namespace lalometer
