#include "desk/impedance/driver_page.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFileDialog>
#include <QFormLayout>
#include <QGridLayout>
#include <QLineEdit>
#include <QPushButton>
#include <QSaveFile>

#include "acoustics/enclosure/port.h"
#include "base/text.h"
#include "desk/parts/curve_preview.h"
#include "desk/parts/page_parts.h"
#include "workbench/design/tuning_help.h"
#include "workbench/telling/impedance_told.h"

namespace lalometer {
namespace {

struct Row {
  const char* key;
  const char* name;
  const char* unit;
  const char* tip;
};
constexpr Row kRows[] = {
    {"fs_hz", "fs", "Hz", "Resonance in free air."},
    {"qts", "Qts", "", "Damping of the resonance by everything together."},
    {"qes", "Qes", "", "Damping by the motor."},
    {"qms", "Qms", "", "Damping by the suspension."},
    {"re_ohm", "Re", "Ω", "Direct-current resistance of the coil."},
    {"le_mh", "Le", "mH", "Inductance that has the coil's reactance at 1 kHz."},
    {"vas_l", "Vas", "l", "Volume of air as springy as the suspension."},
    {"mms_g", "Mms", "g", "Moving mass, the air that moves with it included."},
    {"bl_tm", "Bl", "T m", "Force per ampere."},
    {"sensitivity_db_2v83_1m", "at 2.83 V", "dB", "Level at 1 m in half space, 2.83 V."},
    {"sensitivity_db_1w_1m", "at 1 W", "dB", "Level at 1 m in half space, one watt into Re."},
    {"reference_efficiency_percent", "efficiency", "%", "Share of the power that becomes sound."},
};

std::optional<Estimate> value_of(const ThieleSmall& t, const std::string& key) {
  const auto scaled = [](const std::optional<Estimate>& e, double k) {
    return e ? std::optional(Estimate{e->value * k, e->half_width * k}) : std::nullopt;
  };
  if (key == "fs_hz") return t.fs_hz;
  if (key == "qts") return t.qts;
  if (key == "qes") return t.qes;
  if (key == "qms") return t.qms;
  if (key == "re_ohm") return t.re_ohm;
  if (key == "le_mh") return scaled(t.le_h, 1e3);
  if (key == "vas_l") return scaled(t.vas_m3, 1e3);
  if (key == "mms_g") return scaled(t.mms_kg, 1e3);
  if (key == "bl_tm") return t.bl_tm;
  if (key == "sensitivity_db_2v83_1m") return t.sensitivity_2v83_db;
  if (key == "sensitivity_db_1w_1m") return t.sensitivity_1w_db;
  return scaled(t.efficiency, 100.0);
}

std::optional<double> quoted(const Quoted& q, const std::string& key) {
  if (key == "fs_hz") return q.fs_hz;
  if (key == "qts") return q.qts;
  if (key == "qes") return q.qes;
  if (key == "qms") return q.qms;
  if (key == "re_ohm") return q.re_ohm;
  if (key == "le_mh") return q.le_mh;
  if (key == "vas_l") return q.vas_l;
  if (key == "mms_g") return q.mms_g;
  if (key == "bl_tm") return q.bl_tm;
  if (key == "sensitivity_db_2v83_1m") return q.sensitivity_db;
  return std::nullopt;
}

/// Which line of against_sheet() belongs to a row.
const Comparison* line_for(const std::vector<Comparison>& all, const Row& row) {
  const std::string name = row.key == std::string("le_mh")                    ? "Le"
                           : row.key == std::string("sensitivity_db_2v83_1m") ? "sensitivity"
                                                                              : row.name;
  for (const Comparison& c : all) {
    if (c.name == name) return &c;
  }
  return nullptr;
}

}  // namespace

DriverPage::DriverPage(BookSession& session, QWidget* parent) : QWidget(parent), session_(session) {
  setObjectName(QStringLiteral("driverPage"));
  auto* layout = scrolled_page(this, 6);
  layout->addWidget(role_label(tr("The driver"), "title", this));
  auto* form = new QFormLayout;
  group_ = new QComboBox(this);
  group_->setObjectName(QStringLiteral("driverGroup"));
  area_ = number_box("driverArea", 0.0, 5000.0, 0.0, 1, tr("cm²"), this);
  area_->setToolTip(tr("Effective radiating area Sd: cone and half the surround. 0: not known."));
  area_->setKeyboardTracking(false);
  re_ = number_box("driverRe", 0.0, 1000.0, 0.0, 3, tr("Ω"), this);
  re_->setToolTip(tr("By an ohmmeter, if you have it; 0: from the curve."));
  re_->setSpecialValueText(tr("from the curve"));
  re_->setKeyboardTracking(false);
  form->addRow(tr("Takes of"), group_);
  form->addRow(tr("Area"), area_);
  form->addRow(tr("Re"), re_);
  layout->addLayout(form);
  basis_ = role_label({}, "quiet", this);
  basis_->setObjectName(QStringLiteral("driverBasis"));
  layout->addWidget(basis_);
  rows_box_ = new QWidget(this);
  rows_ = new QGridLayout(rows_box_);
  rows_->setContentsMargins(0, 0, 0, 0);
  rows_->setHorizontalSpacing(4);
  rows_->setVerticalSpacing(2);
  layout->addWidget(rows_box_);
  residual_ = new CurvePreview(this);
  residual_->setObjectName(QStringLiteral("driverResidual"));
  residual_->setFixedHeight(110);
  residual_->setCompact(10.0, 20000.0);
  residual_->setToolTip(tr("What the fitted model leaves of the curve."));
  layout->addWidget(residual_);
  auto* buttons = new QHBoxLayout;
  use_ = new QPushButton(tr("Use in the models"), this);
  use_->setObjectName(QStringLiteral("driverUse"));
  use_->setProperty("main", true);
  use_->setToolTip(
      tr("Writes them into the subject's description: boxes, drawing and the curves "
         "under the measured ones follow. Undo takes it back."));
  save_ = new QPushButton(tr("Save…"), this);
  save_->setObjectName(QStringLiteral("driverSave"));
  save_->setToolTip(tr("As JSON (for the models and the command line) or CSV."));
  buttons->addWidget(use_, 1);
  buttons->addWidget(save_);
  layout->addLayout(buttons);
  take_ = new QPushButton(tr("Plan the takes this needs"), this);
  layout->addWidget(take_);
  notes_ = new QVBoxLayout;
  notes_->setSpacing(4);
  layout->addLayout(notes_);
  layout->addWidget(rule(this));
  makeTuning(layout);
  layout->addStretch(1);
  wire();
}

void DriverPage::makeTuning(QVBoxLayout* layout) {
  layout->addWidget(role_label(tr("Tune the box"), "head", this));
  tuned_ = role_label({}, "quiet", this);
  tuned_->setObjectName(QStringLiteral("tunedTo"));
  layout->addWidget(tuned_);
  wanted_ = new QLineEdit(this);
  wanted_->setObjectName(QStringLiteral("tuneWanted"));
  wanted_->setPlaceholderText(tr("wanted: 45, or a lowest note: E1"));
  layout->addWidget(wanted_);
  steps_ = new QLabel(this);
  steps_->setObjectName(QStringLiteral("tuneSteps"));
  steps_->setWordWrap(true);
  layout->addWidget(steps_);
}

void DriverPage::wire() {
  connect(group_, &QComboBox::activated, this, [this] {
    shown_.clear();
    follow();
  });
  connect(area_, &QDoubleSpinBox::valueChanged, this, [this] {
    if (!filling_) start();
  });
  connect(re_, &QDoubleSpinBox::valueChanged, this, [this] {
    if (!filling_) start();
  });
  connect(use_, &QPushButton::clicked, this, &DriverPage::useInModels);
  connect(save_, &QPushButton::clicked, this, &DriverPage::save);
  connect(take_, &QPushButton::clicked, this, &DriverPage::takesAsked);
  connect(wanted_, &QLineEdit::textChanged, this, &DriverPage::fillTuning);
  connect(&session_, &BookSession::rowsChanged, this, &DriverPage::follow);
  connect(&session_, &BookSession::laidChanged, this, &DriverPage::follow);
  connect(&session_, &BookSession::resultsChanged, this, &DriverPage::fillTuning);
}

void DriverPage::setTheme(const Theme& theme) {
  residual_->setTheme(theme);
}

void DriverPage::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  follow();
}

