#include "desk/level/level_page.h"

#include <fmt/format.h>

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QHBoxLayout>
#include <QMouseEvent>
#include <QPushButton>
#include <QSlider>
#include <cctype>
#include <cmath>
#include <map>

#include "base/constants.h"
#include "base/text.h"
#include "desk/level/slice_view.h"
#include "desk/parts/page_parts.h"
#include "workbench/level/level_nodes.h"

namespace lalometer {
namespace {

QString text_of(const std::string& s) {
  return QString::fromStdString(s);
}

/// The chosen take of those that tell something, else the first; null without any.
const LaidTake* shown_one(const std::vector<LaidTake>& laid, Id chosen) {
  const LaidTake* shown = nullptr;
  for (const LaidTake& one : laid)
    if (one.time &&
        (one.time->distortion || one.time->multitone || one.time->any_decay() != nullptr) &&
        (shown == nullptr || one.take.id == chosen))
      shown = &one;
  return shown;
}

std::string threshold_text(const Threshold& t) {
  if (t.frequency_hz)
    return fmt::format("below {} ± {:.1g} %", frequency_text(t.frequency_hz->value),
                       100.0 * t.frequency_hz->half_width / t.frequency_hz->value);
  switch (t.why) {
    case Threshold::Why::kNeverOver:
      return "nowhere";
    case Threshold::Why::kNoise:
      return fmt::format("hidden below {}", frequency_text(t.seen_from_hz));
    default:
      return "everywhere";
  }
}

/// No line ends between a number and its unit.
std::string kept_together(std::string text) {
  for (const char* unit : {"%", "Hz", "kHz", "dB", "V", "ms", "m"}) {
    const std::string loose = std::string(" ") + unit;
    for (std::size_t at = text.find(loose); at != std::string::npos;
         at = text.find(loose, at + 1)) {
      const std::size_t end = at + loose.size();
      const bool digit = at > 0 && std::isdigit(static_cast<unsigned char>(text[at - 1])) != 0;
      const bool whole =
          end == text.size() || std::isalpha(static_cast<unsigned char>(text[end])) == 0;
      if (digit && whole) text.replace(at, 1, "\u00a0");
    }
  }
  return text;
}

/// The level that is clean in every third octave it is judged in, at 1 m, dB; 0: not known.
double clean_level_1m_db(const LevelsReading& r) {
  if (r.steps.empty() || !r.steps.front()->calibrated || !(r.steps.front()->distance_m > 0.0))
    return 0.0;
  double lowest = 0.0;
  for (const CleanLevel& c : r.clean) {
    if (!r.judged.contains(c.frequency_hz)) continue;
    const double level = to_level_db(c.level, kReferencePressure_pa) +
                         20.0 * std::log10(r.steps.front()->distance_m);
    lowest = lowest == 0.0 ? level : std::min(lowest, level);
  }
  return lowest;
}

}  // namespace

LevelPage::LevelPage(BookSession& session, ScoreState& state, QWidget* parent)
    : QWidget(parent), session_(session), state_(state) {
  setObjectName(QStringLiteral("levelPage"));
  auto* layout = scrolled_page(this, 7);
  QWidget* inside = layout->parentWidget();
  layout->addWidget(role_label(tr("Level and time"), "title", inside));
  take_ = role_label({}, "quiet", inside);
  take_->setObjectName(QStringLiteral("levelTake"));
  layout->addWidget(take_);
  auto* lanes = new QHBoxLayout;
  QPushButton* level = add_button(lanes, tr("Lanes of level"), "levelLanes",
                                  tr("Harmonics, THD and compression under the level."), inside);
  QPushButton* time =
      add_button(lanes, tr("Lanes of time"), "timeLanes",
                 tr("Decay, decay in periods and the step under the level."), inside);
  connect(level, &QPushButton::clicked, this, [this] { emit lanesAsked(false); });
  connect(time, &QPushButton::clicked, this, [this] { emit lanesAsked(true); });
  layout->addLayout(lanes);
  levels_ = new QVBoxLayout;
  levels_->setSpacing(3);
  layout->addLayout(levels_);
  makeListening(layout, inside);
  cards_ = new QVBoxLayout;
  cards_->setSpacing(6);
  layout->addLayout(cards_);
  layout->addWidget(rule(inside));
  layout->addWidget(role_label(tr("What touches or hisses"), "head", inside));
  noises_ = new QVBoxLayout;
  noises_->setSpacing(6);
  layout->addLayout(noises_);
  layout->addWidget(rule(inside));
  layout->addWidget(role_label(tr("What rings on"), "head", inside));
  ridges_ = new QVBoxLayout;
  ridges_->setSpacing(3);
  layout->addLayout(ridges_);
  makeSlices(layout, inside);
  layout->addStretch(1);
  connect(&session_, &BookSession::laidChanged, this, &LevelPage::fill);
  connect(&session_, &BookSession::resultsChanged, this, &LevelPage::fill);
}

void LevelPage::makeSlices(QVBoxLayout* layout, QWidget* inside) {
  slices_ = new SliceView(session_, state_, inside);
  time_ = new QSlider(Qt::Horizontal, inside);
  time_->setObjectName(QStringLiteral("sliceTime"));
  time_->setRange(0, 2000);
  time_->setToolTip(tr("The time cursor of all decays, ms after the arrival."));
  layout->addWidget(slices_);
  layout->addWidget(time_);
  connect(time_, &QSlider::valueChanged, this,
          [this](int place) { state_.setCursorMs(slices_->lastMs() * place / time_->maximum()); });
  const auto follow = [this] {
    const QSignalBlocker block(time_);
    time_->setEnabled(slices_->lastMs() > 0.0);
    if (slices_->lastMs() > 0.0)
      time_->setValue(
          static_cast<int>(std::lround(state_.cursorMs() / slices_->lastMs() * time_->maximum())));
  };
  connect(&state_, &ScoreState::timeMoved, this, follow);
  connect(slices_, &SliceView::fetched, this, follow);
  follow();
}

void LevelPage::setTheme(const Theme& theme) {
  slices_->setTheme(theme);
}

void LevelPage::makeListening(QVBoxLayout* layout, QWidget* inside) {
  listening_ = new QWidget(inside);
  auto* column = new QVBoxLayout(listening_);
  column->setContentsMargins(0, 4, 0, 4);
  column->addWidget(role_label(tr("Where somebody listens"), "head", listening_));
  auto* row = new QHBoxLayout;
  distance_ = number_box("listenDistance", 0.3, 30, 3, 1, QStringLiteral("m"), listening_);
  count_ = new QComboBox(listening_);
  count_->setObjectName(QStringLiteral("listenCount"));
  count_->addItem(tr("one loudspeaker"), 1);
  count_->addItem(tr("a pair"), 2);
  row->addWidget(distance_);
  row->addWidget(count_, 1);
  column->addLayout(row);
  heard_ = role_label({}, "plain", listening_);
  heard_->setObjectName(QStringLiteral("heardLevel"));
  column->addWidget(heard_);
  layout->addWidget(listening_);
  connect(distance_, &QDoubleSpinBox::valueChanged, this, &LevelPage::showListening);
  connect(count_, &QComboBox::currentIndexChanged, this, &LevelPage::showListening);
  listening_->hide();
}

void LevelPage::shown() {
  session_.time().want(kWantDistortion | kWantCumulative | kWantMultitone | kWantRub);
  fill();
}

void LevelPage::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  fill();
}

