#include "desk/angles/angles_page.h"

#include <fmt/format.h>

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QGridLayout>
#include <QMouseEvent>
#include <QPushButton>
#include <cmath>

#include "base/text.h"
#include "desk/parts/page_parts.h"
#include "workbench/reading/lane_parts.h"
#include "workbench/spin/set_comparison.h"

namespace lalometer {
namespace {

QString text_of(const std::string& s) {
  return QString::fromStdString(s);
}

}  // namespace

AnglesPage::AnglesPage(BookSession& session, ScoreState& state, QWidget* parent)
    : QWidget(parent), session_(session), state_(state) {
  setObjectName(QStringLiteral("anglesPage"));
  auto* layout = scrolled_page(this, 7);
  QWidget* inside = layout->parentWidget();
  auto* head = new QHBoxLayout;
  frequency_ = role_label({}, "figure", inside);
  frequency_->setObjectName(QStringLiteral("anglesFrequency"));
  frequency_->setWordWrap(false);
  head->addWidget(frequency_, 1);
  layout->addLayout(head);
  rose_ = new RoseView(session, state, inside);
  layout->addWidget(rose_);
  set_ = role_label({}, "title", inside);
  set_->setObjectName(QStringLiteral("anglesSet"));
  angles_ = role_label({}, "quiet", inside);
  angles_->setObjectName(QStringLiteral("anglesTaken"));
  layout->addWidget(set_);
  layout->addWidget(angles_);
  figures_ = new QVBoxLayout;
  figures_->setSpacing(3);
  layout->addLayout(figures_);
  layout->addWidget(rule(inside));
  makeLook(layout, inside);
  layout->addWidget(rule(inside));
  makeAim(layout, inside);
  layout->addWidget(rule(inside));
  cards_ = new QVBoxLayout;
  cards_->setSpacing(6);
  layout->addLayout(cards_);
  layout->addStretch(1);
  wire();
  showFrequency();
  showLook();
}

void AnglesPage::makeLook(QVBoxLayout* layout, QWidget* inside) {
  auto* lanes = new QHBoxLayout;
  QPushButton* map =
      add_button(lanes, tr("Lanes of angles"), "anglesLanes",
                 tr("Level, angle map, beamwidth and index over one another."), inside);
  QPushButton* spin = add_button(lanes, tr("Spinorama"), "spinLanes",
                                 tr("The averages of CTA-2034-A, over map and index."), inside);
  connect(map, &QPushButton::clicked, this, [this] { emit lanesAsked(false); });
  connect(spin, &QPushButton::clicked, this, [this] { emit lanesAsked(true); });
  layout->addLayout(lanes);
  auto* grid = new QGridLayout;
  grid->setVerticalSpacing(5);
  grid->addWidget(role_label(tr("Map re"), "quiet", inside), 0, 0);
  reference_ = new QComboBox(inside);
  reference_->setObjectName(QStringLiteral("mapReference"));
  reference_->addItem(tr("the axis"), static_cast<int>(MapReference::kAxis));
  reference_->addItem(tr("listening window"), static_cast<int>(MapReference::kListeningWindow));
  reference_->addItem(tr("an angle"), static_cast<int>(MapReference::kAngle));
  reference_->addItem(tr("nothing"), static_cast<int>(MapReference::kNothing));
  reference_->setToolTip(tr("What the map's levels are held against."));
  grid->addWidget(reference_, 0, 1);
  reference_deg_ = number_box("mapDegrees", -180, 180, 30, 0, QStringLiteral("°"), inside);
  grid->addWidget(reference_deg_, 0, 2);
  grid->addWidget(role_label(tr("Beam to"), "quiet", inside), 1, 0);
  fall_ = number_box("beamFall", 0.5, 40, 6, 1, QStringLiteral("dB"), inside);
  fall_->setToolTip(tr("So far below the axis the beam ends."));
  grid->addWidget(fall_, 1, 1);
  grid->setColumnStretch(1, 1);
  layout->addLayout(grid);
  mirror_ = new QCheckBox(tr("Mirror sides not taken"), inside);
  mirror_->setObjectName(QStringLiteral("mirrorAngles"));
  mirror_->setToolTip(tr("Mirrored angles are marked wherever they count."));
  extend_ = new QCheckBox(tr("Near fields carry the bass"), inside);
  extend_->setObjectName(QStringLiteral("extendAngles"));
  extend_->setToolTip(tr("Below the gate's limit, by the cabinet's own directivity."));
  layout->addWidget(mirror_);
  layout->addWidget(extend_);
}

void AnglesPage::makeAim(QVBoxLayout* layout, QWidget* inside) {
  layout->addWidget(role_label(tr("Listening axis"), "head", inside));
  auto* row = new QHBoxLayout;
  horizontal_ = number_box("aimHorizontal", -90, 90, 0, 1, QStringLiteral("°"), inside);
  horizontal_->setPrefix(tr("right "));
  horizontal_->setToolTip(tr("To the right of the loudspeaker's own axis, as one faces it."));
  vertical_ = number_box("aimVertical", -60, 60, 0, 1, QStringLiteral("°"), inside);
  vertical_->setPrefix(tr("up "));
  row->addWidget(horizontal_);
  row->addWidget(vertical_);
  layout->addLayout(row);
  auto* buttons = new QHBoxLayout;
  best_ =
      add_button(buttons, tr("Smoothest"), "aimBest",
                 tr("The axis within 30° to the sides and 15° up and down on which the response "
                    "departs least from a straight line."),
                 inside);
  ahead_ =
      add_button(buttons, tr("As taken"), "aimAhead", tr("Back to the axis of the set."), inside);
  layout->addLayout(buttons);
  aim_ = role_label({}, "quiet", inside);
  aim_->setObjectName(QStringLiteral("aimText"));
  layout->addWidget(aim_);
}

void AnglesPage::wire() {
  connect(&state_, &ScoreState::cursorMoved, this, &AnglesPage::showFrequency);
  connect(&session_, &BookSession::laidChanged, this, &AnglesPage::fill);
  connect(&session_, &BookSession::resultsChanged, this, &AnglesPage::fill);
  connect(&session_, &BookSession::bookChanged, this, &AnglesPage::showLook);
  connect(&session_.angles(), &AngleSets::lookChanged, this, &AnglesPage::showLook);
  const auto look = [this] {
    if (filling_) return;
    session_.angles().setLook(
        {static_cast<MapReference>(reference_->currentData().toInt()), reference_deg_->value()});
  };
  connect(reference_, &QComboBox::activated, this, look);
  connect(reference_deg_, &QDoubleSpinBox::valueChanged, this, look);
  const auto view = [this] {
    if (filling_) return;
    AngleView changed = session_.angles().kept().view;
    changed.fall_db = fall_->value();
    changed.mirror = mirror_->isChecked();
    changed.extend = extend_->isChecked();
    session_.angles().setView(changed);
  };
  connect(fall_, &QDoubleSpinBox::valueChanged, this, view);
  connect(mirror_, &QCheckBox::toggled, this, view);
  connect(extend_, &QCheckBox::toggled, this, view);
  const auto aim = [this] {
    if (!filling_) turn(horizontal_->value(), vertical_->value(), true);
  };
  connect(horizontal_, &QDoubleSpinBox::valueChanged, this, aim);
  connect(vertical_, &QDoubleSpinBox::valueChanged, this, aim);
  connect(rose_, &RoseView::axisDragged, this, [this](double degrees, bool done) {
    turn(degrees, session_.angles().kept().view.vertical_axis_deg, done);
  });
  connect(ahead_, &QPushButton::clicked, this, [this] { turn(0.0, 0.0, true); });
  connect(best_, &QPushButton::clicked, this, [this] {
    const std::vector<LaidTake> laid = session_.laid();
    const auto sets = shown_sets(laid, session_.chosenTake());
    if (sets.empty() || !sets.front()->set->reading->aim) return;
    const Aim& best = sets.front()->set->reading->aim->best;
    turn(best.horizontal_deg, best.vertical_deg, true);
  });
}

void AnglesPage::turn(double horizontal_deg, double vertical_deg, bool done) {
  AngleView view = session_.angles().kept().view;
  view.horizontal_axis_deg = horizontal_deg;
  view.vertical_axis_deg = vertical_deg;
  view.draft = !done;
  session_.angles().setView(view);
}

void AnglesPage::shown() {
  session_.angles().want(false);
  fill();
}

void AnglesPage::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  showFrequency();
  fill();
}

