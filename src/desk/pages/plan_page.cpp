#include "desk/pages/plan_page.h"

#include <QPushButton>

#include "base/text.h"
#include "desk/parts/page_parts.h"

namespace lalometer {

PlanPage::PlanPage(BookSession& session, QWidget* parent) : QWidget(parent), session_(session) {
  setObjectName(QStringLiteral("planPage"));
  auto* layout = scrolled_page(this);
  layout->addWidget(role_label(tr("Two takes, one axis"), "title", this));
  layout->addWidget(role_label(tr("An impedance sweep shows the box, a response on axis shows the "
                                  "sound. Together they tell more than twice as much: "
                                  "about a minute each."),
                               "quiet", this));
  rows_ = new QVBoxLayout;
  rows_->setSpacing(8);
  layout->addLayout(rows_);
  auto* takes = new QPushButton(tr("What to take, and where to stand"), this);
  takes->setObjectName(QStringLiteral("toTakes"));
  takes->setProperty("main", true);
  takes->setToolTip(tr("A purpose, its list of takes, the stand and what the room allows. Ctrl+U"));
  connect(takes, &QPushButton::clicked, this, [this] { emit deskAsked(QStringLiteral("takes")); });
  layout->addWidget(takes);
  layout->addWidget(role_label(tr("Before the saw"), "title", this));
  layout->addWidget(
      role_label(tr("What sizes alone predict, while you move them."), "quiet", this));
  auto* draw = new QPushButton(tr("Drawing: places, edges, ports"), this);
  draw->setObjectName(QStringLiteral("toDrawing"));
  connect(draw, &QPushButton::clicked, this, [this] { emit deskAsked(QStringLiteral("drawing")); });
  layout->addWidget(draw);
  auto* boxes = new QPushButton(tr("Boxes to choose from"), this);
  boxes->setObjectName(QStringLiteral("toBoxes"));
  connect(boxes, &QPushButton::clicked, this, [this] { emit deskAsked(QStringLiteral("boxes")); });
  layout->addWidget(boxes);
  auto* networks = new QPushButton(tr("A network for the drivers"), this);
  networks->setObjectName(QStringLiteral("toNetworks"));
  connect(networks, &QPushButton::clicked, this,
          [this] { emit deskAsked(QStringLiteral("networks")); });
  layout->addWidget(networks);
  layout->addWidget(role_label(tr("To learn reading"), "title", this));
  layout->addWidget(
      role_label(tr("Loudspeakers with a secret, from the practice bench."), "quiet", this));
  auto* practice = new QPushButton(tr("What is wrong with it?"), this);
  practice->setObjectName(QStringLiteral("toPractice"));
  connect(practice, &QPushButton::clicked, this,
          [this] { emit deskAsked(QStringLiteral("practice")); });
  layout->addWidget(practice);
  layout->addStretch(1);
  connect(&session_, &BookSession::rowsChanged, this, &PlanPage::show);
  connect(&session_, &BookSession::laidChanged, this, &PlanPage::show);
  if (session_.isOpen()) show();
}

void PlanPage::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  show();
}

void PlanPage::show() {
  // Nobody sees it: it is made when it is looked at.
  if (!isVisible()) return;
  clear_layout(rows_);
  const Id subject = session_.chosenSubject();
  for (const Variant& variant : session_.variants()) {
    if (variant.subject_id != subject) continue;
    auto* card = new QFrame;
    card->setProperty("card", "true");
    auto* layout = new QVBoxLayout(card);
    layout->setContentsMargins(10, 7, 8, 8);
    auto* name = new QLabel(QString::fromStdString(variant.name), card);
    name->setFont(text_font(13, true));
    layout->addWidget(name);
    if (!variant.changed.empty())
      layout->addWidget(role_label(QString::fromStdString(variant.changed), "quiet", card));
    for (const bool impedance : {true, false}) {
      int count = 0;
      for (const Take& t : session_.takes()) {
        count += t.variant_id == variant.id && t.accepted &&
                         (t.kind() == TakeKind::kImpedance) == impedance
                     ? 1
                     : 0;
      }
      const QString what = impedance ? tr("Impedance") : tr("Response on axis");
      if (count > 0) {
        layout->addWidget(
            new QLabel(tr("%1: %2").arg(what, count_text(count, tr("take"), tr("takes"))), card));
      } else {
        auto* ask = new QPushButton(tr("%1 is missing: take it").arg(what), card);
        connect(ask, &QPushButton::clicked, this,
                [this, impedance] { emit captureAsked(impedance); });
        layout->addWidget(ask);
      }
    }
    rows_->addWidget(card);
  }
  const Recipe recipe = session_.recipe(subject);
  rows_->addWidget(role_label(tr("The gate of %1 ms makes responses valid from %2. A longer one "
                                 "needs the first reflection later: raise stand and "
                                 "microphone, or go outdoors.")
                                  .arg(recipe.gate_s * 1e3, 0, 'f', 2)
                                  .arg(QString::fromStdString(frequency_text(1.0 / recipe.gate_s))),
                              "quiet", nullptr));
}

}  // namespace lalometer
