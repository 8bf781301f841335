#include <QFrame>
#include <QPushButton>
#include <QStackedWidget>
#include <QVBoxLayout>

#include "base/text.h"
#include "desk/bench/monitor_desk.h"
#include "desk/bench/plan_desk.h"
#include "desk/bench/queue_banner.h"
#include "desk/bench/rig_page.h"
#include "desk/boxes/box_page.h"
#include "desk/drawing/drawing_page.h"
#include "desk/impedance/driver_page.h"
#include "desk/impedance/series_desk.h"
#include "desk/job_strip.h"
#include "desk/main_window.h"
#include "desk/pages/capture_page.h"
#include "desk/pages/page_parts.h"
#include "desk/pages/practice_page.h"
#include "workbench/baffle_prediction.h"
#include "workbench/practice_cases.h"

/// The desks of the Plan station: drawing, boxes, practice.
namespace lalometer {

void MainWindow::makeDesks() {
  drawing_ = new DrawingDesk(session_, middle_);
  middle_->addWidget(drawing_);
  drawing_page_ = new DrawingPage(*drawing_, pages_);
  pages_->addWidget(drawing_page_);
  connect(drawing_page_, &DrawingPage::bestPlaceAsked, this, &MainWindow::findBestPlace);
  boxes_ = new BoxDesk(session_, middle_);
  middle_->addWidget(boxes_);
  box_page_ = new BoxPage(*boxes_, pages_);
  pages_->addWidget(box_page_);
  practice_page_ = new PracticePage(session_, pages_);
  pages_->addWidget(practice_page_);
  connect(practice_page_, &PracticePage::caseAsked, this, &MainWindow::openCase);
  makeBenchDesks();
  makeImpedanceDesk();
}

/// Reading impedances: variants or samples side by side, the driver's parameters beside them.
void MainWindow::makeImpedanceDesk() {
  series_ = new SeriesDesk(session_, middle_);
  middle_->addWidget(series_);
  driver_page_ = new DriverPage(session_, pages_);
  pages_->addWidget(driver_page_);
  connect(series_, &SeriesDesk::failed, this, &MainWindow::showMessage);
  connect(driver_page_, &DriverPage::failed, this, &MainWindow::showMessage);
  connect(driver_page_, &DriverPage::takesAsked, this, [this] { showDesk(kTakes); });
}

/// Plan and capture: the list of takes over its stand, the rig, the live monitor.
void MainWindow::makeBenchDesks() {
  plan_desk_ = new PlanDesk(session_, queue_, middle_);
  middle_->addWidget(plan_desk_);
  stand_page_ = new StandPage(session_, queue_, *plan_desk_, pages_);
  pages_->addWidget(stand_page_);
  connect(plan_desk_, &PlanDesk::captureAsked, this, [this] { setStation(RouteStrip::kCapture); });
  rig_page_ = new RigPage(session_, capture_, pages_);
  pages_->addWidget(rig_page_);
  connect(rig_page_, &RigPage::monitorAsked, this, [this] { showDesk(kMonitor); });
  monitor_ = new MonitorDesk(capture_, middle_);
  middle_->addWidget(monitor_);
  monitor_page_ = new MonitorPage(capture_, *monitor_, pages_);
  pages_->addWidget(monitor_page_);
  connect(monitor_, &MonitorDesk::failed, this, &MainWindow::showMessage);
  connect(&queue_, &QueueController::failed, this, &MainWindow::showMessage);
  connect(&queue_, &QueueController::stateChanged, this, &MainWindow::updateEditActions);
  connect(&queue_, &QueueController::stateChanged, this,
          [this] { capture_page_->setEnabled(!queue_.running()); });
  connect(&capture_, &CaptureController::rigChanged, this,
          [this] { queue_.setCalibration(capture_.rig()); });
  connect(&queue_, &QueueController::starting, capture_page_, &CapturePage::standOnBench);
  connect(banner_, &QueueBanner::haltAsked, &queue_, &QueueController::halt);
  // The space bar belongs to buttons again as soon as nothing waits.
  const auto waiting = [this] {
    actionNamed(QStringLiteral("queue-on"))->setEnabled(queue_.place().waits);
  };
  connect(&queue_, &QueueController::placeChanged, this, waiting);
  connect(&queue_, &QueueController::stateChanged, this, waiting);
  waiting();
  connect(&bench_, &BenchRig::cautionsAsked, this, &MainWindow::showCautions);
  queue_.setCalibration(capture_.rig());
}

/// Over the score until it is read: once for each interface.
void MainWindow::showCautions() {
  if (cautions_ != nullptr) return cautions_->show();
  cautions_ = new QFrame(middle_->parentWidget());
  cautions_->setObjectName(QStringLiteral("cautions"));
  cautions_->setProperty("card", "doubt");
  auto* column = new QVBoxLayout(cautions_);
  column->setContentsMargins(18, 12, 18, 12);
  column->addWidget(role_label(tr("Before the first sound on this interface"), "title", cautions_));
  column->addWidget(role_label(tr("• Hearing protection above 85 dB(A), and for any test above 95 "
                                  "dB at the ear. A sweep begins "
                                  "without warning.<br>• Tweeters burn quickly: mind the start "
                                  "frequency, begin soft, a protection "
                                  "capacitor in series.<br>• The amplifier's black terminal must "
                                  "be ground before it is joined to "
                                  "interface or jig. A bridged amplifier destroys both.<br>• Mains "
                                  "voltage inside powered loudspeakers "
                                  "is for licensed people only.<br>• Heavy cabinets and stands tip "
                                  "over; mind hot irons, fumes and "
                                  "dust.<br>Local rules and licensed practice come first."),
                               "plain", cautions_));
  auto* read = new QPushButton(tr("I know these"), cautions_);
  read->setObjectName(QStringLiteral("cautionsRead"));
  read->setProperty("main", true);
  column->addWidget(read, 0, Qt::AlignLeft);
  connect(read, &QPushButton::clicked, this, [this] {
    bench_.acknowledgeCautions();
    cautions_->hide();
  });
  if (auto* between = qobject_cast<QVBoxLayout*>(middle_->parentWidget()->layout()))
    between->insertWidget(0, cautions_);
}

void MainWindow::showBanner(bool wanted) {
  banner_->setProperty("wanted", wanted);
  const auto& plan = queue_.plan();
  banner_->setVisible(wanted && plan && !plan->takes.empty());
}

void MainWindow::showDesk(Desk desk) {
  if (desk == kScore) return setStation(RouteStrip::kPlan);
  const bool capturing = desk == kRig || desk == kMonitor;
  route_->setStation(capturing            ? RouteStrip::kCapture
                     : desk == kImpedance ? RouteStrip::kRead
                                          : RouteStrip::kPlan);
  // Practice is reading: its page stands beside the score, and so does the rig's.
  QWidget* middle = desk == kTakes       ? static_cast<QWidget*>(plan_desk_)
                    : desk == kMonitor   ? monitor_
                    : desk == kDrawing   ? drawing_
                    : desk == kBoxes     ? boxes_
                    : desk == kImpedance ? series_
                                         : static_cast<QWidget*>(score_);
  middle_->setCurrentWidget(middle);
  pages_->setCurrentIndex(RouteStrip::kStationCount + desk - 1);
  showBanner(false);
  if (desk == kRig) rig_page_->lookAround();
}

void MainWindow::openCase(const QString& id) {
  if (session_.book().read_only())
    return showMessage(tr("This book can only be read here: a case needs a book to write to."));
  auto opened = std::make_shared<OpenedCase>();
  const auto work = [path = session_.book().path(), opened, name = id.toStdString()](
                        std::stop_token stop, const Progress& progress) -> Result<QString> {
    const PracticeCase* one = practice_case(name);
    return Book::open(path)
        .and_then([&](Book&& own) { return open_case(own, *one, stop, progress); })
        .map([&](const OpenedCase& made) {
          *opened = made;
          return tr("%1 is on the shelf and on the score.").arg(QString::fromStdString(one->title));
        });
  };
  auto* once = new QObject(this);
  connect(job_, &JobStrip::failed, once, [once] { once->deleteLater(); });
  connect(job_, &JobStrip::done, once, [this, once, opened] {
    once->deleteLater();
    session_.reload();
    // The case alone on the score: nothing else to mistake it for.
    const std::vector<Take> takes = session_.takes();
    for (const Take& take : takes)
      if (take.colour >= 0 && take.subject_id != opened->subject) session_.setLaid(take.id, false);
    for (const Id take : opened->takes) session_.setLaid(take, true);
    if (!opened->takes.empty()) session_.chooseTake(opened->takes.back());
  });
  if (!job_->start(tr("Taking the case's loudspeaker"), work)) {
    once->deleteLater();
    showMessage(tr("Another job is still running."));
  }
}

void MainWindow::findBestPlace(const QString& driver) {
  const std::string description = drawing_->description();
  auto found = std::make_shared<BestPosition>();
  const auto work = [description, found, id = driver.toStdString()](
                        std::stop_token stop, const Progress& progress) -> Result<QString> {
    return geometry_of(description, id)
        .and_then([&](const SubjectGeometry& g) { return best_position(g, id, stop, progress); })
        .map([&](const BestPosition& best) {
          *found = best;
          return tr("%1: ripple %2 dB from %3 to %4 at its best place, %5 dB where it was. "
                    "Undo puts it back.")
              .arg(QString::fromStdString(id))
              .arg(best.ripple_db, 0, 'f', 2)
              .arg(QString::fromStdString(frequency_text(best.low_hz)),
                   QString::fromStdString(frequency_text(best.high_hz)))
              .arg(best.ripple_here_db, 0, 'f', 2);
        });
  };
  // One connection per job: it goes with the first outcome.
  auto* once = new QObject(this);
  connect(job_, &JobStrip::failed, once, [once] { once->deleteLater(); });
  connect(job_, &JobStrip::done, once, [this, once, found, description, driver] {
    once->deleteLater();
    const DrawnSubject s = drawn_subject(drawing_->description());
    for (const DrawnPart& part : s.parts) {
      // Moved on meanwhile: then the answer is to another question.
      if (part.id != driver.toStdString() || drawing_->description() != description) continue;
      drawing_->edit(with_part_at(description, part, found->x_m * 1e3, found->y_m * 1e3), true);
      SubjectView::RippleMap map{found->tried_x_m, found->tried_y_m, found->ripple_map_db};
      for (double& x : map.x_mm) x *= 1e3;
      for (double& y : map.y_mm) y *= 1e3;
      drawing_->showRipple(std::move(map));
      return;
    }
  });
  if (!job_->start(tr("Trying every place on the front"), work)) {
    once->deleteLater();
    showMessage(tr("Another job is still running."));
  }
}

}  // namespace lalometer
