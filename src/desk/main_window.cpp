#include "desk/main_window.h"

#include <QAction>
#include <QApplication>
#include <QCloseEvent>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QLabel>
#include <QMenu>
#include <QMimeData>
#include <QPushButton>
#include <QSettings>
#include <QSplitter>
#include <QStackedWidget>
#include <QTimer>
#include <QVBoxLayout>

#include "desk/action_finder.h"
#include "desk/bench/monitor_desk.h"
#include "desk/bench/plan_desk.h"
#include "desk/bench/queue_banner.h"
#include "desk/bench/rig_page.h"
#include "desk/boxes/box_page.h"
#include "desk/drawing/drawing_page.h"
#include "desk/impedance/driver_page.h"
#include "desk/impedance/series_desk.h"
#include "desk/import_sheet.h"
#include "desk/job_strip.h"
#include "desk/pages/capture_page.h"
#include "desk/pages/page_parts.h"
#include "desk/pages/plan_page.h"
#include "desk/pages/practice_page.h"
#include "desk/pages/read_page.h"
#include "desk/shelf/shelf_view.h"
#include "workbench/importing.h"

namespace lalometer {

MainWindow::MainWindow(QWidget* parent)
    : QMainWindow(parent), capture_(session_, bench_), queue_(session_, bench_) {
  setWindowTitle(QStringLiteral("Lalometer"));
  setAcceptDrops(true);
  resize(1280, 800);

  auto* centre = new QWidget(this);
  auto* column = new QVBoxLayout(centre);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  route_ = new RouteStrip(session_, centre);
  column->addWidget(route_);

  message_ = new QWidget(centre);
  message_->setObjectName(QStringLiteral("message"));
  auto* message_row = new QHBoxLayout(message_);
  message_row->setContentsMargins(14, 6, 10, 6);
  message_text_ = new QLabel(message_);
  message_text_->setObjectName(QStringLiteral("messageText"));
  message_text_->setWordWrap(true);
  auto* seen = new QPushButton(tr("Seen"), message_);
  connect(seen, &QPushButton::clicked, message_, &QWidget::hide);
  message_row->addWidget(message_text_, 1);
  message_row->addWidget(seen);
  message_->hide();
  column->addWidget(message_);

  job_ = new JobStrip(centre);
  column->addWidget(job_);
  connect(job_, &JobStrip::failed, this, &MainWindow::showMessage);
  connect(job_, &JobStrip::done, this, &MainWindow::showMessage);

  splitter_ = new QSplitter(Qt::Horizontal, centre);
  splitter_->setHandleWidth(1);
  splitter_->setChildrenCollapsible(false);
  shelf_ = new ShelfView(session_, splitter_);
  auto* between = new QWidget(splitter_);
  auto* between_column = new QVBoxLayout(between);
  between_column->setContentsMargins(0, 0, 0, 0);
  between_column->setSpacing(0);
  banner_ = new QueueBanner(queue_, between);
  between_column->addWidget(banner_);
  middle_ = new QStackedWidget(between);
  between_column->addWidget(middle_, 1);
  middle_->setObjectName(QStringLiteral("middle"));
  score_ = new ScoreView(state_, middle_);
  middle_->addWidget(score_);
  pages_ = new QStackedWidget(splitter_);
  pages_->setObjectName(QStringLiteral("page"));
  pages_->setMinimumWidth(260);
  splitter_->addWidget(shelf_);
  splitter_->addWidget(between);
  splitter_->addWidget(pages_);
  splitter_->setStretchFactor(0, 0);
  splitter_->setStretchFactor(1, 1);
  splitter_->setStretchFactor(2, 0);
  splitter_->setSizes({252, 744, 284});
  column->addWidget(splitter_, 1);
  setCentralWidget(centre);

  makeActions();
  makeBookMenu();
  auto* plan = new PlanPage(session_, pages_);
  capture_page_ = new CapturePage(session_, capture_, pages_);
  read_page_ = new ReadPage(session_, state_, pages_);
  auto* case_page = new CasePage(session_, pages_);
  auto* report = new ReportPage(
      {actionNamed("picture"), actionNamed("export-take"), actionNamed("export-subject")}, pages_);
  for (QWidget* page :
       std::initializer_list<QWidget*>{plan, capture_page_, read_page_, case_page, report})
    pages_->addWidget(page);
  makeDesks();
  import_ = new ImportSheet(session_, score_);
  finder_ = new ActionFinder(this);
  connect(
      import_, &ImportSheet::correctionTaken, this,
      [this](const QString& name, const Response& correction) {
        capture_.setMicrophoneCorrection(name.toStdString(), correction);
        showMessage(tr("%1 is the microphone's correction from now on (Capture, Rig).").arg(name));
      });

  connect(route_, &RouteStrip::stationChosen, this,
          [this](int s) { setStation(static_cast<RouteStrip::Station>(s)); });
  connect(plan, &PlanPage::captureAsked, this, [this](bool impedance) {
    setStation(RouteStrip::kCapture);
    impedance ? capture_page_->takeImpedance() : capture_page_->takeResponse();
  });
  connect(plan, &PlanPage::drawingAsked, this, [this] { showDesk(kDrawing); });
  connect(plan, &PlanPage::boxesAsked, this, [this] { showDesk(kBoxes); });
  connect(plan, &PlanPage::takesAsked, this, [this] { showDesk(kTakes); });
  connect(capture_page_, &CapturePage::rigAsked, this, [this] { showDesk(kRig); });
  connect(plan, &PlanPage::practiceAsked, this, [this] { showDesk(kPractice); });
  // In a round of its own: keeping, filling and drawing one take in a single round would hold up
  // mouse and keys.
  refresh_ = new QTimer(this);
  refresh_->setSingleShot(true);
  refresh_->setInterval(0);
  connect(refresh_, &QTimer::timeout, this, &MainWindow::refreshContents);
  connect(&session_, &BookSession::laidChanged, refresh_, qOverload<>(&QTimer::start));
  connect(&session_, &BookSession::resultsChanged, refresh_, qOverload<>(&QTimer::start));
  connect(&session_, &BookSession::rowsChanged, this, &MainWindow::updateEditActions);
  connect(&session_, &BookSession::failed, this, &MainWindow::showMessage);
  connect(&capture_, &CaptureController::failed, this, &MainWindow::showMessage);
  connect(&capture_, &CaptureController::stateChanged, this, &MainWindow::updateEditActions);
  connect(score_, &ScoreView::gateDragged, this, &MainWindow::dragGate);
  connect(score_, &ScoreView::curveChosen, &session_, &BookSession::chooseTake);
  connect(score_, &ScoreView::lanesArranged, this, &MainWindow::keepLanes);
  connect(score_, &ScoreView::takeDropped, this,
          [this](qint64 take) { session_.setLaid(take, true); });
  connect(score_, &ScoreView::filesDropped, this, &MainWindow::importFiles);
  connect(score_, &ScoreView::laneMenuAsked, this, &MainWindow::laneMenu);
  connect(shelf_, &ShelfView::menuAsked, this, &MainWindow::shelfMenu);

  // Another window or the command line may write to the same book.
  auto* watch = new QTimer(this);
  watch->setInterval(1500);
  connect(watch, &QTimer::timeout, this, &MainWindow::followForeignChanges);
  watch->start();

  setDark(QSettings().value(QStringLiteral("dark"), false).toBool());
  setStation(RouteStrip::kRead);
}

MainWindow::~MainWindow() = default;

QAction* MainWindow::actionNamed(const QString& id) const {
  for (QAction* action : all_actions_) {
    if (action->objectName() == id) return action;
  }
  return nullptr;
}

bool MainWindow::atRest() const {
  return !session_.busy() && !refresh_->isActive() && !capture_.running() && !queue_.running() &&
         !monitor_->running() && !rig_page_->busy() && !series_->running() &&
         !driver_page_->running() && !job_->running() && !import_->reading() &&
         !score_->settling() && !boxes_->lanes()->settling();
}

void MainWindow::setDark(bool dark) {
  dark_ = dark;
  const Theme& theme = dark ? Theme::night() : Theme::light();
  QPalette palette;
  palette.setColor(QPalette::Window, theme.paper);
  palette.setColor(QPalette::Base, theme.sheet);
  palette.setColor(QPalette::Button, theme.paper);
  for (const auto role : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText})
    palette.setColor(role, theme.ink);
  palette.setColor(QPalette::PlaceholderText, theme.quiet);
  palette.setColor(QPalette::Highlight, theme.accent);
  palette.setColor(QPalette::HighlightedText, theme.sheet);
  QApplication::setPalette(palette);
  setStyleSheet(theme.style_sheet());
  route_->setTheme(theme);
  shelf_->setTheme(theme);
  score_->setTheme(theme);
  read_page_->setTheme(theme);
  drawing_->setTheme(theme);
  drawing_page_->setTheme(theme);
  boxes_->setTheme(theme);
  box_page_->setTheme(theme);
  series_->setTheme(theme);
  driver_page_->setTheme(theme);
  practice_page_->setTheme(theme);
  plan_desk_->setTheme(theme);
  monitor_->setTheme(theme);
  banner_->setTheme(theme);
  import_->setTheme(theme);
  message_->setStyleSheet(
      QStringLiteral("QWidget#message { background: %1; } QLabel { color: %2; }")
          .arg(theme.accent_soft.name(), theme.ink.name()));
}

