#pragma once

#include <QSet>
#include <QSortFilterProxyModel>
#include <QStyledItemDelegate>
#include <QTreeView>
#include <QWidget>

#include "desk/parts/desk_part.h"
#include "desk/parts/theme.h"
#include "desk/shelf/shelf_model.h"

class QLabel;
class QLineEdit;

namespace lalometer {

/// One row of the shelf: colour tab, name, tiny curve, detail.
class ShelfDelegate : public QStyledItemDelegate {
  Q_OBJECT
 public:
  using QStyledItemDelegate::QStyledItemDelegate;
  void setTheme(const Theme& theme) { theme_ = theme; }
  void paint(QPainter* painter, const QStyleOptionViewItem& option,
             const QModelIndex& index) const override;
  [[nodiscard]] QSize sizeHint(const QStyleOptionViewItem& option,
                               const QModelIndex& index) const override;
  bool editorEvent(QEvent* event, QAbstractItemModel* model, const QStyleOptionViewItem& option,
                   const QModelIndex& index) override;

 private:
  Theme theme_ = Theme::light();
};

/// The shelf: a filter and the tree. Its tab lays a row on the score and removes it again; Space
/// ticks all chosen rows. Several rows are chosen with Shift and Ctrl.
class ShelfView : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  explicit ShelfView(BookSession& session, QWidget* parent = nullptr);
  void setTheme(const Theme& theme) override;
  void focusFilter();
  [[nodiscard]] QTreeView* tree() const { return tree_; }
  [[nodiscard]] QModelIndex indexOfTake(Id take) const;
  /// Take of the current row; 0 where it is none.
  [[nodiscard]] Id currentTake() const;
  /// Takes of all chosen rows, those of chosen groups among them, each once.
  [[nodiscard]] std::vector<Id> chosenTakes() const;

 signals:
  void menuAsked(const QPoint& global, qint64 subject, qint64 variant, qint64 take);

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  void wire();
  void restoreView();
  BookSession& session_;
  ShelfModel model_;
  QSortFilterProxyModel proxy_;
  ShelfDelegate delegate_;
  QTreeView* tree_;
  QLineEdit* filter_;
  QSet<qint64> open_groups_;
  bool filtering_ = false;
  QLabel* empty_;
};

}  // namespace lalometer
