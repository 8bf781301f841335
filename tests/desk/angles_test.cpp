// Sets of angles in the real window: lanes, rose, listening axis, equaliser, two sets.
#include <gmock/gmock.h>

#include <QCheckBox>
#include <QClipboard>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSpinBox>

#include "desk/angles/angles_page.h"
#include "desk/angles/equaliser_page.h"
#include "desk/pages/read_page.h"
#include "desk/window_fixture.h"
#include "workbench/sharing/importing.h"

namespace lalometer {
namespace {

using testing::Contains;
using testing::HasSubstr;

/// The demo book with two more subjects: loudspeakers that lose their sides, one more than the
/// other, taken from -60 to 60 degrees.
class AnglesTest : public test::WindowTest {
 protected:
  void SetUp() override {
    test::WindowTest::SetUp();
    narrow_ = add("Lock-keeper's horn", 4.0);
    wide_ = add("Weir panel", 1.0);
    window_->setStation(RouteStrip::kRead);
    for (const Take& t : session().takes())
      if (t.colour >= 0) session().setLaid(t.id, false);
    rest();
  }
  /// 6 dB down at 60 degrees and 10 kHz times `steep`; a bump at 3 kHz.
  static double level(double degrees, double f, double steep) {
    return 85.0 - steep * 6.0 * std::pow(degrees / 60.0, 2) * f / 10000.0 +
           4.0 * std::exp(-std::pow(std::log2(f / 3000.0) / 0.3, 2));
  }
  Id add(const char* name, double steep) {
    const auto set = folder_ / name;
    std::filesystem::create_directories(set);
    std::string takes;
    for (int d = -60; d <= 60; d += 10) {
      std::string rows;
      for (double f = 200.0; f < 20000.0; f *= std::exp2(1.0 / 24.0))
        rows += fmt::format("{:.2f} {:.4f} 0\n", f, level(d, f, steep));
      const std::string file = fmt::format("h{:+d}.frd", d);
      test::write(set / file, rows);
      takes += fmt::format(
          R"({}{{"id": "h{}", "kind": "response", "file": "{}", "horizontal_deg": {}, "distance_m": 2}})",
          takes.empty() ? "" : ",", d, file, d);
    }
    test::write(set / "set.json",
                fmt::format(R"({{"format": "lalometer-set", "version": 1, "subject": {{"name": "{}",
                  "kind": "loudspeaker"}}, "takes": [{}]}})",
                            name, takes));
    edit([&](Book& book) -> Result<void> {
      return take_in(book, preview_import({set}, {}), {}).map([](const auto&) {});
    });
    const Id subject = session().takes().back().subject_id;
    for (const Take& t : session().takes())
      if (t.subject_id == subject && place_of(t).horizontal_deg == 0.0) return t.id;
    ADD_FAILURE() << "no take on the axis";
    return 0;
  }
  void lay(Id take) {
    session().setLaid(take, true);
    session().chooseTake(take);
    rest();
  }
  void open(const char* action) {
    window_->actionNamed(QLatin1String(action))->trigger();
    rest();
  }
  AnglesPage* page() { return part<AnglesPage>("anglesPage"); }
  RoseView* rose() { return page()->rose(); }
  QString allCards() {
    QString text;
    for (const QFrame* card : page()->findChildren<QFrame*>(QStringLiteral("angleCard")))
      if (card->isVisible())
        for (const QLabel* label : card->findChildren<QLabel*>()) text += label->text() + "\n";
    return text;
  }
  const LaneContent& content(const char* kind) { return score().lanes()[lane(kind)].content; }
  Id narrow_ = 0;
  Id wide_ = 0;
};

