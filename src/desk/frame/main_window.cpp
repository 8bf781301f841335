#include "desk/frame/main_window.h"

#include <QAction>
#include <QApplication>
#include <QCloseEvent>
#include <QFile>
#include <QLabel>
#include <QMenu>
#include <QMimeData>
#include <QPushButton>
#include <QSettings>
#include <QSplitter>
#include <QStackedWidget>
#include <QTimer>
#include <QVBoxLayout>

#include "base/log.h"
#include "desk/chart/chart_desk.h"
#include "desk/frame/action_finder.h"
#include "desk/frame/job_strip.h"
#include "desk/importing/import_sheet.h"
#include "desk/pages/start_view.h"
#include "desk/queue/queue_banner.h"
#include "desk/shelf/shelf_view.h"
#include "workbench/sharing/exporting.h"

namespace lalometer {
namespace {

constexpr int kPageBesideScore_px = 260;
constexpr int kPageBesideDesk_px = 320;

}  // namespace

MainWindow::MainWindow(QWidget* parent)
    : QMainWindow(parent),
      session_(work_),
      rig_(work_),
      capture_(session_, rig_),
      queue_(session_, rig_) {
  setWindowTitle(QStringLiteral("Lalometer"));
  setAcceptDrops(true);
  resize(1280, 800);
  makeFrame();
  for (const auto& [part, key] : {std::pair<QWidget*, const char*>(shelf_, "fold/shelf"),
                                  std::pair<QWidget*, const char*>(pages_, "fold/page")})
    part->setVisible(!QSettings().value(QLatin1String(key), false).toBool());
  makeActions();
  makeBookMenu();
  makeStart();
  makeStationDesks();
  makePlanDesks();
  makeCaptureDesks();
  makeReadDesks();
  makeAngleDesks();
  makeLevelDesk();
  makeChartDesk();
  import_ = new ImportSheet(session_, score_);
  finder_ = new ActionFinder(this);
  wireSession();
  wireScore();
  wireCurves();
  wireQueue();
  // Another window or the command line may write to the same book.
  auto* watch = new QTimer(this);
  watch->setInterval(1500);
  connect(watch, &QTimer::timeout, &session_, &BookSession::followForeignChanges);
  watch->start();
  // Esc is heard wherever the focus is.
  qApp->installEventFilter(this);
  setDark(QSettings().value(QStringLiteral("dark"), false).toBool());
  setStation(RouteStrip::kRead);
}

MainWindow::~MainWindow() {
  qApp->removeEventFilter(this);
  session_.flushView();
  // Workers first: they use devices and the book's writer. Then the widgets, which use the session.
  work_.shutDown();
  delete takeCentralWidget();
}

void MainWindow::makeFrame() {
  auto* centre = new QWidget(this);
  auto* column = new QVBoxLayout(centre);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  route_ = new RouteStrip(session_, centre);
  column->addWidget(route_);
  makeMessage(centre);
  column->addWidget(message_);
  job_ = new JobStrip(work_, centre);
  column->addWidget(job_);
  connect(job_, &JobStrip::failed, this, &MainWindow::showMessage);
  splitter_ = new QSplitter(Qt::Horizontal, centre);
  splitter_->setHandleWidth(1);
  splitter_->setChildrenCollapsible(false);
  shelf_ = new ShelfView(session_, splitter_);
  splitter_->addWidget(shelf_);
  makeMiddle();
  pages_ = new QStackedWidget(splitter_);
  pages_->setObjectName(QStringLiteral("page"));
  pages_->setMinimumWidth(kPageBesideScore_px);
  splitter_->addWidget(pages_);
  splitter_->setStretchFactor(0, 0);
  splitter_->setStretchFactor(1, 1);
  splitter_->setStretchFactor(2, 0);
  splitter_->setSizes({230, 788, kPageBesideScore_px});
  column->addWidget(splitter_, 1);
  setCentralWidget(centre);
}

void MainWindow::makeMessage(QWidget* parent) {
  message_ = new QWidget(parent);
  message_->setObjectName(QStringLiteral("message"));
  auto* row = new QHBoxLayout(message_);
  row->setContentsMargins(14, 6, 10, 6);
  message_text_ = new QLabel(message_);
  message_text_->setObjectName(QStringLiteral("messageText"));
  message_text_->setWordWrap(true);
  auto* seen = new QPushButton(tr("Seen"), message_);
  connect(seen, &QPushButton::clicked, message_, &QWidget::hide);
  message_step_ = new QPushButton(message_);
  message_step_->setObjectName(QStringLiteral("messageStep"));
  message_step_->setProperty("main", true);
  message_step_->hide();
  row->addWidget(message_text_, 1);
  row->addWidget(message_step_);
  row->addWidget(seen);
  message_->hide();
}

void MainWindow::makeMiddle() {
  auto* between = new QWidget(splitter_);
  auto* column = new QVBoxLayout(between);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  banner_ = new QueueBanner(queue_, between);
  column->addWidget(banner_);
  middle_ = new QStackedWidget(between);
  middle_->setObjectName(QStringLiteral("middle"));
  column->addWidget(middle_, 1);
  score_ = new ScoreView(work_, state_, middle_);
  middle_->addWidget(score_);
  lanes_ = new ScoreLanes(session_, *score_, this);
  splitter_->addWidget(between);
}

void MainWindow::wireSession() {
  connect(&session_, &BookSession::rowsChanged, this, &MainWindow::updateEditActions);
  connect(&session_, &BookSession::rowsChanged, this, &MainWindow::showMiddle);
  connect(&session_, &BookSession::failed, this, &MainWindow::showMessage);
  connect(&capture_, &CaptureController::failed, this, &MainWindow::showMessage);
  connect(&capture_, &CaptureController::stateChanged, this, &MainWindow::updateEditActions);
  connect(
      import_, &ImportSheet::correctionTaken, this,
      [this](const QString& name, const Response& correction, std::optional<double> pa_per_unit) {
        capture_.setMicrophoneCorrection(name.toStdString(), correction, pa_per_unit);
        showMessage((pa_per_unit
                         ? tr("%1 is the microphone's correction and sensitivity from now "
                              "on (Capture, Rig).")
                         : tr("%1 is the microphone's correction from now on (Capture, Rig)."))
                        .arg(name));
      });
  connect(route_, &RouteStrip::stationChosen, this,
          [this](int s) { setStation(static_cast<RouteStrip::Station>(s)); });
  connect(shelf_, &ShelfView::menuAsked, this, &MainWindow::shelfMenu);
}

void MainWindow::wireScore() {
  connect(score_, &ScoreView::gateDragged, this, &MainWindow::dragGate);
  connect(score_, &ScoreView::curveChosen, &session_, &BookSession::chooseTake);
  connect(lanes_, &ScoreLanes::arranged, this, &MainWindow::showLaneTexts);
  connect(score_, &ScoreView::takeDropped, this,
          [this](qint64 take) { session_.setLaid(take, true); });
  connect(score_, &ScoreView::filesDropped, this, &MainWindow::importFiles);
  connect(score_, &ScoreView::laneMenuAsked, this, &MainWindow::laneMenu);
}

QAction* MainWindow::actionNamed(const QString& id) const {
  for (QAction* action : all_actions_) {
    if (action->objectName() == id) return action;
  }
  return nullptr;
}

bool MainWindow::atRest() const {
  if (!work_.idle() || session_.busy() || lanes_->settling()) return false;
  const QList<QWidget*> widgets = findChildren<QWidget*>();
  return std::none_of(widgets.begin(), widgets.end(), [](const QWidget* widget) {
    const auto* part = dynamic_cast<const DeskPart*>(widget);
    return part != nullptr && part->settling();
  });
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
  for (QWidget* widget : findChildren<QWidget*>()) {
    if (auto* part = dynamic_cast<DeskPart*>(widget)) part->setTheme(theme);
  }
  message_->setStyleSheet(
      QStringLiteral("QWidget#message { background: %1; } QLabel { color: %2; }")
          .arg(theme.accent_soft.name(), theme.ink.name()));
}

const DeskRow* MainWindow::deskRow(const QString& id) const {
  const auto found =
      std::find_if(desks_.begin(), desks_.end(), [&](const DeskRow& row) { return row.id == id; });
  return found == desks_.end() ? nullptr : &*found;
}

void MainWindow::addDesk(const DeskRow& row) {
  if (middle_->indexOf(row.middle) < 0) middle_->addWidget(row.middle);
  if (pages_->indexOf(row.page) < 0) pages_->addWidget(row.page);
  desks_.push_back(row);
}

/// The score of an empty book would be five empty lanes: it begins with a start.
void MainWindow::showMiddle() {
  const DeskRow* row = deskRow(desk_);
  if (row == nullptr) return;
  const bool empty = session_.isOpen() && session_.subjects().empty() && !capture_.running();
  middle_->setCurrentWidget(row->middle == score_ && empty ? static_cast<QWidget*>(start_)
                                                           : row->middle);
}

void MainWindow::setStation(RouteStrip::Station station) {
  const auto first = std::find_if(desks_.begin(), desks_.end(),
                                  [&](const DeskRow& row) { return row.station == station; });
  showDesk(first->id);
}

/// Beside the score a page is narrow, beside tables and drawings it needs more; what the hand has
/// made of either is kept.
void MainWindow::givePageWidth(int least_px) {
  if (pages_->minimumWidth() == least_px) return;
  const QList<int> left = splitter_->sizes();
  splits_.insert(pages_->minimumWidth(), left);
  pages_->setMinimumWidth(least_px);
  QList<int> wanted = splits_.value(least_px);
  if (wanted.isEmpty()) wanted = {left[0], left[1] + left[2] - least_px, least_px};
  splitter_->setSizes(wanted);
}

void MainWindow::showDesk(const QString& id) {
  const DeskRow* row = deskRow(id);
  if (row == nullptr) return;
  desk_ = id;
  route_->setStation(row->station);
  givePageWidth(row->middle == score_ ? kPageBesideScore_px : kPageBesideDesk_px);
  showMiddle();
  pages_->setCurrentWidget(row->page);
  showBanner(row->queue_banner);
  for (QWidget* widget : {row->middle, row->page}) {
    if (auto* part = dynamic_cast<DeskPart*>(widget)) part->shown();
  }
}

void MainWindow::saveLog(const QString& path) {
  const QString log = QString::fromStdString(log_file().string());
  // The dialog has asked already whether another file may go.
  QFile::remove(path);
  showMessage(log.isEmpty()            ? tr("No log is being written.")
              : QFile::copy(log, path) ? tr("The log is in %1.").arg(path)
                                       : tr("The log could not be written to %1.").arg(path));
}

void MainWindow::showMessage(const QString& text) {
  log_line(LogWeight::kEvent, "told: " + text.toStdString());
  message_text_->setText(text);
  message_step_->hide();
  message_->show();
}

void MainWindow::offerBook(const QString& path) {
  showMessage(tr("There is no book %1.").arg(path));
  message_step_->setText(tr("Make it"));
  message_step_->disconnect(this);
  connect(message_step_, &QPushButton::clicked, this, [this, path] { newBook(path); });
  message_step_->show();
}

bool MainWindow::openBook(const QString& path) {
  const auto opened = session_.open(path.toStdString());
  if (!opened) {
    showMessage(QString::fromStdString(opened.error().text()));
    return false;
  }
  return showOpened(path);
}

bool MainWindow::newBook(const QString& path) {
  const auto made = session_.create(path.toStdString());
  if (!made) {
    showMessage(QString::fromStdString(made.error().text()));
    return false;
  }
  showOpened(path);
  setStation(RouteStrip::kCapture);
  return true;
}

bool MainWindow::showOpened(const QString& path) {
  message_->hide();
  remember(path, Remember::kAsOpen);
  updateEditActions();
  if (session_.book().read_only())
    showMessage(
        tr("This book can only be read here. Duplicate it (Ctrl+Shift+D) to go on in a copy."));
  return true;
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

void MainWindow::stopEverything() {
  work_.stopDevices();
}

bool MainWindow::eventFilter(QObject* watched, QEvent* event) {
  // In a field, an open list, a dialog: Esc does there what it does, and silences first.
  if (event->type() == QEvent::KeyPress && work_.devicesRunning() &&
      static_cast<QKeyEvent*>(event)->key() == Qt::Key_Escape)
    stopEverything();
  return QMainWindow::eventFilter(watched, event);
}

void MainWindow::importFiles(const QStringList& paths) {
  if (!session_.isOpen() || paths.isEmpty()) return;
  // A picture is no curve yet: it goes to where it becomes one.
  for (const char* ending : {".png", ".jpg", ".jpeg", ".pdf"}) {
    if (paths.size() > 1 || !paths.front().endsWith(QLatin1String(ending), Qt::CaseInsensitive))
      continue;
    showDesk(QStringLiteral("chart"));
    chart_->openFile(paths.front());
    return;
  }
  import_->setGeometry(score_->rect().adjusted(40, 30, -40, -60));
  import_->open(paths);
}

void MainWindow::exportTake(const QString& path) {
  const Take* take = session_.take(session_.chosenTake());
  if (take == nullptr) return showMessage(tr("Choose a take on the shelf first."));
  const bool begun = job_->start<void>(
      tr("Exporting a take"), WorkScope::kProgram,
      [book = session_.book().path(), id = take->id, path](const WorkContext&) {
        return Book::open(book).and_then(
            [&](const Book& own) { return export_take(own, id, path.toStdString()); });
      },
      [this, path](const Result<void>& done) {
        if (done) showMessage(tr("Written: %1").arg(path));
      });
  if (!begun) showMessage(tr("Another job is still running."));
}

void MainWindow::exportSubject(const QString& folder) {
  const bool begun = job_->start<void>(
      tr("Exporting a measurement set"), WorkScope::kProgram,
      [book = session_.book().path(), id = session_.chosenSubject(),
       folder](const WorkContext& context) {
        return Book::open(book).and_then([&](const Book& own) {
          return export_subject(own, id, folder.toStdString(), context.stop, context.progress);
        });
      },
      [this, folder](const Result<void>& done) {
        if (done)
          showMessage(tr("Written: %1").arg(folder));
        else if (done.error().code == ErrorCode::kCancelled)
          showMessage(tr("Stopped. What was written of %1 stays there.").arg(folder));
      });
  if (!begun) showMessage(tr("Another job is still running."));
}

void MainWindow::duplicateTo(const QString& path) {
  const bool begun = job_->start<void>(
      tr("Duplicating the book"), WorkScope::kProgram,
      [book = session_.book().path(), path](const WorkContext& context) {
        return Book::open(book).and_then([&](const Book& own) {
          return own.duplicate_to(path.toStdString(), context.stop, context.progress);
        });
      },
      [this, path](const Result<void>& done) {
        if (!done) return;
        remember(path, Remember::kAsRecent);
        showMessage(tr("Duplicated to %1. It is under Recent books.").arg(path));
      });
  if (!begun) showMessage(tr("Another job is still running."));
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
  stopEverything();
  event->accept();
}

}  // namespace lalometer
