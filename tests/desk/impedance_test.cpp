// The impedance desk, driven as its users do: variants and samples side by side, the driver's
// parameters on their way to the models, loops with their causes, tuning help.
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFrame>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSignalSpy>
#include <QTableWidget>
#include <nlohmann/json.hpp>

#include "desk/impedance/driver_page.h"
#include "desk/impedance/series_desk.h"
#include "desk/queue/stand_view.h"
#include "desk/window_fixture.h"
#include "workbench/design/box_candidates.h"

namespace lalometer {
namespace {

class Impedances : public test::WindowTest {
 protected:
  void SetUp() override {
    std::filesystem::copy_file(LALOMETER_WHOLE_DEMO_BOOK, folder_ / "demo.lalo");
    reopen();
  }
  /// The first take of a sample and condition.
  Id takeOf(const std::string& sample, const std::string& condition) {
    for (const Take& t : session().takes()) {
      if (t.conditions.sample == sample && condition_of(t) == condition) return t.id;
    }
    ADD_FAILURE() << "no take of " << sample;
    return 0;
  }
  void openWoofers() {
    session().setLaid(takeOf("A", "free-air"), true);
    window_->showDesk(QStringLiteral("impedances"));
    rest();
  }
  QString cell(const QString& row, int column) {
    auto* table = part<QTableWidget>("seriesTable");
    for (int r = 0; r < table->rowCount(); ++r) {
      if (table->verticalHeaderItem(r)->text() == row) return table->item(r, column)->text();
    }
    return {};
  }
  DescribedDriver woofer() {
    return session().subject(session().chosenSubject())->description.drivers.at(0);
  }
};

TEST_F(Impedances, ParametersGoToTheModelsByOneClickAndUndoTakesThemBack) {
  openWoofers();
  ASSERT_TRUE(part<DriverPage>("driverPage")->study());
  EXPECT_TRUE(part<QLabel>("driver_fs_hz")->text().startsWith(QStringLiteral("42.0")));
  EXPECT_TRUE(part<QLabel>("driver_vas_l")->text().startsWith(QStringLiteral("21.5")));
  EXPECT_FALSE(woofer().figures.fs_hz.has_value());
  QTest::mouseClick(part<QPushButton>("driverUse"), Qt::LeftButton);
  rest();
  EXPECT_NEAR(*woofer().figures.fs_hz, 42.0, 0.1);
  EXPECT_NEAR(*woofer().figures.vas_l, 21.5, 0.2);
  // What weighs boxes takes them from there.
  const auto driver = box_driver_of(session().subject(session().chosenSubject())->description);
  ASSERT_TRUE(driver);
  EXPECT_FALSE(driver->usual);
  EXPECT_NEAR(driver->driver.fs_hz(), 42.0, 0.1);
  QTest::keyClick(window_.get(), Qt::Key_Z, Qt::ControlModifier);
  rest();
  EXPECT_FALSE(woofer().figures.fs_hz.has_value());
}

TEST_F(Impedances, ASheetsValueIsKeptAndJudged) {
  openWoofers();
  auto* field = part<QLineEdit>("sheet_fs_hz");
  ASSERT_NE(field, nullptr);
  field->setFocus();
  field->selectAll();
  QTest::keyClicks(field, QStringLiteral("30"));
  QTest::keyClick(field, Qt::Key_Return);
  rest();
  EXPECT_EQ(woofer().sheet.fs_hz, 30.0);
  bool outside = false;
  for (const QLabel* label : part<QWidget>("driverPage")->findChildren<QLabel*>())
    outside = outside || label->text() == QStringLiteral("+40 % !");
  EXPECT_TRUE(outside);
  QSignalSpy failed(part<DriverPage>("driverPage"), &DriverPage::failed);
  field = part<QLineEdit>("sheet_fs_hz");
  field->setFocus();
  field->selectAll();
  QTest::keyClicks(field, QStringLiteral("thirty"));
  QTest::keyClick(field, Qt::Key_Return);
  rest();
  EXPECT_EQ(failed.count(), 1);
  EXPECT_EQ(woofer().sheet.fs_hz, 30.0) << "what was there stays";
}

TEST_F(Impedances, WithoutAnAreaTheMechanicalSideStaysOpen) {
  openWoofers();
  part<QDoubleSpinBox>("driverArea")->setValue(0.0);
  rest();
  EXPECT_TRUE(part<DriverPage>("driverPage")->study());
  EXPECT_FALSE(part<DriverPage>("driverPage")->study()->parameters.vas_m3);
  auto* group = part<QComboBox>("driverGroup");
  group->setCurrentIndex(group->findText(QStringLiteral("woofer C")));
  emit group->activated(group->currentIndex());
  rest();
  EXPECT_TRUE(part<QLabel>("driver_fs_hz")->text().startsWith(QStringLiteral("45.")));
}

TEST_F(Impedances, TheLeakShowsInTheTableOfVariants) {
  window_->showDesk(QStringLiteral("impedances"));
  rest();
  auto* table = part<QTableWidget>("seriesTable");
  ASSERT_EQ(table->columnCount(), 3);
  EXPECT_TRUE(cell(QStringLiteral("QL"), 2).contains(QStringLiteral("▼")));
  EXPECT_FALSE(cell(QStringLiteral("fB"), 2).contains(QStringLiteral("▼")));
  EXPECT_EQ(cell(QStringLiteral("ripple"), 1), QStringLiteral("none"));
  auto* strip = part<SeriesStrip>("seriesStrip");
  QTest::mouseClick(strip, Qt::LeftButton, {}, strip->panel(2).center().toPoint());
  EXPECT_TRUE(part<QLabel>("seriesWords")->text().contains(QStringLiteral("QL went from")));
  QTest::mouseClick(strip, Qt::LeftButton, Qt::ControlModifier, strip->panel(2).center().toPoint());
  EXPECT_TRUE(cell(QStringLiteral("QL"), 0).contains(QStringLiteral("▲")));
  QTest::keyClick(strip, Qt::Key_Right);
  EXPECT_TRUE(part<QLabel>("seriesWords")->text().contains(QStringLiteral("From Bare, cable")));
}

// What was varied crosswise shows as a table of its own; the ranking counts what is asked.
TEST_F(Impedances, WhatWasVariedCrosswiseIsTabled) {
  const char* const said[] = {"felt 0 mm, cable 0 m", "felt 20 mm, cable 0 m",
                              "felt 0 mm, cable 3 m"};
  std::vector<Variant> three = session().variants();
  std::erase_if(three, [&](const Variant& v) { return v.subject_id != session().chosenSubject(); });
  ASSERT_EQ(three.size(), 3U);
  for (std::size_t i = 0; i < 3; ++i) {
    three[i].changed = said[i];
    edit([v = three[i]](Book& book) { return book.set_variant(v); });
  }
  window_->showDesk(QStringLiteral("impedances"));
  rest();
  const auto words = [&] { return part<QLabel>("seriesWords")->text(); };
  EXPECT_TRUE(words().contains(QStringLiteral("<b>load, ohm</b>"))) << words().toStdString();
  EXPECT_TRUE(words().contains(QStringLiteral("felt makes no difference")));
  EXPECT_FALSE(words().contains(QStringLiteral("lowest impedance")));
  QTest::mouseClick(part<QPushButton>("seriesAim-load"), Qt::LeftButton);
  rest();
  EXPECT_TRUE(words().contains(QStringLiteral("lowest impedance"))) << words().toStdString();
}

TEST_F(Impedances, SamplesAreMatchedAndTheOddOneIsNamed) {
  openWoofers();
  auto* by = part<QComboBox>("seriesBy");
  by->setCurrentIndex(1);
  emit by->activated(1);
  rest();
  const QString words = part<QLabel>("seriesWords")->text();
  EXPECT_TRUE(words.contains(QStringLiteral("Best pair:</b> A and B"))) << words.toStdString();
  EXPECT_TRUE(words.contains(QStringLiteral("Odd one out:</b> C")));
  EXPECT_FALSE(words.contains(QStringLiteral("Ranking")));
}

TEST_F(Impedances, ASubjectWithOneVariantSaysWhatASeriesNeeds) {
  openWoofers();
  EXPECT_FALSE(part<SeriesDesk>("seriesDesk")->study());
  EXPECT_TRUE(part<QLabel>("seriesEmpty")->isVisible());
  EXPECT_TRUE(part<QLabel>("seriesEmpty")->text().contains(QStringLiteral("at least two")));
}

TEST_F(Impedances, ALoopCardNamesTheStandingWaveAndPutsTheCursorThere) {
  session().chooseTake(session().takes().front().id);
  rest();
  QFrame* deep = nullptr;
  for (QFrame* card :
       part<QWidget>("readPage")->findChildren<QFrame*>(QStringLiteral("loopCard"))) {
    if (std::abs(card->property("hz").toDouble() - 657.0) < 8.0) deep = card;
  }
  ASSERT_NE(deep, nullptr);
  QString text;
  for (const QLabel* label : deep->findChildren<QLabel*>()) text += label->text();
  EXPECT_TRUE(text.contains(QStringLiteral("box depth wave"))) << text.toStdString();
  EXPECT_TRUE(text.contains(QStringLiteral("gone with “Lined")));
  QTest::mouseClick(deep, Qt::LeftButton);
  EXPECT_NEAR(window_->state().cursorHz(), 657.0, 8.0);
  EXPECT_FALSE(score().lanes()[lane("loops")].content.curves().empty());
}

TEST_F(Impedances, TuningHelpSpeaksOfThePortThatIsThere) {
  session().chooseTake(session().takes().front().id);
  window_->showDesk(QStringLiteral("impedances"));
  rest();
  EXPECT_TRUE(part<QLabel>("tunedTo")->text().contains(QStringLiteral("49.")));
  QTest::keyClicks(part<QLineEdit>("tuneWanted"), QStringLiteral("45"));
  EXPECT_TRUE(part<QLabel>("tuneSteps")->text().contains(QStringLiteral("longer")));
  part<QLineEdit>("tuneWanted")->clear();
  QTest::keyClicks(part<QLineEdit>("tuneWanted"), QStringLiteral("A#1"));
  EXPECT_TRUE(part<QLabel>("tuneSteps")->text().contains(QStringLiteral("Cut")));
  part<QLineEdit>("tuneWanted")->clear();
  QTest::keyClicks(part<QLineEdit>("tuneWanted"), QStringLiteral("300"));
  EXPECT_TRUE(part<QLabel>("tuneSteps")->text().contains(QStringLiteral("octave")));
}

TEST_F(Impedances, SeveralEditsTogetherAreToldOnce) {
  QSignalSpy laid(&session(), &BookSession::laidChanged);
  {
    const BookSession::Together together(session());
    session().setLaid(takeOf("A", "free-air"), true);
    session().setLaid(takeOf("B", "free-air"), true);
    EXPECT_EQ(laid.count(), 0);
  }
  EXPECT_EQ(laid.count(), 1);
}

// A plan for parameters, on the practice bench: the driver stands bare there, with its mass.
TEST_F(Impedances, TheQueueTakesTheDriverOutOfItsBox) {
  TakeRequest request;
  request.kind = TakeKind::kImpedance;
  request.condition = "added-mass";
  request.source = "woofer";
  request.added_mass_g = 12.0;
  window_->capture().wired().aim(request);
  const auto& bare = window_->capture().practiceSetup().bare_driver;
  ASSERT_TRUE(bare.has_value());
  EXPECT_DOUBLE_EQ(bare->added_mass_kg, 0.012);
  request.condition = "in-box";
  window_->capture().wired().aim(request);
  EXPECT_FALSE(window_->capture().practiceSetup().bare_driver.has_value());
}

TEST_F(Impedances, TheStandIsSeenFromAboveWhereSideWallsAreTold) {
  window_->showDesk(QStringLiteral("takes"));
  auto* view = part<StandView>("standView");
  part<QDoubleSpinBox>("standLeft")->setValue(0.0);
  part<QDoubleSpinBox>("standRight")->setValue(0.0);
  const double alone = view->microphonePoint().x();
  part<QDoubleSpinBox>("standLeft")->setValue(1.1);
  EXPECT_LT(view->microphonePoint().x(), alone);
  EXPECT_LT(view->microphonePoint().x(), 0.64 * view->width());
}

}  // namespace
}  // namespace lalometer
