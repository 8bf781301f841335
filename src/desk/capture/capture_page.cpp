#include "desk/capture/capture_page.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QLineEdit>
#include <QProgressBar>
#include <QPushButton>
#include <QSpinBox>
#include <cmath>

#include "base/text.h"
#include "desk/parts/page_parts.h"
#include "workbench/practice/demo_book.h"
#include "workbench/practice/practice_subject.h"

namespace lalometer {
namespace {

enum Mishap {
  kNone,
  kTooLoud,
  kLoopbackOut,
  kMicrophoneOut,
  kLostSamples,
  kDoorSlam,
  kHum,
  kWrongRate
};
enum OnTheBench { kKioskBare, kKioskLined, kAsDrawn };

}  // namespace

CapturePage::CapturePage(BookSession& session, CaptureController& controller, QWidget* parent)
    : QWidget(parent), session_(session), controller_(controller) {
  setObjectName(QStringLiteral("capturePage"));
  auto* layout = scrolled_page(this, 8);
  QWidget* inside = layout->parentWidget();
  queue_card_ = role_label({}, "plain", inside);
  queue_card_->setObjectName(QStringLiteral("queueCard"));
  queue_card_->setTextFormat(Qt::RichText);
  queue_card_->hide();
  layout->addWidget(queue_card_);
  single_ = new QWidget(inside);
  layout->addWidget(single_);
  layout->addWidget(makeRigBox(inside));
  auto* rig = new QPushButton(tr("Interface, turntable, calibration"), inside);
  rig->setObjectName(QStringLiteral("toRig"));
  rig->setToolTip(tr("What takes are made with, and what of it is old. Ctrl+J"));
  connect(rig, &QPushButton::clicked, this, &CapturePage::rigAsked);
  layout->addWidget(rig);
  makeBench(inside);
  layout->addWidget(bench_box_);
  layout->addStretch(1);
  layout->addWidget(role_label(tr("Wear hearing protection above 85 dB(A). Never join an "
                                  "amplifier's bridged output to the interface's "
                                  "ground. Local rules and licensed practice come first."),
                               "quiet", inside));
  auto* column = new QVBoxLayout(single_);
  column->setContentsMargins(0, 0, 0, 0);
  column->addWidget(role_label(tr("Take"), "title", single_));
  makeForm(column);
  makeRun(column);
  wire();
  fillTargets();
  followKind();
  showState();
  showRig();
}

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

void CapturePage::wire() {
  connect(go_, &QPushButton::clicked, this, &CapturePage::take);
  connect(stop_, &QPushButton::clicked, &controller_, &CaptureController::stop);
  connect(again_, &QPushButton::clicked, this, &CapturePage::take);
  connect(keep_, &QPushButton::clicked, &controller_, &CaptureController::keepRefused);
  connect(kind_, &QComboBox::currentIndexChanged, this, &CapturePage::followKind);
  connect(driver_, &QComboBox::currentIndexChanged, this, &CapturePage::followKind);
  connect(condition_, &QComboBox::currentIndexChanged, this, &CapturePage::followKind);
  connect(target_, &QComboBox::activated, this, [this] {
    if (target_->currentData().toLongLong() == 0) newVariant();
  });
  connect(&session_, &BookSession::rowsChanged, this, &CapturePage::fillTargets);
  connect(&session_, &BookSession::rowsChanged, this, &CapturePage::fillSamples);
  connect(target_, &QComboBox::currentIndexChanged, this, &CapturePage::fillSamples);
  connect(&controller_, &CaptureController::rigChanged, this, &CapturePage::showRig);
  connect(&controller_, &CaptureController::stateChanged, this, &CapturePage::showState);
  connect(&controller_, &CaptureController::progressed, this, &CapturePage::showProgress);
}

void CapturePage::showQueued(const PlannedTake* planned) {
  single_->setVisible(planned == nullptr);
  queue_card_->setVisible(planned != nullptr);
  if (planned == nullptr) return;
  const TakeRequest& r = planned->request;
  const auto text = [](const std::string& t) { return QString::fromStdString(t).toHtmlEscaped(); };
  QStringList rows;
  const auto row = [&](const QString& name, const QString& value) {
    rows.push_back(
        QStringLiteral("<tr><td style='padding-right:12px'>%1</td><td><b>%2</b></td></tr>")
            .arg(name, value));
  };
  const bool impedance = r.kind == TakeKind::kImpedance;
  row(tr("Kind"), impedance                        ? tr("Impedance")
                  : r.kind == TakeKind::kNearField ? tr("Near field of %1").arg(text(r.source))
                                                   : tr("Response"));
  if (is_pressure(r.kind) && r.kind != TakeKind::kNearField)
    row(tr("Angle"), r.vertical_deg != 0.0 ? tr("%1° vertical").arg(r.vertical_deg)
                                           : tr("%1° horizontal").arg(r.horizontal_deg));
  if (!impedance) row(tr("Distance"), tr("%1 m").arg(r.distance_m));
  row(tr("Drive"), tr("%1 V").arg(text(three_digits(r.drive_v))));
  row(tr("Sweep"),
      tr("%1 to %2").arg(text(frequency_text(r.start_hz)), text(frequency_text(r.stop_hz))));
  if (!r.sample.empty()) row(tr("Sample"), text(r.sample));
  row(tr("Repeats"), QString::number(r.repeats));
  queue_card_->setText(
      tr("<p style='font-size:15px'><b>The queue takes: %1</b></p><table>%2</table>"
         "<p>%3</p>")
          .arg(text(r.name), rows.join(QString()), text(planned->instruction)));
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

void CapturePage::showRig() {
  const RigCalibration& rig = controller_.rig();
  const QSignalBlocker block_scale(full_scale_);
  const QSignalBlocker block_resistor(resistor_);
  full_scale_->setValue(full_scale_db_spl(rig.input_pa_per_unit));
  resistor_->setValue(rig.reference_ohm);
  no_correction_->setVisible(rig.microphone_correction.has_value());
  correction_->setText(rig.microphone_correction
                           ? tr("Microphone correction: %1")
                                 .arg(QString::fromStdString(rig.microphone_correction_name))
                           : tr("No microphone correction. Import its .cal file (Ctrl+I)."));
}

void CapturePage::fillSamples() {
  const QString before = sample_->currentText();
  sample_->clear();
  const Variant* variant = session_.variant(target_->currentData().toLongLong());
  if (variant != nullptr) {
    for (const std::string& name :
         session_.book().samples(variant->subject_id).value_or(std::vector<std::string>{}))
      sample_->addItem(QString::fromStdString(name));
  }
  sample_->setCurrentText(before);
}

void CapturePage::fillTargets() {
  const qint64 before = target_->currentData().toLongLong();
  target_->clear();
  for (const Subject& s : session_.subjects()) {
    for (const Variant& v : session_.variants()) {
      if (v.subject_id != s.id) continue;
      target_->addItem(
          QString::fromStdString(session_.subjects().size() > 1 ? s.name + ", " + v.name : v.name),
          static_cast<qint64>(v.id));
      target_->setItemData(target_->count() - 1, QString::fromStdString(s.name), Qt::ToolTipRole);
    }
  }
  target_->addItem(session_.subjects().empty() ? tr("a new loudspeaker") : tr("a new variant…"),
                   qint64{0});
  const int index = target_->findData(before);
  target_->setCurrentIndex(index >= 0 && before != 0 ? index : 0);
}

void CapturePage::newVariant() {
  const Id subject = session_.chosenSubject();
  if (subject == 0) return;
  const Variant variant{0, subject,
                        tr("Variant %1").arg(session_.variants().size() + 1).toStdString(), ""};
  session_.edit<Id>([variant](Book& book) { return book.add_variant(variant); },
                    [this](const Result<Id>& made) {
                      if (made)
                        target_->setCurrentIndex(target_->findData(static_cast<qint64>(*made)));
                    });
}

void CapturePage::followKind() {
  const bool impedance = kind_->currentIndex() == 1;
  const bool free_air = impedance && condition_->currentIndex() == 1;
  name_->setText(free_air ? tr("Free air") : impedance ? tr("Impedance in box") : tr("On axis"));
  condition_->setEnabled(impedance);
  distance_->setEnabled(!impedance);
  const auto driver = static_cast<SubjectKind>(driver_->currentData().toInt());
  const DriverLimits limits = limits_of(driver);
  // The form shows what will be done; the limits themselves are the runner's.
  TakeRequest wanted;
  wanted.kind = impedance ? TakeKind::kImpedance : TakeKind::kResponse;
  wanted.driver = driver;
  wanted.start_hz = impedance ? 5.0 : 10.0;
  wanted.drive_v = impedance ? 1.0 : 2.83;
  const TakeRequest allowed = limited(wanted).request;
  start_->setValue(allowed.start_hz);
  drive_->setValue(allowed.drive_v);
  caution_->setText(QString::fromStdString(limits.caution));
  caution_->setVisible(!limits.caution.empty());
}

/// The name, numbered where the variant has a take of that name already: "On axis 2".
QString CapturePage::freeName(const QString& wanted, Id variant) const {
  QString name = wanted;
  const auto taken = [&] {
    return std::any_of(session_.takes().begin(), session_.takes().end(), [&](const Take& t) {
      return t.variant_id == variant && t.name == name.toStdString();
    });
  };
  for (int number = 2; taken(); ++number) name = QStringLiteral("%1 %2").arg(wanted).arg(number);
  return name;
}

TakeRequest CapturePage::request() const {
  TakeRequest r;
  r.kind = kind_->currentIndex() == 1 ? TakeKind::kImpedance : TakeKind::kResponse;
  if (r.kind == TakeKind::kImpedance)
    r.condition = condition_->currentData().toString().toStdString();
  r.driver = static_cast<SubjectKind>(driver_->currentData().toInt());
  r.name = freeName(name_->text().trimmed(), target_->currentData().toLongLong()).toStdString();
  r.start_hz = start_->value();
  r.drive_v = drive_->value();
  r.distance_m = distance_->value();
  r.repeats = repeats_->value();
  r.sample_rate_hz = controller_.wired().wiring().sample_rate_hz;
  r.sample = sample_->currentText().trimmed().toStdString();
  r.duration_s = r.kind == TakeKind::kImpedance ? 2.7 : 1.4;
  r.variant_id = target_->currentData().toLongLong();
  const Variant* variant = session_.variant(r.variant_id);
  r.subject_id = variant == nullptr ? 0 : variant->subject_id;
  return r;
}

Result<PracticeSpeaker> CapturePage::chosenSpeaker(Id id) const {
  if (walls_->currentIndex() != kAsDrawn)
    return demo_bench(walls_->currentIndex() == kKioskLined).speaker;
  const Subject* subject = session_.subject(id);
  return practice_speaker_of(subject == nullptr ? "{}" : subject->description_json,
                             subject == nullptr ? "" : subject->name);
}

void CapturePage::standOnBench(qint64 subject) {
  if (!controller_.wired().isPractice()) return;
  auto speaker = chosenSpeaker(subject);
  if (speaker)
    controller_.practiceSetup().speaker = std::move(*speaker);
  else
    stage_->setText(QString::fromStdString(speaker.error().text()));
}

bool CapturePage::applyBench() {
  if (!controller_.wired().isPractice()) return true;
  PracticeBenchSetup& setup = controller_.practiceSetup();
  const double pace = setup.pace;
  setup = demo_bench(walls_->currentIndex() == kKioskLined);
  setup.pace = pace;
  const TakeRequest wanted = request();
  auto speaker = chosenSpeaker(wanted.subject_id);
  if (!speaker) {
    stage_->setText(QString::fromStdString(speaker.error().text()));
    return false;
  }
  setup.speaker = std::move(*speaker);
  setup.room.distance_m = distance_->value();
  setup.room.horizontal_deg = wanted.horizontal_deg;
  setup.room.vertical_deg = wanted.vertical_deg;
  switch (mishap_->currentIndex()) {
    case kTooLoud:
      setup.faults.input_gain = 60.0;
      break;
    case kLoopbackOut:
      setup.faults.loopback_missing = true;
      break;
    case kMicrophoneOut:
      setup.faults.measure_missing = true;
      break;
    case kLostSamples:
      setup.faults.lost = PracticeFaults::Samples{1.2, 64};
      break;
    case kDoorSlam:
      setup.faults.slam = PracticeFaults::Samples{0.05, 9000};
      break;
    case kHum:
      setup.mains_hum_pa = 0.2;
      break;
    case kWrongRate:
      setup.faults.true_rate_hz = 44100.0;
      break;
    default:
      break;
  }
  return true;
}

void CapturePage::take() {
  if (controller_.running() || !session_.isOpen()) return;
  if (session_.book().read_only()) {
    stage_->setText(tr("This book is read-only: duplicate it first (Ctrl+Shift+D)."));
    return;
  }
  if (request().subject_id == 0) {
    // An empty book: the take makes its own subject.
    const Subject subject{0, tr("New loudspeaker").toStdString(), SubjectKind::kLoudspeaker, "{}"};
    const std::string as_it_is = tr("As it is").toStdString();
    session_.edit(
        [subject, as_it_is](Book& book) {
          return book.together<void>("Add a subject", [&] {
            return book.add_subject(subject).and_then([&](Id id) {
              return book.add_variant({0, id, as_it_is, ""}).map([](Id) {});
            });
          });
        },
        [this](bool made) {
          fillTargets();
          if (made) take();
        });
    return;
  }
  if (applyBench()) controller_.start(request());
}

void CapturePage::takeImpedance() {
  kind_->setCurrentIndex(1);
  take();
}

void CapturePage::takeFreeAir() {
  kind_->setCurrentIndex(1);
  condition_->setCurrentIndex(1);
  take();
}

void CapturePage::takeResponse() {
  kind_->setCurrentIndex(0);
  take();
}

void CapturePage::showProgress(double done, double left_s, int stage) {
  if (!controller_.running()) return;
  progress_->setValue(static_cast<int>(done * 1000.0));
  const QString what = stage == 0 ? tr("Preparing") : stage == 1 ? tr("Sweeping") : tr("Checking");
  stage_->setText(tr("%1, %2 s left").arg(what).arg(std::ceil(left_s), 0, 'f', 0));
}

void CapturePage::showState() {
  const bool running = controller_.running();
  const bool refused = controller_.refused() != nullptr;
  go_->setEnabled(!running);
  stop_->setEnabled(running);
  bench_box_->setEnabled(!running);
  bench_box_->setVisible(controller_.wired().isPractice());
  again_->setVisible(refused && !running);
  keep_->setVisible(refused && !running);
  progress_->setVisible(running);
  clear_layout(cards_);
  if (running) {
    stage_->setText(tr("Preparing"));
    return;
  }
  if (refused)
    stage_->setText(tr("Refused. Nothing was kept."));
  else
    stage_->setText(controller_.remarks().empty() ? tr("Ready.") : tr("Taken and kept."));
  for (const Remark& remark : controller_.remarks())
    cards_->addWidget(remark_card(remark, nullptr));
}

}  // namespace lalometer
