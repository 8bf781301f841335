#include <QAction>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSettings>
#include <QTableWidget>

#include "desk/capture/wired_rig.h"
#include "desk/monitor/monitor_desk.h"
#include "desk/queue/stand_view.h"
#include "desk/window_fixture.h"

namespace lalometer {
namespace {

/// Plan, queue, rig and monitor in the real window, on the practice bench.
class Bench : public test::WindowTest {
 protected:
  void SetUp() override {
    QSettings().remove(QStringLiteral("bench"));
    QSettings().remove(QStringLiteral("cautions"));
    test::WindowTest::SetUp();
    window_->showDesk(QStringLiteral("takes"));
  }
  void TearDown() override {
    QSettings().remove(QStringLiteral("bench"));
    test::WindowTest::TearDown();
  }
  void click(const char* name) { QTest::mouseClick(part<QPushButton>(name), Qt::LeftButton); }
  void makePlan(int purpose) {
    part<QComboBox>("planPurpose")->setCurrentIndex(purpose);
    click("planMake");
  }
  QTableWidget* table() { return part<QTableWidget>("planTable"); }
  QString cell(int row, int column) { return table()->item(row, column)->text(); }
  /// Runs the queue with a hand that is always ready.
  void runQueue() {
    window_->setStation(RouteStrip::kCapture);
    connection_ = QObject::connect(&window_->queue(), &QueueController::placeChanged, [this] {
      if (window_->queue().place().waits) window_->queue().goOn();
    });
    click("queueStart");
    ASSERT_TRUE(QTest::qWaitFor([this] { return !window_->queue().running(); }, 60000));
    QObject::disconnect(connection_);
    rest();
  }
  QMetaObject::Connection connection_;
};

TEST_F(Bench, APurposeBecomesAListThatIsEditedAndKept) {
  makePlan(3);
  ASSERT_EQ(table()->rowCount(), 5);
  EXPECT_EQ(cell(2, 2), QStringLiteral("30° right"));
  table()->item(2, 4)->setText(QStringLiteral("1,5 V"));
  EXPECT_EQ(cell(2, 4), QStringLiteral("1.50 V"));
  table()->item(2, 4)->setText(QStringLiteral("much"));
  EXPECT_EQ(cell(2, 4), QStringLiteral("1.50 V")) << "what is no number changes nothing";
  table()->selectRow(4);
  click("planUp");
  EXPECT_EQ(cell(3, 2), QStringLiteral("60° right"));
  table()->selectRow(0);
  click("planSkip");
  EXPECT_EQ(cell(0, 0), QStringLiteral("left out"));
  table()->selectRow(1);
  click("planRemove");
  ASSERT_EQ(table()->rowCount(), 4);
  reopen();
  window_->showDesk(QStringLiteral("takes"));
  ASSERT_EQ(table()->rowCount(), 4) << "the plan is in the book";
  EXPECT_EQ(cell(1, 4), QStringLiteral("1.50 V"));
}

TEST_F(Bench, TheQueueTakesWhatIsMissingAndGoesOnAfterARestart) {
  makePlan(3);
  const std::size_t before = session().takes().size();
  int kept = 0;
  const auto stop = QObject::connect(&window_->queue(), &QueueController::taken, [&] {
    if (++kept == 2) window_->queue().pause();
  });
  runQueue();
  QObject::disconnect(stop);
  EXPECT_EQ(session().takes().size(), before + 2);
  EXPECT_TRUE(part<QLabel>("queueCount")->text().startsWith(QStringLiteral("2 of 5")));
  reopen();
  window_->setStation(RouteStrip::kCapture);
  EXPECT_EQ(part<QLabel>("queueWhat")->text(), QStringLiteral("30° right"));
  runQueue();
  EXPECT_EQ(session().takes().size(), before + 5);
  EXPECT_EQ(part<QLabel>("queueWhat")->text(), QStringLiteral("All taken"));
  EXPECT_FALSE(part<QPushButton>("queueStart")->isEnabled());
  window_->showDesk(QStringLiteral("takes"));
  for (int row = 0; row < 5; ++row) EXPECT_EQ(cell(row, 0), QStringLiteral("done"));
  // The live view: only what came in last, and the one before it.
  int of_queue = 0;
  for (const LaidTake& laid : session().laid())
    of_queue += laid.take.plan_item.empty() == false ? 1 : 0;
  EXPECT_EQ(of_queue, 2);
}

TEST_F(Bench, TheLastTakeIsTakenAgainByOneKey) {
  makePlan(3);
  table()->selectRow(1);
  for (int i = 0; i < 4; ++i) {
    table()->selectRow(1);
    click("planRemove");
  }
  runQueue();
  const Id first = window_->queue().status().front().take_id;
  ASSERT_NE(first, 0);
  QTest::keyClick(window_.get(), Qt::Key_F6);
  ASSERT_TRUE(QTest::qWaitFor([this] { return window_->queue().place().waits; }, 20000));
  QTest::keyClick(window_.get(), Qt::Key_Space);
  ASSERT_TRUE(QTest::qWaitFor([this] { return !window_->queue().running(); }, 20000));
  EXPECT_NE(window_->queue().status().front().take_id, first);
  EXPECT_EQ(session().take(first), nullptr) << "off the shelf; undo brings it back";
}

// What a plan allowed for this stand is what its takes are read with, as one step of undo.
TEST_F(Bench, ThePlansGateBecomesTheSubjectsGate) {
  const double before = session().recipe(session().chosenSubject()).gate_s;
  makePlan(3);
  MeasuringPlan plan = *window_->queue().plan();
  for (PlannedTake& take : plan.takes) take.request.gate_s = 0.0051;
  plan.takes.resize(1);
  window_->queue().setPlan(plan);
  runQueue();
  EXPECT_DOUBLE_EQ(session().recipe(session().chosenSubject()).gate_s, 0.0051);
  // The take is a step of its own, after the gate.
  for (int i = 0; i < 2; ++i) {
    QTest::keyClick(window_.get(), Qt::Key_Z, Qt::ControlModifier);
    rest();
  }
  EXPECT_DOUBLE_EQ(session().recipe(session().chosenSubject()).gate_s, before);
}

// The queue plays the subject as drawn where the bench is told so, not what was played last.
TEST_F(Bench, TheQueuePlaysTheSubjectAsDrawn) {
  makePlan(3);
  window_->setStation(RouteStrip::kCapture);
  auto* on_it = part<QComboBox>("benchWalls");
  ASSERT_NE(on_it, nullptr);
  on_it->setCurrentIndex(2);
  const double before = window_->capture().practiceSetup().speaker.ways.front().driver.fs_hz();
  Description drawn = session().subject(session().chosenSubject())->description;
  ASSERT_EQ(drawn.drivers.at(0).figures.fs_hz, 42.0);
  drawn.drivers[0].figures.fs_hz = 61.0;
  describe(session().chosenSubject(), drawn);
  rest();
  runQueue();
  EXPECT_NEAR(window_->capture().practiceSetup().speaker.ways.front().driver.fs_hz(), 61.0, 0.5);
  EXPECT_GT(std::abs(before - 61.0), 1.0);
}

TEST_F(Bench, ADrawnChangeMakesTakesStale) {
  makePlan(3);
  runQueue();
  Description other = session().subject(session().chosenSubject())->description;
  other.ports.at(0).length_mm = 90.0;
  describe(session().chosenSubject(), other);
  window_->showDesk(QStringLiteral("takes"));
  EXPECT_EQ(cell(0, 0), QStringLiteral("stale"));
  EXPECT_TRUE(table()->item(0, 0)->toolTip().contains(QStringLiteral("drawing")));
}

TEST_F(Bench, TheMicrophoneIsMovedByHandAndTheGateFollows) {
  auto* view = part<StandView>("standView");
  auto* distance = part<QDoubleSpinBox>("standDistance");
  EXPECT_TRUE(part<QLabel>("standAllows")->text().contains(QStringLiteral("4.66 ms")));
  const QPoint from = view->microphonePoint().toPoint();
  QTest::mousePress(view, Qt::LeftButton, {}, from);
  QTest::mouseMove(view, from + QPoint(40, -20));
  QTest::mouseRelease(view, Qt::LeftButton, {}, from + QPoint(40, -20));
  EXPECT_GT(distance->value(), 1.05);
  EXPECT_GT(part<QDoubleSpinBox>("standMicrophone")->value(), 1.25);
  EXPECT_FALSE(part<QLabel>("standAllows")->text().contains(QStringLiteral("4.66 ms")));
  const double was = distance->value();
  QTest::keyClick(view, Qt::Key_Right);
  EXPECT_NEAR(distance->value(), was + 0.01, 1e-9);
  part<QDoubleSpinBox>("standCeiling")->setValue(1.0);
  EXPECT_TRUE(part<QLabel>("standAllows")->text().contains(QStringLiteral("ceiling")));
  part<QDoubleSpinBox>("standCeiling")->setValue(2.6);
  click("standBest");
  EXPECT_NEAR(part<QDoubleSpinBox>("standMicrophone")->value(), 1.3, 1e-9);
  reopen();
  window_->showDesk(QStringLiteral("takes"));
  EXPECT_NEAR(part<QDoubleSpinBox>("standCeiling")->value(), 2.6, 1e-9) << "kept in the book";
}

TEST_F(Bench, TheJigIsCalibratedByThreeStates) {
  window_->showDesk(QStringLiteral("rig"));
  EXPECT_TRUE(window_->capture().rig().taken_at.empty());
  for (const char* state : {"rigJigState0", "rigJigState1", "rigJigState2"}) {
    click(state);
    rest();
  }
  ASSERT_TRUE(window_->capture().rig().jig.has_value())
      << part<QLabel>("rigStage")->text().toStdString();
  EXPECT_TRUE(window_->capture().rig().taken_at.contains("jig"));
  // The practice bench has no calibrator on its microphone: that is said.
  click("rigSensitivity");
  rest();
  EXPECT_FALSE(window_->capture().rig().taken_at.contains("sensitivity"));
  EXPECT_FALSE(part<QLabel>("rigStage")->text().isEmpty());
}

TEST_F(Bench, AVoltmeterSetsTheAmplifier) {
  window_->showDesk(QStringLiteral("rig"));
  click("rigAmplifier");
  EXPECT_TRUE(part<QLabel>("rigStage")->text().contains(QStringLiteral("tone first")));
  click("rigTone");
  rest();
  part<QDoubleSpinBox>("rigVolts")->setValue(1.1);
  click("rigAmplifier");
  // By hand: the bench gives 20 V for 1.0; 1 V was asked for and 1.1 V read: 22 V.
  EXPECT_NEAR(window_->capture().rig().output_v_per_unit, 22.0, 1e-6);
  EXPECT_NEAR(window_->capture().rig().loopback_v_per_unit, 22.0, 0.05);
}

TEST_F(Bench, ARealInterfaceAsksForItsCautionsOnceAndIsMissedHonestly) {
  RigWiring wiring = window_->rig().wiring();
  wiring.interface_key = "Nobody: nothing";
  window_->rig().setWiring(wiring);
  window_->setStation(RouteStrip::kCapture);
  rest();
  window_->actionNamed(QStringLiteral("take"))->trigger();
  ASSERT_NE(part<QPushButton>("cautionsRead"), nullptr);
  EXPECT_FALSE(window_->capture().running());
  click("cautionsRead");
  click("takeButton");
  EXPECT_TRUE(QTest::qWaitFor([this] { return !window_->capture().running(); }, 10000));
  EXPECT_TRUE(part<QLabel>("messageText")->text().contains(QStringLiteral("not there")))
      << part<QLabel>("messageText")->text().toStdString();
  EXPECT_FALSE(window_->rig().cautionsDue());
}

TEST_F(Bench, TheMonitorShowsTheToneAndFallsSilent) {
  window_->showDesk(QStringLiteral("monitor"));
  part<QComboBox>("liveSignal")->setCurrentIndex(1);
  part<QComboBox>("liveHookup")->setCurrentIndex(1);
  part<QDoubleSpinBox>("liveFrequency")->setValue(200.0);
  click("liveStart");
  auto* figures = part<QLabel>("liveFigures");
  EXPECT_TRUE(QTest::qWaitFor([&] { return figures->text().contains(QStringLiteral("Impedance")); },
                              20000));
  click("liveUp");
  EXPECT_NEAR(part<QDoubleSpinBox>("liveFrequency")->value(), 200.0 * std::exp2(1.0 / 24.0), 0.06);
  QTest::keyClick(window_.get(), Qt::Key_Escape);
  EXPECT_TRUE(
      QTest::qWaitFor([this] { return !part<MonitorDesk>("monitorDesk")->running(); }, 10000));
  click("livePolarity");
  EXPECT_TRUE(
      QTest::qWaitFor([&] { return figures->text().contains(QStringLiteral("ward")); }, 20000))
      << figures->text().toStdString();
}

TEST_F(Bench, TheWiringIsKeptOnThisMachine) {
  window_->showDesk(QStringLiteral("rig"));
  auto* table_kind = part<QComboBox>("rigTable");
  EXPECT_FALSE(part<QComboBox>("rigLine")->isEnabled()) << "the practice table has no line";
  table_kind->setCurrentIndex(2);
  emit table_kind->activated(2);
  ASSERT_TRUE(part<QComboBox>("rigLine")->isEnabled());
  part<QComboBox>("rigLine")->setEditText(QStringLiteral("/dev/ttyNOT"));
  emit part<QComboBox>("rigLine")->lineEdit()->editingFinished();
  part<QDoubleSpinBox>("rigSteps")->setValue(44.444);
  reopen();
  EXPECT_EQ(window_->rig().wiring().table, RigWiring::Table::kSerial);
  EXPECT_EQ(window_->rig().wiring().serial.line, "/dev/ttyNOT");
  EXPECT_NEAR(window_->rig().wiring().serial.steps_per_degree, 44.444, 1e-9);
  // A line that is not there is said where the eye is, and the queue stops with it.
  window_->showDesk(QStringLiteral("rig"));
  rest();
  click("rigTryTable");
  rest();
  EXPECT_TRUE(part<QLabel>("rigStage")->text().contains(QStringLiteral("Plug the table in")))
      << part<QLabel>("rigStage")->text().toStdString();
  window_->showDesk(QStringLiteral("takes"));
  makePlan(3);
  runQueue();
  EXPECT_EQ(part<QLabel>("queueState")->text(), QStringLiteral("stopped"));
  EXPECT_TRUE(part<QLabel>("queueTodo")->text().contains(QStringLiteral("ttyNOT")));
}

TEST_F(Bench, ByHandTheTimerGoesOnByItself) {
  RigWiring wiring = window_->rig().wiring();
  wiring.table = RigWiring::Table::kByHand;
  window_->rig().setWiring(wiring);
  makePlan(3);
  for (int i = 0; i < 3; ++i) {
    table()->selectRow(1);
    click("planRemove");
  }
  window_->queue().setOptions({QueueController::Advance::kByTimer, 0.3, false});
  window_->setStation(RouteStrip::kCapture);
  click("queueStart");
  EXPECT_FALSE(part<QPushButton>("queueHalt")->isVisible()) << "no table to halt";
  ASSERT_TRUE(QTest::qWaitFor([this] { return !window_->queue().running(); }, 30000));
  EXPECT_EQ(window_->queue().summary().kept, 2U);
}

TEST_F(Bench, TheInterfaceServesOneRunAtATime) {
  makePlan(3);
  ASSERT_TRUE(window_->rig().claim()) << "some run has it";
  window_->queue().start();
  EXPECT_FALSE(window_->queue().running());
  window_->setStation(RouteStrip::kCapture);
  window_->actionNamed(QStringLiteral("take"))->trigger();
  EXPECT_FALSE(window_->capture().running());
  window_->showDesk(QStringLiteral("monitor"));
  click("liveStart");
  EXPECT_FALSE(part<MonitorDesk>("monitorDesk")->running());
  RigWiring other = window_->rig().wiring();
  other.table = RigWiring::Table::kSerial;
  window_->rig().setWiring(other);
  EXPECT_NE(window_->rig().wiring().table, RigWiring::Table::kSerial);
  window_->rig().release();
  runQueue();
  EXPECT_EQ(window_->queue().summary().kept, 5U);
}

TEST_F(Bench, EveryPurposeShowsItsOwnWishes) {
  part<QComboBox>("planPurpose")->setCurrentIndex(2);
  EXPECT_FALSE(part<QLineEdit>("planSamples")->isVisible());
  part<QComboBox>("planPurpose")->setCurrentIndex(1);
  EXPECT_TRUE(part<QLineEdit>("planSamples")->isVisible());
  part<QLineEdit>("planSamples")->setText(QStringLiteral("A, B"));
  click("planMake");
  ASSERT_EQ(table()->rowCount(), 4);
  EXPECT_EQ(cell(0, 1), QStringLiteral("Impedance, free air, A"));
  makePlan(6);
  EXPECT_TRUE(part<QLineEdit>("planLevels")->isVisible());
  ASSERT_EQ(table()->rowCount(), 4) << "the softest once more at the end";
  EXPECT_EQ(cell(2, 4), QStringLiteral("5.66 V"));
  part<QComboBox>("planPurpose")->setCurrentIndex(4);
  part<QDoubleSpinBox>("planStep")->setValue(7.0);
  click("planMake");
  EXPECT_TRUE(part<QLabel>("planTrouble")->text().contains(QStringLiteral("180")))
      << "steps of 7 degrees do not come back";
  EXPECT_EQ(table()->rowCount(), 4) << "the plan that was there stays";
}

}  // namespace
}  // namespace lalometer
