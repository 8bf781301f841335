#include "desk/queue/plan_desk.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QInputDialog>
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "book/description/subject_geometry.h"
#include "desk/parts/page_parts.h"
#include "workbench/keeping/plan_keeping.h"
#include "workbench/taking/plan/plan_status.h"

namespace lalometer {
namespace {

enum Column { kState, kName, kAngle, kDistance, kDrive, kRepeats, kMinutes, kTodo, kColumns };

const char* state_word(PlanState state) {
  switch (state) {
    case PlanState::kMissing:
      return QT_TRANSLATE_NOOP("PlanDesk", "missing");
    case PlanState::kDone:
      return QT_TRANSLATE_NOOP("PlanDesk", "done");
    case PlanState::kStale:
      return QT_TRANSLATE_NOOP("PlanDesk", "stale");
    case PlanState::kSkipped:
      return QT_TRANSLATE_NOOP("PlanDesk", "left out");
  }
  return "";
}

QString angle_text(const TakeRequest& r) {
  if (r.kind == TakeKind::kImpedance || r.kind == TakeKind::kNearField) return QStringLiteral("–");
  if (r.vertical_deg != 0.0)
    return QObject::tr("%1° %2")
        .arg(std::abs(r.vertical_deg))
        .arg(r.vertical_deg > 0 ? QObject::tr("up") : QObject::tr("down"));
  if (r.horizontal_deg != 0.0)
    return QObject::tr("%1° %2")
        .arg(std::abs(r.horizontal_deg))
        .arg(r.horizontal_deg > 0 ? QObject::tr("right") : QObject::tr("left"));
  return QStringLiteral("0°");
}

std::optional<double> number_of(const QString& text) {
  bool fine = false;
  QString plain = text;
  plain.replace(QLatin1Char(','), QLatin1Char('.'))
      .remove(QLatin1Char('m'))
      .remove(QStringLiteral("dB"))
      .remove(QLatin1Char('V'));
  const double value = plain.trimmed().toDouble(&fine);
  return fine && std::isfinite(value) ? std::optional(value) : std::nullopt;
}

}  // namespace

PlanDesk::PlanDesk(BookSession& session, QueueController& queue, QWidget* parent)
    : QWidget(parent), session_(session), queue_(queue) {
  setObjectName(QStringLiteral("planDesk"));
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(14, 10, 14, 10);
  column->setSpacing(8);
  makeTable(column);
  makeButtons(column);
  view_ = new StandView(this);
  column->addWidget(view_, 2);

  connect(view_, &StandView::moved, this, &PlanDesk::setStand);
  connect(start_, &QPushButton::clicked, this, &PlanDesk::captureAsked);
  connect(table_, &QTableWidget::cellChanged, this, &PlanDesk::change);
  connect(keep_, &QPushButton::clicked, this, &PlanDesk::keepAsTemplate);
  connect(templates_, &QComboBox::activated, this, &PlanDesk::useTemplate);
  connect(&queue_, &QueueController::planChanged, this, &PlanDesk::show);
  connect(&queue_, &QueueController::stateChanged, this, &PlanDesk::show);
  show();
}

void PlanDesk::makeTable(QVBoxLayout* column) {
  auto* head = new QHBoxLayout;
  title_ = role_label({}, "title", this);
  sum_ = role_label({}, "quiet", this);
  sum_->setObjectName(QStringLiteral("planSum"));
  templates_ = new QComboBox(this);
  templates_->setObjectName(QStringLiteral("planTemplates"));
  templates_->setToolTip(tr("A list of takes that was kept, for this subject."));
  head->addWidget(title_);
  head->addWidget(sum_, 1);
  head->addWidget(templates_);
  column->addLayout(head);

  table_ = new QTableWidget(0, kColumns, this);
  table_->setObjectName(QStringLiteral("planTable"));
  table_->setHorizontalHeaderLabels({tr("State"), tr("Take"), tr("Angle"), tr("Distance"),
                                     tr("Drive"), tr("Repeats"), tr("Minutes"), tr("Before it")});
  table_->verticalHeader()->hide();
  table_->verticalHeader()->setDefaultSectionSize(24);
  table_->setSelectionBehavior(QAbstractItemView::SelectRows);
  table_->setShowGrid(false);
  table_->setWordWrap(false);
  table_->horizontalHeader()->setStretchLastSection(true);
  table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
  const int widths[] = {62, 128, 64, 66, 58, 58, 58};
  for (int i = 0; i < kTodo; ++i) table_->setColumnWidth(i, widths[i]);
  column->addWidget(table_, 3);
  empty_ =
      role_label(tr("No plan yet. Choose at the right what you want to know: the takes it needs "
                    "stand here then, to be edited and run."),
                 "quiet", this);
  column->addWidget(empty_);
}

void PlanDesk::makeButtons(QVBoxLayout* column) {
  auto* row = new QHBoxLayout;
  const auto button = [&](const QString& text, const char* name, const QString& tip) {
    return add_button(row, text, name, tip, this);
  };
  start_ = button(tr("To the queue"), "planStart", tr("Opens Capture, where the queue runs."));
  start_->setProperty("main", true);
  row->addStretch(1);
  skip_ = button(tr("Leave out"), "planSkip", tr("Or take it in again: the chosen rows."));
  up_ = button(tr("Earlier"), "planUp", tr("The chosen row, one place."));
  down_ = button(tr("Later"), "planDown", tr("The chosen row, one place."));
  remove_ = button(tr("Strike"), "planRemove", tr("Takes the chosen rows off the plan."));
  keep_ = button(tr("Keep as template…"), "planKeep", tr("For other subjects."));
  column->addLayout(row);
  connect(skip_, &QPushButton::clicked, this, [this] {
    changeChosen([](MeasuringPlan& plan, const std::vector<int>& rows) {
      for (const int r : rows) {
        PlannedTake& take = plan.takes[static_cast<std::size_t>(r)];
        take.skipped = !take.skipped;
      }
      return true;
    });
  });
  const auto shift = [this](int by) {
    changeChosen([by](MeasuringPlan& plan, const std::vector<int>& rows) {
      const int from = rows.front();
      const int to = from + by;
      if (rows.size() != 1 || to < 0 || to >= static_cast<int>(plan.takes.size())) return false;
      std::swap(plan.takes[static_cast<std::size_t>(from)],
                plan.takes[static_cast<std::size_t>(to)]);
      return true;
    });
  };
  connect(up_, &QPushButton::clicked, this, [shift] { shift(-1); });
  connect(down_, &QPushButton::clicked, this, [shift] { shift(1); });
  connect(remove_, &QPushButton::clicked, this, [this] {
    changeChosen([](MeasuringPlan& plan, const std::vector<int>& rows) {
      for (auto r = rows.rbegin(); r != rows.rend(); ++r) plan.takes.erase(plan.takes.begin() + *r);
      return true;
    });
  });
}

void PlanDesk::keepAsTemplate() {
  if (!queue_.plan()) return;
  bool fine = false;
  const QString name =
      QInputDialog::getText(this, tr("Template"), tr("Its name"), QLineEdit::Normal,
                            QString::fromUtf8(text_of(queue_.plan()->purpose).title), &fine);
  if (fine)
    session_.edit([name = name.trimmed().toStdString(), plan = *queue_.plan()](Book& book) {
      return keep_template(book, name, plan);
    });
}

void PlanDesk::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  show();
}

