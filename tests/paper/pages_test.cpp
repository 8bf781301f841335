#include <gmock/gmock.h>

#include <cmath>
#include <cstdlib>
#include <regex>
#include <set>

#include "paper/page/html_page.h"
#include "paper/page/pdf_page.h"
#include "paper/page/scorecard.h"
#include "support/support.h"

namespace lalometer {
namespace {

using ::testing::HasSubstr;
using ::testing::Not;

ReportPicture picture(const std::string& id) {
  ReportPicture p{id, {}, "Gate 4 ms, 2.83 V."};
  p.content.title = "Picture " + id;
  p.content.left = {.quantity = AxisQuantity::kLevel,
                    .scale = AxisScale::kDecibel,
                    .unit = "dB",
                    .low = 50.0,
                    .high = 100.0};
  Series s;
  s.label = "curve of " + id;
  s.chosen = true;
  for (int i = 0; i <= 60; ++i) {
    s.x.push_back(20.0 * std::pow(1000.0, i / 60.0));
    s.y.push_back(80.0 + 6.0 * std::sin(0.3 * i));
  }
  p.content.add_curves().push_back(s);
  return p;
}

Report usual() {
  Report r;
  r.title = "Sluice <two-way> & more";
  r.subtitle = "As built";
  r.date = "2026-05-04";
  r.verdict = "Even.\nQuiet.";
  r.cards = {{"F3", "49.3 ± 0.8 Hz", "near field", "bass"}};
  r.highlights = {"Wiggle at 658 Hz: box wave."};
  r.missing = {"The impedance was not measured."};
  for (const char* id : {"response", "bass", "decay"}) {
    ReportSection s{id, std::string("Section ") + id};
    s.blocks.emplace_back(picture(std::string("figure-of-") + id));
    s.blocks.emplace_back(ReportSentence{std::string(id) + ".a", "Something ± of Ω at 20 °C."});
    s.blocks.emplace_back(ReportTable{{"Loop at", "height"}, {{"658 Hz", "0.44 Ω"}}, "Loops."});
    r.sections.push_back(std::move(s));
  }
  return r;
}

int count_of(const std::string& text, const std::string& what) {
  int n = 0;
  for (auto at = text.find(what); at != std::string::npos; at = text.find(what, at + 1)) ++n;
  return n;
}

std::string text_of(const std::vector<std::byte>& bytes) {
  return {reinterpret_cast<const char*>(bytes.data()), bytes.size()};
}

class PdfPages : public ::testing::Test {
 protected:
  /// What a program of others reads in it.
  std::string words(const Report& r, const ReportWish& wish = {}) {
    const auto pdf = pdf_page(r, wish);
    EXPECT_TRUE(pdf.has_value());
    test::write(folder_ / "r.pdf", text_of(*pdf));
    const std::string out = (folder_ / "r.txt").string();
    EXPECT_EQ(
        std::system(
            ("pdftotext " + (folder_ / "r.pdf").string() + " " + out + " 2> /dev/null").c_str()),
        0);
    return test::slurp(out);
  }
  std::string told(const std::string& command) {
    const std::string out = (folder_ / "told.txt").string();
    EXPECT_EQ(std::system(
                  ("TZ=UTC " + command + " " + (folder_ / "r.pdf").string() + " > " + out).c_str()),
              0);
    return test::slurp(out);
  }
  const test::TemporaryFolder folder_;
};

TEST_F(PdfPages, HoldWhatTheReportSays) {
  const std::string text = words(usual());
  for (const char* part :
       {"Sluice <two-way> & more", "As built, measured until 2026-05-04", "Quiet.", "49.3 ± 0.8 Hz",
        "Section bass", "Something ± of Ω at 20 °C.", "0.44 Ω", "Gate 4 ms, 2.83 V.",
        "What was not measured", "The impedance was not measured."})
    EXPECT_THAT(text, HasSubstr(part));
  const std::string info = told("pdfinfo");
  EXPECT_THAT(info, HasSubstr("Sluice"));
  EXPECT_THAT(info, HasSubstr("A4"));
  EXPECT_THAT(info, ::testing::ContainsRegex("Tagged: +yes"));
  EXPECT_THAT(info, HasSubstr("May  4 00:00:00 2026")) << "the takes' own date, never today's";
  // Headings, figures with their words, and a table are told apart for those who cannot see.
  const std::string tags = told("pdfinfo -struct");
  for (const char* tag : {"H1", "H2", "Figure", "Table", "TR", "TH", "TD", "Caption"})
    EXPECT_THAT(tags, HasSubstr(tag));
  const std::string raw = test::slurp(folder_ / "r.pdf");
  EXPECT_THAT(raw, HasSubstr("/Outlines")) << "bookmarks";
}

TEST_F(PdfPages, TellWhereFiguresAndSentencesStand) {
  const auto paper = paper_of(usual(), {});
  ASSERT_TRUE(paper.has_value());
  std::set<std::string> figures, sentences;
  for (const PaperPlace& p : paper->places) {
    (p.figure ? figures : sentences).insert(p.key);
    EXPECT_GE(p.page, 1);
    EXPECT_GT(p.y, 0.0);
    EXPECT_LT(p.y + p.height, 842.0) << p.key << " runs over the page's end";
  }
  EXPECT_EQ(figures.size(), 3U);
  EXPECT_EQ(sentences.size(), 3U);
  EXPECT_TRUE(figures.contains("figure-of-bass"));
  EXPECT_TRUE(sentences.contains("decay.a"));
}

// A heading never stands alone at a page's foot: what follows it is on the same page.
TEST_F(PdfPages, AHeadingKeepsItsFigure) {
  Report r = usual();
  for (int i = 0; i < 12; ++i) {
    ReportSection s{"more" + std::to_string(i), "More " + std::to_string(i)};
    for (int k = 0; k <= i; ++k)
      s.blocks.emplace_back(
          ReportSentence{s.id + "." + std::to_string(k), "A line to push what follows down."});
    s.blocks.insert(s.blocks.begin(), picture("pushed" + std::to_string(i)));
    r.sections.push_back(std::move(s));
  }
  (void)words(r);
  const std::string out = (folder_ / "l.txt").string();
  ASSERT_EQ(std::system(("pdftotext -layout " + (folder_ / "r.pdf").string() + " " + out).c_str()),
            0);
  const std::string text = test::slurp(out);
  // By pages: a form feed ends each.
  std::size_t from = 0;
  while (from < text.size()) {
    const auto end = std::min(text.find('\f', from), text.size());
    const std::string page = text.substr(from, end - from);
    for (int i = 0; i < 12; ++i)
      if (page.find("\nMore " + std::to_string(i) + "\n") != std::string::npos) {
        EXPECT_THAT(page, HasSubstr("Picture pushed" + std::to_string(i)));
      }
    from = end + 1;
  }
}

TEST_F(PdfPages, LongTablesAndOddTextsAreLaid) {
  Report r = usual();
  ReportTable table{{"One", "Another", "A third"}, {}, "Many rows."};
  for (int i = 0; i < 120; ++i)
    table.rows.push_back({"row " + std::to_string(i), std::string(160, 'w'), "Ω µ ± – ° ∠ Привет"});
  table.rows.push_back({"short"});
  r.sections.front().blocks.emplace_back(std::move(table));
  r.sections.front().blocks.emplace_back(ReportSentence{"odd", std::string(9000, 'x')});
  r.sections.front().blocks.emplace_back(ReportSentence{"quote", "It's a \\ 'quoted' thing."});
  ReportPicture quoted = picture("quoted");
  quoted.caption = "It's the maker's \\ figure.";
  r.sections.front().blocks.emplace_back(quoted);
  const std::string text = words(r);
  EXPECT_THAT(text, HasSubstr("row 119"));
  EXPECT_THAT(text, HasSubstr("Привет"));
  EXPECT_THAT(text, HasSubstr("It's the maker's \\ figure."));
  EXPECT_EQ(std::system(("qpdf --check " + (folder_ / "r.pdf").string() + " > /dev/null").c_str()),
            0);
}

TEST_F(PdfPages, OwnWordsStandAndWhatTheyWereOfIsSaid) {
  Report r = usual();
  auto& sentence = std::get<ReportSentence>(r.sections[1].blocks[1]);
  sentence.own = "Plays low.";
  sentence.outdated = true;
  const std::string text = words(r);
  EXPECT_THAT(text, HasSubstr("Plays low."));
  EXPECT_THAT(text, HasSubstr("Written of other figures; now: Something"));
}

TEST_F(PdfPages, AnEmptyReportIsAPageWithItsTitle) {
  Report r;
  r.title = "Nothing yet";
  EXPECT_THAT(words(r), HasSubstr("Nothing yet"));
}

TEST(HtmlPage, IsOnePageWithEverythingInIt) {
  const std::string page = html_page(usual(), {});
  EXPECT_EQ(count_of(page, "<figure "), 3);
  EXPECT_EQ(count_of(page, "<table>"), 3);
  EXPECT_THAT(page, HasSubstr("<h1>Sluice &lt;two-way&gt; &amp; more</h1>"));
  EXPECT_THAT(page, HasSubstr("measured until 2026-05-04"));
  EXPECT_THAT(page, HasSubstr("Even.\nQuiet.")) << "a verdict keeps its lines";
  EXPECT_THAT(page, HasSubstr("prefers-color-scheme:dark"));
  EXPECT_THAT(page, HasSubstr("@media print"));
  // An id stands once, and every place that is named is there.
  std::set<std::string> ids;
  static const std::regex id(R"( id="([^"]+)\")");
  for (std::sregex_iterator at(page.begin(), page.end(), id), end; at != end; ++at)
    EXPECT_TRUE(ids.insert((*at)[1]).second) << (*at)[1];
  static const std::regex link(R"(href="#([^"]+)\")");
  for (std::sregex_iterator at(page.begin(), page.end(), link), end; at != end; ++at)
    EXPECT_TRUE(ids.contains((*at)[1])) << (*at)[1];
  static const std::regex clip(R"(url\(#([^)]+)\))");
  for (std::sregex_iterator at(page.begin(), page.end(), clip), end; at != end; ++at)
    EXPECT_TRUE(ids.contains((*at)[1])) << (*at)[1];
}

// What the page's script reads under the pointer is the curve: scales and path tell its values.
TEST(HtmlPage, ItsFiguresTellTheirValues) {
  const Report r = usual();
  const std::string page = html_page(r, {});
  const auto& content = std::get<ReportPicture>(r.sections[0].blocks[0]).content;
  const Series& series = content.curves().front();
  const auto attribute = [&](const char* name) {
    const auto from = page.find(std::string(name) + "=\"") + std::string(name).size() + 2;
    return page.substr(from, page.find('"', from) - from);
  };
  const auto scale = [&](const char* name) {
    std::vector<double> n;
    const std::string text = attribute(name);
    for (auto at = text.find(','); at != std::string::npos; at = text.find(',', at + 1))
      n.push_back(std::stod(text.substr(at + 1)));
    return n;
  };
  const auto x = scale("data-x"), y = scale("data-y");
  const auto curve = page.find("class=\"curve\"");
  const auto from = page.find(" d=\"", curve) + 4;
  const std::string d = page.substr(from, page.find('"', from) - from);
  std::vector<std::pair<double, double>> points;
  static const std::regex point(R"([ML](-?[\d.]+) (-?[\d.]+))");
  for (std::sregex_iterator at(d.begin(), d.end(), point), end; at != end; ++at)
    points.emplace_back(std::stod((*at)[1]), std::stod((*at)[2]));
  ASSERT_GT(points.size(), 10U);
  for (std::size_t i = 0; i < series.x.size(); ++i) {
    const double px = x[2] + (x[3] - x[2]) * std::log(series.x[i] / x[0]) / std::log(x[1] / x[0]);
    for (std::size_t k = 0; k + 1 < points.size(); ++k) {
      if (points[k].first > px + 0.06 || points[k + 1].first < px - 0.06) continue;
      const double share = points[k + 1].first > points[k].first
                               ? (px - points[k].first) / (points[k + 1].first - points[k].first)
                               : 0.0;
      const double py = points[k].second + share * (points[k + 1].second - points[k].second);
      EXPECT_NEAR(y[0] + (y[1] - y[0]) * (py - y[2]) / (y[3] - y[2]), series.y[i], 0.1)
          << series.x[i];
      break;
    }
  }
}

TEST(HtmlPage, MarksOwnWordsAndOldOnes) {
  Report r = usual();
  std::get<ReportSentence>(r.sections[0].blocks[1]).own = "My words.";
  auto& old = std::get<ReportSentence>(r.sections[1].blocks[1]);
  old.own = "Old words.";
  old.outdated = true;
  const std::string page = html_page(r, {});
  EXPECT_THAT(page, HasSubstr("<p class=\"own\">My words.</p>"));
  EXPECT_THAT(page, HasSubstr("<p class=\"old\">Old words.<small>Written of other figures"));
  EXPECT_EQ(count_of(page, "class=\"own\""), 1);
}

TEST(Scorecard, IsAPictureOfItsSizeWithTheSpinoramaWhereThereIsOne) {
  Report r = usual();
  EXPECT_THAT(scorecard_svg(r, {}), HasSubstr("Picture figure-of-response"));
  r.sections[2].blocks.emplace_back(picture("spinorama"));
  const std::string svg = scorecard_svg(r, {});
  EXPECT_THAT(svg, HasSubstr("Picture spinorama"));
  EXPECT_THAT(svg, HasSubstr("49.3 ± 0.8 Hz"));
  EXPECT_THAT(svg, Not(HasSubstr("Picture figure-of-response")));
  const auto png = png_of_svg(svg, 1200);
  ASSERT_TRUE(png.has_value());
  const auto at = [&](std::size_t i) { return std::to_integer<int>((*png)[i]); };
  EXPECT_EQ(at(18) * 256 + at(19), 1200);
  EXPECT_EQ(at(22) * 256 + at(23), 630);
  r.title = std::string(300, 'T');
  EXPECT_TRUE(png_of_svg(scorecard_svg(r, {}), 300).has_value()) << "long names are cut";
}

}  // namespace
}  // namespace lalometer
