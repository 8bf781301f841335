#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSpinBox>

#include "desk/capture/rig_page.h"
#include "desk/parts/page_parts.h"

/// Which interfaces a rig has, how its takes get their time, what that lets it measure, and a
/// trial.
namespace lalometer {
namespace {

QSpinBox* channel(const char* name, QWidget* parent) {
  auto* box = new QSpinBox(parent);
  box->setObjectName(QLatin1String(name));
  box->setRange(1, 64);
  box->setButtonSymbols(QAbstractSpinBox::NoButtons);
  return box;
}

struct TimeChoice {
  TimeBase base;
  bool second;
};
/// By the rows of the list.
constexpr TimeChoice kTimes[] = {{TimeBase::kLoopback, false},
                                 {TimeBase::kChirps, true},
                                 {TimeBase::kChirps, false},
                                 {TimeBase::kNone, false}};

QString word_of(RigAbility::Can can) {
  switch (can) {
    case RigAbility::Can::kYes:
      return QObject::tr("yes");
    case RigAbility::Can::kPartly:
      return QObject::tr("partly");
    case RigAbility::Can::kNo:
      break;
  }
  return QObject::tr("no");
}

}  // namespace

void RigPage::makeName(QVBoxLayout* layout) {
  QWidget* inside = layout->parentWidget();
  layout->addWidget(role_label(tr("Rig"), "title", inside));
  name_ = new QComboBox(inside);
  name_->setObjectName(QStringLiteral("rigName"));
  name_->setEditable(true);
  name_->setInsertPolicy(QComboBox::NoInsert);
  name_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  name_->setToolTip(
      tr("Choose a rig that was wired before, or type a name to keep this one under it."));
  layout->addWidget(name_);
  connect(name_, &QComboBox::activated, this, [this](int row) { chooseRig(name_->itemText(row)); });
  connect(name_->lineEdit(), &QLineEdit::editingFinished, this,
          [this] { chooseRig(name_->currentText().trimmed()); });
}

void RigPage::makeInterface(QVBoxLayout* layout) {
  QWidget* inside = layout->parentWidget();
  const auto list = [&](const char* name) {
    auto* box = new QComboBox(inside);
    box->setObjectName(QLatin1String(name));
    box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    return box;
  };
  interface_ = list("rigInterface");
  output_interface_ = list("rigOutputInterface");
  output_interface_->setToolTip(
      tr("Where the sweep is played, if the microphone is a device of its own."));
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
  second_ = channel("rigSecond", inside);
  second_->setToolTip(tr("Plays the reference chirps, where a second loudspeaker does."));
  measure_ = channel("rigMeasure", inside);
  loopback_ = channel("rigLoopback", inside);
  jig_ = channel("rigJig", inside);
  layout->addWidget(role_label(tr("Inputs of"), "quiet", inside));
  layout->addWidget(interface_);
  layout->addWidget(role_label(tr("Outputs of"), "quiet", inside));
  layout->addWidget(output_interface_);
  form->addRow(tr("Rate"), rate_);
  form->addRow(tr("Output"), output_);
  form->addRow(tr("Second output"), second_);
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
  auto* monitor = new QPushButton(tr("Live monitor"), inside);
  monitor->setToolTip(tr("Levels, spectrum, tones."));
  monitor->setObjectName(QStringLiteral("rigMonitor"));
  layout->addWidget(monitor);
  stage_ = role_label({}, "quiet", inside);
  stage_->setObjectName(QStringLiteral("rigStage"));
  layout->addWidget(stage_);
  showInterfaces({});
  connect(again, &QPushButton::clicked, this, &RigPage::lookAround);
  connect(monitor, &QPushButton::clicked, this, &RigPage::monitorAsked);
  connect(find_, &QPushButton::clicked, this, &RigPage::findLoopback);
}

void RigPage::makeTime(QVBoxLayout* layout) {
  QWidget* inside = layout->parentWidget();
  layout->addWidget(rule(inside));
  layout->addWidget(role_label(tr("Time"), "head", inside));
  time_ = new QComboBox(inside);
  time_->setObjectName(QStringLiteral("rigTime"));
  time_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  time_->addItems({tr("by a loopback cable"), tr("by chirps from a second loudspeaker"),
                   tr("by chirps from the same loudspeaker"), tr("by the sound's onset alone")});
  time_->setToolTip(tr("What tells when a sweep was played."));
  layout->addWidget(time_);
  auto* form = new QFormLayout;
  chirp_distance_ = number_box("rigChirpDistance", 0.0, 30.0, 0.0, 3, tr("m"), inside);
  chirp_distance_->setSpecialValueText(tr("not told"));
  chirp_distance_->setToolTip(tr("From what plays the chirps to the microphone."));
  form->addRow(tr("Chirps from"), chirp_distance_);
  layout->addLayout(form);
  connect(time_, &QComboBox::activated, this, &RigPage::changeTime);
  connect(chirp_distance_, &QDoubleSpinBox::valueChanged, this, &RigPage::changeTime);
}

void RigPage::makeTrial(QVBoxLayout* layout) {
  QWidget* inside = layout->parentWidget();
  layout->addWidget(role_label(tr("What this rig can measure"), "head", inside));
  abilities_ = new QVBoxLayout;
  abilities_->setSpacing(3);
  layout->addLayout(abilities_);
  addStep(layout, tr("Try this rig"), "rigTrial",
          tr("A soft sweep of half a second; says whether the rig is fit. Nothing is kept."),
          &RigPage::tryRig);
  trial_ = new QVBoxLayout;
  trial_->setSpacing(5);
  layout->addLayout(trial_);
}

void RigPage::showInterfaces(const std::vector<AudioInterface>& found) {
  interfaces_ = found;
  const QSignalBlocker quiet(interface_);
  const QSignalBlocker quiet_too(output_interface_);
  interface_->clear();
  interface_->addItem(tr("Practice bench"), QString());
  interface_->addItem(tr("Practice microphone"), QString::fromStdString(kPracticeMicrophone));
  output_interface_->clear();
  output_interface_->addItem(tr("the same"), QString());
  for (const AudioInterface& each : found) {
    const QString key = QString::fromStdString(each.key());
    const QString rate =
        each.usual_rate_hz > 0.0 ? tr(", %1 kHz").arg(each.usual_rate_hz / 1e3) : QString();
    const QString name = QString::fromStdString(each.name + " · " + each.family);
    if (each.input_count > 0)
      interface_->addItem(name + tr(" · %1 in").arg(each.input_count) + rate, key);
    if (each.output_count > 0)
      output_interface_->addItem(name + tr(" · %1 out").arg(each.output_count) + rate, key);
  }
  stage_->setText(
      tr("%1 found.")
          .arg(count_text(static_cast<int>(found.size()), tr("interface"), tr("interfaces"))));
}

void RigPage::findKeptRig(const std::vector<AudioInterface>& found) {
  const RigWiring& now = capture_.wired().wiring();
  const auto there = [&](const RigWiring& w) {
    return found_again(w.interface_key, found) &&
           (w.output_key.empty() || found_again(w.output_key, found));
  };
  if (capture_.wired().isPractice() || there(now)) return;
  std::vector<RigWiring> plugged;
  for (const RigWiring& each : WiredRig::kept())
    if (there(each)) plugged.push_back(each);
  if (plugged.size() != 1) return;
  const std::string missed = WiredRig::nameOf(now);
  capture_.wired().setWiring(plugged.front());
  capture_.useRig(WiredRig::nameOf(plugged.front()));
  stage_->setText(tr("%1 is not there; %2 is, and was chosen.")
                      .arg(QString::fromStdString(missed),
                           QString::fromStdString(WiredRig::nameOf(plugged.front()))));
}

void RigPage::chooseRig(const QString& name) {
  if (filling_ || busy_ || capture_.running() || name.isEmpty()) return;
  RigWiring wanted = capture_.wired().wiring();
  if (name.toStdString() == WiredRig::nameOf(wanted)) return;
  bool known = false;
  for (const RigWiring& each : WiredRig::kept()) {
    if (WiredRig::nameOf(each) != name.toStdString()) continue;
    wanted = each;
    known = true;
  }
  // A new name takes the wiring and the calibration along.
  const RigCalibration along = capture_.rig();
  wanted.name = name.toStdString();
  capture_.wired().setWiring(wanted);
  capture_.useRig(wanted.name);
  if (!known) {
    RigCalibration rig = along;
    rig.rig_name = wanted.name;
    capture_.setRig(rig);
  }
  showWiring();
}

void RigPage::changeTime() {
  if (filling_ || busy_ || capture_.running()) return;
  RigCalibration rig = capture_.rig();
  const TimeChoice& chosen = kTimes[std::max(0, time_->currentIndex())];
  rig.time = chosen.base;
  rig.chirps_by_second = chosen.second;
  rig.chirp_distance_m = chirp_distance_->value();
  capture_.setRig(rig);
}

void RigPage::showAbilities() {
  const RigCalibration& rig = capture_.rig();
  filling_ = true;
  int row = 0;
  for (int i = 0; i < 4; ++i)
    if (kTimes[i].base == rig.time && kTimes[i].second == rig.chirps_by_second) row = i;
  if (rig.time == TimeBase::kLoopback) row = 0;
  if (rig.time == TimeBase::kNone) row = 3;
  time_->setCurrentIndex(row);
  chirp_distance_->setValue(rig.chirp_distance_m);
  chirp_distance_->setEnabled(rig.time == TimeBase::kChirps);
  loopback_->setEnabled(!capture_.wired().isPractice());
  filling_ = false;
  clear_layout(abilities_);
  int inputs = 2;
  if (const auto at = found_again(capture_.wired().wiring().interface_key, interfaces_))
    inputs = interfaces_[*at].input_count;
  if (capture_.wired().wiring().interface_key == kPracticeMicrophone) inputs = 1;
  auto* table = new QGridLayout;
  table->setHorizontalSpacing(8);
  table->setVerticalSpacing(3);
  table->setColumnStretch(1, 1);
  int at = 0;
  for (const RigAbility& each : abilities_of(rig, inputs)) {
    const QString what = QString::fromStdString(each.what);
    const QString why = QString::fromStdString(each.why);
    const bool yes = each.can == RigAbility::Can::kYes;
    auto* can = role_label(word_of(each.can), yes ? "quiet" : "plain", nullptr);
    can->setObjectName(QStringLiteral("ability %1").arg(what));
    auto* name = role_label(what, "plain", nullptr);
    name->setWordWrap(true);
    name->setToolTip(why);
    table->addWidget(can, at, 0, Qt::AlignTop);
    table->addWidget(name, at++, 1);
    if (yes) continue;
    auto* reason = role_label(why, "quiet", nullptr);
    reason->setWordWrap(true);
    table->addWidget(reason, at++, 1);
  }
  abilities_->addLayout(table);
}

void RigPage::tryRig() {
  const double rate = capture_.wired().wiring().sample_rate_hz;
  TakeRequest aim;
  aim.distance_m = 1.0;
  capture_.wired().aim(aim);
  calibrate(tr("Trying the rig"),
            [rate](AudioDevice& device, RigCalibration rig, const WorkContext& context) {
              return try_rig(device, rig, rate, context.stop).map([&](const RigTrial& trial) {
                return Calibrated{rig, [trial](RigPage& page) { page.showTrial(trial); }};
              });
            });
}

void RigPage::showTrial(const RigTrial& trial) {
  clear_layout(trial_);
  QString seen;
  for (const std::string& each : trial.seen)
    seen += (seen.isEmpty() ? "" : " ") + QString::fromStdString(each);
  const Remark verdict{trial.good ? Remark::Weight::kNote : Remark::Weight::kRefusal, "trial",
                       trial.verdict, seen.toStdString()};
  QFrame* card = remark_card(verdict, nullptr);
  card->setObjectName(QStringLiteral("trialVerdict"));
  trial_->addWidget(card);
}

}  // namespace lalometer
