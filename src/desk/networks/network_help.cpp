#include "desk/networks/network_help.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QSignalBlocker>

#include "desk/parts/page_parts.h"
#include "workbench/networks/material_stones.h"

namespace lalometer {
namespace {

struct StoneName {
  StoneKind kind;
  const char* name;
};
constexpr StoneName kStones[] = {
    {StoneKind::kBaffleStep, "for the baffle's step"},
    {StoneKind::kNotch, "against a peak"},
    {StoneKind::kPad, "to make it softer"},
    {StoneKind::kCoilAcross, "against its coil"},
    {StoneKind::kPeakAcross, "against its resonance"},
};

/// What a box of names shows, kept where the names are the same.
void fill(QComboBox* box, const QStringList& names) {
  QStringList before;
  for (int i = 0; i < box->count(); ++i) before << box->itemText(i);
  if (before == names) return;
  const QSignalBlocker quiet(box);
  const QString was = box->currentText();
  box->clear();
  box->addItems(names);
  if (names.contains(was)) box->setCurrentText(was);
}

}  // namespace

NetworkHelp::NetworkHelp(NetworkDesk& desk, QWidget* parent) : QWidget(parent), desk_(desk) {
  setObjectName(QStringLiteral("networkHelp"));
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(0, 0, 0, 0);
  layout->setSpacing(6);
  auto* row = new QHBoxLayout;
  row->setSpacing(6);
  layout->addLayout(row);
  const struct {
    QString name;
    const char* object;
    QString tip;
    QWidget* (NetworkHelp::*make)();
  } kinds[] = {
      {tr("Mend"), "networkStones", tr("Small circuits that mend one thing of one driver."),
       &NetworkHelp::makeStones},
      {tr("Move"), "networkPlace", tr("Where a driver stands, and an amplifier of its own."),
       &NetworkHelp::makePlace},
      {tr("Built"), "networkBuilt", tr("What was measured of the built loudspeaker."),
       &NetworkHelp::makeBuilt},
      {tr("Lanes"), "networkLaneChoice", tr("Which lanes stand below the drawing."),
       &NetworkHelp::makeLanes},
  };
  for (const auto& kind : kinds) {
    QPushButton* tab = add_button(row, kind.name, kind.object, kind.tip, this);
    tab->setCheckable(true);
    tabs_.push_back(tab);
    QWidget* sheet = (this->*kind.make)();
    sheet->hide();
    sheets_.push_back(sheet);
    layout->addWidget(sheet);
    const int which = static_cast<int>(sheets_.size()) - 1;
    connect(tab, &QPushButton::clicked, this, [this, which](bool on) { open(on ? which : -1); });
  }
  row->addStretch(1);
}

void NetworkHelp::open(int which) {
  for (std::size_t i = 0; i < tabs_.size(); ++i) {
    tabs_[i]->setChecked(static_cast<int>(i) == which);
    sheets_[i]->setVisible(static_cast<int>(i) == which);
  }
}

QWidget* NetworkHelp::makeStones() {
  auto* sheet = new QWidget(this);
  auto* layout = new QVBoxLayout(sheet);
  layout->setContentsMargins(0, 0, 0, 0);
  auto* row = new QHBoxLayout;
  stone_driver_ = new QComboBox(sheet);
  stone_driver_->setObjectName(QStringLiteral("networkStoneDriver"));
  row->addWidget(stone_driver_, 1);
  stone_kind_ = new QComboBox(sheet);
  stone_kind_->setObjectName(QStringLiteral("networkStoneKind"));
  for (const StoneName& s : kStones) stone_kind_->addItem(tr(s.name));
  row->addWidget(stone_kind_, 2);
  layout->addLayout(row);
  auto* go = new QHBoxLayout;
  QPushButton* put = add_button(
      go, tr("Put it in"), "networkPutStone",
      tr("With first values from the driver's own curves; drag them on from there."), sheet);
  go->addStretch(1);
  layout->addLayout(go);
  stone_told_ = role_label({}, "quiet", sheet);
  stone_told_->setObjectName(QStringLiteral("networkStoneTold"));
  stone_told_->setWordWrap(true);
  layout->addWidget(stone_told_);
  connect(put, &QPushButton::clicked, this, &NetworkHelp::putStone);
  return sheet;
}

void NetworkHelp::putStone() {
  const NetworkMaterial* m = desk_.material();
  const int row = stone_kind_->currentIndex();
  if (m == nullptr || row < 0) return;
  const std::string id = stone_driver_->currentText().toStdString();
  const auto branch = std::find_if(desk_.network().branches.begin(), desk_.network().branches.end(),
                                   [&](const DesignBranch& b) { return b.driver == id; });
  if (branch == desk_.network().branches.end()) return;
  const auto stone = stone_for(*m, id, kStones[static_cast<std::size_t>(row)].kind, branch->ladder);
  if (!stone) {
    stone_told_->setText(QString::fromStdString(stone.error().message));
    return;
  }
  DesignedNetwork next = desk_.network();
  for (DesignBranch& b : next.branches)
    if (b.driver == id) put_stone(b, *stone);
  desk_.choose(std::nullopt);
  desk_.change(next, true);
  stone_told_->setText(QString::fromStdString(stone->told));
}

QWidget* NetworkHelp::makePlace() {
  auto* sheet = new QWidget(this);
  auto* grid = new QGridLayout(sheet);
  grid->setContentsMargins(0, 0, 0, 0);
  grid->setSpacing(4);
  place_driver_ = new QComboBox(sheet);
  place_driver_->setObjectName(QStringLiteral("networkPlaceDriver"));
  grid->addWidget(place_driver_, 0, 0, 1, 2);
  connect(place_driver_, &QComboBox::activated, this, &NetworkHelp::showPlace);
  const auto add = [&](int line, const QString& name, QDoubleSpinBox* box) {
    grid->addWidget(role_label(name, "quiet", sheet), line, 0);
    grid->addWidget(box, line, 1);
    connect(box, &QDoubleSpinBox::valueChanged, this, [this] { placed(); });
    return box;
  };
  constexpr double kFar_mm = 500.0;
  moved_[0] = add(1, tr("to the right"),
                  number_box("networkRight", -kFar_mm, kFar_mm, 0.0, 1, tr(" mm"), sheet));
  moved_[1] =
      add(2, tr("up"), number_box("networkUp", -kFar_mm, kFar_mm, 0.0, 1, tr(" mm"), sheet));
  moved_[2] = add(3, tr("to the listener"),
                  number_box("networkForward", -kFar_mm, kFar_mm, 0.0, 1, tr(" mm"), sheet));
  gain_ =
      add(4, tr("own amplifier"), number_box("networkGain", -40.0, 20.0, 0.0, 2, tr(" dB"), sheet));
  delay_ = add(5, tr("and delay"), number_box("networkDelay", 0.0, 20.0, 0.0, 3, tr(" ms"), sheet));
  tilt_ =
      add(6, tr("all lean back"), number_box("networkTilt", -30.0, 30.0, 0.0, 1, tr("°"), sheet));
  QLabel* told = role_label(
      tr("What edges and beams do at another place is not in it: small moves only. A branch with "
         "gain or delay has an amplifier of its own."),
      "quiet", sheet);
  told->setWordWrap(true);
  grid->addWidget(told, 7, 0, 1, 2);
  return sheet;
}

int NetworkHelp::placedBranch() const {
  const auto& all = desk_.network().branches;
  for (std::size_t b = 0; b < all.size(); ++b)
    if (QString::fromStdString(all[b].driver) == place_driver_->currentText())
      return static_cast<int>(b);
  return -1;
}

void NetworkHelp::placed() {
  const int at = placedBranch();
  if (filling_ || at < 0) return;
  DesignedNetwork next = desk_.network();
  DesignBranch& b = next.branches[static_cast<std::size_t>(at)];
  for (std::size_t i = 0; i < 3; ++i) b.moved_m[i] = moved_[i]->value() / 1e3;
  b.active.gain_db = gain_->value();
  b.active.delay_s = delay_->value() / 1e3;
  next.tilt_deg = tilt_->value();
  desk_.change(next, true);
}

void NetworkHelp::showPlace() {
  const int at = placedBranch();
  filling_ = true;
  const DesignBranch none;
  const DesignBranch& b = at < 0 ? none : desk_.network().branches[static_cast<std::size_t>(at)];
  for (std::size_t i = 0; i < 3; ++i) moved_[i]->setValue(1e3 * b.moved_m[i]);
  gain_->setValue(b.active.gain_db);
  delay_->setValue(1e3 * b.active.delay_s);
  tilt_->setValue(desk_.network().tilt_deg);
  filling_ = false;
}

QWidget* NetworkHelp::makeBuilt() {
  auto* sheet = new QWidget(this);
  auto* layout = new QVBoxLayout(sheet);
  layout->setContentsMargins(0, 0, 0, 0);
  built_ = new QComboBox(sheet);
  built_->setObjectName(QStringLiteral("networkBuiltVariant"));
  built_->setToolTip(
      tr("A variant whose whole loudspeaker was measured: on the axis, and its load."));
  layout->addWidget(built_);
  built_told_ = new QLabel(sheet);
  built_told_->setObjectName(QStringLiteral("networkBuiltTold"));
  built_told_->setWordWrap(true);
  layout->addWidget(built_told_);
  connect(built_, &QComboBox::activated, this,
          [this] { desk_.setBuilt(built_->currentData().toLongLong()); });
  return sheet;
}

QWidget* NetworkHelp::makeLanes() {
  auto* sheet = new QWidget(this);
  lanes_ = new QVBoxLayout(sheet);
  lanes_->setContentsMargins(0, 0, 0, 0);
  lanes_->setSpacing(3);
  return sheet;
}

/// A tick for each lane that this network can have.
void NetworkHelp::showLanes() {
  const auto& kinds = desk_.laneKinds();
  bool same = lanes_->count() == static_cast<int>(kinds.size());
  for (int i = 0; same && i < lanes_->count(); ++i)
    same = lanes_->itemAt(i)->widget()->objectName().toStdString() ==
           kinds[static_cast<std::size_t>(i)].first + "-shown";
  if (same) return;
  clear_layout(lanes_);
  for (const auto& [kind, title] : kinds) {
    auto* tick = new QCheckBox(title, this);
    tick->setObjectName(QString::fromStdString(kind + "-shown"));
    tick->setChecked(desk_.laneShown(kind));
    lanes_->addWidget(tick);
    connect(tick, &QCheckBox::clicked, this,
            [this, kind = kind](bool on) { desk_.setLaneShown(kind, on); });
  }
}

void NetworkHelp::show() {
  showLanes();
  QStringList drivers, branches;
  if (desk_.material() != nullptr)
    for (const NetworkDriver& d : desk_.material()->drivers)
      drivers << QString::fromStdString(d.id);
  for (const DesignBranch& b : desk_.network().branches)
    branches << QString::fromStdString(b.driver);
  fill(stone_driver_, drivers);
  fill(place_driver_, branches);
  showPlace();
  QStringList names{tr("not measured yet")};
  const auto variants = desk_.builtVariants();
  for (const auto& [id, name] : variants) names << name;
  fill(built_, names);
  for (std::size_t i = 0; i < variants.size(); ++i)
    built_->setItemData(static_cast<int>(i) + 1, QVariant::fromValue(variants[i].first));
  built_->setItemData(0, QVariant::fromValue(Id{0}));
  for (int i = 0; i < built_->count(); ++i)
    if (built_->itemData(i).toLongLong() == desk_.built()) built_->setCurrentIndex(i);
  built_told_->setText(
      variants.empty()
          ? tr("Build it, make it a variant of this subject, and take it: on the axis at the same "
               "place, and its impedance at the terminals.")
          : desk_.builtTold());
}

}  // namespace lalometer