void PlanDesk::setTheme(const Theme& theme) {
  view_->setTheme(theme);
}

void PlanDesk::setStand(const Stand& stand, bool keep) {
  stand_ = stand;
  readSubject();
  if (keep) session_.setDocument(0, "stand", to_json(stand_), "Change the stand");
  emit standChanged();
}

void PlanDesk::readSubject() {
  double height = 0.38;
  double depth = 0.3;
  double above = 0.23;
  largest_m_ = 0.4;
  if (const Subject* s = session_.isOpen() ? session_.subject(session_.chosenSubject()) : nullptr) {
    if (const auto g = geometry_of(s->description, s->name); g && g->baffle) {
      height = g->baffle->height_m();
      depth = g->baffle->depth_m();
      above = g->origin_y_m;
      largest_m_ = std::max(height, g->baffle->width_m());
    }
  }
  view_->setStand(stand_, height, depth, std::clamp(above, 0.0, height));
}

void PlanDesk::show() {
  if (!session_.isOpen()) return;
  const Id subject = session_.chosenSubject();
  if (subject != subject_) {
    subject_ = subject;
    if (const std::string kept = session_.document(0, "stand"); !kept.empty())
      stand_ = stand_from_json(kept);
    readSubject();
    emit standChanged();
  }
  // While a queue runs the desk is not seen, and seventy rows are not made anew for nobody.
  if (!isVisible()) return;
  fillTable();
  const QSignalBlocker block(templates_);
  templates_->clear();
  templates_->addItem(tr("From a template"));
  for (const std::string& name : template_names(session_.book()))
    templates_->addItem(QString::fromStdString(name));
  templates_->setVisible(templates_->count() > 1);
}

