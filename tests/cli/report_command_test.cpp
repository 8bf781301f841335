#include <fmt/format.h>
#include <gmock/gmock.h>

#include <cstdlib>
#include <fstream>
#include <map>
#include <set>

#include "book/book.h"
#include "cli/cli_support.h"
#include "support/support.h"

namespace lalometer {
namespace {

using nlohmann::json;
using test::run;
using ::testing::HasSubstr;
using ::testing::Not;

/// A two-way on the practice bench with all that a review is made of.
json whole_subject() {
  json takes = {{{"kind", "impedance"}, {"id", "z"}},
                {{"kind", "near-field"}, {"id", "nw"}, {"source", "woofer"}},
                {{"kind", "near-field"}, {"id", "np"}, {"source", "port"}}};
  for (int degrees = -90; degrees <= 90; degrees += 10)
    takes.push_back({{"kind", "response"},
                     {"id", fmt::format("h{}", degrees)},
                     {"horizontal_deg", degrees},
                     {"gate_ms", 4}});
  takes.push_back({{"kind", "sweep"}, {"id", "s"}, {"gate_ms", 4}});
  return {{"subject",
           {{"name", "Sluice two-way"},
            {"kind", "loudspeaker"},
            {"loading", "vented"},
            {"drivers",
             {{{"id", "woofer"}, {"role", "woofer"}, {"diameter_mm", 165}, {"y_mm", -70}},
              {{"id", "tweeter"}, {"role", "tweeter"}, {"diameter_mm", 26}, {"y_mm", 60}}}},
            {"baffle", {{"width_mm", 210}, {"height_mm", 360}, {"depth_mm", 280}}},
            {"box", {{"net_volume_l", 15.5}}},
            {"ports", {{{"id", "port"}, {"diameter_mm", 50}, {"length_mm", 120}}}},
            {"crossovers", {{{"low", "woofer"}, {"high", "tweeter"}, {"frequency_hz", 2200}}}}}},
          {"takes", takes}};
}

class CliReport : public ::testing::Test {
 protected:
  static void SetUpTestSuite() {
    folder_ = new test::TemporaryFolder;
    test::write(*folder_ / "s.json", whole_subject().dump());
    const auto made = run({"simulate", (*folder_ / "s.json").string(), set()});
    ASSERT_EQ(made.status, 0) << made.err;
  }
  static void TearDownTestSuite() {
    delete folder_;
    folder_ = nullptr;
  }
  static std::string set() { return (*folder_ / "set").string(); }
  static std::string out(const char* name) { return (*folder_ / name).string(); }
  static inline test::TemporaryFolder* folder_ = nullptr;
};

/// A member by a path with dots, with its half-width where it has one.
std::pair<json, json> at(const json& told, const std::string& key) {
  const auto dot = key.find('.');
  if (dot != std::string::npos) return at(told.at(key.substr(0, dot)), key.substr(dot + 1));
  json half;
  if (told.contains("uncertainty") && told["uncertainty"].contains(key))
    half = told["uncertainty"][key];
  const json value = told.at(key);
  if (value.is_object()) return {value.at("value"), value.at("uncertainty")};
  return {value, half};
}

// Every figure that it states is what the command of that name prints for the same set.
TEST_F(CliReport, StatesTheCommandsOwnFigures) {
  const auto done = run({"report", set(), out("r.html"), "--json"});
  ASSERT_EQ(done.status, 0) << done.err;
  const json j = done.parsed();
  const std::map<std::string, std::vector<std::string>> commands = {
      {"spin", {"spin", set()}},
      {"directivity", {"directivity", set()}},
      {"near-field", {"near-field", set()}},
      {"splice", {"splice", set()}},
      {"box-impedance", {"box-impedance", set(), "--loading", "vented"}},
      {"distortion", {"distortion", set()}}};
  std::map<std::string, json> told;
  std::set<std::string> seen;
  for (const json& f : j["figures"]) {
    const std::string command = f["command"];
    ASSERT_TRUE(commands.contains(command)) << command;
    if (!told.contains(command)) {
      auto words = commands.at(command);
      words.push_back("--json");
      told[command] = run(words).parsed();
    }
    seen.insert(command);
    const std::string name = f["name"];
    const auto [value, half] = at(told[command], name);
    if (!f["valid"].get<bool>()) {
      EXPECT_TRUE(value.is_null()) << command << " " << name;
      continue;
    }
    EXPECT_DOUBLE_EQ(f["value"].get<double>(), value.get<double>()) << command << " " << name;
    if (!f["uncertainty"].is_null() && !half.is_null()) {
      EXPECT_DOUBLE_EQ(f["uncertainty"].get<double>(), half.get<double>()) << name;
    }
  }
  EXPECT_EQ(seen.size(), commands.size()) << "each of them is stated";
}

TEST_F(CliReport, TheSameTakesGiveTheSameBytes) {
  for (const char* name : {"a.pdf", "a.html"}) {
    ASSERT_EQ(run({"report", set(), out(name)}).status, 0);
    const std::string first = test::slurp(out(name));
    ASSERT_EQ(run({"report", set(), out(name)}).status, 0);
    EXPECT_EQ(test::slurp(out(name)), first) << name;
  }
}

// By tools of others.
TEST_F(CliReport, PdfAndPageStandUpToCheckers) {
  ASSERT_EQ(run({"report", set(), out("b.pdf"), "--verdict", "Even <and> quiet."}).status, 0);
  ASSERT_EQ(run({"report", set(), out("b.html"), "--verdict", "Even <and> quiet."}).status, 0);
  EXPECT_EQ(std::system(("qpdf --check " + out("b.pdf") + " > /dev/null").c_str()), 0);
  ASSERT_EQ(std::system(("pdffonts " + out("b.pdf") + " > " + out("fonts.txt")).c_str()), 0);
  std::ifstream fonts(out("fonts.txt"));
  std::string line;
  int count = 0;
  while (std::getline(fonts, line))
    if (line.find("TrueType") != std::string::npos || line.find("Type 1") != std::string::npos) {
      ++count;
      EXPECT_THAT(line, HasSubstr(" yes yes ")) << "embedded, as a subset";
    }
  EXPECT_GT(count, 0);
  EXPECT_EQ(std::system(("tidy -q -e " + out("b.html") + " > /dev/null 2>&1").c_str()), 0);
  const std::string page = test::slurp(out("b.html"));
  EXPECT_THAT(page, HasSubstr("Even &lt;and&gt; quiet."));
  for (const char* outside : {"src=\"http", "href=\"http", "@import", "url(http", "<link"})
    EXPECT_THAT(page, Not(HasSubstr(outside)));
  EXPECT_LT(page.size(), 3U << 20U);
  EXPECT_LT(test::slurp(out("b.pdf")).size(), 3U << 20U);
}

TEST_F(CliReport, TheFolderReadsBackToTheSameFigures) {
  const auto done = run({"report", set(), out("folder"), "--format", "folder", "--json"});
  ASSERT_EQ(done.status, 0) << done.err;
  const json first = done.parsed();
  std::set<std::filesystem::path> written;
  for (const json& file : first["written"]) {
    EXPECT_TRUE(std::filesystem::exists(file.get<std::string>())) << file;
    EXPECT_TRUE(written.insert(file.get<std::string>()).second) << file << " twice";
  }
  for (const auto& entry : std::filesystem::recursive_directory_iterator(*folder_ / "folder"))
    if (entry.is_regular_file()) {
      EXPECT_TRUE(written.contains(entry.path())) << entry.path();
    }
  for (const char* name : {"report.html", "report.pdf", "scorecard.png", "figures/on-axis.svg",
                           "figures/spinorama.png", "figures/dark/impedance.svg", "data/h+030.frd",
                           "data/figures.csv", "data/set.json"})
    EXPECT_TRUE(std::filesystem::exists(*folder_ / "folder" / name)) << name;
  const json again = run({"report", out("folder/data"), out("again.html"), "--json"}).parsed();
  ASSERT_EQ(again["figures"].size(), first["figures"].size());
  for (std::size_t i = 0; i < first["figures"].size(); ++i) {
    EXPECT_EQ(again["figures"][i]["name"], first["figures"][i]["name"]);
    if (!first["figures"][i]["valid"].get<bool>()) continue;
    EXPECT_NEAR(
        again["figures"][i]["value"].get<double>() / first["figures"][i]["value"].get<double>(),
        1.0, 1e-6)
        << first["figures"][i]["name"];
  }
  // A PNG's size stands in its head.
  const std::string card = test::slurp(out("folder/scorecard.png"));
  EXPECT_EQ((static_cast<unsigned char>(card[18]) << 8) + static_cast<unsigned char>(card[19]),
            1200);
  EXPECT_EQ((static_cast<unsigned char>(card[22]) << 8) + static_cast<unsigned char>(card[23]),
            630);
}

// Gated sets of many lengths, without a near field: nothing below the gate's limit is stated, and
// what was not measured is said.
TEST(CliReportValidity, NothingIsStatedBelowTheGate) {
  const test::TemporaryFolder folder;
  for (const double gate_ms : {2.5, 4.0, 6.0, 10.0}) {
    std::string text;
    for (double f = 20.0; f < 20000.0; f *= std::exp2(1.0 / 24.0))
      text += fmt::format(
          "{:.3f} {:.4f} {:.3f}\n", f,
          86.0 - 10.0 * std::log10(1.0 + std::pow(60.0 / f, 8)) + 1.5 * std::sin(5.0 * std::log(f)),
          20.0 * std::sin(std::log(f)));
    test::write(folder / "a.frd", text);
    const json set = {{"format", "lalometer-set"},
                      {"version", 1},
                      {"subject", {{"name", "Weir"}, {"kind", "loudspeaker"}}},
                      {"takes",
                       {{{"id", "a"},
                         {"kind", "response"},
                         {"file", "a.frd"},
                         {"gate_ms", gate_ms},
                         {"drive_v", 2.83},
                         {"distance_m", 1.0}}}}};
    test::write(folder / "set.json", set.dump());
    const auto done =
        run({"report", folder.path().string(), (folder / "r.html").string(), "--json"});
    ASSERT_EQ(done.status, 0) << done.err;
    const json j = done.parsed();
    for (const json& f : j["figures"])
      if (f["unit"] == "Hz" && f["valid"].get<bool>()) {
        EXPECT_GE(f["value"].get<double>(), 1000.0 / gate_ms) << f["name"];
      }
    EXPECT_FALSE(j["notes"].empty()) << "what was not measured";
    const std::string page = test::slurp(folder / "r.html");
    EXPECT_THAT(page, HasSubstr("What was not measured"));
    EXPECT_THAT(page, HasSubstr("The impedance was not measured."));
    // 300 Hz to 3 kHz is within a gate of 4 ms, not of 2.5.
    EXPECT_EQ(page.find("Sensitivity 8") != std::string::npos, gate_ms > 3.0);
  }
}

TEST(CliReportErrors, AreSaid) {
  const test::TemporaryFolder folder;
  EXPECT_EQ(run({"report", (folder / "none").string(), (folder / "r.pdf").string()}).status, 3);
  test::write(folder / "a.frd", "100 80\n1000 81\n");
  const auto compared = run(
      {"report", (folder / "a.frd").string(), (folder / "r.pdf").string(), "--kind", "comparison"});
  EXPECT_EQ(compared.status, 3);
  EXPECT_THAT(compared.err, HasSubstr("no two variants"));
  EXPECT_EQ(run({"report", (folder / "a.frd").string(), "/nowhere/at/all/r.html"}).status, 3);
}

/// A book with two subjects of the same set, a network for the first and a template.
class CliReportOfABook : public CliReport {
 protected:
  CliReportOfABook() {
    for (int i = 0; i < 2; ++i) EXPECT_EQ(run({"import", set(), "--book", book()}).status, 0);
    auto opened = Book::open(book());
    EXPECT_TRUE(opened.has_value());
    const auto subjects = *opened->subjects();
    EXPECT_EQ(subjects.size(), 2U);
    EXPECT_TRUE(opened->rename_subject(subjects[1].id, "Weir two-way").has_value());
    EXPECT_TRUE(opened
                    ->set_document(0, "report-templates",
                                   R"([{"name": "Short", "kind": "review",
                                        "left_out": ["angles", "decay", "case"]}])",
                                   "test")
                    .has_value());
  }
  std::string book() const { return (own_ / "b.lalo").string(); }
  const test::TemporaryFolder own_;
};

