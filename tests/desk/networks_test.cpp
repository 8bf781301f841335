#include <fmt/format.h>
#include <gmock/gmock.h>

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QPushButton>

#include "base/constants.h"
#include "desk/networks/network_desk.h"
#include "desk/window_fixture.h"
#include "exchange/network/network_file.h"
#include "support/network_set.h"
#include "workbench/sharing/importing.h"

namespace lalometer {
namespace {

class Networks : public test::WindowTest {
 protected:
  void SetUp() override {
    WindowTest::SetUp();
    test::write(set_folder_ / "set.json", test::network_set(set_folder_.path()).dump());
    edit([this](Book& book) {
      return take_in(book, preview_import({set_folder_.path()}, {}, {}), {})
          .map([](const std::vector<Id>&) {});
    });
    session().chooseTake(session().takes().back().id);
    rest();
    window_->showDesk(QStringLiteral("networks"));
    rest();
  }
  NetworkDesk* desk() { return part<NetworkDesk>("networkDesk"); }
  void click(const char* name) {
    QTest::mouseClick(part<QPushButton>(name), Qt::LeftButton);
    rest();
  }
  const LadderPart& element(std::size_t branch, std::size_t at) {
    return desk()->network().branches.at(branch).ladder.at(at);
  }
  double level_at(double hz) {
    const NetworkSum& s = *desk()->sum();
    return std::abs(s.sum[s.axis.bracket(hz)]);
  }
  const test::TemporaryFolder set_folder_;
};

TEST_F(Networks, BeginWithABranchForEachDriverAndSaysWhereTheyCanMeet) {
  ASSERT_NE(desk()->material(), nullptr) << desk()->trouble().toStdString();
  ASSERT_EQ(desk()->network().branches.size(), 2U);
  EXPECT_TRUE(desk()->network().branches[0].ladder.empty());
  EXPECT_TRUE(part<QLabel>("networkWindow")->text().contains(QStringLiteral("can meet between")));
  EXPECT_EQ(desk()->lanes()->lanes().front().kind, "network-level");
}

TEST_F(Networks, AFoundNetworkIsDrawnKeptAndUndone) {
  click("networkFind");
  EXPECT_TRUE(part<QLabel>("networkVerdict")->text().contains(QStringLiteral("Possible with")))
      << part<QLabel>("networkVerdict")->text().toStdString();
  ASSERT_FALSE(desk()->network().branches[0].ladder.empty());
  EXPECT_FALSE(desk()->view()->placeOf({0, {0}, ElementKind::kCoil}).isEmpty());
  EXPECT_TRUE(part<QLabel>("networkFacts")->text().contains(QStringLiteral("woofer and tweeter")));
  const Id subject = session().chosenSubject();
  const auto kept = network_from_json(session().document(subject, "network"), "book");
  ASSERT_TRUE(kept.has_value());
  EXPECT_EQ(kept->branches[0].ladder.size(), desk()->network().branches[0].ladder.size());
  undo();
  EXPECT_TRUE(desk()->network().branches[0].ladder.empty());
}

// By hand: added, chosen in the drawing, dragged, switched off, removed.
TEST_F(Networks, APartIsAddedDraggedSwitchedOffAndRemoved) {
  const double bare = level_at(8000.0);
  part<QComboBox>("networkBranch")->setCurrentIndex(1);
  part<QComboBox>("networkKind")->setCurrentIndex(1);
  click("networkInLine");
  ASSERT_EQ(desk()->network().branches[1].ladder.size(), 1U);
  EXPECT_DOUBLE_EQ(element(1, 0).capacitance_f, 10e-6);
  NetworkView* view = desk()->view();
  const QPoint at = view->placeOf({1, {0}, ElementKind::kCapacitor}).center().toPoint();
  QTest::mousePress(view, Qt::LeftButton, {}, at);
  QTest::mouseMove(view, at + QPoint(0, 10));
  QTest::mouseMove(view, at + QPoint(0, 60));
  const double dragged = element(1, 0).capacitance_f;
  EXPECT_LT(dragged, 6e-6) << "downward is smaller, and the lanes follow at once";
  QTest::mouseRelease(view, Qt::LeftButton, {}, at + QPoint(0, 60));
  rest();
  EXPECT_NEAR(part<QDoubleSpinBox>("networkValue")->value(), 1e6 * dragged, 0.01);
  QTest::keyClick(view, Qt::Key_Up);
  EXPECT_NEAR(element(1, 0).capacitance_f, 1.1 * dragged, 1e-9);
  click("networkOff");
  EXPECT_NEAR(level_at(8000.0), bare, 1e-9 * bare) << "off is as if it were not there";
  EXPECT_TRUE(element(1, 0).off) << "but it is kept";
  click("networkOff");
  QTest::keyClick(view, Qt::Key_Delete);
  rest();
  EXPECT_TRUE(desk()->network().branches[1].ladder.empty());
}

// The band of the parts' spread is of the network that is shown, never of an earlier one.
TEST_F(Networks, TheSpreadOfPartsStandsAboutTheSum) {
  click("networkFind");
  auto* tolerance = part<QComboBox>("networkTolerance");
  tolerance->setCurrentIndex(4);
  emit tolerance->activated(4);
  rest();
  const auto spread = [&] {
    return desk()->lanes()->lanes().front().content.curves().front().spread;
  };
  const auto widest = [&] {
    const std::vector<double> s = spread();
    return s.empty() ? -1.0 : *std::max_element(s.begin(), s.end());
  };
  ASSERT_EQ(spread().size(), desk()->sum()->axis.size());
  EXPECT_GT(widest(), 0.2);
  DesignedNetwork bare = desk()->network();
  for (DesignBranch& b : bare.branches) b.ladder.clear();
  desk()->change(bare, true);
  EXPECT_TRUE(spread().empty()) << "the old one is gone at once";
  rest();
  EXPECT_NEAR(widest(), 0.0, 1e-9) << "no parts, no spread";
}

TEST_F(Networks, TurningADriverRoundMovesTheSum) {
  click("networkFind");
  const std::string before = part<QLabel>("networkFacts")->text().toStdString();
  const int was = desk()->network().branches[1].polarity;
  click("networkTurn-tweeter");
  EXPECT_EQ(desk()->network().branches[1].polarity, -was);
  EXPECT_NE(part<QLabel>("networkFacts")->text().toStdString(), before);
}

TEST_F(Networks, ABuildingStoneIsPutInWithFirstValues) {
  click("networkStones");
  auto* kind = part<QComboBox>("networkStoneKind");
  kind->setCurrentIndex(3);  // against its coil
  click("networkPutStone");
  ASSERT_EQ(desk()->network().branches[0].ladder.size(), 1U)
      << part<QLabel>("networkStoneTold")->text().toStdString();
  EXPECT_EQ(element(0, 0).parts.size(), 2U) << "resistor and capacitor in a row";
  // 5.6 ohm and 0.4 mH: their dual is about 13 uF.
  EXPECT_NEAR(1e6 * element(0, 0).parts[1].capacitance_f, 12.8, 3.0);
  kind->setCurrentIndex(0);
  click("networkPutStone");
  EXPECT_TRUE(part<QLabel>("networkStoneTold")->text().contains(QStringLiteral("baffle")))
      << "no baffle is described: it says so";
  EXPECT_EQ(desk()->network().branches[0].ladder.size(), 1U);
  undo();
  EXPECT_TRUE(desk()->network().branches[0].ladder.empty());
}

TEST_F(Networks, MovingADriverTurnsThePhaseAndIsKept) {
  click("networkFind");
  click("networkPlace");
  part<QComboBox>("networkPlaceDriver")->setCurrentIndex(1);
  emit part<QComboBox>("networkPlaceDriver")->activated(1);
  const double crossing = network_crossings(*desk()->sum()).front().frequency_hz;
  const auto apart = [&] {
    const NetworkSum& s = *desk()->sum();
    const std::size_t i = s.axis.bracket(crossing);
    return s.branches[1].pressure[i];
  };
  const auto before = apart();
  part<QDoubleSpinBox>("networkForward")->setValue(20.0);
  const std::size_t i = desk()->sum()->axis.bracket(crossing);
  EXPECT_NEAR(std::arg(apart() / before),
              2.0 * kPi * desk()->sum()->axis[i] * 0.02 / kSpeedOfSound20_m_s, 1e-6);
  rest();
  const auto kept =
      network_from_json(session().document(session().chosenSubject(), "network"), "book");
  ASSERT_TRUE(kept.has_value());
  EXPECT_NEAR(kept->branches[1].moved_m[2], 0.02, 1e-12);
}

TEST_F(Networks, LanesAreShownAndHiddenByHand) {
  const auto stands = [&](const char* kind) {
    const auto& all = desk()->lanes()->lanes();
    return std::any_of(all.begin(), all.end(), [&](const auto& l) { return l.kind == kind; });
  };
  // On its box: beside the words there is nothing to hit.
  const auto tick = [&](const char* name) {
    auto* box = part<QCheckBox>(name);
    QTest::mouseClick(box, Qt::LeftButton, {}, QPoint(8, box->height() / 2));
  };
  EXPECT_FALSE(stands("network-delay")) << "seldom looked at";
  click("networkLaneChoice");
  tick("network-delay-shown");
  rest();
  EXPECT_TRUE(stands("network-delay"));
  tick("network-voltage-shown");
  rest();
  EXPECT_FALSE(stands("network-voltage"));
  EXPECT_TRUE(stands("network-level"));
}

// A board on which the tweeter was turned round, measured as another variant.
TEST_F(Networks, TheBuiltBoardIsJudged) {
  click("networkFind");
  DesignedNetwork wrong = desk()->network();
  wrong.branches[1].polarity = -wrong.branches[1].polarity;
  const NetworkSum s = *network_sum(wrong, desk()->material()->drivers);
  std::string sound, load;
  for (std::size_t i = 0; i < s.axis.size(); ++i) {
    sound += fmt::format("{:.4f} {:.5f}\n", s.axis[i],
                         to_level_db(std::abs(s.sum[i]), kReferencePressure_pa));
    load += fmt::format("{:.4f} {:.5f}\n", s.axis[i], std::abs(s.load_ohm[i]));
  }
  const test::TemporaryFolder board;
  test::write(board / "board.frd", sound);
  test::write(board / "board.zma", load);
  const Id subject = session().chosenSubject();
  edit([&](Book& book) {
    const auto variant =
        book.add_variant({.subject_id = subject, .name = "As soldered", .changed = {}});
    if (!variant) return Result<void>(tl::unexpected(variant.error()));
    return take_in(book, preview_import({board / "board.frd", board / "board.zma"}, {}, {}),
                   {subject, *variant})
        .map([](const std::vector<Id>&) {});
  });
  session().chooseTake(session().takes().back().id);
  rest();
  click("networkBuilt");
  auto* built = part<QComboBox>("networkBuiltVariant");
  ASSERT_EQ(built->count(), 2) << "the one variant with takes of the whole, beside "
                               << built->itemText(1).toStdString();
  built->setCurrentIndex(1);
  emit built->activated(1);
  rest();
  EXPECT_TRUE(part<QLabel>("networkBuiltTold")
                  ->text()
                  .startsWith(QStringLiteral("tweeter is turned round against woofer")))
      << part<QLabel>("networkBuiltTold")->text().toStdString();
  EXPECT_EQ(desk()->lanes()->lanes().front().content.curves().back().label, "measured");
}

// Another book's subjects have the same ids: nothing of the first may stand there.
TEST_F(Networks, AnotherBookBeginsAnew) {
  click("networkFind");
  ASSERT_FALSE(desk()->network().branches[0].ladder.empty());
  const std::string other = (set_folder_ / "other.lalo").string();
  ASSERT_TRUE(Book::create(other).has_value());
  ASSERT_TRUE(window_->openBook(QString::fromStdString(other)));
  window_->showDesk(QStringLiteral("networks"));
  rest();
  EXPECT_EQ(desk()->material(), nullptr);
  EXPECT_TRUE(desk()->network().branches.empty());
}

TEST_F(Networks, ASubjectWithoutDriversAloneSaysWhatIsNeeded) {
  for (const Subject& s : session().subjects())
    if (s.name.find("kiosk") != std::string::npos)
      for (const Take& t : session().takes())
        if (t.subject_id == s.id) {
          session().chooseTake(t.id);
          break;
        }
  rest();
  EXPECT_EQ(desk()->material(), nullptr);
  EXPECT_TRUE(part<QLabel>("networkBasis")->text().contains(QStringLiteral("taken alone")))
      << part<QLabel>("networkBasis")->text().toStdString();
  EXPECT_FALSE(part<QPushButton>("networkFind")->isEnabled());
}

}  // namespace
}  // namespace lalometer
