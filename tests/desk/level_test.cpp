// Level and time in the real window: sweeps of several drives, harmonics, thresholds, ridges.
#include <gmock/gmock.h>

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSlider>
#include <QTableWidget>
#include <numbers>

#include "acoustics/signal/sweep.h"
#include "desk/level/level_page.h"
#include "desk/level/slice_view.h"
#include "desk/pages/read_page.h"
#include "desk/window_fixture.h"
#include "exchange/audio_file.h"
#include "workbench/level/tones_study.h"
#include "workbench/sharing/importing.h"
#include "workbench/taking/plan/measuring_plan.h"

namespace lalometer {
namespace {

using testing::HasSubstr;

/// The demo book with a loudspeaker of 0.1 Pa for each volt, whose cube grows with the drive and
/// which rings at 2 kHz; swept at three drives.
class LevelTest : public test::WindowTest {
 protected:
  void SetUp() override {
    test::WindowTest::SetUp();
    const auto set = folder_ / "sluice";
    std::filesystem::create_directories(set);
    std::string takes;
    for (const double drive : {1.0, 4.0, 10.0}) {
      write_sweep(set / fmt::format("s{:.0f}.wav", drive), drive);
      takes += fmt::format(
          R"({}{{"id": "s{:.0f}", "kind": "sweep", "file": "s{:.0f}.wav", "distance_m": 1, "drive_v": {},
             "pa_per_v": 1, "stimulus": {{"type": "exponential-sweep", "start_hz": 20, "stop_hz": 20000,
             "duration_s": 1.5, "lead_in_s": 0.25, "amplitude": 1}}}})",
          takes.empty() ? "" : ",", drive, drive, drive);
    }
    test::write(set / "set.json",
                fmt::format(R"({{"format": "lalometer-set", "version": 1, "subject": {{"name":
                  "Sluice box", "kind": "loudspeaker"}}, "takes": [{}]}})",
                            takes));
    edit([&](Book& book) -> Result<void> {
      return take_in(book, preview_import({set}, {}), {}).map([](const auto&) {});
    });
    window_->setStation(RouteStrip::kRead);
    for (const Take& t : session().takes()) session().setLaid(t.id, false);
    const Id subject = session().takes().back().subject_id;
    for (const Take& t : session().takes())
      if (t.subject_id == subject) {
        session().setLaid(t.id, true);
        if (t.conditions.drive_v > 9.0) loud_ = t.id;
      }
    session().chooseTake(loud_);
    rest();
  }
  static void write_sweep(const std::filesystem::path& path, double drive) {
    const auto spec = *SweepSpec::make(
        {.start_hz = 20, .stop_hz = 20000, .duration_s = 1.5, .sample_rate_hz = 48000});
    const double peak = drive * std::numbers::sqrt2;
    std::vector<double> x(12000, 0.0);
    test::Normals normal(3);
    // sin^3 = 3/4 sin - 1/4 sin(3 phi), as far as the recorder's rate goes.
    const double turns = 2.0 * kPi * 20.0 * spec.rate_s();
    for (std::size_t i = 0; i < spec.sample_count(); ++i) {
      const double t = static_cast<double>(i) / 48000.0;
      const double phase = turns * std::expm1(t / spec.rate_s());
      const double third =
          3.0 * sweep_frequency_hz(spec, t) < 23000.0 ? std::sin(3.0 * phase) : 0.0;
      const double cube = 1e-3 * peak * peak;
      x.push_back(0.1 * ((1.0 + 0.75 * cube) * std::sin(phase) - 0.25 * cube * third));
    }
    x.resize(x.size() + 24000, 0.0);
    // Q 20 at 2 kHz.
    const double w = 2.0 * kPi * 2000.0 / 48000.0;
    const double alpha = std::sin(w) / 40.0;
    double x1 = 0, x2 = 0, y1 = 0, y2 = 0;
    for (double& v : x) {
      const double y =
          (alpha * (v - x2) + 2.0 * std::cos(w) * y1 - (1.0 - alpha) * y2) / (1.0 + alpha);
      x2 = x1;
      x1 = v;
      y2 = y1;
      y1 = y;
      v += 0.8 * y + 1e-7 * normal();
    }
    const AudioData audio{.sample_rate_hz = 48000, .channels = {std::move(x)}, .format = {}};
    ASSERT_TRUE(write_file(path, *audio_bytes(audio, AudioFormat::kWavFloat32)));
  }
  LevelPage* page() { return part<LevelPage>("levelPage"); }
  void click(const char* button) { QTest::mouseClick(part<QPushButton>(button), Qt::LeftButton); }
  const LaneContent& content(const char* kind) { return score().lanes()[lane(kind)].content; }
  QString texts() {
    // New cards are laid out with the next round.
    QCoreApplication::processEvents();
    QString all;
    for (const QLabel* label : page()->findChildren<QLabel*>())
      if (label->isVisible()) all += label->text() + "\n";
    return all.replace(QChar(0x00A0), QLatin1Char(' '));
  }
  Id loud_ = 0;
};

