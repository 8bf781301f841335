#include <sqlite3.h>

#include <QAction>
#include <QCheckBox>
#include <QComboBox>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QTreeWidget>

#include "desk/monitor/monitor_desk.h"
#include "desk/drawing/drawing_desk.h"
#include "desk/frame/job_strip.h"
#include "desk/importing/import_sheet.h"
#include "desk/window_fixture.h"
#include "workbench/practice/practice_cases.h"
#include "workbench/sharing/exporting.h"

/// Other books are opened, made and duplicated while something runs; work is stopped at any moment.
namespace lalometer {
namespace {

/// Another program that holds a book for writing.
class Locked {
 public:
  explicit Locked(const std::filesystem::path& path) {
    EXPECT_EQ(sqlite3_open(path.c_str(), &database_), SQLITE_OK);
    EXPECT_EQ(sqlite3_exec(database_, "BEGIN IMMEDIATE", nullptr, nullptr, nullptr), SQLITE_OK);
  }
  ~Locked() { release(); }
  void release() { sqlite3_close(std::exchange(database_, nullptr)); }

 private:
  sqlite3* database_ = nullptr;
};

class Owner : public test::WindowTest {
 protected:
  void SetUp() override {
    test::WindowTest::SetUp();
    std::filesystem::copy_file(LALOMETER_DEMO_BOOK, folder_ / "other.lalo");
    window_->capture().practiceSetup().pace = 1.0;  // as long as in life
  }
  QString other() const { return QString::fromStdString((folder_ / "other.lalo").string()); }
  void click(const char* name) { QTest::mouseClick(part<QPushButton>(name), Qt::LeftButton); }
  bool until(const std::function<bool()>& holds) { return QTest::qWaitFor(holds, 20000); }

  /// Opens the other book within a time in which nobody waits for a worker.
  void openOther() {
    QElapsedTimer clock;
    clock.start();
    ASSERT_TRUE(window_->openBook(other()));
    EXPECT_LT(clock.elapsed(), 1500) << "opening a book must not wait for what runs";
    EXPECT_EQ(session().book().path(), folder_ / "other.lalo");
  }
  std::size_t takesIn(const char* name) { return Book::open(folder_ / name)->takes()->size(); }

