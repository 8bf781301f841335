#include <gmock/gmock.h>

#include <QAction>
#include <QComboBox>
#include <QDialog>
#include <QLabel>
#include <QPushButton>
#include <set>

#include "desk/drawing/drawing_desk.h"
#include "desk/importing/import_sheet.h"
#include "desk/pages/start_view.h"
#include "desk/shelf/shelf_view.h"
#include "desk/window_fixture.h"

/// An empty book and its first take; groups of takes on shelf and score.
namespace lalometer {
namespace {

class FirstSteps : public test::WindowTest {
 protected:
  void SetUp() override {
    test::WindowTest::SetUp();
    ASSERT_TRUE(window_->newBook(QString::fromStdString((folder_ / "new.lalo").string())));
    rest();
  }
  void click(const char* name) {
    auto* button = part<QPushButton>(name);
    ASSERT_NE(button, nullptr) << name;
    QTest::mouseClick(button, Qt::LeftButton);
  }
  bool until(const std::function<bool()>& holds) { return QTest::qWaitFor(holds, 30000); }
};

TEST_F(FirstSteps, AnEmptyBookAsksWhatIsOnTheBenchUntilThereIsATake) {
  auto* start = part<StartView>("startView");
  EXPECT_TRUE(start->isVisible());
  EXPECT_FALSE(score().isVisible());
  click("startLoudspeaker");
  ASSERT_TRUE(until([&] { return session().takes().size() == 1; }));
  rest();
  EXPECT_EQ(session().takes()[0].kind(), TakeKind::kResponse);
  EXPECT_FALSE(start->isVisible());
  EXPECT_TRUE(score().isVisible());
  EXPECT_GE(session().takes()[0].colour, 0) << "it lies on the score";
}

TEST_F(FirstSteps, ADriverIsTakenInFreeAir) {
  click("startDriver");
  ASSERT_TRUE(until([&] { return session().takes().size() == 1; }));
  EXPECT_EQ(session().takes()[0].kind(), TakeKind::kImpedance);
  EXPECT_EQ(condition_of(session().takes()[0].setup), "free-air");
}

TEST_F(FirstSteps, ADrawingComesWithASubjectOfItsOwn) {
  click("startDrawing");
  ASSERT_TRUE(until([&] { return session().subjects().size() == 1; }));
  rest();
  EXPECT_TRUE(window_->findChild<DrawingDesk*>()->isVisible());
  undo();
  EXPECT_TRUE(session().subjects().empty()) << "one step of undo";
}

TEST_F(FirstSteps, TheConditionThatIsChosenIsWhatTheTakeSays) {
  window_->setStation(RouteStrip::kCapture);
  part<QComboBox>("captureKind")->setCurrentIndex(1);
  auto* condition = part<QComboBox>("captureCondition");
  condition->setCurrentIndex(condition->findData(QStringLiteral("in-box")));
  click("takeButton");
  ASSERT_TRUE(until([&] { return session().takes().size() == 1; }));
  rest();
  condition->setCurrentIndex(condition->findData(QStringLiteral("free-air")));
  click("takeButton");
  ASSERT_TRUE(until([&] { return session().takes().size() == 2; }));
  EXPECT_EQ(condition_of(session().takes()[0].setup), "in-box");
  EXPECT_EQ(condition_of(session().takes()[1].setup), "free-air");
}

TEST_F(FirstSteps, ABookThatIsNotThereIsOfferedToBeMade) {
  const auto path = folder_ / "later.lalo";
  window_->offerBook(QString::fromStdString(path.string()));
  EXPECT_THAT(part<QLabel>("messageText")->text().toStdString(),
              ::testing::HasSubstr("later.lalo"));
  EXPECT_FALSE(std::filesystem::exists(path)) << "asking makes nothing";
  click("messageStep");
  rest();
  EXPECT_TRUE(std::filesystem::exists(path));
  EXPECT_EQ(session().book().path(), path);
}

/// Curves at five angles of one distance and drive, read together.
class Group : public test::WindowTest {
 protected:
  void SetUp() override {
    test::WindowTest::SetUp();
    const Take like = session().takes().front();
    edit([like](Book& book) -> Result<void> {
      for (const double angle : {30.0, -30.0, 0.0, 15.0, -15.0}) {
        Take take;
        take.subject_id = like.subject_id;
        take.variant_id = like.variant_id;
        take.form = RawForm::kTextFile;
        take.name = std::to_string(static_cast<int>(angle)) + " deg";
        take.setup = FarFieldSetup{{2.0, angle, 0.0, {}}, {}};
        const std::string rows =
            "100 " + std::to_string(80.0 - std::abs(angle) / 10.0) + " 0\n1000 80 0\n10000 70 0\n";
        const auto bytes = std::as_bytes(std::span(rows.data(), rows.size()));
        if (auto kept = book.add_take(take, {{bytes.begin(), bytes.end()}, 0.0, 0, "curve.frd"});
            !kept)
          return tl::unexpected(kept.error());
      }
      return {};
    });
    for (const TakeGroup& g : session().groups())
      if (g.kind == GroupKind::kOrbit) orbit_ = g.id;
    ASSERT_NE(orbit_, 0);
  }
  std::vector<double> angles(const std::vector<Id>& members) {
    std::vector<double> result;
    for (const Id id : members)
      result.push_back(place_of(session().take(id)->setup).horizontal_deg);
    return result;
  }
  Id orbit_ = 0;
};

TEST_F(Group, StandsInTheOrderOfItsAngles) {
  EXPECT_EQ(angles(session().membersOf(orbit_)),
            (std::vector<double>{-30.0, -15.0, 0.0, 15.0, 30.0}));
}

TEST_F(Group, LiesOnTheScoreInShadesThatNoOtherCurveHas) {
  std::set<int> others;
  for (const Take& t : session().takes())
    if (t.colour >= 0) others.insert(t.colour);
  session().setGroupLaid(orbit_, true);
  rest();
  std::set<int> shades;
  for (const Id id : session().membersOf(orbit_)) {
    const int colour = session().take(id)->colour;
    EXPECT_GE(colour, 0);
    EXPECT_FALSE(others.contains(colour));
    shades.insert(colour);
  }
  EXPECT_EQ(shades.size(), 5U) << "each is told from its neighbour";
  EXPECT_EQ(score().lanes()[lane("level")].content.curves().size(), others.size() / 2 + 5U);
  session().setGroupLaid(orbit_, false);
  rest();
  for (const Id id : session().membersOf(orbit_)) EXPECT_LT(session().take(id)->colour, 0);
}

TEST_F(Group, ItsShadesAreThereAfterReopening) {
  session().setGroupLaid(orbit_, true);
  rest();
  std::vector<int> before;
  for (const Id id : session().membersOf(orbit_)) before.push_back(session().take(id)->colour);
  reopen();
  std::vector<int> after;
  for (const Id id : session().membersOf(orbit_)) after.push_back(session().take(id)->colour);
  EXPECT_EQ(after, before);
}

TEST_F(Group, ATakeThatComesLaterJoinsItAndUndoTakesItOut) {
  edit([member = *session().take(session().membersOf(orbit_).front())](Book& book) {
    Take take = member;
    take.id = 0;
    take.group_id = 0;
    take.name = "45 deg";
    std::get<FarFieldSetup>(take.setup).place.horizontal_deg = 45.0;
    const std::string rows = "100 75 0\n1000 80 0\n";
    const auto bytes = std::as_bytes(std::span(rows.data(), rows.size()));
    return book.add_take(take, {{bytes.begin(), bytes.end()}, 0.0, 0, "curve.frd"}).map([](Id) {});
  });
  EXPECT_EQ(angles(session().membersOf(orbit_)).back(), 45.0);
  undo();
  EXPECT_EQ(session().membersOf(orbit_).size(), 5U);
}

}  // namespace
}  // namespace lalometer
