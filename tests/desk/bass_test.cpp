// Near fields, the join and how curves are treated, in the real window.
#include <gmock/gmock.h>

#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <QTreeWidget>
#include <QWheelEvent>

#include "desk/window_fixture.h"
#include "support/small_box.h"
#include "workbench/sharing/importing.h"

namespace lalometer {
namespace {

using namespace test::small_box;
using testing::HasSubstr;

/// The demo book with one more subject: woofer, port and far field of a box in a wall.
class BassTest : public test::WindowTest {
 protected:
  void SetUp() override {
    test::WindowTest::SetUp();
    const Box b;
    std::filesystem::create_directories(folder_ / "set");
    write_near_at(b);
    json set = set_of(b);
    set["subject"]["name"] = "Sluice monitor";
    set["subject"].erase("baffle");
    set["bench"] = {{"floor_m", 1.1}, {"ceiling_m", 1.4}};
    set["takes"].push_back({{"id", "h0"},
                            {"kind", "response"},
                            {"file", "h0.frd"},
                            {"distance_m", 2.0},
                            {"gate_ms", 5.0}});
    test::write(folder_ / "set" / "set.json", set.dump());
    edit([&](Book& book) -> Result<void> {
      return take_in(book, preview_import({folder_ / "set"}, {}), {}).map([](const auto&) {});
    });
    window_->setStation(RouteStrip::kRead);
    for (const Take& t : session().takes())
      if (t.kind() == TakeKind::kNearField) near_.push_back(t.id);
    far_ = session().takes().back().id;
  }
  void write_near_at(const Box& b) {
    const double a = std::sqrt(b.sd_m2 / kPi);
    const auto at = [&](const char* name, const std::vector<double>& hz,
                        const std::function<Complex(double)>& p) {
      test::write(folder_ / "set" / name, rows(hz, p));
    };
    at("w.frd", bass_hz(), [&](double f) { return before(flows(b, f).first, a, 0.005, f); });
    at("p.frd", bass_hz(),
       [&](double f) { return before(flows(b, f).second, b.port_m, 0.004, f); });
    std::vector<double> hz;
    for (double f = 150.0; f < 5000.0; f *= std::exp2(1.0 / 48.0)) hz.push_back(f);
    at("h0.frd", hz, [&](double f) { return 0.5 * half_space(b, f); });
  }
  void act(const char* id) {
    window_->actionNamed(QLatin1String(id))->trigger();
    rest();
  }
  Take join() {
    session().setLaid(far_, true);
    session().chooseTake(far_);
    rest();
    act("join");
    return session().takes().back();
  }
  QPoint at(std::size_t lane, double hz) {
    return {static_cast<int>(score().geometryOf(lane).across.px(hz)),
            static_cast<int>(score().laneRect(lane).center().y())};
  }
  std::vector<Id> near_;
  Id far_ = 0;
};

TEST_F(BassTest, OneActionJoinsWhatAVariantHas) {
  const Take joined = join();
  ASSERT_EQ(joined.form, RawForm::kWorked);
  EXPECT_EQ(joined.conditions.worked.takes.size(), 3U);
  EXPECT_GE(joined.colour, 0) << "it lies on the score";
  const LaneContent& near = score().lanes()[lane("near-field")].content;
  ASSERT_EQ(near.curves().size(), 3U) << "cone, port and sum";
  const auto* flags = near.find<FlagLayer>();
  ASSERT_NE(flags, nullptr);
  EXPECT_THAT(flags->flags.front().name, HasSubstr("fB 46"));
  EXPECT_FALSE(score().lanes()[lane("bass")].content.blank());
  const auto* handle = score().lanes()[lane("level")].content.find<JoinLayer>();
  ASSERT_NE(handle, nullptr);
  EXPECT_GT(handle->at_hz, handle->low_hz);
  EXPECT_LT(handle->at_hz, handle->high_hz);
}

TEST_F(BassTest, TheJoinIsDraggedAndComesBack) {
  const Id id = join().id;
  const std::size_t level = lane("level");
  const double was = score().lanes()[level].content.find<JoinLayer>()->at_hz;
  const double want = was > 400.0 ? 300.0 : 600.0;
  QTest::mousePress(&score(), Qt::LeftButton, {}, at(level, was));
  QMouseEvent move(QEvent::MouseMove, at(level, want), score().mapToGlobal(at(level, want)),
                   Qt::NoButton, Qt::LeftButton, {});
  QApplication::sendEvent(&score(), &move);
  rest();
  EXPECT_NEAR(score().lanes()[level].content.find<JoinLayer>()->at_hz, want, 0.03 * want);
  EXPECT_EQ(session().take(id)->conditions.worked.at_hz, 0.0) << "kept only when let go";
  QTest::mouseRelease(&score(), Qt::LeftButton, {}, at(level, want));
  rest();
  EXPECT_NEAR(session().take(id)->conditions.worked.at_hz, want, 0.03 * want);
  undo();
  EXPECT_EQ(session().take(id)->conditions.worked.at_hz, 0.0);
  EXPECT_NEAR(score().lanes()[level].content.find<JoinLayer>()->at_hz, was, 1e-6);
}

TEST_F(BassTest, WhatCannotBeJoinedSaysWhy) {
  session().chooseTake(session().takes().front().id);  // the demo's kiosk has no near fields
  rest();
  const std::size_t before = session().takes().size();
  act("join");
  EXPECT_EQ(session().takes().size(), before);
  EXPECT_THAT(part<QWidget>("message")->findChild<QLabel*>()->text().toStdString(),
              HasSubstr("near fields of all parts"));
}

TEST_F(BassTest, CurvesAreTreatedAlikeByOneClick) {
  session().setLaid(far_, true);
  session().chooseTake(far_);
  rest();
  // The kiosk's own response lies beside it: 1 m and another gate.
  const auto reasons = unlike(session().laid());
  ASSERT_FALSE(reasons.empty());
  auto* button = part<QPushButton>("treatAlike");
  ASSERT_NE(button, nullptr);
  const auto level_of = [&](Id id) {
    for (const LaidTake& one : session().laid())
      if (one.take.id == id)
        return to_level_db(std::abs(value_at(one.analysis->curve, 1000.0)), kReferencePressure_pa);
    return 0.0;
  };
  Id kiosk = 0;
  for (const LaidTake& one : session().laid())
    if (one.take.kind() == TakeKind::kResponse && one.take.id != far_) kiosk = one.take.id;
  const double as_taken = level_of(kiosk);
  QTest::mouseClick(button, Qt::LeftButton);
  rest();
  EXPECT_TRUE(session().treatedAlike());
  // At the chosen one's 2 m instead of 1 m.
  EXPECT_NEAR(level_of(kiosk), as_taken - 6.02, 0.3);
  for (const std::string& reason : unlike(session().laid()))
    EXPECT_THAT(reason, testing::Not(HasSubstr("distance")));
  QTest::mouseClick(part<QPushButton>("treatAlike"), Qt::LeftButton);
  rest();
  EXPECT_NEAR(level_of(kiosk), as_taken, 1e-6);
}

TEST_F(BassTest, ProportionAndSmoothingAreAtKeyAndWheel) {
  const std::size_t level = lane("level");
  const auto decade_db = [&] {
    const LaneGeometry g = score().geometryOf(level);
    return (g.up.high - g.up.low) / (g.up.bottom_px - g.up.top_px) *
           (g.across.right_px - g.across.left_px) / std::log10(g.across.high / g.across.low);
  };
  score().setFocus();
  QTest::keyClick(window_.get(), Qt::Key_P);
  rest();
  EXPECT_NEAR(decade_db(), 25.0, 0.1);
  QTest::keyClick(window_.get(), Qt::Key_P);
  rest();
  EXPECT_NEAR(decade_db(), 50.0, 0.1);
  EXPECT_THAT(part<QLabel>("proportion")->text().toStdString(), HasSubstr("look small"));
  // One notch down: a step coarser than 1/24.
  const QPoint on = at(level, 1000.0);
  QWheelEvent wheel(on, score().mapToGlobal(on), {}, QPoint(0, -120), Qt::NoButton,
                    Qt::ControlModifier | Qt::ShiftModifier, Qt::NoScrollPhase, false);
  QApplication::sendEvent(&score(), &wheel);
  rest();
  EXPECT_EQ(session().recipe(session().chosenSubject()).smoothing, 12);
}

TEST_F(BassTest, LanesOfPhaseDelayStepAndDifferenceShowTheCurves) {
  session().setLaid(far_, true);
  session().chooseTake(far_);
  rest();
  for (const char* kind : {"excess-phase", "group-delay", "difference", "step"}) {
    act((std::string("lane-") + kind).c_str());
    EXPECT_FALSE(score().lanes()[lane(kind)].content.curves().empty()) << kind;
  }
  const LaneContent& difference = score().lanes()[lane("difference")].content;
  EXPECT_THAT(difference.subtitle, HasSubstr("repeat error"));
}

TEST_F(BassTest, PlainFilesAreAskedWhatTheyAreOf) {
  session().chooseTake(far_);
  std::filesystem::copy_file(folder_ / "set" / "w.frd", folder_ / "near woofer.frd");
  std::filesystem::copy_file(folder_ / "set" / "p.frd", folder_ / "other.frd");
  window_->importFiles({QString::fromStdString((folder_ / "near woofer.frd").string()),
                        QString::fromStdString((folder_ / "other.frd").string())});
  rest();
  auto* named = part<QComboBox>("importPlanned0");
  auto* other = part<QComboBox>("importPlanned1");
  ASSERT_TRUE(named != nullptr && other != nullptr);
  EXPECT_EQ(named->currentData().toString(), QStringLiteral("woofer")) << "by its name";
  EXPECT_FALSE(other->currentData().isValid()) << "nothing is guessed";
  other->setCurrentIndex(other->findData(QStringLiteral("port")));
  QTest::mouseClick(part<QPushButton>("importTake"), Qt::LeftButton);
  rest();
  const Take& last = session().takes().back();
  ASSERT_EQ(last.kind(), TakeKind::kNearField);
  EXPECT_EQ(std::get<NearFieldSetup>(last.setup).source, "port");
  EXPECT_EQ(std::get<NearFieldSetup>(last.setup).distance_mm, 5.0);
}

}  // namespace
}  // namespace lalometer
