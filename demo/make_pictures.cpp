// Makes the pictures of docs/screenshots from the demo book, by driving the real window:
// `make_pictures FOLDER`.
#include <QAction>
#include <QApplication>
#include <QComboBox>
#include <QDir>
#include <QDoubleSpinBox>
#include <QLineEdit>
#include <QListWidget>
#include <QPainter>
#include <QPushButton>
#include <QScrollArea>
#include <QScrollBar>
#include <QSettings>
#include <QTest>
#include <cmath>

#include "desk/boxes/box_desk.h"
#include "desk/chart/chart_desk.h"
#include "desk/drawing/drawing_desk.h"
#include "desk/frame/main_window.h"
#include "desk/networks/network_desk.h"
#include "desk/parts/theme.h"
#include "desk/report/report_desk.h"
#include "exchange/set/measurement_set.h"
#include "workbench/practice/demo_book.h"
#include "workbench/practice/files/simulation_file.h"
#include "workbench/practice/simulating.h"
#include "workbench/sharing/importing.h"

namespace lalometer {
namespace {

struct Pictures {
  QDir target;
  std::filesystem::path scratch;
  MainWindow window{nullptr};

  void rest() {
    (void)QTest::qWaitFor([this] { return window.atRest(); }, 30000);
    QTest::qWait(50);
  }
  void save(const char* name) {
    rest();
    window.grab().save(target.filePath(QLatin1String(name) + QStringLiteral(".png")));
  }
  void act(const char* id) { window.actionNamed(QLatin1String(id))->trigger(); }

  int run() {
    if (!target.mkpath(QStringLiteral("."))) return 2;
    window.capture().practiceSetup().pace = 0.0;
    window.resize(1280, 800);
    window.show();
    if (!window.openBook(QString::fromStdString((scratch / "kiosk-demo.lalo").string()))) return 1;
    window.state().setCursorHz(78.0);
    window.score()->setFocus();
    save("read");
    window.showDesk(QStringLiteral("impedances"));
    for (const Take& take : window.session().takes()) {
      if (take.conditions.sample == "A" && condition_of(take) == "free-air")
        window.session().setLaid(take.id, true);
    }
    window.findChild<QComboBox*>(QStringLiteral("seriesBy"))->setCurrentIndex(1);
    window.showDesk(QStringLiteral("plan"));
    window.showDesk(QStringLiteral("impedances"));
    save("driver");
    window.session().setLaid(window.session().chosenTake(), false);
    window.findChild<QComboBox*>(QStringLiteral("seriesBy"))->setCurrentIndex(0);
    window.showDesk(QStringLiteral("drawing"));
    window.drawing()->choosePart(1);
    for (QPushButton* button :
         window.findChild<QWidget*>(QStringLiteral("drawingPage"))->findChildren<QPushButton*>())
      if (button->text().startsWith(QLatin1String("Find")))
        QTest::mouseClick(button, Qt::LeftButton);
    save("drawing");
    act("undo");
    window.showDesk(QStringLiteral("boxes"));
    window.boxes()->add();
    save("boxes");
    caseStation();
    window.setStation(RouteStrip::kRead);
    bass();
    angles();
    level();
    chart();
    window.showDesk(QStringLiteral("practice"));
    auto* cases = window.findChild<QListWidget*>(QStringLiteral("caseList"));
    cases->setCurrentRow(6);
    QTest::mouseClick(window.findChild<QPushButton*>(QStringLiteral("caseOpen")), Qt::LeftButton);
    save("practice");
    act("undo");
    window.setStation(RouteStrip::kRead);

    if (auto* seen = window.findChild<QWidget*>(QStringLiteral("message"))) seen->hide();
    window.showDesk(QStringLiteral("takes"));
    const auto type = [this](const char* field, double value) {
      window.findChild<QDoubleSpinBox*>(QLatin1String(field))->setValue(value);
    };
    type("standCeiling", 2.6);
    type("standLeft", 1.3);
    type("standRight", 2.1);
    type("standBehind", 1.4);
    type("standBeyond", 1.6);
    window.findChild<QComboBox*>(QStringLiteral("planPurpose"))->setCurrentIndex(3);
    QTest::mouseClick(window.findChild<QPushButton*>(QStringLiteral("planMake")), Qt::LeftButton);
    save("takes");
    window.setStation(RouteStrip::kCapture);
    int kept = 0;
    QObject::connect(&window.queue(), &QueueController::taken, &window, [&] {
      if (++kept == 3) window.queue().pause();
    });
    window.queue().start();
    (void)QTest::qWaitFor([this] { return window.queue().place().waits; }, 5000);
    window.queue().goOn();
    (void)QTest::qWaitFor([&] { return kept == 3; }, 20000);
    window.showDesk(QStringLiteral("rig"));
    rest();
    auto* inputs = window.findChild<QComboBox*>(QStringLiteral("rigInterface"));
    inputs->setCurrentIndex(1);  // a microphone of its own
    emit inputs->activated(1);
    QTest::mouseClick(window.findChild<QPushButton*>(QStringLiteral("rigTrial")), Qt::LeftButton);
    rest();
    save("rig");
    inputs->setCurrentIndex(0);
    emit inputs->activated(0);
    rest();
    window.showDesk(QStringLiteral("monitor"));
    window.findChild<QComboBox*>(QStringLiteral("liveSignal"))->setCurrentIndex(1);
    window.capture().practiceSetup().pace = 1.0;
    QTest::mouseClick(window.findChild<QPushButton*>(QStringLiteral("liveStart")), Qt::LeftButton);
    QTest::qWait(3500);
    window.grab().save(target.filePath(QStringLiteral("monitor.png")));
    QTest::mouseClick(window.findChild<QPushButton*>(QStringLiteral("liveStop")), Qt::LeftButton);
    window.capture().practiceSetup().pace = 0.0;
    rest();

    window.setStation(RouteStrip::kCapture);
    act("take-response");
    save("capture");
    report();
    networks();
    return 0;
  }

