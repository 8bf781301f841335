#include <QAction>
#include <QFrame>
#include <QPushButton>
#include <QStackedWidget>
#include <QVBoxLayout>

#include "base/text.h"
#include "desk/angles/angles_page.h"
#include "desk/angles/equaliser_page.h"
#include "desk/boxes/box_page.h"
#include "desk/capture/capture_page.h"
#include "desk/capture/rig_page.h"
#include "desk/case/case_page.h"
#include "desk/chart/chart_page.h"
#include "desk/drawing/drawing_page.h"
#include "desk/frame/job_strip.h"
#include "desk/frame/main_window.h"
#include "desk/impedance/driver_page.h"
#include "desk/impedance/series_desk.h"
#include "desk/level/level_page.h"
#include "desk/monitor/monitor_page.h"
#include "desk/networks/network_page.h"
#include "desk/pages/plan_page.h"
#include "desk/pages/practice_page.h"
#include "desk/pages/read_page.h"
#include "desk/pages/start_view.h"
#include "desk/parts/page_parts.h"
#include "desk/queue/plan_desk.h"
#include "desk/queue/queue_banner.h"
#include "desk/queue/stand_page.h"
#include "desk/report/report_page.h"
#include "workbench/design/baffle_prediction.h"
#include "workbench/practice/practice_cases.h"

