#include "desk/networks/network_page.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QSignalBlocker>
#include <QSpinBox>

#include "acoustics/network/whatif/network_orbit.h"
#include "acoustics/spin/spinorama.h"
#include "base/text.h"
#include "desk/networks/network_help.h"
#include "desk/parts/page_parts.h"
#include "workbench/networks/sum_bumps.h"

namespace lalometer {
namespace {

QString text_of(const std::string& s) {
  return QString::fromStdString(s);
}

struct Slope {
  const char* name;
  FilterShape shape;
  int order;
};
constexpr Slope kSlopes[] = {
    {"Linkwitz–Riley, 4th order", FilterShape::kLinkwitzRiley, 4},
    {"Linkwitz–Riley, 2nd order", FilterShape::kLinkwitzRiley, 2},
    {"Butterworth, 1st order", FilterShape::kButterworth, 1},
    {"Butterworth, 2nd order", FilterShape::kButterworth, 2},
    {"Butterworth, 3rd order", FilterShape::kButterworth, 3},
    {"Butterworth, 4th order", FilterShape::kButterworth, 4},
    {"Bessel, 2nd order", FilterShape::kBessel, 2},
    {"Bessel, 4th order", FilterShape::kBessel, 4},
};

}  // namespace

NetworkPage::NetworkPage(NetworkDesk& desk, QWidget* parent) : QWidget(parent), desk_(desk) {
  setObjectName(QStringLiteral("networkPage"));
  auto* layout = scrolled_page(this, 6);
  layout->addWidget(role_label(tr("Networks"), "title", this));
  basis_ = role_label({}, "quiet", this);
  basis_->setObjectName(QStringLiteral("networkBasis"));
  layout->addWidget(basis_);
  makeElement(layout);
  branches_ = new QVBoxLayout;
  branches_->setSpacing(3);
  layout->addLayout(branches_);
  layout->addWidget(rule(this));
  makeDesign(layout);
  layout->addWidget(rule(this));
  help_ = new NetworkHelp(desk_, this);
  layout->addWidget(help_);
  tolerance_ = new QComboBox(this);
  tolerance_->setObjectName(QStringLiteral("networkTolerance"));
  tolerance_->addItem(tr("parts as drawn"), 0.0);
  for (const double percent : {1.0, 2.0, 5.0, 10.0})
    tolerance_->addItem(tr("parts within %1 %").arg(percent), percent);
  constexpr double kUsual_percent = 5.0;
  for (const double db : {0.5, 1.0})
    tolerance_->addItem(tr("parts %1 %, samples %2 dB").arg(kUsual_percent).arg(db), -db);
  tolerance_->setToolTip(
      tr("The band about the sum holds 95 of 100 boards; samples: standard deviation of each "
         "driver's level."));
  connect(tolerance_, &QComboBox::activated, this, [this] {
    const double value = tolerance_->currentData().toDouble();
    if (value < 0.0)
      desk_.setTolerance(kUsual_percent, -value);
    else
      desk_.setTolerance(value);
  });
  layout->addWidget(tolerance_);
  facts_ = new QLabel(this);
  facts_->setObjectName(QStringLiteral("networkFacts"));
  facts_->setWordWrap(true);
  layout->addWidget(facts_);
  parts_ = new QLabel(this);
  parts_->setObjectName(QStringLiteral("networkParts"));
  parts_->setTextFormat(Qt::RichText);
  layout->addWidget(parts_);
  makeOut(layout);
  layout->addWidget(role_label(
      tr("Hot iron and fumes: solder where there is air. Mind the amplifier's lowest load, and try "
         "a new network softly, with a capacitor of 20 µF before the tweeter: a wrong wire burns "
         "it in a second. Voltages inside powered loudspeakers are for licensed people only."),
      "quiet", this));
  layout->addStretch(1);
  connect(&desk_, &NetworkDesk::changed, this, &NetworkPage::show);
  connect(&desk_, &NetworkDesk::progressed, this,
          [this](double share) { progress_->setValue(static_cast<int>(1000 * share)); });
  show();
}

/// The chosen element, and what can be added behind it.
void NetworkPage::makeElement(QVBoxLayout* layout) {
  auto* row = new QHBoxLayout;
  element_ = role_label(tr("No element chosen"), "head", this);
  element_->setObjectName(QStringLiteral("networkElement"));
  row->addWidget(element_, 1);
  value_ = number_box("networkValue", 0.01, 1000.0, 1.0, 3, {}, this);
  row->addWidget(value_);
  layout->addLayout(row);
  connect(value_, &QDoubleSpinBox::valueChanged, this, [this](double value) {
    if (!filling_ && desk_.chosen()) desk_.setValue(*desk_.chosen(), value, true);
  });
  auto* edit = new QHBoxLayout;
  on_ = add_button(edit, tr("Off"), "networkOff",
                   tr("Takes it out of the circuit and back, to see "
                      "what it does."),
                   this);
  on_->setCheckable(true);
  connect(on_, &QPushButton::clicked, this, [this](bool off) {
    DesignedNetwork next = desk_.network();
    if (!desk_.chosen()) return;
    if (LadderPart* part = part_at(next, *desk_.chosen())) part->off = off;
    desk_.change(next, true);
  });
  remove_ = add_button(edit, tr("Remove"), "networkRemove", tr("Removes the part (Delete)."), this);
  connect(remove_, &QPushButton::clicked, this, [this] {
    if (!desk_.chosen()) return;
    const NetworkPlace place = *desk_.chosen();
    desk_.remove(place);
  });
  edit->addStretch(1);
  layout->addLayout(edit);
  auto* more = new QHBoxLayout;
  branch_ = new QComboBox(this);
  branch_->setObjectName(QStringLiteral("networkBranch"));
  more->addWidget(branch_, 1);
  kind_ = new QComboBox(this);
  kind_->setObjectName(QStringLiteral("networkKind"));
  kind_->addItems({tr("coil"), tr("capacitor"), tr("resistor")});
  more->addWidget(kind_);
  QPushButton* line = add_button(more, tr("In line"), "networkInLine",
                                 tr("Adds it in the line, behind the chosen part."), this);
  QPushButton* across = add_button(more, tr("Across"), "networkAcross",
                                   tr("Adds it across the line, behind the chosen part."), this);
  connect(line, &QPushButton::clicked, this, [this] { add(LadderPart::Place::kSeries); });
  connect(across, &QPushButton::clicked, this, [this] { add(LadderPart::Place::kShunt); });
  layout->addLayout(more);
}

void NetworkPage::add(LadderPart::Place place) {
  const int row = branch_->currentIndex();
  if (row < 0 || row >= static_cast<int>(desk_.network().branches.size())) return;
  const auto branch = static_cast<std::size_t>(row);
  DesignedNetwork next = desk_.network();
  // Behind what is chosen in this branch, else at its end.
  std::optional<std::size_t> after;
  const std::size_t count = next.branches[branch].ladder.size();
  if (count > 0) after = count - 1;
  if (desk_.chosen() && desk_.chosen()->branch == branch) after = desk_.chosen()->path.front();
  const NetworkPlace added =
      add_part(next, branch, after, place, static_cast<ElementKind>(kind_->currentIndex()));
  desk_.change(next, true);
  desk_.choose(added);
}

void NetworkPage::makeDesign(QVBoxLayout* layout) {
  layout->addWidget(role_label(tr("Find one"), "head", this));
  windows_ = role_label({}, "quiet", this);
  windows_->setObjectName(QStringLiteral("networkWindow"));
  windows_->setWordWrap(true);
  layout->addWidget(windows_);
  auto* pair = new QHBoxLayout;
  low_ = new QComboBox(this);
  low_->setObjectName(QStringLiteral("networkLow"));
  high_ = new QComboBox(this);
  high_->setObjectName(QStringLiteral("networkHigh"));
  hz_ = number_box("networkHz", 80.0, 12000.0, 2000.0, 0, tr(" Hz"), this);
  pair->addWidget(low_, 1);
  pair->addWidget(high_, 1);
  pair->addWidget(hz_);
  layout->addLayout(pair);
  slope_ = new QComboBox(this);
  slope_->setObjectName(QStringLiteral("networkSlope"));
  for (const Slope& s : kSlopes) slope_->addItem(QString::fromUtf8(s.name));
  slope_->setToolTip(
      tr("Of the sound, not of the network: what the drivers do by themselves "
         "counts."));
  layout->addWidget(slope_);
  makeTarget(layout);
  auto* limits = new QHBoxLayout;
  series_ = new QComboBox(this);
  series_->setObjectName(QStringLiteral("networkSeries"));
  series_->addItems({tr("any values"), tr("E12"), tr("E24")});
  limits->addWidget(series_, 1);
  limits->addWidget(role_label(tr("at most"), "quiet", this));
  most_ = new QSpinBox(this);
  most_->setObjectName(QStringLiteral("networkMost"));
  most_->setRange(2, 16);
  most_->setValue(9);
  most_->setSuffix(tr(" parts"));
  most_->setButtonSymbols(QAbstractSpinBox::NoButtons);
  limits->addWidget(most_);
  layout->addLayout(limits);
  auto* go = new QHBoxLayout;
  find_ = add_button(go, tr("Find a network"), "networkFind",
                     tr("As few parts as keep the sum within 1 dB."), this);
  find_->setProperty("main", "true");
  connect(find_, &QPushButton::clicked, this, &NetworkPage::design);
  progress_ = new QProgressBar(this);
  progress_->setRange(0, 1000);
  progress_->setTextVisible(false);
  go->addWidget(progress_, 1);
  stop_ = add_button(go, tr("Stop"), "networkStop", tr("Ends the search."), this);
  connect(stop_, &QPushButton::clicked, &desk_, &NetworkDesk::stop);
  layout->addLayout(go);
  verdict_ = new QLabel(this);
  verdict_->setObjectName(QStringLiteral("networkVerdict"));
  verdict_->setWordWrap(true);
  layout->addWidget(verdict_);
}

/// What the sum should do: flat, sloping, or with a dip in the middle.
void NetworkPage::makeTarget(QVBoxLayout* layout) {
  auto* row = new QHBoxLayout;
  target_ = new QComboBox(this);
  target_->setObjectName(QStringLiteral("networkTarget"));
  target_->addItems({tr("flat"), tr("falling"), tr("softer, 1 to 5 kHz"), tr("drawn (file)…")});
  target_->setToolTip(tr("What the sum should do."));
  row->addWidget(target_, 1);
  target_db_ = number_box("networkTargetDb", -6.0, 6.0, 1.0, 1, {}, this);
  row->addWidget(target_db_);
  layout->addLayout(row);
  const auto shown = [this] {
    const int which = target_->currentIndex();
    target_db_->setVisible(which == 1 || which == 2);
    target_db_->setSuffix(which == 1 ? tr(" dB an octave") : tr(" dB"));
  };
  connect(target_, &QComboBox::currentIndexChanged, this, shown);
  connect(target_, &QComboBox::activated, this, [this](int which) {
    if (which == 3) openTarget();
  });
  shown();
}

SystemTarget NetworkPage::target() const {
  SystemTarget t;
  switch (target_->currentIndex()) {
    case 1:
      t.slope_db_per_octave = -target_db_->value();
      break;
    case 2:
      t.dip_db = target_db_->value();
      break;
    case 3:
      t.drawn = drawn_;
      break;
    default:
      break;
  }
  return t;
}

void NetworkPage::design() {
  const Slope& slope = kSlopes[static_cast<std::size_t>(std::max(slope_->currentIndex(), 0))];
  CrossoverWish wish;
  wish.low = low_->currentText().toStdString();
  wish.high = high_->currentText().toStdString();
  wish.frequency_hz = hz_->value();
  wish.shape = slope.shape;
  wish.order = slope.order;
  wish.series = static_cast<PartSeries>(series_->currentIndex());
  wish.most_parts = most_->value();
  wish.target = target();
  desk_.design(std::move(wish));
}

void NetworkPage::show() {
  filling_ = true;
  const NetworkMaterial* m = desk_.material();
  QStringList basis;
  if (m == nullptr) {
    basis << (desk_.trouble().isEmpty() ? tr("Reading the takes…") : desk_.trouble());
    basis << tr(
        "Each driver is taken alone, without a network, on one clock, with its impedance "
        "in the box.");
  } else {
    basis << tr("On %1 as they were taken alone.")
                 .arg(count_text(static_cast<qsizetype>(m->drivers.size()), tr("driver"),
                                 tr("drivers")));
    for (const std::string& note : m->notes) basis << text_of(note);
    if (!desk_.trouble().isEmpty()) basis << desk_.trouble();
  }
  basis_->setText(basis.join(QLatin1Char(' ')));
  showElement();
  showBranches();
  showDrivers();
  help_->show();
  tell();
  filling_ = false;
}

void NetworkPage::showElement() {
  const auto& chosen = desk_.chosen();
  const LadderPart* part = chosen ? part_at(desk_.network(), *chosen) : nullptr;
  value_->setEnabled(part != nullptr);
  on_->setEnabled(part != nullptr);
  remove_->setEnabled(part != nullptr);
  if (part == nullptr) {
    element_->setText(tr("No element chosen"));
    return;
  }
  const QString names[] = {tr("Coil"), tr("Capacitor"), tr("Resistor")};
  const QString units[] = {tr(" mH"), tr(" µF"), tr(" Ω")};
  const auto kind = static_cast<std::size_t>(chosen->kind);
  element_->setText(tr("%1 of %2")
                        .arg(part->name.empty() ? names[kind] : text_of(part->name),
                             text_of(desk_.network().branches[chosen->branch].driver)));
  const QSignalBlocker quiet(value_);
  value_->setSuffix(units[kind]);
  value_->setValue(value_of(desk_.network(), *chosen));
  on_->setChecked(part->off);
  branch_->setCurrentIndex(static_cast<int>(chosen->branch));
}

/// Polarity of each.
void NetworkPage::showBranches() {
  const auto& all = desk_.network().branches;
  if (branches_->count() != static_cast<int>(all.size())) {
    clear_layout(branches_);
    const QSignalBlocker quiet(branch_);
    branch_->clear();
    for (std::size_t b = 0; b < all.size(); ++b) {
      branch_->addItem(text_of(all[b].driver));
      auto* turned = new QPushButton(tr("Turn %1 round").arg(text_of(all[b].driver)), this);
      turned->setObjectName(QStringLiteral("networkTurn-") + text_of(all[b].driver));
      turned->setCheckable(true);
      turned->setToolTip(tr("Swaps the driver's two wires."));
      branches_->addWidget(turned);
      connect(turned, &QPushButton::clicked, this, [this, b](bool on) {
        DesignedNetwork next = desk_.network();
        if (b >= next.branches.size()) return;
        next.branches[b].polarity = on ? -1 : 1;
        desk_.change(next, true);
      });
    }
  }
  for (std::size_t b = 0; b < all.size(); ++b)
    if (auto* turned = qobject_cast<QPushButton*>(branches_->itemAt(static_cast<int>(b))->widget()))
      turned->setChecked(all[b].polarity < 0);
}

void NetworkPage::showDrivers() {
  const NetworkMaterial* m = desk_.material();
  QStringList ids;
  if (m != nullptr)
    for (const NetworkDriver& d : m->drivers) ids << text_of(d.id);
  QStringList before;
  for (int i = 0; i < low_->count(); ++i) before << low_->itemText(i);
  if (ids != before) {
    low_->clear();
    high_->clear();
    low_->addItems(ids);
    high_->addItems(ids);
    QString told;
    if (m != nullptr) {
      const auto windows = network_windows(*m);
      for (const CrossoverWindow& w : windows)
        told += (told.isEmpty() ? QString() : QStringLiteral(" ")) +
                text_of(capitalised(spoken(w))) + QLatin1Char('.');
      if (!windows.empty()) {
        low_->setCurrentText(text_of(windows.front().low));
        high_->setCurrentText(text_of(windows.front().high));
        // In the middle of where they can meet.
        const auto& from = windows.front().from_hz;
        const auto& to = windows.front().to_hz;
        if (from && to && *from < *to) hz_->setValue(std::round(std::sqrt(*from * *to) / 50) * 50);
      }
    }
    windows_->setText(told);
  }
  find_->setVisible(!desk_.designing());
  find_->setEnabled(ids.size() > 1);
  progress_->setVisible(desk_.designing());
  stop_->setVisible(desk_.designing());
  verdict_->setText(desk_.verdict());
  verdict_->setVisible(!desk_.verdict().isEmpty());
}

void NetworkPage::tell() {
  facts_->setVisible(desk_.sum().has_value());
  parts_->setVisible(desk_.sum().has_value());
  if (!desk_.sum()) return;
  const NetworkSum& s = *desk_.sum();
  QStringList facts;
  for (const NetworkCrossing& x : network_crossings(s))
    facts << tr("%1 and %2 meet at %3, %4° apart; turned round, %5 dB are missing.")
                 .arg(text_of(x.low), text_of(x.high), text_of(frequency_text(x.frequency_hz)))
                 .arg(std::abs(x.phase_difference_deg), 0, 'f', 0)
                 .arg(x.reverse_null_db, 0, 'f', 1);
  const NetworkStates wide = network_states(desk_.network(), desk_.material()->drivers);
  std::size_t least = 0;
  for (std::size_t i = 0; i < wide.load_ohm.size(); ++i)
    if (std::abs(wide.load_ohm[i]) < std::abs(wide.load_ohm[least])) least = i;
  if (least < wide.load_ohm.size())
    facts << tr("The load falls to %1 Ω at %2.")
                 .arg(std::abs(wide.load_ohm[least]), 0, 'f', 1)
                 .arg(text_of(frequency_text(wide.hz[least])));
  if (const auto orbit = orbit_of(s)) {
    const Preference rating = preference_of(s.axis, s.valid, spinorama(*orbit));
    if (rating.score) facts << tr("Preference rating %1.").arg(*rating.score, 0, 'f', 1);
  }
  for (const SumBump& b : sum_bumps(s)) facts << text_of(b.told);
  for (const DriverLoad& d :
       driver_loads(desk_.network(), desk_.material()->drivers, kNetworkPower_w)) {
    QString told = tr("%1 gets %2 W and %3 V")
                       .arg(text_of(d.driver))
                       .arg(d.watt, 0, 'f', 1)
                       .arg(d.volts, 0, 'f', 1);
    if (d.peak_mm) told += tr(", its cone goes %1 mm").arg(*d.peak_mm, 0, 'f', 1);
    if (d.peak_mm && d.xmax_mm)
      told += *d.peak_mm > *d.xmax_mm ? tr(", further than its %1 mm").arg(*d.xmax_mm, 0, 'f', 1)
                                      : tr(" of %1 mm").arg(*d.xmax_mm, 0, 'f', 1);
    facts << told + QLatin1Char('.');
  }
  facts_->setText(facts.join(QLatin1Char('\n')));
  QString html = tr("<table cellspacing='0' cellpadding='2'><tr><td>at %1 W of pink noise</td>"
                    "<td></td><td align='right'>A peak</td><td align='right'>W</td></tr>")
                     .arg(kNetworkPower_w);
  for (const PartLoad& p : part_loads(desk_.network(), desk_.material()->drivers, kNetworkPower_w))
    html +=
        QStringLiteral(
            "<tr><td>%1 %2</td><td align='right'>%3 %4</td><td align='right'>%5</td>"
            "<td align='right'>%6</td></tr>")
            .arg(text_of(p.driver).toHtmlEscaped(), text_of(p.part).toHtmlEscaped(),
                 text_of(three_digits(p.value)),
                 p.unit == "uF" ? QStringLiteral("µF") : text_of(p.unit == "ohm" ? "Ω" : p.unit))
            .arg(p.peak_a, 0, 'f', 2)
            .arg(p.watt, 0, 'f', 2);
  parts_->setText(html + QStringLiteral("</table>"));
}

}  // namespace lalometer