  /// Only these lanes, in this order.
  void lanes(std::initializer_list<const char*> kinds) {
    while (!window.score()->lanes().empty()) window.score()->removeLane(0);
    for (const char* kind : kinds) act((std::string("lane-") + kind).c_str());
  }

  /// What the takes say is wrong, one finding pointed at.
  void caseStation() {
    window.setStation(RouteStrip::kCase);
    rest();
    if (auto* seen = window.findChild<QWidget*>(QStringLiteral("message"))) seen->hide();
    QTest::mouseClick(window.findChild<QPushButton*>(QStringLiteral("caseTraits")), Qt::LeftButton);
    if (auto* card = window.findChild<QWidget*>(QStringLiteral("findingCard"))) {
      QEnterEvent enter(QPointF(5, 5), QPointF(5, 5), QPointF(5, 5));
      QApplication::sendEvent(card, &enter);
    }
    save("case");
  }

  /// Near fields and the join with the far field.
  void bass() {
    const std::vector<Take> takes = window.session().takes();
    std::vector<Id> laid;
    for (const Take& take : takes) laid.push_back(take.id);
    std::vector<Id> before;
    for (const Take& take : takes)
      if (take.colour >= 0) before.push_back(take.id);
    window.session().setLaid(laid, false);
    Id joined = 0;
    for (const Take& take : takes) {
      const bool bare = take.variant_id == takes.front().variant_id;
      if (bare && (take.form == RawForm::kWorked || take.kind() == TakeKind::kImpedance ||
                   (take.kind() == TakeKind::kResponse && take.form == RawForm::kRecording)))
        window.session().setLaid(take.id, true);
      if (take.form == RawForm::kWorked) joined = take.id;
    }
    window.session().chooseTake(joined);
    lanes({"level", "near-field", "bass"});
    window.state().setCursorHz(110.0);
    save("bass");
    lanes({"impulse", "level", "impedance", "loops", "predictions"});
    window.session().setLaid(laid, false);
    window.session().setLaid(before, true);
    rest();
  }

  /// The bare kiosk all round: lanes of angles, spinorama, what a filter would mend.
  void angles() {
    if (auto* seen = window.findChild<QWidget*>(QStringLiteral("message"))) seen->hide();
    window.showDesk(QStringLiteral("angles"));
    window.state().setCursorHz(2600.0);
    QTest::mouseClick(window.findChild<QPushButton*>(QStringLiteral("anglesLanes")),
                      Qt::LeftButton);
    save("angles");
    window.setDark(true);
    QTest::mouseClick(window.findChild<QPushButton*>(QStringLiteral("spinLanes")), Qt::LeftButton);
    save("spinorama");
    window.setDark(false);
    lanes({"level", "equalised", "angles-horizontal"});
    window.showDesk(QStringLiteral("equaliser"));
    save("equaliser");
    lanes({"impulse", "level", "impedance", "loops", "predictions"});
    window.setStation(RouteStrip::kRead);
  }

