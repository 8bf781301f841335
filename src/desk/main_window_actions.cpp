#include <QAction>
#include <QFileDialog>
#include <QMenu>
#include <QSettings>
#include <QTreeView>

#include "desk/action_finder.h"
#include "desk/bench/monitor_desk.h"
#include "desk/main_window.h"
#include "desk/pages/capture_page.h"
#include "desk/shelf/shelf_view.h"

/// All actions of the window in one place: name, explanation, keys, what it does. The finder lists
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
  makeScoreActions();
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
  addAct("stop", tr("Stop the take"),
         tr("Silences the output at once; nothing of this take is kept."),
         QKeySequence(Qt::Key_Escape), [this] {
           capture_.stop();
           queue_.pause();
           monitor_->stop();
         });
  addAct("takes", tr("What to take"), tr("A purpose, its list of takes, and the stand."),
         QKeySequence(Qt::CTRL | Qt::Key_U), [this] { showDesk(kTakes); });
  addAct("rig", tr("Interface, turntable, calibration"), tr("What takes are made with."),
         QKeySequence(Qt::CTRL | Qt::Key_J), [this] { showDesk(kRig); });
  addAct("monitor", tr("Live monitor"), tr("Levels, spectrum and tones while setting up."),
         QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_U), [this] { showDesk(kMonitor); });
  addAct("queue-run", tr("Run the queue"), tr("Takes what the plan misses."),
         QKeySequence(Qt::Key_F5), [this] {
           setStation(RouteStrip::kCapture);
           queue_.start();
         });
  addAct("table-halt", tr("Halt the table"), tr("Emergency stop of the turntable."),
         QKeySequence(Qt::CTRL | Qt::Key_Escape), [this] { queue_.halt(); });
  addAct("queue-on", tr("It stands: go on"), tr("For a take that waits for a hand."),
         QKeySequence(Qt::Key_Space), [this] { queue_.goOn(); });
  addAct("queue-again", tr("The last take again"),
         tr("Takes the queue's last kept take once more."), QKeySequence(Qt::Key_F6), [this] {
           setStation(RouteStrip::kCapture);
           queue_.takeAgain();
         });
  addAct("keep-refused", tr("Keep the refused take"),
         tr("Keeps it with its remarks, marked as refused."), QKeySequence(Qt::CTRL | Qt::Key_K),
         [this] { capture_.keepRefused(); });
  addAct("find-action", tr("Find an action"), tr("All that can be done, by name."),
         QKeySequence(Qt::CTRL | Qt::Key_Space), [this] { finder_->open(all_actions_); });
  addAct("dark", tr("Light or dark"), tr("Switches between the paper-light and the dark theme."),
         QKeySequence(Qt::CTRL | Qt::Key_T), [this] {
           setDark(!dark_);
           QSettings().setValue(QStringLiteral("dark"), dark_);
         });
  addAct("fold-shelf", tr("Fold the shelf"), tr("More room for the score."),
         QKeySequence(Qt::CTRL | Qt::Key_BracketLeft),
         [this] { shelf_->setVisible(!shelf_->isVisible()); });
  addAct("fold-page", tr("Fold the page at the right"), tr("More room for the score."),
         QKeySequence(Qt::CTRL | Qt::Key_BracketRight), [this] {
           findChild<QWidget*>("page")->setVisible(!findChild<QWidget*>("page")->isVisible());
         });
  addAct("filter", tr("Filter the shelf"), tr("Shows only what holds these letters."),
         QKeySequence(Qt::CTRL | Qt::Key_F), [this] { shelf_->focusFilter(); });
  addAct("go-shelf", tr("Go to the shelf"), tr("Arrow keys walk, Space lays on the score."),
         QKeySequence(Qt::CTRL | Qt::Key_1),
         [this] { shelf_->tree()->setFocus(Qt::ShortcutFocusReason); });
  addAct("go-score", tr("Go to the score"),
         tr("Left and right move the cursor by 1/24 octave, with Shift by 1/3."),
         QKeySequence(Qt::CTRL | Qt::Key_2), [this] { score_->setFocus(Qt::ShortcutFocusReason); });
  updateEditActions();
}

