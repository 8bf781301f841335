#include "desk/monitor/monitor_page.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QLabel>
#include <QPushButton>
#include <cmath>

#include "desk/parts/page_parts.h"
#include "workbench/taking/calibrating.h"

namespace lalometer {

MonitorPage::MonitorPage(CaptureController& capture, MonitorDesk& desk, QWidget* parent)
    : QWidget(parent), capture_(capture), desk_(desk) {
  setObjectName(QStringLiteral("monitorPage"));
  auto* layout = scrolled_page(this);
  layout->addWidget(role_label(tr("Live monitor"), "title", this));
  auto* form = new QFormLayout;
  signal_ = new QComboBox(this);
  signal_->setObjectName(QStringLiteral("liveSignal"));
  signal_->addItems(
      {tr("silence: only listen"), tr("tone"), tr("slow sweep, 20 s"), tr("pink noise")});
  hookup_ = new QComboBox(this);
  hookup_->setObjectName(QStringLiteral("liveHookup"));
  hookup_->addItems({tr("microphone"), tr("impedance jig")});
  frequency_ = number_box("liveFrequency", 5.0, 20000.0, 100.0, 1, tr("Hz"), this);
  drive_ = number_box("liveDrive", 0.001, 10.0, 0.3, 3, tr("V"), this);
  // Typing 200 must not play 2 and 20 on the way.
  frequency_->setKeyboardTracking(false);
  drive_->setKeyboardTracking(false);
  form->addRow(tr("Play"), signal_);
  form->addRow(tr("Hear"), hookup_);
  form->addRow(tr("Frequency"), frequency_);
  form->addRow(tr("Drive"), drive_);
  layout->addLayout(form);
  auto* steps = new QHBoxLayout;
  down_ = new QPushButton(tr("1/24 octave down"), this);
  down_->setObjectName(QStringLiteral("liveDown"));
  up_ = new QPushButton(tr("up"), this);
  up_->setObjectName(QStringLiteral("liveUp"));
  steps->addWidget(down_, 1);
  steps->addWidget(up_, 1);
  layout->addLayout(steps);
  auto* row = new QHBoxLayout;
  start_ = new QPushButton(tr("Start"), this);
  start_->setObjectName(QStringLiteral("liveStart"));
  start_->setProperty("main", true);
  stop_ = new QPushButton(tr("Silence"), this);
  stop_->setObjectName(QStringLiteral("liveStop"));
  row->addWidget(start_, 1);
  row->addWidget(stop_);
  layout->addLayout(row);
  figures_ = new QLabel(this);
  figures_->setObjectName(QStringLiteral("liveFigures"));
  figures_->setWordWrap(true);
  layout->addWidget(figures_);
  polarity_ = new QPushButton(tr("Check polarity"), this);
  polarity_->setObjectName(QStringLiteral("livePolarity"));
  polarity_->setToolTip(tr("A short sweep: whether a positive voltage pushes outward."));
  layout->addWidget(polarity_);
  caution_ = role_label(
      tr("A steady tone heats a coil more than a sweep, and a tweeter's far more below its "
         "resonance: stay soft "
         "and short. Hearing protection above 85 dB(A), and for anything above 95 dB at the ear."),
      "quiet", this);
  layout->addStretch(1);
  layout->addWidget(caution_);
  connect(start_, &QPushButton::clicked, this, &MonitorPage::play);
  connect(stop_, &QPushButton::clicked, &desk_, &MonitorDesk::stop);
  connect(polarity_, &QPushButton::clicked, this, &MonitorPage::checkPolarity);
  const auto follow = [this] {
    if (desk_.running()) play();
    show();
  };
  connect(signal_, &QComboBox::activated, this, follow);
  connect(hookup_, &QComboBox::activated, this, follow);
  connect(frequency_, &QDoubleSpinBox::valueChanged, this, follow);
  connect(drive_, &QDoubleSpinBox::valueChanged, this, follow);
  connect(down_, &QPushButton::clicked, this,
          [this] { frequency_->setValue(frequency_->value() * std::exp2(-1.0 / 24.0)); });
  connect(up_, &QPushButton::clicked, this,
          [this] { frequency_->setValue(frequency_->value() * std::exp2(1.0 / 24.0)); });
  connect(&desk_, &MonitorDesk::stateChanged, this, &MonitorPage::show);
  connect(&desk_, &MonitorDesk::read, this, &MonitorPage::show);
  connect(&desk_, &MonitorDesk::failed, figures_, &QLabel::setText);
  show();
}

void MonitorPage::play() {
  LiveSource source;
  source.signal = static_cast<LiveSignal>(signal_->currentIndex());
  source.frequency_hz = frequency_->value();
  source.drive_v = drive_->value();
  desk_.start(source, hookup_->currentIndex() == 1 ? Hookup::kImpedanceJig : Hookup::kMicrophone);
}

void MonitorPage::show() {
  const bool tone = signal_->currentIndex() == static_cast<int>(LiveSignal::kTone);
  frequency_->setEnabled(tone);
  up_->setEnabled(tone);
  down_->setEnabled(tone);
  drive_->setEnabled(signal_->currentIndex() != 0);
  start_->setEnabled(!desk_.running());
  stop_->setEnabled(desk_.running());
  polarity_->setEnabled(!desk_.running() && !capture_.running());
  if (!desk_.running()) return;
  const LiveReading& r = desk_.reading();
  const bool jig = hookup_->currentIndex() == 1;
  QString text = tr("<span style='font-size:26px'><b>%1 dB</b></span> %2")
                     .arg(r.level_db, 0, 'f', 1)
                     .arg(jig ? tr("re 1 V") : tr("SPL, unweighted"));
  if (r.clipped) text += tr("<br><b>An input clips: turn its gain down.</b>");
  if (r.tone) {
    text += tr("<br>Tone %1 Hz: %2 dB, THD %3 %")
                .arg(r.tone->frequency_hz, 0, 'f', 1)
                .arg(r.tone->level_db, 0, 'f', 1)
                .arg(r.tone->thd_percent, 0, 'g', 2);
    for (std::size_t i = 0; i < r.tone->harmonic_db.size(); ++i)
      text += tr("<br>Harmonic %1: %2 dB").arg(i + 2).arg(r.tone->harmonic_db[i], 0, 'f', 0);
    if (r.tone->impedance_ohm)
      text += tr("<br>Impedance <b>%1 Ω</b>, %2°. Least where the box is tuned.")
                  .arg(std::abs(*r.tone->impedance_ohm), 0, 'f', 2)
                  .arg(std::arg(*r.tone->impedance_ohm) * 180.0 / kPi, 0, 'f', 0);
  }
  figures_->setText(text);
}

void MonitorPage::checkPolarity() {
  TakeRequest r;
  r.sample_rate_hz = capture_.wired().wiring().sample_rate_hz;
  r.start_hz = 40.0;
  r.duration_s = 0.7;
  r.drive_v = drive_->value();
  if (!capture_.wired().claim()) return;
  capture_.wired().aim(r);
  polarity_->setEnabled(false);
  capture_.session().work().start<QString>(
      this, {WorkKind::kDevice, WorkScope::kBook, {}},
      [r, &device = capture_.wired().device(), rig = capture_.rig()](const WorkContext& context) {
        return heard_polarity(device, rig, r, context.stop).map([](const HeardPolarity& heard) {
          if (!heard.refusal.empty()) return QString::fromStdString(heard.refusal);
          if (!heard.outward) return tr("No pulse stands out.");
          return *heard.outward
                     ? tr("<b>Outward</b> for a positive voltage (of the driver that speaks "
                          "first).")
                     : tr("<b>Inward</b> for a positive voltage (of the driver that speaks first): "
                          "plus and minus are swapped, or it is meant so.");
        });
      },
      [this](const Result<QString>& heard) {
        capture_.wired().release();
        show();
        if (heard)
          figures_->setText(*heard);
        else
          figures_->setText(heard.error().code == ErrorCode::kCancelled
                                ? tr("Stopped.")
                                : QString::fromStdString(heard.error().text()));
      });
}

}  // namespace lalometer
