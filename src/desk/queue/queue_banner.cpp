#include "desk/queue/queue_banner.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "desk/parts/page_parts.h"

namespace lalometer {

QueueBanner::QueueBanner(QueueController& queue, QWidget* parent) : QWidget(parent), queue_(queue) {
  setObjectName(QStringLiteral("queueBanner"));
  // Whatever buttons come and go in it, the columns beside it stay where they are.
  setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(18, 10, 18, 10);
  column->setSpacing(4);
  auto* top = new QHBoxLayout;
  what_ = new QLabel(this);
  what_->setObjectName(QStringLiteral("queueWhat"));
  what_->setStyleSheet(QStringLiteral("font-size: 46px; font-weight: 600;"));
  state_ = new QLabel(this);
  state_->setObjectName(QStringLiteral("queueState"));
  state_->setStyleSheet(QStringLiteral("font-size: 30px;"));
  state_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
  top->addWidget(what_, 1);
  top->addWidget(state_);
  column->addLayout(top);
  todo_ = new QLabel(this);
  todo_->setObjectName(QStringLiteral("queueTodo"));
  todo_->setStyleSheet(QStringLiteral("font-size: 20px;"));
  todo_->setWordWrap(true);
  // Always two lines high: a banner that grows and shrinks makes the score below it draw anew.
  todo_->setFixedHeight(2 * 26);
  todo_->setAlignment(Qt::AlignLeft | Qt::AlignTop);
  column->addWidget(todo_);
  progress_ = new QProgressBar(this);
  progress_->setObjectName(QStringLiteral("queueProgress"));
  progress_->setRange(0, 1000);
  progress_->setTextVisible(false);
  column->addWidget(progress_);
  auto* row = new QHBoxLayout;
  const auto button = [&](const QString& text, const char* name, const QString& tip) {
    return add_button(row, text, name, tip, this);
  };
  start_ = button(tr("Run the queue"), "queueStart", tr("Takes what the plan misses. F5"));
  start_->setProperty("main", true);
  go_on_ = button(tr("In position: continue"), "queueGoOn", tr("Space bar"));
  go_on_->setProperty("main", true);
  pause_ = button(tr("Pause"), "queuePause", tr("Esc. What was kept stays."));
  halt_ = button(tr("Halt the table"), "queueHalt",
                 tr("Emergency stop, Ctrl+Esc: the table stands at once and has to find home "
                    "again."));
  again_ =
      button(tr("Last one again"), "queueAgain", tr("F6. Takes the last kept take once more."));
  row->addSpacing(16);
  timer_ =
      button(tr("On by timer"), "queueTimer", tr("Goes on by itself 8 s after each instruction."));
  timer_->setCheckable(true);
  pips_ = button(
      tr("Pips"), "queuePips",
      tr("Three soft pips through the loudspeaker before each sweep, where no table turns it."));
  pips_->setCheckable(true);
  pips_->setChecked(queue_.options().pips);
  row->addStretch(1);
  count_ = role_label({}, "quiet", this);
  count_->setObjectName(QStringLiteral("queueCount"));
  count_->setWordWrap(false);
  row->addWidget(count_);
  column->addLayout(row);
  connect(start_, &QPushButton::clicked, &queue_, &QueueController::start);
  connect(go_on_, &QPushButton::clicked, &queue_, &QueueController::goOn);
  connect(pause_, &QPushButton::clicked, &queue_, &QueueController::pause);
  connect(halt_, &QPushButton::clicked, this, &QueueBanner::haltAsked);
  connect(again_, &QPushButton::clicked, &queue_, &QueueController::takeAgain);
  const auto options = [this] {
    queue_.setOptions({timer_->isChecked() ? QueueController::Advance::kByTimer
                                           : QueueController::Advance::kByKey,
                       8.0, pips_->isChecked()});
  };
  connect(timer_, &QPushButton::toggled, this, options);
  connect(pips_, &QPushButton::toggled, this, options);
  connect(&queue_, &QueueController::planChanged, this, &QueueBanner::show);
  connect(&queue_, &QueueController::placeChanged, this, &QueueBanner::show);
  connect(&queue_, &QueueController::stateChanged, this, &QueueBanner::show);
  show();
}

void QueueBanner::setTheme(const Theme& theme) {
  setStyleSheet(QStringLiteral("#queueBanner { background: %1; border-bottom: 1px solid %2; }")
                    .arg(theme.sheet.name(), theme.line.name()));
  setAttribute(Qt::WA_StyledBackground);
}

void QueueBanner::show() {
  const auto& plan = queue_.plan();
  const bool has = plan && !plan->takes.empty();
  setVisible(has && property("wanted").toBool());
  if (!has) return;
  const QueueController::Place& place = queue_.place();
  const bool running = queue_.running();
  start_->setVisible(!running);
  pause_->setVisible(running);
  halt_->setVisible(running && queue_.byTable());
  go_on_->setVisible(running && place.waits);
  const auto& standing = queue_.status();
  const auto wanted = [](const PlanStatus& s) {
    return s.state == PlanState::kMissing || s.state == PlanState::kStale;
  };
  const auto missing = std::count_if(standing.begin(), standing.end(), wanted);
  const auto done = std::count_if(standing.begin(), standing.end(),
                                  [](const PlanStatus& s) { return s.state == PlanState::kDone; });
  again_->setEnabled(!running && done > 0);
  start_->setEnabled(missing > 0);
  count_->setText(tr("%1 of %2 done · about %3 min left")
                      .arg(done)
                      .arg(plan->takes.size())
                      .arg(std::ceil(queue_.minutesLeft()), 0, 'f', 0));
  int index = place.index;
  if (index < 0) {
    const auto next = std::find_if(standing.begin(), standing.end(), wanted);
    index = next == standing.end() ? -1 : static_cast<int>(next - standing.begin());
  }
  if (index < 0 || index >= static_cast<int>(plan->takes.size())) {
    what_->setText(tr("All taken"));
    state_->clear();
    todo_->setText(queue_.leftOut().isEmpty() ? tr("Nothing of this plan is missing any more.")
                                              : queue_.leftOut());
    progress_->setValue(1000);
    return;
  }
  const PlannedTake& take = plan->takes[static_cast<std::size_t>(index)];
  what_->setText(QString::fromStdString(take.request.name));
  QString state;
  if (running) {
    switch (place.stage) {
      case QueueStage::kMove:
        state = !place.waits ? tr("turning")
                : place.timer_left_s > 0
                    ? tr("in %1 s").arg(std::ceil(place.timer_left_s), 0, 'f', 0)
                    : tr("waits for you");
        break;
      case QueueStage::kCountdown:
        state = tr("quiet, please");
        break;
      case QueueStage::kSweep:
        state = tr("sweep, %1 s").arg(std::ceil(place.left_s), 0, 'f', 0);
        break;
      case QueueStage::kCheck:
        state = tr("checking");
        break;
    }
  } else {
    state = queue_.lastError().isEmpty() ? tr("next") : tr("stopped");
  }
  state_->setText(state);
  QString todo = QString::fromStdString(take.instruction);
  if (!place.refused.empty())
    todo = tr("Again: %1").arg(QString::fromStdString(place.refused.front().text));
  if (!running && !queue_.lastError().isEmpty()) todo = queue_.lastError();
  if (todo.isEmpty())
    todo = queue_.byTable() ? tr("The table turns it there.") : tr("As it stands.");
  todo_->setText(todo);
  todo_->setToolTip(todo);
  progress_->setValue(static_cast<int>(1000.0 * place.done));
}

}  // namespace lalometer
