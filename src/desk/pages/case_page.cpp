#include "desk/pages/case_page.h"

#include <QPlainTextEdit>
#include <QTimer>

#include "desk/parts/page_parts.h"

namespace lalometer {

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
  connect(note_, &QPlainTextEdit::textChanged, this, [this, pause] {
    unkept_ = true;
    pause->start();
  });
  connect(pause, &QTimer::timeout, this, &CasePage::keep);
  connect(&session_, &BookSession::rowsChanged, this, &CasePage::show);
  connect(&session_, &BookSession::laidChanged, this, &CasePage::show);
  if (session_.isOpen()) show();
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
  QWidget::hideEvent(event);
}

void CasePage::show() {
  if (!isVisible()) return;
  const Id subject = session_.chosenSubject();
  const QString kept = QString::fromStdString(session_.book().note(subject).value_or(""));
  // What is written and not kept yet is never written over; of another subject it is kept first.
  if (subject != subject_) keep();
  if (subject != subject_ || (!unkept_ && kept != note_->toPlainText())) {
    subject_ = subject;
    unkept_ = false;
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

}  // namespace lalometer
