#include "desk/pages/practice_page.h"

#include <fmt/format.h>

#include <QButtonGroup>
#include <QCheckBox>
#include <QComboBox>
#include <QListWidget>
#include <QPushButton>
#include <QRadioButton>
#include <QSignalBlocker>
#include <QSlider>
#include <QSpinBox>
#include <algorithm>
#include <map>

#include "base/text.h"
#include "desk/parts/page_parts.h"
#include "workbench/practice/learner.h"
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
  makeList(layout);
  story_ = new QLabel(this);
  story_->setObjectName(QStringLiteral("caseStory"));
  story_->setWordWrap(true);
  layout->addWidget(story_);
  open_ = new QPushButton(this);
  open_->setObjectName(QStringLiteral("caseOpen"));
  connect(open_, &QPushButton::clicked, this, [this] { emit caseAsked(chosenCase()); });
  layout->addWidget(open_);
  layout->addWidget(rule(this));
  makeVerdict(layout);
  layout->addStretch(1);
  connect(&session_.caseWatch(), &CaseWatch::changed, this, &PracticePage::show);
  connect(&session_, &BookSession::laidChanged, this, &PracticePage::show);
  connect(&session_, &BookSession::rowsChanged, this, &PracticePage::show);
  fillList();
}

void PracticePage::makeList(QVBoxLayout* layout) {
  auto* row = new QHBoxLayout;
  kind_ = new QComboBox(this);
  kind_->setObjectName(QStringLiteral("caseKind"));
  kind_->addItems({tr("The workshop's own"), tr("By lot, no.")});
  row->addWidget(kind_, 1);
  series_ = new QSpinBox(this);
  series_->setObjectName(QStringLiteral("caseSeries"));
  series_->setRange(1, 9999);
  series_->setButtonSymbols(QAbstractSpinBox::NoButtons);
  series_->setKeyboardTracking(false);
  series_->setToolTip(tr("The same number draws the same thirty loudspeakers on every machine"));
  row->addWidget(series_);
  anew_ = new QPushButton(tr("Another"), this);
  anew_->setObjectName(QStringLiteral("caseAnew"));
  anew_->setToolTip(tr("Draws thirty others"));
  row->addWidget(anew_);
  layout->addLayout(row);
  connect(kind_, &QComboBox::currentIndexChanged, this, &PracticePage::fillList);
  connect(series_, &QSpinBox::valueChanged, this, &PracticePage::fillList);
  connect(anew_, &QPushButton::clicked, this,
          [this] { series_->setValue(series_->value() % series_->maximum() + 1); });
  cases_ = new QListWidget(this);
  cases_->setObjectName(QStringLiteral("caseList"));
  cases_->setSpacing(1);
  cases_->setFixedHeight(262);
  cases_->setVerticalScrollBarPolicy(Qt::ScrollBarAsNeeded);
  connect(cases_, &QListWidget::currentRowChanged, this, &PracticePage::show);
  layout->addWidget(cases_);
}

void PracticePage::makeVerdict(QVBoxLayout* layout) {
  choices_ = new QVBoxLayout;
  choices_->setSpacing(3);
  layout->addLayout(choices_);
  sure_said_ = role_label({}, "quiet", this);
  sure_said_->setObjectName(QStringLiteral("caseSureSaid"));
  layout->addWidget(sure_said_);
  sure_ = new QSlider(Qt::Horizontal, this);
  sure_->setObjectName(QStringLiteral("caseSure"));
  sure_->setRange(0, 99);
  sure_->setSingleStep(5);
  sure_->setPageStep(10);
  sure_->setAccessibleName(tr("How sure you are, percent"));
  connect(sure_, &QSlider::valueChanged, this, [this](int percent) {
    sure_said_->setText(percent == 0 ? tr("How sure are you? Not said.")
                                     : tr("How sure are you? %1 %").arg(percent));
  });
  sure_said_->setText(tr("How sure are you? Not said."));
  layout->addWidget(sure_);
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
}