bool AnglesPage::eventFilter(QObject* watched, QEvent* event) {
  if (event->type() == QEvent::MouseButtonPress && watched->property("hz").isValid())
    state_.setCursorHz(watched->property("hz").toDouble());
  return QWidget::eventFilter(watched, event);
}

void AnglesPage::showFrequency() {
  frequency_->setText(text_of(frequency_text(state_.cursorHz())));
}

void AnglesPage::showLook() {
  filling_ = true;
  const KeptAngles& kept = session_.angles().kept();
  reference_->setCurrentIndex(reference_->findData(static_cast<int>(kept.look.reference)));
  reference_deg_->setValue(kept.look.degrees);
  reference_deg_->setVisible(kept.look.reference == MapReference::kAngle);
  fall_->setValue(kept.view.fall_db);
  mirror_->setChecked(kept.view.mirror);
  extend_->setChecked(kept.view.extend);
  if (!horizontal_->hasFocus() || horizontal_->value() != kept.view.horizontal_axis_deg)
    horizontal_->setValue(kept.view.horizontal_axis_deg);
  vertical_->setValue(kept.view.vertical_axis_deg);
  ahead_->setEnabled(kept.view.turned());
  filling_ = false;
}

void AnglesPage::addFigure(const std::string& name, const std::string& value,
                           const std::string& basis) {
  figures_->addWidget(figure_row(text_of(name), text_of(value), text_of(basis)));
}

