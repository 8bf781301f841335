#include "desk/impedance/series_desk.h"

#include <QComboBox>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QSaveFile>
#include <QTableWidget>
#include <QVBoxLayout>

#include "base/text.h"
#include "desk/parts/curve_preview.h"
#include "desk/parts/page_parts.h"
#include "workbench/studies/what_changed.h"
#include "workbench/telling/comparison_told.h"

namespace lalometer {

SeriesDesk::SeriesDesk(BookSession& session, QWidget* parent) : QWidget(parent), session_(session) {
  setObjectName(QStringLiteral("seriesDesk"));
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(14, 10, 14, 10);
  column->setSpacing(8);
  auto* head = new QHBoxLayout;
  head->addWidget(role_label(tr("Side by side"), "title", this));
  by_ = new QComboBox(this);
  by_->setObjectName(QStringLiteral("seriesBy"));
  by_->addItems({tr("variants"), tr("samples")});
  by_->setToolTip(tr("What differs: states of the box, or several drivers of one kind."));
  head->addWidget(by_);
  summary_ = role_label({}, "quiet", this);
  summary_->setObjectName(QStringLiteral("seriesSummary"));
  head->addWidget(summary_, 1);
  progress_ = new QProgressBar(this);
  progress_->setRange(0, 1000);
  progress_->setTextVisible(false);
  progress_->setFixedWidth(120);
  stop_button_ = new QPushButton(tr("Stop"), this);
  head->addWidget(progress_);
  head->addWidget(stop_button_);
  save_ = new QPushButton(tr("Save the table…"), this);
  save_->setObjectName(QStringLiteral("seriesSave"));
  save_->setToolTip(tr("As CSV or JSON."));
  head->addWidget(save_);
  column->addLayout(head);
  addAims(column);
  empty_ = role_label({}, "quiet", this);
  empty_->setObjectName(QStringLiteral("seriesEmpty"));
  column->addWidget(empty_);
  strip_ = new SeriesStrip(this);
  column->addWidget(strip_, 2);
  table_ = new QTableWidget(this);
  table_->setObjectName(QStringLiteral("seriesTable"));
  table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
  table_->setShowGrid(false);
  table_->setSelectionMode(QAbstractItemView::NoSelection);
  table_->verticalHeader()->setDefaultSectionSize(22);
  table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
  column->addWidget(table_, 5);
  words_ = new QLabel(this);
  words_->setObjectName(QStringLiteral("seriesWords"));
  words_->setWordWrap(true);
  words_->setTextFormat(Qt::RichText);
  words_->setAlignment(Qt::AlignTop | Qt::AlignLeft);
  overlay_ = new CurvePreview(this);
  overlay_->setObjectName(QStringLiteral("seriesOverlay"));
  overlay_->setCompact(10.0, 20000.0);
  auto* below = new QHBoxLayout;
  below->setSpacing(14);
  below->addWidget(overlay_, 1);
  below->addWidget(words_, 1);
  column->addLayout(below, 3);

  connect(by_, &QComboBox::activated, this, [this] { follow(); });
  connect(strip_, &SeriesStrip::looked, this, &SeriesDesk::look);
  connect(strip_, &SeriesStrip::referenceAsked, this, &SeriesDesk::setReference);
  connect(table_->horizontalHeader(), &QHeaderView::sectionClicked, this, &SeriesDesk::look);
  connect(stop_button_, &QPushButton::clicked, this, [this] { session_.work().stop(work_id_); });
  connect(save_, &QPushButton::clicked, this, &SeriesDesk::save);
  connect(&session_, &BookSession::rowsChanged, this, &SeriesDesk::follow);
  connect(&session_, &BookSession::laidChanged, this, &SeriesDesk::follow);
  fill();
}

/// What the ranking counts, by buttons.
void SeriesDesk::addAims(QVBoxLayout* column) {
  auto* ranked = new QHBoxLayout;
  ranked->addWidget(role_label(tr("rank by"), "quiet", this));
  const SeriesOptions usual;
  for (const SeriesAim aim : {SeriesAim::kSmoothness, SeriesAim::kExtension, SeriesAim::kOutput,
                              SeriesAim::kDecay, SeriesAim::kLoad}) {
    auto* button = new QPushButton(QString::fromLatin1(word_of(aim)), this);
    button->setObjectName(QStringLiteral("seriesAim-") + button->text());
    button->setCheckable(true);
    button->setChecked(std::find(usual.aims.begin(), usual.aims.end(), aim) != usual.aims.end());
    button->setProperty("aim", static_cast<int>(aim));
    connect(button, &QPushButton::clicked, this, &SeriesDesk::follow);
    ranked->addWidget(button);
    aims_.push_back(button);
  }
  ranked->addStretch(1);
  column->addLayout(ranked);
}

void SeriesDesk::setTheme(const Theme& theme) {
  theme_ = theme;
  strip_->setTheme(theme);
  overlay_->setTheme(theme);
  fill();
}

void SeriesDesk::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  follow();
}

