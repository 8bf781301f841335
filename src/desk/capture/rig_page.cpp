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

/// Volts at the terminals of the tone that a voltmeter reads: enough for its accuracy, little for a
/// loudspeaker.
constexpr double kTone_v = 1.0;
constexpr double kTone_hz = 100.0;

QSpinBox* channel(const char* name, QWidget* parent) {
  auto* box = new QSpinBox(parent);
  box->setObjectName(QLatin1String(name));
  box->setRange(1, 64);
  box->setButtonSymbols(QAbstractSpinBox::NoButtons);
  return box;
}

}  // namespace

/// What a worker hands back: the calibration as it should be, and what else the page has to know.
struct RigPage::Calibrated {
  RigCalibration rig;
  std::function<void(RigPage&)> then = {};
  /// The last step where it needs what earlier works have left with the page.
  std::function<Result<RigCalibration>(RigPage&, RigCalibration)> finish = {};
};

RigPage::Calibrated RigPage::calibrated(RigCalibration rig) {
  return {std::move(rig)};
}

RigPage::RigPage(BookSession& session, CaptureController& capture, QWidget* parent)
    : QWidget(parent), session_(session), capture_(capture) {
  setObjectName(QStringLiteral("rigPage"));
  auto* layout = scrolled_page(this, 7);
  QWidget* inside = layout->parentWidget();
  layout->addWidget(role_label(tr("Interface"), "title", inside));
  interface_ = new QComboBox(inside);
  interface_->setObjectName(QStringLiteral("rigInterface"));
  interface_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  layout->addWidget(interface_);
  auto* form = new QFormLayout;
  form->setVerticalSpacing(5);
  rate_ = new QComboBox(inside);
  rate_->setObjectName(QStringLiteral("rigRate"));
  for (const double r : kAudioRates_hz) rate_->addItem(tr("%1 kHz").arg(r / 1e3), r);
  output_ = channel("rigOutput", inside);
  output_->setRange(0, 64);
  output_->setSpecialValueText(tr("all"));
  output_->setToolTip(
      tr("Which output plays. All: one drives the amplifier, another the loopback."));
  measure_ = channel("rigMeasure", inside);
  loopback_ = channel("rigLoopback", inside);
  jig_ = channel("rigJig", inside);
  form->addRow(tr("Rate"), rate_);
  form->addRow(tr("Output"), output_);
  form->addRow(tr("Microphone in"), measure_);
  form->addRow(tr("Loopback in"), loopback_);
  form->addRow(tr("Jig in"), jig_);
  layout->addLayout(form);
  auto* row = new QHBoxLayout;
  find_ = new QPushButton(tr("Find the loopback"), inside);
  find_->setObjectName(QStringLiteral("rigFind"));
  find_->setToolTip(
      tr("Plays a low-level sweep and looks on which input it comes back unaltered."));
  auto* again = new QPushButton(tr("Look again"), inside);
  again->setToolTip(tr("For interfaces that were plugged in meanwhile."));
  row->addWidget(find_, 1);
  row->addWidget(again);
  layout->addLayout(row);
  auto* monitor = new QPushButton(tr("Live monitor: levels, spectrum, tones"), inside);
  monitor->setObjectName(QStringLiteral("rigMonitor"));
  layout->addWidget(monitor);
  stage_ = role_label({}, "quiet", inside);
  stage_->setObjectName(QStringLiteral("rigStage"));
  layout->addWidget(stage_);

  layout->addWidget(rule(inside));
  layout->addWidget(role_label(tr("Turntable"), "head", inside));
  table_ = new QComboBox(inside);
  table_->setObjectName(QStringLiteral("rigTable"));
  table_->addItems(
      {tr("turned by hand"), tr("the practice bench's"), tr("on a serial line, G-code")});
  layout->addWidget(table_);
  auto* turning = new QFormLayout;
  turning->setVerticalSpacing(5);
  line_ = new QLineEdit(inside);
  line_->setObjectName(QStringLiteral("rigLine"));
  line_->setPlaceholderText(QStringLiteral("/dev/ttyUSB0"));
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
  try_table_ = new QPushButton(tr("Home, 30° and back"), inside);
  try_table_->setObjectName(QStringLiteral("rigTryTable"));
  halt_ = new QPushButton(tr("Halt the table"), inside);
  halt_->setObjectName(QStringLiteral("rigHalt"));
  halt_->setToolTip(tr("Emergency stop. The table has to find home again afterwards."));
  table_row->addWidget(try_table_, 1);
  table_row->addWidget(halt_);
  layout->addLayout(table_row);

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
  incidence_->addItem(tr("0°, pointed at the source"), 0.0);
  incidence_->addItem(tr("90°, across"), 90.0);
  incidence_->setToolTip(
      tr("Which way the microphone must point for its correction file to be right."));
  figures->addRow(tr("Mic file for"), incidence_);
  figures->addRow(tr("Calibrator"), calibrator_db_);
  layout->addLayout(figures);
  const auto work = [&](const QString& text, const char* name, const QString& tip) {
    auto* b = new QPushButton(text, inside);
    b->setObjectName(QLatin1String(name));
    b->setToolTip(tip);
    layout->addWidget(b);
    works_.push_back(b);
    return b;
  };
  auto* sensitivity =
      work(tr("Calibrator is on the microphone"), "rigSensitivity", tr("Listens for two seconds."));
  tone_ = work(tr("Play the tone for the voltmeter"), "rigTone",
               tr("100 Hz, about 1 V, for four seconds. Read the voltmeter meanwhile."));
  auto* volt_form = new QFormLayout;
  volt_form->addRow(tr("Voltmeter"), volts_);
  layout->addLayout(volt_form);
  auto* amplifier = work(tr("The voltmeter showed this"), "rigAmplifier",
                         tr("Sets the amplifier's gain and the loopback's."));
  auto* inputs =
      work(tr("One signal is in both inputs"), "rigInputs",
           tr("With a Y cable: what the inputs do differently is taken out of every take."));
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
    works_.push_back(b);
    connect(b, &QPushButton::clicked, this, [this, i] { takeJig(i); });
  }
  layout->addLayout(jig_row);
  auto* mend = work(tr("Apply calibration to today's takes"), "rigMend",
                    tr("Takes of this rig from today on are analysed anew. Can be undone."));
  layout->addStretch(1);
  layout->addWidget(role_label(tr("Only an amplifier whose black terminal is ground may be joined "
                                  "to jig and interface. A bridged one "
                                  "destroys both. Mains voltage inside powered loudspeakers is for "
                                  "licensed people; local rules come "
                                  "first."),
                               "quiet", inside));

  connect(incidence_, &QComboBox::activated, this, [this] {
    RigCalibration rig = capture_.rig();
    rig.microphone_correction_deg = incidence_->currentData().toDouble();
    capture_.setRig(rig);
  });
  connect(again, &QPushButton::clicked, this, &RigPage::lookAround);
  connect(monitor, &QPushButton::clicked, this, &RigPage::monitorAsked);
  for (QComboBox* b : {interface_, rate_, table_})
    connect(b, &QComboBox::activated, this, &RigPage::changeWiring);
  for (QSpinBox* b : {output_, measure_, loopback_, jig_})
    connect(b, &QSpinBox::valueChanged, this, &RigPage::changeWiring);
  for (QDoubleSpinBox* b : {steps_, settle_, lowest_, highest_})
    connect(b, &QDoubleSpinBox::valueChanged, this, &RigPage::changeWiring);
  connect(line_, &QLineEdit::editingFinished, this, &RigPage::changeWiring);
  connect(home_, &QCheckBox::toggled, this, &RigPage::changeWiring);
  connect(find_, &QPushButton::clicked, this, [this] {
    const double rate = capture_.wired().wiring().sample_rate_hz;
    calibrate(tr("Looking for the loopback"),
              [rate](AudioDevice& device, RigCalibration rig,
                     const WorkContext& context) -> Result<Calibrated> {
                const int count = std::max(2, device.ability().input_count);
                return find_loopback(device, rate, count, context.stop)
                    .and_then([&](std::optional<int> input) -> Result<Calibrated> {
                      if (!input)
                        return fail(ErrorCode::kDevice,
                                    "No input hears the output unaltered: is the cable in?");
                      return Calibrated{rig, [input = *input](RigPage& page) {
                                          if (page.capture_.wired().isPractice()) return;
                                          page.loopback_->setValue(input + 1);
                                        }};
                    });
              });
  });
  connect(try_table_, &QPushButton::clicked, this, [this] {
    calibrate(tr("Turning the table"),
              [table = capture_.wired().table()](AudioDevice&, RigCalibration rig,
                                                 const WorkContext& context) -> Result<Calibrated> {
                if (table == nullptr) return fail(ErrorCode::kDevice, "It is turned by hand.");
                return table->prepare(context.stop)
                    .and_then([&] { return table->turn_to(30.0, context.stop); })
                    .and_then([&] { return table->turn_to(0.0, context.stop); })
                    .map([&] {
                      return Calibrated{rig, {}};
                    });
              });
  });
  connect(halt_, &QPushButton::clicked, this, [this] {
    session_.work().stop(work_id_);
    if (Turntable* table = capture_.wired().table()) table->stop();
    stage_->setText(tr("The table was halted. It has to find home again."));
  });
  connect(sensitivity, &QPushButton::clicked, this, [this] {
    const double level = calibrator_db_->value();
    const double rate = capture_.wired().wiring().sample_rate_hz;
    calibrate(tr("Listening to the calibrator"),
              [rate, level](AudioDevice& device, RigCalibration rig, const WorkContext& context) {
                return read_tone(device, {rate, 0, 1, Hookup::kMicrophone}, 1000.0, 0.0, 2.0,
                                 context.stop)
                    .and_then([&](const ToneReadings& heard) {
                      return with_sensitivity(rig, heard.measured, level, utc_now());
                    })
                    .map(calibrated);
              });
  });
  connect(tone_, &QPushButton::clicked, this, [this] {
    const double rate = capture_.wired().wiring().sample_rate_hz;
    calibrate(tr("100 Hz is playing"),
              [rate](AudioDevice& device, RigCalibration rig, const WorkContext& context) {
                const double amplitude = std::sqrt(2.0) * kTone_v / rig.output_v_per_unit;
                return read_tone(device, {rate, 0, 1, Hookup::kMicrophone}, kTone_hz, amplitude,
                                 3.5, context.stop)
                    .map([&](const ToneReadings& heard) {
                      return Calibrated{rig, [amplitude, heard](RigPage& page) {
                                          page.tone_amplitude_ = amplitude;
                                          page.tone_heard_ = heard.loopback;
                                        }};
                    });
              });
  });
  connect(amplifier, &QPushButton::clicked, this, [this] {
    if (!tone_heard_) return stage_->setText(tr("Play the tone first."));
    const auto rig =
        with_amplifier(capture_.rig(), tone_amplitude_, volts_->value(), *tone_heard_, utc_now());
    if (!rig) return stage_->setText(QString::fromStdString(rig.error().message));
    capture_.setRig(*rig);
    stage_->setText(tr("2.83 V are 2.83 V now."));
  });
  connect(inputs, &QPushButton::clicked, this, [this] {
    const double rate = capture_.wired().wiring().sample_rate_hz;
    calibrate(tr("Comparing the inputs"), [rate](AudioDevice& device, RigCalibration rig,
                                                 const WorkContext& context) {
      return with_inputs(device, std::move(rig), rate, context.stop, utc_now()).map(calibrated);
    });
  });
  connect(mend, &QPushButton::clicked, this, [this] {
    if (!session_.isOpen()) return;
    session_.edit<std::size_t>(
        [rig = capture_.rig(), today = utc_now().substr(0, 10)](Book& book) {
          return mend_takes(book, rig, today);
        },
        [this](const Result<std::size_t>& count) {
          stage_->setText(
              count ? tr("%n takes are analysed with it.", nullptr, static_cast<int>(*count))
                    : QString::fromStdString(count.error().text()));
        });
  });
  connect(&capture_, &CaptureController::rigChanged, this, &RigPage::showCalibration);
  interface_->addItem(tr("Practice bench"), QString());
  showWiring();
  showCalibration();
}