void AnglesPage::addCard(const std::string& text, const std::string& advice, double at_hz,
                         bool doubt) {
  Remark remark;
  remark.weight = doubt ? Remark::Weight::kDoubt : Remark::Weight::kNote;
  remark.text = text;
  remark.advice = advice;
  QFrame* card = remark_card(remark, nullptr);
  card->setObjectName(QStringLiteral("angleCard"));
  if (at_hz > 0.0) {
    card->setProperty("hz", at_hz);
    card->setCursor(Qt::PointingHandCursor);
    card->installEventFilter(this);
  }
  cards_->addWidget(card);
}

void AnglesPage::fill() {
  if (!isVisible()) return;
  const std::vector<LaidTake> laid = session_.laid();
  const auto sets = shown_sets(laid, session_.chosenTake());
  std::string key;
  for (const LaidTake* one : sets) key += one->set->key + " " + set_label(*one) + ";";
  for (const LaidTake& one : laid)
    if (one.set) key += one.set->problem;
  if (QString::fromStdString(key) == filled_ && !key.empty()) return;
  filled_ = QString::fromStdString(key);
  clear_layout(figures_);
  clear_layout(cards_);
  aim_->clear();
  best_->setEnabled(!sets.empty() && sets.front()->set->reading->aim);
  if (sets.empty()) {
    set_->setText(tr("No set of angles"));
    const bool reading = std::any_of(
        laid.begin(), laid.end(), [](const LaidTake& one) { return one.set && one.set->pending; });
    angles_->setText(reading ? tr("Its angles are being read…") : text_of(no_set_text(laid)));
    return;
  }
  set_->setText(text_of(set_label(*sets.front())));
  fillReading(*sets.front());
  if (sets.size() > 1) fillComparison(*sets[0], *sets[1]);
}

