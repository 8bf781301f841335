// Takes the full set of 70 angles on the practice bench in the real window, by its queue, and
// prints how long the window stood still at most and how the memory grew: `queue_run [PACE]`.
#include <QApplication>
#include <QElapsedTimer>
#include <QSettings>
#include <QTest>
#include <QTimer>
#include <chrono>
#include <cstdio>
#include <fstream>
#include <map>
#include <mutex>
#include <thread>

#include "desk/frame/main_window.h"
#include "desk/parts/theme.h"
#include "workbench/practice/demo_book.h"

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

/// Beats beside the window in a thread that does nothing else: where this one is late too, it was
/// the machine that stood still, not the window.
class MachineBeat {
 public:
  using Clock = std::chrono::steady_clock;
  MachineBeat() : thread_([this](std::stop_token stop) { run(std::move(stop)); }) {}

  /// How long of a span the machine gave this thread no time, ms.
  double lost_ms(Clock::time_point from, Clock::time_point to) {
    const std::scoped_lock held(lock_);
    double sum = 0.0;
    for (const auto& [begin, end] : late_) {
      const auto overlap = std::min(end, to) - std::max(begin, from);
      sum += std::max(0.0, std::chrono::duration<double, std::milli>(overlap).count());
    }
    return sum;
  }

 private:
  void run(std::stop_token stop) {
    using namespace std::chrono_literals;
    while (!stop.stop_requested()) {
      const auto due = Clock::now() + 2ms;
      std::this_thread::sleep_until(due);
      const auto now = Clock::now();
      if (now - due < 5ms) continue;
      const std::scoped_lock held(lock_);
      late_.emplace_back(due, now);
    }
  }

  std::mutex lock_;
  std::vector<std::pair<Clock::time_point, Clock::time_point>> late_;
  std::jthread thread_;
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
  window.capture().practiceSetup().pace = argc > 1 ? std::atof(argv[1]) : 0.0;
  BookSession& session = window.session();
  const Subject subject = *session.subject(session.chosenSubject());
  std::vector<Variant> variants;
  for (const Variant& v : session.variants())
    if (v.subject_id == subject.id) variants.push_back(v);
  window.queue().setPlan(*plan_for(Purpose::kFullSet, subject, variants, {}));
  window.setStation(RouteStrip::kCapture);

  MachineBeat machine;
  MachineBeat::Clock::time_point last = MachineBeat::Clock::now();
  std::vector<double> stalls_ms;
  std::vector<double> own_ms;  // without what the machine stood still
  QTimer beat;
  beat.setTimerType(Qt::PreciseTimer);
  QObject::connect(&beat, &QTimer::timeout, [&] {
    const auto now = MachineBeat::Clock::now();
    stalls_ms.push_back(std::chrono::duration<double, std::milli>(now - last).count());
    own_ms.push_back(stalls_ms.back());
    if (stalls_ms.back() > 30.0) own_ms.back() -= machine.lost_ms(last, now);
    last = now;
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
  last = MachineBeat::Clock::now();
  beat.start(2);
  (void)QTest::qWaitFor([&] { return !window.queue().running(); }, 3600 * 1000);
  const auto longest = [](const std::vector<double>& ms) {
    return *std::max_element(ms.begin(), ms.end());
  };
  const auto over = [](const std::vector<double>& ms) {
    return std::count_if(ms.begin(), ms.end(), [](double one) { return one > 50.0; });
  };
  std::printf(
      "%d takes kept, %zu refused tries; longest stall %.1f ms, %td over 50 ms of %zu beats; "
      "without what a thread beside it stood still too: %.1f ms, %td over 50 ms; memory %.0f MB "
      "after 10 takes, %.0f MB at the end\n",
      kept, window.queue().summary().refused, longest(stalls_ms), over(stalls_ms), stalls_ms.size(),
      longest(own_ms), over(own_ms), early_mb, resident_mb());
  for (const auto& [what, count] : app.slow)
    std::printf("  %s: %d times slow, longest %.0f ms\n", qPrintable(what), count,
                app.longest[what]);
  return kept == 70 ? 0 : 1;
}
