#include "desk/case/case_page.h"

#include <fmt/format.h>

#include <QApplication>
#include <QHBoxLayout>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QTimer>
#include <cmath>

#include "desk/case/finding_card.h"
#include "desk/parts/page_parts.h"
#include "desk/queue/queue_controller.h"
#include "desk/session/case_watch.h"
#include "workbench/keeping/case_keeping.h"
#include "workbench/practice/practice_cases.h"
#include "workbench/taking/plan/asked_takes.h"

namespace lalometer {
namespace {

QString text_of(const std::string& s) {
  return QString::fromStdString(s);
}

/// What tells a card apart while the page is filled anew.
QString name_of(const CaseCard& card) {
  const FindingPlace& p = card.place;
  return QStringLiteral("%1/%2")
      .arg(text_of((p.at_hz > 0.0 ? p.shape : p.cause) + p.split_off))
      .arg(std::lround(10.0 * std::log(p.at_hz + 1.0)));
}

/// A heading that folds what follows.
QPushButton* fold(QVBoxLayout* layout, const char* name, QWidget* box, QWidget* inside) {
  auto* button = new QPushButton(inside);
  button->setObjectName(QLatin1String(name));
  button->setCheckable(true);
  button->hide();
  layout->addWidget(button);
  layout->addWidget(box);
  box->hide();
  QObject::connect(button, &QPushButton::toggled, box, &QWidget::setVisible);
  return button;
}

QVBoxLayout* column_in(QWidget* box) {
  auto* column = new QVBoxLayout(box);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(6);
  return column;
}

}  // namespace

CasePage::CasePage(BookSession& session, ScoreState& state, QueueController& queue, QWidget* parent)
    : QWidget(parent), session_(session), state_(state), queue_(queue) {
  setObjectName(QStringLiteral("casePage"));
  auto* layout = scrolled_page(this);
  QWidget* inside = layout->parentWidget();
  layout->addWidget(role_label(tr("Case"), "title", inside));
  state_of_case_ = role_label({}, "quiet", inside);
  state_of_case_->setObjectName(QStringLiteral("caseState"));
  state_of_case_->setWordWrap(true);
  layout->addWidget(state_of_case_);
  changes_ = new QVBoxLayout;
  changes_->setSpacing(3);
  layout->addLayout(changes_);
  findings_ = new QVBoxLayout;
  findings_->setSpacing(6);
  layout->addLayout(findings_);
  lesser_box_ = new QWidget(inside);
  lesser_ = column_in(lesser_box_);
  more_ = fold(layout, "caseTraits", lesser_box_, inside);
  more_->setToolTip(
      tr("What is less likely than not, or ordinary: traits of a sound loudspeaker."));
  dismissed_box_ = new QWidget(inside);
  dismissed_ = column_in(dismissed_box_);
  aside_ = fold(layout, "caseDismissed", dismissed_box_, inside);
  makeNotes(layout, inside);
  layout->addStretch(1);
  connect(&session_, &BookSession::rowsChanged, this, &CasePage::show);
  connect(&session_, &BookSession::laidChanged, this, &CasePage::show);
  // The button that asked is filled anew: not while it still speaks.
  connect(&queue_, &QueueController::planChanged, this, &CasePage::showCase, Qt::QueuedConnection);
  setFocusPolicy(Qt::ClickFocus);
  connect(&session_.caseWatch(), &CaseWatch::changed, this, &CasePage::showCase);
  if (session_.isOpen()) show();
}

void CasePage::makeNotes(QVBoxLayout* layout, QWidget* inside) {
  layout->addWidget(rule(inside));
  layout->addWidget(role_label(tr("Notes"), "head", inside));
  note_ = new QPlainTextEdit(this);
  note_->setObjectName(QStringLiteral("subjectNote"));
  note_->setPlaceholderText(tr("What this loudspeaker is for, what was heard, what is suspected…"));
  note_->setMinimumHeight(110);
  layout->addWidget(note_);
  layout->addWidget(role_label(tr("Doubts about its takes"), "head", inside));
  cards_ = new QVBoxLayout;
  cards_->setSpacing(6);
  layout->addLayout(cards_);
  auto* pause = new QTimer(this);
  pause->setSingleShot(true);
  pause->setInterval(800);
  connect(note_, &QPlainTextEdit::textChanged, this, [this, pause] {
    unkept_ = true;
    pause->start();
  });
  connect(pause, &QTimer::timeout, this, &CasePage::keep);
}

void CasePage::setTheme(const Theme& theme) {
  theme_ = theme;
  shown_.clear();
  showCase();
}

void CasePage::shown() {
  session_.caseWatch().want();
}

bool CasePage::settling() const {
  return isVisible() && session_.caseWatch().awaiting();
}

void CasePage::keep() {
  if (subject_ == 0 || !unkept_) return;
  const std::string text = note_->toPlainText().toStdString();
  session_.edit([subject = subject_, text](Book& book) { return book.set_note(subject, text); },
                [this, subject = subject_, text](bool kept) {
                  if (kept && subject == subject_ && note_->toPlainText().toStdString() == text)
                    unkept_ = false;
                });
}

void CasePage::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  show();
}

