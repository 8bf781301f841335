#include "desk/boxes/box_page.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLineEdit>
#include <QPushButton>
#include <QSlider>
#include <cmath>

#include "desk/parts/page_parts.h"

namespace lalometer {
namespace {

constexpr int kSteps = 1000;

}  // namespace

void BoxPage::changeKind(int row) {
  BoxCandidate c = desk_.outcomes()[desk_.chosen()].candidate;
  c.kind = static_cast<BoxCandidate::Kind>(row);
  // A sealed box leaks by its seams only; the usual leak of the others comes back with them.
  if (c.kind == BoxCandidate::Kind::kSealed && c.ql == BoxCandidate{}.ql)
    c.ql = 0.0;
  else if (c.kind != BoxCandidate::Kind::kSealed && c.ql == 0.0)
    c.ql = BoxCandidate{}.ql;
  desk_.change(c, true);
}

BoxPage::BoxPage(BoxDesk& desk, QWidget* parent) : QWidget(parent), desk_(desk) {
  setObjectName(QStringLiteral("boxPage"));
  layout_ = scrolled_page(this, 4);
  layout_->addWidget(role_label(tr("Boxes to choose from"), "title", this));
  basis_ = role_label(QString(), "quiet", this);
  layout_->addWidget(basis_);
  tabs_ = new QHBoxLayout;
  tabs_->setSpacing(4);
  layout_->addLayout(tabs_);
  kind_ = new QComboBox(this);
  kind_->setObjectName(QStringLiteral("boxKind"));
  kind_->addItems({tr("sealed"), tr("vented"), tr("passive radiator")});
  connect(kind_, &QComboBox::activated, this, &BoxPage::changeKind);
  layout_->addWidget(kind_);
  addKnob(tr("net volume"), tr(" l"), tr("Air behind the cone."), 1.0, 200.0, 1,
          &BoxCandidate::volume_l);
  addKnob(tr("tuning"), tr(" Hz"), tr("Resonance of port and air, fB: there the cone moves least."),
          16.0, 120.0, 1, &BoxCandidate::tuning_hz);
  note_ = new QLineEdit(this);
  note_->setObjectName(QStringLiteral("lowestNote"));
  note_->setPlaceholderText(tr("or to a lowest note: E1, B0"));
  note_->setToolTip(
      tr("Tunes the box to the lowest note of an instrument: there the cone moves least."));
  connect(note_, &QLineEdit::returnPressed, this, [this] {
    const auto hz = note_hz(note_->text().trimmed().toStdString());
    if (!hz || desk_.outcomes().empty())
      return note_->setPlaceholderText(tr("a letter, # or b, an octave")), note_->clear();
    BoxCandidate c = desk_.outcomes()[desk_.chosen()].candidate;
    c.tuning_hz = *hz;
    desk_.change(c, true);
  });
  layout_->addWidget(note_);
  addKnob(tr("port"), tr(" mm"), tr("Inner diameter; its length follows from the tuning."), 15.0,
          200.0, 0, &BoxCandidate::port_diameter_mm);
  addKnob(tr("area"), tr(" cm²"), tr("Of the passive radiator."), 20.0, 1000.0, 0,
          &BoxCandidate::radiator_sd_cm2);
  addKnob(tr("mass"), tr(" g"), tr("Moving mass of the passive radiator, additions included."), 2.0,
          500.0, 0, &BoxCandidate::radiator_mass_g);
  addKnob(tr("leakage"), QString(), tr("QL: 15 is a tight box, 7 a usual one, 3 leaks."), 1.5, 50.0,
          1, &BoxCandidate::ql);
  auto* power_row = new QHBoxLayout;
  auto* power_label = role_label(tr("at a power of"), "quiet", this);
  power_label->setFixedWidth(84);
  power_ = new QDoubleSpinBox(this);
  power_->setObjectName(QStringLiteral("boxPower"));
  power_->setRange(0.1, 5000.0);
  power_->setDecimals(1);
  power_->setSuffix(tr(" W"));
  power_->setKeyboardTracking(false);
  power_->setButtonSymbols(QAbstractSpinBox::NoButtons);
  connect(power_, &QDoubleSpinBox::valueChanged, this, [this](double watts) {
    if (!filling_) desk_.setPower(watts);
  });
  power_row->addWidget(power_label);
  power_row->addWidget(power_, 1);
  layout_->addLayout(power_row);
  layout_->addWidget(rule(this));
  words_ = new QLabel(this);
  words_->setObjectName(QStringLiteral("boxWords"));
  words_->setWordWrap(true);
  words_->setTextFormat(Qt::RichText);
  layout_->addWidget(words_);
  variant_ = new QPushButton(tr("Make it a variant"), this);
  variant_->setToolTip(tr("Puts it on the shelf, ready for takes; what it is stands beside it."));
  connect(variant_, &QPushButton::clicked, &desk_, &BoxDesk::makeVariant);
  drawing_ = new QPushButton(tr("Take it into the drawing"), this);
  drawing_->setToolTip(tr("Writes volume and port into the subject; undo puts them back."));
  connect(drawing_, &QPushButton::clicked, &desk_, &BoxDesk::takeIntoDrawing);
  layout_->addWidget(variant_);
  layout_->addWidget(drawing_);
  layout_->addStretch(1);
  connect(&desk_, &BoxDesk::changed, this, &BoxPage::show);
  show();
}

void BoxPage::setTheme(const Theme& theme) {
  theme_ = theme;
  show();
}

void BoxPage::addKnob(const QString& name, const QString& unit, const QString& tip, double low,
                      double high, int digits, double BoxCandidate::*figure) {
  auto* row = new QWidget(this);
  auto* grid = new QHBoxLayout(row);
  grid->setContentsMargins(0, 0, 0, 0);
  grid->setSpacing(6);
  auto* label = role_label(name, "quiet", row);
  label->setFixedWidth(68);
  label->setWordWrap(false);
  auto* slider = new QSlider(Qt::Horizontal, row);
  slider->setRange(0, kSteps);
  slider->setSingleStep(4);
  slider->setPageStep(40);
  slider->setObjectName(QStringLiteral("slide ") + name);
  auto* number = new QDoubleSpinBox(row);
  number->setObjectName(QStringLiteral("candidate ") + name);
  number->setRange(low, high);
  number->setDecimals(digits);
  number->setSuffix(unit);
  number->setFixedWidth(78);
  number->setKeyboardTracking(false);
  number->setButtonSymbols(QAbstractSpinBox::NoButtons);
  for (QWidget* w : std::initializer_list<QWidget*>{label, slider, number}) {
    w->setToolTip(tip);
    grid->addWidget(w, w == slider ? 1 : 0);
  }
  layout_->addWidget(row);
  const auto put = [this, figure](double value, bool done) {
    if (filling_ || desk_.outcomes().empty()) return;
    BoxCandidate c = desk_.outcomes()[desk_.chosen()].candidate;
    c.*figure = value;
    desk_.change(c, done);
  };
  connect(slider, &QSlider::valueChanged, this, [put, low, high, slider, digits](int step) {
    const double scale = std::pow(10.0, digits);
    const double value = low * std::pow(high / low, step / static_cast<double>(kSteps));
    put(std::round(value * scale) / scale, !slider->isSliderDown());
  });
  connect(slider, &QSlider::sliderReleased, this, [this] {
    if (!desk_.outcomes().empty()) desk_.change(desk_.outcomes()[desk_.chosen()].candidate, true);
  });
  connect(number, &QDoubleSpinBox::valueChanged, this, [put](double value) { put(value, true); });
  knobs_.push_back({row, slider, number, low, high, figure});
}

void BoxPage::showCandidates() {
  const std::size_t count = desk_.outcomes().size();
  if (tab_buttons_.size() != count + 2) {
    clear_layout(tabs_);
    tab_buttons_.clear();
    for (std::size_t k = 0; k < count + 2; ++k) {
      auto* button = new QPushButton(this);
      button->setMinimumWidth(26);
      tabs_->addWidget(button);
      tab_buttons_.push_back(button);
      if (k < count) {
        connect(button, &QPushButton::clicked, this, [this, k] { desk_.choose(k); });
      } else if (k == count) {
        button->setText(tr("+"));
        button->setObjectName(QStringLiteral("boxAdd"));
        button->setToolTip(tr("Another candidate beside this one."));
        connect(button, &QPushButton::clicked, &desk_, &BoxDesk::add);
      } else {
        button->setText(tr("−"));
        button->setToolTip(tr("Drop the chosen candidate."));
        connect(button, &QPushButton::clicked, &desk_, &BoxDesk::remove);
      }
    }
  }
  for (std::size_t k = 0; k < count; ++k) {
    const QColor colour = curve_style(static_cast<int>(k), theme_.dark).colour;
    const bool chosen = k == desk_.chosen();
    tab_buttons_[k]->setText(QString::fromStdString(desk_.outcomes()[k].candidate.name));
    tab_buttons_[k]->setStyleSheet(
        QStringLiteral("QPushButton { padding: 3px 4px; border: 2px solid %1; background: %2; "
                       "color: %3; font-weight: 600; }")
            .arg(colour.name(), (chosen ? colour : theme_.sheet).name(),
                 (chosen ? theme_.sheet : colour).name()));
  }
  for (std::size_t k = count; k < tab_buttons_.size(); ++k)
    tab_buttons_[k]->setStyleSheet(QStringLiteral("QPushButton { padding: 3px 4px; }"));
  tab_buttons_[count]->setEnabled(count > 0 && count < 6);
  tab_buttons_[count + 1]->setEnabled(count > 1);
}

void BoxPage::show() {
  filling_ = true;
  showCandidates();
  const bool any = !desk_.outcomes().empty();
  for (QWidget* w : std::initializer_list<QWidget*>{kind_, power_, variant_, drawing_})
    w->setEnabled(any);
  if (!any) {
    basis_->setText(desk_.trouble());
    words_->clear();
    for (const Knob& knob : knobs_) knob.row->setEnabled(false);
    filling_ = false;
    return;
  }
  const BoxDriver& driver = *desk_.driver();
  basis_->setText(tr("For %1: fs %2 Hz, Qts %3, Vas %4 l%5")
                      .arg(QString::fromStdString(driver.id))
                      .arg(driver.driver.fs_hz(), 0, 'f', 1)
                      .arg(driver.driver.qts(), 0, 'f', 2)
                      .arg(driver.driver.vas_m3() * 1e3, 0, 'f', 1)
                      .arg(driver.usual ? tr(" (in part usual figures for its size: the "
                                             "description does not tell them all).")
                                        : QStringLiteral(".")));
  const BoxOutcome& o = desk_.outcomes()[desk_.chosen()];
  kind_->setCurrentIndex(static_cast<int>(o.candidate.kind));
  const auto shown = [&](double BoxCandidate::*figure) {
    using Kind = BoxCandidate::Kind;
    if (figure == &BoxCandidate::tuning_hz || figure == &BoxCandidate::port_diameter_mm)
      return o.candidate.kind == Kind::kVented;
    if (figure == &BoxCandidate::radiator_sd_cm2 || figure == &BoxCandidate::radiator_mass_g)
      return o.candidate.kind == Kind::kPassiveRadiator;
    // What a sealed box has no figure for stands there only where an older book has one.
    if (figure == &BoxCandidate::ql) return o.candidate.kind != Kind::kSealed || o.candidate.ql > 0;
    return true;
  };
  note_->setVisible(shown(&BoxCandidate::tuning_hz));
  for (const Knob& knob : knobs_) {
    knob.row->setEnabled(true);
    knob.row->setVisible(shown(knob.figure));
    const double value = std::clamp(o.candidate.*knob.figure, knob.low, knob.high);
    knob.number->setValue(value);
    if (!knob.slider->isSliderDown())
      knob.slider->setValue(static_cast<int>(
          std::lround(kSteps * std::log(value / knob.low) / std::log(knob.high / knob.low))));
  }
  power_->setValue(desk_.powerW());
  QString text;
  for (const std::string& problem : o.problems)
    text += QStringLiteral("<p style='color:%1'><b>%2</b></p>")
                .arg(theme_.refuse.name(), QString::fromStdString(problem).toHtmlEscaped());
  for (const BoxOutcome& each : desk_.outcomes()) {
    const auto k = static_cast<int>(&each - desk_.outcomes().data());
    text += QStringLiteral("<p style='margin:6px 0 0 0'><b style='color:%1'>%2</b> <b>%3</b></p>")
                .arg(curve_style(k, theme_.dark).colour.name(),
                     QString::fromStdString(each.candidate.name).toHtmlEscaped(),
                     QString::fromStdString(in_words(each)).toHtmlEscaped());
    if (&each != &o) {
      const auto hz = [](const std::optional<double>& f) {
        return f ? QString::number(*f, 'f', 1) + QStringLiteral(" Hz") : QStringLiteral("–");
      };
      text += QStringLiteral("<p style='margin:0; color:%1'>F3 %2, F10 %3</p>")
                  .arg(theme_.quiet.name(), hz(each.f3_hz), hz(each.f10_hz));
      continue;
    }
    for (const std::string& sentence : each.words)
      text += QStringLiteral("<p style='margin:3px 0 0 0'>%1</p>")
                  .arg(QString::fromStdString(sentence).toHtmlEscaped());
  }
  words_->setText(text);
  filling_ = false;
}

}  // namespace lalometer
