#include "desk/action_finder.h"

#include <QAction>
#include <QKeyEvent>
#include <QLineEdit>
#include <QListWidget>
#include <QTimer>
#include <QVBoxLayout>

namespace lalometer {

ActionFinder::ActionFinder(QWidget* window) : QFrame(window) {
  setObjectName(QStringLiteral("finder"));
  setFrameShape(QFrame::StyledPanel);
  setAutoFillBackground(true);
  field_ = new QLineEdit(this);
  field_->setObjectName(QStringLiteral("finderField"));
  field_->setPlaceholderText(tr("What do you want to do?"));
  list_ = new QListWidget(this);
  list_->setObjectName(QStringLiteral("finderList"));
  list_->setUniformItemSizes(true);
  auto* layout = new QVBoxLayout(this);
  layout->addWidget(field_);
  layout->addWidget(list_);
  field_->installEventFilter(this);
  connect(field_, &QLineEdit::textChanged, this, &ActionFinder::filter);
  connect(list_, &QListWidget::itemClicked, this, &ActionFinder::run);
  hide();
}

void ActionFinder::open(const QList<QAction*>& actions) {
  actions_ = actions;
  const QSize room = parentWidget()->size();
  const QSize size(std::min(560, room.width() - 40), std::min(420, room.height() - 120));
  setGeometry(QRect(QPoint((room.width() - size.width()) / 2, 70), size));
  field_->clear();
  filter({});
  show();
  raise();
  field_->setFocus(Qt::PopupFocusReason);
}

void ActionFinder::filter(const QString& text) {
  list_->clear();
  const QStringList words = text.split(u' ', Qt::SkipEmptyParts);
  for (QAction* action : actions_) {
    const QString haystack = action->text() + u' ' + action->toolTip();
    bool fits = true;
    for (const QString& word : words) fits = fits && haystack.contains(word, Qt::CaseInsensitive);
    if (!fits || !action->isEnabled()) continue;
    const QString shortcut = action->shortcut().toString(QKeySequence::NativeText);
    auto* item = new QListWidgetItem(
        shortcut.isEmpty() ? action->text() : tr("%1   (%2)").arg(action->text(), shortcut), list_);
    item->setToolTip(action->toolTip());
    item->setData(Qt::UserRole, QVariant::fromValue(action));
  }
  list_->setCurrentRow(0);
}

void ActionFinder::run() {
  QListWidgetItem* item = list_->currentItem();
  hide();
  if (item == nullptr) return;
  auto* action = item->data(Qt::UserRole).value<QAction*>();
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
      list_->setCurrentRow(std::clamp(list_->currentRow() + (key == Qt::Key_Down ? 1 : -1), 0,
                                      std::max(list_->count() - 1, 0)));
      return true;
    }
  }
  if (watched == field_ && event->type() == QEvent::FocusOut) hide();
  return QFrame::eventFilter(watched, event);
}

}  // namespace lalometer
