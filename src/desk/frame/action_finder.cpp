#include "desk/frame/action_finder.h"

#include <QAction>
#include <QHeaderView>
#include <QKeyEvent>
#include <QLineEdit>
#include <QTimer>
#include <QTreeWidget>
#include <QVBoxLayout>

namespace lalometer {

ActionFinder::ActionFinder(QWidget* window) : QFrame(window) {
  setObjectName(QStringLiteral("finder"));
  setFrameShape(QFrame::StyledPanel);
  setAutoFillBackground(true);
  field_ = new QLineEdit(this);
  field_->setObjectName(QStringLiteral("finderField"));
  field_->setPlaceholderText(tr("What do you want to do?"));
  list_ = new QTreeWidget(this);
  list_->setObjectName(QStringLiteral("finderList"));
  list_->setUniformRowHeights(true);
  list_->setRootIsDecorated(false);
  list_->setColumnCount(2);
  list_->setHeaderHidden(true);
  list_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
  list_->header()->setSectionResizeMode(1, QHeaderView::ResizeToContents);
  list_->header()->setStretchLastSection(false);
  auto* layout = new QVBoxLayout(this);
  layout->addWidget(field_);
  layout->addWidget(list_);
  field_->installEventFilter(this);
  connect(field_, &QLineEdit::textChanged, this, &ActionFinder::filter);
  connect(list_, &QTreeWidget::itemClicked, this, &ActionFinder::run);
  hide();
}

void ActionFinder::open(const QList<QAction*>& actions) {
  actions_ = actions;
  const QSize room = parentWidget()->size();
  move((room.width() - std::min(560, room.width() - 40)) / 2, 70);
  field_->clear();
  show();
  filter({});
  raise();
  field_->setFocus(Qt::PopupFocusReason);
}

void ActionFinder::filter(const QString& text) {
  list_->clear();
  // What bears the words in its name comes before what only has them in its explanation.
  QList<QTreeWidgetItem*> named;
  QList<QTreeWidgetItem*> explained;
  const QStringList words = text.split(u' ', Qt::SkipEmptyParts);
  for (QAction* action : actions_) {
    const QString haystack = action->text() + u' ' + action->toolTip();
    bool fits = true;
    bool in_name = true;
    for (const QString& word : words) {
      fits = fits && haystack.contains(word, Qt::CaseInsensitive);
      in_name = in_name && action->text().contains(word, Qt::CaseInsensitive);
    }
    if (!fits || !action->isEnabled()) continue;
    auto* item = new QTreeWidgetItem(
        {action->text(), action->shortcut().toString(QKeySequence::NativeText)});
    item->setToolTip(0, action->toolTip());
    item->setTextAlignment(1, Qt::AlignRight | Qt::AlignVCenter);
    item->setForeground(1, palette().placeholderText());
    item->setData(0, Qt::UserRole, QVariant::fromValue(action));
    (in_name ? named : explained).push_back(item);
  }
  list_->addTopLevelItems(named + explained);
  list_->setCurrentItem(list_->topLevelItem(0));
  // As tall as what was found, so that the score stays in sight.
  constexpr int kMostRows = 14;
  const int rows = std::clamp(list_->topLevelItemCount(), 1, kMostRows);
  const int row_px =
      list_->topLevelItemCount() > 0 ? list_->visualItemRect(list_->topLevelItem(0)).height() : 24;
  list_->setFixedHeight(rows * std::max(row_px, 24) + 4);
  adjustSize();
  resize(std::min(560, parentWidget()->width() - 40), height());
}

void ActionFinder::run() {
  const QTreeWidgetItem* item = list_->currentItem();
  hide();
  if (item == nullptr) return;
  auto* action = item->data(0, Qt::UserRole).value<QAction*>();
  // After the finder is gone, so that what the action opens gets the focus.
  QTimer::singleShot(0, action, &QAction::trigger);
}

bool ActionFinder::eventFilter(QObject* watched, QEvent* event) {
  if (watched == field_ && event->type() == QEvent::KeyPress) {
    const int key = static_cast<QKeyEvent*>(event)->key();
    if (key == Qt::Key_Escape) {
      hide();
      return true;
    }
    if (key == Qt::Key_Return || key == Qt::Key_Enter) {
      run();
      return true;
    }
    if (key == Qt::Key_Down || key == Qt::Key_Up) {
      QTreeWidgetItem* next = key == Qt::Key_Down ? list_->itemBelow(list_->currentItem())
                                                  : list_->itemAbove(list_->currentItem());
      if (next != nullptr) list_->setCurrentItem(next);
      return true;
    }
  }
  if (watched == field_ && event->type() == QEvent::FocusOut) hide();
  return QFrame::eventFilter(watched, event);
}

}  // namespace lalometer