/// Works anew only where something that matters has changed, and only while somebody looks.
void SeriesDesk::follow() {
  if (!isVisible() || !session_.isOpen()) return;
  const Id subject = session_.chosenSubject();
  QString what = QStringLiteral("%1 %2 %3")
                     .arg(subject)
                     .arg(by_->currentIndex())
                     .arg(QString::fromStdString(session_.loadingOf(subject)));
  for (const Take& t : session_.takes()) {
    if (t.subject_id == subject)
      what += QStringLiteral("|%1 %2 %3").arg(t.id).arg(t.variant_id).arg(t.rig_id);
  }
  for (const Variant& v : session_.variants())
    what += QString::fromStdString(v.name + '/' + v.changed);
  for (const SeriesAim aim : aims())
    what += QLatin1Char('#') + QString::number(static_cast<int>(aim));
  if (what == shown_) return;
  shown_ = what;
  start();
}

std::vector<SeriesAim> SeriesDesk::aims() const {
  std::vector<SeriesAim> asked;
  for (const QPushButton* button : aims_)
    if (button->isChecked())
      asked.push_back(static_cast<SeriesAim>(button->property("aim").toInt()));
  return asked;
}

void SeriesDesk::start() {
  if (running_) {
    again_ = true;
    session_.work().stop(work_id_);
    return;
  }
  SeriesOptions wish;
  wish.subject = session_.chosenSubject();
  wish.by_sample = by_->currentIndex() == 1;
  wish.loading = session_.loadingOf(wish.subject);
  wish.aims = aims();
  for (const Take& t : session_.takes()) {
    if (t.subject_id == wish.subject) wish.takes.push_back(t);
  }
  for (const Variant& v : session_.variants()) {
    if (v.subject_id == wish.subject) wish.variants.push_back(v);
  }
  running_ = true;
  work_id_ = session_.work().start<SeriesStudy>(
      this,
      {WorkKind::kJob, WorkScope::kBook,
       [this](double share) { progress_->setValue(static_cast<int>(1000 * share)); }},
      [wish = std::move(wish),
       source = session_.curveSource(session_.chosenSubject())](const WorkContext& context) {
        return study_series(wish, source, context.stop, context.progress, context.parallel);
      },
      [this](Result<SeriesStudy> result) {
        running_ = false;
        study_.reset();
        trouble_.clear();
        if (result)
          study_ = std::move(*result);
        else if (result.error().code != ErrorCode::kCancelled)
          trouble_ = QString::fromStdString(result.error().text());
        else
          shown_.clear();
        reference_ = 0;
        looked_at_ = 1;
        fill();
        if (std::exchange(again_, false)) start();
      });
  fill();
}

void SeriesDesk::setReference(int member) {
  if (!study_ || member < 0 || member >= static_cast<int>(study_->comparison.members.size()))
    return;
  reference_ = static_cast<std::size_t>(member);
  if (looked_at_ == reference_) looked_at_ = reference_ == 0 ? 1 : 0;
  fill();
}

void SeriesDesk::look(int member) {
  if (!study_ || member < 0 || member >= static_cast<int>(study_->comparison.members.size()))
    return;
  looked_at_ = static_cast<std::size_t>(member);
  fill();
}

void SeriesDesk::fill() {
  progress_->setVisible(running_);
  stop_button_->setVisible(running_);
  const bool has = study_.has_value();
  for (QWidget* w : {static_cast<QWidget*>(strip_), static_cast<QWidget*>(overlay_),
                     static_cast<QWidget*>(table_), static_cast<QWidget*>(words_)})
    w->setVisible(has);
  save_->setEnabled(has);
  empty_->setVisible(!has);
  empty_->setText(running_ ? tr("Reading the takes…")
                           : trouble_ + QLatin1Char(' ') +
                                 tr("A series needs the same take of at least two: change one "
                                    "thing, take again, and look here."));
  summary_->setText(
      has ? tr("%1 of them; levels closer than %2 dB count as alike (%3)")
                .arg(study_->comparison.members.size())
                .arg(study_->comparison.repeat_db, 0, 'f', 2)
                .arg(study_->comparison.repeat_measured ? tr("from repeats") : tr("usual"))
          : QString());
  strip_->setStudy(has ? &*study_ : nullptr, reference_, looked_at_);
  overlay_->setContent(has ? std::optional(study_->overlay) : std::nullopt);
  if (!has) return;
  fillTable();
  fillWords();
}