TEST_F(AnglesTest, OneLaidTakeBringsItsWholeSet) {
  lay(narrow_);
  open("angles");
  QTest::mouseClick(part<QPushButton>("anglesLanes"), Qt::LeftButton);
  rest();
  const LaneContent& map = content("angles-horizontal");
  const auto* values = map.find<ValueMap>();
  ASSERT_NE(values, nullptr);
  EXPECT_EQ(values->rows.front(), -60.0);
  EXPECT_EQ(values->rows.back(), 60.0);
  // 60 degrees at about 10 kHz: 24 dB down; between rays by straight lines.
  std::size_t i = 0;
  while (values->x[i] < 10000.0) ++i;
  EXPECT_NEAR(values->values[i], -24.0 * values->x[i] / 10000.0, 0.1);
  EXPECT_NE(map.find<ContourLayer>(), nullptr);
  EXPECT_THAT(map.subtitle, HasSubstr("re the axis"));
  const auto& beam = content("beamwidth").curves();
  ASSERT_FALSE(beam.empty());
  // 6 dB at 10 kHz where 24 (d / 60)^2 = 6: 30 degrees to each side.
  while (beam[0].x[i] < 10000.0) ++i;
  EXPECT_NEAR(beam[0].y[i], 60.0, 1.5);
  EXPECT_THAT(part<QLabel>("anglesTaken")->text().toStdString(),
              HasSubstr("13 horizontal, 0 vertical"));
  EXPECT_THAT(allCards().toStdString(), HasSubstr("do not carry"));
  EXPECT_THAT(allCards().toStdString(), HasSubstr("-60°"));
  open("lane-listening-axes");
  std::vector<std::string> axes;
  for (const Series& s : content("listening-axes").curves()) axes.push_back(s.label);
  EXPECT_THAT(axes, testing::IsSupersetOf({"as taken", "30° right"}));
  // The reading tells what the map shows at the cursor: 24 (30 / 60)^2 dB at 10 kHz.
  window_->state().setCursorHz(10000.0);
  EXPECT_THAT(part<CursorList>("cursorList")->texts().join(QLatin1Char(' ')).toStdString(),
              HasSubstr("±30° -6.0"));
  // Nothing vertical is invented.
  open("lane-angles-vertical");
  EXPECT_EQ(content("angles-vertical").find<ValueMap>(), nullptr);
  EXPECT_THAT(content("angles-vertical").empty_text, HasSubstr("no vertical circle"));
}

TEST_F(AnglesTest, TheMapIsHeldAgainstWhatOneChooses) {
  lay(narrow_);
  open("angles");
  QTest::mouseClick(part<QPushButton>("anglesLanes"), Qt::LeftButton);
  rest();
  auto* reference = part<QComboBox>("mapReference");
  EXPECT_FALSE(part<QDoubleSpinBox>("mapDegrees")->isVisible());
  QTest::keyClick(reference, Qt::Key_Down);
  QTest::keyClick(reference, Qt::Key_Down);
  rest();
  EXPECT_TRUE(part<QDoubleSpinBox>("mapDegrees")->isVisible());
  EXPECT_THAT(content("angles-horizontal").subtitle, HasSubstr("re +30°"));
  const auto* values = content("angles-horizontal").find<ValueMap>();
  ASSERT_NE(values, nullptr);
  const std::size_t row = 18;  // +30 of -60, -55, ...
  ASSERT_EQ(values->rows[row], 30.0);
  for (std::size_t i = 0; i < values->x.size(); ++i)
    EXPECT_NEAR(values->values[row * values->x.size() + i], 0.0, 1e-4);
  // Kept with the view.
  window_.reset();
  reopen();
  rest();
  EXPECT_EQ(session().angles().kept().look.reference, MapReference::kAngle);
}