void PracticePage::fillList() {
  const bool by_lot = kind_->currentIndex() == 1;
  series_->setVisible(by_lot);
  anew_->setVisible(by_lot);
  {
    const QSignalBlocker quiet(cases_);
    cases_->clear();
    for (const PracticeCase& one : by_lot ? drawn_cases(series_->value()) : practice_cases()) {
      auto* item = new QListWidgetItem(cases_);
      item->setData(Qt::UserRole, QString::fromStdString(one.id));
    }
    cases_->setCurrentRow(0);
  }
  show();
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
  if (id.startsWith(QLatin1String("drawn-"))) {
    series_->setValue(id.section(QLatin1Char('-'), 1, 1).toInt());
    kind_->setCurrentIndex(1);
  } else {
    kind_->setCurrentIndex(0);
  }
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
    std::string text = fmt::format("{} {}{}", capitalised(spoken_cause(c.cause)),
                                   spoken_chance(c.probability), where);
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

void PracticePage::showMarks() {
  if (!session_.isOpen()) return;
  std::map<std::string, CaseState> states;
  for (const Subject& subject : session_.subjects()) {
    CaseState state = case_state(session_.book(), subject.id);
    if (!state.case_id.empty()) states[state.case_id] = std::move(state);
  }
  for (int row = 0; row < cases_->count(); ++row) {
    QListWidgetItem* item = cases_->item(row);
    const PracticeCase* one = practice_case(item->data(Qt::UserRole).toString().toStdString());
    QString mark;
    if (const auto found = states.find(one->id); found != states.end()) {
      const std::optional<GivenVerdict>& given = found->second.verdict;
      mark = !given                              ? tr(" – open")
             : judged(*one, given->causes).right ? tr(" – solved")
                                                 : tr(" – missed");
    }
    const QString grade = one->grade == 0
                              ? QString()
                              : QString(one->grade, QChar(0x25CF)).leftJustified(4, QChar(0x25CB)) +
                                    QStringLiteral("  ");
    item->setText(grade + QString::fromStdString(one->title) + mark);
  }
  const QString rate = QString::fromStdString(told(learner_record(session_.book())));
  rate_->setVisible(!rate.isEmpty());
  rate_->setText(rate);
}

void PracticePage::show() {
  rate_->hide();
  showMarks();
  const PracticeCase* one = practice_case(chosenCase().toStdString());
  if (one == nullptr) return;
  story_->setText(QString::fromStdString(one->story));
  const Id subject = subjectOfCase();
  const CaseState state = subject != 0 ? case_state(session_.book(), subject) : CaseState{};
  open_->setVisible(subject == 0);
  open_->setText(tr("Take %1 in").arg(QString::fromStdString(one->title)));
  showChoices();
  const bool open = subject != 0 && !state.verdict;
  for (QAbstractButton* button : group_->buttons()) {
    button->setVisible(subject != 0);
    button->setEnabled(open);
    if (!state.verdict) continue;
    const std::vector<std::string>& said = state.verdict->causes;
    const std::string cause = button->property("cause").toString().toStdString();
    button->setChecked(cause.empty() ? said.empty()
                                     : std::find(said.begin(), said.end(), cause) != said.end());
  }
  sure_->setVisible(open);
  sure_said_->setVisible(open);
  commit_->setVisible(open);
  commit_->setEnabled(!chosenCauses().empty());
  verdict_->setVisible(subject != 0 && state.verdict.has_value());
  showOwn(subject, subject != 0 && state.verdict.has_value());
  if (state.verdict) {
    const Verdict verdict = judged(*one, state.verdict->causes);
    const QString text = QString::fromStdString(verdict.text).toHtmlEscaped();
    const qsizetype end = text.indexOf(QLatin1Char('.')) + 1;
    verdict_->setText(QStringLiteral("<b style='color:%1'>%2</b>%3")
                          .arg((verdict.right ? theme_.accent : theme_.refuse).name(),
                               text.left(end), text.mid(end)));
  }
}

std::vector<QAbstractButton*> PracticePage::chosenCauses() const {
  std::vector<QAbstractButton*> chosen;
  for (QAbstractButton* button : group_->buttons())
    if (button->isChecked()) chosen.push_back(button);
  return chosen;
}

void PracticePage::showChoices() {
  const QString id = chosenCase();
  if (id == shown_choices_ && group_ != nullptr) return;
  shown_choices_ = id;
  clear_layout(choices_);
  delete group_;
  group_ = new QButtonGroup(this);
  sure_->setValue(0);
  const PracticeCase* one = practice_case(id.toStdString());
  group_->setExclusive(!one->several);
  // In alphabetical order: the place tells nothing.
  std::vector<std::string> offered = one->offered;
  std::sort(offered.begin(), offered.end());
  const auto add = [&](const QString& text, const std::string& word) {
    QAbstractButton* button = one->several
                                  ? static_cast<QAbstractButton*>(new QCheckBox(text, this))
                                  : new QRadioButton(text, this);
    button->setProperty("cause", QString::fromStdString(word));
    group_->addButton(button);
    choices_->addWidget(button);
    connect(button, &QAbstractButton::toggled, this, [this, button](bool on) {
      // Nothing is wrong, or something is.
      const bool none = button->property("cause").toString().isEmpty();
      for (QAbstractButton* other : group_->buttons())
        if (on && !group_->exclusive() && other != button &&
            (none || other->property("cause").toString().isEmpty()))
          other->setChecked(false);
      commit_->setEnabled(!chosenCauses().empty());
    });
  };
  for (const std::string& word : offered) add(QString::fromStdString(spoken_cause(word)), word);
  if (one->several) add(tr("nothing is wrong with it"), "");
}

void PracticePage::commit() {
  const PracticeCase* one = practice_case(chosenCase().toStdString());
  const Id subject = subjectOfCase();
  const std::vector<QAbstractButton*> chosen = chosenCauses();
  if (one == nullptr || subject == 0 || chosen.empty()) return;
  GivenVerdict given{{}, sure_->value()};
  for (const QAbstractButton* button : chosen)
    if (const QString cause = button->property("cause").toString(); !cause.isEmpty())
      given.causes.push_back(cause.toStdString());
  session_.edit(
      [one, subject, given](Book& book) { return keep_verdict(book, subject, *one, given); },
      [this](bool) { show(); });
}

}  // namespace lalometer
