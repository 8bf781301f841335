#include <QAction>
#include <QFileDialog>
#include <QMenu>
#include <QSettings>
#include <QStackedWidget>
#include <QTreeView>

#include "desk/capture/capture_page.h"
#include "desk/frame/action_finder.h"
#include "desk/frame/main_window.h"
#include "desk/shelf/shelf_view.h"

/// The actions of book, capture and view: name, explanation, keys, what it does. The finder lists
/// them all.
namespace lalometer {

QAction* MainWindow::addAct(const QString& id, const QString& text, const QString& tip,
                            const QKeySequence& keys, std::function<void()> run) {
  auto* action = new QAction(text, this);
  action->setObjectName(id);
  action->setToolTip(tip);
  action->setShortcut(keys);
  connect(action, &QAction::triggered, this, [run = std::move(run)] { run(); });
  addAction(action);
  all_actions_.push_back(action);
  return action;
}

void MainWindow::makeActions() {
  makeBookActions();
  makeEditActions();
  makeScoreActions();
  makeLaneActions();
  makeRecipeActions();
  makeCurveActions();
  makeCaptureActions();
  makeViewActions();
  updateEditActions();
}

namespace {

QString with_ending(QString path, const QString& ending) {
  return path.isEmpty() || path.endsWith(ending) ? path : path + ending;
}

}  // namespace

void MainWindow::makeBookActions() {
  const QString filter = tr("Lalometer books (*.lalo)");
  const QString ending = QStringLiteral(".lalo");
  addAct("new", tr("New book…"), tr("A book is one file with everything about its subjects."),
         QKeySequence::New, [this, filter, ending] {
           const QString path =
               with_ending(QFileDialog::getSaveFileName(this, tr("New book"), {}, filter), ending);
           if (!path.isEmpty()) newBook(path);
         });
  addAct("open", tr("Open a book…"), tr("Opens another book; this one is kept as it is."),
         QKeySequence::Open, [this, filter] {
           const QString path = QFileDialog::getOpenFileName(this, tr("Open a book"), {}, filter);
           if (!path.isEmpty()) openBook(path);
         });
  addAct("duplicate", tr("Duplicate the book…"),
         tr("A whole copy in another file; this one stays open."),
         QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_D), [this, filter, ending] {
           const QString path = with_ending(
               QFileDialog::getSaveFileName(this, tr("Duplicate the book"), {}, filter), ending);
           if (!path.isEmpty()) duplicateTo(path);
         });
  addAct(
      "import", tr("Import files…"),
      tr("Responses, impedances, impulse responses, recorded sweeps, measurement sets."),
      QKeySequence(Qt::CTRL | Qt::Key_I), [this] {
        importFiles(QFileDialog::getOpenFileNames(this, tr("Import files"), {},
                                                  tr("Measurements (*.frd *.zma *.txt *.csv *.cal "
                                                     "*.wav *.flac set.json);;All files (*)")));
      });
  addAct("export-take", tr("Export the chosen take…"),
         tr("As text columns, or a recording as sound."), QKeySequence(Qt::CTRL | Qt::Key_E),
         [this] {
           const Take* take = session_.take(session_.chosenTake());
           if (take == nullptr) return showMessage(tr("Choose a take on the shelf first."));
           const QString kind = take->kind() == TakeKind::kImpedance ? QStringLiteral(".zma")
                                                                     : QStringLiteral(".frd");
           const QString path = QFileDialog::getSaveFileName(
               this, tr("Export the chosen take"), QString::fromStdString(take->name) + kind,
               tr("Text columns (*.frd *.zma *.txt *.csv);;Sound (*.wav *.flac)"));
           if (!path.isEmpty()) exportTake(path);
         });
  addAct("export-subject", tr("Export a measurement set…"),
         tr("The subject as a folder with set.json that others and scripts can read."), {}, [this] {
           const QString folder = QFileDialog::getExistingDirectory(
               this, tr("An empty folder for the measurement set"));
           if (!folder.isEmpty()) exportSubject(folder);
         });
  addAct("picture", tr("Save the score as a picture…"),
         tr("A PNG of all lanes, at twice the screen's resolution."),
         QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_E), [this] {
           const QString path =
               with_ending(QFileDialog::getSaveFileName(this, tr("Save the score as a picture"),
                                                        tr("score.png"), tr("Pictures (*.png)")),
                           QStringLiteral(".png"));
           if (path.isEmpty()) return;
           showMessage(score_->picture(score_->size(), 2.0).save(path)
                           ? tr("Written: %1").arg(path)
                           : tr("%1 could not be written.").arg(path));
         });
}

