#include <QComboBox>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QRadioButton>
#include <QSlider>
#include <QSpinBox>

#include "desk/window_fixture.h"
#include "workbench/practice/practice_cases.h"

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
  QAbstractButton* choice(const std::string& cause) {
    for (auto* button : part<QWidget>("practicePage")->findChildren<QAbstractButton*>())
      if (button->isVisible() && button->property("cause").isValid() &&
          button->property("cause").toString().toStdString() == cause)
        return button;
    return nullptr;
  }
};

TEST_F(Practice, ACaseStandsAloneOnTheScoreAndHidesItsTruth) {
  EXPECT_EQ(choice(one().causes[0]), nullptr) << "nothing to choose before it is taken in";
  open();
  EXPECT_EQ(session().subject(session().chosenSubject())->name, one().title);
  for (const LaidTake& laid : session().laid())
    EXPECT_EQ(laid.take.subject_id, session().chosenSubject());
  EXPECT_GE(session().laid().size(), 3U);
  EXPECT_FALSE(part<QLabel>("caseVerdict")->isVisible());
  EXPECT_NE(choice(one().causes[0]), nullptr);
  EXPECT_FALSE(part<QPushButton>("caseCommit")->isEnabled()) << "a verdict must be chosen first";
}

TEST_F(Practice, AVerdictTellsTheTruthAndIsKept) {
  open();
  const std::string wrong =
      one().offered[0] == one().causes[0] ? one().offered[1] : one().offered[0];
  QTest::mouseClick(choice(wrong), Qt::LeftButton, {}, QPoint(8, 8));
  QTest::mouseClick(part<QPushButton>("caseCommit"), Qt::LeftButton);
  rest();
  auto* verdict = part<QLabel>("caseVerdict");
  EXPECT_TRUE(verdict->isVisible());
  EXPECT_TRUE(verdict->text().contains(QStringLiteral("Not quite")))
      << verdict->text().toStdString();
  EXPECT_FALSE(part<QPushButton>("caseCommit")->isVisible()) << "one verdict per case";
  EXPECT_NE(session().book().note(session().chosenSubject())->find("Verdict"), std::string::npos);
  reopen();
  window_->showDesk(QStringLiteral("practice"));
  EXPECT_TRUE(part<QLabel>("caseVerdict")->isVisible());
  EXPECT_TRUE(part<QListWidget>("caseList")->item(0)->text().contains(QStringLiteral("missed")));
}

TEST_F(Practice, TheCaseStationKeepsItsReasoningUntilThereIsAVerdict) {
  open();
  window_->setStation(RouteStrip::kCase);
  rest();
  EXPECT_TRUE(part<QLabel>("caseState")->text().contains(QStringLiteral("after your")));
  EXPECT_EQ(part<QWidget>("casePage")->findChild<QWidget*>(QStringLiteral("findingCard")), nullptr);
  window_->showDesk(QStringLiteral("practice"));
  QTest::mouseClick(choice(one().causes[0]), Qt::LeftButton, {}, QPoint(8, 8));
  QTest::mouseClick(part<QPushButton>("caseCommit"), Qt::LeftButton);
  rest();
  ASSERT_TRUE(QTest::qWaitFor(
      [&] { return part<QLabel>("caseOwn")->text().contains(QStringLiteral("makes of the same")); },
      20000));
  EXPECT_TRUE(part<QLabel>("caseOwn")->text().contains(QLatin1Char('%')));
  EXPECT_EQ(part<QLabel>("caseRate")->text(), QStringLiteral("You were right in 1 of 1."));
  window_->setStation(RouteStrip::kCase);
  rest();
  EXPECT_NE(part<QWidget>("casePage")->findChild<QWidget*>(QStringLiteral("findingCard")), nullptr);
}