  /// The bare kiosk from quiet to loud, and how it dies away.
  void level() {
    const std::vector<Take> takes = window.session().takes();
    std::vector<Id> before;
    for (const Take& take : takes)
      if (take.colour >= 0) before.push_back(take.id);
    window.session().setLaid(before, false);
    Id loud = 0;
    for (const Take& take : takes) {
      if (take.kind() != TakeKind::kLevelStep) continue;
      window.session().setLaid(take.id, true);
      if (take.conditions.drive_v > 5.0) loud = take.id;
    }
    window.session().chooseTake(loud);
    window.showDesk(QStringLiteral("level"));
    window.state().setCursorHz(110.0);
    QTest::mouseClick(window.findChild<QPushButton*>(QStringLiteral("levelLanes")), Qt::LeftButton);
    save("level");
    QTest::mouseClick(window.findChild<QPushButton*>(QStringLiteral("timeLanes")), Qt::LeftButton);
    window.state().setCursorHz(1000.0);
    window.state().setCursorMs(0.8);
    rest();
    auto* page = window.findChild<QWidget*>(QStringLiteral("levelPage"));
    for (QScrollArea* area : page->findChildren<QScrollArea*>())
      area->verticalScrollBar()->setValue(area->verticalScrollBar()->maximum());
    save("decay");
    for (const Take& take : takes)
      if (take.kind() == TakeKind::kLevelStep) window.session().setLaid(take.id, false);
    window.session().setLaid(before, true);
    lanes({"impulse", "level", "impedance", "loops", "predictions"});
    window.setStation(RouteStrip::kRead);
    rest();
  }

  /// The report of the demo's loudspeaker, with a verdict.
  void report() {
    window.setStation(RouteStrip::kReport);
    rest();
    auto* desk = window.findChild<ReportDesk*>(QStringLiteral("reportDesk"));
    ReportWish wish = desk->wish();
    wish.verdict = "An even, quiet kiosk loudspeaker. The box's depth wave wants lining.";
    desk->change(wish);
    rest();
    emit desk->paper()->sentenceClicked(QStringLiteral("response.sensitivity"));
    save("report");
    act("undo");
    window.setStation(RouteStrip::kRead);
    rest();
  }