void MainWindow::makeBookActions() {
  const QString filter = tr("Lalometer books (*.lalo)");
  addAct("new", tr("New book…"), tr("A book is one file with everything about its subjects."),
         QKeySequence::New, [this, filter] {
           QString path = QFileDialog::getSaveFileName(this, tr("New book"), {}, filter);
           if (path.isEmpty()) return;
           if (!path.endsWith(QLatin1String(".lalo"))) path += QLatin1String(".lalo");
           newBook(path);
         });
  addAct("open", tr("Open a book…"), tr("Opens another book; this one is kept as it is."),
         QKeySequence::Open, [this, filter] {
           const QString path = QFileDialog::getOpenFileName(this, tr("Open a book"), {}, filter);
           if (!path.isEmpty()) openBook(path);
         });
  addAct("duplicate", tr("Duplicate the book…"),
         tr("A whole copy in another file; this one stays open."),
         QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_D), [this, filter] {
           QString path = QFileDialog::getSaveFileName(this, tr("Duplicate the book"), {}, filter);
           if (path.isEmpty()) return;
           if (!path.endsWith(QLatin1String(".lalo"))) path += QLatin1String(".lalo");
           duplicateTo(path);
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
           const QString ending =
               take->kind == TakeKind::kImpedance ? QStringLiteral(".zma") : QStringLiteral(".frd");
           const QString path = QFileDialog::getSaveFileName(
               this, tr("Export the chosen take"), QString::fromStdString(take->name) + ending,
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
           QString path = QFileDialog::getSaveFileName(this, tr("Save the score as a picture"),
                                                       tr("score.png"), tr("Pictures (*.png)"));
           if (path.isEmpty()) return;
           if (!path.endsWith(QLatin1String(".png"))) path += QLatin1String(".png");
           showMessage(score_->picture(score_->size(), 2.0).save(path)
                           ? tr("Written: %1").arg(path)
                           : tr("%1 could not be written.").arg(path));
         });
  addAct("undo", tr("Undo"), tr("Takes back the last edit."), QKeySequence::Undo,
         [this] { session_.undo(); });
  addAct("redo", tr("Redo"), tr("Does it again."), QKeySequence::Redo, [this] { session_.redo(); });
  addAct("rename", tr("Rename"), tr("The chosen row of the shelf."), QKeySequence(Qt::Key_F2),
         [this] { shelf_->tree()->edit(shelf_->tree()->currentIndex()); });
  addAct("remove-take", tr("Remove the chosen take"),
         tr("From the shelf; its raw data stays in the book and undo brings it back."),
         QKeySequence::Delete, [this] {
           if (const Id take = session_.chosenTake(); take != 0)
             session_.apply(session_.book().remove_take(take));
         });
  addAct("lay", tr("Lay the chosen take on the score, or take it off"),
         tr("Its tab takes the colour of its curve."), QKeySequence(Qt::CTRL | Qt::Key_L), [this] {
           if (const Take* take = session_.take(shelf_->currentTake()))
             session_.setLaid(take->id, take->colour < 0);
         });
}

