#include "desk/parts/page_parts.h"

#include <QDoubleSpinBox>
#include <QGridLayout>
#include <QPushButton>
#include <QScrollArea>

namespace lalometer {

QLabel* role_label(const QString& text, const char* role, QWidget* parent) {
  auto* label = new QLabel(text, parent);
  label->setProperty("role", role);
  label->setWordWrap(true);
  return label;
}

QFrame* rule(QWidget* parent) {
  auto* line = new QFrame(parent);
  line->setProperty("role", "rule");
  return line;
}

QFrame* remark_card(const Remark& remark, QWidget* parent) {
  auto* card = new QFrame(parent);
  card->setProperty("card", remark.weight == Remark::Weight::kRefusal ? "refusal"
                            : remark.weight == Remark::Weight::kDoubt ? "doubt"
                                                                      : "true");
  auto* layout = new QVBoxLayout(card);
  layout->setContentsMargins(10, 6, 8, 7);
  layout->setSpacing(3);
  auto* text = new QLabel(QString::fromStdString(remark.text), card);
  text->setWordWrap(true);
  layout->addWidget(text);
  if (!remark.advice.empty())
    layout->addWidget(role_label(QString::fromStdString(remark.advice), "quiet", card));
  return card;
}

QPushButton* add_button(QBoxLayout* layout, const QString& text, const char* name,
                        const QString& tip, QWidget* parent) {
  auto* button = new QPushButton(text, parent);
  button->setObjectName(QLatin1String(name));
  button->setToolTip(tip);
  layout->addWidget(button);
  return button;
}

QWidget* figure_row(const QString& name, const QString& value, const QString& basis) {
  auto* row = new QWidget;
  auto* grid = new QGridLayout(row);
  grid->setContentsMargins(0, 0, 0, 0);
  grid->setVerticalSpacing(0);
  grid->addWidget(role_label(name, "quiet", row), 0, 0);
  auto* shown = new QLabel(value, row);
  shown->setFont(text_font(13, true));
  grid->addWidget(shown, 0, 1, Qt::AlignRight);
  if (!basis.isEmpty()) {
    auto* under = role_label(basis, "quiet", row);
    under->setAlignment(Qt::AlignRight);
    grid->addWidget(under, 1, 0, 1, 2);
  }
  return row;
}

QDoubleSpinBox* number_box(const char* name, double low, double high, double value, int decimals,
                           const QString& unit, QWidget* parent) {
  auto* box = new QDoubleSpinBox(parent);
  box->setObjectName(QLatin1String(name));
  box->setRange(low, high);
  box->setDecimals(decimals);
  box->setValue(value);
  box->setSuffix(QChar(0x202F) + unit);
  box->setButtonSymbols(QAbstractSpinBox::NoButtons);
  return box;
}

QVBoxLayout* scrolled_page(QWidget* page, int spacing) {
  auto* outer = new QVBoxLayout(page);
  outer->setContentsMargins(0, 0, 0, 0);
  auto* scroll = new QScrollArea(page);
  scroll->setWidgetResizable(true);
  scroll->setFrameShape(QFrame::NoFrame);
  scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  outer->addWidget(scroll);
  auto* inside = new QWidget;
  inside->setObjectName(QStringLiteral("inside"));
  // As wide as the page, whatever its fields would like: nothing may lie under the scroll bar.
  inside->setMinimumWidth(1);
  scroll->setWidget(inside);
  auto* layout = new QVBoxLayout(inside);
  layout->setContentsMargins(14, 12, 14, 12);
  layout->setSpacing(spacing);
  return layout;
}

void clear_layout(QLayout* layout) {
  while (QLayoutItem* item = layout->takeAt(0)) {
    if (item->widget() != nullptr) {
      // Hidden at once: deletion waits for the event loop, and the old card must not be seen until
      // then.
      item->widget()->hide();
      item->widget()->deleteLater();
    }
    if (item->layout() != nullptr) clear_layout(item->layout());
    delete item;
  }
}

}  // namespace lalometer