TEST_F(LevelTest, HarmonicsStandUnderTheLevelAndTheCursorReadsThem) {
  window_->actionNamed(QStringLiteral("level"))->trigger();
  rest();
  click("levelLanes");
  rest();
  const LaneContent& harmonics = content("harmonics");
  ASSERT_FALSE(harmonics.curves().empty()) << harmonics.empty_text;
  const auto h3 = std::find_if(harmonics.curves().begin(), harmonics.curves().end(),
                               [](const Series& s) { return s.label == "H3"; });
  ASSERT_NE(h3, harmonics.curves().end());
  // sin^3 = 3/4 sin - 1/4 sin(3 phi); 10 V are 14.1 V at the peak.
  const double peak = 10.0 * std::numbers::sqrt2;
  const auto at =
      static_cast<std::size_t>(std::lower_bound(h3->x.begin(), h3->x.end(), 300.0) - h3->x.begin());
  EXPECT_NEAR(h3->y[at], 20.0 * std::log10(0.1 * 10.0 * 2.5e-4 * peak * peak / 20e-6), 0.6);
  EXPECT_EQ(content("thd").curves().size(), 3U);
  EXPECT_EQ(content("compression").curves().size(), 2U);
  window_->state().setCursorHz(300.0);
  window_->setStation(RouteStrip::kRead);
  rest();
  const QString read = part<ReadPage>("readPage")->list()->texts().join(QLatin1Char('\n'));
  EXPECT_THAT(read.toStdString(), HasSubstr("H3 -27"));
  EXPECT_THAT(read.toStdString(), HasSubstr(" %"));
}

TEST_F(LevelTest, ThePageTellsThresholdsCleanLevelAndWhatRings) {
  window_->actionNamed(QStringLiteral("level"))->trigger();
  rest();
  const std::string told = texts().toStdString();
  // THD 1/4 1e-3 v^2 of 1 + 3/4 1e-3 v^2: 0.8 % at 4 V, 4.3 % at 10 V, everywhere.
  EXPECT_THAT(told, HasSubstr("3 % everywhere")) << "at 10 V";
  EXPECT_THAT(told, HasSubstr("3 % nowhere")) << "at 4 V";
  EXPECT_THAT(told, HasSubstr("The last good level is 4.00 V"));
  EXPECT_THAT(told, HasSubstr("No drive was taken twice"));
  EXPECT_THAT(told, HasSubstr("Q 20"));
  auto* heard = part<QLabel>("heardLevel");
  ASSERT_TRUE(heard->isVisible());
  const QString one = heard->text();
  part<QDoubleSpinBox>("listenDistance")->setValue(6.0);
  const double near = one.section(QLatin1Char(' '), 0, 0).toDouble();
  const double far = heard->text().section(QLatin1Char(' '), 0, 0).toDouble();
  EXPECT_NEAR(near - far, 6.0, 1.0) << "twice as far";
}