TEST_F(CliReportOfABook, ComparesSubjectsAndUsesTemplates) {
  const std::string page = (own_ / "c.html").string();
  const auto compared = run({"report", book(), page, "--subject", "Sluice two-way", "--kind",
                             "comparison", "--with", "Weir two-way"});
  ASSERT_EQ(compared.status, 0) << compared.err;
  EXPECT_THAT(test::slurp(page), HasSubstr("“Weir two-way” against “Sluice two-way”"));
  EXPECT_THAT(test::slurp(page), HasSubstr("nothing differs")) << "the same takes";
  const auto brief =
      run({"report", book(), page, "--subject", "Sluice two-way", "--template", "Short", "--json"});
  ASSERT_EQ(brief.status, 0) << brief.err;
  EXPECT_THAT(test::slurp(page), Not(HasSubstr("id=\"angles\"")));
  EXPECT_THAT(test::slurp(page), HasSubstr("id=\"impedance\""));
  const json j = brief.parsed();
  for (const json& f : j["figures"]) EXPECT_NE(f["name"], "coverage_deg");
  const auto none =
      run({"report", book(), page, "--subject", "Sluice two-way", "--template", "No"});
  EXPECT_EQ(none.status, 3);
  EXPECT_THAT(none.err, HasSubstr("\"Short\""));
}