void CasePage::hideEvent(QHideEvent* event) {
  keep();
  state_.setHeld({0.0, 0.0});
  QWidget::hideEvent(event);
}

void CasePage::show() {
  if (!isVisible()) return;
  const Id subject = session_.chosenSubject();
  showNote(subject);
  showDoubts(subject);
  showCase();
}

void CasePage::showNote(Id subject) {
  const QString kept = QString::fromStdString(session_.book().note(subject).value_or(""));
  // What is written and not kept yet is never written over; of another subject it is kept first.
  if (subject != subject_) keep();
  if (subject == subject_ && (unkept_ || kept == note_->toPlainText())) return;
  subject_ = subject;
  unkept_ = false;
  const QSignalBlocker blocker(note_);
  note_->setPlainText(kept);
}

void CasePage::showDoubts(Id subject) {
  clear_layout(cards_);
  int shown = 0;
  for (const Take& t : session_.takes()) {
    if (t.subject_id != subject) continue;
    for (Remark r : t.remarks) {
      if (r.weight == Remark::Weight::kNote) continue;
      r.text = t.name + ": " + r.text;
      cards_->addWidget(remark_card(r, nullptr));
      ++shown;
    }
  }
  if (shown == 0)
    cards_->addWidget(
        role_label(tr("None: every take of this subject passed its checks."), "quiet", nullptr));
}

void CasePage::showChanges(bool secret) {
  clear_layout(changes_);
  const CaseFile& file = session_.caseWatch().file();
  if (secret || file.changes.empty()) return;
  changes_->addWidget(role_label(
      tr("What the latest takes changed, %1").arg(text_of(file.changed_on.substr(0, 10))), "head",
      nullptr));
  for (const std::string& each : file.changes) {
    auto* line = new QLabel(text_of(each));
    line->setWordWrap(true);
    changes_->addWidget(line);
  }
}

/// How the case stands as a whole.
void CasePage::sayState(const Diagnosis* d, bool secret) {
  const CaseWatch& watch = session_.caseWatch();
  const QString takes = count_text(watch.takeCount(), tr("take"), tr("takes"));
  if (secret)
    state_of_case_->setText(
        tr("A practice case: what the program makes of it is told after your verdict."));
  else if (!watch.problem().isEmpty())
    state_of_case_->setText(watch.problem());
  else if (watch.takeCount() == 0)
    state_of_case_->setText(
        tr("No take yet. A response on the axis and an impedance are enough to begin with."));
  else if (d == nullptr)
    state_of_case_->setText(tr("Looking at %1…").arg(takes));
  else
    state_of_case_->setText(d->clean() ? tr("Nothing is wrong that %1 could show.").arg(takes)
                                       : tr("From %1, what matters most first.").arg(takes));
}

