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
#include "workbench/taking/level/drive_guard.h"
#include "workbench/taking/level/tones_runner.h"

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
/// As the form offers them.
constexpr TakeKind kKinds[] = {TakeKind::kResponse, TakeKind::kImpedance, TakeKind::kMultitone,
                               TakeKind::kSteadyTones};
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
  row(tr("Kind"), impedance                          ? tr("Impedance")
                  : r.kind == TakeKind::kMultitone   ? tr("Many tones at once")
                  : r.kind == TakeKind::kSteadyTones ? tr("Tones one by one")
                  : r.kind == TakeKind::kNearField   ? tr("Near field of %1").arg(text(r.source))
                                                     : tr("Response"));
  if (is_pressure(r.kind) && r.kind != TakeKind::kNearField)
    row(tr("Angle"), r.vertical_deg != 0.0 ? tr("%1° vertical").arg(r.vertical_deg)
                                           : tr("%1° horizontal").arg(r.horizontal_deg));
  if (!impedance) row(tr("Distance"), tr("%1 m").arg(r.distance_m));
  row(tr("Drive"), r.target_spl_db > 0.0 ? tr("as %1 dB at 1 m wants it").arg(r.target_spl_db)
                                         : tr("%1 V").arg(text(three_digits(r.drive_v))));
  row(plays_tones(r.kind) ? tr("Tones") : tr("Sweep"),
      tr("%1 to %2").arg(text(frequency_text(r.start_hz)), text(frequency_text(r.stop_hz))));
  if (!r.sample.empty()) row(tr("Sample"), text(r.sample));
  row(tr("Repeats"), QString::number(r.repeats));
  queue_card_->setText(
      tr("<p style='font-size:15px'><b>The queue takes: %1</b></p><table>%2</table>"
         "<p>%3</p>")
          .arg(text(r.name), rows.join(QString()), text(planned->instruction)));
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
  const TakeKind kind = kKinds[static_cast<std::size_t>(std::max(kind_->currentIndex(), 0))];
  name_->setText(free_air                         ? tr("Free air")
                 : impedance                      ? tr("Impedance in box")
                 : kind == TakeKind::kMultitone   ? tr("Multitone")
                 : kind == TakeKind::kSteadyTones ? tr("Tones one by one")
                                                  : tr("On axis"));
  condition_->setEnabled(impedance);
  distance_->setEnabled(!impedance);
  const auto driver = static_cast<SubjectKind>(driver_->currentData().toInt());
  const DriverLimits limits = limits_of(driver);
  // The form shows what will be done; the limits themselves are the runner's.
  TakeRequest wanted;
  wanted.kind = kind;
  wanted.driver = driver;
  wanted.start_hz = impedance ? 5.0 : plays_tones(kind) ? 20.0 : 10.0;
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
  r.kind = kKinds[static_cast<std::size_t>(std::max(kind_->currentIndex(), 0))];
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
  r.duration_s = r.kind == TakeKind::kImpedance ? 2.7 : r.kind == TakeKind::kMultitone ? 12.0 : 1.4;
  if (r.kind == TakeKind::kSteadyTones) {
    r.tones_per_octave = 6.0;
    r.stop_hz = 10000.0;
  }
  r.variant_id = target_->currentData().toLongLong();
  const Variant* variant = session_.variant(r.variant_id);
  r.subject_id = variant == nullptr ? 0 : variant->subject_id;
  if (const Subject* s = session_.subject(r.subject_id)) {
    if (const auto limit = drive_limit(s->description, r)) {
      r.stands_v = limit->highest_v;
      r.stands_why = limit->why;
    }
  }
  return r;
}

Result<PracticeSpeaker> CapturePage::chosenSpeaker(Id id) const {
  if (walls_->currentIndex() != kAsDrawn)
    return demo_bench(walls_->currentIndex() == kKioskLined).speaker;
  const Subject* subject = session_.subject(id);
  return practice_speaker_of(subject == nullptr ? Description{} : subject->description,
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
  const auto own_input = setup.own_input;  // the rig's, not this page's
  setup = demo_bench(walls_->currentIndex() == kKioskLined);
  setup.pace = pace;
  setup.own_input = own_input;
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
    const Subject subject{0, tr("New loudspeaker").toStdString(), SubjectKind::kLoudspeaker};
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
