// Takes the full set of 70 angles on the practice bench in the real window, by its queue, and
// prints how long the window stood still at most and how the memory grew: `queue_run [PACE]`.
#include <QApplication>
#include <QElapsedTimer>
#include <QSettings>
#include <QTest>
#include <QTimer>
#include <cstdio>
#include <fstream>
#include <map>

#include "desk/main_window.h"
#include "desk/theme.h"
#include "workbench/demo_book.h"

namespace {

double resident_mb() {
  std::ifstream statm("/proc/self/statm");
  long size = 0;
  long resident = 0;
  statm >> size >> resident;
  return static_cast<double>(resident) * 4096.0 / 1e6;
}

/// Remembers what kept the window busy longest.
class Watched : public QApplication {
 public:
  using QApplication::QApplication;
  bool notify(QObject* receiver, QEvent* event) override {
    const QString what =
        QStringLiteral("%1 (%2), event %3")
            .arg(QLatin1String(receiver->metaObject()->className()), receiver->objectName())
            .arg(event->type());
    const QEvent::Type event_type = event->type();
    ++depth_;
    QElapsedTimer timer;
    timer.start();
    const bool done = QApplication::notify(receiver, event);
    const double ms = static_cast<double>(timer.nsecsElapsed()) / 1e6;
    // Only outermost events: they stand for all that they set off.
    // Paints are nested in others and looked at by themselves.
    const bool paint = event_type == QEvent::Paint && ms > 8.0;
    if ((--depth_ == 0 && ms > 30.0) || paint)
      ++slow[what], longest[what] = std::max(longest[what], ms);
    return done;
  }
  std::map<QString, int> slow;
  std::map<QString, double> longest;

 private:
  int depth_ = 0;
};

}  // namespace

int main(int argc, char** argv) {
  using namespace lalometer;
  if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM")) qputenv("QT_QPA_PLATFORM", "offscreen");
  const auto scratch = std::filesystem::temp_directory_path() / "lalometer-queue";
  std::filesystem::remove_all(scratch);
  std::filesystem::create_directories(scratch);
  QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope,
                     QString::fromStdString(scratch.string()));
  QCoreApplication::setOrganizationName(QStringLiteral("lalometer"));
  Watched app(argc, argv);
  load_fonts();
  if (!make_demo_book(scratch / "demo.lalo", DemoExtent::kKioskOnly)) return 2;
  MainWindow window;
  window.resize(1280, 800);
  window.show();
  if (!window.openBook(QString::fromStdString((scratch / "demo.lalo").string()))) return 1;
  (void)QTest::qWaitFor([&] { return window.atRest(); }, 30000);
  window.capture().benchSetup().pace = argc > 1 ? std::atof(argv[1]) : 0.0;
  BookSession& session = window.session();
  const Subject subject = *session.subject(session.chosenSubject());
  std::vector<Variant> variants;
  for (const Variant& v : session.variants())
    if (v.subject_id == subject.id) variants.push_back(v);
  window.queue().setPlan(*plan_for(Purpose::kFullSet, subject, variants, {}));
  window.setStation(RouteStrip::kCapture);

  QElapsedTimer since;
  qint64 longest_ns = 0;
  std::vector<double> stalls_ms;
  QTimer beat;
  beat.setTimerType(Qt::PreciseTimer);
  QObject::connect(&beat, &QTimer::timeout, [&] {
    const qint64 gap = since.nsecsElapsed();
    stalls_ms.push_back(static_cast<double>(gap) / 1e6);
    longest_ns = std::max(longest_ns, gap);
    since.restart();
  });
  int kept = 0;
  double early_mb = 0.0;
  QObject::connect(&window.queue(), &QueueController::taken, [&] {
    if (++kept == 10) early_mb = resident_mb();
  });
  QObject::connect(&window.queue(), &QueueController::placeChanged, [&] {
    if (window.queue().place().waits) window.queue().goOn();
  });
  window.queue().start();
  since.start();
  beat.start(2);
  (void)QTest::qWaitFor([&] { return !window.queue().running(); }, 3600 * 1000);
  std::sort(stalls_ms.begin(), stalls_ms.end());
  const auto over =
      std::count_if(stalls_ms.begin(), stalls_ms.end(), [](double ms) { return ms > 50.0; });
  std::printf(
      "%d takes kept, %zu refused tries; longest stall %.1f ms, %td over 50 ms of %zu beats; "
      "memory %.0f MB after 10 takes, %.0f MB at the end\n",
      kept, window.queue().summary().refused, static_cast<double>(longest_ns) / 1e6, over,
      stalls_ms.size(), early_mb, resident_mb());
  for (const auto& [what, count] : app.slow)
    std::printf("  %s: %d times slow, longest %.0f ms\n", qPrintable(what), count,
                app.longest[what]);
  return kept == 70 ? 0 : 1;
}
