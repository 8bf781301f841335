// Frames of the score with 70 curves of 1000 points (1.5 px, antialiased) and a 500 x 73 map at
// 1280 x 800, against a plain antialiased QPainter redraw of the same curves; and a book of 500
// takes, against SQLite reading one raw blob.
#include <benchmark/benchmark.h>
#include <sys/resource.h>

#include <QApplication>
#include <QImage>
#include <QPainter>
#include <QPainterPath>
#include <QTest>
#include <cmath>
#include <cstdio>
#include <filesystem>
#include <fstream>

#include "book/description/description_text.h"
#include "desk/boxes/box_desk.h"
#include "desk/drawing/drawing_desk.h"
#include "desk/score/picture/map_picture.h"
#include "desk/score/score_view.h"
#include "desk/session/book_session.h"
#include "workbench/practice/demo_book.h"
#include "workbench/practice/simulating.h"

namespace lalometer {
namespace {

constexpr QSize kScore(1280, 800);

LaneContent family() {
  LaneContent content;
  content.title = "Level";
  content.left.low = 40.0;
  content.left.high = 100.0;
  for (int c = 0; c < 70; ++c) {
    Series s{.take_id = c + 1, .label = "curve", .style = c, .chosen = c == 0, .x = {}, .y = {}};
    for (int i = 0; i < 1000; ++i) {
      const double f = 20.0 * std::pow(1000.0, i / 999.0);
      s.x.push_back(f);
      s.y.push_back(85.0 - 0.4 * c + 3.0 * std::sin(0.05 * i + 0.1 * c) + std::sin(0.6 * i));
    }
    content.add_curves().push_back(std::move(s));
  }
  return content;
}

LaneContent map() {
  LaneContent content;
  content.title = "Angles";
  content.left = {.quantity = AxisQuantity::kAngle, .unit = "°", .low = -180.0, .high = 180.0};
  ValueMap values;
  for (int i = 0; i < 500; ++i) values.x.push_back(20.0 * std::pow(1000.0, i / 499.0));
  for (int r = 0; r < 73; ++r) {
    values.rows.push_back(-180.0 + 5.0 * r);
    for (int i = 0; i < 500; ++i) {
      const double narrow = std::abs(values.rows.back()) / 90.0 * i / 250.0;
      values.values.push_back(static_cast<float>(-6.0 * narrow * narrow));
    }
  }
  content.layer<ValueMap>() = std::move(values);
  content.layer<ContourLayer>();
  return content;
}

struct Stage {
  Work work;
  ScoreState state;
  ScoreView view{work, state};
  Stage() {
    view.resize(kScore);
    std::vector<ScoreView::Lane> lanes(2);
    lanes[0].kind = "level";
    lanes[0].content = family();
    lanes[1].kind = "map";
    lanes[1].content = map();
    view.setLanes(std::move(lanes));
    view.show();
    settle();
  }
  void settle() {
    (void)QTest::qWaitFor([this] { return !view.settling(); }, 20000);
    QCoreApplication::processEvents();
  }
};

/// Made on first use, gone before the application is: main() clears it.
std::unique_ptr<Stage> the_stage;
Stage& stage() {
  if (!the_stage) the_stage = std::make_unique<Stage>();
  return *the_stage;
}

/// What one frame costs: the events that ask for it and the repaint itself.
void frame() {
  QCoreApplication::sendPostedEvents();
  QCoreApplication::processEvents();
}

void PlainRedraw(benchmark::State& state) {
  const LaneContent content = family();
  const AcrossMapping across{20.0, 20000.0, 50.0, 1140.0, true};
  const UpMapping up{40.0, 100.0, 0.0, 400.0};
  QImage image(kScore, QImage::Format_RGB32);
  for (auto _ : state) {
    image.fill(Qt::white);
    QPainter painter(&image);
    painter.setRenderHint(QPainter::Antialiasing);
    for (const Series& s : content.curves()) {
      painter.setPen(QPen(curve_style(s.style, false).colour, 1.5));
      QPolygonF line;
      for (std::size_t i = 0; i < s.x.size(); ++i)
        line << QPointF(across.px(s.x[i]), up.px(s.y[i]));
      painter.drawPolyline(line);
    }
  }
}
BENCHMARK(PlainRedraw)->Unit(benchmark::kMillisecond);

void MoveCursor(benchmark::State& state) {
  stage().settle();
  int step = 1;
  for (auto _ : state) {
    stage().state.nudgeCursor(step);
    step = stage().state.cursorHz() > 15000.0 ? -1 : stage().state.cursorHz() < 30.0 ? 1 : step;
    frame();
  }
}
BENCHMARK(MoveCursor)->Unit(benchmark::kMillisecond);

void Pan(benchmark::State& state) {
  double octaves = 0.02;
  for (auto _ : state) {
    stage().view.pan(octaves);
    octaves = -octaves;
    frame();
  }
}
BENCHMARK(Pan)->Unit(benchmark::kMillisecond);

void Zoom(benchmark::State& state) {
  double factor = 0.97;
  for (auto _ : state) {
    stage().view.zoom(factor);
    factor = 1.0 / factor;
    frame();
  }
}
BENCHMARK(Zoom)->Unit(benchmark::kMillisecond);

void ResizeLane(benchmark::State& state) {
  double weight = 1.02;
  for (auto _ : state) {
    stage().view.resizeLane(0, weight);
    weight = 2.04 - weight;
    frame();
  }
}
BENCHMARK(ResizeLane)->Unit(benchmark::kMillisecond);

/// From the last movement to the settled picture, the wait for stillness included.
void SettledPicture(benchmark::State& state) {
  for (auto _ : state) {
    stage().view.pan(0.01);
    stage().settle();
    stage().view.pan(-0.01);
    stage().settle();
  }
}
BENCHMARK(SettledPicture)->Unit(benchmark::kMillisecond)->Iterations(10);

/// A subject with a drawing, in a book of its own.
struct Workshop {
  Work work;
  BookSession session{work};
  Workshop() {
    const auto file = std::filesystem::temp_directory_path() / "lalometer-bench-drawing.lalo";
    std::filesystem::remove(file);
    if (!session.create(file)) std::abort();
    const auto described = description_from_json(R"({"loading": "vented", "drivers": [
        {"id": "woofer", "role": "woofer", "sd_cm2": 132, "x_mm": 0, "y_mm": -95},
        {"id": "tweeter", "role": "tweeter", "sd_cm2": 7.5, "x_mm": 0, "y_mm": 60}],
      "baffle": {"width_mm": 210, "height_mm": 380, "depth_mm": 300, "left_mm": 105, "top_mm": 150},
      "box": {"net_volume_l": 14, "inner_width_mm": 178, "inner_height_mm": 348, "inner_depth_mm": 262},
      "ports": [{"id": "port", "panel": "back", "diameter_mm": 50, "length_mm": 130, "y_mm": -120}]})");
    if (!described) std::abort();
    bool kept = false;
    session.edit(
        [description = *described](Book& book) {
          return book.add_subject({0, "Kiosk", SubjectKind::kLoudspeaker, description}).map([](Id) {
          });
        },
        [&kept](bool done) { kept = done; });
    if (!QTest::qWaitFor([&kept] { return kept; }, 20000)) std::abort();
  }
};

