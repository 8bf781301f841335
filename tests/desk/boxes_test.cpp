#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSlider>

#include "desk/boxes/box_desk.h"
#include "desk/drawing/drawing_desk.h"
#include "desk/window_fixture.h"

namespace lalometer {
namespace {

class Boxes : public test::WindowTest {
 protected:
  void SetUp() override {
    test::WindowTest::SetUp();
    window_->setStation(RouteStrip::kPlan);
    QTest::mouseClick(part<QPushButton>("toBoxes"), Qt::LeftButton);
    desk_ = window_->boxes();
    ASSERT_TRUE(desk_->isVisible());
    rest();
  }
  const BoxCandidate& chosen() { return desk_->outcomes()[desk_->chosen()].candidate; }
  BoxDesk* desk_ = nullptr;
};

TEST_F(Boxes, ADraggedDotChangesVolumeAndTuningAtOnce) {
  BoxFieldView* field = desk_->field();
  const BoxCandidate before = chosen();
  const double f3 = *desk_->outcomes()[0].f3_hz;
  const QPointF at = field->pointOf(before);
  QTest::mousePress(field, Qt::LeftButton, {}, at.toPoint());
  const QPointF to = at + QPointF(60.0, 20.0);
  QMouseEvent move(QEvent::MouseMove, to, field->mapToGlobal(to), Qt::NoButton, Qt::LeftButton, {});
  QApplication::sendEvent(field, &move);
  EXPECT_GT(chosen().volume_l, 1.3 * before.volume_l);
  EXPECT_LT(chosen().tuning_hz, before.tuning_hz);
  EXPECT_LT(*desk_->outcomes()[0].f3_hz, f3) << "larger and tuned lower: reaches lower";
  QTest::mouseRelease(field, Qt::LeftButton, {}, to.toPoint());
  rest();
  const double kept = chosen().volume_l;
  reopen();
  EXPECT_EQ(window_->boxes()->outcomes()[0].candidate.volume_l, kept) << "kept in the book";
}

// Its seams are all that a sealed box leaks by: 7 would put its F3 6 Hz too high.
TEST_F(Boxes, ASealedBoxHasNoLeakAndAVentedOneGetsItsUsualOneBack) {
  auto* kind = part<QComboBox>("boxKind");
  const auto choose = [&](int row) {
    kind->setCurrentIndex(row);
    emit kind->activated(row);
    rest();
  };
  EXPECT_EQ(chosen().ql, 7.0);
  const double leaking = chosen().ql;
  choose(0);
  EXPECT_EQ(chosen().ql, 0.0);
  EXPECT_FALSE(part<QDoubleSpinBox>("candidate leakage")->isVisible());
  choose(1);
  EXPECT_EQ(chosen().ql, leaking);
  EXPECT_TRUE(part<QDoubleSpinBox>("candidate leakage")->isVisible());
  // One that was chosen by hand is the tester's own and stays.
  part<QDoubleSpinBox>("candidate leakage")->setValue(12.0);
  rest();
  choose(0);
  EXPECT_NEAR(chosen().ql, 12.0, 0.1);
  EXPECT_TRUE(part<QDoubleSpinBox>("candidate leakage")->isVisible());
}

TEST_F(Boxes, CandidatesStandSideBySide) {
  QTest::mouseClick(part<QPushButton>("boxAdd"), Qt::LeftButton);
  rest();
  ASSERT_EQ(desk_->outcomes().size(), 2U);
  EXPECT_EQ(desk_->lanes()->lanes()[0].content.curves().size(), 2U);
  auto* kind = part<QComboBox>("boxKind");
  kind->setCurrentIndex(0);
  emit kind->activated(0);
  rest();
  EXPECT_EQ(chosen().kind, BoxCandidate::Kind::kSealed);
  EXPECT_FALSE(part<QDoubleSpinBox>("candidate tuning")->isVisible())
      << "a sealed box has no tuning";
  const QString words = part<QLabel>("boxWords")->text();
  EXPECT_TRUE(words.contains(QStringLiteral("vented"))) << words.toStdString();
  EXPECT_TRUE(words.contains(QStringLiteral("sealed")));
}

TEST_F(Boxes, SliderAndNumberMoveTogether) {
  auto* slider = part<QSlider>("slide net volume");
  auto* number = part<QDoubleSpinBox>("candidate net volume");
  number->setValue(30.0);
  rest();
  EXPECT_EQ(chosen().volume_l, 30.0);
  const int middle = slider->value();
  QTest::keyClick(slider, Qt::Key_Right);
  rest();
  EXPECT_GT(slider->value(), middle);
  EXPECT_GT(number->value(), 30.0);
}

// E1 of equal temperament is 41.2 Hz.
TEST_F(Boxes, IsTunedToALowestNote) {
  auto* note = part<QLineEdit>("lowestNote");
  QTest::keyClicks(note, QStringLiteral("E1"));
  QTest::keyClick(note, Qt::Key_Return);
  rest();
  EXPECT_NEAR(chosen().tuning_hz, 41.203, 0.001);
  note->clear();
  QTest::keyClicks(note, QStringLiteral("H9x"));
  QTest::keyClick(note, Qt::Key_Return);
  EXPECT_NEAR(chosen().tuning_hz, 41.203, 0.001) << "no note, no change";
}

TEST_F(Boxes, BecomesAVariantAndGoesIntoTheDrawing) {
  const std::size_t before = session().variants().size();
  part<QDoubleSpinBox>("candidate net volume")->setValue(18.0);
  for (QPushButton* button : part<QWidget>("boxPage")->findChildren<QPushButton*>())
    if (button->text().startsWith(QLatin1String("Make it")))
      QTest::mouseClick(button, Qt::LeftButton);
  rest();
  ASSERT_EQ(session().variants().size(), before + 1);
  EXPECT_NE(session().variants().back().changed.find("18.0 l"), std::string::npos);
  desk_->takeIntoDrawing();
  rest();
  EXPECT_NEAR(*drawn_subject(window_->drawing()->description()).net_volume_l, 18.0, 1e-9);
  undo();
  EXPECT_NEAR(*drawn_subject(window_->drawing()->description()).net_volume_l, 14.0, 1e-9);
}

TEST_F(Boxes, ModelsLieUnderTheMeasuredCurvesWhenAsked) {
  window_->setStation(RouteStrip::kRead);
  const auto modelled = [&](const char* kind) {
    for (const Series& s : score().lanes()[lane(kind)].content.curves())
      if (s.label == "modelled") return true;
    return false;
  };
  EXPECT_FALSE(modelled("level"));
  QTest::keyClick(window_.get(), Qt::Key_M, Qt::ControlModifier);
  rest();
  EXPECT_TRUE(modelled("level"));
  EXPECT_TRUE(modelled("impedance"));
  QTest::keyClick(window_.get(), Qt::Key_M, Qt::ControlModifier);
  rest();
  EXPECT_FALSE(modelled("level"));
}

}  // namespace
}  // namespace lalometer