bool LevelPage::eventFilter(QObject* watched, QEvent* event) {
  if (event->type() == QEvent::MouseButtonPress && watched->property("hz").isValid())
    state_.setCursorHz(watched->property("hz").toDouble());
  return QWidget::eventFilter(watched, event);
}

void LevelPage::addRow(QVBoxLayout* to, const std::string& name, const std::string& value,
                       const std::string& basis, double at_hz) {
  QWidget* row = figure_row(text_of(name), text_of(value), text_of(basis));
  if (at_hz > 0.0) {
    row->setProperty("hz", at_hz);
    row->setCursor(Qt::PointingHandCursor);
    row->installEventFilter(this);
  }
  to->addWidget(row);
}

void LevelPage::addCard(QVBoxLayout* to, const std::string& text, bool doubt, double at_hz) {
  Remark remark;
  remark.weight = doubt ? Remark::Weight::kDoubt : Remark::Weight::kNote;
  remark.text = kept_together(text);
  QFrame* card = remark_card(remark, nullptr);
  card->setObjectName(QStringLiteral("levelCard"));
  if (at_hz > 0.0) {
    card->setProperty("hz", at_hz);
    card->setCursor(Qt::PointingHandCursor);
    card->installEventFilter(this);
  }
  to->addWidget(card);
}

void LevelPage::fill() {
  if (!isVisible()) return;
  const std::vector<LaidTake> laid = session_.laid();
  const LaidTake* own = shown_one(laid, session_.chosenTake());
  std::string key = own == nullptr ? "none" : fmt::format("{}", own->take.id);
  for (const LaidTake& one : laid)
    key += fmt::format(" {}{}", one.take.id, one.time ? one.time->key : std::string("-"));
  if (key == filled_) return;
  filled_ = key;
  for (QVBoxLayout* layout : {levels_, cards_, noises_, ridges_}) clear_layout(layout);
  listening_->hide();
  if (own == nullptr) {
    const bool waits = std::any_of(laid.begin(), laid.end(),
                                   [](const LaidTake& one) { return has_impulse(one.take); });
    take_->setText(waits ? tr("Being analysed…")
                         : tr("Lay a recorded response: harmonics come with its sweep, decay with "
                              "its impulse response."));
    return;
  }
  take_->setText(text_of(own->take.name));
  if (!own->time->multitone) fillLevels(*own, laid);
  fillTones(laid);
  fillNoises(*own, laid);
  fillParts(*own, laid);
  if (has_impulse(own->take)) fillDecay(*own, laid);
}

