#include "desk/queue/stand_page.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSpinBox>

#include "base/constants.h"
#include "base/text.h"
#include "desk/parts/page_parts.h"

namespace lalometer {
namespace {

QDoubleSpinBox* number(const char* name, double low, double high, double value, int decimals,
                       const QString& unit, const QString& tip, QWidget* parent) {
  auto* box = number_box(name, low, high, value, decimals, unit, parent);
  box->setSingleStep(decimals > 1 ? 0.05 : 1.0);
  box->setToolTip(tip);
  return box;
}

}  // namespace

QDoubleSpinBox* StandPage::wall(const QString& name, const QString& tip) {
  auto* box = number("", 0.0, 30.0, 0.0, 2, tr("m"), tip, this);
  box->setObjectName(name);
  box->setSpecialValueText(tr("none near"));
  return box;
}

StandPage::StandPage(BookSession& session, QueueController& queue, PlanDesk& desk, QWidget* parent)
    : QWidget(parent), session_(session), queue_(queue), desk_(desk) {
  setObjectName(QStringLiteral("standPage"));
  auto* layout = scrolled_page(this, 7);
  makeWishes(layout);
  layout->addWidget(rule(this));
  makeRoom(layout);
  layout->addStretch(1);
  layout->addWidget(role_label(
      tr("Stands tip over: load their foot. Two people lift what is heavy."), "quiet", this));
  connect(purpose_, &QComboBox::currentIndexChanged, this, [this] {
    tones_->setValue(
        purpose_->currentData().toInt() == static_cast<int>(Purpose::kSteadyTones) ? 6.0 : 3.0);
    show();
  });
  connect(level_unit_, &QComboBox::currentIndexChanged, this, [this](int unit) {
    levels_->setText(unit == 1 ? QStringLiteral("75, 85, 95") : QStringLiteral("0.7, 2.83, 5.66"));
    show();
  });
  for (QDoubleSpinBox* b :
       {distance_, speaker_, microphone_, ceiling_, left_, right_, behind_, beyond_}) {
    connect(b, &QDoubleSpinBox::valueChanged, this, [this] {
      if (!filling_) desk_.setStand(typed(), true);
    });
  }
  connect(ground_, &QCheckBox::toggled, this, [this] {
    if (!filling_) desk_.setStand(typed(), true);
  });
  connect(&desk_, &PlanDesk::standChanged, this, &StandPage::show);
  show();
}

/// What is wanted, and the button that makes a plan of it.
void StandPage::makeWishes(QVBoxLayout* layout) {
  layout->addWidget(role_label(tr("What do you want to know?"), "title", this));
  purpose_ = new QComboBox(this);
  purpose_->setObjectName(QStringLiteral("planPurpose"));
  for (const PurposeText& p : purposes())
    purpose_->addItem(QString::fromUtf8(p.title), static_cast<int>(p.purpose));
  layout->addWidget(purpose_);
  answers_ = role_label({}, "quiet", this);
  layout->addWidget(answers_);
  wishes_ = new QFormLayout;
  QFormLayout* form = wishes_;
  form->setVerticalSpacing(5);
  drive_ = number("planDrive", 0.05, 30.0, 2.83, 2, tr("V"), tr("At the terminals, rms."), this);
  repeats_ = new QSpinBox(this);
  repeats_->setObjectName(QStringLiteral("planRepeats"));
  repeats_->setRange(1, 16);
  repeats_->setButtonSymbols(QAbstractSpinBox::NoButtons);
  samples_ = new QLineEdit(this);
  samples_->setObjectName(QStringLiteral("planSamples"));
  samples_->setPlaceholderText(tr("A, B, C"));
  samples_->setToolTip(tr("Several alike: each gets its takes."));
  levels_ = new QLineEdit(QStringLiteral("0.7, 2.83, 5.66"), this);
  levels_->setObjectName(QStringLiteral("planLevels"));
  levels_->setToolTip(tr("From soft to loud."));
  level_unit_ = new QComboBox(this);
  level_unit_->setObjectName(QStringLiteral("planLevelUnit"));
  level_unit_->addItems({tr("V at the terminals"), tr("dB SPL at 1 m")});
  level_unit_->setToolTip(
      tr("Levels at 1 m are found by soft sweeps that rise; the rig must be calibrated. Hearing "
         "protection above 85 dB."));
  highest_ = number("planHighest", 0.1, 60.0, 6.0, 2, tr("V"),
                    tr("No level at 1 m is bought with more."), this);
  tones_ = number("planTones", 1.0, 24.0, 3.0, 0, tr("an octave"), tr("How many tones are played."),
                  this);
  upper_ =
      number("planUpper", 0.0, 10000.0, 0.0, 0, tr("Hz"),
             tr("The upper driver's tones alone begin here. 0: at the drawing's crossover."), this);
  step_ = number("planStep", 1.0, 90.0, 10.0, 1, tr("°"), tr("Between two angles."), this);
  plane_ = new QComboBox(this);
  plane_->setObjectName(QStringLiteral("planPlane"));
  plane_->addItems({tr("horizontal"), tr("vertical")});
  mass_ = number("planMass", 0.0, 500.0, 10.0, 1, tr("g"),
                 tr("Added to the cone. 0: by the test box."), this);
  box_ = number("planBox", 0.0, 500.0, 0.0, 1, tr("l"),
                tr("Known, sealed volume. 0: by the added mass."), this);
  form->addRow(tr("Drive"), drive_);
  form->addRow(tr("Repeats"), repeats_);
  form->addRow(tr("Samples"), samples_);
  form->addRow(tr("Levels"), levels_);
  form->addRow(tr("Levels in"), level_unit_);
  form->addRow(tr("At most"), highest_);
  form->addRow(tr("Tones"), tones_);
  form->addRow(tr("Upper part"), upper_);
  form->addRow(tr("Step"), step_);
  form->addRow(tr("Plane"), plane_);
  form->addRow(tr("Added mass"), mass_);
  form->addRow(tr("Test box"), box_);
  layout->addLayout(form);
  auto* make = new QPushButton(tr("Make the plan"), this);
  make->setObjectName(QStringLiteral("planMake"));
  make->setProperty("main", true);
  layout->addWidget(make);
  trouble_ = role_label({}, "quiet", this);
  trouble_->setObjectName(QStringLiteral("planTrouble"));
  layout->addWidget(trouble_);
  connect(make, &QPushButton::clicked, this, &StandPage::makePlan);
}

void StandPage::makeRoom(QVBoxLayout* layout) {
  layout->addWidget(role_label(tr("Stand and room"), "head", this));
  allows_ = new QLabel(this);
  allows_->setObjectName(QStringLiteral("standAllows"));
  allows_->setWordWrap(true);
  layout->addWidget(allows_);
  auto* room = new QFormLayout;
  room->setVerticalSpacing(5);
  distance_ =
      number("standDistance", 0.05, 12.0, 1.0, 2, tr("m"), tr("Baffle to microphone."), this);
  speaker_ = number("standSpeaker", 0.05, 6.0, 1.2, 2, tr("m"),
                    tr("Of the measuring axis, above the floor."), this);
  microphone_ = number("standMicrophone", 0.05, 6.0, 1.2, 2, tr("m"), tr("Above the floor."), this);
  ceiling_ = wall(QStringLiteral("standCeiling"), tr("Floor to ceiling. None: outdoors."));
  left_ = wall(QStringLiteral("standLeft"), tr("From the axis to the left wall."));
  right_ = wall(QStringLiteral("standRight"), tr("From the axis to the right wall."));
  behind_ = wall(QStringLiteral("standBehind"),
                 tr("From the baffle to the wall behind the loudspeaker."));
  beyond_ = wall(QStringLiteral("standBeyond"), tr("From the microphone to the wall behind it."));
  ground_ = new QCheckBox(tr("on the ground plane"), this);
  ground_->setObjectName(QStringLiteral("standGround"));
  ground_->setToolTip(tr("Both on a hard, wide floor: no floor reflection, 6 dB more."));
  room->addRow(tr("Distance"), distance_);
  room->addRow(tr("Loudspeaker"), speaker_);
  room->addRow(tr("Microphone"), microphone_);
  room->addRow(tr("Ceiling"), ceiling_);
  room->addRow(tr("Left wall"), left_);
  room->addRow(tr("Right wall"), right_);
  room->addRow(tr("Wall behind it"), behind_);
  room->addRow(tr("Behind the mic"), beyond_);
  room->addRow(QString(), ground_);
  layout->addLayout(room);
  auto* best = new QPushButton(tr("Best heights and distance"), this);
  best->setObjectName(QStringLiteral("standBest"));
  best->setToolTip(
      tr("Half-way between floor and ceiling, at the nearest distance that is still far field."));
  layout->addWidget(best);
  connect(best, &QPushButton::clicked, this,
          [this] { desk_.setStand(suggested(typed(), desk_.largest_m(), 3.0), true); });
}

Stand StandPage::typed() const {
  const auto optional = [](const QDoubleSpinBox* b) {
    return b->value() > 0.0 ? std::optional(b->value()) : std::nullopt;
  };
  return {distance_->value(), speaker_->value(), microphone_->value(),
          optional(ceiling_), optional(left_),   optional(right_),
          optional(behind_),  optional(beyond_), ground_->isChecked()};
}

void StandPage::show() {
  filling_ = true;
  const Stand& s = desk_.stand();
  distance_->setValue(s.distance_m);
  speaker_->setValue(s.speaker_height_m);
  microphone_->setValue(s.microphone_height_m);
  ceiling_->setValue(s.ceiling_m.value_or(0.0));
  left_->setValue(s.left_m.value_or(0.0));
  right_->setValue(s.right_m.value_or(0.0));
  behind_->setValue(s.behind_speaker_m.value_or(0.0));
  beyond_->setValue(s.behind_microphone_m.value_or(0.0));
  ground_->setChecked(s.ground_plane);
  filling_ = false;
  const auto purpose = static_cast<Purpose>(purpose_->currentData().toInt());
  answers_->setText(QString::fromUtf8(text_of(purpose).answers));
  const bool driver = purpose == Purpose::kDriverCheck || purpose == Purpose::kParameters;
  const bool tones = purpose == Purpose::kMultitone || purpose == Purpose::kSteadyTones;
  const bool by_spl = purpose == Purpose::kLevels || purpose == Purpose::kMultitone;
  const bool levels = by_spl || purpose == Purpose::kNearLevels;
  wishes_->setRowVisible(samples_, driver || purpose == Purpose::kRub);
  wishes_->setRowVisible(levels_, levels);
  wishes_->setRowVisible(level_unit_, by_spl);
  wishes_->setRowVisible(highest_, by_spl && level_unit_->currentIndex() == 1);
  wishes_->setRowVisible(drive_, !levels);
  wishes_->setRowVisible(tones_, tones);
  wishes_->setRowVisible(upper_, purpose == Purpose::kMultitone);
  wishes_->setRowVisible(step_, purpose == Purpose::kOrbit);
  wishes_->setRowVisible(plane_, purpose == Purpose::kOrbit);
  wishes_->setRowVisible(mass_, purpose == Purpose::kParameters);
  wishes_->setRowVisible(box_, purpose == Purpose::kParameters);
  const std::string trouble = trouble_of(s);
  if (!trouble.empty()) {
    allows_->setText(QString::fromStdString(trouble));
    return;
  }
  const double c = kSpeedOfSound20_m_s;
  const GateAllowance gate = allowance_of(s, c);
  QString text;
  if (gate.gate_s) {
    text = tr("<b>Gate %1 ms</b>, by the %2. Valid from <b>%3</b>; nothing finer than that is "
              "resolved.")
               .arg(*gate.gate_s * 1e3, 0, 'f', 2)
               .arg(QString::fromStdString(gate.limited_by),
                    QString::fromStdString(frequency_text(gate.valid_from_hz)));
  } else {
    text = tr("<b>No surface near</b>: the gate is as long as you like.");
  }
  const double far = far_field_m(desk_.largest_m());
  text += s.distance_m + 1e-9 < far ? tr("<br>Far field begins at <b>%1 m</b> for this baffle: the "
                                         "microphone is too near for levels and angles.")
                                          .arg(far, 0, 'f', 2)
                                    : tr("<br>Far field (from %1 m on).").arg(far, 0, 'f', 2);
  allows_->setText(text);
}

void StandPage::makePlan() {
  const Id id = session_.chosenSubject();
  const Subject* subject = session_.isOpen() ? session_.subject(id) : nullptr;
  if (subject == nullptr) return trouble_->setText(tr("Choose a subject on the shelf first."));
  std::vector<Variant> variants;
  for (const Variant& v : session_.variants())
    if (v.subject_id == id) variants.push_back(v);
  PlanOptions w;
  w.distance_m = distance_->value();
  w.drive_v = drive_->value();
  w.repeats = repeats_->value();
  w.step_deg = step_->value();
  w.vertical = plane_->currentIndex() == 1;
  w.added_mass_g = mass_->value();
  w.test_box_l = box_->value();
  if (const Stand s = typed(); trouble_of(s).empty())
    w.gate_ms = allowance_of(s, kSpeedOfSound20_m_s).gate_s.value_or(0.0) * 1e3;
  for (const QString& name : samples_->text().split(QLatin1Char(','), Qt::SkipEmptyParts))
    if (!name.trimmed().isEmpty() && wishes_->isRowVisible(samples_))
      w.samples.push_back(name.trimmed().toStdString());
  w.tones_per_octave = tones_->value();
  w.upper_from_hz = upper_->value();
  w.highest_v = highest_->value();
  const bool by_spl = wishes_->isRowVisible(level_unit_) && level_unit_->currentIndex() == 1;
  w.levels_v.clear();
  for (const QString& level : levels_->text().split(QLatin1Char(','), Qt::SkipEmptyParts))
    if (const double v = level.trimmed().toDouble(); v > 0.0)
      (by_spl ? w.levels_db : w.levels_v).push_back(v);
  const auto plan =
      plan_for(static_cast<Purpose>(purpose_->currentData().toInt()), *subject, variants, w);
  trouble_->setText(plan ? QString() : QString::fromStdString(plan.error().text()));
  if (plan) queue_.setPlan(*plan);
}

}  // namespace lalometer