const Description& DriverPage::description() const {
  static const Description none;
  const Subject* s = session_.subject(session_.chosenSubject());
  return s == nullptr ? none : s->description;
}

double DriverPage::areaM2() const {
  return area_->value() * 1e-4;
}

void DriverPage::follow() {
  if (!isVisible() || !session_.isOpen()) return;
  const Id subject = session_.chosenSubject();
  groups_ = driver_groups(session_.takes(), subject);
  QString what = QString::number(subject);
  for (const DriverGroup& g : groups_) {
    for (const auto* takes : {&g.free_air, &g.second}) {
      for (const Take& t : *takes) what += QStringLiteral(" %1/%2").arg(t.id).arg(t.rig_id);
    }
  }
  if (const Subject* s = session_.subject(subject)) what += QString::fromStdString(s->drawing_mark);
  if (what == shown_) return fillTuning();
  shown_ = what;
  filling_ = true;
  const QString before = group_->currentText();
  group_->clear();
  for (const DriverGroup& g : groups_) group_->addItem(QString::fromStdString(g.name()));
  group_->setCurrentIndex(std::max(0, group_->findText(before)));
  if (!groups_.empty()) {
    const DriverGroup& g = groups_[static_cast<std::size_t>(group_->currentIndex())];
    area_->setValue(sd_of(description(), g.driver) * 1e4);
  }
  filling_ = false;
  start();
}

