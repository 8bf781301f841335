#include "desk/angles/equaliser_page.h"

#include <fmt/format.h>

#include <QClipboard>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFile>
#include <QFileDialog>
#include <QGridLayout>
#include <QGuiApplication>
#include <QPushButton>
#include <QSpinBox>

#include "base/text.h"
#include "desk/parts/page_parts.h"
#include "workbench/reading/lane_parts.h"
#include "workbench/spin/angle_set.h"
#include "workbench/telling/angles_told.h"

namespace lalometer {
namespace {

QString text_of(const std::string& s) {
  return QString::fromStdString(s);
}

/// The set that stands there, with its advice; null without.
const LaidTake* shown_of(const std::vector<LaidTake>& laid, Id chosen) {
  const auto sets = shown_sets(laid, chosen);
  return sets.empty() ? nullptr : sets.front();
}

}  // namespace

EqualiserPage::EqualiserPage(BookSession& session, QWidget* parent)
    : QWidget(parent), session_(session) {
  setObjectName(QStringLiteral("equaliserPage"));
  auto* layout = scrolled_page(this, 7);
  QWidget* inside = layout->parentWidget();
  layout->addWidget(role_label(tr("What equalising would mend"), "title", inside));
  set_ = role_label({}, "quiet", inside);
  set_->setObjectName(QStringLiteral("equaliserSet"));
  layout->addWidget(set_);
  makeWish(layout, inside);
  outcome_ = role_label({}, "plain", inside);
  outcome_->setObjectName(QStringLiteral("equaliserOutcome"));
  layout->addWidget(outcome_);
  rows_ = new QVBoxLayout;
  rows_->setSpacing(2);
  layout->addLayout(rows_);
  auto* buttons = new QHBoxLayout;
  copy_ = add_button(buttons, tr("Copy filters"), "copyFilters",
                     tr("As text, a line each, with coefficients."), inside);
  save_ = add_button(buttons, tr("Save…"), "saveFilters",
                     tr("As JSON: filters with coefficients, curves, and what was left."), inside);
  layout->addLayout(buttons);
  layout->addWidget(rule(inside));
  cards_ = new QVBoxLayout;
  cards_->setSpacing(6);
  layout->addLayout(cards_);
  layout->addStretch(1);
  connect(copy_, &QPushButton::clicked, this, &EqualiserPage::copy);
  connect(save_, &QPushButton::clicked, this, &EqualiserPage::save);
  connect(&session_, &BookSession::laidChanged, this, &EqualiserPage::fill);
  connect(&session_, &BookSession::resultsChanged, this, &EqualiserPage::fill);
  connect(&session_, &BookSession::bookChanged, this, &EqualiserPage::showWish);
  connect(&session_.angles(), &AngleSets::lookChanged, this, &EqualiserPage::showWish);
  showWish();
}

void EqualiserPage::makeWish(QVBoxLayout* layout, QWidget* inside) {
  auto* grid = new QGridLayout;
  grid->setVerticalSpacing(5);
  auto row = [&, n = 0](const QString& name, QWidget* field) mutable {
    grid->addWidget(role_label(name, "quiet", inside), n, 0);
    grid->addWidget(field, n++, 1);
  };
  of_ = new QComboBox(inside);
  of_->setObjectName(QStringLiteral("equaliseFor"));
  of_->addItem(tr("on axis"), static_cast<int>(EqualiseFor::kOnAxis));
  of_->addItem(tr("listening window"), static_cast<int>(EqualiseFor::kListeningWindow));
  of_->addItem(tr("in room, predicted"), static_cast<int>(EqualiseFor::kPredictedInRoom));
  row(tr("Curve"), of_);
  target_ = new QComboBox(inside);
  target_->setObjectName(QStringLiteral("equaliseTarget"));
  target_->addItem(tr("flat"), false);
  target_->addItem(tr("its own slope"), true);
  row(tr("Target"), target_);
  filters_ = new QSpinBox(inside);
  filters_->setObjectName(QStringLiteral("equaliseFilters"));
  filters_->setRange(0, 20);
  filters_->setButtonSymbols(QAbstractSpinBox::NoButtons);
  row(tr("Filters at most"), filters_);
  boost_ = number_box("equaliseBoost", 0, 24, 3, 1, QStringLiteral("dB"), inside);
  boost_->setToolTip(tr("Of each filter, and of their sum."));
  row(tr("Boost at most"), boost_);
  rate_ = new QComboBox(inside);
  rate_->setObjectName(QStringLiteral("equaliseRate"));
  for (const int rate : {44100, 48000, 88200, 96000, 192000})
    rate_->addItem(tr("%1 kHz").arg(rate / 1000.0), rate);
  row(tr("Coefficients at"), rate_);
  grid->setColumnStretch(1, 1);
  layout->addLayout(grid);
  for (QComboBox* box : {of_, target_, rate_})
    connect(box, &QComboBox::activated, this, &EqualiserPage::wish);
  connect(filters_, &QSpinBox::valueChanged, this, &EqualiserPage::wish);
  connect(boost_, &QDoubleSpinBox::valueChanged, this, &EqualiserPage::wish);
}

void EqualiserPage::wish() {
  if (filling_) return;
  EqualiseWish wish = session_.angles().kept().wish;
  wish.of = static_cast<EqualiseFor>(of_->currentData().toInt());
  wish.slope = target_->currentData().toBool();
  wish.filters = filters_->value();
  wish.max_boost_db = boost_->value();
  wish.sample_rate_hz = rate_->currentData().toDouble();
  session_.angles().setWish(wish);
}

void EqualiserPage::showWish() {
  filling_ = true;
  const EqualiseWish& wish = session_.angles().kept().wish;
  of_->setCurrentIndex(of_->findData(static_cast<int>(wish.of)));
  target_->setCurrentIndex(target_->findData(wish.slope));
  filters_->setValue(wish.filters);
  boost_->setValue(wish.max_boost_db);
  rate_->setCurrentIndex(std::max(0, rate_->findData(static_cast<int>(wish.sample_rate_hz))));
  filling_ = false;
}

void EqualiserPage::shown() {
  session_.angles().want(true);
  emit laneAsked();
  fill();
}

void EqualiserPage::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  fill();
}

