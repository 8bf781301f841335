#pragma once

#include <QSortFilterProxyModel>
#include <QStyledItemDelegate>
#include <QTreeView>
#include <QWidget>

#include "desk/shelf/shelf_model.h"
#include "desk/theme.h"

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

/// The shelf: a filter and the tree. A click chooses a take and lays it; its tab takes it off
/// again; Space ticks.
class ShelfView : public QWidget {
  Q_OBJECT
 public:
  explicit ShelfView(BookSession& session, QWidget* parent = nullptr);
  void setTheme(const Theme& theme);
  void focusFilter();
  [[nodiscard]] QTreeView* tree() const { return tree_; }
  [[nodiscard]] QModelIndex indexOfTake(Id take) const;
  /// Take of the current row; 0 where it is none.
  [[nodiscard]] Id currentTake() const;

 signals:
  void menuAsked(const QPoint& global, qint64 subject, qint64 variant, qint64 take);

 private:
  void restoreView();
  BookSession& session_;
  ShelfModel model_;
  QSortFilterProxyModel proxy_;
  ShelfDelegate delegate_;
  QTreeView* tree_;
  QLineEdit* filter_;
  bool filtering_ = false;
  QLabel* empty_;
};

}  // namespace lalometer