void PlanDesk::fillTable() {
  filling_ = true;
  const auto& plan = queue_.plan();
  const int chosen = table_->currentRow();
  const bool has = plan && !plan->takes.empty();
  table_->setVisible(has);
  empty_->setVisible(!has);
  for (QPushButton* b : {start_, skip_, up_, down_, remove_, keep_})
    b->setEnabled(has && !queue_.running());
  title_->setText(has ? QString::fromUtf8(text_of(plan->purpose).title) : tr("Plan"));
  table_->setRowCount(has ? static_cast<int>(plan->takes.size()) : 0);
  int done = 0;
  for (int r = 0; has && r < table_->rowCount(); ++r) {
    const auto i = static_cast<std::size_t>(r);
    const PlannedTake& t = plan->takes[i];
    const PlanStatus standing = i < queue_.status().size() ? queue_.status()[i] : PlanStatus{};
    done += standing.state == PlanState::kDone ? 1 : 0;
    const bool response = is_pressure(t.request.kind);
    const QString texts[kColumns] = {
        tr(state_word(standing.state)),
        QString::fromStdString(t.request.name),
        angle_text(t.request),
        response ? QStringLiteral("%1 m").arg(t.request.distance_m) : QStringLiteral("–"),
        t.request.target_spl_db > 0.0
            ? QStringLiteral("%1 dB").arg(t.request.target_spl_db)
            : QStringLiteral("%1 V").arg(QString::fromStdString(three_digits(t.request.drive_v))),
        QString::number(t.request.repeats),
        QString::number(minutes_of(t, true), 'f', 1),
        QString::fromStdString(t.instruction)};
    for (int c = 0; c < kColumns; ++c) {
      auto* item = new QTableWidgetItem(texts[c]);
      const bool editable =
          c == kName || c == kDrive || c == kRepeats || c == kTodo || (c == kDistance && response);
      item->setFlags(Qt::ItemIsSelectable | Qt::ItemIsEnabled |
                     (editable ? Qt::ItemIsEditable : Qt::NoItemFlags));
      if (c == kState && !standing.why.empty())
        item->setToolTip(QString::fromStdString(standing.why));
      if (c == kTodo) item->setToolTip(texts[c]);
      if (c == kState && standing.state == PlanState::kDone) item->setFont(text_font(12, true));
      table_->setItem(r, c, item);
    }
  }
  if (has) {
    sum_->setText(tr("%1 of %2 done, about %3 min left")
                      .arg(done)
                      .arg(plan->takes.size())
                      .arg(std::ceil(queue_.minutesLeft()), 0, 'f', 0));
    if (chosen >= 0 && chosen < table_->rowCount()) table_->setCurrentCell(chosen, kName);
  } else {
    sum_->clear();
  }
  filling_ = false;
}

std::vector<int> PlanDesk::chosenRows() const {
  std::vector<int> rows;
  for (const QModelIndex& index : table_->selectionModel()->selectedRows())
    rows.push_back(index.row());
  std::sort(rows.begin(), rows.end());
  return rows;
}

void PlanDesk::changeChosen(
    const std::function<bool(MeasuringPlan&, const std::vector<int>&)>& edit) {
  const std::vector<int> rows = chosenRows();
  if (rows.empty() || !queue_.plan()) return;
  MeasuringPlan plan = *queue_.plan();
  if (edit(plan, rows)) queue_.setPlan(plan);
}

void PlanDesk::change(int row, int column) {
  if (filling_ || !queue_.plan()) return;
  MeasuringPlan plan = *queue_.plan();
  PlannedTake& t = plan.takes[static_cast<std::size_t>(row)];
  const QString text = table_->item(row, column)->text();
  const auto number = number_of(text);
  switch (column) {
    case kName:
      if (!text.trimmed().isEmpty()) t.request.name = text.trimmed().toStdString();
      break;
    case kTodo:
      t.instruction = text.trimmed().toStdString();
      break;
    case kDistance:
      if (number && *number > 0.0 && *number < 50.0) t.request.distance_m = *number;
      break;
    case kDrive:
      // "85 dB" is a level at 1 m, what has no unit keeps the one it had.
      if (number && *number > 0.0 && *number < 140.0 &&
          (text.contains(QStringLiteral("dB")) ||
           (t.request.target_spl_db > 0.0 && !text.contains(QLatin1Char('V'))))) {
        t.request.target_spl_db = *number;
      } else if (number && *number > 0.0 && *number < 100.0) {
        t.request.drive_v = *number;
        t.request.target_spl_db = 0.0;
      }
      break;
    case kRepeats:
      if (number && *number >= 1.0 && *number <= 64.0)
        t.request.repeats = static_cast<int>(*number);
      break;
    default:
      break;
  }
  queue_.setPlan(plan);
}

void PlanDesk::useTemplate(int index) {
  if (index <= 0) return;
  for (const Variant& v : session_.variants()) {
    if (v.subject_id != session_.chosenSubject()) continue;
    const auto plan = plan_from_template(session_.book(), templates_->itemText(index).toStdString(),
                                         v.subject_id, v.id);
    if (plan)
      queue_.setPlan(*plan);
    else
      emit session_.failed(QString::fromStdString(plan.error().text()));
    return;
  }
}

}  // namespace lalometer
