#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFrame>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSettings>
#include <QTreeWidget>

#include "desk/capture/wired_rig.h"
#include "desk/window_fixture.h"
#include "exchange/audio_file.h"
#include "support/two_clocks.h"

namespace lalometer {
namespace {

/// The rig page and takes of rigs without a loopback, in the real window.
class RigDesk : public test::WindowTest {
 protected:
  void SetUp() override {
    forget();
    test::WindowTest::SetUp();
    window_->showDesk(QStringLiteral("rig"));
    rest();
  }
  void TearDown() override {
    test::WindowTest::TearDown();
    forget();
  }
  static void forget() {
    for (const char* group : {"bench", "cautions", "rigs"})
      QSettings().remove(QLatin1String(group));
  }
  void choose(const char* box, int row) {
    auto* list = part<QComboBox>(box);
    list->setCurrentIndex(row);
    emit list->activated(row);
    rest();
  }
  void name(const QString& text) {
    auto* line = part<QComboBox>("rigName")->lineEdit();
    line->setText(text);
    QTest::keyClick(line, Qt::Key_Return);
    rest();
  }
  /// Of the rows that stand now: older ones go with the event loop.
  QString able(const char* what) {
    QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
    return part<QLabel>(QStringLiteral("ability %1").arg(QLatin1String(what)).toUtf8().constData())
        ->text();
  }
  const Take& taken() {
    window_->actionNamed(QStringLiteral("take-response"))->trigger();
    rest();
    return session().takes().back();
  }
};

// What a plan asks of a hand, the practice bench does by itself.
TEST_F(RigDesk, TheBenchPlaysWhatATakeSaysPlays) {
  WiredRig& rig = window_->capture().wired();
  const PracticeBenchSetup& bench = window_->capture().practiceSetup();
  TakeRequest r;
  r.source = "tweeter";
  r.flipped = "tweeter";
  rig.aim(r);
  EXPECT_EQ(bench.room.only, "tweeter");
  EXPECT_EQ(bench.flipped, "tweeter");
  r.kind = TakeKind::kNearField;
  r.source = "woofer";
  r.flipped.clear();
  rig.aim(r);
  EXPECT_EQ(bench.room.only, "") << "all play; the microphone is at the woofer";
  EXPECT_EQ(bench.room.near_source, "woofer");
  EXPECT_EQ(bench.flipped, "");
}

TEST_F(RigDesk, SaysWhatARigCannotAndTriesIt) {
  EXPECT_EQ(able("Impedance"), QStringLiteral("yes"));
  choose("rigInterface", 1);  // a microphone of its own
  EXPECT_EQ(able("Impedance"), QStringLiteral("no"));
  EXPECT_EQ(able("Distance, arrival"), QStringLiteral("no"));
  QTest::mouseClick(part<QPushButton>("rigTrial"), Qt::LeftButton);
  rest();
  QStringList said;
  for (const QLabel* each : part<QFrame>("trialVerdict")->findChildren<QLabel*>())
    said.push_back(each->text());
  EXPECT_TRUE(said.join(QLatin1Char(' ')).contains(QStringLiteral("fit to measure with")));
  EXPECT_TRUE(said.join(QLatin1Char(' ')).contains(QStringLiteral("44.1 kHz")));
  EXPECT_EQ(session().takes().size(), 4U) << "nothing was kept";
  choose("rigTime", 1);  // chirps from a second loudspeaker
  EXPECT_EQ(able("Distance, arrival"), QStringLiteral("partly"));
  part<QDoubleSpinBox>("rigChirpDistance")->setValue(1.2);
  EXPECT_EQ(able("Distance, arrival"), QStringLiteral("yes"));
}

TEST_F(RigDesk, TakesWithoutALoopbackSayWhatTheyRestOn) {
  choose("rigInterface", 1);
  const Take bare = taken();
  EXPECT_EQ(bare.form, RawForm::kSweepFile);
  EXPECT_EQ(bare.sample_rate_hz, 44100.0);
  window_->showDesk(QStringLiteral("rig"));
  choose("rigTime", 1);
  part<QDoubleSpinBox>("rigChirpDistance")->setValue(1.2);
  const Take timed = taken();
  EXPECT_EQ(timed.conditions.stimulus.chirps.count, 4);
  EXPECT_EQ(timed.conditions.chirp_distance_m, 1.2);
  std::map<Id, TimeOrigin::Source> origins;
  for (const LaidTake& laid : session().laid())
    if (laid.analysis) origins[laid.take.id] = laid.analysis->origin.source;
  EXPECT_EQ(origins[bare.id], TimeOrigin::Source::kOnset);
  EXPECT_EQ(origins[timed.id], TimeOrigin::Source::kReference);
}

TEST_F(RigDesk, ARigIsKeptByNameWithItsCalibration) {
  choose("rigInterface", 1);
  name(QStringLiteral("Attic"));
  EXPECT_EQ(window_->rig().wiring().name, "Attic");
  choose("rigTime", 3);
  RigCalibration attic = window_->capture().rig();
  attic.input_pa_per_unit = 7.0;
  window_->capture().setRig(attic);
  choose("rigInterface", 0);
  EXPECT_EQ(window_->capture().rig().rig_name, "Practice bench");
  EXPECT_NE(window_->capture().rig().input_pa_per_unit, 7.0);
  reopen();
  window_->showDesk(QStringLiteral("rig"));
  rest();
  name(QStringLiteral("Attic"));
  EXPECT_EQ(window_->rig().wiring().interface_key, kPracticeMicrophone);
  EXPECT_EQ(window_->capture().rig().input_pa_per_unit, 7.0);
  EXPECT_EQ(window_->capture().rig().time, TimeBase::kNone);
}

// A recorder's session comes back by drop: the sweeps are the plan's takes, in order, and the
// preview corrects it.
TEST_F(RigDesk, ARecordedSessionBecomesThePlansTakes) {
  window_->showDesk(QStringLiteral("takes"));
  part<QComboBox>("planPurpose")->setCurrentIndex(3);
  QTest::mouseClick(part<QPushButton>("planMake"), Qt::LeftButton);
  const MeasuringPlan plan = *window_->queue().plan();
  ASSERT_EQ(plan.takes.size(), 5U);
  const auto one = test::sweep_of(20.0, 20000.0, 1.0);
  auto x =
      test::recorded([&](double t) { return 0.3 * (one(t - 0.5) + one(t - 3.1) + one(t - 5.7)); },
                     7.4, {{true, 60.0}, {false, 18000.0}}, {.drift_ppm = 90.0});
  ASSERT_TRUE(write_file(folder_ / "walk.wav",
                         *audio_bytes({48000.0, {std::move(x)}, ""}, AudioFormat::kWavFloat32)));
  window_->importFiles({QString::fromStdString((folder_ / "walk.wav").string())});
  rest();
  choose("importSound", 1);
  for (const auto& [field, value] : {std::pair{0, 20.0}, {1, 20000.0}, {2, 1.0}, {3, 0.5}}) {
    auto* box =
        part<QDoubleSpinBox>(QStringLiteral("importSweep%1").arg(field).toUtf8().constData());
    box->setValue(value);
    emit box->editingFinished();
  }
  rest();
  ASSERT_EQ(part<QTreeWidget>("importList")->topLevelItemCount(), 3);
  EXPECT_EQ(part<QComboBox>("importPlanned1")->currentText().toStdString(),
            plan.takes[1].request.name);
  // The third was taken last, at the fifth place.
  part<QComboBox>("importPlanned2")->setCurrentIndex(5);
  const std::size_t before = session().takes().size();
  QTest::mouseClick(part<QPushButton>("importTake"), Qt::LeftButton);
  rest();
  ASSERT_EQ(session().takes().size(), before + 3);
  const auto& status = window_->queue().status();
  for (std::size_t i = 0; i < 5; ++i)
    EXPECT_EQ(status[i].state == PlanState::kDone, i == 0 || i == 1 || i == 4) << i;
}

}  // namespace
}  // namespace lalometer