void MainWindow::makeEditActions() {
  addAct("undo", tr("Undo"), tr("Takes back the last edit."), QKeySequence::Undo,
         [this] { session_.undo(); });
  addAct("redo", tr("Redo"), tr("Does it again."), QKeySequence::Redo, [this] { session_.redo(); });
  addAct("rename", tr("Rename"), tr("The chosen row of the shelf."), QKeySequence(Qt::Key_F2),
         [this] { shelf_->tree()->edit(shelf_->tree()->currentIndex()); });
  addAct("remove-take", tr("Remove the chosen takes"),
         tr("From the shelf; their raw data stays in the book and undo brings them back."),
         QKeySequence::Delete, [this] {
           const std::vector<Id> takes = shelf_->chosenTakes();
           if (takes.empty()) return;
           session_.edit([takes](Book& book) {
             return book.together<void>(takes.size() == 1 ? "Remove a take" : "Remove takes",
                                        [&]() -> Result<void> {
                                          for (const Id id : takes)
                                            if (auto removed = book.remove_take(id); !removed)
                                              return removed;
                                          return {};
                                        });
           });
         });
  addAct("lay", tr("Lay the chosen takes on the score, or remove them from it"),
         tr("Their tabs take the colours of their curves."), QKeySequence(Qt::CTRL | Qt::Key_L),
         [this] {
           const std::vector<Id> takes = shelf_->chosenTakes();
           const bool all = std::all_of(takes.begin(), takes.end(), [this](Id id) {
             const Take* take = session_.take(id);
             return take == nullptr || take->colour >= 0;
           });
           session_.setLaid(takes, !all);
         });
}

void MainWindow::makeCaptureActions() {
  addAct("take", tr("Take"), tr("Plays the sweep and records what comes back."),
         QKeySequence(Qt::CTRL | Qt::Key_Return), [this] {
           setStation(RouteStrip::kCapture);
           capture_page_->take();
         });
  addAct("take-impedance", tr("Take an impedance sweep"),
         tr("What the amplifier sees, through the jig."), {}, [this] {
           setStation(RouteStrip::kCapture);
           capture_page_->takeImpedance();
         });
  addAct("take-response", tr("Take a response on axis"),
         tr("Sound pressure at the microphone, on the axis."), {}, [this] {
           setStation(RouteStrip::kCapture);
           capture_page_->takeResponse();
         });
  addAct(
      "stop", tr("Stop: silence and halt everything"),
      tr("Whatever sounds falls silent, whatever turns stands still; of a take that runs nothing "
         "is kept."),
      QKeySequence(Qt::Key_Escape), [this] { stopEverything(); });
  addAct("takes", tr("What to take"), tr("A purpose, its list of takes, and the stand."),
         QKeySequence(Qt::CTRL | Qt::Key_U), [this] { showDesk(QStringLiteral("takes")); });
  addAct("rig", tr("Interface, turntable, calibration"), tr("What takes are made with."),
         QKeySequence(Qt::CTRL | Qt::Key_J), [this] { showDesk(QStringLiteral("rig")); });
  addAct("monitor", tr("Live monitor"), tr("Levels, spectrum and tones while setting up."),
         QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_U),
         [this] { showDesk(QStringLiteral("monitor")); });
  addAct("queue-run", tr("Run the queue"), tr("Takes what the plan misses."),
         QKeySequence(Qt::Key_F5), [this] {
           setStation(RouteStrip::kCapture);
           queue_.start();
         });
  addAct("table-halt", tr("Halt the table"), tr("Emergency stop of the turntable."),
         QKeySequence(Qt::CTRL | Qt::Key_Escape), [this] { queue_.halt(); });
  addAct("queue-on", tr("In position: continue"), tr("For a take that waits for a hand."),
         QKeySequence(Qt::Key_Space), [this] { queue_.goOn(); });
  addAct("queue-again", tr("The last take again"),
         tr("Takes the queue's last kept take once more."), QKeySequence(Qt::Key_F6), [this] {
           setStation(RouteStrip::kCapture);
           queue_.takeAgain();
         });
  addAct("keep-refused", tr("Keep the refused take"),
         tr("Keeps it with its remarks, marked as refused."), QKeySequence(Qt::CTRL | Qt::Key_K),
         [this] { capture_.keepRefused(); });
}