TEST_F(LevelTest, ARidgeIsMarkedOnTheDecayAndBringsTheCursorThere) {
  window_->actionNamed(QStringLiteral("level"))->trigger();
  rest();
  click("timeLanes");
  rest();
  const auto* map = content("decay").find<ValueMap>();
  ASSERT_NE(map, nullptr) << content("decay").empty_text;
  EXPECT_TRUE(std::any_of(map->values.begin(), map->values.end(), [](float v) {
    return std::isnan(v);
  })) << "what the gate cannot resolve";
  const auto* flags = content("decay").find<FlagLayer>();
  ASSERT_NE(flags, nullptr);
  ASSERT_EQ(flags->flags.size(), 1U);
  EXPECT_NEAR(flags->flags.front().low_hz, 2000.0, 10.0);
  // Pointed at, it runs through all lanes.
  const std::size_t decay = lane("decay");
  const double x = score().geometryOf(decay).across.px(flags->flags.front().low_hz);
  QTest::mouseMove(&score(),
                   {static_cast<int>(x), static_cast<int>(score().laneRect(decay).center().y())});
  ASSERT_TRUE(score().thread().has_value());
  EXPECT_NEAR(score().thread()->low_hz, 2000.0, 10.0);
  window_->state().setCursorHz(100.0);
  for (QWidget* row : page()->findChildren<QWidget*>())
    if (row->property("hz").isValid() && row->property("hz").toDouble() > 1900.0 &&
        row->isVisible())
      QTest::mouseClick(row, Qt::LeftButton);
  EXPECT_NEAR(window_->state().cursorHz(), 2000.0, 10.0);
}

TEST_F(LevelTest, TheTimeCursorIsSetOnTheMapAndCutsASliceOutOfIt) {
  window_->actionNamed(QStringLiteral("level"))->trigger();
  rest();
  click("timeLanes");
  rest();
  auto* slices = part<SliceView>("slices");
  auto* slider = part<QSlider>("sliceTime");
  ASSERT_EQ(slider->value(), 0);
  window_->state().setCursorHz(2000.0);
  const auto level = [&] { return slices->texts().back().section(u' ', -2, -2).toDouble(); };
  const double whole = level();
  // In the middle of the decay's map.
  const QRectF rect = score().laneRect(lane("decay"));
  QTest::mouseClick(&score(), Qt::LeftButton, {}, rect.center().toPoint());
  const double ms = window_->state().cursorMs();
  EXPECT_GT(ms, 1.0);
  EXPECT_GT(slider->value(), 100) << "the slider follows";
  window_->state().setCursorHz(2000.0);
  EXPECT_LT(level(), whole - 5.0) << "the direct sound is gone";
  // What a slice from t to the end T of the 4 ms (half way into its last quarter) holds of a decay
  // exp(-a t), a = pi f / Q: exp(-a t) - exp(-a T).
  const auto after = [&](double at_ms) {
    slider->setValue(static_cast<int>(at_ms / slices->lastMs() * slider->maximum()));
    return level();
  };
  const double fall = after(1.0) - after(2.0);
  const auto left = [](double from_ms) {
    const double a = std::numbers::pi * 2000.0 / 20.0 / 1e3;
    return std::exp(-a * from_ms) - std::exp(-a * 3.5);
  };
  EXPECT_NEAR(fall, 20.0 * std::log10(left(1.0) / left(2.0)), 0.7);
  slider->setValue(0);
  EXPECT_EQ(window_->state().cursorMs(), 0.0);
  EXPECT_NEAR(level(), whole, 1e-9);
}

TEST_F(LevelTest, WhatTouchesStandsInItsLaneAndOnThePage) {
  window_->actionNamed(QStringLiteral("level"))->trigger();
  window_->actionNamed(QStringLiteral("lane-rub"))->trigger();
  rest();
  const LaneContent& rub = content("rub");
  ASSERT_EQ(rub.curves().size(), 4U) << rub.empty_text;
  EXPECT_EQ(rub.curves().front().label, "noise");
  EXPECT_THAT(texts().toStdString(), HasSubstr("Nothing touches, rattles or hisses"));
}

TEST_F(LevelTest, ALevelAtOneMetreIsPlannedAndEditedInDecibels) {
  window_->showDesk(QStringLiteral("takes"));
  auto* purpose = part<QComboBox>("planPurpose");
  purpose->setCurrentIndex(purpose->findData(static_cast<int>(Purpose::kLevels)));
  part<QComboBox>("planLevelUnit")->setCurrentIndex(1);
  EXPECT_EQ(part<QLineEdit>("planLevels")->text(), QStringLiteral("75, 85, 95"));
  click("planMake");
  auto* table = part<QTableWidget>("planTable");
  ASSERT_EQ(table->rowCount(), 4) << "the softest once more at the end";
  EXPECT_EQ(table->item(1, 4)->text(), QStringLiteral("85 dB"));
  table->item(1, 4)->setText(QStringLiteral("80"));
  EXPECT_EQ(table->item(1, 4)->text(), QStringLiteral("80 dB"));
  table->item(2, 4)->setText(QStringLiteral("2 V"));
  EXPECT_EQ(table->item(2, 4)->text(), QStringLiteral("2.00 V"));
}