void CasePage::showCase() {
  if (!isVisible() || !session_.isOpen()) return;
  const CaseWatch& watch = session_.caseWatch();
  const CaseState practice = case_state(session_.book(), session_.chosenSubject());
  const bool secret = !practice.case_id.empty() && !practice.verdict;
  const Diagnosis* d = secret ? nullptr : watch.diagnosis();
  sayState(d, secret);
  // Filled anew only where something else is to be said: a card under the pointer stays.
  std::string says = to_json(watch.file()) + (secret ? "secret" : "");
  if (d != nullptr)
    for (const SeenFinding& each : seen_of(*d))
      says += fmt::format("|{} {} {} {}", each.place.at_hz, each.place.cause, each.probability,
                          each.size_db);
  if (d != nullptr) says += d->next_take;
  says += fmt::format("#{}", session_.chosenSubject());
  if (const auto& plan = queue_.plan())
    says += fmt::format("p{} {}", plan->stamp, plan->takes.size());
  if (says == shown_) return;
  shown_ = says;
  // Whoever goes on by keyboard is still where he was.
  const QWidget* focus = QApplication::focusWidget();
  QString place, button;
  for (const QWidget* w = focus; w != nullptr && isAncestorOf(w); w = w->parentWidget())
    if (qobject_cast<const FindingCard*>(w) != nullptr) {
      place = w->property("place").toString();
      button = focus->objectName();
    }
  fillCase(d, secret);
  if (button.isEmpty()) return;
  setFocus();
  // New cards are shown a turn later.
  QTimer::singleShot(0, this, [this, place, button] {
    for (FindingCard* card : findChildren<FindingCard*>())
      if (card->isVisible() && card->property("place").toString() == place)
        if (auto* again = card->findChild<QWidget*>(button)) again->setFocus();
  });
}

void CasePage::fillCase(const Diagnosis* d, bool secret) {
  showChanges(secret);
  for (QVBoxLayout* column : {findings_, lesser_, dismissed_}) clear_layout(column);
  state_.setHeld({0.0, 0.0});
  Counts counts;
  if (d != nullptr) counts = fill(*d);
  more_->setVisible(counts.lesser > 0);
  more_->setText(tr("Traits and weak suspicions (%1)").arg(counts.lesser));
  lesser_box_->setVisible(counts.lesser > 0 && more_->isChecked());
  aside_->setVisible(counts.aside > 0);
  aside_->setText(tr("Put aside by you (%1)").arg(counts.aside));
  dismissed_box_->setVisible(counts.aside > 0 && aside_->isChecked());
}

/// A card each, in the order of what matters: how probable, and how much it is heard.
CasePage::Counts CasePage::fill(const Diagnosis& d) {
  Counts counts;
  const std::vector<CaseCard> all = case_cards(d, session_.caseWatch().file());
  for (const CaseCard& card : all) {
    const KeptVerdict* kept = session_.caseWatch().file().verdict_on(card.place);
    const CaseVerdict verdict = kept == nullptr ? CaseVerdict::kNone : kept->verdict;
    const bool aside = verdict == CaseVerdict::kDismissed;
    const bool told =
        card.finding.causes.front().probability > 0.5 || verdict == CaseVerdict::kAgreed;
    counts.aside += aside ? 1 : 0;
    counts.lesser += !aside && !told ? 1 : 0;
    addCard(aside ? dismissed_ : told ? findings_ : lesser_, card, all);
  }
  addNext(d);
  for (const std::string& note : d.notes) {
    auto* line = role_label(text_of(note), "quiet", nullptr);
    line->setWordWrap(true);
    findings_->addWidget(line);
  }
  return counts;
}

/// The one take that would tell most.
void CasePage::addNext(const Diagnosis& d) {
  if (d.next_take.empty()) return;
  auto* line = new QLabel(tr("What would tell most: %1").arg(text_of(d.next_step)));
  line->setObjectName(QStringLiteral("caseNext"));
  line->setWordWrap(true);
  findings_->addWidget(line);
  auto* row = new QHBoxLayout;
  QPushButton* button =
      add_button(row, tr("Into the plan"), "casePlan",
                 tr("Adds these takes to the plan of this subject."), findings_->parentWidget());
  row->addStretch(1);
  findings_->addLayout(row);
  // As a finding without causes would ask for it.
  Finding next;
  next.next_take = d.next_take;
  if (isPlanned(next)) show_planned(button);
  connect(button, &QPushButton::clicked, this, [this, next] { plan(next); });
}