void MainWindow::makeViewActions() {
  const std::pair<RouteStrip::Station, QString> stations[] = {{RouteStrip::kPlan, tr("Plan")},
                                                              {RouteStrip::kCapture, tr("Capture")},
                                                              {RouteStrip::kRead, tr("Read")},
                                                              {RouteStrip::kCase, tr("Case")},
                                                              {RouteStrip::kReport, tr("Report")}};
  for (const auto& [station, name] : stations) {
    addAct(QStringLiteral("go-%1").arg(name.toLower()), tr("Go to %1").arg(name),
           tr("A station of the route."),
           QKeySequence(Qt::ALT | static_cast<Qt::Key>(static_cast<int>(Qt::Key_1) +
                                                       static_cast<int>(station))),
           [this, s = station] { setStation(s); });
  }
  addAct("find-action", tr("Find an action"), tr("All that can be done, by name."),
         QKeySequence(Qt::CTRL | Qt::Key_Space), [this] { finder_->open(all_actions_); });
  addAct("dark", tr("Light or dark"), tr("Switches between the paper-light and the dark theme."),
         QKeySequence(Qt::CTRL | Qt::Key_T), [this] {
           setDark(!dark_);
           QSettings().setValue(QStringLiteral("dark"), dark_);
         });
  addAct("save-log", tr("Save a copy of the log…"),
         tr("What the program did and what went wrong, for somebody who helps. It holds paths and "
            "errors, no takes and no notes."),
         {}, [this] {
           const QString path = with_ending(
               QFileDialog::getSaveFileName(this, tr("Save a copy of the log"),
                                            QStringLiteral("lalometer.log"), tr("Logs (*.log)")),
               QStringLiteral(".log"));
           if (!path.isEmpty()) saveLog(path);
         });
  addAct("fold-shelf", tr("Fold the shelf"), tr("More room for the score; kept."),
         QKeySequence(Qt::CTRL | Qt::Key_BracketLeft), [this] { fold(shelf_, "fold/shelf"); });
  addAct("fold-page", tr("Fold the page at the right"), tr("More room for the score; kept."),
         QKeySequence(Qt::CTRL | Qt::Key_BracketRight), [this] { fold(pages_, "fold/page"); });
  addAct("filter", tr("Filter the shelf"), tr("Shows only what holds these letters."),
         QKeySequence(Qt::CTRL | Qt::Key_F), [this] { shelf_->focusFilter(); });
  addAct("go-shelf", tr("Go to the shelf"), tr("Arrow keys walk, Space lays on the score."),
         QKeySequence(Qt::CTRL | Qt::Key_1),
         [this] { shelf_->tree()->setFocus(Qt::ShortcutFocusReason); });
  addAct("go-score", tr("Go to the score"),
         tr("Left and right move the cursor by 1/24 octave, with Shift by 1/3."),
         QKeySequence(Qt::CTRL | Qt::Key_2), [this] { score_->setFocus(Qt::ShortcutFocusReason); });
}

void MainWindow::fold(QWidget* part, const char* key) {
  part->setVisible(part->isHidden());
  QSettings().setValue(QLatin1String(key), part->isHidden());
}

void MainWindow::makeBookMenu() {
  auto* menu = new QMenu(this);
  menu->setObjectName(QStringLiteral("bookMenu"));
  menu->setToolTipsVisible(true);
  for (const char* id : {"new", "open"}) menu->addAction(actionNamed(QLatin1String(id)));
  recent_ = menu->addMenu(tr("Recent books"));
  connect(menu, &QMenu::aboutToShow, this, &MainWindow::fillRecent);
  menu->addAction(actionNamed(QStringLiteral("duplicate")));
  menu->addSeparator();
  for (const char* id : {"import", "export-take", "export-subject", "picture"})
    menu->addAction(actionNamed(QLatin1String(id)));
  menu->addSeparator();
  for (const char* id : {"undo", "redo"}) menu->addAction(actionNamed(QLatin1String(id)));
  menu->addSeparator();
  for (const char* id : {"find-action", "dark", "save-log"})
    menu->addAction(actionNamed(QLatin1String(id)));
  route_->setBookMenu(menu);
}

void MainWindow::fillRecent() {
  recent_->clear();
  for (const QString& path : QSettings().value(QStringLiteral("recent")).toStringList()) {
    recent_->addAction(path, this, [this, path] { openBook(path); });
  }
  recent_->setEnabled(!recent_->isEmpty());
}

void MainWindow::updateEditActions() {
  const auto name = [](const std::string& step, const QString& verb) {
    return step.empty() ? verb : QStringLiteral("%1: %2").arg(verb, QString::fromStdString(step));
  };
  QAction* undo = actionNamed(QStringLiteral("undo"));
  QAction* redo = actionNamed(QStringLiteral("redo"));
  undo->setText(name(session_.undoName(), tr("Undo")));
  undo->setEnabled(!session_.undoName().empty());
  redo->setText(name(session_.redoName(), tr("Redo")));
  redo->setEnabled(!session_.redoName().empty());
}

}  // namespace lalometer