TEST_F(AnglesTest, TheRoseFollowsTheCursorAndTurnsTheAxis) {
  lay(narrow_);
  open("angles");
  EXPECT_THAT(rose()->texts(), Contains(QStringLiteral("horizontal: 13")));
  window_->state().setCursorHz(10000.0);
  rest();
  const auto inked = [this](double degrees, double db) {
    const QImage image = rose()->grab().toImage();
    const QPoint at = rose()->placeOf(degrees, db).toPoint();
    const QColor curve = curve_style(0, false).colour;
    for (int x = -3; x <= 3; ++x)
      for (int y = -3; y <= 3; ++y) {
        const QColor c = image.pixelColor(at.x() + x, at.y() + y);
        if (std::abs(c.red() - curve.red()) + std::abs(c.green() - curve.green()) +
                std::abs(c.blue() - curve.blue()) <
            60)
          return true;
      }
    return false;
  };
  EXPECT_TRUE(inked(40.0, level(40, 10000, 4.0) - level(0, 10000, 4.0)));
  EXPECT_FALSE(inked(40.0, 0.0));
  window_->state().setCursorHz(400.0);
  EXPECT_TRUE(inked(40.0, level(40, 400, 4.0) - level(0, 400, 4.0)));

  // What lies to the right is dragged ahead.
  const QPoint from = rose()->placeOf(30.0, -6.0).toPoint();
  const QPoint half = rose()->placeOf(15.0, -6.0).toPoint();
  const QPoint to = rose()->placeOf(0.0, -6.0).toPoint();
  QTest::mousePress(rose(), Qt::LeftButton, {}, from);
  QTest::mouseMove(rose(), half);
  QMouseEvent move(QEvent::MouseMove, half, rose()->mapToGlobal(half), Qt::NoButton, Qt::LeftButton,
                   {});
  QApplication::sendEvent(rose(), &move);
  EXPECT_TRUE(session().angles().kept().view.draft);
  QTest::mouseRelease(rose(), Qt::LeftButton, {}, to);
  rest();
  EXPECT_FALSE(session().angles().kept().view.draft);
  EXPECT_NEAR(session().angles().kept().view.horizontal_axis_deg, 30.0, 2.0);
  EXPECT_NEAR(part<QDoubleSpinBox>("aimHorizontal")->value(), 30.0, 2.0);
  EXPECT_THAT(allCards().toStdString(), HasSubstr("Turned to the axis"));
  QTest::mouseClick(part<QPushButton>("aimAhead"), Qt::LeftButton);
  rest();
  EXPECT_FALSE(session().angles().kept().view.turned());
}

TEST_F(AnglesTest, TwoSetsAreHeldAgainstEachOther) {
  lay(wide_);
  lay(narrow_);
  open("angles");
  open("lane-angles-difference");
  open("lane-beamwidth");
  const auto* values = content("angles-difference").find<ValueMap>();
  ASSERT_NE(values, nullptr);
  std::size_t i = 0;
  while (values->x[i] < 10000.0) ++i;
  // The chosen one less the other at -60 degrees.
  EXPECT_NEAR(values->values[i], -18.0 * values->x[i] / 10000.0, 0.1);
  EXPECT_EQ(rose()->texts().size(), 2);
  std::vector<std::string> names;
  for (const Series& s : content("beamwidth").curves()) names.push_back(s.label);
  // Both variants are called "As it is": what tells them apart is the loudspeaker.
  EXPECT_THAT(names, testing::UnorderedElementsAre(HasSubstr("Lock-keeper's horn"),
                                                   HasSubstr("Weir panel")));
  EXPECT_THAT(content("angles-difference").subtitle,
              testing::AllOf(HasSubstr("horn"), HasSubstr(" less Weir panel")));
  EXPECT_THAT(allCards().toStdString(), HasSubstr("within ±"));
}