void CasePage::addCard(QVBoxLayout* to, const CaseCard& shown, const std::vector<CaseCard>& all) {
  const FindingPlace place = shown.place;
  const Finding& f = shown.finding;
  auto* card =
      new FindingCard(shown, session_.caseWatch().file().verdict_on(place), theme_, nullptr);
  to->addWidget(card);
  const QString name = name_of(shown);
  // The first one says at once why.
  if (to == findings_ && findings_->count() == 1 && open_.isEmpty()) open_.insert(name);
  card->setUnfolded(open_.contains(name));
  std::vector<FindingPlace> others;
  for (const CaseCard& other : all)
    if (!other.place.same(place)) others.push_back(other.place);
  card->offerArrangement(others);
  card->setProperty("place", name);
  if (isPlanned(f)) card->setPlanned();
  connect(card, &FindingCard::unfolded, this,
          [this, name](bool on) { on ? (void)open_.insert(name) : (void)open_.remove(name); });
  connect(card, &FindingCard::pointed, this, [this, f](bool on) { point(f, on); });
  connect(card, &FindingCard::takesAsked, this, [this, f] { lay(f.shown_by); });
  connect(card, &FindingCard::sentenceAsked, this,
          [this](const std::vector<std::int64_t>& takes) { lay(takes); });
  connect(card, &FindingCard::planAsked, this, [this, f] { plan(f); });
  // The card goes with the next filling; what it said must not go with it.
  const auto later = [this](auto what) {
    QMetaObject::invokeMethod(this, std::move(what), Qt::QueuedConnection);
  };
  CaseWatch& watch = session_.caseWatch();
  connect(card, &FindingCard::judged, this,
          [later, &watch, place](CaseVerdict verdict, const QString& why) {
            later([&watch, place, verdict, why = why.toStdString()] {
              watch.give(place, verdict, why);
            });
          });
  connect(card, &FindingCard::mergeAsked, this, [later, &watch, place](const FindingPlace& part) {
    later([&watch, place, part] { watch.merge(place, part); });
  });
  connect(card, &FindingCard::splitAsked, this, [later, &watch, place](const std::string& cause) {
    later([&watch, place, cause] { watch.split(place, cause); });
  });
  connect(card, &FindingCard::asFoundAsked, this,
          [later, &watch, place] { later([&watch, place] { watch.asFound(place); }); });
}

void CasePage::point(const Finding& f, bool on) {
  if (!on || f.frequency_hz <= 0.0) return state_.setHeld({0.0, 0.0});
  state_.setHeld({f.low_hz, f.high_hz});
  state_.setCursorHz(f.frequency_hz);
}

void CasePage::lay(const std::vector<std::int64_t>& takes) {
  std::vector<Id> others;
  std::vector<Id> missing;
  const auto wanted = [&](Id id) {
    return std::find(takes.begin(), takes.end(), id) != takes.end();
  };
  for (const Take& t : session_.takes()) {
    if (t.colour >= 0 && !wanted(t.id)) others.push_back(t.id);
    if (t.colour < 0 && wanted(t.id)) missing.push_back(t.id);
  }
  const BookSession::Together together(session_);
  session_.setLaid(others, false);
  session_.setLaid(missing, true);
  session_.chooseTake(takes.front());
}

Result<MeasuringPlan> CasePage::planWith(const Finding& f) const {
  const Subject* subject = session_.subject(session_.chosenSubject());
  if (subject == nullptr) return bad_input("No loudspeaker is chosen.");
  Id variant = 0;
  for (const Variant& v : session_.variants())
    if (v.subject_id == subject->id && variant == 0) variant = v.id;
  if (!f.shown_by.empty())
    if (const Take* t = session_.take(f.shown_by.front())) variant = t->variant_id;
  return plan_with_asked(queue_.plan(), f.next_take, *subject, variant);
}

bool CasePage::isPlanned(const Finding& f) const {
  if (f.next_take.empty() || !queue_.plan()) return false;
  const auto made = planWith(f);
  return made && made->stamp == queue_.plan()->stamp &&
         made->takes.size() == queue_.plan()->takes.size();
}

void CasePage::plan(const Finding& f) {
  if (const auto made = planWith(f))
    queue_.setPlan(*made);
  else
    state_of_case_->setText(text_of(made.error().text()));
}

}  // namespace lalometer
