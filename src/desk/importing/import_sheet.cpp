#include "desk/importing/import_sheet.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QProgressBar>
#include <QPushButton>
#include <QTreeWidget>

#include "desk/parts/page_parts.h"
#include "desk/parts/theme.h"
#include "workbench/taking/stimulus_file.h"

namespace lalometer {
ImportSheet::ImportSheet(BookSession& session, QWidget* parent)
    : QFrame(parent), session_(session) {
  setObjectName(QStringLiteral("importSheet"));
  setFrameShape(QFrame::StyledPanel);
  setAutoFillBackground(true);
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(16, 12, 16, 12);
  title_ = role_label({}, "title", this);
  title_->setObjectName(QStringLiteral("importTitle"));
  layout->addWidget(title_);
  list_ = new QTreeWidget(this);
  list_->setObjectName(QStringLiteral("importList"));
  list_->setColumnCount(4);
  list_->setHeaderLabels({tr("File"), tr("Understood as"), tr("Angle"), tr("What it is")});
  list_->header()->setStretchLastSection(false);
  list_->header()->setSectionResizeMode(1, QHeaderView::Stretch);
  list_->header()->setSectionResizeMode(kPlannedColumn, QHeaderView::ResizeToContents);
  list_->header()->setSectionResizeMode(kAngleColumn, QHeaderView::Fixed);
  list_->header()->resizeSection(kAngleColumn, 126);
  list_->header()->setSectionResizeMode(0, QHeaderView::ResizeToContents);
  list_->setWordWrap(true);
  list_->setRootIsDecorated(true);
  layout->addWidget(list_, 1);
  progress_ = new QProgressBar(this);
  progress_->setTextVisible(false);
  progress_->setRange(0, 1000);
  layout->addWidget(progress_);
  preview_curve_ = new CurvePreview(this);
  layout->addWidget(preview_curve_, 1);
  connect(list_, &QTreeWidget::currentItemChanged, this, &ImportSheet::showCurve);

  makeOptions(layout);
  auto* buttons = new QHBoxLayout;
  take_ = new QPushButton(tr("Take into the book"), this);
  take_->setObjectName(QStringLiteral("importTake"));
  take_->setProperty("main", true);
  auto* leave = new QPushButton(tr("Leave it"), this);
  leave->setObjectName(QStringLiteral("importLeave"));
  leave->setShortcut(Qt::Key_Escape);
  buttons->addStretch(1);
  buttons->addWidget(leave);
  buttons->addWidget(take_);
  layout->addLayout(buttons);
  connect(leave, &QPushButton::clicked, this, &ImportSheet::leave);
  connect(take_, &QPushButton::clicked, this, &ImportSheet::takeWanted);
  connect(kind_, &QComboBox::activated, this, &ImportSheet::read);
  connect(sound_, &QComboBox::activated, this, [this](int index) {
    sweep_box_->setVisible(index == 1);
    read();
  });
  connect(loopback_, &QComboBox::activated, this, &ImportSheet::read);
  connect(chirps_, &QCheckBox::toggled, chirp_distance_, &QWidget::setEnabled);
  connect(chirps_, &QCheckBox::toggled, this, &ImportSheet::read);
  connect(chirp_distance_, &QDoubleSpinBox::editingFinished, this, [this] {
    if (chirps_->isChecked()) read();
  });
  for (QDoubleSpinBox* box : sweep_)
    connect(box, &QDoubleSpinBox::editingFinished, this, &ImportSheet::read);
  hide();
}

/// How files that do not say it themselves are read.
void ImportSheet::makeOptions(QVBoxLayout* layout) {
  auto* options = new QHBoxLayout;
  kind_ = new QComboBox(this);
  kind_->setObjectName(QStringLiteral("importKind"));
  kind_->addItems(
      {tr("Text: by name and contents"), tr("Text: responses, dB"), tr("Text: impedances, ohm")});
  sound_ = new QComboBox(this);
  sound_->setObjectName(QStringLiteral("importSound"));
  sound_->addItems({tr("Sound: impulse responses"), tr("Sound: recorded sweeps")});
  options->addWidget(kind_);
  options->addWidget(sound_);
  options->addStretch(1);
  near_box_ = new QWidget(this);
  auto* near = new QHBoxLayout(near_box_);
  near->setContentsMargins(0, 0, 0, 0);
  near->addWidget(role_label(tr("Near fields at"), "quiet", near_box_));
  near_mm_ = number_box("importNear", 0.0, 200.0, 5.0, 1, tr("mm"), near_box_);
  near_mm_->setToolTip(tr("From the plane that radiates: a cone's middle, a port's mouth."));
  near->addWidget(near_mm_);
  near_box_->hide();
  options->addWidget(near_box_);
  layout->addLayout(options);
  sweep_box_ = new QWidget(this);
  auto* sweep = new QGridLayout(sweep_box_);  // beside the score there is no room for one row
  sweep->setContentsMargins(0, 0, 0, 0);
  const std::tuple<QString, double, double, int> fields[] = {
      {tr("from Hz"), 10.0, 20000.0, 1}, {tr("to Hz"), 22000.0, 96000.0, 0},
      {tr("for s"), 1.4, 60.0, 3},       {tr("after silence, s"), 0.25, 60.0, 3},
      {tr("times"), 1.0, 999.0, 0},      {tr("every s"), 4.0, 600.0, 3}};
  for (int i = 0; i < 6; ++i) {
    const auto& [name, value, most, decimals] = fields[i];
    const int row = i / 3;
    const int column = 2 * (i % 3);
    sweep->addWidget(role_label(name, "quiet", sweep_box_), row, column);
    sweep_[i] = new QDoubleSpinBox(sweep_box_);
    sweep_[i]->setObjectName(QStringLiteral("importSweep%1").arg(i));
    sweep_[i]->setDecimals(decimals);
    sweep_[i]->setRange(0.0, most);
    sweep_[i]->setValue(value);
    sweep_[i]->setButtonSymbols(QAbstractSpinBox::NoButtons);
    sweep->addWidget(sweep_[i], row, column + 1);
  }
  loopback_ = new QComboBox(sweep_box_);
  loopback_->addItems({tr("no loopback"), tr("loopback on channel 2")});
  sweep_[4]->setToolTip(
      tr("Like sweeps in one recording: their mean is taken, and they tell how far "
         "the recorder's clock runs off. Once: several become a take each."));
  sweep->addWidget(loopback_, 2, 0, 1, 2);
  chirps_ = new QCheckBox(tr("reference chirps"), sweep_box_);
  chirps_->setObjectName(QStringLiteral("importChirps"));
  chirps_->setToolTip(
      tr("Short chirps before and after each sweep, as the stimulus file has them: all takes of "
         "the session get one time."));
  sweep->addWidget(chirps_, 2, 2, 1, 2);
  chirp_distance_ = new QDoubleSpinBox(sweep_box_);
  chirp_distance_->setObjectName(QStringLiteral("importChirpDistance"));
  chirp_distance_->setRange(0.0, 30.0);
  chirp_distance_->setDecimals(3);
  chirp_distance_->setPrefix(tr("from "));
  chirp_distance_->setSuffix(tr(" m"));
  chirp_distance_->setSpecialValueText(tr("distance untold"));
  chirp_distance_->setEnabled(false);
  chirp_distance_->setButtonSymbols(QAbstractSpinBox::NoButtons);
  sweep->addWidget(chirp_distance_, 2, 4, 1, 2);
  sweep_box_->hide();
  layout->addWidget(sweep_box_);
}

void ImportSheet::setTheme(const Theme& theme) {
  theme_ = theme;
  preview_curve_->setTheme(theme);
}

void ImportSheet::leave() {
  session_.work().stop(work_id_);
  work_id_ = 0;
  reading_ = false;
  hide();
}

/// The chosen item as the score will draw it.
void ImportSheet::showCurve() {
  const QTreeWidgetItem* row = list_->currentItem();
  if (row != nullptr && row->parent() != nullptr) row = row->parent();
  const QVariant place = row == nullptr ? QVariant() : row->data(0, Qt::UserRole);
  const ImportItem* item =
      place.isValid() ? &preview_.items[static_cast<std::size_t>(place.toULongLong())] : nullptr;
  preview_curve_->setVisible(item != nullptr && item->curve.has_value());
  if (item == nullptr || !item->curve) return;
  LaidTake laid{.take = item->take, .variant_name = {}, .analysis = nullptr};
  laid.take.id = 1;
  laid.take.colour = 0;
  const bool absolute = item->stage ? item->stage->calibrated : !item->calibration;
  laid.analysis = std::make_shared<const Analysis>(
      Analysis{.curve = *item->curve, .calibrated = absolute, .notes = {}});
  const char* kind = item->take.kind() == TakeKind::kImpedance ? "impedance" : "level";
  preview_curve_->setContent(lane_kind(kind)->build({laid}, 1));
}

ImportChoices ImportSheet::choices() const {
  ImportChoices choices;
  choices.split = true;
  if (kind_->currentIndex() == 1) choices.kind = ColumnKind::kResponse;
  if (kind_->currentIndex() == 2) choices.kind = ColumnKind::kImpedance;
  if (sound_->currentIndex() == 1) {
    choices.stimulus = Stimulus{sweep_[0]->value(), sweep_[1]->value(), sweep_[2]->value(),
                                sweep_[3]->value(), 1.0};
    const auto times = static_cast<int>(sweep_[4]->value());
    if (times > 1 && sweep_[5]->value() >= sweep_[2]->value()) {
      choices.stimulus->repeats = times;
      choices.stimulus->period_s = sweep_[5]->value();
    }
    if (chirps_->isChecked()) {
      choices.stimulus->chirps.count = kUsualChirps;
      choices.chirp_distance_m = chirp_distance_->value();
    }
    choices.loopback_channel = loopback_->currentIndex() == 1 ? 1 : -1;
  }
  return choices;
}

void ImportSheet::open(const QStringList& paths) {
  paths_ = paths;
  bool text = false;
  bool sound = false;
  for (const QString& path : paths) {
    const bool is_sound = path.endsWith(QLatin1String(".wav"), Qt::CaseInsensitive) ||
                          path.endsWith(QLatin1String(".flac"), Qt::CaseInsensitive);
    (is_sound ? sound : text) = true;
  }
  kind_->setVisible(text);
  sound_->setVisible(sound);
  QWidget::show();
  raise();
  read();
}

void ImportSheet::read() {
  reading_ = true;
  take_->setEnabled(false);
  preview_curve_->hide();
  progress_->setValue(0);
  progress_->show();
  session_.work().stop(work_id_);
  title_->setText(tr("Reading…"));
  std::vector<std::filesystem::path> paths;
  for (const QString& path : paths_) paths.emplace_back(path.toStdString());
  const WorkSpec spec{WorkKind::kJob, WorkScope::kBook, [this](double share) {
                        progress_->setValue(static_cast<int>(share * 1000.0));
                      }};
  const int reading = ++reading_number_;
  work_id_ = session_.work().start<ImportPreview>(
      this, spec,
      [paths, choices = choices()](const WorkContext& context) -> Result<ImportPreview> {
        auto preview =
            preview_import(paths, choices, context.stop, context.progress, context.parallel);
        if (context.stop.stop_requested()) return cancelled();
        return preview;
      },
      [this, reading](Result<ImportPreview> preview) {
        // Read again with other choices meanwhile, or put away.
        if (reading != reading_number_) return;
        if (preview)
          show(std::move(*preview));
        else
          leave();
      });
}

void ImportSheet::show(ImportPreview preview) {
  reading_ = false;
  progress_->hide();
  preview_ = std::move(preview);
  list_->clear();
  int usable = 0;
  for (std::size_t i = 0; i < preview_.items.size(); ++i) {
    const ImportItem& item = preview_.items[i];
    auto* row = new QTreeWidgetItem(
        list_, {QString::fromStdString(item.file), QString::fromStdString(item.understood)});
    row->setCheckState(0, Qt::Checked);
    row->setData(0, Qt::UserRole, static_cast<qulonglong>(i));
    for (const std::string& note : item.notes) {
      const QString text = QString::fromStdString(note);
      (new QTreeWidgetItem(row, {QString(), text}))
          ->setToolTip(1, text);  // often longer than a row
    }
    if (item.calibration)
      new QTreeWidgetItem(row, {QString(), tr("Taken out of the responses recorded from now on.")});
    ++usable;
    row->setExpanded(true);
  }
  for (const Error& problem : preview_.problems) {
    auto* row = new QTreeWidgetItem(
        list_,
        {QString::fromStdString(
             problem.where.empty() ? "" : std::filesystem::path(problem.where).filename().string()),
         QString::fromStdString(problem.message)});
    row->setForeground(1, QBrush(theme_.refuse));
    row->setToolTip(1, QString::fromStdString(problem.text()));
  }
  offerAngles();
  offerSources();
  const int problems = static_cast<int>(preview_.problems.size());
  title_->setText(
      usable > 0
          ? tr("%1 understood").arg(count_text(usable, tr("curve"), tr("curves"))) +
                (problems > 0
                     ? tr(", %1 not usable").arg(count_text(problems, tr("file"), tr("files")))
                     : QString())
          : tr("Nothing here can be taken. The book is as it was."));
  take_->setEnabled(usable > 0 && !session_.book().read_only());
  if (usable > 0) list_->setCurrentItem(list_->topLevelItem(0));
  showCurve();
  if (take_->isEnabled()) take_->setFocus();
}

void ImportSheet::takeWanted() {
  const Subject* subject = session_.subject(session_.chosenSubject());
  for (int i = 0; i < list_->topLevelItemCount(); ++i) {
    const QTreeWidgetItem* row = list_->topLevelItem(i);
    const QVariant place = row->data(0, Qt::UserRole);
    if (!place.isValid()) continue;
    ImportItem& item = preview_.items[static_cast<std::size_t>(place.toULongLong())];
    item.wanted = row->checkState(0) == Qt::Checked;
    const auto* box =
        qobject_cast<QComboBox*>(list_->itemWidget(list_->topLevelItem(i), kPlannedColumn));
    if (box == nullptr || subject == nullptr) continue;
    if (const QVariant source = box->currentData(); source.isValid())
      item.take.setup = NearFieldSetup{source.toString().toStdString(), near_mm_->value()};
    else if (box->currentIndex() > 0)
      become(item, planned_[static_cast<std::size_t>(box->currentIndex()) - 1],
             subject->drawing_mark);
  }
  ImportTarget target;
  if (const Take* chosen = session_.take(session_.chosenTake()))
    target = {chosen->subject_id, chosen->variant_id};
  else
    target.subject_id = session_.chosenSubject();
  // A set's recordings are many megabytes to hash and write: on the book's writer.
  reading_ = true;
  take_->setEnabled(false);
  title_->setText(tr("Taking into the book…"));
  ++reading_number_;  // a preview that is still being read must not come over this
  session_.work().start<std::vector<Id>>(
      this, {WorkKind::kWrite, WorkScope::kBook, {}},
      [writer = session_.writer(), preview = preview_, target](const WorkContext&) {
        return writer->run([&](Book& book) { return take_in(book, preview, target); });
      },
      [this](const Result<std::vector<Id>>& ids) {
        reading_ = false;
        finishTaking(ids);
      });
}

void ImportSheet::finishTaking(const Result<std::vector<Id>>& ids) {
  if (!ids && ids.error().code == ErrorCode::kCancelled) {
    // Another book was opened meanwhile; the one they were meant for has them.
    hide();
    return;
  }
  if (!ids) {
    title_->setText(QString::fromStdString(ids.error().text()));
    take_->setEnabled(true);
    return;
  }
  {
    const BookSession::Together together(session_);
    session_.reload();
    constexpr std::size_t kLaidAtOnce = 6;
    session_.setLaid({ids->begin(), ids->begin() + static_cast<std::ptrdiff_t>(
                                                       std::min(ids->size(), kLaidAtOnce))},
                     true);
  }
  for (const ImportItem& item : preview_.items) {
    if (item.calibration && item.wanted && item.curve)
      emit correctionTaken(QString::fromStdString(item.file), *item.curve, item.pa_per_unit);
  }
  hide();
  emit taken(static_cast<int>(ids->size()));
}

}  // namespace lalometer
