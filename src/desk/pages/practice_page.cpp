#include "desk/pages/practice_page.h"

#include <fmt/format.h>

#include <QButtonGroup>
#include <QListWidget>
#include <QPushButton>
#include <QRadioButton>

#include "base/text.h"
#include "desk/parts/page_parts.h"
#include "workbench/practice/practice_cases.h"

namespace lalometer {

PracticePage::PracticePage(BookSession& session, QWidget* parent)
    : QWidget(parent), session_(session) {
  setObjectName(QStringLiteral("practicePage"));
  auto* layout = scrolled_page(this, 6);
  layout->addWidget(role_label(tr("What is wrong with it?"), "title", this));
  layout->addWidget(
      role_label(tr("Loudspeakers from the practice bench, easier ones first. Read the "
                    "score, then commit to a verdict; only then the truth is told."),
                 "quiet", this));
  cases_ = new QListWidget(this);
  cases_->setObjectName(QStringLiteral("caseList"));
  cases_->setSpacing(1);
  cases_->setFixedHeight(262);
  cases_->setVerticalScrollBarPolicy(Qt::ScrollBarAsNeeded);
  for (const PracticeCase& one : practice_cases()) {
    auto* item = new QListWidgetItem(cases_);
    item->setData(Qt::UserRole, QString::fromStdString(one.id));
  }
  connect(cases_, &QListWidget::currentRowChanged, this, &PracticePage::show);
  layout->addWidget(cases_);
  story_ = new QLabel(this);
  story_->setObjectName(QStringLiteral("caseStory"));
  story_->setWordWrap(true);
  layout->addWidget(story_);
  open_ = new QPushButton(this);
  open_->setObjectName(QStringLiteral("caseOpen"));
  connect(open_, &QPushButton::clicked, this, [this] { emit caseAsked(chosenCase()); });
  layout->addWidget(open_);
  layout->addWidget(rule(this));
  choices_ = new QVBoxLayout;
  choices_->setSpacing(3);
  layout->addLayout(choices_);
  commit_ = new QPushButton(tr("Commit to this verdict"), this);
  commit_->setObjectName(QStringLiteral("caseCommit"));
  commit_->setProperty("main", "true");
  connect(commit_, &QPushButton::clicked, this, &PracticePage::commit);
  layout->addWidget(commit_);
  verdict_ = new QLabel(this);
  verdict_->setObjectName(QStringLiteral("caseVerdict"));
  verdict_->setWordWrap(true);
  verdict_->setTextFormat(Qt::RichText);
  layout->addWidget(verdict_);
  own_ = new QLabel(this);
  own_->setObjectName(QStringLiteral("caseOwn"));
  own_->setWordWrap(true);
  layout->addWidget(own_);
  rate_ = role_label({}, "quiet", this);
  rate_->setObjectName(QStringLiteral("caseRate"));
  layout->addWidget(rate_);
  layout->addStretch(1);
  connect(&session_.caseWatch(), &CaseWatch::changed, this, &PracticePage::show);
  connect(&session_, &BookSession::laidChanged, this, &PracticePage::show);
  connect(&session_, &BookSession::rowsChanged, this, &PracticePage::show);
  cases_->setCurrentRow(0);
}

void PracticePage::setTheme(const Theme& theme) {
  theme_ = theme;
  show();
}

QString PracticePage::chosenCase() const {
  const QListWidgetItem* item = cases_->currentItem();
  return item == nullptr ? QString() : item->data(Qt::UserRole).toString();
}

void PracticePage::choose(const QString& id) {
  for (int row = 0; row < cases_->count(); ++row)
    if (cases_->item(row)->data(Qt::UserRole).toString() == id) cases_->setCurrentRow(row);
}

Id PracticePage::subjectOfCase() const {
  if (!session_.isOpen()) return 0;
  const std::string id = chosenCase().toStdString();
  Id found = 0;
  for (const Subject& subject : session_.subjects())
    if (case_state(session_.book(), subject.id).case_id == id) found = subject.id;
  return found;
}

void PracticePage::showOwn(Id subject, bool judged) {
  own_->setVisible(judged);
  if (!judged) return;
  session_.caseWatch().want();
  const Diagnosis* d =
      session_.chosenSubject() == subject ? session_.caseWatch().diagnosis() : nullptr;
  if (d == nullptr) {
    own_->setText(session_.chosenSubject() == subject
                      ? tr("Looking at the same takes…")
                      : tr("Choose one of its takes to see what the program makes of them."));
    return;
  }
  std::vector<std::pair<double, std::string>> told;
  const auto put = [&](const FindingCause& c, const std::string& where) {
    std::string text = fmt::format("{} {:.0f} %{}", capitalised(spoken_cause(c.cause)),
                                   100.0 * c.probability, where);
    for (std::size_t i = 0; i < c.evidence.size(); ++i)
      text += (i == 0 ? ": " : "; ") + c.evidence[i];
    for (std::size_t i = 0; i < c.against.size(); ++i)
      text += (i == 0 ? "; but: " : "; ") + c.against[i];
    told.emplace_back(c.probability, text + ".");
  };
  for (const Finding& f : d->findings)
    if (!f.causes.empty())
      put(f.causes.front(), fmt::format(" at {}", frequency_text(f.frequency_hz)));
  for (const FindingCause& c : d->overall) put(c, "");
  std::stable_sort(told.begin(), told.end(),
                   [](const auto& a, const auto& b) { return a.first > b.first; });
  QString text = tr("What the program makes of the same takes:");
  for (std::size_t i = 0; i < std::min<std::size_t>(told.size(), 3); ++i)
    text += QStringLiteral("\n• ") + QString::fromStdString(told[i].second);
  if (told.empty()) text += QStringLiteral("\n• ") + tr("Nothing is wrong that they could show.");
  own_->setText(text);
}

void PracticePage::show() {
  int solved = 0;
  int given = 0;
  if (session_.isOpen()) {
    for (int row = 0; row < cases_->count(); ++row) {
      QListWidgetItem* item = cases_->item(row);
      const PracticeCase* one = practice_case(item->data(Qt::UserRole).toString().toStdString());
      QString mark;
      for (const Subject& subject : session_.subjects()) {
        const CaseState state = case_state(session_.book(), subject.id);
        if (state.case_id != one->id) continue;
        given += state.verdict.empty() ? 0 : 1;
        solved += state.verdict == one->cause ? 1 : 0;
        mark = state.verdict.empty()         ? tr(" – open")
               : state.verdict == one->cause ? tr(" – solved")
                                             : tr(" – missed");
      }
      item->setText(QStringLiteral("%1  %2%3")
                        .arg(QString(one->grade, QChar(0x25CF)).leftJustified(4, QChar(0x25CB)),
                             QString::fromStdString(one->title), mark));
    }
  }
  rate_->setVisible(given > 0);
  rate_->setText(tr("You were right in %1 of %2.").arg(solved).arg(given));
  const PracticeCase* one = practice_case(chosenCase().toStdString());
  if (one == nullptr) return;
  story_->setText(QString::fromStdString(one->story));
  const Id subject = subjectOfCase();
  const CaseState state = subject != 0 ? case_state(session_.book(), subject) : CaseState{};
  open_->setVisible(subject == 0);
  open_->setText(tr("Take %1 in").arg(QString::fromStdString(one->title)));
  showChoices();
  const bool open = subject != 0 && state.verdict.empty();
  for (QAbstractButton* button : group_->buttons()) {
    button->setVisible(subject != 0);
    button->setEnabled(open);
    if (!state.verdict.empty())
      button->setChecked(button->property("cause").toString().toStdString() == state.verdict);
  }
  commit_->setVisible(open);
  commit_->setEnabled(group_->checkedButton() != nullptr);
  verdict_->setVisible(subject != 0 && !state.verdict.empty());
  showOwn(subject, subject != 0 && !state.verdict.empty());
  if (!state.verdict.empty()) {
    const Verdict verdict = judged(*one, state.verdict);
    const QString text = QString::fromStdString(verdict.text).toHtmlEscaped();
    const qsizetype end = text.indexOf(QLatin1Char('.')) + 1;
    verdict_->setText(QStringLiteral("<b style='color:%1'>%2</b>%3")
                          .arg((verdict.right ? theme_.accent : theme_.refuse).name(),
                               text.left(end), text.mid(end)));
  }
}

void PracticePage::showChoices() {
  const QString id = chosenCase();
  if (id == shown_choices_ && group_ != nullptr) return;
  shown_choices_ = id;
  clear_layout(choices_);
  delete group_;
  group_ = new QButtonGroup(this);
  const PracticeCase* one = practice_case(id.toStdString());
  // In alphabetical order: the place tells nothing.
  std::vector<std::string> offered = one->offered;
  std::sort(offered.begin(), offered.end());
  for (const std::string& word : offered) {
    auto* button = new QRadioButton(QString::fromStdString(spoken_cause(word)), this);
    button->setProperty("cause", QString::fromStdString(word));
    group_->addButton(button);
    choices_->addWidget(button);
    connect(button, &QRadioButton::toggled, this, [this] { commit_->setEnabled(true); });
  }
}

void PracticePage::commit() {
  const PracticeCase* one = practice_case(chosenCase().toStdString());
  const Id subject = subjectOfCase();
  const QAbstractButton* chosen = group_->checkedButton();
  if (one == nullptr || subject == 0 || chosen == nullptr) return;
  session_.edit([one, subject, cause = chosen->property("cause").toString().toStdString()](
                    Book& book) { return keep_verdict(book, subject, *one, cause); },
                [this](bool) { show(); });
}

}  // namespace lalometer