void MainWindow::setStation(RouteStrip::Station station) {
  route_->setStation(station);
  middle_->setCurrentIndex(kScore);
  pages_->setCurrentIndex(station);
  showBanner(station == RouteStrip::kCapture);
}

void MainWindow::showMessage(const QString& text) {
  message_text_->setText(text);
  message_->show();
}

bool MainWindow::openBook(const QString& path) {
  const auto opened = session_.open(path.toStdString());
  if (!opened) {
    showMessage(QString::fromStdString(opened.error().text()));
    return false;
  }
  message_->hide();
  seen_changes_ = session_.book().foreign_changes();
  remember(path, Remember::kAsOpen);
  restoreLanes();
  if (session_.book().read_only())
    showMessage(
        tr("This book can only be read here. Duplicate it (Ctrl+Shift+D) to go on in a copy."));
  return true;
}

bool MainWindow::newBook(const QString& path) {
  const auto made = session_.create(path.toStdString());
  if (!made) {
    showMessage(QString::fromStdString(made.error().text()));
    return false;
  }
  message_->hide();
  seen_changes_ = session_.book().foreign_changes();
  remember(path, Remember::kAsOpen);
  restoreLanes();
  setStation(RouteStrip::kCapture);
  return true;
}

void MainWindow::followForeignChanges() {
  if (!session_.isOpen() || session_.busy()) return;
  const std::int64_t changes = session_.book().foreign_changes();
  if (changes == seen_changes_) return;
  seen_changes_ = changes;
  session_.reload();
}