TEST_F(AnglesTest, TheEqualiserMendsWhatStandsAtAllAngles) {
  lay(narrow_);
  open("equaliser");
  auto* of = part<QComboBox>("equaliseFor");
  // The listening window has no vertical angles here: it says so.
  EXPECT_THAT(part<QLabel>("equaliserOutcome")->text().toStdString(), HasSubstr("missing"));
  QTest::keyClick(of, Qt::Key_Up);
  rest();
  const auto laid = session().laid();
  ASSERT_TRUE(laid[0].set && laid[0].set->advice);
  const EqualiseAdvice& advice = *laid[0].set->advice;
  ASSERT_FALSE(advice.equalisation.filters.empty());
  double nearest = 1e9;
  for (const BandFilter& f : advice.equalisation.filters)
    nearest = std::min(nearest, std::abs(std::log2(f.frequency_hz / 3000.0)));
  EXPECT_LT(nearest, 0.1);
  const LaneContent& lane = content("equalised");
  EXPECT_EQ(lane.curves().size(), 3U);
  EXPECT_EQ(lane.curves(Side::kRight).size(), 1U);
  QTest::mouseClick(part<QPushButton>("copyFilters"), Qt::LeftButton);
  EXPECT_THAT(QGuiApplication::clipboard()->text().toStdString(), HasSubstr("at 48000 Hz: b "));
  // No filters at all is an answer too.
  auto* filters = part<QSpinBox>("equaliseFilters");
  filters->selectAll();
  QTest::keyClicks(filters, QStringLiteral("0"));
  QTest::keyClick(filters, Qt::Key_Return);
  rest();
  EXPECT_THAT(part<QLabel>("equaliserOutcome")->text().toStdString(), HasSubstr("Nothing to mend"));
}

TEST_F(AnglesTest, AnglesOfAFoldersNamesAreCorrectedBeforeTheyAreTaken) {
  const auto set = folder_ / "names";
  std::filesystem::create_directories(set);
  for (const char* name : {"sluice h0.frd", "sluice h30.frd", "sluice v-10.frd"})
    test::write(set / name, "300 80\n1000 81\n3000 82\n10000 80\n");
  window_->importFiles({QString::fromStdString(set.string())});
  rest();
  std::vector<QLineEdit*> fields;
  for (int i = 0; i < 3; ++i)
    fields.push_back(part<QLineEdit>(fmt::format("importAngle{}", i).c_str()));
  ASSERT_TRUE(fields[0] && fields[1] && fields[2]);
  EXPECT_EQ(fields[1]->text(), QStringLiteral("horizontal +30°"));
  EXPECT_EQ(fields[2]->text(), QStringLiteral("vertical -10°"));
  const auto type = [](QLineEdit* field, const char* text) {
    field->setFocus();
    field->selectAll();
    QTest::keyClicks(field, QLatin1String(text));
    QTest::keyClick(field, Qt::Key_Tab);
  };
  type(fields[1], "-45");
  EXPECT_EQ(fields[1]->text(), QStringLiteral("horizontal -45°"));
  type(fields[2], "v 20");
  type(fields[0], "ahead");
  EXPECT_EQ(fields[0]->text(), QStringLiteral("horizontal +0°")) << "no angle: as it was";
  QTest::mouseClick(part<QPushButton>("importTake"), Qt::LeftButton);
  rest();
  std::vector<std::pair<double, double>> places;
  const auto& takes = session().takes();
  for (std::size_t i = takes.size() - 3; i < takes.size(); ++i)
    places.emplace_back(place_of(takes[i]).horizontal_deg, place_of(takes[i]).vertical_deg);
  EXPECT_THAT(places, testing::UnorderedElementsAre(std::pair(0.0, 0.0), std::pair(-45.0, 0.0),
                                                    std::pair(0.0, 20.0)));
}

TEST_F(AnglesTest, WithoutASetThePagesSayWhatToDo) {
  open("angles");
  EXPECT_THAT(part<QLabel>("anglesTaken")->text().toStdString(), HasSubstr("lay one response"));
  EXPECT_TRUE(rose()->texts().isEmpty());
  open("equaliser");
  EXPECT_THAT(part<QLabel>("equaliserSet")->text().toStdString(), HasSubstr("lay one response"));
}

TEST_F(AnglesTest, ARemovedAngleLeavesTheSet) {
  lay(narrow_);
  open("angles");
  Id outer = 0;
  for (const Take& t : session().takes())
    if (t.subject_id == session().take(narrow_)->subject_id && place_of(t).horizontal_deg == 60.0)
      outer = t.id;
  edit([&](Book& book) { return book.remove_take(outer); });
  EXPECT_THAT(rose()->texts(), Contains(QStringLiteral("horizontal: 12")));
  undo();
  EXPECT_THAT(rose()->texts(), Contains(QStringLiteral("horizontal: 13")));
}

}  // namespace
}  // namespace lalometer