void EqualiserPage::fill() {
  if (!isVisible()) return;
  clear_layout(rows_);
  clear_layout(cards_);
  outcome_->clear();
  const std::vector<LaidTake> laid = session_.laid();
  const LaidTake* one = shown_of(laid, session_.chosenTake());
  const bool known = one != nullptr && one->set->advice != nullptr;
  copy_->setEnabled(known);
  save_->setEnabled(known);
  if (one == nullptr) {
    set_->setText(text_of(no_set_text(laid)));
    return;
  }
  set_->setText(text_of(set_label(*one)));
  if (known)
    fillAdvice(*one->set->advice);
  else
    outcome_->setText(one->set->problem.empty() ? tr("Being worked out…")
                                                : text_of(one->set->problem));
}

void EqualiserPage::fillAdvice(const EqualiseAdvice& a) {
  const Equalisation& e = a.equalisation;
  outcome_->setText(
      e.filters.empty()
          ? tr("Nothing to mend by a filter between %1 and %2: %3 dB rms off the target.")
                .arg(text_of(frequency_text(a.from_hz)), text_of(frequency_text(a.to_hz)))
                .arg(e.deviation_before_db, 0, 'f', 1)
          : tr("From %1 to %2: %3 dB rms off the target before, %4 after.")
                .arg(text_of(frequency_text(a.from_hz)), text_of(frequency_text(a.to_hz)))
                .arg(e.deviation_before_db, 0, 'f', 1)
                .arg(e.deviation_after_db, 0, 'f', 1));
  for (const BandFilter& f : e.filters) {
    auto* row = new QWidget;
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(0, 0, 0, 0);
    const QString kind = f.kind == BiquadKind::kPeaking    ? tr("bell")
                         : f.kind == BiquadKind::kLowShelf ? tr("low shelf")
                                                           : tr("high shelf");
    line->addWidget(role_label(kind, "quiet", row));
    auto* value = new QLabel(QStringLiteral("%1   %2 dB   Q %3")
                                 .arg(text_of(frequency_text(f.frequency_hz)))
                                 .arg(text_of(fmt::format("{:+.1f}", f.gain_db)))
                                 .arg(f.q, 0, 'f', 2),
                             row);
    value->setFont(text_font(13, true));
    line->addWidget(value, 0, Qt::AlignRight);
    rows_->addWidget(row);
  }
  std::string effects;
  for (const EqualiseEffect& effect : a.effects)
    effects += fmt::format("{}{}: {:.1f} → {:.1f} dB", effects.empty() ? "" : "\n", effect.what,
                           effect.before_db, effect.after_db);
  if (!e.filters.empty()) {
    Remark remark;
    remark.text = "Every angle changes by the same dB. Rms off a straight line:\n" + effects;
    remark.advice = a.headroom_db > 0.05
                        ? fmt::format(
                              "Headroom: the filters lift by up to {:.1f} dB, so the signal "
                              "must come {:.1f} dB lower.",
                              a.headroom_db, a.headroom_db)
                        : "Headroom: the filters lift nothing.";
    cards_->addWidget(remark_card(remark, nullptr));
  }
  for (const LeftAlone& left : a.refused) {
    Remark remark;
    remark.weight = Remark::Weight::kDoubt;
    remark.text = fmt::format("{} to {} is left: {}.", frequency_text(left.low_hz),
                              frequency_text(left.high_hz), left.reason);
    cards_->addWidget(remark_card(remark, nullptr));
  }
  for (const std::string& note : a.notes) {
    Remark remark;
    remark.text = note;
    cards_->addWidget(remark_card(remark, nullptr));
  }
}

void EqualiserPage::copy() const {
  const std::vector<LaidTake> laid = session_.laid();
  const LaidTake* one = shown_of(laid, session_.chosenTake());
  if (one == nullptr || !one->set->advice) return;
  QGuiApplication::clipboard()->setText(
      text_of(filters_text(*one->set->advice, session_.angles().kept().wish.sample_rate_hz)));
}

void EqualiserPage::save() {
  const std::vector<LaidTake> laid = session_.laid();
  const LaidTake* one = shown_of(laid, session_.chosenTake());
  if (one == nullptr || !one->set->advice) return;
  const QString path = QFileDialog::getSaveFileName(
      this, tr("Save filters"), QStringLiteral("filters.json"), tr("Filters (*.json)"));
  if (path.isEmpty()) return;
  const std::string text = json_text(told_of(*one->set->reading->material, *one->set->advice,
                                             session_.angles().kept().wish.sample_rate_hz),
                                     2);
  QFile file(path);
  if (!file.open(QIODevice::WriteOnly) ||
      file.write(text.data(), static_cast<qint64>(text.size())) !=
          static_cast<qint64>(text.size()) ||
      !file.flush())
    emit failed(tr("%1 could not be written: %2").arg(path, file.errorString()));
}

}  // namespace lalometer