void MainWindow::remember(const QString& path, Remember as) {
  QSettings settings;
  QStringList recent = settings.value(QStringLiteral("recent")).toStringList();
  recent.removeAll(path);
  // The first of them is the one that is opened at the next start.
  recent.insert(as == Remember::kAsOpen || recent.isEmpty() ? 0 : 1, path);
  settings.setValue(QStringLiteral("recent"), recent.mid(0, 8));
  if (as != Remember::kAsOpen) return;
  setWindowTitle(QStringLiteral("%1 – Lalometer")
                     .arg(QString::fromStdString(session_.book().path().stem().string())));
}

void MainWindow::refreshContents() {
  const std::vector<LaidTake> laid = session_.laid();
  for (std::size_t i = 0; i < score_->lanes().size(); ++i) {
    const LaneKind* kind = lane_kind(score_->lanes()[i].kind);
    if (kind != nullptr) score_->setContent(i, kind->build(laid, session_.chosenTake()));
  }
}

void MainWindow::restoreLanes() {
  std::vector<ScoreView::Lane> lanes;
  const QJsonArray kept =
      QJsonDocument::fromJson(QByteArray::fromStdString(session_.book().view("lanes"))).array();
  for (const QJsonValue& value : kept) {
    const QJsonObject object = value.toObject();
    ScoreView::Lane lane;
    lane.kind = object.value(QLatin1String("kind")).toString().toStdString();
    if (lane_kind(lane.kind) == nullptr) continue;
    lane.weight = std::clamp(object.value(QLatin1String("weight")).toDouble(1.0), 0.2, 8.0);
    lane.fitted = object.value(QLatin1String("fitted")).toBool(true);
    lane.values = {object.value(QLatin1String("low")).toDouble(0.0),
                   object.value(QLatin1String("high")).toDouble(1.0)};
    if (!(lane.values.high > lane.values.low)) lane.fitted = true;
    lanes.push_back(std::move(lane));
  }
  if (lanes.empty()) {
    for (const LaneKind& kind : lane_kinds()) {
      if (kind.id == "phase" || kind.id == "edges") continue;  // added by hand: few need them daily
      ScoreView::Lane lane;
      lane.kind = kind.id;
      lane.weight = kind.usual_weight;
      lanes.push_back(std::move(lane));
    }
  }
  const std::vector<LaidTake> laid = session_.laid();
  for (ScoreView::Lane& lane : lanes)
    lane.content = lane_kind(lane.kind)->build(laid, session_.chosenTake());
  score_->setLanes(std::move(lanes));
}