namespace {

struct TableRow {
  QString name;
  std::string key;
};

/// What any of the members tells, in the order people look at it.
std::vector<TableRow> rows_of(const std::vector<MemberFigures>& members) {
  std::vector<TableRow> rows;
  for (const MemberFigures& m : members) {
    for (const ReadFigure& f : m.impedance) {
      if (std::none_of(rows.begin(), rows.end(), [&](const TableRow& r) { return r.key == f.key; }))
        rows.push_back({QString::fromStdString(f.name), f.key});
    }
  }
  rows.push_back({SeriesDesk::tr("ripple"), "loops"});
  const auto any = [&](auto told) { return std::any_of(members.begin(), members.end(), told); };
  if (any([](const MemberFigures& m) { return m.level_db.has_value(); }))
    rows.push_back({SeriesDesk::tr("output"), "output"});
  if (any([](const MemberFigures& m) { return m.roughness_db.has_value(); }))
    rows.push_back({SeriesDesk::tr("roughness"), "roughness"});
  if (any([](const MemberFigures& m) { return m.f6_hz.has_value(); }))
    rows.push_back({SeriesDesk::tr("F6"), "f6"});
  return rows;
}

/// A member's cell: its text, and whether it really differs from the reference.
struct Cell {
  QString text = QStringLiteral("–");
  bool real = false;
  QString tip = {};
};
Cell cell_of(const MemberFigures& m, const MemberFigures& base, const std::string& key,
             double repeat_db) {
  Cell cell;
  if (key == "loops") {
    QStringList loops;
    for (const Wiggle& w : m.wiggles)
      loops.push_back(QStringLiteral("%1 %2 %")
                          .arg(QString::fromStdString(frequency_text(w.frequency_hz.value)))
                          .arg(w.height_percent, 0, 'f', 1));
    cell.tip = cell.text =
        loops.isEmpty() ? SeriesDesk::tr("none") : loops.join(QStringLiteral(", "));
  } else if (key == "output" && m.level_db) {
    cell.text = QStringLiteral("%1 dB").arg(m.level_db->value, 0, 'f', 1);
    cell.real = base.level_db && std::abs(m.level_db->value - base.level_db->value) > repeat_db;
  } else if (key == "roughness" && m.roughness_db) {
    cell.text = QStringLiteral("%1 dB").arg(*m.roughness_db, 0, 'f', 2);
  } else if (key == "f6" && m.f6_hz) {
    cell.text = QString::fromStdString(frequency_text(*m.f6_hz));
  } else if (const ReadFigure* f = figure_of(m, key)) {
    cell.text =
        QString::fromStdString(with_uncertainty(f->value, f->unit == "ohm" ? "Ω" : f->unit));
    const ReadFigure* other = figure_of(base, key);
    cell.real = other != nullptr && differ(f->value, other->value);
    if (cell.real && &m != &base)
      cell.text +=
          f->value.value > other->value.value ? QStringLiteral("  ▲") : QStringLiteral("  ▼");
  }
  return cell;
}

/// What was varied crosswise: a cell for each pair of levels, and what it means below.
QString html_of(const FactorTable& t) {
  const auto text = [](const std::string& s) { return QString::fromStdString(s).toHtmlEscaped(); };
  QString html =
      QStringLiteral(
          "<br><b>%1, %2</b><table cellspacing='0' cellpadding='3'><tr><td>%3 \\ %4</td>")
          .arg(text(word_of(t.aim)), text(t.unit), text(t.row_name), text(t.column_name));
  for (const std::string& level : t.column_levels)
    html += QStringLiteral("<td align='right'>%1</td>").arg(text(level));
  for (std::size_t r = 0; r < t.cells.size(); ++r) {
    html += QStringLiteral("</tr><tr><td>%1</td>").arg(text(t.row_levels[r]));
    for (const std::optional<double>& cell : t.cells[r])
      html += QStringLiteral("<td align='right'>%1</td>")
                  .arg(cell ? QString::number(*cell, 'f', 2) : QStringLiteral("–"));
  }
  return html + QStringLiteral("</tr></table>") + text(t.told);
}

}  // namespace

