#include <gmock/gmock.h>

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QListWidget>
#include <QPlainTextEdit>
#include <QPushButton>

#include "desk/report/report_desk.h"
#include "desk/window_fixture.h"
#include "paper/page/html_page.h"
#include "workbench/keeping/report_keeping.h"

namespace lalometer {
namespace {

class Reports : public test::WindowTest {
 protected:
  void SetUp() override {
    WindowTest::SetUp();
    window_->showDesk(QStringLiteral("report"));
    rest();
  }
  ReportDesk* desk() { return part<ReportDesk>("reportDesk"); }
  void click(const char* name) {
    QTest::mouseClick(part<QPushButton>(name), Qt::LeftButton);
    rest();
  }
  void clickPaper(const std::string& key) {
    const QRectF place = desk()->paper()->placeOf(key);
    ASSERT_FALSE(place.isEmpty()) << key;
    QTest::mouseClick(desk()->paper(), Qt::LeftButton, {}, place.center().toPoint());
    rest();
  }
  const ReportSentence* sentence(const std::string& key) {
    for (const ReportSection& s : desk()->report().sections)
      for (const ReportBlock& block : s.blocks)
        if (const auto* found = std::get_if<ReportSentence>(&block);
            found != nullptr && found->key == key)
          return found;
    return nullptr;
  }
  bool has(const std::string& id) {
    const auto& all = desk()->report().sections;
    return std::any_of(all.begin(), all.end(), [&](const ReportSection& s) { return s.id == id; });
  }
};

TEST_F(Reports, StandsAsItWillBe) {
  ASSERT_NE(desk()->made(), nullptr) << desk()->trouble().toStdString();
  EXPECT_GE(desk()->paper()->pageCount(), 2);
  EXPECT_GE(part<QListWidget>("reportSections")->count(), 3);
  EXPECT_FALSE(part<QLabel>("reportMissing")->text().isEmpty()) << "what was not measured is said";
  // The window's bytes are those of the command line: both go through these.
  SourceChoice choice;
  choice.subject = session().subject(session().chosenSubject())->name;
  const auto path = session().book().path();
  const auto made =
      made_report({.source = read_source(path, {}, choice), .where = path.string(), .variant = {}});
  ASSERT_TRUE(made.has_value());
  EXPECT_EQ(html_page(report_chosen(made->report, {}), {}), html_page(desk()->report(), {}));
}

TEST_F(Reports, ASectionIsLeftOutMovedAndUndone) {
  ASSERT_TRUE(has("impedance"));
  auto* list = part<QListWidget>("reportSections");
  int row = -1;
  for (int i = 0; i < list->count(); ++i)
    if (list->item(i)->data(Qt::UserRole).toString() == QStringLiteral("impedance")) row = i;
  list->item(row)->setCheckState(Qt::Unchecked);
  rest();
  EXPECT_FALSE(has("impedance"));
  EXPECT_TRUE(desk()->paper()->placeOf("impedance").isEmpty()) << "its figure is off the paper";
  undo();
  rest();
  EXPECT_TRUE(has("impedance"));
  list->setCurrentRow(row);
  const std::string first = desk()->report().sections.front().id;
  for (int i = 0; i < row; ++i) click("reportUp");
  EXPECT_EQ(desk()->report().sections.front().id, "impedance") << first;
}

TEST_F(Reports, OwnWordsStandAndAreKept) {
  clickPaper("impedance.minimum");
  auto* words = part<QPlainTextEdit>("reportWords");
  ASSERT_TRUE(words->toPlainText().startsWith(QStringLiteral("It falls to")));
  words->setPlainText(QStringLiteral("Any amplifier can drive it."));
  click("reportKeepWords");
  ASSERT_NE(sentence("impedance.minimum"), nullptr);
  EXPECT_EQ(sentence("impedance.minimum")->shown(), "Any amplifier can drive it.");
  EXPECT_FALSE(sentence("impedance.minimum")->outdated);
  const ReportWish kept =
      report_wish_from_json(session().document(session().chosenSubject(), "report"));
  ASSERT_EQ(kept.edits.size(), 1U);
  EXPECT_EQ(kept.edits[0].key, "impedance.minimum");
  click("reportAsMade");
  EXPECT_FALSE(sentence("impedance.minimum")->own.has_value());
}

TEST_F(Reports, AClickOnAFigureShowsTheScoreThatMadeIt) {
  clickPaper("impedance");
  EXPECT_TRUE(part<ScoreView>("score")->isVisible());
  const auto& lanes = part<ScoreView>("score")->lanes();
  EXPECT_TRUE(std::any_of(lanes.begin(), lanes.end(),
                          [](const ScoreView::Lane& l) { return l.kind == "impedance"; }));
}

TEST_F(Reports, TheVerdictStandsOnTheFirstPageAndFilesAreWritten) {
  part<QPlainTextEdit>("reportVerdict")->setPlainText(QStringLiteral("Fit for the mill."));
  click("reportSetVerdict");
  EXPECT_EQ(desk()->report().verdict, "Fit for the mill.");
  const test::TemporaryFolder folder;
  desk()->write(ReportForm::kHtml, QString::fromStdString((folder / "r.html").string()));
  rest();
  EXPECT_THAT(test::slurp(folder / "r.html"), ::testing::HasSubstr("Fit for the mill."));
  desk()->write(ReportForm::kPdf, QStringLiteral("/nowhere/r.pdf"));
  rest();
  EXPECT_FALSE(desk()->busy());
}

TEST_F(Reports, AnotherKindIsMadeAnew) {
  auto* kind = part<QComboBox>("reportKind");
  kind->setCurrentIndex(3);
  emit kind->activated(3);
  rest();
  ASSERT_NE(desk()->made(), nullptr) << desk()->trouble().toStdString();
  EXPECT_EQ(desk()->report().kind, ReportKind::kCase);
  EXPECT_EQ(desk()->report().sections.front().id, "case");
}

}  // namespace
}  // namespace lalometer
