#include <QAction>

#include "desk/chart/chart_desk.h"
#include "desk/frame/main_window.h"
#include "desk/shelf/shelf_view.h"
#include "workbench/bass/worked.h"

/// Curves worked out of others, and how curves are looked at.
namespace lalometer {

void MainWindow::makeCurveActions() {
  addAct("join", tr("Join near and far field"),
         tr("One curve from the near fields of all parts and the far field on the axis; drag where "
            "they meet on the level lane."),
         QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_J), [this] { addWorked("join"); });
  addAct("near-sum", tr("Add near fields up"),
         tr("What cones, ports and radiators make together at 1 m, by their volume velocities."),
         QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_N), [this] { addWorked("near-sum"); });
  addAct("mean-power", tr("Average the chosen takes: power"),
         tr("Of places, angles or samples: phases do not count."), {},
         [this] { addWorked("power-mean"); });
  addAct("mean-complex", tr("Average the chosen takes: complex"),
         tr("Of repeats at one place on one clock: what is random falls."), {},
         [this] { addWorked("complex-mean"); });
  addAct("trace", tr("Trace a published chart"),
         tr("Its curve, from a picture or a page of a PDF, beside what was measured."),
         QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_O), [this] {
           if (const Take* t = session_.take(session_.chosenTake());
               t != nullptr && t->form == RawForm::kChartPicture)
             chart_->openTake(t->id);
           showDesk(QStringLiteral("chart"));
         });
  addAct("alike", tr("Treat laid responses alike, or each as it was taken"),
         tr("Worked out anew with the shortest gate, the broadest smoothing, one drive and one "
            "distance."),
         QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_L),
         [this] { session_.setTreatedAlike(!session_.treatedAlike()); });
  addAct("angles", tr("Angles: rose, listening axis, what they tell"),
         tr("Where the beam narrows and why, both planes, two sets against each other."),
         QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_R),
         [this] { showDesk(QStringLiteral("angles")); });
  addAct("equaliser", tr("Equaliser: what a filter would mend, and what not"),
         tr("Filters for the listening window, the axis or the room, with what must be left."),
         QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Y),
         [this] { showDesk(QStringLiteral("equaliser")); });
  addAct("level", tr("Level and time: distortion, compression, decay"),
         tr("How loud it goes, what it adds, what rings on; several drives of one place together."),
         QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_T),
         [this] { showDesk(QStringLiteral("level")); });
  addAct("proportion", tr("Chart proportion: 25, 50, 10 dB to the decade, or free"),
         tr("A scale makes dips look large or small: the proportions of IEC 60263 make charts "
            "alike."),
         QKeySequence(Qt::Key_P), [this] { stepProportion(); });
}

void MainWindow::wireCurves() {
  connect(score_, &ScoreView::joinDragged, &session_, &BookSession::moveJoin);
  connect(score_, &ScoreView::smoothingAsked, this, &MainWindow::stepSmoothing);
  connect(&session_, &BookSession::bookChanged, this, [this] {
    state_.setDecadeDb(QString::fromStdString(session_.view("proportion")).toInt());
  });
}

std::vector<Take> MainWindow::takesFor(const std::string& how) const {
  std::vector<Take> chosen;
  for (const Id id : shelf_->chosenTakes())
    if (const Take* t = session_.take(id)) chosen.push_back(*t);
  if (how != "join" && how != "near-sum") return chosen;
  // What somebody chose in full is taken as it is; else what the variant has.
  if (chosen.size() > 1) return chosen;
  const Take* lead = session_.take(session_.chosenTake());
  if (lead == nullptr && !chosen.empty()) lead = &chosen.front();
  if (lead == nullptr) return chosen;
  std::vector<Take> found;
  const Take* far = nullptr;
  for (const Take& t : session_.takes()) {
    if (t.subject_id != lead->subject_id || t.variant_id != lead->variant_id || !t.accepted ||
        !is_measured(t))
      continue;
    if (t.kind() == TakeKind::kNearField) found.push_back(t);
    const Placement place = place_of(t);
    const bool on_axis = t.kind() == TakeKind::kResponse && place.horizontal_deg == 0.0 &&
                         place.vertical_deg == 0.0 && t.conditions.driver.empty() &&
                         condition_of(t) != "large-baffle";
    // The chosen one, else the one that lies on the score, else the first.
    if (on_axis && (far == nullptr || t.id == lead->id || (t.colour >= 0 && far->colour < 0)) &&
        (far == nullptr || far->id != lead->id))
      far = &t;
  }
  if (how == "join" && far != nullptr) found.push_back(*far);
  return found;
}

void MainWindow::addWorked(const std::string& how) {
  const auto made = worked_take(how, takesFor(how));
  if (!made) return showMessage(QString::fromStdString(made.error().text()));
  RawData raw;
  for (const char c : how) raw.bytes.push_back(static_cast<std::byte>(c));
  session_.edit<Id>([take = *made, raw](Book& book) { return book.add_take(take, raw); },
                    [this, how](const Result<Id>& id) {
                      if (!id) return;
                      session_.setLaid(*id, true);
                      session_.chooseTake(*id);
                      if (how == "join" || how == "near-sum") {
                        lanes_->setShown("near-field", true);
                        lanes_->setShown("bass", true);
                      }
                    });
}

void MainWindow::stepSmoothing(int steps) {
  constexpr int kSteps[] = {1, 3, 6, 12, 24, 48, 0};
  const Id subject = session_.chosenSubject();
  if (subject == 0) return;
  const Take* take = session_.take(session_.chosenTake());
  const TakeRole role = take == nullptr ? TakeRole::kFarField : role_of(take->kind());
  const int now = session_.recipe(subject, role).smoothing;
  const auto at = std::find(std::begin(kSteps), std::end(kSteps), now) - std::begin(kSteps);
  const auto next = std::clamp<std::ptrdiff_t>(at + steps, 0, std::ssize(kSteps) - 1);
  if (next == at) return;
  changeRecipe([n = kSteps[next]](Recipe& r) { r.smoothing = n; });
}

void MainWindow::stepProportion() {
  const int now = state_.decadeDb();
  const int next = now == 0 ? 25 : now == 25 ? 50 : now == 50 ? 10 : 0;
  state_.setDecadeDb(next);
  session_.setView("proportion", next == 0 ? std::string() : std::to_string(next));
}

}  // namespace lalometer
