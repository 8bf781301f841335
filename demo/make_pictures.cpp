// Makes the pictures of docs/screenshots from the demo book, by driving the real window:
// `make_pictures FOLDER`.
#include <QAction>
#include <QApplication>
#include <QComboBox>
#include <QDir>
#include <QDoubleSpinBox>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QSettings>
#include <QTest>
#include <fstream>

#include "desk/boxes/box_desk.h"
#include "desk/drawing/drawing_desk.h"
#include "desk/frame/main_window.h"
#include "desk/parts/theme.h"
#include "workbench/practice/demo_book.h"

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
  void write(const char* name, const char* text) { std::ofstream(scratch / name) << text; }

  int run() {
    if (!target.mkpath(QStringLiteral("."))) return 2;
    window.capture().practiceSetup().pace = 0.0;
    window.resize(1280, 800);
    window.show();
    if (!window.openBook(QString::fromStdString((scratch / "kiosk-demo.lalo").string()))) return 1;
    window.state().setCursorHz(78.0);
    window.score()->setFocus();
    save("read");
    window.setDark(true);
    const Id response = window.session().chosenTake();
    window.session().chooseTake(window.session().takes().front().id);
    window.state().setCursorHz(494.0);
    save("dark");
    window.setDark(false);
    window.session().chooseTake(response);
    window.showDesk(QStringLiteral("impedances"));
    save("impedances");
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
    window.setStation(RouteStrip::kPlan);
    save("plan");
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
    window.setStation(RouteStrip::kRead);
    act("models");
    act("lane-edges");
    save("models");
    window.score()->removeLane(window.score()->lanes().size() - 1);
    act("models");
    window.showDesk(QStringLiteral("practice"));
    auto* cases = window.findChild<QListWidget*>(QStringLiteral("caseList"));
    cases->setCurrentRow(6);
    QTest::mouseClick(window.findChild<QPushButton*>(QStringLiteral("caseOpen")), Qt::LeftButton);
    save("practice");
    act("undo");
    window.setStation(RouteStrip::kCase);
    save("case");
    window.setStation(RouteStrip::kRead);
    act("find-action");
    if (auto* field = window.findChild<QLineEdit*>(QStringLiteral("finderField")))
      QTest::keyClicks(field, QStringLiteral("lane"));
    save("actions");
    QTest::keyClick(window.findChild<QLineEdit*>(QStringLiteral("finderField")), Qt::Key_Escape);

    write("hall-left.frd",
          "* heard in the pump hall\n100 78.5 10\n300 81 0\n1000 82 -12\n3000 80.5 -30\n10000 79 "
          "-60\n");
    write("spoilt.frd", "100 80\n300 eighty\n");
    write("microphone.cal", "20 -0.4\n200 0\n1000 0\n8000 0.6\n20000 -1.8\n");
    QStringList files;
    for (const char* name : {"hall-left.frd", "microphone.cal", "spoilt.frd"})
      files.push_back(QString::fromStdString((scratch / name).string()));
    window.importFiles(files);
    save("import");
    if (auto* leave = window.findChild<QWidget*>(QStringLiteral("importLeave")))
      QTest::mouseClick(leave, Qt::LeftButton);

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
    save("queue");
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
    window.findChild<QComboBox*>(QStringLiteral("benchMishap"))->setCurrentIndex(2);
    act("take-response");
    save("refused");
    window.findChild<QComboBox*>(QStringLiteral("benchMishap"))->setCurrentIndex(0);
    if (!window.newBook(QString::fromStdString((scratch / "empty.lalo").string()))) return 1;
    save("empty");
    return 0;
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