void RigPage::lookAround() {
  if (busy()) return;
  looking_ = true;
  stage_->setText(tr("Looking for interfaces…"));
  session_.work().start<std::vector<AudioInterface>>(
      this, {WorkKind::kJob, WorkScope::kProgram, {}},
      [](const WorkContext&) { return audio_interfaces(); },
      [this](const Result<std::vector<AudioInterface>>& found) {
        looking_ = false;
        if (!found) return stage_->setText(QString::fromStdString(found.error().text()));
        const QSignalBlocker block(interface_);
        interface_->clear();
        interface_->addItem(tr("Practice bench"), QString());
        for (const AudioInterface& each : *found) {
          if (each.input_count < 2 || each.output_count < 1) continue;
          interface_->addItem(QString::fromStdString(each.name + " · " + each.family),
                              QString::fromStdString(each.key()));
        }
        stage_->setText(
            tr("%1 with two inputs or more.")
                .arg(count_text(interface_->count() - 1, tr("interface"), tr("interfaces"))));
        showWiring();
      });
}

void RigPage::showWiring() {
  filling_ = true;
  const RigWiring& w = capture_.wired().wiring();
  int index = interface_->findData(QString::fromStdString(w.interface_key));
  if (index < 0) {
    interface_->addItem(tr("%1 (not there)").arg(QString::fromStdString(w.interface_key)),
                        QString::fromStdString(w.interface_key));
    index = interface_->count() - 1;
  }
  interface_->setCurrentIndex(index);
  rate_->setCurrentIndex(std::max(0, rate_->findData(w.sample_rate_hz)));
  output_->setValue(w.output + 1);
  measure_->setValue(w.measure_input + 1);
  loopback_->setValue(w.loopback_input + 1);
  jig_->setValue(w.jig_input + 1);
  for (QSpinBox* b : {output_, measure_, loopback_, jig_})
    b->setEnabled(!capture_.wired().isPractice());
  table_->setCurrentIndex(static_cast<int>(w.table));
  const bool serial = w.table == RigWiring::Table::kSerial;
  line_->setText(QString::fromStdString(w.serial.line.string()));
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
  w.output = output_->value() - 1;
  w.measure_input = measure_->value() - 1;
  w.loopback_input = loopback_->value() - 1;
  w.jig_input = jig_->value() - 1;
  w.table = static_cast<RigWiring::Table>(table_->currentIndex());
  w.serial.line = line_->text().trimmed().toStdString();
  w.serial.steps_per_degree = steps_->value();
  w.serial.settle_s = settle_->value();
  w.serial.lowest_deg = lowest_->value();
  w.serial.highest_deg = highest_->value();
  w.serial.home_switch = home_->isChecked();
  capture_.wired().setWiring(w);
  showWiring();
}