void SeriesDesk::fillTable() {
  const auto& members = study_->comparison.members;
  table_->clear();
  table_->setColumnCount(static_cast<int>(members.size()));
  QStringList heads;
  for (const MemberFigures& m : members) heads.push_back(QString::fromStdString(m.name));
  table_->setHorizontalHeaderLabels(heads);
  const std::vector<TableRow> rows = rows_of(members);
  table_->setRowCount(static_cast<int>(rows.size()));
  QStringList names;
  for (const TableRow& r : rows) names.push_back(r.name);
  table_->setVerticalHeaderLabels(names);
  for (int c = 0; c < table_->columnCount(); ++c) {
    const auto member = static_cast<std::size_t>(c);
    const bool own = member == reference_;
    for (int r = 0; r < table_->rowCount(); ++r) {
      const Cell cell =
          cell_of(members[member], members[reference_], rows[static_cast<std::size_t>(r)].key,
                  study_->comparison.repeat_db);
      auto* item = new QTableWidgetItem(cell.text);
      item->setForeground(own || cell.real ? theme_.ink : theme_.quiet);
      item->setFont(text_font(12, cell.real && !own));
      if (member == looked_at_) item->setBackground(theme_.accent_soft);
      item->setToolTip(!cell.tip.isEmpty() ? cell.tip
                       : own ? tr("The reference: Ctrl+click a picture to choose another.")
                       : cell.real
                           ? tr("Differs from the reference by more than both uncertainties.")
                           : tr("Within uncertainty and repeat error of the reference."));
      table_->setItem(r, c, item);
    }
  }
  table_->resizeColumnsToContents();
  for (int c = 0; c < table_->columnCount(); ++c)
    table_->setColumnWidth(c, std::clamp(table_->columnWidth(c) + 12, 120, 190));
}

void SeriesDesk::fillWords() {
  const SeriesComparison& s = study_->comparison;
  const MemberFigures& from = s.members[reference_];
  const MemberFigures& to = s.members[looked_at_];
  const auto text = [](const std::string& t) { return QString::fromStdString(t).toHtmlEscaped(); };
  QString html;
  if (looked_at_ != reference_) {
    html = tr("<b>From %1 to %2:</b>").arg(text(from.name), text(to.name));
    html += QLatin1Char(' ') + text(in_words(what_changed(from, to, s.repeat_db, s.driver_fs_hz)));
  }
  // Samples are matched, not ranked.
  const bool alike = std::all_of(s.ranking.begin(), s.ranking.end(), [&](const RankLine& l) {
    return l.score == s.ranking.front().score;
  });
  if (!s.ranking.empty() && by_->currentIndex() == 0) {
    html +=
        alike ? tr("<br><b>Ranking:</b> all alike within repeat error") : tr("<br><b>Ranking:</b>");
    int place = 0;
    double before = -1.0;
    for (std::size_t i = 0; i < s.ranking.size() && !alike; ++i) {
      const RankLine& line = s.ranking[i];
      if (line.score > before) place = static_cast<int>(i) + 1;
      before = line.score;
      html += QStringLiteral("<br>%1. %2").arg(place).arg(text(s.members[line.member].name));
    }
    for (const RankLine& line : s.ranking) {
      QStringList reasons;
      for (const std::string& reason : line.reasons) reasons.push_back(text(reason));
      html += QStringLiteral("<br><span style='font-size:11px'>%1: %2</span>")
                  .arg(text(s.members[line.member].name), reasons.join(QStringLiteral(", ")));
    }
  }
  if (s.nearest_pair && by_->currentIndex() == 1) {
    const PairDifference& p = s.pairs[*s.nearest_pair];
    html += tr("<br><b>Best pair:</b> %1 and %2.")
                .arg(text(s.members[p.a].name), text(s.members[p.b].name));
  }
  if (s.odd_one_out && by_->currentIndex() == 1)
    html += tr(" <b>Odd one out:</b> %1.").arg(text(s.members[*s.odd_one_out].name));
  for (const FactorTable& t : study_->factors) html += html_of(t);
  for (const std::string& note : s.notes) html += QStringLiteral("<br>") + text(note);
  words_->setText(html);
}

void SeriesDesk::save() {
  if (!study_) return;
  const QString path = QFileDialog::getSaveFileName(
      this, tr("Save the table"), tr("side-by-side.csv"), tr("Tables (*.csv);;JSON (*.json)"));
  if (path.isEmpty()) return;
  const bool json = path.endsWith(QLatin1String(".json"));
  const std::string text =
      json ? json_text(told_of(study_->comparison), 2) : comparison_csv(study_->comparison);
  QSaveFile file(path);
  if (!file.open(QIODevice::WriteOnly) || file.write(QByteArray::fromStdString(text)) < 0 ||
      !file.commit())
    emit failed(tr("%1 could not be written: %2").arg(path, file.errorString()));
}

}  // namespace lalometer
