#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QLineEdit>
#include <QProgressBar>
#include <QPushButton>
#include <QSpinBox>

#include "desk/capture/capture_page.h"
#include "desk/parts/page_parts.h"
#include "workbench/practice/demo_book.h"

/// What stands on the capture page.
namespace lalometer {

/// What is taken, how, and of what.
void CapturePage::makeForm(QVBoxLayout* layout) {
  QWidget* inside = single_;
  auto* form = new QFormLayout;
  form->setHorizontalSpacing(10);
  form->setVerticalSpacing(6);
  form->setLabelAlignment(Qt::AlignLeft);
  target_ = new QComboBox(inside);
  target_->setObjectName(QStringLiteral("captureTarget"));
  target_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  kind_ = new QComboBox(inside);
  kind_->setObjectName(QStringLiteral("captureKind"));
  kind_->addItem(tr("Response on axis"));
  kind_->addItem(tr("Impedance"));
  kind_->addItem(tr("Many tones at once"));
  kind_->addItem(tr("Tones one by one"));
  condition_ = new QComboBox(inside);
  condition_->setObjectName(QStringLiteral("captureCondition"));
  condition_->addItem(tr("in its box"), QStringLiteral("in-box"));
  condition_->addItem(tr("driver in free air"), QStringLiteral("free-air"));
  driver_ = new QComboBox(inside);
  driver_->setObjectName(QStringLiteral("captureDriver"));
  driver_->setToolTip(tr("Limits of start frequency and level depend on what is driven."));
  const std::pair<SubjectKind, QString> drivers[] = {
      {SubjectKind::kLoudspeaker, tr("Loudspeaker")},
      {SubjectKind::kWoofer, tr("Woofer")},
      {SubjectKind::kMidrange, tr("Midrange")},
      {SubjectKind::kTweeter, tr("Tweeter")},
      {SubjectKind::kFullrange, tr("Fullrange")},
      {SubjectKind::kCompressionDriver, tr("Compression driver")},
      {SubjectKind::kSubwoofer, tr("Subwoofer")}};
  for (const auto& [kind, name] : drivers) driver_->addItem(name, static_cast<int>(kind));
  makeFigures(form);
  layout->addLayout(form);
  caution_ = role_label({}, "quiet", inside);
  caution_->setObjectName(QStringLiteral("captureCaution"));
  layout->addWidget(caution_);
}

void CapturePage::makeFigures(QFormLayout* form) {
  QWidget* inside = single_;
  drive_ = number_box("captureDrive", 0.05, 20.0, 2.83, 2, tr("V"), inside);
  drive_->setToolTip(tr("Voltage at the loudspeaker's terminals, rms. 2.83 V into 8 ohm is 1 W."));
  start_ = number_box("captureStart", 2.0, 2000.0, 10.0, 0, tr("Hz"), inside);
  distance_ = number_box("captureDistance", 0.05, 20.0, 1.0, 2, tr("m"), inside);
  distance_->setToolTip(tr("From the baffle to the microphone. Phase zero depends on it."));
  repeats_ = new QSpinBox(inside);
  repeats_->setRange(1, 16);
  repeats_->setObjectName(QStringLiteral("captureRepeats"));
  repeats_->setButtonSymbols(QAbstractSpinBox::NoButtons);
  repeats_->setToolTip(tr("Repeats are averaged; from three on, one that disagrees is set aside."));
  name_ = new QLineEdit(inside);
  name_->setObjectName(QStringLiteral("captureName"));
  form->addRow(tr("For"), target_);
  form->addRow(tr("Kind"), kind_);
  form->addRow(tr("Load"), condition_);
  form->addRow(tr("Driven"), driver_);
  form->addRow(tr("Drive"), drive_);
  form->addRow(tr("Sweep from"), start_);
  form->addRow(tr("Distance"), distance_);
  form->addRow(tr("Repeats"), repeats_);
  form->addRow(tr("Name"), name_);
  sample_ = new QComboBox(inside);
  sample_->setObjectName(QStringLiteral("captureSample"));
  sample_->setEditable(true);
  sample_->setToolTip(tr("Which one of several alike, say A or B. Empty where there is but one."));
  form->addRow(tr("Sample"), sample_);
}

/// Start and stop, how far it is, what was found.
void CapturePage::makeRun(QVBoxLayout* layout) {
  QWidget* inside = single_;
  auto* buttons = new QHBoxLayout;
  go_ = new QPushButton(tr("Take"), inside);
  go_->setObjectName(QStringLiteral("takeButton"));
  go_->setProperty("main", true);
  go_->setToolTip(tr("Ctrl+Return"));
  stop_ = new QPushButton(tr("Stop"), inside);
  stop_->setObjectName(QStringLiteral("stopButton"));
  stop_->setToolTip(tr("Esc"));
  buttons->addWidget(go_, 1);
  buttons->addWidget(stop_);
  layout->addLayout(buttons);
  progress_ = new QProgressBar(inside);
  progress_->setObjectName(QStringLiteral("takeProgress"));
  progress_->setTextVisible(false);
  progress_->setRange(0, 1000);
  stage_ = role_label({}, "quiet", inside);
  stage_->setObjectName(QStringLiteral("takeStage"));
  layout->addWidget(progress_);
  layout->addWidget(stage_);
  cards_ = new QVBoxLayout;
  cards_->setSpacing(6);
  layout->addLayout(cards_);
  auto* verdict = new QHBoxLayout;
  again_ = new QPushButton(tr("Take again"), inside);
  again_->setObjectName(QStringLiteral("againButton"));
  keep_ = new QPushButton(tr("Keep as refused"), inside);
  keep_->setObjectName(QStringLiteral("keepButton"));
  verdict->addWidget(again_);
  verdict->addWidget(keep_);
  layout->addLayout(verdict);
}

void CapturePage::makeBench(QWidget* inside) {
  bench_box_ = new QWidget(inside);
  auto* bench = new QVBoxLayout(bench_box_);
  bench->setContentsMargins(0, 0, 0, 0);
  bench->addWidget(rule(bench_box_));
  bench->addWidget(role_label(tr("Practice bench"), "head", bench_box_));
  bench->addWidget(role_label(
      tr("A simulated loudspeaker, microphone, interface and jig. Mishaps are for practice."),
      "quiet", bench_box_));
  auto* bench_form = new QFormLayout;
  walls_ = new QComboBox(bench_box_);
  walls_->setObjectName(QStringLiteral("benchWalls"));
  walls_->addItems({tr("the kiosk, bare walls"), tr("the kiosk, lined, 20 mm felt"),
                    tr("this subject, as drawn")});
  walls_->setToolTip(
      tr("What the practice bench plays: the demo's kiosk, or the chosen subject by its "
         "drawing and its drivers' figures."));
  mishap_ = new QComboBox(bench_box_);
  mishap_->setObjectName(QStringLiteral("benchMishap"));
  mishap_->addItems({tr("none"), tr("input turned up too far"), tr("loopback unplugged"),
                     tr("microphone or jig unplugged"), tr("samples lost"), tr("a door slams"),
                     tr("mains hum"), tr("converter at another rate")});
  for (QComboBox* each : {walls_, mishap_})
    each->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  bench_form->addRow(tr("On it"), walls_);
  bench_form->addRow(tr("Mishap"), mishap_);
  bench->addLayout(bench_form);
}

/// What turns samples into pascals and ohms; changes hold for the takes after them.
QWidget* CapturePage::makeRigBox(QWidget* parent) {
  auto* box = new QWidget(parent);
  auto* column = new QVBoxLayout(box);
  column->setContentsMargins(0, 0, 0, 0);
  column->addWidget(rule(box));
  column->addWidget(role_label(tr("Rig"), "head", box));
  auto* form = new QFormLayout;
  full_scale_ = number_box("rigFullScale", 60.0, 180.0, 117.0, 2, tr("dB SPL"), box);
  full_scale_->setToolTip(
      tr("Level at which a sine fills the microphone's input: from a calibrator's "
         "94 dB and what the input shows below full scale."));
  resistor_ = number_box("rigResistor", 0.1, 10000.0, 27.0, 3, tr("Ω"), box);
  resistor_->setToolTip(tr("The jig's reference resistor, as measured."));
  form->addRow(tr("SPL at 0 dBFS"), full_scale_);
  form->addRow(tr("Jig resistor"), resistor_);
  column->addLayout(form);
  auto* row = new QHBoxLayout;
  correction_ = role_label({}, "quiet", box);
  correction_->setObjectName(QStringLiteral("rigCorrection"));
  no_correction_ = new QPushButton(tr("Remove"), box);
  no_correction_->setObjectName(QStringLiteral("rigNoCorrection"));
  row->addWidget(correction_, 1);
  row->addWidget(no_correction_);
  column->addLayout(row);
  connect(no_correction_, &QPushButton::clicked, this, [this] {
    RigCalibration rig = controller_.rig();
    rig.microphone_correction.reset();
    rig.microphone_correction_name.clear();
    controller_.setRig(rig);
  });
  connect(full_scale_, &QDoubleSpinBox::editingFinished, this, [this] {
    RigCalibration rig = controller_.rig();
    rig.input_pa_per_unit = pa_per_unit_of(full_scale_->value());
    controller_.setRig(rig);
  });
  connect(resistor_, &QDoubleSpinBox::editingFinished, this, [this] {
    RigCalibration rig = controller_.rig();
    rig.reference_ohm = resistor_->value();
    controller_.setRig(rig);
  });
  return box;
}

}  // namespace lalometer
