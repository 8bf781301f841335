#include <gmock/gmock.h>

#include <QAbstractItemView>
#include <QAction>
#include <QApplication>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QDropEvent>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QMimeData>
#include <QPlainTextEdit>
#include <QProgressBar>
#include <QPushButton>
#include <QScrollArea>
#include <QStackedWidget>
#include <QTreeWidget>

#include "base/log.h"
#include "desk/frame/job_strip.h"
#include "desk/pages/plan_page.h"
#include "desk/parts/curve_preview.h"
#include "desk/shelf/shelf_view.h"
#include "desk/window_fixture.h"
#include "exchange/audio_file.h"
#include "support/two_clocks.h"
#include "workbench/sharing/exporting.h"
#include "workbench/sharing/importing.h"

namespace lalometer {
namespace {

using Pages = test::WindowTest;

/// Relative luminance, WCAG 2.1.
double luminance(const QColor& c) {
  const auto linear = [](double channel) {
    return channel <= 0.04045 ? channel / 12.92 : std::pow((channel + 0.055) / 1.055, 2.4);
  };
  return 0.2126 * linear(c.redF()) + 0.7152 * linear(c.greenF()) + 0.0722 * linear(c.blueF());
}

/// Ground of a piece of a picture (its commonest colour) against what stands out of it most.
double contrast_within(const QImage& image, const QRect& area) {
  std::map<QRgb, int> counts;
  for (int y = area.top(); y <= area.bottom(); ++y)
    for (int x = area.left(); x <= area.right(); ++x) ++counts[image.pixel(x, y)];
  const auto ground = std::max_element(counts.begin(), counts.end(),
                                       [](auto& a, auto& b) { return a.second < b.second; });
  double most = 1.0;
  for (const auto& [colour, count] : counts) {
    const double a = luminance(QColor(colour));
    const double b = luminance(QColor(ground->first));
    most = std::max(most, (std::max(a, b) + 0.05) / (std::min(a, b) + 0.05));
  }
  return most;
}

// Dark on teal was unreadable: looked at as it is painted, in both themes.
TEST_F(Pages, TheChosenRowOfADropDownIsReadable) {
  for (const bool dark : {false, true}) {
    window_->setDark(dark);
    auto* box = window_->findChild<QComboBox*>(QStringLiteral("smoothing"));
    ASSERT_NE(box, nullptr);
    box->showPopup();
    rest();
    for (int row = 0; row < 3; ++row) {
      box->view()->setCurrentIndex(box->model()->index(row, 0));
      box->view()->scrollTo(box->model()->index(row, 0));
      const QImage image = box->view()->viewport()->grab().toImage();
      const QRect area = box->view()
                             ->visualRect(box->model()->index(row, 0))
                             .adjusted(2, 2, -2, -2)
                             .intersected(image.rect());
      ASSERT_GT(area.height(), 10);
      EXPECT_GT(contrast_within(image, area), 4.5) << (dark ? "dark" : "light") << " row " << row;
    }
    box->hidePopup();
  }
  window_->setDark(false);
}

TEST_F(Pages, TheLogCanBeHandedOn) {
  const auto log = folder_ / "own.log";
  ASSERT_TRUE(start_log(log).has_value());
  window_->showMessage(QStringLiteral("a message for the log"));
  const auto copy = folder_ / "copy.log";
  window_->saveLog(QString::fromStdString(copy.string()));
  EXPECT_THAT(test::slurp(copy), ::testing::HasSubstr("a message for the log"));
  window_->saveLog(QString::fromStdString(copy.string()));
  EXPECT_THAT(test::slurp(copy), ::testing::HasSubstr("The log is in")) << "written anew";
  window_->saveLog(QStringLiteral("/proc/none/copy.log"));
  EXPECT_TRUE(part<QLabel>("messageText")->text().contains(QStringLiteral("/proc/none/copy.log")));
}

TEST_F(Pages, PlanNamesWhatAVariantLacksAndTakesIt) {
  const Id subject = session().subjects()[0].id;
  edit([subject](Book& book) {
    return book.add_variant({0, subject, "Port moved", "to the back"}).map([](Id) {});
  });
  window_->setStation(RouteStrip::kPlan);
  rest();
  QPushButton* missing = nullptr;
  for (QPushButton* button : part<QWidget>("planPage")->findChildren<QPushButton*>()) {
    if (button->isVisible() && button->text().contains(QLatin1String("Impedance is missing")))
      missing = button;
  }
  ASSERT_NE(missing, nullptr);
  QTest::mouseClick(missing, Qt::LeftButton);
  EXPECT_TRUE(window_->capture().running());
  rest();
  EXPECT_EQ(session().takes().back().kind(), TakeKind::kImpedance);
}

TEST_F(Pages, SmoothingIsChosenForAllTakesOfTheSubjectAndUndone) {
  auto* box = part<QComboBox>("smoothing");
  const int before = session().recipe(session().chosenSubject()).smoothing;
  box->setCurrentIndex(box->findData(6));
  emit box->activated(box->currentIndex());
  rest();
  EXPECT_EQ(session().recipe(session().chosenSubject()).smoothing, 6);
  QTest::keyClick(window_.get(), Qt::Key_Z, Qt::ControlModifier);
  rest();
  EXPECT_EQ(session().recipe(session().chosenSubject()).smoothing, before);
  EXPECT_EQ(box->currentData().toInt(), before);
}

TEST_F(Pages, ANoteIsKeptWhenTheWritingPausesAndIsThereTomorrow) {
  const Id take = session().chosenTake();
  QTest::keyClicks(part<QPlainTextEdit>("takeNote"), QStringLiteral("rattles near the port"));
  ASSERT_TRUE(
      QTest::qWaitFor([&] { return session().take(take)->note == "rattles near the port"; }, 5000));
  window_.reset();
  reopen();
  EXPECT_EQ(session().take(take)->note, "rattles near the port");
}

TEST_F(Pages, ANoteBegunIsKeptWhenAnotherTakeIsChosen) {
  const Id take = session().chosenTake();
  QTest::keyClicks(part<QPlainTextEdit>("takeNote"), QStringLiteral("half a thought"));
  session().chooseTake(session().takes()[0].id == take ? session().takes()[1].id
                                                       : session().takes()[0].id);
  rest();
  EXPECT_EQ(session().take(take)->note, "half a thought");
}

TEST_F(Pages, TheSubjectsNoteIsKeptOnTheCasePage) {
  window_->setStation(RouteStrip::kCase);
  auto* note = part<QPlainTextEdit>("subjectNote");
  EXPECT_TRUE(note->toPlainText().contains(QLatin1String("mill race")));
  note->setPlainText(QStringLiteral("settled"));
  ASSERT_TRUE(QTest::qWaitFor(
      [&] { return *session().book().note(session().chosenSubject()) == "settled"; }, 5000));
}

// A result comes in while a sentence is being written.
TEST_F(Pages, ASubjectsNoteThatIsNotKeptYetIsNeverWrittenOver) {
  window_->setStation(RouteStrip::kCase);
  const Id subject = session().chosenSubject();
  auto* note = part<QPlainTextEdit>("subjectNote");
  note->setPlainText(QStringLiteral("half a sen"));
  emit session().rowsChanged();
  emit session().laidChanged();
  EXPECT_EQ(note->toPlainText(), QStringLiteral("half a sen"));
  window_->setStation(RouteStrip::kRead);
  ASSERT_TRUE(QTest::qWaitFor(
      [&] { return session().book().note(subject).value_or("") == "half a sen"; }, 20000))
      << "leaving the page keeps it at once";
}

TEST_F(Pages, FilterLeavesOnlyWhatHoldsItsLetters) {
  auto* tree = part<QTreeView>("shelfTree");
  const auto visible_takes = [&] {
    int count = 0;
    const QAbstractItemModel& model = *tree->model();
    for (int v = 0; v < model.rowCount(model.index(0, 0)); ++v) {
      const QModelIndex variant = model.index(v, 0, model.index(0, 0));
      for (int t = 0; t < model.rowCount(variant); ++t)
        count += tree->isRowHidden(t, variant) || tree->isRowHidden(v, model.index(0, 0)) ? 0 : 1;
    }
    return count;
  };
  EXPECT_EQ(visible_takes(), 4);
  window_->actionNamed(QStringLiteral("filter"))->trigger();
  auto* field = qobject_cast<QLineEdit*>(QApplication::focusWidget());
  ASSERT_NE(field, nullptr);
  const Id chosen = session().chosenTake();
  QTest::keyClicks(field, QStringLiteral("impe"));
  EXPECT_EQ(visible_takes(), 2);
  EXPECT_EQ(session().chosenTake(), chosen) << "a filter chooses nothing";
  field->clear();
  EXPECT_EQ(visible_takes(), 4);
}

TEST_F(Pages, ATakeDraggedFromTheShelfLandsOnTheScore) {
  const Id take = session().takes()[0].id;
  session().setLaid(take, false);
  QMimeData mime;
  mime.setData(QLatin1String(kTakeMime), QByteArray::number(static_cast<qlonglong>(take)));
  QDragEnterEvent enter(QPoint(300, 300), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
  QCoreApplication::sendEvent(&score(), &enter);
  QDropEvent drop(QPointF(300, 300), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
  QCoreApplication::sendEvent(&score(), &drop);
  rest();
  EXPECT_GE(session().take(take)->colour, 0);
}

TEST_F(Pages, KeysZoomPanAndFitTheScore) {
  window_->state().setCursorHz(1000.0);
  QTest::keyClick(window_.get(), Qt::Key_Plus);
  const FrequencyRange zoomed_in = window_->state().range();
  EXPECT_GT(zoomed_in.low_hz, 20.0);
  QTest::keyClick(window_.get(), Qt::Key_Right, Qt::ControlModifier);
  EXPECT_NEAR(window_->state().range().low_hz / zoomed_in.low_hz, std::exp2(1.0 / 3.0), 1e-9);
  QTest::keyClick(window_.get(), Qt::Key_Home);
  EXPECT_EQ(window_->state().range(), FrequencyRange{});
}

TEST_F(Pages, KeysMakeTheGateLongerAndShorter) {
  const Id subject = session().chosenSubject();
  const double before = session().recipe(subject).gate_s;
  QTest::keyClick(window_.get(), Qt::Key_Period);
  EXPECT_NEAR(session().recipe(subject).gate_s / before, 1.05, 0.003);
  QTest::keyClick(window_.get(), Qt::Key_Comma);
  EXPECT_NEAR(session().recipe(subject).gate_s / before, 1.0, 0.003);
}

TEST_F(Pages, WhatAnotherWindowWritesIsSeenHere) {
  auto other = Book::open(folder_ / "demo.lalo");
  ASSERT_TRUE(other->rename_subject(session().subjects()[0].id, "Renamed elsewhere").has_value());
  ASSERT_TRUE(QTest::qWaitFor(
      [this] { return session().subjects()[0].name == "Renamed elsewhere"; }, 10000));
}

TEST_F(Pages, ASetIsPreviewedWithAPictureAndTakenAsANewSubject) {
  ASSERT_TRUE(
      export_subject(session().book(), session().subjects()[0].id, folder_ / "set").has_value());
  window_->importFiles({QString::fromStdString((folder_ / "set").string())});
  rest();
  EXPECT_EQ(part<QTreeWidget>("importList")->topLevelItemCount(), 4);
  auto* preview = part<CurvePreview>("curvePreview");
  ASSERT_TRUE(preview->isVisible());
  ASSERT_TRUE(preview->content().has_value());
  EXPECT_EQ(preview->content()->curves().size(), 1U);
  QTest::mouseClick(part<QPushButton>("importTake"), Qt::LeftButton);
  rest();
  EXPECT_EQ(session().subjects().size(), 2U);
  EXPECT_EQ(session().takes().size(), 8U);
  EXPECT_EQ(session().book().variants(session().subjects()[1].id)->size(), 2U);
}

TEST_F(Pages, ARecordingWithSeveralSweepsBecomesATakeOfEach) {
  const auto one = test::sweep_of(20.0, 20000.0, 1.0);
  auto x =
      test::recorded([&](double t) { return 0.3 * (one(t - 0.5) + one(t - 2.1) + one(t - 3.7)); },
                     5.4, {{true, 60.0}, {false, 18000.0}}, {.drift_ppm = 90.0});
  ASSERT_TRUE(write_file(folder_ / "walk.wav",
                         *audio_bytes({48000.0, {std::move(x)}, ""}, AudioFormat::kWavFloat32))
                  .has_value());
  window_->importFiles({QString::fromStdString((folder_ / "walk.wav").string())});
  rest();
  auto* sound = part<QComboBox>("importSound");
  sound->setCurrentIndex(1);
  emit sound->activated(1);
  const auto say = [&](int field, double value) {
    auto* box =
        part<QDoubleSpinBox>(QStringLiteral("importSweep%1").arg(field).toUtf8().constData());
    box->setValue(value);
    emit box->editingFinished();
  };
  for (const auto& [field, value] : {std::pair{0, 20.0}, {1, 20000.0}, {2, 1.0}, {3, 0.5}})
    say(field, value);
  rest();
  EXPECT_EQ(part<QTreeWidget>("importList")->topLevelItemCount(), 3);
  say(5, 1.6);
  say(4, 3);
  rest();
  QTest::mouseClick(part<QPushButton>("importTake"), Qt::LeftButton);
  rest();
  EXPECT_EQ(session().takes().back().conditions.stimulus.repeats, 3) << "their mean, one take";
}

TEST_F(Pages, AnUntickedFileIsLeftOut) {
  test::write(folder_ / "one.frd", "100 80\n200 81\n");
  test::write(folder_ / "two.frd", "100 82\n200 83\n");
  window_->importFiles({QString::fromStdString((folder_ / "one.frd").string()),
                        QString::fromStdString((folder_ / "two.frd").string())});
  rest();
  part<QTreeWidget>("importList")->topLevelItem(0)->setCheckState(0, Qt::Unchecked);
  QTest::mouseClick(part<QPushButton>("importTake"), Qt::LeftButton);
  rest();
  ASSERT_EQ(session().takes().size(), 5U);
  EXPECT_EQ(session().takes().back().name, "two");
}

TEST_F(Pages, LeavingTheSheetStopsItsReadingAndTakesNothing) {
  ASSERT_TRUE(
      export_subject(session().book(), session().subjects()[0].id, folder_ / "set").has_value());
  window_->importFiles({QString::fromStdString((folder_ / "set").string())});
  QTest::mouseClick(part<QPushButton>("importLeave"), Qt::LeftButton);
  rest();
  EXPECT_FALSE(part<QWidget>("importSheet")->isVisible());
  EXPECT_EQ(session().takes().size(), 4U);
}

TEST_F(Pages, TheJigsResistorIsKeptWithTheBookAndWithEachTake) {
  auto* resistor = part<QDoubleSpinBox>("rigResistor");
  resistor->setValue(27.15);
  emit resistor->editingFinished();
  window_->actionNamed(QStringLiteral("take-impedance"))->trigger();
  rest();
  const Take taken = session().takes().back();
  EXPECT_EQ(session().book().rig(taken.rig_id)->reference_ohm, 27.15);
  EXPECT_EQ(session().book().rig(session().takes()[0].rig_id)->reference_ohm, 27.0)
      << "old takes keep theirs";
  window_.reset();
  reopen();
  EXPECT_EQ(part<QDoubleSpinBox>("rigResistor")->value(), 27.15);
}

TEST_F(Pages, ATweeterIsNeverSweptFromBelowItsLimit) {
  auto* driver = part<QComboBox>("captureDriver");
  driver->setCurrentIndex(driver->findText(QStringLiteral("Tweeter")));
  EXPECT_GE(part<QDoubleSpinBox>("captureStart")->value(), 500.0);
  EXPECT_TRUE(part<QLabel>("captureCaution")->text().contains(QLatin1String("burn")));
  part<QDoubleSpinBox>("captureStart")->setValue(20.0);
  part<QComboBox>("captureKind")->setCurrentIndex(0);
  part<QDoubleSpinBox>("captureStart")->setValue(20.0);
  window_->actionNamed(QStringLiteral("take"))->trigger();
  rest();
  EXPECT_GE(session().takes().back().conditions.stimulus.start_hz, 500.0);
}

TEST_F(Pages, ProgressAndStopShowWhileATakeRuns) {
  window_->capture().practiceSetup().pace = 1.0;
  window_->setStation(RouteStrip::kCapture);
  QTest::mouseClick(part<QPushButton>("takeButton"), Qt::LeftButton);
  EXPECT_TRUE(part<QProgressBar>("takeProgress")->isVisible());
  ASSERT_TRUE(
      QTest::qWaitFor([this] { return part<QProgressBar>("takeProgress")->value() > 20; }, 10000));
  EXPECT_TRUE(part<QLabel>("takeStage")->text().contains(QLatin1String("left")));
  QTest::mouseClick(part<QPushButton>("stopButton"), Qt::LeftButton);
  rest();
  EXPECT_FALSE(part<QProgressBar>("takeProgress")->isVisible());
  EXPECT_EQ(session().takes().size(), 4U);
}

TEST_F(Pages, ABookIsDuplicatedWholeWhileTheWindowGoesOn) {
  window_->duplicateTo(QString::fromStdString((folder_ / "copy.lalo").string()));
  rest();
  const auto copy = Book::open(folder_ / "copy.lalo");
  ASSERT_TRUE(copy.has_value());
  EXPECT_EQ(copy->takes()->size(), 4U);
  EXPECT_TRUE(copy->check_integrity().has_value());
}

// Whatever its fields would like to have: what lies beyond the page or under its scroll bar cannot
// be read.
TEST_F(Pages, NothingOfAPageLiesBeyondItsEdge) {
  window_->resize(1280, 700);
  for (const char* desk : {"plan", "capture", "read", "case", "report", "drawing", "boxes",
                           "practice", "takes", "rig", "monitor", "impedances"}) {
    window_->showDesk(QLatin1String(desk));
    rest();
    for (auto* area : window_->findChildren<QScrollArea*>()) {
      if (!area->isVisible() || area->widget() == nullptr) continue;
      const int edge = area->viewport()->width();
      for (const auto* each : area->widget()->findChildren<QWidget*>()) {
        if (!each->isVisible() || each->parentWidget() != area->widget()) continue;
        EXPECT_LE(each->geometry().right(), edge) << desk << ": " << each->metaObject()->className()
                                                  << ' ' << each->objectName().toStdString();
      }
      for (const auto* label : area->widget()->findChildren<QLabel*>()) {
        if (!label->isVisible() || label->wordWrap() || label->text().contains(QLatin1Char('<')))
          continue;
        EXPECT_LE(label->fontMetrics().horizontalAdvance(label->text()), label->width() + 1)
            << desk << ": " << label->text().toStdString();
      }
      for (const auto* button : area->widget()->findChildren<QPushButton*>()) {
        if (!button->isVisible()) continue;
        EXPECT_LE(button->fontMetrics().horizontalAdvance(button->text()), button->width() - 8)
            << desk << ": " << button->text().toStdString();
      }
    }
  }
}

TEST_F(Pages, StationsOfTheRouteAreClickedAndTheirPageComes) {
  auto* route = window_->findChild<RouteStrip*>();
  auto* pages = part<QStackedWidget>("page");
  for (int station = 0; station < 5; ++station) {
    window_->setStation(RouteStrip::kRead);
    QTest::mouseClick(
        route, Qt::LeftButton, {},
        route->stationRect(static_cast<RouteStrip::Station>(station)).center().toPoint());
    EXPECT_EQ(pages->currentIndex(), station);
  }
}

TEST_F(Pages, ABookThatWasOpenIsRecentAndOpensAgain) {
  const QString first = QString::fromStdString((folder_ / "demo.lalo").string());
  ASSERT_TRUE(window_->newBook(QString::fromStdString((folder_ / "second.lalo").string())));
  EXPECT_TRUE(session().subjects().empty());
  auto* menu = part<QMenu>("bookMenu");
  emit menu->aboutToShow();
  QAction* recent = nullptr;
  for (QAction* action : menu->actions()) {
    if (action->menu() == nullptr) continue;
    for (QAction* book : action->menu()->actions()) recent = book->text() == first ? book : recent;
  }
  ASSERT_NE(recent, nullptr);
  recent->trigger();
  rest();
  EXPECT_EQ(session().takes().size(), 4U);
}

TEST(JobStrip, DeliversDoneFailedAndStoppedAndOneJobAtATime) {
  Work work;
  JobStrip strip(work);
  QString failed;
  QObject::connect(&strip, &JobStrip::failed, &strip, [&](const QString& text) { failed = text; });
  std::vector<Result<int>> outcomes;
  const auto deliver = [&](Result<int> outcome) { outcomes.push_back(std::move(outcome)); };
  const auto run = [&](auto job) {
    return strip.start<int>(QStringLiteral("job"), WorkScope::kProgram, job, deliver);
  };
  const auto ended = [&] { return QTest::qWaitFor([&] { return !strip.running(); }, 5000); };
  ASSERT_TRUE(run([](const WorkContext&) -> Result<int> { return 3; }));
  ASSERT_TRUE(ended());
  ASSERT_TRUE(run([](const WorkContext& context) -> Result<int> {
    while (!context.stop.stop_requested()) context.progress(0.5);
    return cancelled();
  }));
  EXPECT_FALSE(run([](const WorkContext&) -> Result<int> { return 4; })) << "one at a time";
  strip.stop();
  ASSERT_TRUE(ended());
  EXPECT_TRUE(failed.isEmpty()) << "a stop is no failure";
  ASSERT_TRUE(
      run([](const WorkContext&) -> Result<int> { return bad_input("No room.", "there"); }));
  ASSERT_TRUE(ended());
  EXPECT_EQ(failed, QStringLiteral("there: No room."));
  ASSERT_EQ(outcomes.size(), 3U);
  EXPECT_EQ(*outcomes[0], 3);
  EXPECT_EQ(outcomes[1].error().code, ErrorCode::kCancelled);
  EXPECT_EQ(outcomes[2].error().code, ErrorCode::kBadInput);
}

}  // namespace
}  // namespace lalometer
