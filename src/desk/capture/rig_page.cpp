#include "desk/capture/rig_page.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSpinBox>

#include "desk/parts/page_parts.h"
#include "rig/audio/port_audio_device.h"

namespace lalometer {
namespace {

/// What can be plugged in. Without sound there may still be a turntable.
struct Surroundings {
  Result<std::vector<AudioInterface>> interfaces;
  std::vector<SerialPortInfo> lines;
};

}  // namespace

RigPage::RigPage(BookSession& session, CaptureController& capture, QWidget* parent)
    : QWidget(parent), session_(session), capture_(capture) {
  setObjectName(QStringLiteral("rigPage"));
  auto* layout = scrolled_page(this, 7);
  makeName(layout);
  makeInterface(layout);
  makeTime(layout);
  makeTrial(layout);
  makeTable(layout);
  makeCalibration(layout);
  followWiring();
  connect(&capture_, &CaptureController::rigChanged, this, &RigPage::showCalibration);
  connect(&capture_, &CaptureController::rigChanged, this, &RigPage::showAbilities);
  showWiring();
  showCalibration();
}

void RigPage::makeTable(QVBoxLayout* layout) {
  QWidget* inside = layout->parentWidget();
  layout->addWidget(rule(inside));
  layout->addWidget(role_label(tr("Turntable"), "head", inside));
  table_ = new QComboBox(inside);
  table_->setObjectName(QStringLiteral("rigTable"));
  table_->addItems(
      {tr("turned by hand"), tr("the practice bench's"), tr("on a serial line, G-code")});
  layout->addWidget(table_);
  auto* turning = new QFormLayout;
  turning->setVerticalSpacing(5);
  line_ = new QComboBox(inside);
  line_->setObjectName(QStringLiteral("rigLine"));
  line_->setEditable(true);
  line_->setInsertPolicy(QComboBox::NoInsert);
  line_->lineEdit()->setPlaceholderText(QStringLiteral("/dev/ttyUSB0"));
  line_->setToolTip(tr("The lines that are plugged in, or the path of another one."));
  steps_ = number_box("rigSteps", 0.0, 100000.0, 0.0, 3, tr("/°"), inside);
  steps_->setSpecialValueText(tr("the controller's"));
  steps_->setToolTip(tr("Motor steps to a degree, told to the controller."));
  settle_ = number_box("rigSettle", 0.0, 30.0, 0.5, 1, tr("s"), inside);
  settle_->setToolTip(tr("After a move, until nothing swings."));
  lowest_ = number_box("rigLowest", -360.0, 0.0, -180.0, 0, tr("°"), inside);
  highest_ = number_box("rigHighest", 0.0, 360.0, 180.0, 0, tr("°"), inside);
  home_ = new QCheckBox(tr("it has a home switch"), inside);
  home_->setObjectName(QStringLiteral("rigHome"));
  turning->addRow(tr("Line"), line_);
  turning->addRow(tr("Steps"), steps_);
  turning->addRow(tr("Settling"), settle_);
  turning->addRow(tr("From"), lowest_);
  turning->addRow(tr("To"), highest_);
  turning->addRow(QString(), home_);
  layout->addLayout(turning);
  auto* table_row = new QHBoxLayout;
  try_table_ = new QPushButton(tr("Try a turn"), inside);
  try_table_->setToolTip(tr("Home, 30° and back."));
  try_table_->setObjectName(QStringLiteral("rigTryTable"));
  halt_ = new QPushButton(tr("Halt the table"), inside);
  halt_->setObjectName(QStringLiteral("rigHalt"));
  halt_->setToolTip(tr("Emergency stop. The table has to find home again afterwards."));
  table_row->addWidget(try_table_, 1);
  table_row->addWidget(halt_);
  layout->addLayout(table_row);
  connect(try_table_, &QPushButton::clicked, this, &RigPage::tryTable);
  connect(halt_, &QPushButton::clicked, this, &RigPage::haltTable);
}

/// Every control that is part of the wiring changes it.
void RigPage::followWiring() {
  for (QComboBox* b : {interface_, output_interface_, rate_, table_})
    connect(b, &QComboBox::activated, this, &RigPage::changeWiring);
  for (QSpinBox* b : {output_, second_, measure_, loopback_, jig_})
    connect(b, &QSpinBox::valueChanged, this, &RigPage::changeWiring);
  for (QDoubleSpinBox* b : {steps_, settle_, lowest_, highest_})
    connect(b, &QDoubleSpinBox::valueChanged, this, &RigPage::changeWiring);
  connect(line_->lineEdit(), &QLineEdit::editingFinished, this, &RigPage::changeWiring);
  connect(line_, &QComboBox::activated, this, [this](int row) {
    line_->setEditText(line_->itemData(row).toString());
    changeWiring();
  });
  connect(home_, &QCheckBox::toggled, this, &RigPage::changeWiring);
}

void RigPage::makeCalibration(QVBoxLayout* layout) {
  QWidget* inside = layout->parentWidget();
  layout->addWidget(rule(inside));
  layout->addWidget(role_label(tr("Calibration"), "head", inside));
  parts_ = new QVBoxLayout;
  parts_->setSpacing(6);
  layout->addLayout(parts_);
  auto* figures = new QFormLayout;
  figures->setVerticalSpacing(5);
  calibrator_db_ = number_box("rigCalibrator", 60.0, 130.0, 94.0, 1, tr("dB"), inside);
  calibrator_db_->setToolTip(
      tr("What the calibrator gives, or a meter beside the microphone reads. 1 kHz."));
  volts_ = number_box("rigVolts", 0.0, 60.0, 0.0, 3, tr("V"), inside);
  volts_->setSpecialValueText(tr("read it"));
  volts_->setToolTip(
      tr("What the voltmeter shows at the loudspeaker's terminals while the tone plays."));
  known_ohm_ = number_box("rigKnown", 0.5, 1000.0, 10.0, 3, tr("Ω"), inside);
  incidence_ = new QComboBox(inside);
  incidence_->setObjectName(QStringLiteral("rigIncidence"));
  incidence_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  incidence_->addItem(tr("0°, pointed at the source"), 0.0);
  incidence_->addItem(tr("90°, across"), 90.0);
  incidence_->setToolTip(
      tr("Which way the microphone must point for its correction file to be right."));
  figures->addRow(tr("Mic file for"), incidence_);
  microphone_thd_ = number_box("rigMicrophoneThd", 0.0, 10.0, 0.0, 2, tr("%"), inside);
  microphone_thd_->setSpecialValueText(tr("not told"));
  microphone_thd_->setToolTip(
      tr("The microphone's own distortion as its sheet tells it: no harmonic below it is told."));
  microphone_spl_ = number_box("rigMicrophoneSpl", 60.0, 180.0, 130.0, 0, tr("dB SPL"), inside);
  microphone_spl_->setToolTip(tr("The level it holds at; it falls by 1 dB for each dB less."));
  figures->addRow(tr("Mic's own THD"), microphone_thd_);
  figures->addRow(tr("at"), microphone_spl_);
  figures->addRow(tr("Calibrator"), calibrator_db_);
  layout->addLayout(figures);
  connect(incidence_, &QComboBox::activated, this, [this] {
    RigCalibration rig = capture_.rig();
    rig.microphone_correction_deg = incidence_->currentData().toDouble();
    capture_.setRig(rig);
  });
  for (QDoubleSpinBox* box : {microphone_thd_, microphone_spl_})
    connect(box, &QDoubleSpinBox::editingFinished, this, [this] {
      RigCalibration rig = capture_.rig();
      rig.microphone_thd_percent = microphone_thd_->value();
      rig.microphone_thd_db_spl = microphone_spl_->value();
      capture_.setRig(rig);
    });
  makeSteps(layout);
  layout->addStretch(1);
  layout->addWidget(role_label(tr("Only an amplifier whose black terminal is ground may be joined "
                                  "to jig and interface. A bridged one "
                                  "destroys both. Mains voltage inside powered loudspeakers is for "
                                  "licensed people; local rules come "
                                  "first."),
                               "quiet", inside));
}

void RigPage::makeSteps(QVBoxLayout* layout) {
  QWidget* inside = layout->parentWidget();
  addStep(layout, tr("Calibrator is on the microphone"), "rigSensitivity",
          tr("Listens for two seconds."), &RigPage::readCalibrator);
  addStep(layout, tr("Play the tone for the voltmeter"), "rigTone",
          tr("100 Hz, about 1 V, for four seconds. Read the voltmeter meanwhile."),
          &RigPage::playTone);
  auto* volt_form = new QFormLayout;
  volt_form->addRow(tr("Voltmeter"), volts_);
  layout->addLayout(volt_form);
  addStep(layout, tr("The voltmeter showed this"), "rigAmplifier",
          tr("Sets the amplifier's gain and the loopback's."), &RigPage::setAmplifier);
  addStep(layout, tr("One signal is in both inputs"), "rigInputs",
          tr("With a Y cable: what the inputs do differently is taken out of every take."),
          &RigPage::compareInputs);
  auto* jig_form = new QFormLayout;
  jig_form->addRow(tr("Known resistor"), known_ohm_);
  layout->addLayout(jig_form);
  auto* jig_row = new QHBoxLayout;
  const QString states[] = {tr("Open"), tr("Shorted"), tr("Known")};
  for (int i = 0; i < 3; ++i) {
    auto* b = new QPushButton(states[i], inside);
    b->setObjectName(QStringLiteral("rigJigState%1").arg(i));
    b->setToolTip(tr("Takes the jig in this state; after all three the calibration is set."));
    jig_row->addWidget(b);
    steps_of_calibration_.push_back(b);
    connect(b, &QPushButton::clicked, this, [this, i] { takeJig(i); });
  }
  layout->addLayout(jig_row);
  auto* lead_row = new QHBoxLayout;
  const QString leads[] = {tr("Leads as wired"), tr("Leads swapped")};
  for (int i = 0; i < 2; ++i) {
    auto* b = new QPushButton(leads[i], inside);
    b->setObjectName(QStringLiteral("rigLeads%1").arg(i));
    b->setToolTip(
        tr("With any load on the jig, once as wired and once with the two inputs "
           "exchanged: what they do differently cancels."));
    lead_row->addWidget(b);
    steps_of_calibration_.push_back(b);
    connect(b, &QPushButton::clicked, this, [this, i] { takeLeads(i); });
  }
  layout->addLayout(lead_row);
  addStep(layout, tr("Apply calibration to today's takes"), "rigMend",
          tr("Takes of this rig from today on are analysed anew. Can be undone."),
          &RigPage::mendTakes);
}

void RigPage::addStep(QVBoxLayout* layout, const QString& text, const char* name,
                      const QString& tip, void (RigPage::*step)()) {
  auto* b = add_button(layout, text, name, tip, layout->parentWidget());
  steps_of_calibration_.push_back(b);
  connect(b, &QPushButton::clicked, this, step);
}

void RigPage::lookAround() {
  if (busy()) return;
  looking_ = true;
  stage_->setText(tr("Looking for interfaces…"));
  session_.work().start<Surroundings>(
      this, {WorkKind::kJob, WorkScope::kProgram, {}},
      [](const WorkContext&) -> Result<Surroundings> {
        return Surroundings{audio_interfaces(), serial_ports()};
      },
      [this](const Result<Surroundings>& found) {
        looking_ = false;
        if (!found) return stage_->setText(QString::fromStdString(found.error().text()));
        showLines(found->lines);
        if (!found->interfaces)
          return stage_->setText(QString::fromStdString(found->interfaces.error().text()));
        showInterfaces(*found->interfaces);
        findKeptRig(*found->interfaces);
        showWiring();
      });
}

void RigPage::showLines(const std::vector<SerialPortInfo>& lines) {
  const QSignalBlocker block(line_);
  const QString chosen = line_->currentText();
  line_->clear();
  for (const SerialPortInfo& each : lines) {
    const QString path = QString::fromStdString(each.path.string());
    const QString says = QString::fromStdString(each.description);
    line_->addItem(says.isEmpty() ? path : path + QStringLiteral(" · ") + says, path);
  }
  line_->setEditText(chosen);
}

void RigPage::showWiring() {
  filling_ = true;
  const RigWiring& w = capture_.wired().wiring();
  const auto choose = [this](QComboBox* box, const std::string& key) {
    const QString wanted = QString::fromStdString(key);
    int index = box->findData(wanted);
    if (index < 0) {
      box->addItem(tr("%1 (not there)").arg(wanted), wanted);
      index = box->count() - 1;
    }
    box->setCurrentIndex(index);
  };
  choose(interface_, w.interface_key);
  choose(output_interface_, w.output_key);
  const QSignalBlocker quiet(name_);
  name_->clear();
  for (const RigWiring& each : WiredRig::kept())
    name_->addItem(QString::fromStdString(WiredRig::nameOf(each)));
  name_->setEditText(QString::fromStdString(WiredRig::nameOf(w)));
  rate_->setCurrentIndex(std::max(0, rate_->findData(w.sample_rate_hz)));
  output_->setValue(w.output + 1);
  second_->setValue(w.second_output + 1);
  measure_->setValue(w.measure_input + 1);
  loopback_->setValue(w.loopback_input + 1);
  jig_->setValue(w.jig_input + 1);
  for (QSpinBox* b : {output_, second_, measure_, loopback_, jig_})
    b->setEnabled(!capture_.wired().isPractice());
  output_interface_->setEnabled(!capture_.wired().isPractice());
  showAbilities();
  table_->setCurrentIndex(static_cast<int>(w.table));
  const bool serial = w.table == RigWiring::Table::kSerial;
  line_->setEditText(QString::fromStdString(w.serial.line.string()));
  steps_->setValue(w.serial.steps_per_degree);
  settle_->setValue(w.serial.settle_s);
  lowest_->setValue(w.serial.lowest_deg);
  highest_->setValue(w.serial.highest_deg);
  home_->setChecked(w.serial.home_switch);
  for (QWidget* b :
       std::initializer_list<QWidget*>{line_, steps_, settle_, lowest_, highest_, home_})
    b->setEnabled(serial);
  try_table_->setEnabled(w.table != RigWiring::Table::kByHand);
  halt_->setEnabled(w.table != RigWiring::Table::kByHand);
  filling_ = false;
}

void RigPage::changeWiring() {
  if (filling_ || busy_ || capture_.running()) return;
  RigWiring w = capture_.wired().wiring();
  w.interface_key = interface_->currentData().toString().toStdString();
  w.sample_rate_hz = rate_->currentData().toDouble();
  w.output_key = output_interface_->currentData().toString().toStdString();
  // Another interface is another rig, unless somebody named this one.
  if (w.interface_key != capture_.wired().wiring().interface_key) w.name.clear();
  w.output = output_->value() - 1;
  w.second_output = second_->value() - 1;
  w.measure_input = measure_->value() - 1;
  w.loopback_input = loopback_->value() - 1;
  w.jig_input = jig_->value() - 1;
  w.table = static_cast<RigWiring::Table>(table_->currentIndex());
  w.serial.line = line_->currentText().trimmed().toStdString();
  w.serial.steps_per_degree = steps_->value();
  w.serial.settle_s = settle_->value();
  w.serial.lowest_deg = lowest_->value();
  w.serial.highest_deg = highest_->value();
  w.serial.home_switch = home_->isChecked();
  capture_.wired().setWiring(w);
  capture_.useRig(WiredRig::nameOf(w));
  showWiring();
}

void RigPage::showCalibration() {
  clear_layout(parts_);
  {
    const QSignalBlocker block_thd(microphone_thd_);
    const QSignalBlocker block_spl(microphone_spl_);
    microphone_thd_->setValue(capture_.rig().microphone_thd_percent);
    if (capture_.rig().microphone_thd_db_spl > 0.0)
      microphone_spl_->setValue(capture_.rig().microphone_thd_db_spl);
  }
  incidence_->setCurrentIndex(capture_.rig().microphone_correction_deg == 90.0 ? 1 : 0);
  incidence_->setEnabled(capture_.rig().microphone_correction.has_value());
  for (const CalibrationStatus& s : status_of(capture_.rig(), utc_now())) {
    const bool fine = s.advice.empty();
    const Remark remark{
        fine ? Remark::Weight::kNote : Remark::Weight::kDoubt, s.part,
        s.taken_at.empty() ? s.title + ": never" : s.title + ": " + s.taken_at.substr(0, 10),
        s.advice};
    QFrame* card = remark_card(remark, nullptr);
    card->setObjectName(QStringLiteral("calibration %1").arg(QString::fromStdString(s.part)));
    parts_->addWidget(card);
  }
}

}  // namespace lalometer