void DriverPage::start() {
  if (groups_.empty()) {
    study_.reset();
    trouble_ =
        tr("No impedance in free air yet. With it, and one more with a known mass on the "
           "cone or in a known box, everything about the driver follows.");
    return fill();
  }
  if (running_) {
    again_ = true;
    session_.work().stop(work_id_);
    return;
  }
  running_ = true;
  const DriverGroup group = groups_[static_cast<std::size_t>(std::max(0, group_->currentIndex()))];
  const std::optional<double> re = re_->value() > 0.0 ? std::optional(re_->value()) : std::nullopt;
  work_id_ = session_.work().start<DriverStudy>(
      this, {WorkKind::kJob, WorkScope::kBook, {}},
      [group, sd = areaM2(), re, source = session_.curveSource(session_.chosenSubject())](
          const WorkContext& context) { return study_driver(group, source, sd, re, context.stop); },
      [this](Result<DriverStudy> result) {
        running_ = false;
        trouble_.clear();
        study_.reset();
        if (result)
          study_ = std::move(*result);
        else if (result.error().code != ErrorCode::kCancelled)
          trouble_ = QString::fromStdString(result.error().text());
        fill();
        if (std::exchange(again_, false)) start();
      });
}

void DriverPage::fill() {
  const bool has = study_.has_value();
  for (QWidget* w :
       {static_cast<QWidget*>(group_), static_cast<QWidget*>(area_), static_cast<QWidget*>(re_)})
    w->setEnabled(!groups_.empty());
  rows_box_->setVisible(has);
  residual_->setVisible(has);
  use_->setEnabled(has && !session_.book().read_only());
  save_->setEnabled(has);
  const bool whole = has && study_->parameters.vas_m3;
  take_->setVisible(!whole);
  clear_layout(notes_);
  if (!has) {
    basis_->setText(trouble_);
    return fillTuning();
  }
  basis_->setText(
      tr("Fitted over the whole curve, %1; %2 % left over%3.")
          .arg(QLatin1String(study_->fit.coil.name()))
          .arg(study_->fit.misfit_percent, 0, 'f', 2)
          .arg(study_->repeats > 1 ? tr("; mean of %1 takes").arg(study_->repeats) : QString()));
  if (study_->three_points) {
    basis_->setText(basis_->text() + tr(" By three frequencies: fs %1 Hz, Qts %2.")
                                         .arg(study_->three_points->resonance_hz, 0, 'f', 1)
                                         .arg(study_->three_points->qts, 0, 'f', 3));
  }
  fillRows();
  residual_->setContent(study_->residual);
  for (const std::string& note : study_->parameters.notes)
    notes_->addWidget(role_label(QString::fromStdString(note), "quiet", nullptr));
  fillTuning();
}