/// A driver dragged over the front: drawing, first-order edge model and its curve.
void DragDriver(benchmark::State& state) {
  Workshop shop;
  DrawingDesk desk(shop.session);
  desk.resize(744, 756);
  desk.show();
  desk.choosePart(1);
  frame();
  const Description start = desk.description();
  const DrawnSubject drawn = drawn_subject(start);
  double x = 0.0;
  for (auto _ : state) {
    x = x > 60.0 ? -60.0 : x + 1.0;
    desk.edit(with_part_at(start, drawn.parts[1], x, 60.0), false);
    frame();
  }
}
BENCHMARK(DragDriver)->Unit(benchmark::kMillisecond);

/// A candidate dragged over the field: circuit, six lanes, words.
void DragBox(benchmark::State& state) {
  Workshop shop;
  BoxDesk desk(shop.session);
  desk.resize(744, 756);
  desk.show();
  desk.add();
  frame();
  BoxCandidate c = desk.outcomes()[desk.chosen()].candidate;
  for (auto _ : state) {
    c.volume_l = c.volume_l > 40.0 ? 10.0 : c.volume_l + 0.1;
    desk.change(c, false);
    frame();
  }
}
BENCHMARK(DragBox)->Unit(benchmark::kMillisecond);

std::filesystem::path big_book() {
  static const std::filesystem::path path = [] {
    const auto file = std::filesystem::temp_directory_path() / "lalometer-bench-500.lalo";
    std::filesystem::remove(file);
    auto book = Book::create(file);
    const Id subject = *book->add_subject({0, "Kiosk", SubjectKind::kLoudspeaker});
    const Id variant = *book->add_variant({0, subject, "Bare", ""});
    std::vector<double> x(1 << 17);
    for (int i = 0; i < 500; ++i) {
      for (std::size_t n = 0; n < x.size(); ++n)
        x[n] = 0.1 * std::sin(1e-6 * static_cast<double>(n * n) + i);
      Take take;
      take.subject_id = subject;
      take.variant_id = variant;
      take.name = "take " + std::to_string(i);
      take.sample_rate_hz = 48000.0;
      take.conditions.stimulus = {10.0, 22000.0, 1.4, 0.25, 0.2};
      if (!book->add_take(take, packed_recording(x, x, 48000.0))) std::abort();
    }
    return file;
  }();
  return path;
}

void ReadOneRaw(benchmark::State& state) {
  const auto book = Book::open(big_book());
  const std::string hash = book->takes()->front().raw_hash;
  for (auto _ : state) {
    auto raw = Book::read_raw(big_book(), hash);
    benchmark::DoNotOptimize(raw);
  }
}
BENCHMARK(ReadOneRaw)->Unit(benchmark::kMillisecond);

void OpenBookOf500Takes(benchmark::State& state) {
  (void)big_book();
  Work work;
  for (auto _ : state) {
    BookSession session(work);
    if (!session.open(big_book())) std::abort();
    benchmark::DoNotOptimize(session.takes().size());
  }
}
BENCHMARK(OpenBookOf500Takes)->Unit(benchmark::kMillisecond);

}  // namespace
}  // namespace lalometer

int main(int argc, char** argv) {
  if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM")) qputenv("QT_QPA_PLATFORM", "offscreen");
  QApplication app(argc, argv);
  lalometer::load_fonts();
  benchmark::Initialize(&argc, argv);
  benchmark::RunSpecifiedBenchmarks();
  lalometer::the_stage.reset();
  std::filesystem::remove(std::filesystem::temp_directory_path() / "lalometer-bench-500.lalo");
  return 0;
}