void RigPage::showCalibration() {
  clear_layout(parts_);
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

void RigPage::calibrate(const QString& doing, CalibrationWork calibration) {
  if (busy_) return;
  if (!capture_.wired().claim()) {
    if (capture_.wired().claimed()) stage_->setText(tr("The interface is in use by another run."));
    return;
  }
  busy_ = true;
  stage_->setText(doing + QChar(0x2026));
  for (QPushButton* b : works_) b->setEnabled(false);
  work_id_ = session_.work().start<Calibrated>(
      this, {WorkKind::kDevice, WorkScope::kBook, {}},
      [&device = capture_.wired().device(), rig = capture_.rig(),
       calibration = std::move(calibration)](const WorkContext& context) {
        return calibration(device, rig, context);
      },
      [this](const Result<Calibrated>& outcome) {
        busy_ = false;
        capture_.wired().release();
        if (capture_.wired().isPractice())
          capture_.practiceSetup().jig_load = PracticeBenchSetup::JigLoad::kSpeaker;
        for (QPushButton* b : works_) b->setEnabled(true);
        if (!outcome) {
          stage_->setText(QString::fromStdString(outcome.error().text()));
          return;
        }
        stage_->setText(tr("Done."));
        RigCalibration rig = outcome->rig;
        if (outcome->then) outcome->then(*this);
        if (outcome->finish) {
          auto finished = outcome->finish(*this, std::move(rig));
          if (!finished) return stage_->setText(QString::fromStdString(finished.error().text()));
          rig = std::move(*finished);
        }
        capture_.setRig(rig);
      });
}

void RigPage::takeJig(int state) {
  if (busy_ || capture_.wired().claimed()) return;
  if (capture_.wired().isPractice()) {
    using Load = PracticeBenchSetup::JigLoad;
    capture_.practiceSetup().jig_load = state == 0   ? Load::kOpen
                                        : state == 1 ? Load::kShort
                                                     : Load::kKnown10Ohm;
  }
  calibrate(tr("Taking the jig"),
            [state, known = known_ohm_->value(), rate = capture_.wired().wiring().sample_rate_hz](
                AudioDevice& device, RigCalibration rig, const WorkContext& context) {
              return jig_ratio(device, rig, rate, context.stop).map([&](Response ratio) {
                Calibrated c{rig, {}};
                c.finish = [state, known, ratio = std::move(ratio)](
                               RigPage& page, RigCalibration now) -> Result<RigCalibration> {
                  auto& states = page.jig_states_;
                  states[state] = ratio;
                  if (!states[0] || !states[1] || !states[2]) return now;
                  return with_jig(now, *states[0], *states[1], *states[2], known, utc_now());
                };
                return c;
              });
            });
}

}  // namespace lalometer