void LevelPage::fillLevels(const LaidTake& own, const std::vector<LaidTake>& laid) {
  clean_1m_db_ = 0.0;
  if (!own.time->distortion) {
    addCard(cards_, own.time->problem.empty()
                        ? "Harmonics need the recorded sweep; this is an impulse response alone."
                        : own.time->problem);
    return;
  }
  // As they were taken: what has changed meanwhile is told by the order.
  std::map<std::pair<std::string, Id>, std::shared_ptr<const DistortionReading>> taken;
  for (const LaidTake& one : laid)
    if (one.time && one.time->distortion &&
        (one.take.id == own.take.id || same_level_place(own.take, one.take)))
      taken[{one.take.taken_at, one.take.id}] = one.time->distortion;
  std::vector<std::shared_ptr<const DistortionReading>> readings;
  for (const auto& [when, reading] : taken) readings.push_back(reading);
  const LevelsReading r = levels_reading(std::move(readings));
  for (const auto& step : r.steps) {
    std::string name = fmt::format("{} V", three_digits(step->drive_v));
    if (step->spl_db) name += fmt::format(", {:.0f} dB", *step->spl_db);
    addRow(levels_, name, "3 % " + threshold_text(step->three_percent),
           "10 % " + threshold_text(step->ten_percent),
           step->three_percent.frequency_hz ? step->three_percent.frequency_hz->value : 0.0);
  }
  for (const std::string& sentence : spoken(r)) addCard(cards_, sentence);
  if (r.steps.size() == 1)
    addCard(cards_,
            "One drive alone: lay others of the same place to see what is lost, how each "
            "harmonic grows, and which level is the last good one.");
  for (const std::string& note : r.notes) addCard(cards_, note);
  for (const std::string& note : own.time->distortion->notes) addCard(cards_, note);
  clean_1m_db_ = clean_level_1m_db(r);
  judged_ = r.judged;
  listening_->setVisible(clean_1m_db_ > 0.0);
  showListening();
}

void LevelPage::showListening() {
  const double there = level_at(clean_1m_db_, distance_->value(), count_->currentData().toInt());
  heard_->setText(
      tr("%1 dB there before THD passes 3 % anywhere from %3 to %4 (as far as the drives "
         "went); %2 dB at 1 m. Without what the room adds.")
          .arg(there, 0, 'f', 0)
          .arg(clean_1m_db_, 0, 'f', 0)
          .arg(text_of(frequency_text(judged_.low_hz)), text_of(frequency_text(judged_.high_hz))));
}

void LevelPage::fillDecay(const LaidTake& own, const std::vector<LaidTake>& laid) {
  const DecayReading* decay = own.time->any_decay();
  if (decay == nullptr) {
    addCard(ridges_, own.time->problem.empty() ? "Being analysed…" : own.time->problem);
    return;
  }
  if (decay->ridges.empty())
    addCard(ridges_, fmt::format("Nothing rings on in the {} ms that were looked at.",
                                 three_digits(decay->span.length_s * 1e3)));
  for (const Ridge& ridge : decay->ridges)
    addRow(ridges_, frequency_text(ridge.frequency_hz.value),
           fmt::format("{} ms ± {:.0f} %", three_digits(ridge.decay_s.value * 1e3),
                       100.0 * ridge.decay_s.half_width / ridge.decay_s.value),
           fmt::format("to −20 dB: {:.1f} periods, Q {:.0f}", ridge.decay_periods(), ridge.q()),
           ridge.frequency_hz.value);
  // Against another one that is laid: before and after, or two boxes.
  for (const LaidTake& other : laid) {
    if (&other == &own || !other.time || other.time->any_decay() == nullptr) continue;
    bool any = false;
    for (const RidgeChange& change :
         ridge_changes(other.time->any_decay()->ridges, decay->ridges)) {
      if (change.first && change.second && !change.real) continue;
      any = true;
      addCard(ridges_, spoken(change) + ", against " + other.take.name, false,
              change.second ? change.second->frequency_hz.value : change.first->frequency_hz.value);
    }
    if (!any && !decay->ridges.empty())
      addCard(ridges_,
              "No ridge differs from those of " + other.take.name + " beyond what both tell.");
    break;
  }
  for (const std::string& note : decay->notes) addCard(ridges_, note);
}

}  // namespace lalometer