void MainWindow::keepLanes() {
  if (!session_.isOpen() || session_.book().read_only()) return;
  QJsonArray array;
  for (const ScoreView::Lane& lane : score_->lanes()) {
    array.append(QJsonObject{{QStringLiteral("kind"), QString::fromStdString(lane.kind)},
                             {QStringLiteral("weight"), lane.weight},
                             {QStringLiteral("fitted"), lane.fitted},
                             {QStringLiteral("low"), lane.values.low},
                             {QStringLiteral("high"), lane.values.high}});
  }
  if (auto kept = session_.book().set_view(
          "lanes", QJsonDocument(array).toJson(QJsonDocument::Compact).toStdString());
      !kept) {
    showMessage(QString::fromStdString(kept.error().text()));
  }
  updateEditActions();
}

void MainWindow::showLane(const std::string& kind, bool shown) {
  std::vector<ScoreView::Lane> lanes = score_->lanes();
  const auto found =
      std::find_if(lanes.begin(), lanes.end(), [&](const auto& lane) { return lane.kind == kind; });
  if ((found != lanes.end()) == shown) return;
  if (!shown) {
    score_->removeLane(static_cast<std::size_t>(found - lanes.begin()));
    return;
  }
  if (kind == "edges") session_.setModelsWanted(true);
  const LaneKind* plug = lane_kind(kind);
  ScoreView::Lane lane;
  lane.kind = kind;
  lane.weight = plug->usual_weight;
  lane.content = plug->build(session_.laid(), session_.chosenTake());
  lanes.push_back(std::move(lane));
  score_->setLanes(std::move(lanes));
  keepLanes();
}

void MainWindow::dragGate(double seconds, bool done) {
  const Id subject = session_.chosenSubject();
  if (subject == 0) return;
  Recipe recipe = session_.recipe(subject);
  // A hundredth of a millisecond is finer than a sample; more digits would only look exact.
  recipe.gate_s = std::round(seconds * 1e5) / 1e5;
  recipe.gated = true;
  if (done)
    session_.commitRecipe(subject, recipe);
  else
    session_.previewRecipe(subject, recipe);
}

void MainWindow::changeGate(double factor) {
  const Id subject = session_.chosenSubject();
  if (subject != 0)
    dragGate(std::clamp(session_.recipe(subject).gate_s * factor, 0.0005, 0.5), true);
}

void MainWindow::importFiles(const QStringList& paths) {
  if (!session_.isOpen() || paths.isEmpty()) return;
  import_->setGeometry(score_->rect().adjusted(40, 30, -40, -60));
  import_->open(paths);
}

void MainWindow::exportTake(const QString& path) {
  const Take* take = session_.take(session_.chosenTake());
  if (take == nullptr) return showMessage(tr("Choose a take on the shelf first."));
  const auto work = [book = session_.book().path(), id = take->id, path](
                        std::stop_token, const Progress&) -> Result<QString> {
    return Book::open(book).and_then([&](const Book& own) {
      return export_take(own, id, path.toStdString()).map([&] {
        return tr("Written: %1").arg(path);
      });
    });
  };
  if (!job_->start(tr("Exporting a take"), work)) showMessage(tr("Another job is still running."));
}