  /// The kiosk's drivers in their box without its network, and one found for them.
  void networks() {
    const auto plan = simulation_plan_of(
        R"({"subject": {"name": "Kiosk drivers, no network", "kind": "loudspeaker", "loading": "vented",
        "drivers": [{"id": "woofer", "role": "woofer", "diameter_mm": 165, "sd_cm2": 132, "y_mm": -95},
          {"id": "tweeter", "role": "tweeter", "diameter_mm": 28, "sd_cm2": 7.5, "x_mm": 18, "y_mm": 60}],
        "baffle": {"width_mm": 210, "height_mm": 380, "depth_mm": 300, "edge_radius_mm": 12, "left_mm": 105, "top_mm": 150},
        "box": {"net_volume_l": 14, "inner_width_mm": 178, "inner_height_mm": 348, "inner_depth_mm": 262, "damping": "lined"},
        "ports": [{"id": "port", "panel": "back", "diameter_mm": 50, "length_mm": 130, "y_mm": -120}]},
        "takes": [{"kind": "impedance", "id": "z-w", "name": "Woofer, impedance", "driver": "woofer", "condition": "in-box"},
          {"kind": "impedance", "id": "z-t", "name": "Tweeter, impedance", "driver": "tweeter", "condition": "in-box"},
          {"kind": "response", "id": "w0", "name": "Woofer alone", "driver": "woofer", "gate_ms": 4},
          {"kind": "response", "id": "t0", "name": "Tweeter alone", "driver": "tweeter", "gate_ms": 4},
          {"kind": "response", "id": "w30", "name": "Woofer alone, 30°", "driver": "woofer", "horizontal_deg": 30, "gate_ms": 4},
          {"kind": "response", "id": "t30", "name": "Tweeter alone, 30°", "driver": "tweeter", "horizontal_deg": 30, "gate_ms": 4},
          {"kind": "response", "id": "w60", "name": "Woofer alone, 60°", "driver": "woofer", "horizontal_deg": 60, "gate_ms": 4},
          {"kind": "response", "id": "t60", "name": "Tweeter alone, 60°", "driver": "tweeter", "horizontal_deg": 60, "gate_ms": 4}]})",
        "kiosk", 7);
    if (!plan) return;
    const auto made = simulated(*plan, {}, {});
    if (!made || !write_set(made->set, scratch / "no-network")) return;
    window.session().edit([folder = scratch / "no-network"](Book& book) {
      return take_in(book, preview_import({folder}, {}, {}), {}).map([](const std::vector<Id>&) {});
    });
    rest();
    window.session().chooseTake(window.session().takes().back().id);
    rest();
    window.showDesk(QStringLiteral("networks"));
    rest();
    window.findChild<QPushButton*>(QStringLiteral("networkFind"))->click();
    rest();
    auto* desk = window.findChild<NetworkDesk*>(QStringLiteral("networkDesk"));
    desk->choose(NetworkPlace{0, {0}, ElementKind::kCoil});
    save("networks");
  }

  /// A published chart, drawn here, traced and held against what was measured.
  void chart() {
    constexpr int kWidth = 760;
    constexpr int kHeight = 480;
    const auto x = [](double f) { return 70.0 + 640.0 * std::log10(f / 20.0) / 3.0; };
    const auto y = [](double db) { return 430.0 - 380.0 * (db - 50.0) / 50.0; };
    QImage image(kWidth, kHeight, QImage::Format_RGB32);
    image.fill(Qt::white);
    QPainter painter(&image);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setFont(text_font(13));
    for (const double f : {20.0, 50.0, 100.0, 200.0, 500.0, 1e3, 2e3, 5e3, 1e4, 2e4}) {
      painter.setPen(QPen(QColor(205, 205, 205), 1));
      painter.drawLine(QPointF(x(f), y(100)), QPointF(x(f), y(50)));
      painter.setPen(Qt::black);
      painter.drawText(QRectF(x(f) - 30, 434, 60, 20), Qt::AlignCenter,
                       f < 1000 ? QString::number(f) : QString::number(f / 1000) + "k");
    }
    for (double db = 50; db <= 100; db += 10) {
      painter.setPen(QPen(QColor(205, 205, 205), 1));
      painter.drawLine(QPointF(x(20), y(db)), QPointF(x(20000), y(db)));
      painter.setPen(Qt::black);
      painter.drawText(QRectF(20, y(db) - 10, 44, 20), Qt::AlignRight | Qt::AlignVCenter,
                       QString::number(db));
    }
    QPolygonF line;
    for (double f = 20.0; f < 20000.0; f *= 1.01)
      line.push_back({x(f), y(86.0 + 2.0 * std::sin(2.2 * std::log(f)) -
                              12.0 * std::log10(1.0 + std::pow(52.0 / f, 4)) -
                              4.0 * std::exp(-std::pow(std::log(f / 4100.0) / 0.15, 2)))});
    painter.setPen(QPen(QColor(30, 70, 150), 2.0));
    painter.drawPolyline(line);
    painter.drawText(QRectF(x(20), 18, 640, 24), Qt::AlignCenter,
                     QStringLiteral("Kiosk two-way, sheet of the workshop: 2.83 V, 1 m"));
    painter.end();
    const QString path = QString::fromStdString((scratch / "sheet.png").string());
    image.save(path);
    window.importFiles({path});
    rest();
    ChartAxes axes;
    axes.across = {x(100.0), 100.0, x(10000.0), 10000.0, true};
    axes.up = {y(60.0), 60.0, y(90.0), 90.0, false};
    window.chart()->setAxes(axes);
    QTest::mouseClick(window.chart(), Qt::LeftButton, {},
                      window.chart()->onDesk({line[200].x(), line[200].y()}).toPoint());
    save("chart");
    window.setStation(RouteStrip::kRead);
  }
};

}  // namespace
}  // namespace lalometer

int main(int argc, char** argv) {
  if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM")) qputenv("QT_QPA_PLATFORM", "offscreen");
  const auto scratch = std::filesystem::temp_directory_path() / "lalometer-pictures";
  std::filesystem::remove_all(scratch);
  std::filesystem::create_directories(scratch);
  QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope,
                     QString::fromStdString((scratch / "settings").string()));
  QCoreApplication::setOrganizationName(QStringLiteral("lalometer"));
  QCoreApplication::setApplicationName(QStringLiteral("pictures"));
  QApplication app(argc, argv);
  lalometer::load_fonts();
  QApplication::setFont(lalometer::text_font(13));
  if (argc != 2 || !lalometer::make_demo_book(scratch / "kiosk-demo.lalo")) return 2;
  lalometer::Pictures pictures{.target = QDir(QString::fromLocal8Bit(argv[1])), .scratch = scratch};
  return pictures.run();
}
