#include "desk/case/finding_card.h"

#include <fmt/format.h>

#include <QButtonGroup>
#include <QHBoxLayout>
#include <QLineEdit>
#include <QMenu>
#include <QPainter>
#include <QPushButton>
#include <cmath>

#include "base/text.h"
#include "desk/parts/page_parts.h"
#include "diagnosis/remedies.h"

namespace lalometer {
namespace {

QString text_of(const std::string& s) {
  return QString::fromStdString(s);
}

QString heading_of(const Finding& f) {
  const std::string in = f.variant.empty() ? "" : fmt::format(" in “{}”", f.variant);
  if (f.frequency_hz <= 0.0)
    return f.causes.empty() ? QString()
                            : text_of(capitalised(spoken_cause(f.causes.front().cause)) + in);
  std::string text =
      fmt::format("{} at {}", capitalised(word_of(f.shape)), frequency_text(f.frequency_hz));
  if (f.shape != FindingShape::kWiggle && std::abs(f.size_db) >= 0.05)
    text += fmt::format(", {:+.1f} dB", f.size_db);
  return text_of(text + in);
}

}  // namespace

ChanceBar::ChanceBar(double share, QWidget* parent) : QWidget(parent), share_(share) {
  setFixedHeight(7);
  setTheme(Theme::light());
}

void ChanceBar::setTheme(const Theme& theme) {
  ink_ = share_ >= 0.5 ? theme.accent : theme.quiet;
  ground_ = theme.line;
  tick_ = theme.paper;
  update();
}

void ChanceBar::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setPen(Qt::NoPen);
  const QRectF whole = QRectF(rect()).adjusted(0, 1, 0, -1);
  painter.setBrush(ground_);
  painter.drawRoundedRect(whole, 2, 2);
  QRectF part = whole;
  part.setWidth(std::max(3.0, whole.width() * share_));
  painter.setBrush(ink_);
  painter.drawRoundedRect(part, 2, 2);
  painter.fillRect(QRectF(whole.center().x(), 0, 1, height()), tick_);
}

FindingCard::FindingCard(const CaseCard& card, const KeptVerdict* verdict, const Theme& theme,
                         QWidget* parent)
    : QFrame(parent), finding_(card.finding), place_(card.place), merged_(card.merged) {
  const bool likely = !finding_.causes.empty() && finding_.causes.front().probability > 0.5;
  setObjectName(QStringLiteral("findingCard"));
  setProperty("card", likely && finding_.severity >= FindingSeverity::kAudible ? "doubt" : "true");
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(10, 7, 8, 8);
  layout->setSpacing(4);
  addHeading(layout);
  addCauses(layout, theme);
  addSteps(layout);
  addVerdict(layout, verdict);
}

void FindingCard::addHeading(QVBoxLayout* layout) {
  auto* row = new QHBoxLayout;
  auto* name = new QLabel(heading_of(finding_), this);
  name->setFont(text_font(13, true));
  row->addWidget(name, 1);
  if (finding_.severity != FindingSeverity::kNone && finding_.frequency_hz > 0.0)
    row->addWidget(role_label(text_of(word_of(finding_.severity)), "quiet", this));
  arrange_ = new QPushButton(QStringLiteral("⋯"), this);
  arrange_->setObjectName(QStringLiteral("findingArrange"));
  // A quiet mark, no button to be drawn to.
  arrange_->setStyleSheet(
      QStringLiteral("QPushButton { border: none; background: transparent; "
                     "padding: 0 3px; min-width: 16px; }"
                     "QPushButton::menu-indicator { image: none; width: 0; }"));
  arrange_->setToolTip(tr("Merge this finding with another, or split its causes"));
  arrange_->setAccessibleName(arrange_->toolTip());
  arrange_->hide();
  row->addWidget(arrange_);
  layout->addLayout(row);
  if (merged_.empty()) return;
  std::string with;
  for (const FindingPlace& part : merged_)
    with += (with.empty() ? "With " : "; ") + spoken_place(part);
  auto* line = role_label(text_of(with + ", merged by you."), "quiet", this);
  line->setWordWrap(true);
  layout->addWidget(line);
}

