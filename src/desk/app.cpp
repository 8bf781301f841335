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
#include "base/memory.h"
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

/// What the command line asks for.
struct Wanted {
  QString book;
  bool demo = false;
  QString picture;
  QStringList size;
  QString station;
  bool dark = false;
  QStringList imports;
  bool time_to_window = false;
  QString log;
};

Wanted wanted_by(const QApplication& app) {
  const auto tr = [](const char* text) { return QCoreApplication::translate("app", text); };
  QCommandLineParser parser;
  parser.setApplicationDescription(tr("Loudspeaker measurements: take, read, keep."));
  parser.addHelpOption();
  parser.addVersionOption();
  parser.addPositionalArgument(QStringLiteral("book"), tr("book to open"),
                               QStringLiteral("[book]"));
  const QCommandLineOption demo(QStringLiteral("demo"), tr("open the demo book"));
  const QCommandLineOption picture(QStringLiteral("picture"),
                                   tr("save a picture of the window to this file and leave"),
                                   QStringLiteral("file"));
  const QCommandLineOption size(QStringLiteral("size"), tr("size of the window"),
                                QStringLiteral("WxH"), QStringLiteral("1280x800"));
  const QCommandLineOption station(
      QStringLiteral("station"), tr("plan, capture, read, case or report"), QStringLiteral("name"));
  const QCommandLineOption dark(QStringLiteral("dark"), tr("dark theme for this run"));
  const QCommandLineOption import(QStringLiteral("import"), tr("show the preview of these files"),
                                  QStringLiteral("file"));
  const QCommandLineOption shown(
      QStringLiteral("time-to-window"),
      tr("print the milliseconds from start to the first picture and leave"));
  const QCommandLineOption log(QStringLiteral("log"),
                               tr("write the log here instead of %1").arg(usual_log()),
                               QStringLiteral("file"), usual_log());
  parser.addOptions({demo, picture, size, station, dark, import, shown, log});
  parser.process(app);
  return {parser.positionalArguments().value(0),
          parser.isSet(demo),
          parser.value(picture),
          parser.value(size).split(u'x'),
          parser.value(station),
          parser.isSet(dark),
          parser.values(import),
          parser.isSet(shown),
          parser.value(log)};
}

void begin_log(const QString& file) {
  if (const auto started = start_log(file.toStdString()); !started)
    std::fprintf(stderr, "%s\n", started.error().text().c_str());
  qInstallMessageHandler(log_qt);
  log_line(LogWeight::kEvent, std::string("Qt ") + qVersion() + " on " +
                                  QGuiApplication::platformName().toStdString());
}

/// The book that is named, else the last one, else the demo.
void open_book(MainWindow& window, const Wanted& wanted) {
  const QStringList recent = QSettings().value(QStringLiteral("recent")).toStringList();
  QString path = wanted.book;
  if (path.isEmpty())
    path = wanted.demo || recent.isEmpty() || !QFile::exists(recent.first()) ? demo_path()
                                                                             : recent.first();
  if (!window.openBook(path) && !window.session().isOpen() && path != demo_path()) {
    // Something must stand on the desk: the demo, with the message about what failed still over it.
    (void)window.session().open(demo_path().toStdString());
    if (!QFile::exists(path) && QDir(QFileInfo(path).absolutePath()).exists())
      window.offerBook(path);
  }
}

/// Once nothing moves any more.
void picture_and_leave(MainWindow& window, const QString& file) {
  auto* settle = new QTimer(&window);
  QObject::connect(settle, &QTimer::timeout, &window, [&window, settle, file] {
    if (!window.atRest()) return;
    settle->stop();
    window.grab().save(file);
    QCoreApplication::quit();
  });
  settle->start(250);
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
  const Wanted wanted = wanted_by(app);
  begin_log(wanted.log);

  MainWindow window;
  if (wanted.size.size() == 2) window.resize(wanted.size[0].toInt(), wanted.size[1].toInt());
  if (wanted.dark) window.setDark(true);
  open_book(window, wanted);
  const QStringList names = {QStringLiteral("plan"), QStringLiteral("capture"),
                             QStringLiteral("read"), QStringLiteral("case"),
                             QStringLiteral("report")};
  if (const auto index = names.indexOf(wanted.station); index >= 0)
    window.setStation(static_cast<RouteStrip::Station>(index));
  window.show();
  window.score()->setFocus();
  if (!wanted.imports.isEmpty()) window.importFiles(wanted.imports);
  if (wanted.time_to_window) {
    QTimer::singleShot(0, &window, [&] {
      window.repaint();
      std::printf("%lld\n", since_start.elapsed());
      QCoreApplication::quit();
    });
  }
  if (!wanted.picture.isEmpty()) picture_and_leave(window, wanted.picture);
  return QApplication::exec();
}

}  // namespace
}  // namespace lalometer

int main(int argc, char** argv) {
  lalometer::keep_freed_memory();
  const lalometer::TransformWisdom wisdom;
  return lalometer::run(argc, argv);
}