void MainWindow::makeScoreActions() {
  addAct("drawing", tr("Draw the subject"),
         tr("Front, side and top to scale; move drivers, ports and edges and see what it does."),
         QKeySequence(Qt::CTRL | Qt::Key_G), [this] { showDesk(kDrawing); });
  addAct("practice", tr("Practice: what is wrong with it?"),
         tr("Mystery loudspeakers, graded; the truth is told after a verdict."),
         QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_P), [this] { showDesk(kPractice); });
  addAct("models", tr("Lay the models under the measured curves, or take them away"),
         tr("Level and impedance as the subject's drawing and drivers foretell them, grey."),
         QKeySequence(Qt::CTRL | Qt::Key_M),
         [this] { session_.setModelsWanted(!session_.modelsWanted()); });
  addAct("impedances", tr("Impedances side by side, and the driver's parameters"),
         tr("Variants or samples compared; fs, Q, Vas and the rest, beside the maker's sheet; help "
            "to tune a box."),
         QKeySequence(Qt::CTRL | Qt::Key_H), [this] { showDesk(kImpedance); });
  addAct("boxes", tr("Weigh boxes against one another"),
         tr("Volume, tuning, port and losses moved by hand; what each box does and means."),
         QKeySequence(Qt::CTRL | Qt::Key_B), [this] { showDesk(kBoxes); });
  addAct("fit", tr("Fit"), tr("20 Hz to 20 kHz, each lane's scale to its curves."),
         QKeySequence(Qt::Key_Home), [this] { score_->fit(); });
  addAct("zoom-in", tr("Zoom in at the cursor"), tr("A narrower range of frequency."),
         QKeySequence(Qt::Key_Plus), [this] { score_->zoom(0.7); });
  addAct("zoom-out", tr("Zoom out at the cursor"), tr("A wider range of frequency."),
         QKeySequence(Qt::Key_Minus), [this] { score_->zoom(1.0 / 0.7); });
  addAct("pan-low", tr("Pan to lower frequencies"), tr("By a third of an octave."),
         QKeySequence(Qt::CTRL | Qt::Key_Left), [this] { score_->pan(-1.0 / 3.0); });
  addAct("pan-high", tr("Pan to higher frequencies"), tr("By a third of an octave."),
         QKeySequence(Qt::CTRL | Qt::Key_Right), [this] { score_->pan(1.0 / 3.0); });
  addAct("lane-up", tr("Move the lane up"), tr("Or drag its title."),
         QKeySequence(Qt::CTRL | Qt::Key_Up), [this] {
           if (score_->chosenLane() > 0)
             score_->moveLane(score_->chosenLane(), score_->chosenLane() - 1);
         });
  addAct("lane-down", tr("Move the lane down"), tr("Or drag its title."),
         QKeySequence(Qt::CTRL | Qt::Key_Down),
         [this] { score_->moveLane(score_->chosenLane(), score_->chosenLane() + 1); });
  const auto resize = [this](double factor) {
    if (score_->chosenLane() < score_->lanes().size())
      score_->resizeLane(score_->chosenLane(),
                         score_->lanes()[score_->chosenLane()].weight * factor);
  };
  addAct("lane-taller", tr("Make the lane taller"), tr("Or drag the gap below it."),
         QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Down), [resize] { resize(1.25); });
  addAct("lane-lower", tr("Make the lane lower"), tr("Or drag the gap below it."),
         QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Up), [resize] { resize(0.8); });
  addAct("lane-remove", tr("Hide the lane"),
         tr("Its data stays; the list of actions brings it back."),
         QKeySequence(Qt::CTRL | Qt::Key_Backspace),
         [this] { score_->removeLane(score_->chosenLane()); });
  for (const LaneKind& kind : lane_kinds()) {
    addAct(QStringLiteral("lane-%1").arg(QString::fromStdString(kind.id)),
           tr("Add a lane: %1").arg(QString::fromStdString(kind.title)),
           QString::fromStdString(kind.explained), {}, [this, id = kind.id] {
             const auto& lanes = score_->lanes();
             showLane(id, std::none_of(lanes.begin(), lanes.end(),
                                       [&](const auto& lane) { return lane.kind == id; }));
           });
  }
  addAct("gate-longer", tr("Make the gate longer"),
         tr("By a twentieth: valid from lower down, if no reflection comes in."),
         QKeySequence(Qt::Key_Period), [this] { changeGate(1.05); });
  addAct("gate-shorter", tr("Make the gate shorter"), tr("By a twentieth."),
         QKeySequence(Qt::Key_Comma), [this] { changeGate(1.0 / 1.05); });
  const auto recipe = [this](auto change) {
    const Id subject = session_.chosenSubject();
    if (subject == 0) return;
    Recipe changed = session_.recipe(subject);
    change(changed);
    session_.commitRecipe(subject, changed);
  };
  addAct("gate-off", tr("Gate on or off"), tr("Without a gate the room is in the curve."), {},
         [recipe] { recipe([](Recipe& r) { r.gated = !r.gated; }); });
  addAct("tail", tr("Gate's tail: continue or cut"),
         tr("Continued, the bass tail beyond the gate is carried on as a slow decay; cut, it "
            "counts as zero."),
         {}, [recipe] { recipe([](Recipe& r) { r.continue_tail = !r.continue_tail; }); });
  for (const int n : {0, 3, 6, 12, 24, 48}) {
    addAct(QStringLiteral("smooth-%1").arg(n),
           n == 0 ? tr("Smoothing: none") : tr("Smoothing: 1/%1 octave").arg(n),
           tr("For all responses of the subject alike."), {},
           [recipe, n] { recipe([n](Recipe& r) { r.smoothing = n; }); });
  }
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
  for (const char* id : {"find-action", "dark"}) menu->addAction(actionNamed(QLatin1String(id)));
  route_->setBookMenu(menu);
}

void MainWindow::fillRecent() {
  recent_->clear();
  for (const QString& path : QSettings().value(QStringLiteral("recent")).toStringList()) {
    recent_->addAction(path, this, [this, path] { openBook(path); });
  }
  recent_->setEnabled(!recent_->isEmpty());
}

}  // namespace lalometer