void FindingCard::offerArrangement(const std::vector<FindingPlace>& others) {
  auto* menu = new QMenu(this);
  menu->setObjectName(QStringLiteral("findingMenu"));
  const auto add = [&](const std::string& text, auto asked) {
    connect(menu->addAction(text_of(text)), &QAction::triggered, this, asked);
  };
  for (const FindingPlace& other : others)
    add("Merge with " + spoken_place(other), [this, other] { emit mergeAsked(other); });
  if (place_.split_off.empty() && finding_.causes.size() > 1)
    for (const FindingCause& cause : finding_.causes)
      add("Split off: " + spoken_cause(cause.cause),
          [this, word = cause.cause] { emit splitAsked(word); });
  if (!merged_.empty() || !place_.split_off.empty())
    add("Show as found", [this] { emit asFoundAsked(); });
  arrange_->setVisible(!menu->isEmpty());
  arrange_->setMenu(menu);
}

void FindingCard::addCauses(QVBoxLayout* layout, const Theme& theme) {
  reasons_ = new QWidget(this);
  auto* reasons = new QVBoxLayout(reasons_);
  reasons->setContentsMargins(0, 0, 0, 0);
  reasons->setSpacing(3);
  for (const FindingCause& cause : finding_.causes) {
    auto* row = new QHBoxLayout;
    row->addWidget(new QLabel(text_of(spoken_cause(cause.cause)), this), 1);
    auto* chance = new QLabel(text_of(spoken_chance(cause.probability)), this);
    chance->setFont(text_font(12, cause.probability > 0.5));
    row->addWidget(chance);
    layout->addLayout(row);
    auto* bar = new ChanceBar(cause.probability, this);
    bar->setTheme(theme);
    layout->addWidget(bar);
    if (finding_.causes.size() > 1)
      reasons->addWidget(
          role_label(text_of(capitalised(spoken_cause(cause.cause))), "head", reasons_));
    for (const std::string& each : cause.evidence)
      addSentence(reasons, QStringLiteral("+"), cause, each, theme);
    for (const std::string& each : cause.against)
      addSentence(reasons, QStringLiteral("−"), cause, each, theme);
  }
  why_ = new QPushButton(tr("Why"), this);
  why_->setObjectName(QStringLiteral("findingWhy"));
  why_->setCheckable(true);
  why_->setToolTip(
      tr("What speaks for (+) and against (−) each cause. What no take could have "
         "shown counts for neither."));
  connect(why_, &QPushButton::toggled, this, [this](bool on) {
    reasons_->setVisible(on);
    emit unfolded(on);
  });
  reasons_->hide();
}

void FindingCard::addSentence(QVBoxLayout* layout, const QString& sign, const FindingCause& cause,
                              const std::string& sentence, const Theme& theme) {
  const QString plain = sign + QLatin1Char(' ') + text_of(sentence);
  auto* label = role_label(plain, "quiet", reasons_);
  label->setWordWrap(true);
  layout->addWidget(label);
  const auto told = cause.told_by.find(sentence);
  if (told == cause.told_by.end()) return;
  const int count = static_cast<int>(told->second.size());
  label->setTextFormat(Qt::RichText);
  label->setText(QStringLiteral("%1&nbsp; <a href=\"takes\" style=\"color: %2; "
                                "text-decoration: none\">%3</a>")
                     .arg(plain.toHtmlEscaped(), theme.accent.name(),
                          (count == 1 ? tr("1 take") : tr("%1 takes").arg(count))
                              .replace(QLatin1Char(' '), QStringLiteral("&nbsp;"))));
  label->setObjectName(QStringLiteral("findingSentence"));
  label->setTextInteractionFlags(Qt::LinksAccessibleByMouse | Qt::LinksAccessibleByKeyboard);
  label->setToolTip(tr("Lays what this is told by on the score."));
  connect(label, &QLabel::linkActivated, this,
          [this, takes = told->second] { emit sentenceAsked(takes); });
}

