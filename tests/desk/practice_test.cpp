#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QRadioButton>

#include "desk/window_fixture.h"
#include "workbench/practice_cases.h"

namespace lalometer {
namespace {

class Practice : public test::WindowTest {
 protected:
  void SetUp() override {
    test::WindowTest::SetUp();
    window_->setStation(RouteStrip::kPlan);
    QTest::mouseClick(part<QPushButton>("toPractice"), Qt::LeftButton);
    part<QListWidget>("caseList")->setCurrentRow(0);
  }
  const PracticeCase& one() { return practice_cases().front(); }
  void open() {
    QTest::mouseClick(part<QPushButton>("caseOpen"), Qt::LeftButton);
    rest();
  }
  QRadioButton* choice(const std::string& cause) {
    for (QRadioButton* button : part<QWidget>("practicePage")->findChildren<QRadioButton*>())
      if (button->isVisible() && button->property("cause").toString().toStdString() == cause)
        return button;
    return nullptr;
  }
};

TEST_F(Practice, ACaseStandsAloneOnTheScoreAndHidesItsTruth) {
  EXPECT_EQ(choice(one().cause), nullptr) << "nothing to choose before it is taken in";
  open();
  EXPECT_EQ(session().subject(session().chosenSubject())->name, one().title);
  for (const LaidTake& laid : session().laid())
    EXPECT_EQ(laid.take.subject_id, session().chosenSubject());
  EXPECT_GE(session().laid().size(), 3U);
  EXPECT_FALSE(part<QLabel>("caseVerdict")->isVisible());
  EXPECT_NE(choice(one().cause), nullptr);
  EXPECT_FALSE(part<QPushButton>("caseCommit")->isEnabled()) << "a verdict must be chosen first";
}

TEST_F(Practice, AVerdictTellsTheTruthAndIsKept) {
  open();
  const std::string wrong = one().offered[0] == one().cause ? one().offered[1] : one().offered[0];
  QTest::mouseClick(choice(wrong), Qt::LeftButton, {}, QPoint(8, 8));
  QTest::mouseClick(part<QPushButton>("caseCommit"), Qt::LeftButton);
  auto* verdict = part<QLabel>("caseVerdict");
  EXPECT_TRUE(verdict->isVisible());
  EXPECT_TRUE(verdict->text().contains(QStringLiteral("Not quite")))
      << verdict->text().toStdString();
  EXPECT_FALSE(part<QPushButton>("caseCommit")->isVisible()) << "one verdict per case";
  EXPECT_NE(session().book().note(session().chosenSubject())->find("Verdict"), std::string::npos);
  reopen();
  window_->showDesk(MainWindow::kPractice);
  EXPECT_TRUE(part<QLabel>("caseVerdict")->isVisible());
  EXPECT_TRUE(part<QListWidget>("caseList")->item(0)->text().contains(QStringLiteral("missed")));
}

TEST_F(Practice, ARightVerdictSolvesIt) {
  open();
  QTest::mouseClick(choice(one().cause), Qt::LeftButton, {}, QPoint(8, 8));
  QTest::mouseClick(part<QPushButton>("caseCommit"), Qt::LeftButton);
  EXPECT_TRUE(part<QLabel>("caseVerdict")->text().contains(QStringLiteral("Right.")));
  EXPECT_TRUE(part<QListWidget>("caseList")->item(0)->text().contains(QStringLiteral("solved")));
}

}  // namespace
}  // namespace lalometer
