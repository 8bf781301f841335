#include <QAction>
#include <QMenu>

#include "desk/frame/main_window.h"

/// The actions of score, lanes and recipe, and the menus of lane and shelf.
namespace lalometer {

void MainWindow::makeScoreActions() {
  addAct("drawing", tr("Draw the subject"),
         tr("Front, side and top to scale; move drivers, ports and edges and see what it does."),
         QKeySequence(Qt::CTRL | Qt::Key_G), [this] { drawSubject(); });
  addAct("practice", tr("Practice: what is wrong with it?"),
         tr("Mystery loudspeakers, graded; the truth is told after a verdict."),
         QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_P),
         [this] { showDesk(QStringLiteral("practice")); });
  addAct("models", tr("Lay the models under the measured curves, or remove them"),
         tr("Level and impedance as the subject's drawing and drivers predict them, grey."),
         QKeySequence(Qt::CTRL | Qt::Key_M),
         [this] { session_.setModelsWanted(!session_.modelsWanted()); });
  addAct("impedances", tr("Impedances side by side, and the driver's parameters"),
         tr("Variants or samples compared; fs, Q, Vas and the rest, beside the datasheet; help to "
            "tune a box."),
         QKeySequence(Qt::CTRL | Qt::Key_H), [this] { showDesk(QStringLiteral("impedances")); });
  addAct("networks", tr("Try a network on the drivers"),
         tr("A crossover on the drivers as they were taken alone: by hand, or found for a wish."),
         QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_W),
         [this] { showDesk(QStringLiteral("networks")); });
  addAct("boxes", tr("Weigh boxes against one another"),
         tr("Volume, tuning, port and losses moved by hand; what each box does and means."),
         QKeySequence(Qt::CTRL | Qt::Key_B), [this] { showDesk(QStringLiteral("boxes")); });
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
}

void MainWindow::makeLaneActions() {
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
           QString::fromStdString(kind.explained), {},
           [this, id = kind.id] { lanes_->setShown(id, !lanes_->shown(id)); });
  }
}

void MainWindow::showLaneTexts() {
  for (const LaneKind& kind : lane_kinds()) {
    QAction* action = actionNamed(QStringLiteral("lane-%1").arg(QString::fromStdString(kind.id)));
    action->setText(lanes_->shown(kind.id)
                        ? tr("Hide the lane: %1").arg(QString::fromStdString(kind.title))
                        : tr("Add a lane: %1").arg(QString::fromStdString(kind.title)));
  }
}

void MainWindow::makeRecipeActions() {
  addAct("gate-longer", tr("Make the gate longer"),
         tr("By a twentieth: valid from lower down, if no reflection comes in."),
         QKeySequence(Qt::Key_Period), [this] { changeGate(1.05); });
  addAct("gate-shorter", tr("Make the gate shorter"), tr("By a twentieth."),
         QKeySequence(Qt::Key_Comma), [this] { changeGate(1.0 / 1.05); });
  addAct("gate-off", tr("Gate on or off"), tr("Without a gate the room is in the curve."), {},
         [this] { changeRecipe([](Recipe& r) { r.gated = !r.gated; }); });
  addAct("tail", tr("Gate's tail: continue or cut"),
         tr("Continued, the bass tail beyond the gate is carried on as a slow decay; cut, it "
            "counts as zero."),
         {}, [this] { changeRecipe([](Recipe& r) { r.continue_tail = !r.continue_tail; }); });
  for (const int n : {0, 3, 6, 12, 24, 48}) {
    addAct(QStringLiteral("smooth-%1").arg(n),
           n == 0 ? tr("Smoothing: none") : tr("Smoothing: 1/%1 octave").arg(n),
           tr("For all takes of the subject in this role alike."), {},
           [this, n] { changeRecipe([n](Recipe& r) { r.smoothing = n; }); });
  }
}

namespace {

/// The role that a change of the recipe is about: the chosen take's.
TakeRole chosen_role(const BookSession& session) {
  const Take* take = session.take(session.chosenTake());
  return take == nullptr ? TakeRole::kFarField : role_of(take->kind());
}

}  // namespace

void MainWindow::changeRecipe(const std::function<void(Recipe&)>& change) {
  const Id subject = session_.chosenSubject();
  if (subject == 0) return;
  const TakeRole role = chosen_role(session_);
  Recipe changed = session_.recipe(subject, role);
  change(changed);
  session_.commitRecipe(subject, changed, role);
}

void MainWindow::dragGate(double seconds, bool done) {
  const Id subject = session_.chosenSubject();
  if (subject == 0) return;
  const TakeRole role = chosen_role(session_);
  Recipe recipe = session_.recipe(subject, role);
  // A hundredth of a millisecond is finer than a sample; more digits would only look exact.
  recipe.gate_s = std::round(seconds * 1e5) / 1e5;
  recipe.gated = true;
  if (done)
    session_.commitRecipe(subject, recipe, role);
  else
    session_.previewRecipe(subject, recipe, role);
}

void MainWindow::changeGate(double factor) {
  const Id subject = session_.chosenSubject();
  if (subject == 0) return;
  dragGate(std::clamp(session_.recipe(subject, chosen_role(session_)).gate_s * factor, 0.0005, 0.5),
           true);
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
    for (const char* id : {"lay", "rename", "export-take", "remove-take"})
      menu.addAction(actionNamed(QLatin1String(id)));
  } else if (subject != 0) {
    for (const char* id : {"rename", "export-subject"})
      menu.addAction(actionNamed(QLatin1String(id)));
  }
  if (!menu.isEmpty()) menu.exec(global);
}

}  // namespace lalometer
