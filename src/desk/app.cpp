#include <QApplication>
#include <QCommandLineParser>
#include <QDir>
#include <QElapsedTimer>
#include <QFile>
#include <QFileInfo>
#include <QSettings>
#include <QStandardPaths>
#include <QTimer>
#include <cstdio>

#include "base/log.h"
#include "desk/frame/main_window.h"
#include "desk/parts/theme.h"
#include "exchange/transform_wisdom.h"

namespace lalometer {
namespace {

/// What Qt complains about goes into the log too.
void log_qt(QtMsgType type, const QMessageLogContext&, const QString& text) {
  const std::string line = text.toStdString();
  std::fprintf(stderr, "%s\n", line.c_str());
  if (type != QtDebugMsg && type != QtInfoMsg) log_line(LogWeight::kTrouble, "Qt: " + line);
}

/// Where nobody says otherwise: the user's own folder for such things.
QString usual_log() {
  const QString state = qEnvironmentVariable("XDG_STATE_HOME");
  return (state.isEmpty() ? QDir::homePath() + QStringLiteral("/.local/state") : state) +
         QStringLiteral("/lalometer/lalometer.log");
}

/// The demo book in the user's own folder; copied there once, so that the shipped one stays as it
/// is.
QString demo_path() {
  const QString folder = QStandardPaths::writableLocation(QStandardPaths::AppDataLocation);
  QDir().mkpath(folder);
  const QString path = folder + QStringLiteral("/kiosk-demo.lalo");
  if (QFile::exists(path)) return path;
  const QString beside = QCoreApplication::applicationDirPath();
  for (const QString& shipped : {beside + QStringLiteral("/demo.lalo"),
                                 beside + QStringLiteral("/../share/lalometer/demo.lalo")}) {
    if (QFile::copy(shipped, path)) return path;
  }
  return path;
}

int run(int argc, char** argv) {
  QElapsedTimer since_start;
  since_start.start();
  QCoreApplication::setOrganizationName(QStringLiteral("lalometer"));
  QCoreApplication::setApplicationName(QStringLiteral("lalometer"));
  QCoreApplication::setApplicationVersion(QStringLiteral(LALOMETER_VERSION));
  QApplication app(argc, argv);
  QApplication::setApplicationDisplayName(QStringLiteral("Lalometer"));
  load_fonts();
  QApplication::setFont(text_font(13));

  QCommandLineParser parser;
  parser.setApplicationDescription(
      QCoreApplication::translate("app", "Loudspeaker measurements: take, read, keep."));
  parser.addHelpOption();
  parser.addVersionOption();
  parser.addPositionalArgument(QStringLiteral("book"),
                               QCoreApplication::translate("app", "book to open"),
                               QStringLiteral("[book]"));
  const QCommandLineOption demo(QStringLiteral("demo"),
                                QCoreApplication::translate("app", "open the demo book"));
  const QCommandLineOption picture(
      QStringLiteral("picture"),
      QCoreApplication::translate("app", "save a picture of the window to this file and leave"),
      QStringLiteral("file"));
  const QCommandLineOption size(QStringLiteral("size"),
                                QCoreApplication::translate("app", "size of the window"),
                                QStringLiteral("WxH"), QStringLiteral("1280x800"));
  const QCommandLineOption station(
      QStringLiteral("station"),
      QCoreApplication::translate("app", "plan, capture, read, case or report"),
      QStringLiteral("name"));
  const QCommandLineOption dark(QStringLiteral("dark"),
                                QCoreApplication::translate("app", "dark theme for this run"));
  const QCommandLineOption import(
      QStringLiteral("import"),
      QCoreApplication::translate("app", "show the preview of these files"),
      QStringLiteral("file"));
  const QCommandLineOption shown(
      QStringLiteral("time-to-window"),
      QCoreApplication::translate(
          "app", "print the milliseconds from start to the first picture and leave"));
  const QCommandLineOption log(
      QStringLiteral("log"),
      QCoreApplication::translate("app", "write the log here instead of %1").arg(usual_log()),
      QStringLiteral("file"));
  parser.addOptions({demo, picture, size, station, dark, import, shown, log});
  parser.process(app);
  const QString log_path = parser.isSet(log) ? parser.value(log) : usual_log();
  if (const auto started = start_log(log_path.toStdString()); !started)
    std::fprintf(stderr, "%s\n", started.error().text().c_str());
  qInstallMessageHandler(log_qt);
  log_line(LogWeight::kEvent, std::string("Qt ") + qVersion() + " on " +
                                  QGuiApplication::platformName().toStdString());

  MainWindow window;
  const QStringList extent = parser.value(size).split(u'x');
  if (extent.size() == 2) window.resize(extent[0].toInt(), extent[1].toInt());
  if (parser.isSet(dark)) window.setDark(true);
  const QStringList recent = QSettings().value(QStringLiteral("recent")).toStringList();
  QString path = parser.positionalArguments().value(0);
  if (path.isEmpty())
    path = parser.isSet(demo) || recent.isEmpty() || !QFile::exists(recent.first())
               ? demo_path()
               : recent.first();
  if (!window.openBook(path) && !window.session().isOpen() && path != demo_path()) {
    // Something must stand on the desk: the demo, with the message about what failed still over it.
    (void)window.session().open(demo_path().toStdString());
    if (!QFile::exists(path) && QDir(QFileInfo(path).absolutePath()).exists())
      window.offerBook(path);
  }
  const QStringList names = {QStringLiteral("plan"), QStringLiteral("capture"),
                             QStringLiteral("read"), QStringLiteral("case"),
                             QStringLiteral("report")};
  if (const auto index = names.indexOf(parser.value(station)); index >= 0)
    window.setStation(static_cast<RouteStrip::Station>(index));
  window.show();
  window.score()->setFocus();
  if (parser.isSet(import)) window.importFiles(parser.values(import));
  if (parser.isSet(shown)) {
    QTimer::singleShot(0, &window, [&] {
      window.repaint();
      std::printf("%lld\n", since_start.elapsed());
      QCoreApplication::quit();
    });
  }
  if (parser.isSet(picture)) {
    auto* settle = new QTimer(&window);
    QObject::connect(settle, &QTimer::timeout, &window,
                     [&window, settle, file = parser.value(picture)] {
                       if (!window.atRest()) return;
                       settle->stop();
                       window.grab().save(file);
                       QCoreApplication::quit();
                     });
    settle->start(250);
  }
  return QApplication::exec();
}

}  // namespace
}  // namespace lalometer

int main(int argc, char** argv) {
  const lalometer::TransformWisdom wisdom;
  return lalometer::run(argc, argv);
}
