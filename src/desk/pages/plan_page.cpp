#include "desk/pages/plan_page.h"

#include <QAction>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QTimer>

#include "base/text.h"
#include "desk/pages/page_parts.h"

namespace lalometer {
PlanPage::PlanPage(BookSession& session, QWidget* parent) : QWidget(parent), session_(session) {
  setObjectName(QStringLiteral("planPage"));
  auto* layout = scrolled_page(this);
  layout->addWidget(role_label(tr("Two takes, one axis"), "title", this));
  layout->addWidget(role_label(tr("An impedance sweep shows the box, a response on axis shows the "
                                  "sound. Together they tell more than twice as much: "
                                  "about a minute each."),
                               "quiet", this));
  rows_ = new QVBoxLayout;
  rows_->setSpacing(8);
  layout->addLayout(rows_);
  auto* takes = new QPushButton(tr("What to take, and where to stand"), this);
  takes->setObjectName(QStringLiteral("toTakes"));
  takes->setProperty("main", true);
  takes->setToolTip(tr("A purpose, its list of takes, the stand and what the room allows. Ctrl+U"));
  connect(takes, &QPushButton::clicked, this, &PlanPage::takesAsked);
  layout->addWidget(takes);
  layout->addWidget(role_label(tr("Before the saw"), "title", this));
  layout->addWidget(
      role_label(tr("What sizes alone foretell, while you move them."), "quiet", this));
  auto* draw = new QPushButton(tr("Drawing: places, edges, ports"), this);
  draw->setObjectName(QStringLiteral("toDrawing"));
  connect(draw, &QPushButton::clicked, this, &PlanPage::drawingAsked);
  layout->addWidget(draw);
  auto* boxes = new QPushButton(tr("Boxes to choose from"), this);
  boxes->setObjectName(QStringLiteral("toBoxes"));
  connect(boxes, &QPushButton::clicked, this, &PlanPage::boxesAsked);
  layout->addWidget(boxes);
  layout->addWidget(role_label(tr("To learn reading"), "title", this));
  layout->addWidget(
      role_label(tr("Loudspeakers with a secret, from the practice bench."), "quiet", this));
  auto* practice = new QPushButton(tr("What is wrong with it?"), this);
  practice->setObjectName(QStringLiteral("toPractice"));
  connect(practice, &QPushButton::clicked, this, &PlanPage::practiceAsked);
  layout->addWidget(practice);
  layout->addStretch(1);
  connect(&session_, &BookSession::rowsChanged, this, &PlanPage::show);
  connect(&session_, &BookSession::laidChanged, this, &PlanPage::show);
  if (session_.isOpen()) show();
}

void PlanPage::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  show();
}

void PlanPage::show() {
  // Nobody sees it: it is made when it is looked at.
  if (!isVisible()) return;
  clear_layout(rows_);
  const Id subject = session_.chosenSubject();
  for (const Variant& variant : session_.variants()) {
    if (variant.subject_id != subject) continue;
    auto* card = new QFrame;
    card->setProperty("card", "true");
    auto* layout = new QVBoxLayout(card);
    layout->setContentsMargins(10, 7, 8, 8);
    auto* name = new QLabel(QString::fromStdString(variant.name), card);
    name->setFont(text_font(13, true));
    layout->addWidget(name);
    if (!variant.changed.empty())
      layout->addWidget(role_label(QString::fromStdString(variant.changed), "quiet", card));
    for (const bool impedance : {true, false}) {
      int count = 0;
      for (const Take& t : session_.takes()) {
        count += t.variant_id == variant.id && t.accepted &&
                         (t.kind == TakeKind::kImpedance) == impedance
                     ? 1
                     : 0;
      }
      const QString what = impedance ? tr("Impedance") : tr("Response on axis");
      if (count > 0) {
        layout->addWidget(
            new QLabel(tr("%1: %2").arg(what, count_text(count, tr("take"), tr("takes"))), card));
      } else {
        auto* ask = new QPushButton(tr("%1 is missing: take it").arg(what), card);
        connect(ask, &QPushButton::clicked, this,
                [this, impedance] { emit captureAsked(impedance); });
        layout->addWidget(ask);
      }
    }
    rows_->addWidget(card);
  }
  const Recipe recipe = session_.recipe(subject);
  rows_->addWidget(role_label(tr("The gate of %1 ms makes responses valid from %2. A longer one "
                                 "needs the first reflection later: raise stand and "
                                 "microphone, or go outdoors.")
                                  .arg(recipe.gate_s * 1e3, 0, 'f', 2)
                                  .arg(QString::fromStdString(frequency_text(1.0 / recipe.gate_s))),
                              "quiet", nullptr));
}

CasePage::CasePage(BookSession& session, QWidget* parent) : QWidget(parent), session_(session) {
  setObjectName(QStringLiteral("casePage"));
  auto* layout = scrolled_page(this);
  layout->addWidget(role_label(tr("Notes"), "title", this));
  note_ = new QPlainTextEdit(this);
  note_->setObjectName(QStringLiteral("subjectNote"));
  note_->setPlaceholderText(tr("What this loudspeaker is for, what was heard, what is suspected…"));
  note_->setMinimumHeight(140);
  layout->addWidget(note_);
  layout->addWidget(role_label(tr("Doubts about its takes"), "head", this));
  cards_ = new QVBoxLayout;
  cards_->setSpacing(6);
  layout->addLayout(cards_);
  layout->addStretch(1);
  auto* pause = new QTimer(this);
  pause->setSingleShot(true);
  pause->setInterval(800);
  connect(note_, &QPlainTextEdit::textChanged, pause, qOverload<>(&QTimer::start));
  connect(pause, &QTimer::timeout, this, &CasePage::keep);
  connect(&session_, &BookSession::rowsChanged, this, &CasePage::show);
  connect(&session_, &BookSession::laidChanged, this, &CasePage::show);
  if (session_.isOpen()) show();
}

void CasePage::keep() {
  if (subject_ == 0) return;
  const std::string text = note_->toPlainText().toStdString();
  if (session_.book().note(subject_).value_or(text) != text)
    session_.apply(session_.book().set_note(subject_, text));
}

void CasePage::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  show();
}

void CasePage::show() {
  if (!isVisible()) return;
  const Id subject = session_.chosenSubject();
  const QString kept = QString::fromStdString(session_.book().note(subject).value_or(""));
  if (subject != subject_ || (!note_->hasFocus() && kept != note_->toPlainText())) {
    subject_ = subject;
    const QSignalBlocker blocker(note_);
    note_->setPlainText(kept);
  }
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

ReportPage::ReportPage(const QList<QAction*>& actions, QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("reportPage"));
  auto* layout = scrolled_page(this);
  layout->addWidget(role_label(tr("Take it with you"), "title", this));
  layout->addWidget(role_label(tr("Open formats only. What leaves the program is what is valid; "
                                  "the raw recordings stay in the book."),
                               "quiet", this));
  for (QAction* action : actions) {
    auto* button = new QPushButton(action->text(), this);
    // Long texts must not widen the page beyond its pane.
    button->setMinimumWidth(60);
    button->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    button->setToolTip(action->toolTip());
    connect(button, &QPushButton::clicked, action, &QAction::trigger);
    layout->addWidget(button);
  }
  layout->addStretch(1);
}

}  // namespace lalometer