  void startMonitor() {
    window_->showDesk(QStringLiteral("monitor"));
    click("liveStart");
    ASSERT_TRUE(part<MonitorDesk>("monitorDesk")->running());
  }
  void startQueueByHand() {
    window_->showDesk(QStringLiteral("takes"));
    part<QComboBox>("planPurpose")->setCurrentIndex(3);
    click("planMake");
    rest();
    RigWiring wiring = window_->rig().wiring();
    wiring.table = RigWiring::Table::kByHand;
    window_->rig().setWiring(wiring);
    window_->queue().start();
    ASSERT_TRUE(until([this] { return window_->queue().place().waits; }));
  }
};

TEST_F(Owner, ABookIsOpenedWhileTheMonitorRuns) {
  startMonitor();
  openOther();
  ASSERT_TRUE(until([this] { return !window_->work().devicesRunning(); }));
  EXPECT_FALSE(part<MonitorDesk>("monitorDesk")->running());
  EXPECT_TRUE(window_->rig().claim()) << "the interface is free again";
  window_->rig().release();
}

TEST_F(Owner, ABookIsMadeWhileAQueueWaitsForAHand) {
  startQueueByHand();
  QElapsedTimer clock;
  clock.start();
  ASSERT_TRUE(window_->newBook(QString::fromStdString((folder_ / "new.lalo").string())));
  EXPECT_LT(clock.elapsed(), 1500);
  ASSERT_TRUE(until([this] { return !window_->queue().running(); }));
  EXPECT_TRUE(session().takes().empty());
  EXPECT_FALSE(window_->queue().plan().has_value()) << "the plan is the other book's";
}

TEST_F(Owner, ATakeThatEndsAfterAnotherBookWasOpenedIsNotKeptThere) {
  window_->setStation(RouteStrip::kCapture);
  click("takeButton");
  ASSERT_TRUE(window_->capture().running());
  QTest::qWait(300);
  openOther();
  ASSERT_TRUE(until([this] { return !window_->capture().running(); }));
  rest();
  EXPECT_EQ(takesIn("other.lalo"), 4U);
  EXPECT_EQ(session().takes().size(), 4U);
  EXPECT_EQ(takesIn("demo.lalo"), 4U) << "a take that was cut off is kept nowhere";
}

TEST_F(Owner, ATakeThatWasWholeIsKeptInTheBookItWasTakenFor) {
  window_->capture().practiceSetup().pace = 0.0;
  window_->setStation(RouteStrip::kCapture);
  click("takeButton");
  // The worker keeps it by itself; the window turns its loop only after the other book is open.
  while (takesIn("demo.lalo") == 4U) QThread::msleep(5);
  openOther();
  rest();
  EXPECT_EQ(takesIn("demo.lalo"), 5U);
  EXPECT_EQ(takesIn("other.lalo"), 4U);
  EXPECT_EQ(session().takes().size(), 4U);
  EXPECT_EQ(session().laid().size(), 4U) << "nothing of it lies on this book's score";
}

TEST_F(Owner, AnImportThatEndsAfterAnotherBookWasOpenedStaysInItsOwn) {
  ASSERT_TRUE(
      export_subject(session().book(), session().subjects()[0].id, folder_ / "set").has_value());
  window_->importFiles({QString::fromStdString((folder_ / "set" / "set.json").string())});
  ASSERT_TRUE(until([this] { return part<QPushButton>("importTake")->isEnabled(); }));
  click("importTake");
  openOther();
  ASSERT_TRUE(until([this] { return window_->work().idle(); }));
  rest();
  EXPECT_EQ(takesIn("demo.lalo"), 8U);
  EXPECT_EQ(takesIn("other.lalo"), 4U);
  EXPECT_FALSE(part<ImportSheet>("importSheet")->isVisible());
}

TEST_F(Owner, ResultsOfTheOldBookNeverReachTheNewOne) {
  // The same ids in both books; the other's first take is another kind of thing.
  std::vector<Id> ids;
  for (const Take& t : session().takes()) ids.push_back(t.id);
  {
    auto book = Book::open(folder_ / "other.lalo");
    for (const Id id : ids) ASSERT_TRUE(book->set_colour(id, -1).has_value());
    // Looked at before, so that nothing is laid by itself.
    ASSERT_TRUE(book->set_view("lanes", R"([{"kind":"level"}])").has_value());
  }
  session().setLaid(ids, false);
  session().setLaid(ids, true);
  openOther();
  rest();
  EXPECT_TRUE(session().laid().empty());
  EXPECT_TRUE(score().lanes()[lane("level")].content.curves().empty());
}

TEST_F(Owner, AStoppedCaseLeavesTheNextJobAndTheScoreAlone) {
  window_->showDesk(QStringLiteral("practice"));
  part<QListWidget>("caseList")->setCurrentRow(0);
  click("caseOpen");
  ASSERT_TRUE(window_->job().running());
  click("jobStop");
  ASSERT_TRUE(until([this] { return !window_->job().running(); }));
  rest();
  const std::size_t laid = session().laid().size();
  ASSERT_EQ(laid, 4U);
  window_->exportTake(QString::fromStdString((folder_ / "out.frd").string()));
  rest();
  EXPECT_TRUE(std::filesystem::exists(folder_ / "out.frd"));
  EXPECT_EQ(session().laid().size(), laid) << "the stopped job's end must not be run by this one";
}

TEST_F(Owner, AStoppedSearchForThePlaceMovesNothing) {
  window_->showDesk(QStringLiteral("drawing"));
  const Description before = window_->drawing()->description();
  QPushButton* best = part<QPushButton>("bestPlace");
  ASSERT_NE(best, nullptr);
  QTest::mouseClick(best, Qt::LeftButton);
  ASSERT_TRUE(window_->job().running());
  click("jobStop");
  ASSERT_TRUE(until([this] { return !window_->job().running(); }));
  window_->exportTake(QString::fromStdString((folder_ / "out.frd").string()));
  rest();
  EXPECT_EQ(window_->drawing()->description(), before);
}

TEST_F(Owner, EscapeSilencesTheCalibrationToneAlsoFromWithinAField) {
  window_->showDesk(QStringLiteral("rig"));
  click("rigTone");
  ASSERT_TRUE(window_->work().devicesRunning());
  auto* field = part<QLineEdit>("shelfFilter");
  field->setFocus();
  QTest::keyClick(field, Qt::Key_Escape);
  QElapsedTimer clock;
  clock.start();
  ASSERT_TRUE(until([this] { return !window_->work().devicesRunning(); }));
  EXPECT_LT(clock.elapsed(), 1500) << "the tone alone lasts four seconds";
}

TEST_F(Owner, EscapeSilencesThePolaritySweepAndTheMonitor) {
  window_->showDesk(QStringLiteral("monitor"));
  click("livePolarity");
  ASSERT_TRUE(window_->work().devicesRunning());
  QTest::keyClick(window_.get(), Qt::Key_Escape);
  ASSERT_TRUE(until([this] { return !window_->work().devicesRunning(); }));
  startMonitor();
  QTest::keyClick(window_.get(), Qt::Key_Escape);
  ASSERT_TRUE(until([this] { return !window_->work().devicesRunning(); }));
  EXPECT_FALSE(part<MonitorDesk>("monitorDesk")->running());
}

TEST_F(Owner, TheWindowIsClosedWhileAQueueWaitsAndNothingHangs) {
  startQueueByHand();
  QElapsedTimer clock;
  clock.start();
  window_.reset();
  EXPECT_LT(clock.elapsed(), 3000);
}

TEST_F(Owner, ABookIsDuplicatedWhileATakeRunsAndItsCopyIsWhole) {
  window_->setStation(RouteStrip::kCapture);
  click("takeButton");
  window_->duplicateTo(QString::fromStdString((folder_ / "copy.lalo").string()));
  ASSERT_TRUE(until([this] { return window_->work().idle(); }));
  const auto copy = Book::open(folder_ / "copy.lalo");
  ASSERT_TRUE(copy.has_value());
  EXPECT_TRUE(copy->check_integrity().has_value());
  EXPECT_EQ(takesIn("demo.lalo"), 5U);
}

TEST_F(Owner, WheelingAScaleDoesNotWriteAtEveryNotch) {
  const auto level = lane("level");
  const QPoint at = score().laneRect(level).center().toPoint();
  Book watcher = *Book::open(folder_ / "demo.lalo");
  const std::int64_t first = watcher.foreign_changes();
  for (int i = 0; i < 40; ++i) {
    QWheelEvent wheel(at, score().mapToGlobal(at), {}, {0, 120}, {}, Qt::ControlModifier,
                      Qt::NoScrollPhase, false);
    QApplication::sendEvent(&score(), &wheel);
  }
  EXPECT_EQ(watcher.foreign_changes(), first) << "nothing is written while the hand moves";
  rest();
  EXPECT_NE(watcher.foreign_changes(), first) << "and once when it rests";
}

TEST_F(Owner, ALockedBookDoesNotHoldUpTheWindow) {
  // Another program holds the book for writing.
  Locked lock(folder_ / "demo.lalo");
  QElapsedTimer clock;
  clock.start();
  session().edit(
      [id = session().subjects()[0].id](Book& book) { return book.rename_subject(id, "later"); });
  session().setLaid(session().takes()[0].id, false);
  window_->setStation(RouteStrip::kPlan);
  QCoreApplication::processEvents();
  EXPECT_LT(clock.elapsed(), 500);
  lock.release();
  rest();
  EXPECT_EQ(session().subjects()[0].name, "later");
}

}  // namespace
}  // namespace lalometer