// A case by lot may have two faults or none: all that is chosen counts, and how sure one was.
TEST_F(Practice, ASeriesByLotTakesSeveralCausesAndHowSureOneIs) {
  part<QComboBox>("caseKind")->setCurrentIndex(1);
  auto* list = part<QListWidget>("caseList");
  EXPECT_EQ(list->count(), 30);
  const std::vector<PracticeCase>& drawn = drawn_cases(1);
  const auto two = std::find_if(drawn.begin(), drawn.end(),
                                [](const PracticeCase& one) { return one.causes.size() == 2; });
  ASSERT_NE(two, drawn.end());
  list->setCurrentRow(static_cast<int>(two - drawn.begin()));
  open();
  QTest::mouseClick(choice(""), Qt::LeftButton, {}, QPoint(8, 8));
  EXPECT_TRUE(choice("")->isChecked());
  for (const std::string& cause : two->causes)
    QTest::mouseClick(choice(cause), Qt::LeftButton, {}, QPoint(8, 8));
  EXPECT_FALSE(choice("")->isChecked()) << "nothing is wrong, or something is";
  EXPECT_TRUE(choice(two->causes[0])->isChecked() && choice(two->causes[1])->isChecked());
  part<QSlider>("caseSure")->setFocus();
  for (int i = 0; i < 9; ++i) QTest::keyClick(part<QSlider>("caseSure"), Qt::Key_PageUp);
  EXPECT_TRUE(part<QLabel>("caseSureSaid")->text().contains(QStringLiteral("90 %")));
  QTest::mouseClick(part<QPushButton>("caseCommit"), Qt::LeftButton);
  rest();
  EXPECT_TRUE(part<QLabel>("caseVerdict")->text().contains(QStringLiteral("Right.")));
  EXPECT_EQ(part<QLabel>("caseRate")->text(),
            QStringLiteral("You were right in 1 of 1. 80 to 100 % sure: 1 of 1."));
  QTest::mouseClick(part<QPushButton>("caseAnew"), Qt::LeftButton);
  EXPECT_EQ(part<QSpinBox>("caseSeries")->value(), 2);
  EXPECT_NE(list->item(0)->text().toStdString(), drawn[0].title);
}

TEST_F(Practice, ARightVerdictSolvesIt) {
  open();
  QTest::mouseClick(choice(one().causes[0]), Qt::LeftButton, {}, QPoint(8, 8));
  QTest::mouseClick(part<QPushButton>("caseCommit"), Qt::LeftButton);
  rest();
  EXPECT_TRUE(part<QLabel>("caseVerdict")->text().contains(QStringLiteral("Right.")));
  EXPECT_TRUE(part<QListWidget>("caseList")->item(0)->text().contains(QStringLiteral("solved")));
}

}  // namespace
}  // namespace lalometer

namespace lalometer {
namespace {

// What is drawn is what is measured: a shorter port tunes the box higher, on the practice bench
// too.
TEST_F(Practice, TheBenchPlaysTheSubjectAsDrawn) {
  const Id id = session().chosenSubject();
  Description description = session().subject(id)->description;
  ASSERT_EQ(description.ports.at(0).length_mm, 130.0);
  description.ports[0].length_mm = 40.0;
  describe(id, description);
  part<QComboBox>("benchWalls")->setCurrentIndex(2);
  window_->setStation(RouteStrip::kCapture);
  const auto upper_peak = [&] {
    window_->actionNamed(QStringLiteral("take-impedance"))->trigger();
    rest();
    const LaidTake last = [&] {
      session().setLaid(session().takes().back().id, true);
      rest();
      for (const LaidTake& l : session().laid())
        if (l.take.id == session().takes().back().id) return l;
      return LaidTake{};
    }();
    std::size_t best = 0;
    const Response& z = last.analysis->curve;
    for (std::size_t i = 0; i < z.size(); ++i)
      if (z.axis()[i] > 55.0 && z.axis()[i] < 200.0 &&
          (best == 0 || z.magnitude(i) > z.magnitude(best)))
        best = i;
    return z.axis()[best];
  };
  const double drawn = upper_peak();
  part<QComboBox>("benchWalls")->setCurrentIndex(0);
  EXPECT_GT(drawn, 1.1 * upper_peak());
}

TEST_F(Practice, WhatCannotBePlayedIsSaidAndNothingIsTaken) {
  const Id id = session().chosenSubject();
  Description horn;
  horn.loading = "horn";
  describe(id, horn);
  part<QComboBox>("benchWalls")->setCurrentIndex(2);
  window_->setStation(RouteStrip::kCapture);
  const std::size_t before = session().takes().size();
  window_->actionNamed(QStringLiteral("take-response"))->trigger();
  rest();
  EXPECT_EQ(session().takes().size(), before);
  EXPECT_FALSE(window_->capture().running());
}

}  // namespace
}  // namespace lalometer