void FindingCard::addSteps(QVBoxLayout* layout) {
  auto* row = new QHBoxLayout;
  row->setSpacing(6);
  row->addWidget(why_);
  if (!finding_.shown_by.empty()) {
    QPushButton* lay = add_button(row, tr("Lay its takes"), "findingTakes",
                                  tr("Lays the takes that show it on the score."), this);
    connect(lay, &QPushButton::clicked, this, &FindingCard::takesAsked);
  }
  row->addStretch(1);
  layout->addLayout(row);
  layout->addWidget(reasons_);
  if (finding_.frequency_hz > 0.0 && finding_.shape != FindingShape::kWiggle) {
    auto* eq =
        role_label(finding_.correctable_by_eq ? tr("An equaliser can mend it.")
                                              : tr("Not for an equaliser, by what the takes show."),
                   "quiet", this);
    eq->setWordWrap(true);
    layout->addWidget(eq);
  }
  if (!finding_.causes.empty() && finding_.causes.front().probability > 0.5) {
    auto* remedy =
        new QLabel(tr("Remedy: %1").arg(text_of(remedy_of(finding_.causes.front().cause))), this);
    remedy->setWordWrap(true);
    layout->addWidget(remedy);
  }
  if (finding_.next_step.empty()) return;
  auto* next = new QLabel(tr("Next: %1").arg(text_of(finding_.next_step)), this);
  next->setWordWrap(true);
  layout->addWidget(next);
  if (finding_.next_take.empty() || finding_.next_take == "damped") return;
  auto* last = new QHBoxLayout;
  plan_ = add_button(last, tr("Into the plan"), "findingPlan",
                     tr("Adds these takes to the plan of this subject."), this);
  last->addStretch(1);
  layout->addLayout(last);
  connect(plan_, &QPushButton::clicked, this, &FindingCard::planAsked);
}

void show_planned(QPushButton* button) {
  button->setText(QObject::tr("In the plan"));
  button->setToolTip(QObject::tr("It waits under Plan: what to take, and where to stand."));
  button->setEnabled(false);
}

void FindingCard::setPlanned() {
  if (plan_ != nullptr) show_planned(plan_);
}

void FindingCard::addVerdict(QVBoxLayout* layout, const KeptVerdict* kept) {
  auto* row = new QHBoxLayout;
  row->setSpacing(6);
  const CaseVerdict given = kept == nullptr ? CaseVerdict::kNone : kept->verdict;
  auto* reason = new QLineEdit(this);
  reason->setObjectName(QStringLiteral("findingReason"));
  reason->setPlaceholderText(tr("Why? Kept with the date."));
  reason->setVisible(given != CaseVerdict::kNone);
  if (kept != nullptr) reason->setText(text_of(kept->reason));
  const struct {
    CaseVerdict verdict;
    QString text;
    const char* name;
    QString tip;
  } choices[] = {
      {CaseVerdict::kAgreed, tr("Agree"), "findingAgree", tr("You say so too.")},
      {CaseVerdict::kDoubted, tr("Doubt"), "findingDoubt", tr("You do not believe it yet.")},
      {CaseVerdict::kDismissed, tr("Aside"), "findingDismiss",
       tr("No fault: put aside. It stays so when takes are added.")}};
  for (const auto& choice : choices) {
    QPushButton* button = add_button(row, choice.text, choice.name, choice.tip, this);
    button->setCheckable(true);
    button->setChecked(choice.verdict == given);
    connect(button, &QPushButton::clicked, this, [this, reason, v = choice.verdict](bool on) {
      emit judged(on ? v : CaseVerdict::kNone, reason->text());
    });
  }
  row->addStretch(1);
  layout->addLayout(row);
  layout->addWidget(reason);
  connect(reason, &QLineEdit::editingFinished, this, [this, reason, given, was = reason->text()] {
    if (reason->text() != was) emit judged(given, reason->text());
  });
  if (kept != nullptr && !kept->date.empty())
    layout->addWidget(
        role_label(tr("Said on %1").arg(text_of(kept->date.substr(0, 10))), "quiet", this));
}

void FindingCard::setUnfolded(bool on) {
  why_->setChecked(on);
}

void FindingCard::enterEvent(QEnterEvent* event) {
  QFrame::enterEvent(event);
  emit pointed(true);
}

void FindingCard::leaveEvent(QEvent* event) {
  QFrame::leaveEvent(event);
  emit pointed(false);
}

}  // namespace lalometer
