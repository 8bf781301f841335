#pragma once

#include <QFrame>

class QAction;
class QLineEdit;
class QTreeWidget;

namespace lalometer {

/// The searchable list of all actions, over the window. Words in any order find an action by its
/// name or explanation.
class ActionFinder : public QFrame {
  Q_OBJECT
 public:
  explicit ActionFinder(QWidget* window);
  void open(const QList<QAction*>& actions);

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  void filter(const QString& text);
  void run();
  QList<QAction*> actions_;
  QLineEdit* field_;
  QTreeWidget* list_;
};

}  // namespace lalometer
