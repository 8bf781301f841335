#include "desk/shelf/shelf_view.h"

#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QVBoxLayout>
#include <cmath>

namespace lalometer {
namespace {

constexpr int kTabWidth = 16;

/// A tiny curve, scaled to its own extent but never steeper than 40 dB over its height.
void draw_miniature(QPainter& painter, const QRectF& box, const QList<float>& points,
                    const QColor& colour) {
  float low = 1e9F;
  float high = -1e9F;
  for (const float p : points) {
    if (std::isnan(p)) continue;
    low = std::min(low, p);
    high = std::max(high, p);
  }
  if (low > high) return;
  const double span = std::max(static_cast<double>(high - low), 12.0);
  QPainterPath path;
  bool open = false;
  for (qsizetype i = 0; i < points.size(); ++i) {
    if (std::isnan(points[i])) {
      open = false;
      continue;
    }
    const double below =
        std::min(static_cast<double>(high - points[i]), 40.0) / std::min(span, 40.0);
    const QPointF at(
        box.left() + box.width() * static_cast<double>(i) / static_cast<double>(points.size() - 1),
        box.top() + box.height() * below);
    if (open)
      path.lineTo(at);
    else
      path.moveTo(at);
    open = true;
  }
  painter.setPen(QPen(colour, 1.0));
  painter.setBrush(Qt::NoBrush);
  painter.drawPath(path);
}

}  // namespace

void ShelfDelegate::paint(QPainter* painter, const QStyleOptionViewItem& option,
                          const QModelIndex& index) const {
  painter->save();
  painter->setRenderHint(QPainter::Antialiasing);
  const auto kind = static_cast<ShelfModel::RowKind>(index.data(ShelfModel::kKindRole).toInt());
  const bool take = kind == ShelfModel::RowKind::kTake;
  const bool tabbed = take || kind == ShelfModel::RowKind::kGroup;
  const QRectF row = QRectF(option.rect);
  const bool current = option.state.testFlag(QStyle::State_Selected);
  const bool chosen = index.data(ShelfModel::kChosenRole).toBool();
  if (chosen || current) {
    QColor wash = theme_.accent_soft;
    if (!chosen) wash.setAlpha(110);
    painter->fillRect(row.adjusted(2, 1, -2, -1), wash);
  }
  if (option.state.testFlag(QStyle::State_HasFocus)) {
    painter->setPen(QPen(theme_.accent, 1, Qt::DotLine));
    painter->drawRect(row.adjusted(2.5, 1.5, -2.5, -1.5));
  }
  const QString name = index.data(Qt::DisplayRole).toString();
  const QString detail = index.data(ShelfModel::kDetailRole).toString();
  const QFont small = text_font(11);
  const double detail_width = QFontMetricsF(small).horizontalAdvance(detail);
  double left = row.left() + 4;
  double right = row.right() - 10;
  painter->setFont(small);
  painter->setPen(index.data(ShelfModel::kAcceptedRole).isValid() &&
                          !index.data(ShelfModel::kAcceptedRole).toBool()
                      ? theme_.refuse
                      : theme_.quiet);
  painter->drawText(QRectF(right - detail_width - 1, row.top(), detail_width + 2, row.height()),
                    Qt::AlignVCenter | Qt::AlignRight, detail);
  right -= detail_width + 8;
  if (tabbed) {
    const int style = index.data(ShelfModel::kStyleRole).toInt();
    const QRectF tab(left + 2, row.center().y() - 7, 6, 14);
    const QColor colour = style >= 0 ? curve_style(style, theme_.dark).colour : theme_.quiet;
    if (style >= 0) {
      painter->setPen(Qt::NoPen);
      painter->setBrush(colour);
      painter->drawRoundedRect(tab, 2, 2);
    } else {
      painter->setPen(QPen(theme_.line, 1));
      painter->setBrush(Qt::NoBrush);
      painter->drawRoundedRect(tab.adjusted(0.5, 0.5, -0.5, -0.5), 2, 2);
    }
    left += kTabWidth;
    // The tiny curve takes what a readable name leaves.
    const QFontMetricsF metrics(text_font(13));
    const bool room = right - left - 56 > std::min(metrics.horizontalAdvance(name), 96.0);
    const auto points = take && room ? index.data(ShelfModel::kMiniatureRole).value<QList<float>>()
                                     : QList<float>();
    if (points.size() > 1)
      draw_miniature(*painter, QRectF(right - 50, row.center().y() - 6, 46, 12), points, colour);
    if (take && room) right -= 56;
  }
  painter->setFont(text_font(13, !tabbed));
  painter->setPen(theme_.ink);
  const QString shown =
      QFontMetricsF(painter->font()).elidedText(name, Qt::ElideMiddle, right - left);
  painter->drawText(QRectF(left, row.top(), right - left, row.height()),
                    Qt::AlignVCenter | Qt::AlignLeft, shown);
  painter->restore();
}

QSize ShelfDelegate::sizeHint(const QStyleOptionViewItem&, const QModelIndex& index) const {
  const auto kind = static_cast<ShelfModel::RowKind>(index.data(ShelfModel::kKindRole).toInt());
  return {180, kind == ShelfModel::RowKind::kSubject ? 32 : 25};
}

bool ShelfDelegate::editorEvent(QEvent* event, QAbstractItemModel* model,
                                const QStyleOptionViewItem& option, const QModelIndex& index) {
  if (!index.flags().testFlag(Qt::ItemIsUserCheckable)) return false;
  const bool checked = index.data(Qt::CheckStateRole).toInt() == Qt::Checked;
  if (event->type() == QEvent::MouseButtonRelease) {
    const auto* mouse = static_cast<QMouseEvent*>(event);
    if (mouse->button() == Qt::LeftButton &&
        mouse->position().x() < option.rect.left() + kTabWidth + 2) {
      return model->setData(index, checked ? Qt::Unchecked : Qt::Checked, Qt::CheckStateRole);
    }
  }
  return false;
}

ShelfView::ShelfView(BookSession& session, QWidget* parent)
    : QWidget(parent), session_(session), model_(session) {
  setObjectName(QStringLiteral("shelf"));
  setMinimumWidth(200);
  setAttribute(Qt::WA_StyledBackground);
  proxy_.setSourceModel(&model_);
  proxy_.setRecursiveFilteringEnabled(true);
  proxy_.setAutoAcceptChildRows(true);
  proxy_.setFilterCaseSensitivity(Qt::CaseInsensitive);

  filter_ = new QLineEdit(this);
  filter_->setObjectName(QStringLiteral("shelfFilter"));
  filter_->setPlaceholderText(tr("Filter the shelf"));
  filter_->setClearButtonEnabled(true);
  tree_ = new QTreeView(this);
  tree_->setObjectName(QStringLiteral("shelfTree"));
  tree_->setAccessibleName(tr("Shelf"));
  tree_->setModel(&proxy_);
  tree_->setItemDelegate(&delegate_);
  tree_->setHeaderHidden(true);
  tree_->setIndentation(10);
  tree_->setUniformRowHeights(false);
  tree_->setDragEnabled(true);
  tree_->setContextMenuPolicy(Qt::CustomContextMenu);
  tree_->setEditTriggers(QAbstractItemView::EditKeyPressed);
  tree_->setSelectionMode(QAbstractItemView::ExtendedSelection);
  tree_->installEventFilter(this);
  tree_->setExpandsOnDoubleClick(true);
  empty_ = new QLabel(
      tr("This book is empty. Drop measurement files here, or take one under Capture."), this);
  empty_->setWordWrap(true);
  empty_->setProperty("role", "quiet");

  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(8, 10, 4, 8);
  layout->setSpacing(8);
  layout->addWidget(filter_);
  layout->addWidget(empty_);
  layout->addWidget(tree_, 1);

  wire();
  restoreView();
}

void ShelfView::wire() {
  connect(filter_, &QLineEdit::textChanged, this, [this](const QString& text) {
    // A filter hides rows and with them the tree's current one; it chooses nothing. Choosing from
    // within would change the model while the proxy is taking rows out of it.
    filtering_ = true;
    proxy_.setFilterFixedString(text);
    filtering_ = false;
    const QModelIndex chosen = indexOfTake(session_.chosenTake());
    if (chosen.isValid())
      tree_->selectionModel()->setCurrentIndex(chosen, QItemSelectionModel::SelectCurrent);
    if (!text.isEmpty()) tree_->expandAll();
  });
  connect(&model_, &QAbstractItemModel::modelReset, this, &ShelfView::restoreView);
  const auto remember = [this](const QModelIndex& index, bool open) {
    if (index.data(ShelfModel::kKindRole).toInt() != static_cast<int>(ShelfModel::RowKind::kGroup))
      return;
    const qint64 id = index.data(ShelfModel::kIdRole).toLongLong();
    if (open)
      open_groups_.insert(id);
    else
      open_groups_.remove(id);
  };
  connect(tree_, &QTreeView::expanded, this,
          [remember](const QModelIndex& index) { remember(index, true); });
  connect(tree_, &QTreeView::collapsed, this,
          [remember](const QModelIndex& index) { remember(index, false); });
  connect(tree_->selectionModel(), &QItemSelectionModel::currentChanged, this,
          [this](const QModelIndex& current) {
            if (filtering_) return;
            const Id take = current.data(ShelfModel::kKindRole).toInt() ==
                                    static_cast<int>(ShelfModel::RowKind::kTake)
                                ? current.data(ShelfModel::kIdRole).toLongLong()
                                : 0;
            if (take != 0) session_.chooseTake(take);
          });
  connect(tree_, &QTreeView::doubleClicked, this, [this](const QModelIndex& index) {
    if (index.data(ShelfModel::kKindRole).toInt() == static_cast<int>(ShelfModel::RowKind::kTake))
      session_.setLaid(index.data(ShelfModel::kIdRole).toLongLong(),
                       index.data(Qt::CheckStateRole).toInt() != Qt::Checked);
  });
  connect(tree_, &QWidget::customContextMenuRequested, this, [this](const QPoint& at) {
    qint64 ids[4] = {0, 0, 0, 0};
    for (QModelIndex i = tree_->indexAt(at); i.isValid(); i = i.parent()) {
      ids[i.data(ShelfModel::kKindRole).toInt()] = i.data(ShelfModel::kIdRole).toLongLong();
    }
    emit menuAsked(tree_->viewport()->mapToGlobal(at), ids[0], ids[1], ids[3]);
  });
}

void ShelfView::restoreView() {
  empty_->setVisible(model_.rowCount(QModelIndex()) == 0);
  // Few takes stand open; an orbit of 70 stays folded until asked for.
  constexpr int kOpenUpTo = 24;
  for (int s = 0; s < proxy_.rowCount(); ++s) {
    const QModelIndex subject = proxy_.index(s, 0);
    tree_->setExpanded(subject, true);
    for (int v = 0; v < proxy_.rowCount(subject); ++v) {
      const QModelIndex variant = proxy_.index(v, 0, subject);
      tree_->setExpanded(variant, proxy_.rowCount(variant) <= kOpenUpTo);
      // A group stays as the hand left it, folded at first.
      for (int g = 0; g < proxy_.rowCount(variant); ++g) {
        const QModelIndex group = proxy_.index(g, 0, variant);
        if (open_groups_.contains(group.data(ShelfModel::kIdRole).toLongLong()) &&
            group.data(ShelfModel::kKindRole).toInt() ==
                static_cast<int>(ShelfModel::RowKind::kGroup))
          tree_->setExpanded(group, true);
      }
    }
  }
  QModelIndex chosen = proxy_.mapFromSource(model_.indexOfTake(session_.chosenTake()));
  // A folded group stands for its members: seventy rows are not unfolded for one of them.
  const QModelIndex above = chosen.parent();
  if (above.isValid() &&
      above.data(ShelfModel::kKindRole).toInt() == static_cast<int>(ShelfModel::RowKind::kGroup) &&
      !open_groups_.contains(above.data(ShelfModel::kIdRole).toLongLong()))
    chosen = above;
  if (chosen.isValid())
    tree_->selectionModel()->setCurrentIndex(chosen, QItemSelectionModel::SelectCurrent);
}

bool ShelfView::eventFilter(QObject* watched, QEvent* event) {
  if (watched != tree_ || event->type() != QEvent::KeyPress ||
      static_cast<QKeyEvent*>(event)->key() != Qt::Key_Space)
    return QWidget::eventFilter(watched, event);
  const std::vector<Id> takes = chosenTakes();
  const bool all = std::all_of(takes.begin(), takes.end(), [this](Id id) {
    const Take* take = session_.take(id);
    return take == nullptr || take->colour >= 0;
  });
  const QModelIndexList rows = tree_->selectionModel()->selectedRows();
  const bool one_group = rows.size() == 1 && rows.first().data(ShelfModel::kKindRole).toInt() ==
                                                 static_cast<int>(ShelfModel::RowKind::kGroup);
  if (one_group)
    session_.setGroupLaid(rows.first().data(ShelfModel::kIdRole).toLongLong(), !all);
  else
    session_.setLaid(takes, !all);
  return !takes.empty();
}

std::vector<Id> ShelfView::chosenTakes() const {
  std::vector<Id> takes;
  const auto add = [&](Id id) {
    if (std::find(takes.begin(), takes.end(), id) == takes.end()) takes.push_back(id);
  };
  for (const QModelIndex& row : tree_->selectionModel()->selectedRows()) {
    const auto kind = static_cast<ShelfModel::RowKind>(row.data(ShelfModel::kKindRole).toInt());
    const Id id = row.data(ShelfModel::kIdRole).toLongLong();
    if (kind == ShelfModel::RowKind::kTake) add(id);
    if (kind == ShelfModel::RowKind::kGroup)
      for (const Id member : session_.membersOf(id)) add(member);
  }
  return takes;
}

void ShelfView::setTheme(const Theme& theme) {
  delegate_.setTheme(theme);
  tree_->viewport()->update();
}

void ShelfView::focusFilter() {
  filter_->setFocus(Qt::ShortcutFocusReason);
  filter_->selectAll();
}

QModelIndex ShelfView::indexOfTake(Id take) const {
  return proxy_.mapFromSource(model_.indexOfTake(take));
}

Id ShelfView::currentTake() const {
  const QModelIndex current = tree_->currentIndex();
  const bool take = current.isValid() && current.data(ShelfModel::kKindRole).toInt() ==
                                             static_cast<int>(ShelfModel::RowKind::kTake);
  return take ? current.data(ShelfModel::kIdRole).toLongLong() : 0;
}

}  // namespace lalometer