TEST_F(LevelTest, ManyTonesAreTakenOnTheBenchAndRead) {
  window_->setStation(RouteStrip::kCapture);
  part<QComboBox>("captureKind")->setCurrentIndex(2);
  EXPECT_EQ(part<QLineEdit>("captureName")->text(), QStringLiteral("Multitone"));
  const std::size_t before = session().takes().size();
  click("takeButton");
  ASSERT_TRUE(QTest::qWaitFor([&] { return session().takes().size() > before; }, 60000));
  rest();
  const Take& taken = session().takes().back();
  EXPECT_TRUE(holds_multitone(taken));
  session().setLaid(taken.id, true);
  session().chooseTake(taken.id);
  window_->setStation(RouteStrip::kRead);
  window_->actionNamed(QStringLiteral("lane-multitone"))->trigger();
  window_->actionNamed(QStringLiteral("level"))->trigger();
  rest();
  EXPECT_THAT(content("multitone").subtitle, HasSubstr("range"));
  EXPECT_THAT(texts().toStdString(), HasSubstr("What is no tone lies"));
}

TEST_F(LevelTest, AMultitoneShowsItsTonesAndWhatIsNone) {
  const auto set = folder_ / "tones";
  std::filesystem::create_directories(set);
  std::vector<double> x(4 * 48000);
  for (std::size_t i = 0; i < x.size(); ++i) {
    const double t = 2.0 * kPi * static_cast<double>(i) / 48000.0;
    x[i] = 0.1 * (std::sin(101.0 * t) + std::sin(407.0 * t) + std::sin(1603.0 * t)) +
           1e-4 * std::sin(1000.0 * t);
  }
  const AudioData audio{.sample_rate_hz = 48000, .channels = {std::move(x)}, .format = {}};
  ASSERT_TRUE(write_file(set / "mt.wav", *audio_bytes(audio, AudioFormat::kWavFloat32)));
  test::write(set / "set.json",
              R"({"format": "lalometer-set", "version": 1, "subject": {"name": "Weir horn", "kind":
                "loudspeaker"}, "takes": [{"id": "mt", "kind": "multitone", "file": "mt.wav",
                "tones_hz": [101, 407, 1603], "spl_db": 90}]})");
  edit([&](Book& book) -> Result<void> {
    return take_in(book, preview_import({set}, {}), {}).map([](const auto&) {});
  });
  const Id id = session().takes().back().id;
  session().setLaid(id, true);
  session().chooseTake(id);
  window_->actionNamed(QStringLiteral("lane-multitone"))->trigger();
  rest();
  const LaneContent& shown = content("multitone");
  ASSERT_EQ(shown.curves().size(), 2U) << shown.empty_text;
  // Three tones of 90 dB together, each 4.8 dB less; the product 60 dB below one.
  EXPECT_THAT(shown.subtitle, HasSubstr("range 60 dB"));
  const Series& beside = shown.curves().back();
  const auto at = std::max_element(beside.y.begin(), beside.y.end(),
                                   [](double a, double b) { return !(a >= b); }) -
                  beside.y.begin();
  EXPECT_NEAR(beside.x[static_cast<std::size_t>(at)], 1000.0, 1.0);
  EXPECT_NEAR(beside.y[static_cast<std::size_t>(at)], 90.0 - 4.77 - 60.0, 0.3);
}

TEST_F(LevelTest, NothingIsReadBeforeSomebodyLooks) {
  for (const LaidTake& one : session().laid()) EXPECT_EQ(one.time, nullptr);
  window_->actionNamed(QStringLiteral("lane-energy"))->trigger();
  rest();
  EXPECT_EQ(content("energy").curves().size(), 3U);
  for (const LaidTake& one : session().laid()) EXPECT_EQ(one.time, nullptr);
}

}  // namespace
}  // namespace lalometer