void DriverPage::fillRows() {
  clear_layout(rows_);
  const int column_heads = 0;
  rows_->addWidget(role_label(tr("measured"), "quiet", rows_box_), column_heads, 1);
  rows_->addWidget(role_label(tr("datasheet"), "quiet", rows_box_), column_heads, 2);
  rows_->addWidget(role_label(tr("off"), "quiet", rows_box_), column_heads, 3);
  const DriverGroup& group = groups_[static_cast<std::size_t>(group_->currentIndex())];
  const Quoted sheet = sheet_of(description(), group.driver);
  const auto lines = against_sheet(study_->parameters, sheet);
  int r = 1;
  for (const Row& row : kRows) {
    const auto value = value_of(study_->parameters, row.key);
    if (!value) continue;
    auto* name = role_label(tr(row.name), "quiet", rows_box_);
    name->setToolTip(tr(row.tip));
    name->setWordWrap(false);
    rows_->addWidget(name, r, 0);
    // Narrow: the sheet's value stands beside it.
    auto* shown = new QLabel(QString::fromStdString(with_uncertainty(*value, row.unit))
                                 .replace(QStringLiteral(" ± "), QStringLiteral(" ±")),
                             rows_box_);
    shown->setObjectName(QStringLiteral("driver_%1").arg(QLatin1String(row.key)));
    shown->setFont(text_font(12));
    rows_->addWidget(shown, r, 1);
    const bool on_sheets = row.key != std::string("sensitivity_db_1w_1m") &&
                           row.key != std::string("reference_efficiency_percent");
    if (on_sheets) {
      auto* edit = new QLineEdit(rows_box_);
      edit->setObjectName(QStringLiteral("sheet_%1").arg(QLatin1String(row.key)));
      edit->setFixedWidth(42);
      edit->setStyleSheet(QStringLiteral("padding: 1px 3px;"));
      edit->setToolTip(tr("What the datasheet says."));
      if (const auto q = quoted(sheet, row.key)) edit->setText(QString::number(*q));
      connect(edit, &QLineEdit::editingFinished, this,
              [this, edit, key = std::string(row.key)] { keepSheet(key, edit->text()); });
      rows_->addWidget(edit, r, 2);
      if (const Comparison* line = line_for(lines, row)) {
        const bool level = line->unit == "dB";
        const double step = level ? 0.1 : 1.0;
        // Adding 0 makes a plain 0 of a rounded -0.
        const double rounded = std::round(line->difference_percent / step) * step + 0.0;
        const QString difference = (rounded > 0 ? QStringLiteral("+") : QString()) +
                                   QString::number(rounded, 'f', level ? 1 : 0) +
                                   (level ? QStringLiteral(" dB") : QStringLiteral(" %"));
        const bool outside = line->verdict == Comparison::Verdict::kOutside;
        auto* verdict = role_label(difference, "quiet", rows_box_);
        verdict->setWordWrap(false);
        verdict->setFont(text_font(11, outside));
        verdict->setText(outside ? difference + QStringLiteral(" !") : difference);
        verdict->setToolTip(line->verdict == Comparison::Verdict::kAlike
                                ? tr("Alike, within the uncertainty.")
                            : outside ? tr("Outside the usual tolerance.")
                                      : tr("Within the usual tolerance."));
        rows_->addWidget(verdict, r, 3);
      }
    }
    ++r;
  }
  rows_->setColumnStretch(1, 1);
}

