// Published charts that gnuplot drew (tests/reference/charts/charts.gp), traced: within 0.3 dB and
// 1 % in frequency of the function they were drawn of.
#include <gmock/gmock.h>

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>

#include "desk/chart/chart_desk.h"
#include "desk/window_fixture.h"

namespace lalometer {
namespace {

using testing::HasSubstr;

std::filesystem::path chart(const char* name) {
  return std::filesystem::path(LALOMETER_SOURCE) / "tests/reference/charts" / name;
}

/// The function of charts.gp.
double level(double f) {
  return 84.0 + 5.0 * std::sin(3.1 * std::log10(f)) -
         7.0 * std::exp(-std::pow(std::log(f / 3200.0) / 0.09, 2)) +
         4.0 * std::exp(-std::pow(std::log(f / 900.0) / 0.2, 2)) -
         12.0 * std::log10(1.0 + std::pow(60.0 / f, 4)) -
         10.0 * std::log10(1.0 + std::pow(f / 14000.0, 4));
}
double ohm(double f) {
  return 6.0 + 30.0 / (1.0 + std::pow(4.0 * (f / 42.0 - 42.0 / f), 2)) + 0.004 * std::pow(f, 0.95);
}

/// Scales at the shares of the picture that charts.gp tells, 100 Hz and 10 kHz, 60 and 90 dB.
ChartAxes axes_of(const QImage& image, double low, double high, bool log) {
  const auto across = [&](double f) {
    return image.width() * (0.1 + 0.85 * std::log(f / 20.0) / std::log(1000.0));
  };
  const double a = log ? 5.0 : low + 0.2 * (high - low);
  const double b = log ? 20.0 : low + 0.8 * (high - low);
  const auto up = [&](double v) {
    const double t = log ? std::log(v / low) / std::log(high / low) : (v - low) / (high - low);
    return image.height() * (1.0 - (0.12 + 0.8 * t));
  };
  ChartAxes axes;
  axes.across = {across(100.0), 100.0, across(10000.0), 10000.0, true};
  axes.up = {up(a), a, up(b), b, log};
  return axes;
}

/// How far a traced value is off: by no more than the function moves within 1 % of the frequency.
double off(double f, double value, const std::function<double(double)>& truth) {
  double least = 1e300;
  for (double g = 0.99 * f; g <= 1.01 * f; g += 0.0005 * f)
    least = std::min(least, std::abs(value - truth(g)));
  return least;
}

QByteArray bytes_of(const std::filesystem::path& path) {
  QFile file(QString::fromStdString(path.string()));
  EXPECT_TRUE(file.open(QIODevice::ReadOnly)) << path;
  return file.readAll();
}

struct Drawn {
  const char* file;
  double start_hz;
};

/// Traced from a place of the level that charts.gp draws, on 50 to 100 dB.
TracedChart traced(const Drawn& drawn) {
  const auto page = chart_page(bytes_of(chart(drawn.file)), QLatin1String(drawn.file), 1);
  EXPECT_TRUE(page) << page.error().text();
  const ChartAxes axes = axes_of(page->image, 50.0, 100.0, false);
  const auto points = trace_line(pixels_of(page->image), axes.across.px_of(drawn.start_hz),
                                 axes.up.px_of(level(drawn.start_hz)));
  EXPECT_TRUE(points) << drawn.file << ": " << points.error().text();
  TracedChart curve;
  put_traced(curve, *points, axes);
  return curve;
}

void expect_level(const TracedChart& curve, const char* file) {
  for (std::size_t i = 0; i < curve.frequency_hz.size(); ++i) {
    const double f = curve.frequency_hz[i];
    if (f < 21.0 || f > 19500.0) continue;  // on the frame itself
    EXPECT_LT(off(f, curve.value[i], level), 0.3) << file << " at " << f;
  }
}

TEST(ChartTrace, FollowsWhatAPlottingLibraryDrew) {
  for (const Drawn& drawn :
       {Drawn{"blue.png", 1000.0}, Drawn{"black.png", 300.0}, Drawn{"crossing.png", 100.0},
        Drawn{"grey.jpg", 500.0}, Drawn{"sheet.pdf", 2000.0}}) {
    const TracedChart curve = traced(drawn);
    EXPECT_LT(curve.frequency_hz.front(), 22.0) << drawn.file;
    EXPECT_GT(curve.frequency_hz.back(), 18000.0) << drawn.file;
    expect_level(curve, drawn.file);
  }
}

// Dashes, dots and both, each crossed by a plain line. Between them the curve is read off the
// straight way, as a reader does.
TEST(ChartTrace, FollowsBrokenLines) {
  for (const Drawn& drawn : {Drawn{"dashed.png", 1000.0}, Drawn{"dotted.png", 500.0},
                             Drawn{"dashdot.png", 300.0}, Drawn{"alike.png", 150.0}}) {
    const TracedChart curve = traced(drawn);
    EXPECT_LT(curve.frequency_hz.front(), 23.0) << drawn.file;
    EXPECT_GT(curve.frequency_hz.back(), 17000.0) << drawn.file;
    expect_level(curve, drawn.file);
  }
}

TEST(ChartTrace, ReadsALogarithmicScaleOfOhms) {
  const auto page = chart_page(bytes_of(chart("ohm.png")), QStringLiteral("ohm.png"), 1);
  ASSERT_TRUE(page);
  const ChartAxes axes = axes_of(page->image, 2.0, 50.0, true);
  const auto traced =
      trace_line(pixels_of(page->image), axes.across.px_of(200.0), axes.up.px_of(ohm(200.0)));
  ASSERT_TRUE(traced) << traced.error().text();
  TracedChart curve;
  put_traced(curve, *traced, axes);
  for (std::size_t i = 0; i < curve.frequency_hz.size(); ++i) {
    const double f = curve.frequency_hz[i];
    if (f < 21.0 || f > 19500.0) continue;
    EXPECT_LT(off(f, curve.value[i], ohm), 0.03 * ohm(f)) << f;
  }
}

TEST(ChartTrace, SaysWhatIsNoLineAndWhatIsNoPicture) {
  const auto page = chart_page(bytes_of(chart("blue.png")), QStringLiteral("blue.png"), 1);
  const auto nothing = trace_line(pixels_of(page->image), 150.0, 500.0);
  ASSERT_FALSE(nothing);
  EXPECT_THAT(nothing.error().text(), HasSubstr("no line"));
  const auto foreign = chart_page("20 80\n30 81\n", QStringLiteral("h0.frd"), 1);
  ASSERT_FALSE(foreign);
  EXPECT_THAT(foreign.error().text(), HasSubstr("neither a picture"));
  EXPECT_FALSE(chart_page(bytes_of(chart("sheet.pdf")), QStringLiteral("sheet.pdf"), 2));
  ChartAxes axes;
  axes.across = {10.0, 100.0, 10.0, 1000.0, true};
  EXPECT_THAT(trouble_of(axes), HasSubstr("lie on each other"));
}

TEST(ChartTrace, SnapsToTheGridLineItIsNear) {
  const auto page = chart_page(bytes_of(chart("blue.png")), QStringLiteral("blue.png"), 1);
  const ChartPixels pixels = pixels_of(page->image);
  const ChartAxes axes = axes_of(page->image, 50.0, 100.0, false);
  const double at_1k = axes.across.px_of(1000.0);
  EXPECT_NEAR(snapped_px(pixels, at_1k + 2.5, 300.0, true), at_1k, 0.7);
  const double at_80 = axes.up.px_of(80.0);
  EXPECT_NEAR(snapped_px(pixels, 300.0, at_80 - 2.5, false), at_80, 0.7);
}

class ChartTest : public test::WindowTest {
 protected:
  void open(const char* name) {
    window_->importFiles({QString::fromStdString(chart(name).string())});
    rest();
  }
  void drag(QPointF from, QPointF to) {
    ChartDesk* desk = window_->chart();
    QTest::mousePress(desk, Qt::LeftButton, {}, from.toPoint());
    QMouseEvent move(QEvent::MouseMove, to, desk->mapToGlobal(to), Qt::NoButton, Qt::LeftButton,
                     {});
    QApplication::sendEvent(desk, &move);
    QTest::mouseRelease(desk, Qt::LeftButton, {}, to.toPoint());
    rest();
  }
};

TEST_F(ChartTest, AChartBecomesACurveBesideTheMeasuredOne) {
  open("blue.png");
  ChartDesk* desk = window_->chart();
  ASSERT_TRUE(desk->hasPicture());
  EXPECT_EQ(window_->desk(), QStringLiteral("chart"));
  EXPECT_FALSE(part<QPushButton>("chartKeep")->isEnabled());
  // The four lines by hand onto 100 Hz, 10 kHz, 60 and 90 dB.
  QImage size(900, 600, QImage::Format_RGB32);
  const ChartAxes want = axes_of(size, 50.0, 100.0, false);
  drag(desk->onDesk({desk->axes().across.first_px, 80.0}),
       desk->onDesk({want.across.first_px, 80.0}));
  drag(desk->onDesk({desk->axes().across.second_px, 80.0}),
       desk->onDesk({want.across.second_px, 80.0}));
  drag(desk->onDesk({300.0, desk->axes().up.first_px}), desk->onDesk({300.0, want.up.first_px}));
  drag(desk->onDesk({300.0, desk->axes().up.second_px}), desk->onDesk({300.0, want.up.second_px}));
  EXPECT_NEAR(desk->axes().across.first_px, want.across.first_px, 1.0) << "it snaps to the grid";
  EXPECT_NEAR(desk->axes().up.second_px, want.up.second_px, 1.0);
  part<QDoubleSpinBox>("chartLevel1")->setValue(60.0);
  part<QDoubleSpinBox>("chartLevel2")->setValue(90.0);
  // A click on the curve.
  QTest::mouseClick(
      desk, Qt::LeftButton, {},
      desk->onDesk({want.across.px_of(400.0), want.up.px_of(level(400.0))}).toPoint());
  rest();
  ASSERT_GT(desk->points().size(), 400U);
  EXPECT_THAT(part<QLabel>("chartState")->text().toStdString(), HasSubstr("points from"));
  part<QLineEdit>("chartName")->setText(QStringLiteral("Sheet of the maker"));
  const std::size_t before = session().takes().size();
  QTest::mouseClick(part<QPushButton>("chartKeep"), Qt::LeftButton);
  rest();
  ASSERT_EQ(session().takes().size(), before + 1);
  const Take kept = session().takes().back();
  EXPECT_EQ(kept.form, RawForm::kChartPicture);
  EXPECT_EQ(kept.name, "Sheet of the maker");
  EXPECT_EQ(session().book().raw(kept.raw_hash)->size(),
            static_cast<std::size_t>(bytes_of(chart("blue.png")).size()))
      << "the picture stays in the book";
  // Read on the score, held against what was measured.
  EXPECT_EQ(window_->desk(), QStringLiteral("read"));
  const LaneContent& difference = score().lanes()[lane("difference")].content;
  EXPECT_FALSE(difference.curves().empty());
  EXPECT_THAT(difference.subtitle, HasSubstr("the sheet tells no drive"));
  for (const LaidTake& one : session().laid())
    if (one.take.id == kept.id) {
      EXPECT_NEAR(
          to_level_db(std::abs(value_at(one.analysis->curve, 1000.0)), kReferencePressure_pa),
          level(1000.0), 0.4);
    }
}

TEST_F(ChartTest, ATraceIsCorrectedByHandAndKeptAsOneStep) {
  open("blue.png");
  ChartDesk* desk = window_->chart();
  QImage size(900, 600, QImage::Format_RGB32);
  const ChartAxes want = axes_of(size, 50.0, 100.0, false);
  desk->setAxes(want);
  const QPointF on{want.across.px_of(400.0), want.up.px_of(level(400.0))};
  QTest::mouseClick(desk, Qt::LeftButton, {}, desk->onDesk(on).toPoint());
  rest();
  ASSERT_FALSE(desk->points().empty());
  const auto near = [&](double x) {
    double y = 0.0;
    for (const TracedPoint& p : desk->points())
      if (std::abs(p.x_px - x) < 0.8) y = p.y_px;
    return y;
  };
  const double far_away = near(on.x() + 200.0);
  drag(desk->onDesk({on.x(), near(on.x())}), desk->onDesk({on.x(), near(on.x()) - 20.0}));
  EXPECT_NEAR(near(on.x()), on.y() - 20.0, 3.0);
  EXPECT_EQ(near(on.x() + 200.0), far_away) << "only there";
  QTest::mouseClick(part<QPushButton>("chartKeep"), Qt::LeftButton);
  rest();
  const Take kept = session().takes().back();
  // Opened again and followed anew: the correction is a change of the same take.
  session().chooseTake(kept.id);
  window_->actionNamed(QStringLiteral("trace"))->trigger();
  rest();
  EXPECT_EQ(desk->take(), kept.id);
  QTest::mouseClick(desk, Qt::LeftButton, {},
                    desk->onDesk({on.x() + 100.0, near(on.x() + 100.0)}).toPoint());
  rest();
  const std::size_t before = session().takes().size();
  QTest::mouseClick(part<QPushButton>("chartKeep"), Qt::LeftButton);
  rest();
  EXPECT_EQ(session().takes().size(), before);
  EXPECT_NE(session().takes().back().conditions.chart.value, kept.conditions.chart.value);
  undo();
  EXPECT_EQ(session().takes().back().conditions.chart.value, kept.conditions.chart.value);
}

}  // namespace
}  // namespace lalometer
