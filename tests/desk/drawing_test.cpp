#include <QDoubleSpinBox>
#include <QLabel>
#include <QPushButton>
#include <QStackedWidget>
#include <nlohmann/json.hpp>

#include "desk/drawing/drawing_page.h"
#include "desk/window_fixture.h"
#include "support/descriptions.h"

namespace lalometer {
namespace {

class Drawing : public test::WindowTest {
 protected:
  void SetUp() override {
    test::WindowTest::SetUp();
    window_->setStation(RouteStrip::kPlan);
    QTest::mouseClick(part<QPushButton>("toDrawing"), Qt::LeftButton);
    view_ = window_->drawing()->view();
    ASSERT_TRUE(view_->isVisible());
  }
  void drag(QPointF from, QPointF by, bool release = true) {
    QTest::mousePress(view_, Qt::LeftButton, {}, from.toPoint());
    for (int i = 1; i <= 4; ++i) {
      QMouseEvent move(QEvent::MouseMove, from + by * (i / 4.0),
                       view_->mapToGlobal(from + by * (i / 4.0)), Qt::NoButton, Qt::LeftButton, {});
      QApplication::sendEvent(view_, &move);
    }
    if (release) QTest::mouseRelease(view_, Qt::LeftButton, {}, (from + by).toPoint());
  }
  DrawnSubject kept() {
    return drawn_subject(session().subject(session().chosenSubject())->description);
  }
  SubjectView* view_ = nullptr;
};

TEST_F(Drawing, ADraggedDriverIsKeptAsOneStepOfUndo) {
  const DrawnSubject before = kept();
  // Well inside its cone, and off the port behind it.
  const QPointF woofer =
      view_->frontPoint(before.parts[0].x_mm, before.parts[0].y_mm) - QPointF(0, 20);
  const double up_px = 20.0 * view_->pxPerMm();
  const LaneContent curve = window_->drawing()->edges();
  drag(woofer, {0.0, -up_px}, false);
  EXPECT_EQ(kept().parts[0].y_mm, before.parts[0].y_mm) << "not kept while the hand holds it";
  EXPECT_NEAR(drawn_subject(window_->drawing()->description()).parts[0].y_mm, -75.0, 1.01);
  EXPECT_NE(window_->drawing()->edges().curves()[0].y, curve.curves()[0].y) << "the curve follows";
  QTest::mouseRelease(view_, Qt::LeftButton, {}, (woofer + QPointF(0, -up_px)).toPoint());
  rest();
  EXPECT_NEAR(kept().parts[0].y_mm, -75.0, 1.01);
  undo();
  EXPECT_EQ(kept().parts[0].y_mm, before.parts[0].y_mm);
  EXPECT_EQ(drawn_subject(window_->drawing()->description()).parts[0].y_mm, before.parts[0].y_mm);
}

TEST_F(Drawing, AShallowBoxIsSolvedWhenTheHandLetsGo) {
  auto text = nlohmann::json::parse(to_json(window_->drawing()->description()));
  text["baffle"]["depth_mm"] = 60;
  const Description flat = described(text.dump());
  window_->drawing()->edit(flat, false);
  EXPECT_NE(window_->drawing()->edges().subtitle.find("solved"), std::string::npos);
  window_->drawing()->edit(flat, true);
  rest();
  EXPECT_EQ(window_->drawing()->edges().subtitle.find("solved"), std::string::npos);
  EXPECT_FALSE(window_->drawing()->edges().curves().empty());
}

TEST_F(Drawing, AnEdgeFollowsTheHandAndEscapePutsItBack) {
  const QPointF right(view_->frontRect().right(), view_->frontRect().top() + 8);
  drag(right, {30.0 * view_->pxPerMm(), 0.0}, false);
  EXPECT_NEAR(drawn_subject(window_->drawing()->description()).width_mm, 240.0, 1.01);
  QTest::keyClick(view_, Qt::Key_Escape);
  EXPECT_EQ(drawn_subject(window_->drawing()->description()).width_mm, 210.0);
  EXPECT_EQ(kept().width_mm, 210.0);
}

TEST_F(Drawing, ArrowsNudgeAndTypedNumbersCount) {
  drag(view_->frontPoint(0.0, 60.0), {0.0, 0.0});
  ASSERT_EQ(window_->drawing()->chosenPart(), std::optional<std::size_t>(1));
  QTest::keyClick(view_, Qt::Key_Right);
  QTest::keyClick(view_, Qt::Key_Up, Qt::ShiftModifier);
  rest();
  EXPECT_EQ(kept().parts[1].x_mm, 1.0);
  EXPECT_EQ(kept().parts[1].y_mm, 70.0);
  auto* depth = part<QDoubleSpinBox>("box depth");
  depth->setValue(320.0);
  rest();
  EXPECT_EQ(kept().depth_mm, 320.0);
  EXPECT_EQ(kept().inner_depth_mm, 282.0);
}

TEST_F(Drawing, TheImpossibleIsSaidBesideTheDrawing) {
  // Well inside the cone, and off the port behind it.
  drag(view_->frontPoint(0.0, -70.0), {70.0 * view_->pxPerMm(), 0.0});
  auto* figures = part<QLabel>("drawingFigures");
  EXPECT_TRUE(figures->text().contains(QStringLiteral("flat of the front")))
      << figures->text().toStdString();
  EXPECT_TRUE(window_->drawing()->edges().curves().empty());
  EXPECT_FALSE(window_->drawing()->edges().empty_text.empty());
}

TEST_F(Drawing, FindsTheBestPlace) {
  drag(view_->frontPoint(0.0, 60.0), {0.0, 0.0});
  for (QPushButton* button : part<QWidget>("drawingPage")->findChildren<QPushButton*>())
    if (button->text().startsWith(QLatin1String("Find"))) QTest::mouseClick(button, Qt::LeftButton);
  rest();
  EXPECT_NE(kept().parts[1].x_mm, 0.0) << "the middle of the front is the worst place for a dome";
  EXPECT_TRUE(kept().parts[1].problems.empty());
  EXPECT_TRUE(view_->showsRipple()) << "the map of all places stays until something moves";
  QTest::keyClick(view_, Qt::Key_Left);
  EXPECT_FALSE(view_->showsRipple());
}

TEST_F(Drawing, PredictionsFollowTheDrawing) {
  const auto tuning = [&] {
    const auto& marks = score().lanes()[lane("predictions")].content.marks();
    for (const LaneMark& m : marks)
      if (m.name == "tuning") return m.low_hz;
    return 0.0;
  };
  const double before = tuning();
  const DrawnSubject s = kept();
  window_->drawing()->edit(
      with_part_figure(window_->drawing()->description(), s.parts[2], PartFigure::kLength, 60.0),
      true);
  rest();
  EXPECT_GT(tuning(), 1.15 * before);
}

}  // namespace
}  // namespace lalometer