/// The table of desks, station by station, and what only one desk asks of the window.
namespace lalometer {

void MainWindow::makeStart() {
  start_ = new StartView(middle_);
  middle_->addWidget(start_);
  const auto trigger = [this](const char* id) {
    return [this, id] { actionNamed(QLatin1String(id))->trigger(); };
  };
  connect(start_, &StartView::loudspeakerAsked, this, trigger("take-response"));
  connect(start_, &StartView::driverAsked, this, [this] {
    setStation(RouteStrip::kCapture);
    capture_page_->takeFreeAir();
  });
  connect(start_, &StartView::filesAsked, this, trigger("import"));
  connect(start_, &StartView::drawingAsked, this, &MainWindow::drawSubject);
  connect(start_, &StartView::practiceAsked, this, trigger("practice"));
}

void MainWindow::withSubject(std::function<void()> then) {
  if (!session_.subjects().empty()) return then();
  const Subject subject{0, tr("New loudspeaker").toStdString(), SubjectKind::kLoudspeaker};
  session_.edit(
      [subject, as_it_is = tr("As it is").toStdString()](Book& book) {
        return book.together<void>("Add a subject", [&] {
          return book.add_subject(subject).and_then([&](Id id) {
            return book.add_variant({0, id, as_it_is, ""}).map([](Id) {});
          });
        });
      },
      [then = std::move(then)](bool made) {
        if (made) then();
      });
}

void MainWindow::drawSubject() {
  if (!session_.isOpen()) return;
  withSubject([this] { showDesk(QStringLiteral("drawing")); });
}

/// The lane of the score that a report's figure was made by.
void MainWindow::showFigure(const QString& id) {
  static const std::map<QString, std::string> lanes = {
      {QStringLiteral("on-axis"), "level"},
      {QStringLiteral("compared-level"), "level"},
      {QStringLiteral("compared-impedance"), "impedance"},
      {QStringLiteral("impedance-free-air"), "impedance"}};
  if (id.startsWith(QLatin1String("network-"))) return showDesk(QStringLiteral("networks"));
  const auto named = lanes.find(id);
  const std::string kind = named != lanes.end() ? named->second : id.toStdString();
  if (lane_kind(kind) == nullptr) return;
  lanes_->setShown(kind, true);
  setStation(RouteStrip::kRead);
}

/// The score with the page of each station; the first desk of a station is the one the route shows.
void MainWindow::makeStationDesks() {
  auto* plan = new PlanPage(session_, pages_);
  capture_page_ = new CapturePage(session_, capture_, pages_);
  auto* paper = new ReportDesk(session_, middle_);
  auto* report = new ReportPage(
      *paper,
      {actionNamed(QStringLiteral("picture")), actionNamed(QStringLiteral("export-take")),
       actionNamed(QStringLiteral("export-subject"))},
      pages_);
  addDesk({QStringLiteral("plan"), RouteStrip::kPlan, score_, plan});
  addDesk({QStringLiteral("capture"), RouteStrip::kCapture, score_, capture_page_, true});
  addDesk(
      {QStringLiteral("read"), RouteStrip::kRead, score_, new ReadPage(session_, state_, pages_)});
  addDesk({QStringLiteral("case"), RouteStrip::kCase, score_,
           new CasePage(session_, state_, queue_, pages_)});
  addDesk({QStringLiteral("report"), RouteStrip::kReport, paper, report});
  connect(paper, &ReportDesk::failed, this, &MainWindow::showMessage);
  connect(paper, &ReportDesk::written, this,
          [this](const QString& path) { showMessage(tr("Written: %1").arg(path)); });
  connect(paper, &ReportDesk::figureAsked, this, &MainWindow::showFigure);
  connect(plan, &PlanPage::captureAsked, this, [this](bool impedance) {
    setStation(RouteStrip::kCapture);
    impedance ? capture_page_->takeImpedance() : capture_page_->takeResponse();
  });
  connect(plan, &PlanPage::deskAsked, this, &MainWindow::showDesk);
  connect(capture_page_, &CapturePage::rigAsked, this, [this] { showDesk(QStringLiteral("rig")); });
}

/// Drawing, boxes, networks, practice, the list of takes over its stand.
void MainWindow::makePlanDesks() {
  drawing_ = new DrawingDesk(session_, middle_);
  auto* drawing_page = new DrawingPage(*drawing_, pages_);
  addDesk({QStringLiteral("drawing"), RouteStrip::kPlan, drawing_, drawing_page});
  connect(drawing_page, &DrawingPage::bestPlaceAsked, this, &MainWindow::findBestPlace);
  boxes_ = new BoxDesk(session_, middle_);
  addDesk({QStringLiteral("boxes"), RouteStrip::kPlan, boxes_, new BoxPage(*boxes_, pages_)});
  auto* networks = new NetworkDesk(session_, middle_);
  addDesk({QStringLiteral("networks"), RouteStrip::kPlan, networks,
           new NetworkPage(*networks, pages_)});
  connect(networks, &NetworkDesk::failed, this, &MainWindow::showMessage);
  auto* practice = new PracticePage(session_, pages_);
  // Practice is reading: its page stands beside the score.
  addDesk({QStringLiteral("practice"), RouteStrip::kPlan, score_, practice});
  connect(practice, &PracticePage::caseAsked, this, &MainWindow::openCase);
  auto* plan = new PlanDesk(session_, queue_, middle_);
  addDesk({QStringLiteral("takes"), RouteStrip::kPlan, plan,
           new StandPage(session_, queue_, *plan, pages_)});
  connect(plan, &PlanDesk::captureAsked, this, [this] { setStation(RouteStrip::kCapture); });
}

/// The rig and the live monitor.
void MainWindow::makeCaptureDesks() {
  auto* rig = new RigPage(session_, capture_, pages_);
  addDesk({QStringLiteral("rig"), RouteStrip::kCapture, score_, rig});
  connect(rig, &RigPage::monitorAsked, this, [this] { showDesk(QStringLiteral("monitor")); });
  auto* monitor = new MonitorDesk(capture_, middle_);
  addDesk({QStringLiteral("monitor"), RouteStrip::kCapture, monitor,
           new MonitorPage(capture_, *monitor, pages_)});
  connect(monitor, &MonitorDesk::failed, this, &MainWindow::showMessage);
}

/// Impedances: variants or samples side by side, the driver's parameters beside them.
void MainWindow::makeReadDesks() {
  auto* series = new SeriesDesk(session_, middle_);
  auto* driver = new DriverPage(session_, pages_);
  addDesk({QStringLiteral("impedances"), RouteStrip::kRead, series, driver});
  connect(series, &SeriesDesk::failed, this, &MainWindow::showMessage);
  connect(driver, &DriverPage::failed, this, &MainWindow::showMessage);
  connect(driver, &DriverPage::takesAsked, this, [this] { showDesk(QStringLiteral("takes")); });
}

/// Sets of angles beside the score: what they tell, and what equalising would mend.
void MainWindow::makeAngleDesks() {
  auto* angles = new AnglesPage(session_, state_, pages_);
  addDesk({QStringLiteral("angles"), RouteStrip::kRead, score_, angles});
  connect(angles, &AnglesPage::lanesAsked, this, [this](bool spinorama) {
    lanes_->setOnly(spinorama ? std::vector<std::string>{"spinorama", "angles-horizontal",
                                                         "angles-vertical", "directivity-index"}
                              : std::vector<std::string>{"level", "angles-horizontal", "beamwidth",
                                                         "directivity-index"});
  });
  auto* equaliser = new EqualiserPage(session_, pages_);
  addDesk({QStringLiteral("equaliser"), RouteStrip::kRead, score_, equaliser});
  connect(equaliser, &EqualiserPage::laneAsked, this,
          [this] { lanes_->setShown("equalised", true); });
  connect(equaliser, &EqualiserPage::failed, this, &MainWindow::showMessage);
}

/// How loud it goes, what it adds, what lingers.
void MainWindow::makeLevelDesk() {
  auto* level = new LevelPage(session_, state_, pages_);
  addDesk({QStringLiteral("level"), RouteStrip::kRead, score_, level});
  connect(level, &LevelPage::lanesAsked, this, [this](bool time) {
    lanes_->setOnly(time ? std::vector<std::string>{"level", "decay", "burst-decay", "step"}
                         : std::vector<std::string>{"level", "harmonics", "thd", "compression"});
  });
}

/// Published curves: traced here, read on the score.
void MainWindow::makeChartDesk() {
  chart_ = new ChartDesk(session_, middle_);
  addDesk({QStringLiteral("chart"), RouteStrip::kRead, chart_,
           new ChartDeskPage(session_, *chart_, pages_)});
  connect(chart_, &ChartDesk::failed, this, &MainWindow::showMessage);
  connect(chart_, &ChartDesk::kept, this, [this](qint64 take) {
    session_.chooseTake(take);
    lanes_->setShown("difference", true);
    setStation(RouteStrip::kRead);
  });
}

void MainWindow::wireQueue() {
  connect(&queue_, &QueueController::failed, this, &MainWindow::showMessage);
  connect(&queue_, &QueueController::stateChanged, this, &MainWindow::updateEditActions);
  const auto queued = [this] {
    const int index = queue_.place().index;
    const auto& plan = queue_.plan();
    const bool shows =
        queue_.running() && plan && index >= 0 && index < static_cast<int>(plan->takes.size());
    capture_page_->showQueued(shows ? &plan->takes[static_cast<std::size_t>(index)] : nullptr);
    capture_page_->setEnabled(!queue_.running());
  };
  connect(&queue_, &QueueController::stateChanged, this, queued);
  connect(&queue_, &QueueController::placeChanged, this, queued);
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
  connect(&rig_, &WiredRig::cautionsAsked, this, &MainWindow::showCautions);
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
    rig_.acknowledgeCautions();
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

void MainWindow::openCase(const QString& id) {
  if (session_.book().read_only())
    return showMessage(tr("This book can only be read here: a case needs a book to write to."));
  const PracticeCase* one = practice_case(id.toStdString());
  if (one == nullptr) return;
  const bool begun = job_->start<ImportPreview>(
      tr("Taking the case's loudspeaker"), WorkScope::kBook,
      [one](const WorkContext& context) {
        return case_takes(*one, context.stop, context.progress, context.parallel);
      },
      [this, one](const Result<ImportPreview>& takes) {
        if (!takes) return;
        session_.edit<OpenedCase>(
            [one, preview = *takes](Book& book) { return keep_case(book, *one, preview); },
            [this, one](const Result<OpenedCase>& opened) {
              if (!opened) return;
              showMessage(tr("%1 is on the shelf and on the score.")
                              .arg(QString::fromStdString(one->title)));
              showCase({opened->takes.begin(), opened->takes.end()}, opened->subject);
            });
      });
  if (!begun) showMessage(tr("Another job is still running."));
}

/// The case alone on the score: nothing else to mistake it for.
void MainWindow::showCase(const std::vector<qint64>& takes, qint64 subject) {
  const BookSession::Together together(session_);
  std::vector<Id> others;
  for (const Take& take : session_.takes())
    if (take.colour >= 0 && take.subject_id != subject) others.push_back(take.id);
  session_.setLaid(others, false);
  session_.setLaid({takes.begin(), takes.end()}, true);
  if (!takes.empty()) session_.chooseTake(takes.back());
}

void MainWindow::findBestPlace(const QString& driver) {
  const Description description = drawing_->description();
  const bool begun = job_->start<BestPosition>(
      tr("Trying every place on the front"), WorkScope::kBook,
      [description, id = driver.toStdString()](const WorkContext& context) {
        return geometry_of(description, id).and_then([&](const SubjectGeometry& g) {
          return best_position(g, id, context.stop, context.progress);
        });
      },
      [this, description, driver](const Result<BestPosition>& best) {
        // Moved on meanwhile: then the answer is to another question.
        if (!best || drawing_->description() != description) return;
        const DrawnSubject s = drawn_subject(description);
        for (const DrawnPart& part : s.parts) {
          if (part.id != driver.toStdString()) continue;
          drawing_->edit(with_part_at(description, part, best->x_m * 1e3, best->y_m * 1e3), true);
          SubjectView::RippleMap map{best->tried_x_m, best->tried_y_m, best->ripple_map_db};
          for (double& x : map.x_mm) x *= 1e3;
          for (double& y : map.y_mm) y *= 1e3;
          drawing_->showRipple(std::move(map));
          break;
        }
        showMessage(tr("%1: ripple %2 dB from %3 to %4 at its best place, %5 dB where it was. "
                       "Undo puts it back.")
                        .arg(driver)
                        .arg(best->ripple_db, 0, 'f', 2)
                        .arg(QString::fromStdString(frequency_text(best->low_hz)),
                             QString::fromStdString(frequency_text(best->high_hz)))
                        .arg(best->ripple_here_db, 0, 'f', 2));
      });
  if (!begun) showMessage(tr("Another job is still running."));
}

}  // namespace lalometer
