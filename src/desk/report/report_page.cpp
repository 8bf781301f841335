#include "desk/report/report_page.h"

#include <QCheckBox>
#include <QComboBox>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPlainTextEdit>
#include <QProgressBar>
#include <QPushButton>
#include <QSignalBlocker>

#include "desk/parts/page_parts.h"

namespace lalometer {
namespace {

constexpr ReportKind kKinds[] = {ReportKind::kReview, ReportKind::kDriver, ReportKind::kComparison,
                                 ReportKind::kCase};

QPlainTextEdit* text_box(const char* name, int lines, const QString& hint, QWidget* parent) {
  auto* box = new QPlainTextEdit(parent);
  box->setObjectName(QString::fromLatin1(name));
  box->setPlaceholderText(hint);
  box->setTabChangesFocus(true);
  box->setFixedHeight(20 * lines + 14);
  return box;
}

}  // namespace

ReportPage::ReportPage(ReportDesk& desk, const QList<QAction*>& actions, QWidget* parent)
    : QWidget(parent), desk_(desk) {
  setObjectName(QStringLiteral("reportPage"));
  auto* layout = scrolled_page(this, 6);
  layout->addWidget(role_label(tr("Report"), "title", this));
  basis_ = role_label({}, "quiet", this);
  basis_->setObjectName(QStringLiteral("reportBasis"));
  basis_->setWordWrap(true);
  layout->addWidget(basis_);
  makeChoices(layout);
  layout->addWidget(rule(this));
  makeWords(layout);
  layout->addWidget(rule(this));
  makeForms(layout);
  missing_ = role_label({}, "quiet", this);
  missing_->setObjectName(QStringLiteral("reportMissing"));
  missing_->setWordWrap(true);
  layout->addWidget(missing_);
  layout->addWidget(rule(this));
  layout->addWidget(role_label(tr("Other things to take with you"), "head", this));
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
  connect(&desk_, &ReportDesk::changed, this, &ReportPage::show);
  connect(&desk_, &ReportDesk::sentenceChosen, this, &ReportPage::chooseSentence);
  connect(&desk_, &ReportDesk::progressed, this,
          [this](double share) { progress_->setValue(static_cast<int>(1000 * share)); });
  show();
}

void ReportPage::makeChoices(QVBoxLayout* layout) {
  kind_ = new QComboBox(this);
  kind_->setObjectName(QStringLiteral("reportKind"));
  kind_->addItems({tr("Review of a loudspeaker"), tr("Driver sheet"), tr("Variants compared"),
                   tr("Findings with evidence")});
  layout->addWidget(kind_);
  connect(kind_, &QComboBox::activated, this, [this](int row) {
    ReportWish next = desk_.wish();
    next.kind = kKinds[std::max(row, 0)];
    desk_.change(next);
  });
  with_ = new QComboBox(this);
  with_->setObjectName(QStringLiteral("reportWith"));
  with_->setToolTip(tr("Its own variants, or another subject of the book."));
  layout->addWidget(with_);
  connect(with_, &QComboBox::activated, this, [this](int row) {
    ReportWish next = desk_.wish();
    next.with.clear();
    if (row > 0) next.with.push_back(with_->currentText().toStdString());
    desk_.change(next);
  });
  template_ = new QComboBox(this);
  template_->setObjectName(QStringLiteral("reportTemplate"));
  template_->setEditable(true);
  template_->setInsertPolicy(QComboBox::NoInsert);
  template_->lineEdit()->setPlaceholderText(tr("Template"));
  auto* like = new QHBoxLayout;
  like->addWidget(template_, 1);
  QPushButton* keep_like = add_button(like, tr("Keep"), "reportKeepTemplate",
                                      tr("Kind, sections and order under this name."), this);
  layout->addLayout(like);
  connect(template_, &QComboBox::activated, this, [this](int row) {
    const auto all = desk_.templates();
    if (row >= 0 && row < static_cast<int>(all.size()))
      desk_.change(like_template(all[static_cast<std::size_t>(row)], desk_.wish()));
  });
  connect(keep_like, &QPushButton::clicked, this, [this] {
    const std::string name = template_->currentText().trimmed().toStdString();
    if (!name.empty()) desk_.keepTemplate(name);
  });
  verdict_ = text_box("reportVerdict", 3, tr("Your verdict, on the first page"), this);
  layout->addWidget(verdict_);
  auto* keep = new QHBoxLayout;
  QPushButton* set = add_button(keep, tr("Set verdict"), "reportSetVerdict",
                                tr("Stands on the first page."), this);
  keep->addStretch(1);
  layout->addLayout(keep);
  connect(set, &QPushButton::clicked, this, [this] {
    ReportWish next = desk_.wish();
    next.verdict = verdict_->toPlainText().trimmed().toStdString();
    desk_.change(next);
  });
  layout->addWidget(role_label(tr("Sections"), "head", this));
  sections_ = new QListWidget(this);
  sections_->setObjectName(QStringLiteral("reportSections"));
  sections_->setFixedHeight(190);
  layout->addWidget(sections_);
  connect(sections_, &QListWidget::itemChanged, this, &ReportPage::keepSections);
  auto* row = new QHBoxLayout;
  QPushButton* up = add_button(row, tr("Up"), "reportUp", tr("Stands earlier."), this);
  QPushButton* down = add_button(row, tr("Down"), "reportDown", tr("Stands later."), this);
  row->addStretch(1);
  layout->addLayout(row);
  connect(up, &QPushButton::clicked, this, [this] { moveSection(-1); });
  connect(down, &QPushButton::clicked, this, [this] { moveSection(1); });
  iec_ = new QCheckBox(tr("Proportions of IEC 60263"), this);
  iec_->setObjectName(QStringLiteral("reportIec"));
  iec_->setToolTip(tr("25 dB as long as a decade of frequency, in figures of level."));
  layout->addWidget(iec_);
  connect(iec_, &QCheckBox::clicked, this, [this](bool on) {
    ReportWish next = desk_.wish();
    next.iec_proportions = on;
    desk_.change(next);
  });
}

void ReportPage::makeWords(QVBoxLayout* layout) {
  layout->addWidget(role_label(tr("In your own words"), "head", this));
  sentence_ = role_label({}, "quiet", this);
  sentence_->setObjectName(QStringLiteral("reportSentence"));
  sentence_->setWordWrap(true);
  layout->addWidget(sentence_);
  words_ = text_box("reportWords", 3, {}, this);
  layout->addWidget(words_);
  auto* row = new QHBoxLayout;
  keep_ = add_button(row, tr("Keep"), "reportKeepWords",
                     tr("Stands instead, and is marked when the figures change."), this);
  as_made_ =
      add_button(row, tr("As made"), "reportAsMade", tr("The sentence as it was made."), this);
  row->addStretch(1);
  layout->addLayout(row);
  connect(keep_, &QPushButton::clicked, this,
          [this] { desk_.reword(key_, words_->toPlainText().trimmed().toStdString()); });
  connect(as_made_, &QPushButton::clicked, this, [this] { desk_.reword(key_, {}); });
}

void ReportPage::makeForms(QVBoxLayout* layout) {
  auto* row = new QHBoxLayout;
  const struct {
    QString name;
    const char* object;
    QString tip;
    ReportForm form;
  } forms[] = {{tr("PDF…"), "reportPdf", tr("Vectors, fonts inside."), ReportForm::kPdf},
               {tr("Page…"), "reportHtml",
                tr("One HTML file that needs nothing else, with values under the pointer."),
                ReportForm::kHtml},
               {tr("Folder…"), "reportFolder",
                tr("Page, PDF, figures as SVG and PNG, the data, and the takes as a set."),
                ReportForm::kFolder}};
  for (const auto& one : forms) {
    forms_.push_back(add_button(row, one.name, one.object, one.tip, this));
    connect(forms_.back(), &QPushButton::clicked, this, [this, form = one.form] { save(form); });
  }
  row->addStretch(1);
  layout->addLayout(row);
  auto* wait = new QHBoxLayout;
  progress_ = new QProgressBar(this);
  progress_->setRange(0, 1000);
  progress_->setTextVisible(false);
  wait->addWidget(progress_, 1);
  stop_ = add_button(wait, tr("Stop"), "reportStop", tr("Ends it; nothing is lost."), this);
  connect(stop_, &QPushButton::clicked, &desk_, &ReportDesk::stop);
  layout->addLayout(wait);
}

void ReportPage::save(ReportForm form) {
  QString path;
  if (form == ReportForm::kFolder)
    path = QFileDialog::getExistingDirectory(this, tr("A folder for the report"));
  else if (form == ReportForm::kPdf)
    path = QFileDialog::getSaveFileName(this, tr("Save the report"), QStringLiteral("report.pdf"),
                                        tr("PDF (*.pdf)"));
  else
    path = QFileDialog::getSaveFileName(this, tr("Save the report"), QStringLiteral("report.html"),
                                        tr("Pages (*.html)"));
  if (!path.isEmpty()) desk_.write(form, path);
}

void ReportPage::show() {
  filling_ = true;
  const ReportWish& wish = desk_.wish();
  for (int i = 0; i < 4; ++i)
    if (kKinds[i] == wish.kind) kind_->setCurrentIndex(i);
  showOthers();
  const QString verdict = QString::fromStdString(wish.verdict);
  if (!verdict_->hasFocus() && verdict_->toPlainText().trimmed() != verdict)
    verdict_->setPlainText(verdict);
  iec_->setChecked(wish.iec_proportions);
  basis_->setText(!desk_.trouble().isEmpty() ? desk_.trouble()
                  : desk_.made() == nullptr
                      ? tr("Reading the takes…")
                      : tr("Each figure is what the command line tells of the same takes. Click a "
                           "sentence to write it yourself, a figure to see its score."));
  showSections();
  QStringList missing;
  if (desk_.made() != nullptr)
    for (const std::string& one : desk_.report().missing) missing << QString::fromStdString(one);
  missing_->setText(missing.isEmpty() ? QString() : tr("Not measured:\n") + missing.join('\n'));
  for (QPushButton* form : forms_) form->setEnabled(desk_.made() != nullptr && !desk_.busy());
  progress_->setVisible(desk_.busy());
  stop_->setVisible(desk_.busy());
  filling_ = false;
  chooseSentence(QString::fromStdString(key_));
}

/// Subjects to compare with, and templates.
void ReportPage::showOthers() {
  const ReportWish& wish = desk_.wish();
  with_->setVisible(wish.kind == ReportKind::kComparison);
  {
    const QSignalBlocker quiet(with_);
    with_->clear();
    with_->addItem(tr("its own variants"));
    for (const std::string& name : desk_.otherSubjects())
      with_->addItem(QString::fromStdString(name));
    if (!wish.with.empty()) with_->setCurrentText(QString::fromStdString(wish.with.front()));
  }
  QStringList names;
  for (const ReportTemplate& t : desk_.templates()) names << QString::fromStdString(t.name);
  QStringList before;
  for (int i = 0; i < template_->count(); ++i) before << template_->itemText(i);
  if (names == before) return;
  const QSignalBlocker quiet(template_);
  const QString text = template_->currentText();
  template_->clear();
  template_->addItems(names);
  template_->setCurrentText(text);
}

void ReportPage::showSections() {
  const int row = sections_->currentRow();
  const QSignalBlocker quiet(sections_);
  sections_->clear();
  if (desk_.made() == nullptr) return;
  // All of them, those left out unticked, in the user's order.
  ReportWish whole = desk_.wish();
  whole.left_out.clear();
  const auto& out = desk_.wish().left_out;
  for (const ReportSection& s : report_chosen(desk_.made()->report, whole).sections) {
    auto* item = new QListWidgetItem(QString::fromStdString(s.title), sections_);
    item->setData(Qt::UserRole, QString::fromStdString(s.id));
    item->setFlags(item->flags() | Qt::ItemIsUserCheckable);
    item->setCheckState(std::find(out.begin(), out.end(), s.id) == out.end() ? Qt::Checked
                                                                             : Qt::Unchecked);
  }
  sections_->setCurrentRow(row);
}

void ReportPage::keepSections() {
  if (filling_) return;
  ReportWish next = desk_.wish();
  next.left_out.clear();
  next.order.clear();
  for (int i = 0; i < sections_->count(); ++i) {
    const QListWidgetItem* item = sections_->item(i);
    const std::string id = item->data(Qt::UserRole).toString().toStdString();
    next.order.push_back(id);
    if (item->checkState() != Qt::Checked) next.left_out.push_back(id);
  }
  desk_.change(next);
}

void ReportPage::moveSection(int by) {
  const int row = sections_->currentRow();
  if (row < 0 || row + by < 0 || row + by >= sections_->count()) return;
  {
    const QSignalBlocker quiet(sections_);
    sections_->insertItem(row + by, sections_->takeItem(row));
    sections_->setCurrentRow(row + by);
  }
  keepSections();
}

void ReportPage::chooseSentence(const QString& key) {
  const bool another = key.toStdString() != key_;
  key_ = key.toStdString();
  const ReportSentence* found = nullptr;
  for (const ReportSection& s : desk_.report().sections)
    for (const ReportBlock& block : s.blocks)
      if (const auto* sentence = std::get_if<ReportSentence>(&block);
          sentence != nullptr && sentence->key == key_)
        found = sentence;
  words_->setEnabled(found != nullptr);
  keep_->setEnabled(found != nullptr);
  as_made_->setEnabled(found != nullptr && found->own.has_value());
  if (found == nullptr) {
    sentence_->setText(tr("Click a sentence of the report."));
    words_->clear();
    return;
  }
  sentence_->setText(found->outdated ? tr("Made of other figures; now it would say: %1")
                                           .arg(QString::fromStdString(found->text))
                     : found->own ? tr("As made: %1").arg(QString::fromStdString(found->text))
                                  : tr("As made."));
  if (another || !words_->hasFocus()) words_->setPlainText(QString::fromStdString(found->shown()));
}

}  // namespace lalometer