// What a book's recipe does to a sound (gate, smoothing) goes with its takes.
TEST_F(CliReportOfABook, ItsFolderReadsBackToTheSameFigures) {
  const std::string folder = (own_ / "folder").string();
  const auto first = run({"report", book(), folder, "--subject", "Sluice two-way", "--json"});
  ASSERT_EQ(first.status, 0) << first.err;
  const auto again = run({"report", folder + "/data", (own_ / "again.pdf").string(), "--json"});
  ASSERT_EQ(again.status, 0) << again.err;
  const json a = first.parsed(), b = again.parsed();
  ASSERT_EQ(a["figures"].size(), b["figures"].size());
  for (std::size_t i = 0; i < a["figures"].size(); ++i) {
    const json& f = a["figures"][i];
    EXPECT_EQ(f["name"], b["figures"][i]["name"]);
    EXPECT_EQ(f["valid"], b["figures"][i]["valid"]);
    if (!f["valid"].get<bool>()) continue;
    EXPECT_NEAR(b["figures"][i]["value"].get<double>() / f["value"].get<double>(), 1.0, 1e-5)
        << f["command"] << " " << f["name"];
  }
  EXPECT_NE(test::slurp(folder + "/report.html").find("1/24 octave"), std::string::npos);
}

}  // namespace
}  // namespace lalometer
