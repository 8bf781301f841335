#include "desk/chart/chart_page.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFileDialog>
#include <QFileInfo>
#include <QGridLayout>
#include <QLineEdit>
#include <QPushButton>
#include <QSpinBox>

#include "base/text.h"
#include "desk/parts/page_parts.h"

namespace lalometer {

ChartDeskPage::ChartDeskPage(BookSession& session, ChartDesk& desk, QWidget* parent)
    : QWidget(parent), session_(session), desk_(desk) {
  setObjectName(QStringLiteral("chartPage"));
  auto* layout = scrolled_page(this, 8);
  QWidget* inside = layout->parentWidget();
  layout->addWidget(role_label(tr("Published curve"), "title", inside));
  layout->addWidget(
      role_label(tr("Trace the chart of a datasheet or a test, and hold what was measured against "
                    "it. The picture stays in the book."),
                 "quiet", inside));
  auto* file = new QHBoxLayout;
  QPushButton* open = add_button(file, tr("Open a picture…"), "chartOpen",
                                 tr("PNG, JPEG, or a page of a PDF."), inside);
  page_ = new QSpinBox(inside);
  page_->setObjectName(QStringLiteral("chartPageNumber"));
  page_->setPrefix(tr("page "));
  page_->setRange(1, 1);
  file->addWidget(page_);
  layout->addLayout(file);
  layout->addWidget(rule(inside));
  makeScales(layout, inside);
  layout->addWidget(rule(inside));
  makeSheet(layout, inside);
  state_ = role_label({}, "plain", inside);
  state_->setObjectName(QStringLiteral("chartState"));
  state_->setWordWrap(true);
  layout->addWidget(state_);
  auto* steps = new QHBoxLayout;
  keep_ = add_button(steps, tr("Keep as a curve"), "chartKeep",
                     tr("Onto the shelf and the score, beside what was measured."), inside);
  keep_->setProperty("main", true);
  QPushButton* again = add_button(steps, tr("Clear the trace"), "chartClear",
                                  tr("The scales stay as they are."), inside);
  layout->addLayout(steps);
  layout->addStretch(1);
  connect(open, &QPushButton::clicked, this, [this] {
    const QString path = QFileDialog::getOpenFileName(this, tr("Picture of a chart"), {},
                                                      tr("Charts (*.png *.jpg *.jpeg *.pdf)"));
    if (!path.isEmpty()) desk_.openFile(path);
  });
  connect(page_, &QSpinBox::valueChanged, &desk_, &ChartDesk::showPage);
  connect(keep_, &QPushButton::clicked, this, [this] { desk_.keep(told()); });
  connect(again, &QPushButton::clicked, &desk_, &ChartDesk::clearTrace);
  connect(&desk_, &ChartDesk::changed, this, &ChartDeskPage::show);
  show();
}

void ChartDeskPage::makeScales(QVBoxLayout* layout, QWidget* inside) {
  layout->addWidget(role_label(tr("Scales"), "head", inside));
  layout->addWidget(role_label(tr("Drag the dashed lines onto two known frequencies and two known "
                                  "levels, and type what they stand for."),
                               "quiet", inside));
  auto* grid = new QGridLayout;
  const char* hz_names[] = {"chartHz1", "chartHz2"};
  const char* level_names[] = {"chartLevel1", "chartLevel2"};
  for (int k = 0; k < 2; ++k) {
    hz_[k] = number_box(hz_names[k], 0.1, 200000.0, k == 0 ? 100.0 : 10000.0, 1, tr("Hz"), inside);
    level_[k] =
        number_box(level_names[k], -200.0, 10000.0, k == 0 ? 60.0 : 90.0, 1, QString(), inside);
    grid->addWidget(hz_[k], 0, k);
    grid->addWidget(level_[k], 1, k);
    connect(hz_[k], &QDoubleSpinBox::valueChanged, this, &ChartDeskPage::tellAxes);
    connect(level_[k], &QDoubleSpinBox::valueChanged, this, &ChartDeskPage::tellAxes);
  }
  log_hz_ = new QCheckBox(tr("logarithmic"), inside);
  log_hz_->setChecked(true);
  log_level_ = new QCheckBox(tr("logarithmic"), inside);
  grid->addWidget(log_hz_, 0, 2);
  grid->addWidget(log_level_, 1, 2);
  layout->addLayout(grid);
  connect(log_hz_, &QCheckBox::toggled, this, &ChartDeskPage::tellAxes);
  connect(log_level_, &QCheckBox::toggled, this, &ChartDeskPage::tellAxes);
}

void ChartDeskPage::makeSheet(QVBoxLayout* layout, QWidget* inside) {
  layout->addWidget(role_label(tr("What the sheet tells"), "head", inside));
  name_ = new QLineEdit(tr("Datasheet"), inside);
  name_->setObjectName(QStringLiteral("chartName"));
  layout->addWidget(name_);
  what_ = new QComboBox(inside);
  what_->setObjectName(QStringLiteral("chartWhat"));
  what_->addItems({tr("response, dB"), tr("impedance, ohm")});
  layout->addWidget(what_);
  smoothing_ = new QComboBox(inside);
  smoothing_->setObjectName(QStringLiteral("chartSmoothing"));
  for (const int n : {0, 1, 3, 6, 12, 24})
    smoothing_->addItem(n == 0 ? tr("smoothing not told") : tr("smoothed 1/%1 octave").arg(n), n);
  layout->addWidget(smoothing_);
  drive_told_ = new QCheckBox(tr("drive and distance are told"), inside);
  drive_told_->setObjectName(QStringLiteral("chartDriveTold"));
  drive_told_->setToolTip(tr("Else its level is free: only its shape is compared."));
  layout->addWidget(drive_told_);
  auto* row = new QHBoxLayout;
  drive_ = number_box("chartDrive", 0.01, 200.0, 2.83, 2, tr("V"), inside);
  distance_ = number_box("chartDistance", 0.05, 30.0, 1.0, 2, tr("m"), inside);
  row->addWidget(drive_);
  row->addWidget(distance_);
  layout->addLayout(row);
  for (QWidget* w : {static_cast<QWidget*>(drive_), static_cast<QWidget*>(distance_)}) {
    w->setEnabled(false);
    connect(drive_told_, &QCheckBox::toggled, w, &QWidget::setEnabled);
  }
  connect(what_, &QComboBox::currentIndexChanged, this, &ChartDeskPage::show);
}

ChartDesk::Told ChartDeskPage::told() const {
  ChartDesk::Told t;
  t.name = name_->text().trimmed().isEmpty() ? tr("Datasheet") : name_->text().trimmed();
  t.impedance = what_->currentIndex() == 1;
  t.smoothing = smoothing_->currentData().toInt();
  t.drive_told = drive_told_->isChecked();
  if (t.drive_told) {
    t.drive_v = drive_->value();
    t.distance_m = distance_->value();
  }
  return t;
}

void ChartDeskPage::tellAxes() {
  ChartAxes axes = desk_.axes();
  axes.across.first_value = hz_[0]->value();
  axes.across.second_value = hz_[1]->value();
  axes.across.logarithmic = log_hz_->isChecked();
  axes.up.first_value = level_[0]->value();
  axes.up.second_value = level_[1]->value();
  axes.up.logarithmic = log_level_->isChecked();
  desk_.setAxes(axes);
}

void ChartDeskPage::show() {
  const ChartAxes& axes = desk_.axes();
  const std::pair<QDoubleSpinBox*, double> values[] = {{hz_[0], axes.across.first_value},
                                                       {hz_[1], axes.across.second_value},
                                                       {level_[0], axes.up.first_value},
                                                       {level_[1], axes.up.second_value}};
  if (desk_.hasPicture()) {
    for (const auto& [box, value] : values) {
      const QSignalBlocker quiet(box);
      box->setValue(value);
    }
    const QSignalBlocker quiet_hz(log_hz_);
    const QSignalBlocker quiet_level(log_level_);
    log_hz_->setChecked(axes.across.logarithmic);
    log_level_->setChecked(axes.up.logarithmic);
  }
  for (QDoubleSpinBox* box : level_)
    box->setSuffix(QChar(0x202F) + (what_->currentIndex() == 1 ? tr("ohm") : tr("dB")));
  const QSignalBlocker quiet(page_);
  page_->setRange(1, desk_.pages());
  page_->setValue(desk_.page());
  page_->setVisible(desk_.pages() > 1);
  const QString trouble = desk_.trouble();
  keep_->setEnabled(trouble.isEmpty() && session_.isOpen());
  keep_->setText(desk_.take() != 0 ? tr("Keep the correction") : tr("Keep as a curve"));
  state_->setText(!trouble.isEmpty()
                      ? trouble
                      : tr("%1 points from %2 to %3. Drag along the curve where it went astray.")
                            .arg(desk_.points().size())
                            .arg(QString::fromStdString(frequency_text(
                                     axes.across.value_at(desk_.points().front().x_px))),
                                 QString::fromStdString(frequency_text(
                                     axes.across.value_at(desk_.points().back().x_px)))));
}

}  // namespace lalometer
