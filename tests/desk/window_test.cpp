#include <gtest/gtest.h>

#include <QAbstractItemModelTester>
#include <QAction>
#include <QApplication>
#include <QComboBox>
#include <QDropEvent>
#include <QLabel>
#include <QLineEdit>
#include <QMimeData>
#include <QPushButton>
#include <QSettings>
#include <QTest>
#include <QTimer>
#include <QTreeWidget>

#include "desk/frame/main_window.h"
#include "desk/pages/read_page.h"
#include "desk/score/picture/mark_layout.h"
#include "desk/shelf/shelf_view.h"
#include "desk/window_fixture.h"

namespace lalometer {
namespace {

using Window = test::WindowTest;

TEST_F(Window, OpensTheDemoWithItsCurvesOnTheScore) {
  EXPECT_EQ(session().takes().size(), 4U);
  EXPECT_EQ(session().laid().size(), 4U);
  EXPECT_EQ(score().lanes()[lane("level")].content.curves().size(), 2U);
  EXPECT_EQ(score().lanes()[lane("impedance")].content.curves(Side::kRight).size(), 2U);
  EXPECT_NE(score().lanes()[lane("impulse")].content.find<GateLayer>(), nullptr);
}

TEST_F(Window, TakesOnThePracticeBenchByKeyboardAndFindsItAgainTomorrow) {
  QTest::keyClick(window_.get(), Qt::Key_2, Qt::AltModifier);
  QTest::keyClick(window_.get(), Qt::Key_Return, Qt::ControlModifier);
  EXPECT_TRUE(window_->capture().running());
  rest();
  ASSERT_EQ(session().takes().size(), 5U);
  const Take taken = session().takes().back();
  EXPECT_EQ(taken.kind(), TakeKind::kResponse);
  EXPECT_TRUE(taken.accepted);
  EXPECT_EQ(session().chosenTake(), taken.id);
  EXPECT_EQ(score().lanes()[lane("level")].content.curves().size(), 3U);
  window_.reset();
  reopen();
  ASSERT_NE(session().take(taken.id), nullptr);
  EXPECT_EQ(session().laid().size(), 5U);
}

TEST_F(Window, ARefusedTakeIsNotKeptUntilTheUserSaysSo) {
  part<QComboBox>("benchMishap")->setCurrentIndex(2);  // loopback unplugged
  window_->setStation(RouteStrip::kCapture);
  QTest::mouseClick(part<QPushButton>("takeButton"), Qt::LeftButton);
  rest();
  EXPECT_EQ(session().takes().size(), 4U);
  ASSERT_NE(window_->capture().refused(), nullptr);
  EXPECT_TRUE(part<QPushButton>("keepButton")->isVisible());
  QTest::mouseClick(part<QPushButton>("keepButton"), Qt::LeftButton);
  rest();
  ASSERT_EQ(session().takes().size(), 5U);
  EXPECT_FALSE(session().takes().back().accepted);
}

TEST_F(Window, ARefusedTakeDoesNotFollowIntoAnotherBook) {
  part<QComboBox>("benchMishap")->setCurrentIndex(2);
  window_->actionNamed(QStringLiteral("take-response"))->trigger();
  rest();
  ASSERT_NE(window_->capture().refused(), nullptr);
  ASSERT_TRUE(window_->newBook(QString::fromStdString((folder_ / "other.lalo").string())));
  EXPECT_EQ(window_->capture().refused(), nullptr);
}

TEST_F(Window, ATakeKeepsItsSampleAndGetsANameOfItsOwn) {
  part<QComboBox>("captureSample")->setCurrentText(QStringLiteral("B"));
  window_->actionNamed(QStringLiteral("take-response"))->trigger();
  rest();
  ASSERT_EQ(session().takes().size(), 5U);
  EXPECT_EQ(session().takes().back().name, "On axis 2");
  EXPECT_EQ(session().takes().back().conditions.sample, "B");
}

TEST_F(Window, AnImportedCorrectionIsTakenOutOfLaterResponses) {
  test::write(folder_ / "mic.cal", "20 2\n20000 2\n");
  window_->importFiles({QString::fromStdString((folder_ / "mic.cal").string())});
  rest();
  QTest::mouseClick(part<QPushButton>("importTake"), Qt::LeftButton);
  rest();
  EXPECT_EQ(session().takes().size(), 4U) << "a correction is no take";
  window_->actionNamed(QStringLiteral("take-response"))->trigger();
  rest();
  const auto laid = session().laid();
  const auto level_at = [&](const LaidTake& one) {
    return std::abs(value_at(one.analysis->curve, 1000.0));
  };
  // The practice microphone is flat, so a correction of 2 dB lowers what it shows by 2 dB.
  EXPECT_NEAR(20.0 * std::log10(level_at(laid.back()) / level_at(laid[1])), -2.0, 0.02);
  window_.reset();
  reopen();
  EXPECT_EQ(window_->capture().rig().microphone_correction_name, "mic.cal");
}

TEST_F(Window, ASubjectIsExportedWhileTheWindowGoesOn) {
  window_->exportSubject(QString::fromStdString((folder_ / "set").string()));
  EXPECT_FALSE(window_->atRest());
  rest();
  EXPECT_TRUE(std::filesystem::exists(folder_ / "set" / "set.json"));
  EXPECT_TRUE(part<QLabel>("messageText")->text().contains(QLatin1String("Written")));
}

TEST_F(Window, TheCrossHidesALaneAndTheMarkBelowAddsOne) {
  const std::size_t before = score().lanes().size();
  const QRectF rect = score().laneRect(0);
  QTest::mouseClick(&score(), Qt::LeftButton, {},
                    QPoint(score().width() - 14, static_cast<int>(rect.top()) + 10));
  EXPECT_EQ(score().lanes().size(), before - 1);
  bool asked = false;
  QObject::connect(&score(), &ScoreView::laneMenuAsked, &score(),
                   [&](const QPoint&, int) { asked = true; });
  // The menu is modal: close it from within.
  QTimer::singleShot(100, [] {
    if (QWidget* menu = QApplication::activePopupWidget()) menu->close();
  });
  QTest::mouseClick(&score(), Qt::LeftButton, {}, QPoint(20, score().height() - 16));
  EXPECT_TRUE(asked);
}

TEST_F(Window, StopEndsATakeAtOnceAndKeepsNothing) {
  window_->capture().practiceSetup().pace = 1.0;
  QTest::keyClick(window_.get(), Qt::Key_Return, Qt::ControlModifier);
  EXPECT_TRUE(window_->capture().running());
  QTest::keyClick(window_.get(), Qt::Key_Escape);
  rest();
  EXPECT_EQ(session().takes().size(), 4U);
  EXPECT_EQ(window_->capture().refused(), nullptr);
}

TEST_F(Window, DraggingTheGateMovesWhatIsValidAndIsOneStepOfUndo) {
  const double before = session().recipe(session().chosenSubject()).gate_s;
  const QPoint from = gatePoint();
  QTest::mousePress(&score(), Qt::LeftButton, {}, from);
  for (int dx = 10; dx <= 60; dx += 10) {
    QMouseEvent move(QEvent::MouseMove, from - QPoint(dx, 0),
                     score().mapToGlobal(from - QPoint(dx, 0)), Qt::NoButton, Qt::LeftButton, {});
    QCoreApplication::sendEvent(&score(), &move);
  }
  QTest::mouseRelease(&score(), Qt::LeftButton, {}, from - QPoint(60, 0));
  rest();
  const double after = session().recipe(session().chosenSubject()).gate_s;
  EXPECT_LT(after, before - 0.0003);
  const LaneContent& level = score().lanes()[lane("level")].content;
  EXPECT_NEAR(level.invalid().at(0).high, 1.0 / after, 0.01 / after);
  QTest::keyClick(window_.get(), Qt::Key_Z, Qt::ControlModifier);
  rest();
  EXPECT_EQ(session().recipe(session().chosenSubject()).gate_s, before);
  window_->actionNamed(QStringLiteral("redo"))->trigger();
  rest();
  EXPECT_EQ(session().recipe(session().chosenSubject()).gate_s, after);
}

TEST_F(Window, ImportsADroppedFileAfterItsPreview) {
  test::write(folder_ / "heard.frd", "100 80 0\n1000 82 -10\n10000 79 -40\n");
  QMimeData mime;
  mime.setUrls({QUrl::fromLocalFile(QString::fromStdString((folder_ / "heard.frd").string()))});
  QDragEnterEvent enter(QPoint(300, 300), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
  QCoreApplication::sendEvent(&score(), &enter);
  ASSERT_TRUE(enter.isAccepted());
  QDropEvent drop(QPointF(300, 300), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
  QCoreApplication::sendEvent(&score(), &drop);
  rest();
  EXPECT_EQ(session().takes().size(), 4U) << "a preview takes nothing";
  auto* take = part<QPushButton>("importTake");
  ASSERT_TRUE(take->isVisible());
  ASSERT_TRUE(take->isEnabled()) << part<QLabel>("importTitle")->text().toStdString();
  QTest::mouseClick(take, Qt::LeftButton);
  rest();
  ASSERT_EQ(session().takes().size(), 5U);
  EXPECT_EQ(session().takes().back().name, "heard");
  EXPECT_EQ(score().lanes()[lane("level")].content.curves().size(), 3U);
}

TEST_F(Window, AFileThatCannotBeUsedLeavesTheBookAsItWas) {
  test::write(folder_ / "bad.frd", "100 80\n200 x\n");
  window_->importFiles({QString::fromStdString((folder_ / "bad.frd").string())});
  rest();
  EXPECT_FALSE(part<QPushButton>("importTake")->isEnabled());
  EXPECT_EQ(session().takes().size(), 4U);
}

TEST_F(Window, ArrowsNudgeTheCursorByATwentyFourthOctave) {
  score().setFocus();
  const double before = window_->state().cursorHz();
  QTest::keyClick(&score(), Qt::Key_Right);
  EXPECT_NEAR(window_->state().cursorHz(), before * std::exp2(1.0 / 24.0), 1e-9);
  QTest::keyClick(&score(), Qt::Key_Left, Qt::ShiftModifier);
  EXPECT_NEAR(window_->state().cursorHz(), before * std::exp2(-7.0 / 24.0), 1e-9);
}

TEST_F(Window, TheReadingFollowsTheCursor) {
  const std::size_t index = lane("level");
  const QRectF rect = score().laneRect(index);
  QTest::mouseClick(&score(), Qt::LeftButton, {},
                    QPoint(static_cast<int>(score().geometryOf(index).across.px(500.0)),
                           static_cast<int>(rect.bottom()) - 30));
  EXPECT_NEAR(window_->state().cursorHz(), 500.0, 8.0);
  const QStringList texts = part<CursorList>("cursorList")->texts();
  ASSERT_EQ(texts.size(), 4);
  EXPECT_TRUE(texts[0].contains(QLatin1String("dB"))) << texts[0].toStdString();
  EXPECT_TRUE(texts[2].contains(QChar(0x03A9))) << texts[2].toStdString();
}

TEST_F(Window, WheelZoomsAtThePointerAndDoubleClickFits) {
  const std::size_t index = lane("level");
  const QPoint at(static_cast<int>(score().geometryOf(index).across.px(2000.0)),
                  static_cast<int>(score().laneRect(index).center().y()));
  QWheelEvent wheel(at, score().mapToGlobal(at), {}, QPoint(0, 240), Qt::NoButton, Qt::NoModifier,
                    Qt::NoScrollPhase, false);
  QCoreApplication::sendEvent(&score(), &wheel);
  EXPECT_GT(window_->state().range().low_hz, 30.0);
  EXPECT_NEAR(score().geometryOf(index).across.px(2000.0), at.x(), 1.5);
  QTest::mouseDClick(&score(), Qt::LeftButton, {}, at);
  EXPECT_EQ(window_->state().range(), FrequencyRange{});
}

TEST_F(Window, LanesAreMovedResizedHiddenAndKept) {
  const auto order = [this] {
    std::vector<std::string> kinds;
    for (const auto& l : score().lanes()) kinds.push_back(l.kind);
    return kinds;
  };
  score().chooseLane(lane("level"));
  window_->actionNamed(QStringLiteral("lane-up"))->trigger();
  EXPECT_EQ(order(),
            (std::vector<std::string>{"level", "impulse", "impedance", "loops", "predictions"}));
  // The gap below a lane is its handle.
  const QRectF first = score().laneRect(0);
  const QPoint gap(400, static_cast<int>(first.bottom() + 4));
  QTest::mousePress(&score(), Qt::LeftButton, {}, gap);
  QMouseEvent move(QEvent::MouseMove, gap + QPoint(0, 25), score().mapToGlobal(gap + QPoint(0, 25)),
                   Qt::NoButton, Qt::LeftButton, {});
  QCoreApplication::sendEvent(&score(), &move);
  QTest::mouseRelease(&score(), Qt::LeftButton, {}, gap + QPoint(0, 25));
  EXPECT_NEAR(score().laneRect(0).height(), first.height() + 25, 3);
  window_->actionNamed(QStringLiteral("lane-impedance"))->trigger();
  window_->actionNamed(QStringLiteral("lane-phase"))->trigger();
  EXPECT_EQ(order(),
            (std::vector<std::string>{"level", "impulse", "loops", "predictions", "phase"}));
  window_.reset();
  reopen();
  EXPECT_EQ(order(),
            (std::vector<std::string>{"level", "impulse", "loops", "predictions", "phase"}));
}

TEST_F(Window, TheFinderRunsAnActionByItsName) {
  QTest::keyClick(window_.get(), Qt::Key_Space, Qt::ControlModifier);
  auto* field = part<QLineEdit>("finderField");
  ASSERT_TRUE(field->isVisible());
  QTest::keyClicks(field, QStringLiteral("smoothing 1/3"));
  ASSERT_EQ(part<QTreeWidget>("finderList")->topLevelItemCount(), 1);
  QTest::keyClick(field, Qt::Key_Return);
  ASSERT_TRUE(QTest::qWaitFor(
      [this] { return session().recipe(session().chosenSubject()).smoothing == 3; }, 5000));
}

TEST_F(Window, EveryActionIsInTheFinderOnceAndNoKeyIsGivenTwice) {
  QStringList names;
  QStringList keys;
  for (const QAction* action : window_->actions()) {
    EXPECT_FALSE(names.contains(action->objectName())) << action->objectName().toStdString();
    names.push_back(action->objectName());
    EXPECT_FALSE(action->toolTip().isEmpty());
    if (action->shortcut().isEmpty()) continue;
    EXPECT_FALSE(keys.contains(action->shortcut().toString()))
        << action->shortcut().toString().toStdString();
    keys.push_back(action->shortcut().toString());
  }
  EXPECT_GT(names.size(), 40);
}

TEST_F(Window, AMissingOrForeignBookIsSaidAndTheOpenOneStays) {
  test::write(folder_ / "foreign.lalo",
              "something else altogether, quite long enough for a header");
  EXPECT_FALSE(window_->openBook(QString::fromStdString((folder_ / "foreign.lalo").string())));
  auto* text = part<QLabel>("messageText");
  EXPECT_TRUE(text->isVisible());
  EXPECT_TRUE(text->text().contains(QLatin1String("not a Lalometer book")));
  EXPECT_EQ(session().takes().size(), 4U);
}

TEST_F(Window, ADarkWindowOfOneRunIsNotRememberedButTheActionIs) {
  window_->setDark(true);
  EXPECT_FALSE(QSettings().value(QStringLiteral("dark"), false).toBool());
  window_->setDark(false);
  window_->actionNamed(QStringLiteral("dark"))->trigger();
  EXPECT_TRUE(QSettings().value(QStringLiteral("dark"), false).toBool());
  window_->actionNamed(QStringLiteral("dark"))->trigger();
}

TEST_F(Window, RemovingATakeIsUndone) {
  session().chooseTake(session().takes()[0].id);
  window_->actionNamed(QStringLiteral("remove-take"))->trigger();
  rest();
  EXPECT_EQ(session().takes().size(), 3U);
  window_->actionNamed(QStringLiteral("undo"))->trigger();
  rest();
  EXPECT_EQ(session().takes().size(), 4U);
}

TEST_F(Window, SpaceOnTheShelfTakesACurveOffAndLaysItAgain) {
  auto* tree = part<QTreeView>("shelfTree");
  const Id take = session().chosenTake();
  ASSERT_TRUE(tree->currentIndex().isValid());
  tree->setFocus();
  QTest::keyClick(tree, Qt::Key_Space);
  EXPECT_LT(session().take(take)->colour, 0);
  QTest::keyClick(tree, Qt::Key_Space);
  EXPECT_GE(session().take(take)->colour, 0);
}

TEST_F(Window, ShelfModelKeepsTheRulesOfModels) {
  ShelfModel model(session());
  const QAbstractItemModelTester tester(&model,
                                        QAbstractItemModelTester::FailureReportingMode::Fatal);
  EXPECT_EQ(model.rowCount({}), 1);
  session().reload();
  const QModelIndex take = model.indexOfTake(session().takes()[0].id);
  EXPECT_TRUE(model.setData(take, QStringLiteral("renamed"), Qt::EditRole));
  rest();
  EXPECT_EQ(session().takes()[0].name, "renamed");
}

TEST_F(Window, ANewBookGoesToCaptureAndItsFirstTakeMakesASubject) {
  ASSERT_TRUE(window_->newBook(QString::fromStdString((folder_ / "new.lalo").string())));
  EXPECT_TRUE(session().subjects().empty());
  window_->actionNamed(QStringLiteral("take-impedance"))->trigger();
  rest();
  ASSERT_EQ(session().takes().size(), 1U);
  EXPECT_EQ(session().takes()[0].kind(), TakeKind::kImpedance);
  EXPECT_EQ(session().subjects().size(), 1U);
}

TEST_F(Window, APredictionUnderTheMouseDrawsItsThreadThroughAllLanes) {
  const std::size_t index = lane("predictions");
  const LaneContent& content = score().lanes()[index].content;
  ASSERT_GT(content.marks().size(), 8U);
  const auto placed = placed_marks(content, score().geometryOf(index));
  const QPointF at = placed[0].bar.center() + QPointF(0.0, score().laneRect(index).top());
  QTest::mouseMove(&score(), at.toPoint());
  QMouseEvent move(QEvent::MouseMove, at, score().mapToGlobal(at), Qt::NoButton, Qt::NoButton, {});
  QCoreApplication::sendEvent(&score(), &move);
  ASSERT_TRUE(score().thread().has_value());
  EXPECT_EQ(score().thread()->name, content.marks()[placed[0].index].name);
  const QPointF away(at.x(), score().laneRect(lane("level")).center().y());
  QMouseEvent off(QEvent::MouseMove, away, score().mapToGlobal(away), Qt::NoButton, Qt::NoButton,
                  {});
  QCoreApplication::sendEvent(&score(), &off);
  EXPECT_FALSE(score().thread().has_value());
}

TEST(MarkLayout, NoNameIsWrittenOverABarThatHadNoRoom) {
  LaneContent content;
  for (double f = 40.0; f < 18000.0; f *= 1.2)
    content.layer<MarkLayer>().marks.push_back(
        {.name = "a name",
         .sentence = "",
         .style = 0,
         .low_hz = f,
         .high_hz = content.marks().size() % 2 == 0 ? f * 2.5 : f});
  const auto placed = placed_marks(content, lane_geometry(content, 900, 90, {}, {0.0, 1.0}));
  int without_room = 0;
  for (std::size_t i = 0; i < placed.size(); ++i) {
    without_room += placed[i].name.isEmpty() ? 1 : 0;
    for (std::size_t j = 0; j < i; ++j)
      EXPECT_FALSE(placed[i].name.intersects(placed[j].bar)) << i << " " << j;
  }
  EXPECT_GT(without_room, 0);
}

// A low lane sets its rows tighter before it drops a name, and what it drops is counted.
TEST(MarkLayout, ALowLaneSetsItsRowsTighterBeforeItDropsANameAndCountsWhatItDrops) {
  LaneContent content;
  for (int i = 0; i < 5; ++i) {
    const double f = 1000.0 * (1.0 + 0.01 * i);
    content.layer<MarkLayer>().marks.push_back(
        {.name = "close to its neighbours", .sentence = "", .style = 0, .low_hz = f, .high_hz = f});
  }
  const auto named = [&](double height) {
    const auto placed = placed_marks(content, lane_geometry(content, 900, height, {}, {0.0, 1.0}));
    return placed.size() - unnamed(placed);
  };
  EXPECT_EQ(named(kHeading_px + 90.0), 5U);
  EXPECT_EQ(named(kHeading_px + 75.0), 5U) << "five rows of 13 pixels where five of 16 do not fit";
  EXPECT_EQ(named(kHeading_px + 40.0), 2U);
  // The heading says so: it has more ink than that of a lane that dropped nothing.
  const auto ink = [&](double height) {
    const LaneGeometry g = lane_geometry(content, 900, height, {}, {0.0, 1.0});
    const QImage image =
        lane_picture({content, g, Theme::light(), 1.0, 1.5, PictureQuality::kFine});
    int dark = 0;
    for (int x = 450; x < 900; ++x)
      for (int y = 0; y < static_cast<int>(kHeading_px) - 1; ++y)
        dark += qGray(image.pixel(x, y)) < 160 ? 1 : 0;
    return dark;
  };
  EXPECT_EQ(ink(kHeading_px + 90.0), 0);
  EXPECT_GT(ink(kHeading_px + 40.0), 50);
}

TEST(MarkLayout, NamesNeverOverlapAndStayInsideThePlot) {
  LaneContent content;
  for (double f = 40.0; f < 18000.0; f *= 1.35)
    content.layer<MarkLayer>().marks.push_back({.name = "some name of a mark",
                                                .sentence = "",
                                                .style = 0,
                                                .low_hz = f,
                                                .high_hz = f * 1.1});
  const LaneGeometry g = lane_geometry(content, 900, 140, {}, {0.0, 1.0});
  const auto placed = placed_marks(content, g);
  EXPECT_EQ(placed.size(), content.marks().size());
  for (std::size_t i = 0; i < placed.size(); ++i) {
    if (placed[i].name.isEmpty()) continue;
    EXPECT_GE(placed[i].name.left(), g.across.left_px - 1.0);
    EXPECT_LE(placed[i].name.right(), g.across.right_px + 1.0);
    for (std::size_t j = i + 1; j < placed.size(); ++j) {
      EXPECT_FALSE(placed[i].name.intersects(placed[j].name)) << i << " " << j;
    }
  }
}

}  // namespace
}  // namespace lalometer
