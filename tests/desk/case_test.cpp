#include <gmock/gmock.h>

#include <QApplication>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QPushButton>

#include "desk/case/finding_card.h"
#include "desk/session/case_watch.h"
#include "desk/window_fixture.h"

namespace lalometer {
namespace {

class CaseStation : public test::WindowTest {
 protected:
  void SetUp() override {
    WindowTest::SetUp();
    visit();
  }
  void visit() {
    window_->setStation(RouteStrip::kCase);
    rest();
    QCoreApplication::processEvents();  // new cards are shown a turn later
  }
  std::vector<FindingCard*> cards() {
    std::vector<FindingCard*> all;
    for (FindingCard* card : part<QWidget>("casePage")->findChildren<FindingCard*>())
      if (card->isVisible()) all.push_back(card);
    return all;
  }
  void press(FindingCard* card, const char* name) {
    auto* button = card->findChild<QPushButton*>(QLatin1String(name));
    ASSERT_NE(button, nullptr) << name;
    QTest::mouseClick(button, Qt::LeftButton);
    // What stood there is deleted late.
    QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
    rest();
    QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
  }
  std::vector<Id> laidIds() {
    std::vector<Id> ids;
    for (const LaidTake& one : session().laid()) ids.push_back(one.take.id);
    return ids;
  }
};

TEST_F(CaseStation, TheDemoLoudspeakersWaveStandsFirstWithItsReasons) {
  const Diagnosis* d = session().caseWatch().diagnosis();
  ASSERT_NE(d, nullptr);
  ASSERT_FALSE(cards().empty());
  const Finding& first = cards().front()->finding();
  EXPECT_EQ(first.causes.front().cause, "cabinet-standing-wave");
  EXPECT_GT(first.causes.front().probability, 0.5);
  // What is written on the card are the figures of the finding.
  QString written;
  for (QLabel* label : cards().front()->findChildren<QLabel*>())
    if (label->isVisible()) written += label->text() + QLatin1Char('\n');
  EXPECT_TRUE(
      written.contains(QString::fromStdString(spoken_chance(first.causes.front().probability))))
      << written.toStdString();
  for (const std::string& reason : first.causes.front().evidence)
    EXPECT_TRUE(written.contains(QString::fromStdString(reason))) << reason;
}

TEST_F(CaseStation, PointingAtAFindingHoldsItsPlaceOnTheScore) {
  FindingCard* card = cards().front();
  const QImage before = score().grab().toImage();
  QEnterEvent enter(QPointF(5, 5), QPointF(5, 5), QPointF(5, 5));
  QApplication::sendEvent(card, &enter);
  EXPECT_DOUBLE_EQ(window_->state().held().low_hz, card->finding().low_hz);
  EXPECT_DOUBLE_EQ(window_->state().cursorHz(), card->finding().frequency_hz);
  rest();
  EXPECT_NE(score().grab().toImage(), before);
  QEvent leave(QEvent::Leave);
  QApplication::sendEvent(card, &leave);
  EXPECT_EQ(window_->state().held().low_hz, 0.0);
}

TEST_F(CaseStation, AVerdictIsKeptWithItsReasonAndStaysWhenATakeIsTaken) {
  const FindingPlace place = place_of(cards().front()->finding());
  const std::size_t shown = cards().size();
  press(cards().front(), "findingDismiss");
  EXPECT_EQ(cards().size(), shown - 1) << "put aside, folded away";
  auto* aside = part<QPushButton>("caseDismissed");
  ASSERT_TRUE(aside->isVisible());
  QTest::mouseClick(aside, Qt::LeftButton);
  const std::vector<FindingCard*> all = cards();
  const auto there = std::find_if(all.begin(), all.end(), [&](FindingCard* each) {
    return place_of(each->finding()).same(place);
  });
  ASSERT_NE(there, all.end());
  FindingCard* card = *there;
  auto* why = card->findChild<QLineEdit*>(QStringLiteral("findingReason"));
  QTest::keyClicks(why, QStringLiteral("the owner likes it"));
  QTest::keyClick(why, Qt::Key_Return);
  rest();
  // The book holds it, and another day's window reads it.
  reopen();
  visit();
  const KeptVerdict* kept = session().caseWatch().file().verdict_on(place);
  ASSERT_NE(kept, nullptr);
  EXPECT_EQ(kept->verdict, CaseVerdict::kDismissed);
  EXPECT_EQ(kept->reason, "the owner likes it");
  EXPECT_EQ(kept->date.size(), std::string("2026-01-01T00:00:00Z").size());
  // A take goes: the case is read anew, and the verdict is where it was.
  Id gone = 0;
  for (const Take& t : session().takes())
    if (t.kind() == TakeKind::kResponse && t.subject_id == session().chosenSubject()) gone = t.id;
  ASSERT_NE(gone, 0);
  edit([gone](Book& book) { return book.remove_take(gone); });
  ASSERT_NE(session().caseWatch().file().verdict_on(place), nullptr);
  EXPECT_TRUE(part<QPushButton>("caseDismissed")->isVisible());
}

// Two dips of one cause are one finding to the tester; it stays so, and nothing is lost by it.
TEST_F(CaseStation, FindingsAreMergedAndTakenApartByHand) {
  QTest::mouseClick(part<QPushButton>("caseTraits"), Qt::LeftButton);
  const std::size_t shown = cards().size();
  ASSERT_GE(shown, 2U);
  const auto choose = [&](FindingCard* card, const QString& words) {
    auto* menu = card->findChild<QMenu*>(QStringLiteral("findingMenu"));
    ASSERT_NE(menu, nullptr);
    for (QAction* action : menu->actions())
      if (action->text().startsWith(words)) {
        menu->popup(card->mapToGlobal(QPoint(0, 0)));
        QTest::mouseClick(menu, Qt::LeftButton, {}, menu->actionGeometry(action).center());
        rest();
        QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
        return;
      }
    FAIL() << words.toStdString();
  };
  choose(cards().front(), QStringLiteral("Merge with"));
  EXPECT_EQ(cards().size(), shown - 1);
  reopen();
  visit();
  EXPECT_EQ(session().caseWatch().file().merges.size(), 1U);
  FindingCard* merged = nullptr;
  for (FindingCard* card : cards())
    for (QLabel* label : card->findChildren<QLabel*>())
      if (label->text().endsWith(QStringLiteral("merged by you."))) merged = card;
  ASSERT_NE(merged, nullptr);
  choose(merged, QStringLiteral("Show as found"));
  EXPECT_TRUE(session().caseWatch().file().merges.empty());
  undo();
  visit();
  EXPECT_EQ(session().caseWatch().file().merges.size(), 1U);
}

TEST_F(CaseStation, UndoTakesAVerdictBack) {
  const FindingPlace place = place_of(cards().front()->finding());
  press(cards().front(), "findingAgree");
  ASSERT_NE(session().caseWatch().file().verdict_on(place), nullptr);
  undo();
  visit();
  EXPECT_EQ(session().caseWatch().file().verdict_on(place), nullptr);
}

TEST_F(CaseStation, ItsTakesAreLaidAndNothingElse) {
  FindingCard* card = cards().front();
  std::vector<Id> wanted(card->finding().shown_by.begin(), card->finding().shown_by.end());
  ASSERT_FALSE(wanted.empty());
  press(card, "findingTakes");
  EXPECT_THAT(laidIds(), ::testing::UnorderedElementsAreArray(wanted));
}

TEST_F(CaseStation, ASentenceLaysTheTakesItIsToldBy) {
  FindingCard* card = cards().front();
  press(card, "findingWhy");
  card = cards().front();
  const FindingCause& cause = card->finding().causes.front();
  ASSERT_FALSE(cause.told_by.empty());
  auto* sentence = card->findChild<QLabel*>(QStringLiteral("findingSentence"));
  ASSERT_NE(sentence, nullptr);
  const auto told = std::find_if(cause.told_by.begin(), cause.told_by.end(), [&](const auto& one) {
    return sentence->text().contains(QString::fromStdString(one.first).toHtmlEscaped());
  });
  ASSERT_NE(told, cause.told_by.end());
  const std::vector<Id> wanted(told->second.begin(), told->second.end());
  // As somebody without a mouse does it: to the link, and return.
  sentence->setFocus(Qt::TabFocusReason);
  QTest::keyClick(sentence, Qt::Key_Tab);
  QTest::keyClick(sentence, Qt::Key_Return);
  rest();
  EXPECT_THAT(laidIds(), ::testing::UnorderedElementsAreArray(wanted));
}

TEST_F(CaseStation, WhatItAsksForGoesIntoThePlanOnce) {
  QTest::mouseClick(part<QPushButton>("caseTraits"), Qt::LeftButton);
  for (int twice = 0; twice < 2; ++twice) {
    for (FindingCard* card : cards()) {
      if (card->findChild<QPushButton*>(QStringLiteral("findingPlan")) == nullptr) continue;
      press(card, "findingPlan");
      break;
    }
    ASSERT_TRUE(window_->queue().plan().has_value());
    EXPECT_EQ(window_->queue().plan()->takes.size(), window_->queue().status().size());
  }
  const std::size_t planned = window_->queue().plan()->takes.size();
  EXPECT_GE(planned, 1U);
  EXPECT_LE(planned, 4U) << "asked for twice, taken once";
  // The button says so where it was pressed; nothing else on the page would be seen there.
  const std::vector<FindingCard*> all = cards();
  EXPECT_TRUE(std::any_of(all.begin(), all.end(), [](FindingCard* card) {
    auto* button = card->findChild<QPushButton*>(QStringLiteral("findingPlan"));
    return button != nullptr && !button->isEnabled() &&
           button->text() == QLatin1String("In the plan");
  }));
}

TEST_F(CaseStation, TheKeyboardStaysWithTheCardThatIsFilledAnew) {
  auto* agree = cards().front()->findChild<QPushButton*>(QStringLiteral("findingAgree"));
  ASSERT_NE(agree, nullptr);
  agree->setFocus();
  QTest::keyClick(agree, Qt::Key_Space);
  QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
  rest();
  QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
  ASSERT_FALSE(cards().empty());
  QWidget* now = QApplication::focusWidget();
  ASSERT_NE(now, nullptr);
  EXPECT_TRUE(cards().front()->isAncestorOf(now)) << now->objectName().toStdString();
  EXPECT_EQ(now->objectName(), QLatin1String("findingAgree"));
}

}  // namespace
}  // namespace lalometer
