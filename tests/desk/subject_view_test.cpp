#include "desk/drawing/subject_view.h"

#include <gtest/gtest.h>

#include <QMouseEvent>
#include <QSignalSpy>
#include <QTest>

#include "support/descriptions.h"

namespace lalometer {
namespace {

const char* const kBox = R"({"drivers": [
    {"id": "woofer", "sd_cm2": 132, "x_mm": 0, "y_mm": -95},
    {"id": "dome", "sd_cm2": 7.5, "x_mm": 0, "y_mm": -95}],
  "baffle": {"width_mm": 210, "height_mm": 380, "depth_mm": 300, "left_mm": 105, "top_mm": 150},
  "box": {"inner_width_mm": 178, "inner_height_mm": 348, "inner_depth_mm": 262},
  "ports": [{"id": "slot", "panel": "front", "diameter_mm": 120, "slot_height_mm": 12,
             "length_mm": 90, "x_mm": 0, "y_mm": -205}]})";

class View : public ::testing::Test {
 protected:
  View() {
    qRegisterMetaType<DrawingGrip>();
    view_.resize(720, 560);
    view_.show();
    view_.setSubject(drawn_subject(described(kBox)));
  }
  DrawingGrip gripped(QPointF from, QPointF by) {
    QSignalSpy moved(&view_, &SubjectView::gripMoved);
    QTest::mousePress(&view_, Qt::LeftButton, {}, from.toPoint());
    const QPointF to = from + by;
    QMouseEvent move(QEvent::MouseMove, to, view_.mapToGlobal(to), Qt::NoButton, Qt::LeftButton,
                     {});
    QApplication::sendEvent(&view_, &move);
    QTest::mouseRelease(&view_, Qt::LeftButton, {}, to.toPoint());
    EXPECT_GE(moved.count(), 2) << "while it moves and when it is let go";
    EXPECT_TRUE(moved.last()[3].toBool());
    right_ = moved.last()[1].toDouble();
    up_ = moved.last()[2].toDouble();
    return moved.last()[0].value<DrawingGrip>();
  }
  SubjectView view_;
  double right_ = 0.0;
  double up_ = 0.0;
};

TEST_F(View, IsToScaleAndFits) {
  const double scale = view_.pxPerMm();
  EXPECT_NEAR(view_.frontRect().width(), 210.0 * scale, 1e-6);
  EXPECT_NEAR(view_.frontRect().height(), 380.0 * scale, 1e-6);
  EXPECT_NEAR(view_.sideRect().width(), 300.0 * scale, 1e-6);
  EXPECT_TRUE(QRectF(view_.rect()).contains(view_.frontRect()));
  EXPECT_TRUE(QRectF(view_.rect()).contains(view_.sideRect()));
  const QPointF origin = view_.frontPoint(0.0, 0.0);
  EXPECT_NEAR(origin.x() - view_.frontRect().left(), 105.0 * scale, 1e-6);
  EXPECT_NEAR(origin.y() - view_.frontRect().top(), 150.0 * scale, 1e-6);
  EXPECT_NEAR(view_.frontPoint(10.0, 20.0).y() - origin.y(), -20.0 * scale, 1e-6) << "up is up";
}

TEST_F(View, TheSmallestPartUnderTheHandIsTaken) {
  const QPointF at = view_.frontPoint(0.0, -95.0);
  EXPECT_EQ(gripped(at, {20.0, 0.0}).part, 1U) << "the dome in front of the cone";
  const DrawingGrip cone = gripped(at + QPointF(0.7 * 64.8 * view_.pxPerMm(), 0.0), {0.0, -30.0});
  EXPECT_EQ(cone.kind, DrawingGrip::Kind::kPart);
  EXPECT_EQ(cone.part, 0U);
  EXPECT_NEAR(up_, 30.0 / view_.pxPerMm(), 1e-6) << "in millimetres, upward";
}

TEST_F(View, EveryEdgeAndThePortsEndCanBeTaken) {
  using Kind = DrawingGrip::Kind;
  const QRectF f = view_.frontRect();
  const QRectF s = view_.sideRect();
  EXPECT_EQ(gripped({f.left(), f.top() + 10}, {-9.0, 0.0}).kind, Kind::kLeft);
  EXPECT_EQ(gripped({f.right(), f.top() + 10}, {9.0, 0.0}).kind, Kind::kRight);
  EXPECT_EQ(gripped({f.left() + 12, f.top()}, {0.0, -9.0}).kind, Kind::kTop);
  EXPECT_EQ(gripped({f.left() + 12, f.bottom()}, {0.0, 9.0}).kind, Kind::kBottom);
  EXPECT_EQ(gripped({s.right(), s.top() + 12}, {9.0, 0.0}).kind, Kind::kBack);
  const QPointF end(s.left() + 90.0 * view_.pxPerMm(), view_.frontPoint(0.0, -205.0).y());
  const DrawingGrip port = gripped(end, {12.0, 0.0});
  EXPECT_EQ(port.kind, Kind::kPortEnd);
  EXPECT_EQ(port.part, 2U);
}

TEST_F(View, AClickChoosesAndMovesNothing) {
  QSignalSpy chosen(&view_, &SubjectView::partChosen);
  QSignalSpy moved(&view_, &SubjectView::gripMoved);
  QTest::mouseClick(&view_, Qt::LeftButton, {}, view_.frontPoint(0.0, -205.0).toPoint());
  ASSERT_EQ(chosen.count(), 1);
  EXPECT_EQ(chosen[0][0].toInt(), 2) << "the slot";
  EXPECT_EQ(moved.count(), 0);
  QTest::mouseClick(&view_, Qt::LeftButton, {}, QPoint(4, 4));
  EXPECT_EQ(chosen.last()[0].toInt(), -1);
}

TEST_F(View, SaysWhatIsMissingAndPaintsEveryKindOfBox) {
  for (const char* description :
       {"{}", R"({"loading": "open-baffle", "wings": {"left_mm": 50, "right_mm": 80},
          "baffle": {"width_mm": 300, "height_mm": 500}})",
        R"({"baffle": {"width_mm": 200, "height_mm": 300, "depth_mm": 200, "edge_radius_mm": 30},
          "passive_radiators": [{"id": "pr", "panel": "back", "sd_cm2": 90, "moving_mass_g": 20}]})",
        R"({"baffle": {"width_mm": 200, "height_mm": 300, "depth_mm": 200, "edge_chamfer_mm": 30},
          "drivers": [{"id": "off", "sd_cm2": 200, "x_mm": 90}]})"}) {
    view_.setChosen(std::nullopt);
    view_.setSubject(drawn_subject(described(description)));
    const QImage picture = view_.grab().toImage();
    int ink = 0;
    for (int x = 0; x < picture.width(); x += 2)
      for (int y = 0; y < picture.height(); y += 2) ink += qGray(picture.pixel(x, y)) < 140 ? 1 : 0;
    EXPECT_GT(ink, 60) << description;
  }
}

}  // namespace
}  // namespace lalometer