void AnglesPage::fillReading(const LaidTake& one) {
  const AngleReading& r = *one.set->reading;
  const auto count = [&](Plane plane) { return r.material->orbit.rays(plane).size(); };
  QString taken = tr("%1 horizontal, %2 vertical angles")
                      .arg(count(Plane::kHorizontal))
                      .arg(count(Plane::kVertical));
  if (!r.spin.spin.missing.empty())
    taken += tr("; %1 of the standard's 70 are missing").arg(r.spin.spin.missing.size());
  angles_->setText(taken);
  QStringList missing;
  for (const std::string& angle : r.spin.spin.missing) missing.push_back(text_of(angle));
  angles_->setToolTip(missing.join(QStringLiteral(", ")));
  for (const char* id : {"spinorama", "beamwidth"})
    for (const KeyFigure& f : lane_kind(id)->figures(one)) addFigure(f.name, f.value, f.basis);
  if (r.aim) {
    const AimStudy& a = *r.aim;
    aim_->setText(a.real()
                      ? tr("Smoothest at %1° right, %2° up: %3 ± %4 dB rms instead of %5.")
                            .arg(a.best.horizontal_deg)
                            .arg(a.best.vertical_deg)
                            .arg(a.best.roughness_db, 0, 'f', 1)
                            .arg(a.uncertainty_db, 0, 'f', 1)
                            .arg(a.here.roughness_db, 0, 'f', 1)
                      : tr("No other axis is smoother by more than it is known: %1 dB rms here.")
                            .arg(a.here.roughness_db, 0, 'f', 1));
  }
  for (const Plane plane : {Plane::kHorizontal, Plane::kVertical}) {
    const CircleReading& circle = r.circle(plane);
    std::string text;
    for (const AngleDeviation& d : circle.deviations)
      if (std::abs(std::remainder(d.degrees, 15.0)) < 0.5 || std::abs(d.degrees) <= 20.0)
        text += fmt::format("\n{:+.0f}°  {:+.1f}, {:+.1f} dB at {}", d.degrees, d.mean_db,
                            d.worst_db, frequency_text(d.worst_at_hz));
    if (!text.empty())
      addCard(fmt::format("{} off the axis, mean and worst from {} to {}:{}",
                          plane == Plane::kHorizontal ? "Horizontally" : "Vertically",
                          frequency_text(circle.deviations_over.low_hz),
                          frequency_text(circle.deviations_over.high_hz), text),
              {}, 0.0, false);
  }
  for (const Plane plane : {Plane::kHorizontal, Plane::kVertical})
    for (const BeamChange& change : r.circle(plane).changes)
      addCard((plane == Plane::kHorizontal ? "Horizontal: " : "Vertical: ") + spoken(change) + ".",
              {}, change.where.at_hz, false);
  for (const IndexFeature& f : r.features) addCard(spoken(f) + ".", {}, f.at_hz, false);
  for (const LobeReading& l : r.lobes) addCard(spoken(l) + ".", {}, l.crossover_hz, false);
  for (const CrossoverWindow& w : r.windows) addCard(spoken(w) + ".", {}, 0.0, false);
  if (!r.rating_changes.empty()) {
    std::string text = "What would change the rating:";
    for (std::size_t i = 0; i < std::min<std::size_t>(4, r.rating_changes.size()); ++i)
      text += fmt::format("\n{:+.2f}  {}", r.rating_changes[i].by, r.rating_changes[i].what);
    addCard(text, {}, 0.0, false);
  }
  for (const std::string& note : r.notes) addCard(note, {}, 0.0, true);
  for (const std::string& note : r.material->notes) addCard(note, {}, 0.0, true);
}

void AnglesPage::fillComparison(const LaidTake& own, const LaidTake& other) {
  const SetComparison c = compared(*own.set->reading, *other.set->reading);
  std::string text = fmt::format("{} less {}:", set_label(own), set_label(other));
  for (const ComparedFigure& f : c.figures) {
    const double step = std::pow(10.0, -f.decimals);
    // Adding nothing takes the minus off a nought.
    const double rounded = std::round(f.difference / step) * step + 0.0;
    text += fmt::format("\n{}: {:+.{}f} ± {:.{}f}{}{}{}", f.name, rounded, f.decimals, f.half_width,
                        f.decimals, f.unit.empty() ? "" : " ", f.unit, f.real() ? ", real" : "");
  }
  if (c.figures.empty()) text += "\nno figure is known of both";
  addCard(text, c.figures.empty() ? "" : "Real: the difference is larger than its 95 % interval.",
          0.0, false);
}

}  // namespace lalometer