void MainWindow::exportSubject(const QString& folder) {
  const auto work = [book = session_.book().path(), id = session_.chosenSubject(), folder](
                        std::stop_token stop, const Progress& progress) -> Result<QString> {
    return Book::open(book).and_then([&](const Book& own) {
      return export_subject(own, id, folder.toStdString(), stop, progress).map([&] {
        return tr("Written: %1").arg(folder);
      });
    });
  };
  if (!job_->start(tr("Exporting a measurement set"), work))
    showMessage(tr("Another job is still running."));
}

void MainWindow::duplicateTo(const QString& path) {
  const auto work = [book = session_.book().path(), path](
                        std::stop_token stop, const Progress& progress) -> Result<QString> {
    return Book::open(book).and_then([&](const Book& own) {
      return own.duplicate_to(path.toStdString(), stop, progress).map([&] {
        return tr("Duplicated to %1. It is under Recent books.").arg(path);
      });
    });
  };
  if (!job_->start(tr("Duplicating the book"), work))
    showMessage(tr("Another job is still running."));
  else
    remember(path, Remember::kAsRecent);
}

void MainWindow::laneMenu(const QPoint& global, int lane) {
  QMenu menu(this);
  // Without a lane the menu is about which there are.
  if (lane >= 0) {
    score_->chooseLane(static_cast<std::size_t>(lane));
    for (const char* id : {"lane-up", "lane-down", "lane-taller", "lane-lower", "lane-remove"})
      menu.addAction(actionNamed(QLatin1String(id)));
    menu.addSeparator();
  }
  for (const LaneKind& kind : lane_kinds())
    menu.addAction(actionNamed(QStringLiteral("lane-%1").arg(QString::fromStdString(kind.id))));
  menu.addSeparator();
  menu.addAction(actionNamed(QStringLiteral("fit")));
  menu.exec(global);
}

void MainWindow::shelfMenu(const QPoint& global, qint64 subject, qint64, qint64 take) {
  QMenu menu(this);
  if (take != 0) {
    session_.chooseTake(take);
    for (const char* id : {"rename", "export-take", "remove-take"})
      menu.addAction(actionNamed(QLatin1String(id)));
  } else if (subject != 0) {
    for (const char* id : {"rename", "export-subject"})
      menu.addAction(actionNamed(QLatin1String(id)));
  }
  if (!menu.isEmpty()) menu.exec(global);
}

void MainWindow::updateEditActions() {
  if (!session_.isOpen()) return;
  const auto name = [](const std::string& step, const QString& verb) {
    return step.empty() ? verb : QStringLiteral("%1: %2").arg(verb, QString::fromStdString(step));
  };
  QAction* undo = actionNamed(QStringLiteral("undo"));
  QAction* redo = actionNamed(QStringLiteral("redo"));
  undo->setText(name(session_.book().undo_name(), tr("Undo")));
  undo->setEnabled(!session_.book().undo_name().empty());
  redo->setText(name(session_.book().redo_name(), tr("Redo")));
  redo->setEnabled(!session_.book().redo_name().empty());
  for (const LaneKind& kind : lane_kinds()) {
    QAction* action = actionNamed(QStringLiteral("lane-%1").arg(QString::fromStdString(kind.id)));
    const auto& lanes = score_->lanes();
    const bool shown = std::any_of(lanes.begin(), lanes.end(),
                                   [&](const auto& lane) { return lane.kind == kind.id; });
    action->setText(shown ? tr("Hide the lane: %1").arg(QString::fromStdString(kind.title))
                          : tr("Add a lane: %1").arg(QString::fromStdString(kind.title)));
  }
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
  if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
  QStringList paths;
  for (const QUrl& url : event->mimeData()->urls()) {
    if (url.isLocalFile()) paths.push_back(url.toLocalFile());
  }
  importFiles(paths);
  event->acceptProposedAction();
}

void MainWindow::resizeEvent(QResizeEvent* event) {
  QMainWindow::resizeEvent(event);
  if (import_ != nullptr && import_->isVisible())
    import_->setGeometry(score_->rect().adjusted(40, 30, -40, -60));
}

void MainWindow::closeEvent(QCloseEvent* event) {
  capture_.stop();
  queue_.pause();
  monitor_->stop();
  event->accept();
}

}  // namespace lalometer