void DriverPage::keepSheet(const std::string& key, const QString& text) {
  if (!study_ || session_.book().read_only()) return;
  bool fine = false;
  QString plain = text.trimmed();
  plain.replace(QLatin1Char(','), QLatin1Char('.'));
  std::optional<double> value;
  if (!plain.isEmpty()) value = plain.toDouble(&fine);
  if (value && (!fine || !(*value > 0.0))) {
    emit failed(tr("“%1” is not a number above 0; the datasheet's value is as it was.").arg(text));
    return;
  }
  const DriverGroup& group = groups_[static_cast<std::size_t>(group_->currentIndex())];
  const Description changed = with_sheet_value(description(), group.driver, key, value);
  if (changed == description()) return;
  session_.edit([subject = session_.chosenSubject(), changed](Book& book) {
    return book.set_description(subject, changed);
  });
}

void DriverPage::useInModels() {
  if (!study_) return;
  const DriverGroup& group = groups_[static_cast<std::size_t>(group_->currentIndex())];
  session_.edit(
      [subject = session_.chosenSubject(),
       changed = with_parameters(description(), group.driver, study_->parameters, areaM2())](
          Book& book) { return book.set_description(subject, changed); });
}

void DriverPage::save() {
  if (!study_) return;
  const QString path = QFileDialog::getSaveFileName(
      this, tr("Save the parameters"), tr("driver.json"), tr("JSON (*.json);;Tables (*.csv)"));
  if (path.isEmpty()) return;
  const std::string text =
      path.endsWith(QLatin1String(".csv"))
          ? parameters_csv(study_->parameters)
          : json_text(told_of(study_->parameters, study_->fit, areaM2(), nullptr)
                          .put("repeats", study_->repeats),
                      2);
  QSaveFile file(path);
  if (!file.open(QIODevice::WriteOnly) || file.write(QByteArray::fromStdString(text)) < 0 ||
      !file.commit())
    emit failed(tr("%1 could not be written: %2").arg(path, file.errorString()));
}

/// From the chosen boxed impedance on the score, or the first one there.
void DriverPage::fillTuning() {
  if (!isVisible()) return;
  std::optional<LaidTake> boxed;
  for (const LaidTake& one : session_.laid()) {
    if (!one.reading || !one.reading->box || one.take.subject_id != session_.chosenSubject())
      continue;
    if (!boxed || one.take.id == session_.chosenTake()) boxed = one;
  }
  wanted_->setEnabled(boxed.has_value());
  if (!boxed) {
    tuned_->setText(tr("Lay the impedance of the vented box on the score."));
    steps_->clear();
    return;
  }
  const Estimate& fb = boxed->reading->box->fb_hz;
  tuned_->setText(
      tr("Now at %1 (%2).")
          .arg(QString::fromStdString(with_uncertainty(fb, "Hz")),
               QString::fromStdString(boxed->variant_name.empty() ? boxed->take.name
                                                                  : boxed->variant_name)));
  const std::string text =
      wanted_->text().trimmed().replace(QLatin1Char(','), QLatin1Char('.')).toStdString();
  if (text.empty()) return steps_->clear();
  const auto number = parse_number(text);
  const auto hz = number ? number : note_hz(text);
  if (!hz) return steps_->setText(tr("A frequency, or a letter, # or b, and an octave."));
  TuningTask task{fb, *hz};
  if (const auto& g = boxed->geometry) {
    task.volume_m3 = g->net_volume_m3;
    task.ports = g->pipes();
  }
  if (boxed->reading->role == ImpedanceRole::kRadiator)
    task.radiator_mass_kg = radiator_mass_of(description());
  const auto steps = tuning_steps(task);
  if (!steps) return steps_->setText(QString::fromStdString(steps.error().message));
  if (steps->empty()) return steps_->setText(tr("It is there, within the uncertainty."));
  QString lines;
  for (const TuningStep& step : *steps) {
    lines += QString::fromStdString(step.what) + QLatin1Char('\n');
    if (!step.caution.empty()) lines += QString::fromStdString(step.caution) + QLatin1Char('\n');
  }
  steps_->setText(lines +
                  tr("Then take the impedance again: it has to say %1 Hz.").arg(*hz, 0, 'f', 1));
}

}  // namespace lalometer
